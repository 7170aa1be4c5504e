-- name: DataKeys :many
SELECT id, wrapped, owner_key, made_at FROM data_keys ORDER BY made_at, id;

-- name: DataKey :one
SELECT id, wrapped, owner_key, made_at FROM data_keys WHERE id = ?;

-- name: AddDataKey :exec
INSERT INTO data_keys (id, wrapped, owner_key, made_at) VALUES (?, ?, ?, ?);

-- name: RewrapDataKey :exec
UPDATE data_keys SET wrapped = ?, owner_key = ? WHERE id = ?;
