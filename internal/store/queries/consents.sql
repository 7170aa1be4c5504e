-- name: AddConsent :exec
INSERT INTO consents (shop_id, runner_id, kind, answer, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?);

-- name: ConsentsOf :many
SELECT c.kind, c.answer, c.made_at, u.name AS maker FROM consents c JOIN users u ON u.id = c.made_by
WHERE c.runner_id = sqlc.arg(runner_id) AND c.shop_id = sqlc.arg(shop_id)
  AND c.id = (SELECT MAX(l.id) FROM consents l WHERE l.runner_id = c.runner_id AND l.kind = c.kind);

-- name: RunOutConsents :many
SELECT c.runner_id, c.shop_id FROM consents c
WHERE c.kind = 'health' AND c.answer = 'one_year' AND c.made_at < sqlc.arg(made_before)
  AND c.id = (SELECT MAX(l.id) FROM consents l WHERE l.runner_id = c.runner_id AND l.kind = c.kind);

-- name: DeleteFindingsOfRunner :exec
DELETE f FROM findings f JOIN fits t ON t.id = f.fit_id
WHERE t.runner_id = sqlc.arg(runner_id) AND t.shop_id = sqlc.arg(shop_id) AND (t.closed_at IS NOT NULL OR sqlc.arg(open_too)) AND f.name IN (sqlc.slice(names));

-- name: DecisionsOfRunner :many
SELECT d.id, d.kind, d.value, d.reason, d.basis FROM decisions d JOIN fits t ON t.id = d.fit_id
WHERE t.runner_id = sqlc.arg(runner_id) AND t.shop_id = sqlc.arg(shop_id) AND (t.closed_at IS NOT NULL OR sqlc.arg(open_too)) ORDER BY d.id;

-- name: RewriteDecision :exec
UPDATE decisions SET basis = ?, reason = ? WHERE id = ? AND shop_id = ?;

-- name: FramesOfRunner :many
SELECT r.id FROM recordings r JOIN fits t ON t.id = r.fit_id WHERE t.runner_id = ? AND t.shop_id = ? AND NOT r.frames_gone;

-- name: PicturesOfRunner :many
SELECT p.id FROM pictures p JOIN fits t ON t.id = p.fit_id WHERE t.runner_id = ? AND t.shop_id = ? AND p.kind IN (sqlc.slice(kinds));

-- name: DeletePicturesOfRunner :exec
DELETE p FROM pictures p JOIN fits t ON t.id = p.fit_id WHERE t.runner_id = sqlc.arg(runner_id) AND t.shop_id = sqlc.arg(shop_id) AND p.kind IN (sqlc.slice(kinds));
