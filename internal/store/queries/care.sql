-- name: AddRub :exec
INSERT INTO rubs (shop_id, pair_id, side, place, comes, cause, tried, referred, by_runner, made_by, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: SetRubHelped :execrows
UPDATE rubs SET helped = sqlc.arg(helped) WHERE rubs.id = sqlc.arg(id) AND rubs.shop_id = sqlc.arg(shop_id)
  AND rubs.pair_id IN (SELECT p.id FROM pairs p WHERE p.runner_id = sqlc.arg(runner_id));

-- name: RubsOfModel :many
SELECT r.place, COUNT(*) AS told, COUNT(DISTINCT p.id) AS pairs FROM rubs r JOIN pairs p ON p.id = r.pair_id
  JOIN runners x ON x.id = p.runner_id AND x.practice_seed IS NULL WHERE p.model_id = ? AND p.shop_id = ? GROUP BY r.place
  ORDER BY told DESC, r.place;

-- name: AddChange :execlastid
INSERT INTO changes (shop_id, runner_id, from_name, to_name, from_pair, to_pair, asked, health, made_by, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: EndChangesTo :exec
UPDATE changes SET ended_at = ? WHERE to_pair = ? AND runner_id = ? AND shop_id = ? AND ended_at IS NULL;

-- name: AddChangeReport :exec
INSERT INTO change_reports (shop_id, change_id, week, health, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?);

-- name: EndChange :execrows
UPDATE changes SET ended_at = ? WHERE id = ? AND runner_id = ? AND shop_id = ? AND ended_at IS NULL;

-- name: PracticeFits :many
SELECT f.id AS fit_id, f.runner_id, r.name, r.practice_seed, f.started_at FROM fits f JOIN runners r ON r.id = f.runner_id
WHERE f.shop_id = ? AND f.fitter_id = ? AND r.practice_seed IS NOT NULL AND r.erased_at IS NULL ORDER BY f.id DESC;

-- name: AddPracticeScore :exec
INSERT INTO practice_scores (shop_id, user_id, seed, points, score, made_at) VALUES (?, ?, ?, ?, ?, ?);

-- name: PracticeScores :many
SELECT id, seed, points, score, made_at FROM practice_scores WHERE user_id = ? AND shop_id = ? ORDER BY id DESC LIMIT 50;

-- name: ClearPracticeScores :exec
DELETE FROM practice_scores WHERE user_id = ? AND shop_id = ?;

-- name: RewriteChange :exec
UPDATE changes SET asked = ?, health = ?, ended_at = ? WHERE id = ? AND shop_id = ?;

-- name: DeleteChangeReports :exec
DELETE FROM change_reports WHERE change_id = ? AND shop_id = ?;
