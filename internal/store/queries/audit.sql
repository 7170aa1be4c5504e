-- name: AuditHead :one
SELECT number, seal FROM audit_heads WHERE shop_id = ? FOR UPDATE;

-- name: FirstAuditHead :exec
INSERT IGNORE INTO audit_heads (shop_id, number, seal) VALUES (?, 0, ?);

-- name: SetAuditHead :exec
UPDATE audit_heads SET number = ?, seal = ? WHERE shop_id = ?;

-- name: AddAudit :exec
INSERT INTO audit (shop_id, number, made_at, user_id, who, did, what, runner_id, subject, seal) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: SawLately :one
SELECT COUNT(*) FROM (
  SELECT 1 FROM audit a WHERE a.shop_id = sqlc.arg(shop_id) AND a.runner_id <=> sqlc.arg(runner_id) AND a.did = 'saw'
    AND a.user_id <=> sqlc.arg(user_id) AND a.what = sqlc.arg(what) AND a.made_at > sqlc.arg(since) LIMIT 1
) seen;

-- name: AuditLines :many
SELECT id, number, made_at, user_id, who, did, what, runner_id, subject FROM audit
WHERE shop_id = sqlc.arg(shop_id) AND (sqlc.arg(did) = '' OR did = sqlc.arg(did)) AND (sqlc.arg(runner) = 0 OR runner_id = sqlc.arg(runner))
  AND (sqlc.arg(person) = 0 OR user_id = sqlc.arg(person)) AND made_at >= sqlc.arg(first) AND made_at < sqlc.arg(last)
ORDER BY number DESC LIMIT ? OFFSET ?;

-- name: AuditChain :many
SELECT number, made_at, user_id, who, did, what, runner_id, subject, seal FROM audit WHERE shop_id = ? AND number > ? ORDER BY number
  LIMIT 1000;

-- name: AuditHeadOf :one
SELECT number, seal FROM audit_heads WHERE shop_id = ?;

-- name: RunnerOfFit :one
SELECT runner_id FROM fits WHERE id = ? AND shop_id = ?;

-- name: RunnerOfShop :one
SELECT id FROM runners WHERE id = ? AND shop_id = ?;
