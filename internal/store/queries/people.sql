-- name: AddShop :execlastid
INSERT INTO shops (name, currency, created_at) VALUES (?, ?, ?);

-- name: ShopByID :one
SELECT id, name, currency, created_at FROM shops WHERE id = ?;

-- name: ShopByName :one
SELECT id, name, currency, created_at FROM shops WHERE name = ?;

-- name: AddUser :execlastid
INSERT INTO users (shop_id, name, login, password_hash, role, created_at) VALUES (?, ?, ?, ?, ?, ?);

-- name: UserByLogin :one
SELECT id, shop_id, name, login, password_hash, role, units, theme, created_at, disabled_at, second_secret FROM users WHERE login = ?;

-- name: UsersOfShop :many
SELECT id, login, name FROM users WHERE shop_id = ? ORDER BY id;

-- name: UserByID :one
SELECT id, shop_id, name, login, password_hash, role, units, theme, created_at, disabled_at FROM users WHERE id = ?;

-- name: SetUserUnits :exec
UPDATE users SET units = ? WHERE id = ?;

-- name: SetUserTheme :exec
UPDATE users SET theme = ? WHERE id = ?;

-- name: CountTry :execlastid
-- Counts a try by its key within a window that begins with its first, and gives the count.
INSERT INTO sign_in_counts (counted, since, n) VALUES (sqlc.arg(counted), sqlc.arg(now), LAST_INSERT_ID(1))
ON DUPLICATE KEY UPDATE n = LAST_INSERT_ID(IF(since <= sqlc.arg(begun), 1, n + 1)), since = IF(since <= sqlc.arg(begun), sqlc.arg(now),
  since);

-- name: UncountTry :exec
UPDATE sign_in_counts SET n = n - 1 WHERE counted = ? AND n > 0;

-- name: TriesSince :one
SELECT since FROM sign_in_counts WHERE counted = ?;

-- name: DropTries :exec
DELETE FROM sign_in_counts WHERE since < ?;

-- name: HasDevice :one
SELECT COUNT(*) FROM devices WHERE user_id = ? AND digest = ?;

-- name: AddDevice :exec
INSERT INTO devices (user_id, digest, made_at) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE made_at = VALUES(made_at);

-- name: DropDevices :exec
DELETE FROM devices WHERE user_id = ?;

-- name: AddSignedIn :exec
INSERT INTO signed_in (user_id, digest, agent, second_due, asked_at, made_at, seen_at) VALUES (?, ?, ?, ?, ?, ?, ?);

-- name: SignedInBy :one
SELECT s.id, s.user_id, s.second_due, s.asked_at, s.seen_at, u.shop_id, u.name, u.role, u.units, u.theme,
  u.second_secret IS NOT NULL AS second,
  p.name AS shop, p.currency,
  CAST(EXISTS (SELECT 1 FROM settings t WHERE t.shop_id = u.shop_id AND t.name = 'second_factor' AND t.value = 'required' AND t.id =
    (SELECT MAX(l.id) FROM settings l WHERE l.shop_id = u.shop_id AND l.name = 'second_factor')) AS SIGNED) AS second_rule
FROM signed_in s JOIN users u ON u.id = s.user_id JOIN shops p ON p.id = u.shop_id
WHERE s.digest = ? AND u.disabled_at IS NULL AND s.made_at > sqlc.arg(after);

-- name: SawSignedIn :exec
UPDATE signed_in SET seen_at = ? WHERE id = ?;

-- name: AskedSignedIn :exec
UPDATE signed_in SET asked_at = ?, second_due = FALSE WHERE id = ?;

-- name: SignedInOf :many
SELECT id, agent, second_due, made_at, seen_at FROM signed_in WHERE user_id = ? AND made_at > sqlc.arg(after)
  ORDER BY seen_at DESC, id DESC;

-- name: EndSignedIn :execrows
DELETE FROM signed_in WHERE id = ? AND user_id = ?;

-- name: EndOtherSignedIn :exec
DELETE FROM signed_in WHERE user_id = ? AND id <> sqlc.arg(but);

-- name: DropSignedIn :exec
DELETE FROM signed_in WHERE made_at < ?;

-- name: SetPassword :exec
UPDATE users SET password_hash = ?, password_at = ? WHERE id = ?;

-- name: SetDisabled :execrows
UPDATE users SET disabled_at = ? WHERE id = ? AND shop_id = ?;

-- name: SetRole :execrows
UPDATE users SET role = ? WHERE id = ? AND shop_id = ?;

-- name: PeopleOfShop :many
SELECT u.id, u.name, u.login, u.role, u.created_at, u.disabled_at, u.password_at, u.second_secret IS NOT NULL AS second,
  (SELECT COUNT(*) FROM signed_in s WHERE s.user_id = u.id AND s.made_at > sqlc.arg(after)) AS sessions,
  (SELECT COUNT(*) FROM links l WHERE l.made_by = u.id AND l.revoked_at IS NULL) AS links
FROM users u WHERE u.shop_id = sqlc.arg(shop_id) ORDER BY u.disabled_at IS NOT NULL, u.name, u.id;

-- name: LockOwners :many
SELECT id FROM users WHERE shop_id = ? AND role = 'owner' AND disabled_at IS NULL FOR UPDATE;

-- name: SecondOf :one
SELECT second_secret, second_step FROM users WHERE id = ? FOR UPDATE;

-- name: SetSecond :exec
UPDATE users SET second_secret = ?, second_step = ? WHERE id = ?;

-- name: SetSecondStep :exec
UPDATE users SET second_step = ? WHERE id = ?;

-- name: AddRecoveryCode :exec
INSERT INTO recovery_codes (user_id, digest) VALUES (?, ?);

-- name: UseRecoveryCode :execrows
UPDATE recovery_codes SET used_at = ? WHERE user_id = ? AND digest = ? AND used_at IS NULL;

-- name: DropRecoveryCodes :exec
DELETE FROM recovery_codes WHERE user_id = ?;

-- name: RecoveryCodesLeft :one
SELECT COUNT(*) FROM recovery_codes WHERE user_id = ? AND used_at IS NULL;

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
