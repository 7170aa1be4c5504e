-- name: AddReport :exec
INSERT INTO pair_reports (shop_id, pair_id, after_days, comfort, note, by_runner, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?);

-- name: AnswerReport :exec
UPDATE pair_reports r JOIN pairs p ON p.id = r.pair_id SET r.answered_at = sqlc.arg(answered_at)
WHERE r.id = sqlc.arg(id) AND p.runner_id = sqlc.arg(runner_id) AND p.shop_id = sqlc.arg(shop_id);

-- name: AnswerLook :exec
UPDATE inspections r JOIN pairs p ON p.id = r.pair_id SET r.answered_at = sqlc.arg(answered_at)
WHERE r.id = sqlc.arg(id) AND p.runner_id = sqlc.arg(runner_id) AND p.shop_id = sqlc.arg(shop_id);

-- name: AnswerRub :exec
UPDATE rubs r JOIN pairs p ON p.id = r.pair_id SET r.answered_at = sqlc.arg(answered_at)
WHERE r.id = sqlc.arg(id) AND p.runner_id = sqlc.arg(runner_id) AND p.shop_id = sqlc.arg(shop_id);

-- name: LateReports :many
SELECT p.model_id, p.runner_id, p.fit_id, r.comfort FROM pair_reports r JOIN pairs p ON p.id = r.pair_id
  JOIN runners x ON x.id = p.runner_id AND x.practice_seed IS NULL
WHERE r.shop_id = sqlc.arg(shop_id) AND r.after_days >= sqlc.arg(least_days) AND p.fit_id IS NOT NULL AND p.taken_back_at IS NULL
  AND p.model_id IN (sqlc.slice(models)) AND p.runner_id <> sqlc.arg(but)
  AND r.id = (SELECT MAX(l.id) FROM pair_reports l WHERE l.pair_id = r.pair_id) ORDER BY r.id DESC LIMIT ?;

-- name: ReportsWithBasis :many
SELECT p.model_id, r.after_days, r.comfort, d.basis FROM pair_reports r JOIN pairs p ON p.id = r.pair_id
  JOIN runners x ON x.id = p.runner_id AND x.practice_seed IS NULL
JOIN decisions d ON d.fit_id = p.fit_id AND d.kind = 'choice' AND d.value <> '' AND JSON_VALUE(d.basis, '$.pair_id') = p.id
WHERE r.shop_id = ? AND p.taken_back_at IS NULL AND r.id = (SELECT MAX(l.id) FROM pair_reports l WHERE l.pair_id = r.pair_id)
  ORDER BY r.id DESC LIMIT 5000;
