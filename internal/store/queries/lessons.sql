-- name: LatestLesson :one
SELECT id, made_at FROM lessons WHERE shop_id = ? ORDER BY id DESC LIMIT 1;

-- name: LessonsBrief :many
SELECT id, made_at FROM lessons WHERE shop_id = ? ORDER BY id;

-- name: LearnedWeights :many
SELECT made_at, weights FROM lessons WHERE shop_id = ? ORDER BY id;

-- name: LessonByID :one
SELECT * FROM lessons WHERE id = ? AND shop_id = ?;

-- name: LatestLessons :many
SELECT * FROM lessons WHERE shop_id = ? ORDER BY id DESC LIMIT ?;

-- name: AddLesson :exec
INSERT INTO lessons (shop_id, day, pairs, ended, tryons, with_two, life, liking, weights, runners, promises, made_at)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: ShopSince :one
SELECT created_at FROM shops WHERE id = ?;

-- name: RunnersToLearn :many
SELECT id FROM runners WHERE shop_id = ? AND id > ? AND erased_at IS NULL AND practice_seed IS NULL ORDER BY id LIMIT ?;

-- name: FitsWithTryOn :many
-- Fits in which something was found of these names, the latest first: something was tried on, or filmed.
SELECT f.id FROM fits f JOIN runners r ON r.id = f.runner_id
WHERE f.shop_id = sqlc.arg(shop_id) AND r.erased_at IS NULL AND r.practice_seed IS NULL
  AND EXISTS (SELECT 1 FROM findings x WHERE x.fit_id = f.id AND x.name IN (sqlc.slice(names)))
ORDER BY f.id DESC LIMIT ?;

-- name: RubsRecur :many
-- Where a model rubbed, by how many runners told it.
SELECT p.model_id, r.place AS what, COUNT(DISTINCT p.runner_id) AS runners FROM rubs r JOIN pairs p ON p.id = r.pair_id
  JOIN runners x ON x.id = p.runner_id
WHERE p.shop_id = ? AND p.taken_back_at IS NULL AND x.practice_seed IS NULL AND x.erased_at IS NULL GROUP BY p.model_id, r.place;

-- name: RunnersOfModels :many
SELECT p.model_id, COUNT(DISTINCT p.runner_id) AS runners FROM pairs p JOIN runners x ON x.id = p.runner_id
WHERE p.shop_id = ? AND p.taken_back_at IS NULL AND x.practice_seed IS NULL AND x.erased_at IS NULL GROUP BY p.model_id;

-- name: ToesTold :many
-- What was told of the toes in each model that was tried on, the latest of a trial.
SELECT f.model_id, f.text_value AS what, COUNT(DISTINCT t.runner_id) AS runners FROM findings f JOIN fits t ON t.id = f.fit_id
  JOIN runners x ON x.id = t.runner_id
WHERE f.shop_id = sqlc.arg(shop_id) AND f.name = sqlc.arg(name) AND NOT f.withdrawn AND f.model_id IS NOT NULL
  AND x.practice_seed IS NULL AND x.erased_at IS NULL
  AND NOT EXISTS (SELECT 1 FROM findings g WHERE g.fit_id = f.fit_id AND g.name = f.name AND g.model_id = f.model_id
    AND g.repeat_no = f.repeat_no AND g.id > f.id)
GROUP BY f.model_id, f.text_value;
