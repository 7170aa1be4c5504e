-- name: AddConsent :exec
INSERT INTO consents (shop_id, runner_id, kind, answer, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?);

-- name: RunOutConsents :many
SELECT c.runner_id, c.shop_id, c.made_at FROM consents c
WHERE c.kind = 'health' AND c.answer = 'one_year' AND c.made_at < sqlc.arg(made_before)
  AND c.id = (SELECT MAX(l.id) FROM consents l WHERE l.runner_id = c.runner_id AND l.kind = c.kind)
  AND (EXISTS (SELECT 1 FROM findings f JOIN fits t ON t.id = f.fit_id WHERE t.runner_id = c.runner_id AND t.closed_at IS NOT NULL
  AND f.name IN (sqlc.slice(names)))
    OR EXISTS (SELECT 1 FROM changes x WHERE x.runner_id = c.runner_id AND x.ended_at IS NULL AND x.made_at < c.made_at + INTERVAL 1 YEAR)
    OR EXISTS (SELECT 1 FROM change_reports y JOIN changes x ON x.id = y.change_id WHERE x.runner_id = c.runner_id
    AND x.made_at < c.made_at + INTERVAL 1 YEAR));

-- name: DeleteFindingsOfRunner :exec
DELETE f FROM findings f JOIN fits t ON t.id = f.fit_id
WHERE t.runner_id = sqlc.arg(runner_id) AND t.shop_id = sqlc.arg(shop_id) AND (t.closed_at IS NOT NULL OR sqlc.arg(open_too))
  AND f.name IN (sqlc.slice(names));

-- name: DecisionsOfRunner :many
SELECT d.id, d.kind, d.value, d.reason, d.basis, d.health FROM decisions d JOIN fits t ON t.id = d.fit_id
WHERE t.runner_id = sqlc.arg(runner_id) AND t.shop_id = sqlc.arg(shop_id) AND (t.closed_at IS NOT NULL OR sqlc.arg(open_too)) ORDER BY d.id;

-- name: RewriteDecision :exec
UPDATE decisions SET basis = ?, reason = ?, health = ? WHERE id = ? AND shop_id = ?;

-- name: FramesOfRunner :many
SELECT r.id FROM recordings r JOIN fits t ON t.id = r.fit_id WHERE t.runner_id = ? AND t.shop_id = ? AND NOT r.frames_gone;

-- name: DeletePicturesOfRunner :exec
DELETE p FROM pictures p JOIN fits t ON t.id = p.fit_id WHERE t.runner_id = sqlc.arg(runner_id) AND t.shop_id = sqlc.arg(shop_id)
  AND p.kind IN (sqlc.slice(kinds));
