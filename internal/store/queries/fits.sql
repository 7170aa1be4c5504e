-- name: AddFit :execlastid
INSERT INTO fits (shop_id, runner_id, fitter_id, started_at) VALUES (?, ?, ?, ?);

-- name: CloseFit :exec
UPDATE fits SET closed_at = ? WHERE id = ? AND shop_id = ?;

-- name: ReopenFit :exec
UPDATE fits SET closed_at = NULL WHERE id = ? AND shop_id = ?;

-- name: OpenFits :many
SELECT f.id, f.runner_id, f.started_at, r.name AS runner, u.name AS fitter FROM fits f
JOIN runners r ON r.id = f.runner_id JOIN users u ON u.id = f.fitter_id
WHERE f.shop_id = ? AND f.closed_at IS NULL AND r.practice_seed IS NULL AND r.erased_at IS NULL ORDER BY f.started_at DESC, f.id DESC
  LIMIT ?;

-- name: FitsOfRunner :many
SELECT f.id, f.started_at, f.closed_at, u.name AS fitter FROM fits f JOIN users u ON u.id = f.fitter_id
WHERE f.runner_id = ? AND f.shop_id = ? ORDER BY f.started_at DESC, f.id DESC LIMIT 50;

-- name: AddDecision :execlastid
INSERT INTO decisions (shop_id, fit_id, kind, value, reason, basis, health, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: LockFit :one
SELECT f.id, f.runner_id, f.closed_at FROM fits f WHERE f.id = ? AND f.shop_id = ?
  AND NOT EXISTS (SELECT 1 FROM runners r WHERE r.id = f.runner_id AND r.erased_at IS NOT NULL) FOR UPDATE;

-- name: AddFinding :execlastid
INSERT INTO findings (shop_id, fit_id, name, side, repeat_no, model_id, other_model_id, run_kind, ground, number_value, text_value, unit,
  error_value, withdrawn, health, how, made_by, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: FindingByID :one
SELECT id, name, side, repeat_no, model_id, other_model_id, run_kind, ground, number_value, text_value, unit, error_value, withdrawn
  FROM findings WHERE id = ? AND fit_id = ? AND shop_id = ?;

-- name: FindingsBefore :many
SELECT id, number_value, text_value, unit, error_value, withdrawn, health FROM findings
WHERE fit_id = ? AND name = ? AND side = ? AND repeat_no = ? AND model_id <=> sqlc.arg(model_id)
  AND other_model_id <=> sqlc.arg(other_model_id) AND run_kind = ? AND ground = ?
ORDER BY id DESC LIMIT 500;
