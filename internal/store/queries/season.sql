-- name: LoadSeasons :many
SELECT * FROM seasons WHERE shop_id = sqlc.arg(shop_id) AND runner_id IN (sqlc.slice(ids));

-- name: LoadSeasonWeeks :many
SELECT id, runner_id, week, how FROM season_weeks WHERE shop_id = sqlc.arg(shop_id) AND runner_id IN (sqlc.slice(ids))
ORDER BY runner_id, week;

-- name: LoadSeasonRuns :many
SELECT r.* FROM season_runs r JOIN season_weeks w ON w.id = r.week_id
WHERE w.shop_id = sqlc.arg(shop_id) AND w.runner_id IN (sqlc.slice(ids)) ORDER BY r.week_id, r.day, r.minute, r.id;

-- name: LoadSeasonOrders :many
SELECT id, runner_id, model_id, uk_half, width, price, order_on FROM season_orders
WHERE shop_id = sqlc.arg(shop_id) AND runner_id IN (sqlc.slice(ids)) AND pair_id IS NULL AND dropped_at IS NULL ORDER BY order_on, id;

-- name: LoadOutlooks :many
SELECT * FROM season_outlooks WHERE shop_id = sqlc.arg(shop_id) AND runner_id IN (sqlc.slice(ids)) ORDER BY race_on, id;

-- name: KeepSeason :exec
INSERT INTO seasons (shop_id, runner_id, shape, earlier, fewer, fresh, second, cheaper, more) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
ON DUPLICATE KEY UPDATE shape = VALUES(shape), earlier = VALUES(earlier), fewer = VALUES(fewer), fresh = VALUES(fresh),
  second = VALUES(second), cheaper = VALUES(cheaper), more = VALUES(more);

-- name: PutSeasonWeek :execlastid
INSERT INTO season_weeks (shop_id, runner_id, week, how, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?);

-- name: DropSeasonRunsFrom :exec
DELETE r FROM season_runs r JOIN season_weeks w ON w.id = r.week_id
WHERE w.shop_id = ? AND w.runner_id = ? AND w.week >= sqlc.arg(first) AND w.week <= sqlc.arg(last);

-- name: DropSeasonWeeksFrom :exec
DELETE FROM season_weeks WHERE shop_id = ? AND runner_id = ? AND week >= sqlc.arg(first) AND week <= sqlc.arg(last);

-- name: AddSeasonRun :exec
INSERT INTO season_runs (shop_id, week_id, day, minute, km, minutes, kind, ground, run) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: AddSeasonOrder :exec
INSERT INTO season_orders (shop_id, runner_id, model_id, uk_half, width, price, order_on, made_by, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: SeasonOrder :one
SELECT * FROM season_orders WHERE id = ? AND runner_id = ? AND shop_id = ? AND pair_id IS NULL AND dropped_at IS NULL;

-- name: SellSeasonOrder :execrows
UPDATE season_orders SET pair_id = ? WHERE id = ? AND shop_id = ? AND pair_id IS NULL AND dropped_at IS NULL;

-- name: DropSeasonOrder :execrows
UPDATE season_orders SET dropped_at = ? WHERE id = ? AND runner_id = ? AND shop_id = ? AND pair_id IS NULL AND dropped_at IS NULL;

-- name: TellOutlook :exec
INSERT INTO season_outlooks (shop_id, runner_id, race_on, race, ready, told_on, basis, was, was_on, why, seen_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
ON DUPLICATE KEY UPDATE race = VALUES(race), ready = VALUES(ready), told_on = VALUES(told_on), basis = VALUES(basis), was = VALUES(was),
  was_on = VALUES(was_on), why = VALUES(why), seen_at = VALUES(seen_at);

-- name: DropOutlooksBut :exec
-- What was told of a race that is over stays: it is held against what came.
DELETE FROM season_outlooks WHERE runner_id = sqlc.arg(runner_id) AND shop_id = sqlc.arg(shop_id) AND race_on >= sqlc.arg(today)
  AND race_on NOT IN (sqlc.slice(kept));

-- name: DropOutlooks :exec
DELETE FROM season_outlooks WHERE runner_id = ? AND shop_id = ? AND race_on >= sqlc.arg(today);

-- name: SeeOutlook :execrows
UPDATE season_outlooks SET seen_at = ? WHERE id = ? AND shop_id = ? AND seen_at IS NULL;

-- name: ChangedOutlooks :many
SELECT o.*, r.name AS runner FROM season_outlooks o JOIN runners r ON r.id = o.runner_id
WHERE o.shop_id = ? AND o.seen_at IS NULL AND o.why <> '' AND o.race_on >= ? AND r.erased_at IS NULL ORDER BY o.race_on, o.id LIMIT ?;

-- name: SeasonsToLook :many
-- Runners with a race to come whose facts changed, or on another day, since it was looked at.
SELECT v.runner_id, v.change_no FROM verdicts v JOIN runners r ON r.id = v.runner_id LEFT JOIN seasons s ON s.runner_id = v.runner_id
WHERE v.shop_id = sqlc.arg(shop_id) AND v.runner_id > sqlc.arg(after) AND r.erased_at IS NULL AND r.practice_seed IS NULL
  AND (s.id IS NULL OR s.looked_no <> v.change_no OR s.looked_on < sqlc.arg(today))
  AND (EXISTS (SELECT 1 FROM races x WHERE x.runner_id = v.runner_id AND x.race_on >= sqlc.arg(today) AND x.withdrawn_at IS NULL)
    OR EXISTS (SELECT 1 FROM findings f JOIN fits t ON t.id = f.fit_id WHERE t.runner_id = v.runner_id AND f.name = 'race_on'))
ORDER BY v.runner_id LIMIT ?;

-- name: LookedAtSeason :exec
INSERT INTO seasons (shop_id, runner_id, looked_no, looked_on) VALUES (?, ?, ?, ?)
ON DUPLICATE KEY UPDATE looked_no = VALUES(looked_no), looked_on = VALUES(looked_on);
