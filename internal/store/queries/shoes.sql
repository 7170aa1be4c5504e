-- name: ModelsOf :many
SELECT * FROM models WHERE shop_id = ? AND revision > ? ORDER BY maker, name, version, id;

-- name: CatalogueRevision :one
SELECT catalogue_revision FROM shops WHERE id = ?;

-- name: BumpCatalogue :exec
UPDATE shops SET catalogue_revision = catalogue_revision + 1 WHERE id = ?;

-- name: TouchModel :exec
UPDATE models SET revision = (SELECT s.catalogue_revision FROM shops s WHERE s.id = models.shop_id) WHERE models.id = ?;

-- name: ModelSizesOf :many
SELECT s.model_id, s.uk_half, s.width, s.stock FROM model_sizes s JOIN models m ON m.id = s.model_id
WHERE m.shop_id = ? AND m.revision > ? ORDER BY s.model_id, s.uk_half, s.width;

-- name: TakeFromStock :execrows
UPDATE model_sizes SET stock = stock - 1 WHERE model_id = ? AND uk_half = ? AND width = ? AND stock > 0;

-- name: AddPair :execlastid
INSERT INTO pairs (shop_id, runner_id, model_id, fit_id, uk_half, width, price, bought_on, first_worn, set_aside_on, from_stock, km_before,
  km_before_doubt, km_unknown, called, made_by, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: SetPairBefore :exec
UPDATE pairs SET km_before = ?, km_before_doubt = ?, km_unknown = ? WHERE id = ? AND shop_id = ?;

-- name: SetPairLetIn :exec
UPDATE pairs SET let_in_reason = ? WHERE id = ? AND shop_id = ?;

-- name: SetPairCalled :exec
UPDATE pairs SET called = ? WHERE id = ? AND shop_id = ?;

-- name: PairByID :one
SELECT id, runner_id, model_id, fit_id, uk_half, width, price, bought_on, first_worn, set_aside_on, from_stock FROM pairs
  WHERE id = ? AND shop_id = ? AND taken_back_at IS NULL;

-- name: SetFirstWorn :exec
UPDATE pairs SET first_worn = sqlc.arg(first_worn) WHERE id = sqlc.arg(id) AND shop_id = sqlc.arg(shop_id)
  AND (first_worn IS NULL OR first_worn > sqlc.arg(first_worn));

-- name: AddRun :execlastid
INSERT INTO runs (shop_id, runner_id, pair_id, run_on, km, ground, kind, wet, temp_c, started_at, minutes, ascent_m, file_id, split_from,
  mends, apart, how, made_by, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: RunOfRunner :one
SELECT id, pair_id, run_on, CAST(km AS DOUBLE) AS km, ground, kind, wet, temp_c, started_at, minutes, ascent_m, file_id, split_from, mends,
  apart, how FROM runs WHERE id = ? AND runner_id = ? AND shop_id = ? AND withdrawn_at IS NULL FOR UPDATE;

-- name: SetRunPair :execrows
UPDATE runs SET pair_id = sqlc.arg(to_pair) WHERE id = sqlc.arg(id) AND runner_id = sqlc.arg(runner_id) AND shop_id = sqlc.arg(shop_id)
  AND withdrawn_at IS NULL;

-- name: AddRunMove :exec
INSERT INTO run_moves (shop_id, run_id, from_pair, to_pair, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?);

-- name: SetRunApart :execrows
UPDATE runs SET apart = TRUE WHERE id = ? AND runner_id = ? AND shop_id = ? AND withdrawn_at IS NULL;

-- name: RunsMovedOut :many
SELECT m.run_id FROM run_moves m JOIN runs r ON r.id = m.run_id WHERE r.runner_id = ? AND r.shop_id = ? AND m.to_pair IS NULL
  AND m.id = (SELECT MAX(l.id) FROM run_moves l WHERE l.run_id = m.run_id);

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

-- name: PutPairRight :exec
UPDATE pairs SET uk_half = ?, width = ?, price = ?, bought_on = ?, first_worn = ? WHERE id = ? AND shop_id = ?;

-- name: PairTakenAway :one
SELECT id, bought_on, taken_back_at FROM pairs WHERE id = ? AND runner_id = ? AND shop_id = ? AND fit_id IS NULL
  AND taken_back_at IS NOT NULL
  FOR UPDATE;

-- name: PutPairBack :execrows
UPDATE pairs SET taken_back_at = NULL WHERE id = ? AND shop_id = ? AND taken_back_at IS NOT NULL;

-- name: RunsOfPair :many
SELECT id FROM runs WHERE pair_id = ? AND runner_id = ? AND shop_id = ? AND withdrawn_at IS NULL ORDER BY id;

-- name: RunsTakenOut :many
-- The runs that a pair lost when it was taken away, and that nobody has moved since.
SELECT m.run_id FROM run_moves m JOIN runs r ON r.id = m.run_id
WHERE m.from_pair = sqlc.arg(pair) AND m.to_pair IS NULL AND m.made_at = sqlc.arg(made_at) AND r.runner_id = sqlc.arg(runner_id)
  AND r.shop_id = sqlc.arg(shop_id) AND r.pair_id IS NULL AND r.withdrawn_at IS NULL
  AND m.id = (SELECT MAX(l.id) FROM run_moves l WHERE l.run_id = m.run_id) ORDER BY m.run_id;

-- name: SetPairAside :exec
UPDATE pairs SET set_aside_on = ?, aside_reason = ?, aside_note = ? WHERE id = ? AND shop_id = ?;

-- name: SetPairSlowed :exec
UPDATE pairs SET slowed_on = ? WHERE id = ? AND shop_id = ?;

-- name: LockRunner :one
SELECT id FROM runners WHERE id = ? AND shop_id = ? AND erased_at IS NULL FOR UPDATE;

-- name: RunsKnown :many
SELECT id, pair_id, run_on, CAST(km AS DOUBLE) AS km, started_at, file_id, split_from, mends,
  withdrawn_at IS NOT NULL AS withdrawn FROM runs WHERE runner_id = ? AND shop_id = ? ORDER BY id;

-- name: WithdrawRunParts :exec
UPDATE runs SET withdrawn_at = ?, withdrawn_by = ? WHERE id IN (sqlc.slice(ids)) AND runner_id = ? AND shop_id = ? AND withdrawn_at IS NULL;

-- name: RunnersWithRuns :many
SELECT DISTINCT runner_id FROM runs WHERE shop_id = ? AND runner_id > ? ORDER BY runner_id LIMIT 500;

-- name: RunPlaces :many
SELECT r.id, r.pair_id, r.run_on, CAST(r.km * 1000 AS SIGNED) AS metres, r.started_at, r.file_id, r.split_from, r.mends,
  r.withdrawn_at IS NOT NULL AS withdrawn,
  p.id IS NOT NULL AND p.runner_id = r.runner_id AND p.taken_back_at IS NULL AS its_pair
FROM runs r LEFT JOIN pairs p ON p.id = r.pair_id WHERE r.runner_id = ? AND r.shop_id = ? ORDER BY r.id;

-- name: FileDigests :many
SELECT f.id, f.digest, EXISTS (SELECT 1 FROM runs r WHERE r.file_id = f.id AND r.withdrawn_at IS NULL) AS counts FROM run_files f
  WHERE f.runner_id = ? AND f.shop_id = ?;

-- name: ModelCodes :many
SELECT id, code FROM models WHERE shop_id = ?;
