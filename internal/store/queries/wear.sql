-- name: AddRunFile :execlastid
INSERT INTO run_files (shop_id, runner_id, name, digest, data, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?);

-- name: RunFile :one
SELECT name, data FROM run_files WHERE id = ? AND runner_id = ? AND shop_id = ?;

-- name: AddRunRule :exec
INSERT INTO run_rules (shop_id, runner_id, kind, ground, pair_id, second_pair, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?);

-- name: WithdrawRunRule :execrows
UPDATE run_rules SET withdrawn_at = ? WHERE id = ? AND runner_id = ? AND shop_id = ? AND withdrawn_at IS NULL;

-- name: AddInspection :execlastid
INSERT INTO inspections (shop_id, pair_id, looked_on, tread_left, tread_right, bounce_left, bounce_right, upper_left, upper_right,
  evenness_left, evenness_right, beside_fresh, upper_hole, sole_through, aches, note, by_runner, made_by, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: WithdrawInspection :execrows
UPDATE inspections SET withdrawn_at = sqlc.arg(withdrawn_at) WHERE inspections.id = sqlc.arg(id)
  AND inspections.shop_id = sqlc.arg(shop_id) AND inspections.withdrawn_at IS NULL
AND inspections.pair_id IN (SELECT p.id FROM pairs p WHERE p.runner_id = sqlc.arg(runner_id));

-- name: AddPairPhoto :exec
INSERT INTO pair_photos (shop_id, pair_id, side, data, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?);

-- name: PairPhoto :one
SELECT f.data FROM pair_photos f JOIN pairs p ON p.id = f.pair_id WHERE f.id = ? AND p.runner_id = ? AND p.shop_id = ?;

-- name: AddLifting :exec
INSERT INTO pair_lifting (shop_id, pair_id, hours, made_by, made_at) VALUES (?, ?, ?, ?, ?);

-- name: AddRace :exec
INSERT INTO races (shop_id, runner_id, name, race_on, km, pair_id, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?);

-- name: WithdrawRace :execrows
UPDATE races SET withdrawn_at = ? WHERE id = ? AND runner_id = ? AND shop_id = ? AND withdrawn_at IS NULL;

-- name: AddLink :exec
INSERT INTO links (shop_id, kind, runner_id, digest, expires_at, units, through, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: LinkByDigest :one
SELECT l.id, l.shop_id, l.kind, l.runner_id, l.expires_at, l.units, l.made_by, s.name AS shop, s.currency FROM links l
  JOIN shops s ON s.id = l.shop_id WHERE l.digest = ? AND l.revoked_at IS NULL;

-- name: LinksOf :many
SELECT l.id, l.kind, l.runner_id, l.expires_at, l.used_at, l.made_at, l.through, u.name AS maker, u.disabled_at IS NOT NULL AS maker_gone
FROM links l JOIN users u ON u.id = l.made_by
WHERE l.shop_id = sqlc.arg(shop_id) AND l.runner_id <=> sqlc.arg(runner_id) AND l.revoked_at IS NULL ORDER BY l.id;

-- name: RevokeLink :execrows
UPDATE links SET revoked_at = ? WHERE id = ? AND shop_id = ? AND revoked_at IS NULL;

-- name: RevokeLinksThrough :exec
UPDATE links SET revoked_at = ? WHERE through = ? AND shop_id = ? AND revoked_at IS NULL;

-- name: RevokeLinksOf :execrows
UPDATE links SET revoked_at = sqlc.arg(revoked_at)
WHERE links.shop_id = sqlc.arg(shop_id) AND links.runner_id <=> sqlc.arg(runner_id) AND links.revoked_at IS NULL;

-- name: RevokeLinksBy :exec
UPDATE links SET revoked_at = ? WHERE made_by = ? AND shop_id = ? AND revoked_at IS NULL;

-- name: OpenLinks :one
SELECT COUNT(*) FROM links WHERE shop_id = sqlc.arg(shop_id) AND runner_id <=> sqlc.arg(runner_id) AND kind = sqlc.arg(kind)
  AND revoked_at IS NULL AND (expires_at IS NULL OR expires_at > sqlc.arg(now));

-- name: SetLinkUnits :exec
UPDATE links SET units = ? WHERE digest = ? AND revoked_at IS NULL;

-- name: TouchLink :exec
UPDATE links SET used_at = ? WHERE id = ?;

-- name: AddRunColumns :exec
INSERT INTO run_columns (shop_id, header, columns_read, made_by, made_at) VALUES (?, ?, ?, ?, ?);

-- name: RunColumns :one
SELECT columns_read FROM run_columns WHERE shop_id = ? AND header = ? ORDER BY id DESC LIMIT 1;

-- name: LiftingOfPair :one
SELECT CAST(COALESCE(SUM(hours), 0) AS DOUBLE) AS hours FROM pair_lifting WHERE pair_id = ? AND shop_id = ?;
