-- name: AddBooking :exec
INSERT INTO bookings (shop_id, runner_id, on_day, minute, note, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?);

-- name: WithdrawBooking :execrows
UPDATE bookings SET withdrawn_at = ? WHERE id = ? AND runner_id = ? AND shop_id = ? AND withdrawn_at IS NULL AND came_at IS NULL;

-- name: BookingsCame :exec
UPDATE bookings SET came_at = ? WHERE runner_id = ? AND shop_id = ? AND on_day = ? AND withdrawn_at IS NULL AND came_at IS NULL;

-- name: LoadBookings :many
SELECT id, runner_id, on_day, minute, note FROM bookings WHERE shop_id = sqlc.arg(shop_id) AND runner_id IN (sqlc.slice(ids))
  AND withdrawn_at IS NULL AND came_at IS NULL ORDER BY on_day, minute, id;

-- name: Bookings :many
SELECT b.id, b.runner_id, b.on_day, b.minute, b.note, r.name AS runner FROM bookings b JOIN runners r ON r.id = b.runner_id
WHERE b.shop_id = ? AND b.on_day >= ? AND b.on_day <= ? AND b.withdrawn_at IS NULL AND b.came_at IS NULL
ORDER BY b.on_day, b.minute, b.id LIMIT ?;
