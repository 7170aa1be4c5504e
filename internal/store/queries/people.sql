-- name: AddShop :execlastid
INSERT INTO shops (name, currency, created_at) VALUES (?, ?, ?);

-- name: ShopByID :one
SELECT id, name, currency, created_at FROM shops WHERE id = ?;

-- name: ShopByName :one
SELECT id, name, currency, created_at FROM shops WHERE name = ?;

-- name: AddUser :execlastid
INSERT INTO users (shop_id, name, login, password_hash, role, created_at) VALUES (?, ?, ?, ?, ?, ?);

-- name: UserByLogin :one
SELECT id, shop_id, name, login, password_hash, role, units, theme, created_at, disabled_at FROM users WHERE login = ?;

-- name: UsersOfShop :many
SELECT id, login, name FROM users WHERE shop_id = ? ORDER BY id;

-- name: UserByID :one
SELECT id, shop_id, name, login, password_hash, role, units, theme, created_at, disabled_at FROM users WHERE id = ?;

-- name: SetUserUnits :exec
UPDATE users SET units = ? WHERE id = ?;

-- name: SetUserTheme :exec
UPDATE users SET theme = ? WHERE id = ?;

-- name: AddSignInTry :exec
INSERT INTO sign_in_tries (login_hash, address, tried_at) VALUES (?, ?, ?);

-- name: CountSignInTries :one
SELECT
  CAST(COALESCE(SUM(login_hash = sqlc.arg(login_hash)), 0) AS SIGNED) AS by_login,
  CAST(COALESCE(SUM(address = sqlc.arg(address)), 0) AS SIGNED) AS by_address
FROM sign_in_tries WHERE tried_at > sqlc.arg(since) AND (login_hash = sqlc.arg(login_hash) OR address = sqlc.arg(address));

-- name: ClearSignInTries :exec
DELETE FROM sign_in_tries WHERE login_hash = sqlc.arg(login_hash) OR tried_at < sqlc.arg(before);

-- name: AddSetting :exec
INSERT INTO settings (shop_id, name, value, made_by, made_at) VALUES (?, ?, ?, ?, ?);

-- name: AddRunner :execlastid
INSERT INTO runners (shop_id, name, contact, chart, practice_seed, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?);

-- name: UpdateRunner :exec
UPDATE runners SET name = ?, contact = ?, chart = ? WHERE id = ? AND shop_id = ?;

-- name: RunnerByID :one
SELECT id, name, contact, chart, practice_seed FROM runners WHERE id = ? AND shop_id = ? AND erased_at IS NULL;

-- name: SearchRunners :many
SELECT r.id, r.name, r.contact, r.chart,
  CAST((SELECT COUNT(*) FROM fits f WHERE f.runner_id = r.id) AS SIGNED) AS fits,
  CAST((SELECT COUNT(*) FROM pairs p WHERE p.runner_id = r.id AND p.set_aside_on IS NULL AND p.taken_back_at IS NULL) AS SIGNED) AS pairs
FROM runners r WHERE r.shop_id = ? AND r.practice_seed IS NULL AND r.erased_at IS NULL AND r.name LIKE ? ORDER BY r.name, r.id LIMIT ?;

-- name: SubmissionResult :one
SELECT result, form, digest FROM submissions WHERE user_id = ? AND token = ?;

-- name: AddSubmission :exec
INSERT INTO submissions (user_id, token, form, digest, result, made_at) VALUES (?, ?, ?, ?, '', ?);

-- name: SetSubmissionResult :exec
UPDATE submissions SET result = ? WHERE user_id = ? AND token = ?;

-- name: ClearSubmissions :exec
DELETE FROM submissions WHERE made_at < ?;

-- name: SettingsHistory :many
SELECT s.name, s.value, s.made_at, u.name AS maker FROM settings s JOIN users u ON u.id = s.made_by WHERE s.shop_id = ? ORDER BY s.id;

-- name: ZoneOf :one
SELECT value FROM settings WHERE shop_id = ? AND name = 'time_zone' ORDER BY id DESC LIMIT 1;

-- name: MarkErased :execrows
UPDATE runners SET erased_at = ?, name = 'erased', contact = '' WHERE id = ? AND shop_id = ? AND erased_at IS NULL;

-- name: DropVerdict :exec
DELETE FROM verdicts WHERE runner_id = ?;

-- name: DropLinksOf :exec
DELETE FROM links WHERE runner_id = ? AND shop_id = ?;

-- name: FramesOfErased :many
SELECT f.recording_id, f.number FROM recording_frames f JOIN recordings r ON r.id = f.recording_id JOIN fits t ON t.id = r.fit_id
  WHERE t.runner_id = ? LIMIT 200;

-- name: DropFrame :exec
DELETE FROM recording_frames WHERE recording_id = ? AND number = ?;

-- name: ClearSessions :exec
DELETE FROM sessions WHERE expiry < ?;
