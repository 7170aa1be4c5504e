-- name: AddRecording :execlastid
INSERT INTO recordings (shop_id, fit_id, number, description, frames, state, corrections, kept, made_by, made_at)
  VALUES (?, ?, ?, ?, ?, 'arriving', '{}', ?, ?, ?);

-- name: NextRecordingNumber :one
SELECT CAST(COALESCE(MAX(number), 0) + 1 AS SIGNED) FROM recordings WHERE fit_id = ? AND shop_id = ?;

-- name: RecordingsOf :many
SELECT r.id, r.fit_id, r.number, r.description, r.frames, r.width, r.height, r.state, r.note, r.kept, r.frames_gone, u.name AS maker,
  r.made_at
FROM recordings r JOIN users u ON u.id = r.made_by WHERE r.fit_id = ? AND r.shop_id = ? ORDER BY r.number;

-- name: RecordingsOfRunner :many
SELECT r.id, r.fit_id, r.number, r.description, r.frames, r.width, r.height, r.state, r.note, r.kept, r.frames_gone, u.name AS maker,
  r.made_at
FROM recordings r JOIN users u ON u.id = r.made_by JOIN fits f ON f.id = r.fit_id
WHERE f.runner_id = ? AND r.shop_id = ? AND r.state = 'ready' ORDER BY r.made_at DESC, r.id DESC LIMIT 40;

-- name: RecordingByID :one
SELECT r.id, r.fit_id, r.number, r.description, r.frames, r.width, r.height, r.state, r.note, r.kept, r.frames_gone, u.name AS maker,
  r.made_at
FROM recordings r JOIN users u ON u.id = r.made_by WHERE r.id = ? AND r.shop_id = ?;

-- name: RecordingPaths :one
SELECT followed, corrections FROM recordings WHERE id = ? AND shop_id = ?;

-- name: LockRecording :one
SELECT state, corrections FROM recordings WHERE id = ? AND shop_id = ? FOR UPDATE;

-- name: SetRecordingState :exec
UPDATE recordings SET state = ?, note = ? WHERE id = ? AND shop_id = ?;

-- name: SetRecordingFollowed :exec
UPDATE recordings SET state = 'ready', note = '', followed = ?, width = ?, height = ? WHERE id = ? AND shop_id = ?;

-- name: SetRecordingCorrections :exec
UPDATE recordings SET corrections = ? WHERE id = ? AND shop_id = ?;

-- name: PutFrame :exec
INSERT INTO recording_frames (recording_id, number, data) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE data = VALUES(data);

-- name: FrameNumbers :many
SELECT number FROM recording_frames WHERE recording_id = ? ORDER BY number;

-- name: FrameData :one
SELECT f.data FROM recording_frames f JOIN recordings r ON r.id = f.recording_id WHERE f.recording_id = ? AND f.number = ?
  AND r.shop_id = ?;

-- name: FrameShown :one
SELECT f.data FROM recording_frames f JOIN recordings r ON r.id = f.recording_id WHERE f.recording_id = ?
  AND f.number >= 0 AND f.number <= sqlc.arg(number) AND r.shop_id = ? ORDER BY f.number DESC LIMIT 1;

-- name: DeleteFrames :exec
DELETE FROM recording_frames WHERE recording_id = ?;

-- name: MarkFramesGone :exec
UPDATE recordings SET frames_gone = TRUE, state = IF(state IN ('arriving', 'reading'), 'failed', state), note = IF(state IN ('arriving',
  'reading'), 'it was not finished in time', note) WHERE id = ?;

-- name: LooseRecordingsOfFit :many
SELECT id FROM recordings WHERE NOT frames_gone AND NOT kept AND fit_id = ? AND shop_id = ?;

-- name: AllShops :many
SELECT id FROM shops;

-- name: PictureByID :one
SELECT id, data FROM pictures WHERE id = ? AND fit_id = ? AND shop_id = ? AND kind = ?;

-- name: DeletePicture :exec
DELETE FROM pictures WHERE id = ? AND fit_id = ? AND shop_id = ? AND kind = ?;

-- name: SetRecordingDescription :exec
UPDATE recordings SET description = ?, corrections = '{}', glance = NULL WHERE id = ? AND shop_id = ?;

-- name: ResumeRecording :exec
UPDATE recordings SET description = ?, kept = ? WHERE id = ? AND shop_id = ?;

-- name: CutRecording :exec
UPDATE recordings SET frames = ? WHERE id = ? AND shop_id = ? AND state = 'arriving';

-- name: DeleteFramesFrom :exec
DELETE FROM recording_frames WHERE recording_id = ? AND number >= ?;

-- name: FramesUnder :one
SELECT COUNT(*) FROM recording_frames WHERE recording_id = ? AND number < ?;

-- name: RecordingGlance :one
SELECT state, glance, glanced FROM recordings WHERE id = ? AND shop_id = ?;

-- name: SetRecordingGlance :exec
UPDATE recordings SET glance = COALESCE(sqlc.narg(glance), glance), glanced = sqlc.arg(glanced)
WHERE id = sqlc.arg(id) AND shop_id = sqlc.arg(shop_id) AND glanced < sqlc.arg(glanced);
