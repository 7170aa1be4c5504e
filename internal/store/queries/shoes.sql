-- name: PutModel :execlastid
INSERT INTO models (shop_id, code, maker, name, version, year, replaces_code, change_kind, chart, surface, class, level, support_by,
  stack_heel_mm, stack_forefoot_mm, stack_measured_by, weight_g, softness, bounce, plate, rocker, heel_bevel, flexibility, last_shape, volume,
  inner_offset_mm, lug_depth_mm, lug_spacing, rubber_softness, metal_tips, rock_plate, toe_bumper, liner, upper_kind, upper_firmness, heel_counter,
  median_life_km, list_price, sale_price, label_us_over_uk, label_eu_shift, purpose, notes, revision)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
ON DUPLICATE KEY UPDATE id = LAST_INSERT_ID(id), maker = VALUES(maker), name = VALUES(name), version = VALUES(version), year = VALUES(year), replaces_code = VALUES(replaces_code), change_kind = VALUES(change_kind),
  chart = VALUES(chart), surface = VALUES(surface), class = VALUES(class), level = VALUES(level), support_by = VALUES(support_by), stack_heel_mm = VALUES(stack_heel_mm),
  stack_forefoot_mm = VALUES(stack_forefoot_mm), stack_measured_by = VALUES(stack_measured_by), weight_g = VALUES(weight_g), softness = VALUES(softness), bounce = VALUES(bounce), plate = VALUES(plate),
  rocker = VALUES(rocker), heel_bevel = VALUES(heel_bevel), flexibility = VALUES(flexibility), last_shape = VALUES(last_shape), volume = VALUES(volume), inner_offset_mm = VALUES(inner_offset_mm),
  lug_depth_mm = VALUES(lug_depth_mm), lug_spacing = VALUES(lug_spacing), rubber_softness = VALUES(rubber_softness), metal_tips = VALUES(metal_tips), rock_plate = VALUES(rock_plate), toe_bumper = VALUES(toe_bumper),
  liner = VALUES(liner), upper_kind = VALUES(upper_kind), upper_firmness = VALUES(upper_firmness), heel_counter = VALUES(heel_counter), median_life_km = VALUES(median_life_km), list_price = VALUES(list_price),
  sale_price = VALUES(sale_price), label_us_over_uk = VALUES(label_us_over_uk), label_eu_shift = VALUES(label_eu_shift), purpose = VALUES(purpose), notes = VALUES(notes), revision = VALUES(revision);

-- name: ModelsOf :many
SELECT * FROM models WHERE shop_id = ? AND revision > ? ORDER BY maker, name, version, id;

-- name: CatalogueRevision :one
SELECT catalogue_revision FROM shops WHERE id = ?;

-- name: BumpCatalogue :exec
UPDATE shops SET catalogue_revision = catalogue_revision + 1 WHERE id = ?;

-- name: TouchModel :exec
UPDATE models SET revision = (SELECT s.catalogue_revision FROM shops s WHERE s.id = models.shop_id) WHERE models.id = ?;

-- name: ModelsOfRunnersPairs :many
SELECT * FROM models WHERE id IN (SELECT p.model_id FROM pairs p WHERE p.runner_id = sqlc.arg(runner_id) AND p.shop_id = sqlc.arg(shop_id));

-- name: ModelSizesOf :many
SELECT s.model_id, s.uk_half, s.width, s.stock FROM model_sizes s JOIN models m ON m.id = s.model_id
WHERE m.shop_id = ? AND m.revision > ? ORDER BY s.model_id, s.uk_half, s.width;

-- name: TakeFromStock :execrows
UPDATE model_sizes SET stock = stock - 1 WHERE model_id = ? AND uk_half = ? AND width = ? AND stock > 0;

-- name: AddPair :execlastid
INSERT INTO pairs (shop_id, runner_id, model_id, fit_id, uk_half, width, price, bought_on, first_worn, set_aside_on, from_stock, made_by, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: PairsOfRunner :many
SELECT id, runner_id, model_id, fit_id, uk_half, width, price, bought_on, first_worn, set_aside_on, aside_reason, aside_note, slowed_on FROM pairs
WHERE runner_id = ? AND shop_id = ? AND taken_back_at IS NULL ORDER BY set_aside_on IS NOT NULL, bought_on, id;

-- name: PairsInUse :many
SELECT p.id, p.runner_id, p.model_id, p.fit_id, p.uk_half, p.width, p.price, p.bought_on, p.first_worn, p.set_aside_on, r.name AS runner
FROM pairs p JOIN runners r ON r.id = p.runner_id
WHERE p.shop_id = ? AND r.practice_seed IS NULL AND p.set_aside_on IS NULL AND p.taken_back_at IS NULL ORDER BY p.id;

-- name: PairByID :one
SELECT id, runner_id, model_id, fit_id, uk_half, width, price, bought_on, first_worn, set_aside_on, from_stock FROM pairs WHERE id = ? AND shop_id = ? AND taken_back_at IS NULL;

-- name: SetFirstWorn :exec
UPDATE pairs SET first_worn = sqlc.arg(first_worn) WHERE id = sqlc.arg(id) AND shop_id = sqlc.arg(shop_id)
  AND (first_worn IS NULL OR first_worn > sqlc.arg(first_worn));

-- name: AddRun :execlastid
INSERT INTO runs (shop_id, runner_id, pair_id, run_on, km, ground, kind, wet, temp_c, started_at, minutes, ascent_m, file_id, split_from, how, made_by, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: RunsOfRunner :many
SELECT id, pair_id, run_on, CAST(km AS DOUBLE) AS km, ground, kind, wet, temp_c, started_at, minutes, ascent_m, file_id, how, made_at FROM runs
WHERE runner_id = ? AND shop_id = ? AND withdrawn_at IS NULL ORDER BY run_on, started_at, id;

-- name: LooseRuns :many
SELECT id, run_on, CAST(km AS DOUBLE) AS km, ground, kind, wet, temp_c, started_at, minutes, ascent_m, file_id, how FROM runs
WHERE runner_id = ? AND shop_id = ? AND pair_id IS NULL AND withdrawn_at IS NULL ORDER BY run_on, started_at, id;

-- name: RunOfRunner :one
SELECT id, pair_id, run_on, CAST(km AS DOUBLE) AS km, ground, kind, wet, temp_c, started_at, minutes, ascent_m, file_id, how FROM runs
WHERE id = ? AND runner_id = ? AND shop_id = ? AND withdrawn_at IS NULL FOR UPDATE;

-- name: SetRunPair :execrows
UPDATE runs SET pair_id = sqlc.arg(to_pair) WHERE id = sqlc.arg(id) AND runner_id = sqlc.arg(runner_id) AND shop_id = sqlc.arg(shop_id) AND withdrawn_at IS NULL;

-- name: AddRunMove :exec
INSERT INTO run_moves (shop_id, run_id, from_pair, to_pair, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?);

-- name: RunSum :one
SELECT COUNT(*) AS runs, CAST(COALESCE(SUM(km * 1000), 0) AS SIGNED) AS metres FROM runs WHERE runner_id = ? AND shop_id = ? AND withdrawn_at IS NULL;

-- name: StrayRuns :one
SELECT COUNT(*) FROM runs r LEFT JOIN pairs p ON p.id = r.pair_id AND p.runner_id = r.runner_id AND p.taken_back_at IS NULL
WHERE r.shop_id = ? AND r.withdrawn_at IS NULL AND r.pair_id IS NOT NULL AND p.id IS NULL;

-- name: WithdrawRun :execrows
UPDATE runs SET withdrawn_at = ?, withdrawn_by = ? WHERE id = ? AND runner_id = ? AND shop_id = ? AND withdrawn_at IS NULL;

-- name: RestoreRun :execrows
UPDATE runs SET withdrawn_at = NULL, withdrawn_by = NULL WHERE id = ? AND runner_id = ? AND shop_id = ? AND withdrawn_at IS NOT NULL;

-- name: PutInStock :exec
UPDATE model_sizes SET stock = stock + 1 WHERE model_id = ? AND uk_half = ? AND width = ?;

-- name: CountRunsOfPair :one
SELECT COUNT(*) FROM runs WHERE pair_id = ? AND withdrawn_at IS NULL;

-- name: TakePairBack :execrows
UPDATE pairs SET taken_back_at = ? WHERE id = ? AND shop_id = ? AND taken_back_at IS NULL;

-- name: SetPairAside :exec
UPDATE pairs SET set_aside_on = ?, aside_reason = ?, aside_note = ? WHERE id = ? AND shop_id = ?;

-- name: SetPairSlowed :exec
UPDATE pairs SET slowed_on = ? WHERE id = ? AND shop_id = ?;

-- name: DeleteModelSizes :exec
DELETE FROM model_sizes WHERE model_id = ?;
