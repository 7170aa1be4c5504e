-- name: AddFit :execlastid
INSERT INTO fits (shop_id, runner_id, fitter_id, started_at) VALUES (?, ?, ?, ?);

-- name: FitByID :one
SELECT f.id, f.shop_id, f.runner_id, f.fitter_id, f.started_at, f.closed_at, u.name AS fitter FROM fits f
JOIN users u ON u.id = f.fitter_id
WHERE f.id = ? AND f.shop_id = ?;

-- name: LockFit :one
SELECT id FROM fits WHERE id = ? AND shop_id = ? FOR UPDATE;

-- name: CloseFit :exec
UPDATE fits SET closed_at = ? WHERE id = ? AND shop_id = ?;

-- name: ReopenFit :exec
UPDATE fits SET closed_at = NULL WHERE id = ? AND shop_id = ?;

-- name: OpenFits :many
SELECT f.id, f.runner_id, f.started_at, r.name AS runner, u.name AS fitter FROM fits f
JOIN runners r ON r.id = f.runner_id JOIN users u ON u.id = f.fitter_id
WHERE f.shop_id = ? AND f.closed_at IS NULL AND r.practice_seed IS NULL ORDER BY f.started_at DESC, f.id DESC LIMIT ?;

-- name: FitsOfRunner :many
SELECT f.id, f.started_at, f.closed_at, u.name AS fitter FROM fits f JOIN users u ON u.id = f.fitter_id
WHERE f.runner_id = ? AND f.shop_id = ? ORDER BY f.started_at DESC, f.id DESC LIMIT 50;

-- name: AddFinding :execlastid
INSERT INTO findings (shop_id, fit_id, name, side, repeat_no, number_value, text_value, unit, error_value, withdrawn, how, made_by, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: FindingsOf :many
SELECT f.id, f.name, f.side, f.repeat_no, f.number_value, f.text_value, f.unit, f.error_value, f.how, f.made_at, u.name AS maker
FROM findings f JOIN users u ON u.id = f.made_by
WHERE f.fit_id = sqlc.arg(fit_id) AND f.shop_id = sqlc.arg(shop_id) AND NOT f.withdrawn
  AND f.id = (SELECT MAX(l.id) FROM findings l WHERE l.fit_id = f.fit_id AND l.name = f.name AND l.side = f.side AND l.repeat_no = f.repeat_no)
ORDER BY f.name, f.side, f.repeat_no;

-- name: FindingByID :one
SELECT id, name, side, repeat_no, number_value, text_value, unit, error_value, withdrawn FROM findings WHERE id = ? AND fit_id = ? AND shop_id = ?;

-- name: FindingBefore :one
SELECT id, number_value, text_value, unit, error_value, withdrawn FROM findings
WHERE fit_id = ? AND name = ? AND side = ? AND repeat_no = ? AND id < ? ORDER BY id DESC LIMIT 1;

-- name: AddDecision :execlastid
INSERT INTO decisions (shop_id, fit_id, kind, value, reason, basis, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?);

-- name: LatestDecisions :many
SELECT d.id, d.kind, d.value, d.reason, d.basis, d.made_at, u.name AS maker FROM decisions d JOIN users u ON u.id = d.made_by
WHERE d.fit_id = sqlc.arg(fit_id) AND d.shop_id = sqlc.arg(shop_id)
  AND d.id = (SELECT MAX(l.id) FROM decisions l WHERE l.fit_id = d.fit_id AND l.kind = d.kind);

-- name: SoleLooks :many
SELECT f.fit_id, t.started_at, f.name, f.side, f.repeat_no, f.number_value, f.text_value FROM findings f JOIN fits t ON t.id = f.fit_id
WHERE t.runner_id = sqlc.arg(runner_id) AND t.shop_id = sqlc.arg(shop_id) AND f.name IN ('own_pair', 'sole') AND NOT f.withdrawn
  AND f.id = (SELECT MAX(l.id) FROM findings l WHERE l.fit_id = f.fit_id AND l.name = f.name AND l.side = f.side AND l.repeat_no = f.repeat_no)
ORDER BY t.started_at, f.fit_id;
