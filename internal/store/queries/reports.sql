-- name: AddReport :exec
INSERT INTO pair_reports (shop_id, pair_id, after_days, comfort, note, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?);

-- name: ReportsOfRunner :many
SELECT r.pair_id, r.after_days, r.comfort, r.note, r.made_at, u.name AS maker FROM pair_reports r
JOIN pairs p ON p.id = r.pair_id JOIN users u ON u.id = r.made_by WHERE p.runner_id = ? AND p.shop_id = ? ORDER BY r.id DESC;

-- name: LateReports :many
SELECT p.model_id, p.runner_id, p.fit_id, r.comfort FROM pair_reports r JOIN pairs p ON p.id = r.pair_id JOIN runners x ON x.id = p.runner_id AND x.practice_seed IS NULL
WHERE r.shop_id = sqlc.arg(shop_id) AND r.after_days >= sqlc.arg(least_days) AND p.fit_id IS NOT NULL AND p.taken_back_at IS NULL
  AND r.id = (SELECT MAX(l.id) FROM pair_reports l WHERE l.pair_id = r.pair_id) ORDER BY r.id DESC LIMIT 2000;

-- name: FeetFindings :many
SELECT f.fit_id, f.name, f.side, f.repeat_no, f.number_value, f.text_value, f.error_value FROM findings f
WHERE f.shop_id = sqlc.arg(shop_id) AND NOT f.withdrawn AND f.fit_id IN (sqlc.slice(fits))
  AND f.name IN ('length_mm', 'ball_mm', 'heel_to_ball_mm', 'instep_mm', 'scan_length_mm', 'scan_ball_mm', 'scan_instep_mm', 'counts', 'volume', 'arch', 'print_reading')
  AND f.id = (SELECT MAX(l.id) FROM findings l WHERE l.fit_id = f.fit_id AND l.name = f.name AND l.side = f.side AND l.repeat_no = f.repeat_no);

-- name: ReportsWithBasis :many
SELECT p.model_id, r.after_days, r.comfort, d.basis FROM pair_reports r JOIN pairs p ON p.id = r.pair_id JOIN runners x ON x.id = p.runner_id AND x.practice_seed IS NULL
JOIN decisions d ON d.fit_id = p.fit_id AND d.kind = 'choice' AND d.value <> '' AND d.id = (SELECT MAX(l.id) FROM decisions l WHERE l.fit_id = p.fit_id AND l.kind = 'choice')
WHERE r.shop_id = ? AND p.taken_back_at IS NULL AND r.id = (SELECT MAX(l.id) FROM pair_reports l WHERE l.pair_id = r.pair_id) ORDER BY r.id DESC LIMIT 5000;
