-- name: AddPicture :execlastid
INSERT INTO pictures (shop_id, fit_id, kind, side, width, height, data, options, kept, made_by, made_at)
  VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: PicturesOf :many
SELECT id, side, width, height, options, kept, made_at FROM pictures WHERE fit_id = ? AND shop_id = ? AND kind = ? ORDER BY id;

-- name: PictureData :one
SELECT id, data FROM pictures WHERE fit_id = ? AND shop_id = ? AND kind = ? AND side = ? ORDER BY id DESC LIMIT 1;

-- name: SetPictureOptions :exec
UPDATE pictures SET options = ? WHERE id = ? AND shop_id = ?;

-- name: DeletePictures :exec
DELETE FROM pictures WHERE fit_id = ? AND shop_id = ? AND kind = ? AND side = ?;

-- name: DeleteLoosePicturesOfFit :exec
DELETE FROM pictures WHERE NOT kept AND fit_id = ? AND shop_id = ?;
