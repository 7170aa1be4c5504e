-- name: LatestLesson :one
SELECT id, made_at FROM lessons WHERE shop_id = ? ORDER BY id DESC LIMIT 1;

-- name: LearnedWeights :many
SELECT made_at, weights FROM lessons WHERE shop_id = ? ORDER BY id;

-- name: LessonByID :one
SELECT * FROM lessons WHERE id = ? AND shop_id = ?;

-- name: LatestLessons :many
SELECT * FROM lessons WHERE shop_id = ? ORDER BY id DESC LIMIT ?;

-- name: AddLesson :exec
INSERT INTO lessons (shop_id, day, pairs, ended, tryons, with_two, life, liking, weights, runners, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: ShopSince :one
SELECT created_at FROM shops WHERE id = ?;

-- name: RunnersToLearn :many
SELECT id FROM runners WHERE shop_id = ? AND id > ? AND erased_at IS NULL AND practice_seed IS NULL ORDER BY id LIMIT ?;

-- name: FitsWithTryOn :many
-- Fits in which something was tried on, the latest first.
SELECT f.id FROM fits f JOIN runners r ON r.id = f.runner_id
WHERE f.shop_id = sqlc.arg(shop_id) AND r.erased_at IS NULL AND r.practice_seed IS NULL
  AND EXISTS (SELECT 1 FROM findings x WHERE x.fit_id = f.id AND x.name IN (sqlc.slice(names)))
ORDER BY f.id DESC LIMIT ?;
