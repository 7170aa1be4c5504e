-- Reading runners and fits whole: a constant number of queries for any number of them.

-- name: LoadRunners :many
SELECT id, name, contact, chart, practice_seed FROM runners WHERE shop_id = sqlc.arg(shop_id) AND erased_at IS NULL
  AND id IN (sqlc.slice(ids));

-- name: LoadConsents :many
SELECT c.runner_id, c.kind, c.answer, c.made_at, u.name AS maker FROM consents c JOIN users u ON u.id = c.made_by
WHERE c.shop_id = sqlc.arg(shop_id) AND c.runner_id IN (sqlc.slice(ids))
  AND c.id = (SELECT MAX(l.id) FROM consents l WHERE l.runner_id = c.runner_id AND l.kind = c.kind);

-- name: LoadPairs :many
SELECT id, runner_id, model_id, fit_id, uk_half, width, price, bought_on, first_worn, set_aside_on, aside_reason, aside_note, slowed_on,
  km_before, km_before_doubt, km_unknown, let_in_reason, called, order_told_on, lasts_until FROM pairs
WHERE shop_id = sqlc.arg(shop_id) AND runner_id IN (sqlc.slice(ids)) AND taken_back_at IS NULL
  ORDER BY runner_id, set_aside_on IS NOT NULL, bought_on, id;

-- name: LoadPairModels :many
SELECT * FROM models WHERE id IN (SELECT p.model_id FROM pairs p WHERE p.shop_id = sqlc.arg(shop_id) AND p.runner_id IN (sqlc.slice(ids)));

-- name: LoadRuns :many
SELECT id, runner_id, pair_id, run_on, CAST(km AS DOUBLE) AS km, ground, kind, wet, temp_c, started_at, minutes, ascent_m, file_id,
  split_from, mends, apart, how FROM runs WHERE shop_id = sqlc.arg(shop_id) AND runner_id IN (sqlc.slice(ids)) AND withdrawn_at IS NULL
  ORDER BY runner_id, run_on, started_at, id;

-- name: LoadInspections :many
SELECT i.*, u.name AS maker FROM inspections i JOIN pairs p ON p.id = i.pair_id JOIN users u ON u.id = i.made_by
WHERE p.shop_id = sqlc.arg(shop_id) AND p.runner_id IN (sqlc.slice(ids)) AND i.withdrawn_at IS NULL ORDER BY i.looked_on, i.id;

-- name: LoadLifting :many
SELECT l.pair_id, CAST(SUM(l.hours) AS DOUBLE) AS hours FROM pair_lifting l JOIN pairs p ON p.id = l.pair_id
WHERE p.shop_id = sqlc.arg(shop_id) AND p.runner_id IN (sqlc.slice(ids)) GROUP BY l.pair_id;

-- name: LoadPairPhotos :many
SELECT f.id, f.pair_id, f.side, f.made_at FROM pair_photos f JOIN pairs p ON p.id = f.pair_id
WHERE p.shop_id = sqlc.arg(shop_id) AND p.runner_id IN (sqlc.slice(ids)) ORDER BY f.id;

-- name: LoadReports :many
SELECT r.id, r.pair_id, r.after_days, r.comfort, r.note, r.by_runner, r.answered_at, r.made_at, u.name AS maker FROM pair_reports r
  JOIN pairs p ON p.id = r.pair_id
  JOIN users u ON u.id = r.made_by
WHERE p.shop_id = sqlc.arg(shop_id) AND p.runner_id IN (sqlc.slice(ids)) ORDER BY r.id DESC;

-- name: LoadRaces :many
SELECT id, runner_id, name, race_on, km, pair_id FROM races WHERE shop_id = sqlc.arg(shop_id) AND runner_id IN (sqlc.slice(ids))
  AND withdrawn_at IS NULL ORDER BY race_on, id;

-- name: LoadRules :many
SELECT id, runner_id, kind, ground, pair_id, second_pair FROM run_rules WHERE shop_id = sqlc.arg(shop_id)
  AND runner_id IN (sqlc.slice(ids)) AND withdrawn_at IS NULL ORDER BY id;

-- name: LoadRubs :many
SELECT r.id, p.runner_id, r.pair_id, r.side, r.place, r.comes, r.cause, r.tried, r.helped, r.referred, r.by_runner,
  r.answered_at, r.made_at, u.name AS maker
FROM rubs r JOIN pairs p ON p.id = r.pair_id JOIN users u ON u.id = r.made_by WHERE p.shop_id = sqlc.arg(shop_id)
  AND p.runner_id IN (sqlc.slice(ids)) ORDER BY r.id DESC;

-- name: LoadChanges :many
SELECT id, runner_id, from_name, to_name, from_pair, to_pair, asked, health, made_at, ended_at FROM changes
WHERE shop_id = sqlc.arg(shop_id) AND runner_id IN (sqlc.slice(ids)) ORDER BY id DESC;

-- name: LoadChangeReports :many
SELECT r.change_id, r.week, r.soreness, r.place, r.night, r.health FROM change_reports r JOIN changes c ON c.id = r.change_id
WHERE c.shop_id = sqlc.arg(shop_id) AND c.runner_id IN (sqlc.slice(ids)) ORDER BY r.change_id, r.week;

-- name: LoadSoleLooks :many
SELECT t.runner_id, f.fit_id, t.started_at, f.name, f.side, f.repeat_no, f.number_value, f.text_value, f.withdrawn FROM findings f
  JOIN fits t ON t.id = f.fit_id
WHERE t.shop_id = sqlc.arg(shop_id) AND t.runner_id IN (sqlc.slice(ids)) AND f.name IN (sqlc.slice(names))
ORDER BY t.started_at, f.fit_id, f.id;

-- name: LoadFits :many
SELECT f.id, f.runner_id, f.started_at, f.closed_at, u.name AS fitter FROM fits f JOIN users u ON u.id = f.fitter_id
WHERE f.shop_id = sqlc.arg(shop_id) AND f.id IN (sqlc.slice(ids));

-- name: LoadFindings :many
SELECT f.id, f.fit_id, f.name, f.side, f.repeat_no, f.model_id, f.other_model_id, f.run_kind, f.ground, f.number_value, f.text_value,
  f.error_value, f.withdrawn, f.health, f.how, f.made_at, f.made_by, u.name AS maker
FROM findings f JOIN users u ON u.id = f.made_by WHERE f.shop_id = sqlc.arg(shop_id) AND f.fit_id IN (sqlc.slice(fits)) ORDER BY f.id;

-- name: LoadFeet :many
SELECT id, fit_id, name, side, repeat_no, number_value, text_value, error_value, withdrawn FROM findings
WHERE shop_id = sqlc.arg(shop_id) AND fit_id IN (sqlc.slice(fits)) AND name IN (sqlc.slice(names)) ORDER BY id;

-- name: LoadDecisions :many
SELECT d.id, d.fit_id, d.kind, d.value, d.reason, d.basis, d.health, d.made_at, u.name AS maker FROM decisions d
  JOIN users u ON u.id = d.made_by WHERE d.shop_id = sqlc.arg(shop_id) AND d.fit_id IN (sqlc.slice(fits))
  AND (d.kind = 'choice' OR d.id = (SELECT MAX(l.id) FROM decisions l WHERE l.fit_id = d.fit_id AND l.kind = d.kind)) ORDER BY d.id;

-- name: FitsOfRunners :many
SELECT id, runner_id, started_at FROM fits WHERE shop_id = sqlc.arg(shop_id) AND runner_id IN (sqlc.slice(ids))
  ORDER BY runner_id, started_at DESC, id DESC;
