-- name: AddUpload :execlastid
INSERT INTO uploads (shop_id, runner_id, kind, name, how, state, asked, made_by, by_link, made_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: AddUploadPiece :exec
INSERT INTO upload_files (upload_id, number, piece, name, data) VALUES (?, ?, ?, ?, ?);

-- name: UploadPieces :many
SELECT number, piece, name FROM upload_files WHERE upload_id = ? ORDER BY number, piece;

-- name: UploadPiece :one
SELECT data FROM upload_files WHERE upload_id = ? AND number = ? AND piece = ?;

-- name: DropUploadPieces :exec
DELETE FROM upload_files WHERE upload_id = ?;

-- name: UploadByID :one
SELECT id, shop_id, runner_id, kind, name, how, state, asked, found, made_by, by_link, made_at FROM uploads WHERE id = ? AND shop_id = ?;

-- name: LockUpload :one
SELECT id, shop_id, runner_id, kind, name, how, state, asked, found, made_by, by_link, made_at FROM uploads
  WHERE id = ? AND shop_id = ? FOR UPDATE;

-- name: LatestUpload :one
SELECT id, shop_id, runner_id, kind, name, how, state, asked, found, made_by, by_link, made_at FROM uploads
WHERE shop_id = sqlc.arg(shop_id) AND kind = sqlc.arg(kind) AND runner_id <=> sqlc.arg(runner_id) AND made_by = sqlc.arg(made_by)
  AND by_link = sqlc.arg(by_link) AND state <> sqlc.arg(but) AND state <> 'arriving'
ORDER BY id DESC LIMIT 1;

-- name: SetUploadState :exec
UPDATE uploads SET state = ? WHERE id = ?;

-- name: SetUploadFound :exec
UPDATE uploads SET state = ?, asked = ?, found = ? WHERE id = ?;

-- name: DropUpload :execrows
DELETE FROM uploads WHERE id = ? AND shop_id = ?;

-- name: AddUploadTrack :exec
INSERT INTO upload_tracks (upload_id, number, name, digest, data) VALUES (?, ?, ?, ?, ?) ON DUPLICATE KEY UPDATE data = VALUES(data);

-- name: UploadTrack :one
SELECT name, digest, data FROM upload_tracks WHERE upload_id = ? AND number = ?;

-- name: NameUpload :exec
UPDATE uploads SET name = ?, state = ? WHERE id = ?;

-- name: SetUploadHow :exec
UPDATE uploads SET how = ? WHERE id = ?;

-- name: UploadNamed :one
SELECT id FROM uploads WHERE shop_id = ? AND kind = ? AND name = ? ORDER BY id DESC LIMIT 1;
