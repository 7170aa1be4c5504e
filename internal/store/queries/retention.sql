-- name: AddLetGo :exec
INSERT INTO let_go (shop_id, on_day, kind, gone, oldest) VALUES (?, ?, ?, ?, ?)
ON DUPLICATE KEY UPDATE gone = gone + VALUES(gone), oldest = LEAST(oldest, VALUES(oldest));

-- name: LetGoSince :many
SELECT on_day, kind, gone, oldest FROM let_go WHERE shop_id = ? AND on_day >= ? ORDER BY on_day DESC, kind;

-- name: LoosePictures :many
SELECT shop_id, CAST(MIN(made_at) AS DATETIME(6)) AS oldest FROM pictures WHERE NOT kept AND made_at < ? GROUP BY shop_id;

-- name: DeleteLoosePictures :execrows
DELETE FROM pictures WHERE shop_id = ? AND NOT kept AND made_at < ?;

-- name: OldestPictureOfKind :one
SELECT made_at FROM pictures WHERE shop_id = ? AND kind = ? AND kept AND made_at < ? ORDER BY made_at LIMIT 1;

-- name: DeleteOldPicturesOfKind :execrows
DELETE FROM pictures WHERE shop_id = ? AND kind = ? AND made_at < ?;

-- name: LooseRecordings :many
SELECT id, shop_id, made_at FROM recordings WHERE NOT frames_gone AND NOT kept AND made_at < ? LIMIT 50;

-- name: OldRecordings :many
SELECT id, shop_id, made_at FROM recordings WHERE NOT frames_gone AND shop_id = ? AND made_at < ? LIMIT 50;

-- name: OldUploads :many
SELECT id, shop_id, made_at FROM uploads WHERE made_at < ? LIMIT 20;

-- name: CountPictures :one
SELECT CAST(COUNT(*) AS SIGNED) AS number, CAST(COALESCE(MIN(made_at), '1000-01-01') AS DATETIME(6)) AS oldest FROM pictures
WHERE shop_id = ? AND NOT kept;

-- name: CountStills :one
SELECT CAST(COUNT(*) AS SIGNED) AS number, CAST(COALESCE(MIN(made_at), '1000-01-01') AS DATETIME(6)) AS oldest FROM pictures
WHERE shop_id = ? AND kind = ? AND kept;

-- name: CountRecordings :one
SELECT CAST(COUNT(*) AS SIGNED) AS number, CAST(COALESCE(MIN(made_at), '1000-01-01') AS DATETIME(6)) AS oldest FROM recordings
WHERE shop_id = ? AND NOT frames_gone AND kept = ?;

-- name: CountUploads :one
SELECT CAST(COUNT(*) AS SIGNED) AS number, CAST(COALESCE(MIN(made_at), '1000-01-01') AS DATETIME(6)) AS oldest FROM uploads
WHERE shop_id = ?;

-- name: CountYears :one
SELECT CAST(COUNT(*) AS SIGNED) AS number, CAST(COALESCE(MIN(c.made_at), '1000-01-01') AS DATETIME(6)) AS oldest FROM consents c
WHERE c.shop_id = sqlc.arg(shop_id) AND c.kind = 'health' AND c.answer = 'one_year'
  AND c.id = (SELECT MAX(l.id) FROM consents l WHERE l.runner_id = c.runner_id AND l.kind = c.kind)
  AND EXISTS (SELECT 1 FROM findings f JOIN fits t ON t.id = f.fit_id WHERE t.runner_id = c.runner_id AND t.closed_at IS NOT NULL
  AND f.name IN (sqlc.slice(names)));

-- name: CountErasing :one
SELECT CAST(COUNT(*) AS SIGNED) AS number, CAST(COALESCE(MIN(made_at), '1000-01-01') AS DATETIME(6)) AS oldest FROM jobs
WHERE shop_id = ? AND kind = 'erase' AND ended_at IS NULL;
