-- name: AddJob :execlastid
INSERT INTO jobs (shop_id, kind, subject, live, args, run_after, made_by, made_at) VALUES (?, ?, ?, TRUE, ?, ?, ?, ?);

-- name: NextJobOf :one
SELECT id, shop_id, kind, subject, args, tries, deaths, state, made_by FROM jobs
WHERE kind IN (sqlc.slice(kinds)) AND ((state = 'waiting' AND run_after <= sqlc.arg(now)) OR (state = 'running'
  AND beat_at < sqlc.arg(dead)))
ORDER BY run_after, id LIMIT 1 FOR UPDATE SKIP LOCKED;

-- name: ClaimJob :exec
-- One that stands as running was left by an instance that died.
UPDATE jobs SET tries = tries + (state = 'waiting'), deaths = deaths + (state = 'running'), state = 'running', worker = ?, beat_at = ?
WHERE id = ?;

-- name: BeatJob :execrows
UPDATE jobs SET beat_at = ?, done = ?, total = ? WHERE id = ? AND worker = ? AND state = 'running';

-- name: EndJob :execrows
UPDATE jobs SET state = ?, note = ?, live = NULL, ended_at = ? WHERE id = ? AND worker = ? AND state = 'running';

-- name: RetryJob :execrows
UPDATE jobs SET state = 'waiting', note = ?, run_after = ?, worker = '' WHERE id = ? AND worker = ? AND state = 'running';

-- name: HandJobBack :execrows
-- What its instance stopped in order is not a try.
UPDATE jobs SET state = 'waiting', note = '', run_after = ?, worker = '', tries = GREATEST(tries, 1) - 1
WHERE id = ? AND worker = ? AND state = 'running';

-- name: CancelJob :execrows
UPDATE jobs SET state = 'cancelled', live = NULL, ended_at = ? WHERE kind = ? AND subject = ? AND live;

-- name: JobOf :one
SELECT id, state, done, total, note, tries, beat_at FROM jobs WHERE kind = ? AND subject = ? ORDER BY id DESC LIMIT 1;

-- name: LiveJobs :many
SELECT kind, subject, state, done, total FROM jobs WHERE kind = sqlc.arg(kind) AND live AND subject IN (sqlc.slice(subjects));

-- name: DropEndedJobs :exec
DELETE FROM jobs WHERE ended_at < ?;

-- name: StuckJobs :one
SELECT CAST(COALESCE(SUM(state = 'waiting' AND run_after < sqlc.arg(late)), 0) AS SIGNED) AS waiting,
  CAST(COALESCE(SUM(state = 'running' AND beat_at < sqlc.arg(dead)), 0) AS SIGNED) AS silent,
  CAST(COALESCE(SUM(state = 'failed' AND ended_at > sqlc.arg(since)), 0) AS SIGNED) AS failed
FROM jobs WHERE live OR ended_at > sqlc.arg(since);
