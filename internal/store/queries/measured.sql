-- name: AddInsole :execlastid
INSERT INTO insoles (shop_id, model_id, uk_half, length_mm, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?);

-- name: InsoleByID :one
SELECT i.id, i.model_id FROM insoles i JOIN models m ON m.id = i.model_id
WHERE i.id = ? AND m.shop_id = ? AND i.withdrawn_at IS NULL FOR UPDATE;

-- name: WithdrawInsole :exec
UPDATE insoles SET withdrawn_at = ? WHERE id = ?;

-- name: InsolesOf :many
SELECT i.id, i.model_id, i.uk_half, i.length_mm, i.made_at, u.name AS maker FROM insoles i JOIN models m ON m.id = i.model_id
  JOIN users u ON u.id = i.made_by
WHERE m.shop_id = ? AND m.revision > ? AND i.withdrawn_at IS NULL ORDER BY i.model_id, i.id;

-- name: InsolesOfModels :many
SELECT model_id, uk_half, length_mm FROM insoles WHERE model_id IN (sqlc.slice(models)) AND withdrawn_at IS NULL ORDER BY model_id, id;

-- name: SetBarcode :exec
INSERT INTO barcodes (shop_id, code, model_id, uk_half, width, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?);

-- name: BarcodeByCode :one
SELECT model_id, uk_half, width FROM barcodes WHERE shop_id = ? AND code = ?;

-- name: BarcodesOfModel :many
SELECT code, uk_half, width FROM barcodes WHERE shop_id = ? AND model_id = ? ORDER BY uk_half, width, code;

-- name: DropBarcode :execrows
DELETE FROM barcodes WHERE shop_id = ? AND code = ?;

-- name: CountStock :exec
UPDATE model_sizes SET stock = GREATEST(0, stock + sqlc.arg(by_pairs)) WHERE model_id = sqlc.arg(model_id) AND uk_half = sqlc.arg(uk_half)
  AND width = sqlc.arg(width);
