-- name: TouchVerdict :exec
INSERT INTO verdicts (runner_id, shop_id, stale) VALUES (?, ?, TRUE) ON DUPLICATE KEY UPDATE stale = TRUE, change_no = change_no + 1;

-- name: TouchVerdictsOfShop :exec
UPDATE verdicts SET stale = TRUE, change_no = change_no + 1 WHERE shop_id = ?;

-- name: StaleVerdicts :many
SELECT runner_id, change_no FROM verdicts WHERE shop_id = sqlc.arg(shop_id) AND stale ORDER BY runner_id LIMIT ?;

-- name: AgedVerdicts :many
SELECT runner_id, change_no FROM verdicts WHERE shop_id = sqlc.arg(shop_id) AND as_of < sqlc.arg(day) ORDER BY as_of, runner_id LIMIT ?;

-- name: SettleVerdict :execrows
UPDATE verdicts SET stale = FALSE, as_of = sqlc.arg(as_of), fault = sqlc.arg(fault) WHERE runner_id = sqlc.arg(runner_id) AND change_no = sqlc.arg(change_no);

-- name: DropVerdictLines :exec
DELETE FROM verdict_lines WHERE runner_id = ?;

-- name: AddVerdictLine :exec
INSERT INTO verdict_lines (shop_id, runner_id, fit_id, pair_id, model_id, list, kind, urgency, on_day, uk_half, width, label, words, detail) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: EndingLines :many
SELECT l.id, l.runner_id, l.fit_id, l.pair_id, l.kind, l.words, l.detail, r.name AS runner FROM verdict_lines l FORCE INDEX (verdict_lines_kind) JOIN runners r ON r.id = l.runner_id
WHERE l.shop_id = ? AND l.list = 'ending' ORDER BY l.urgency, l.id LIMIT ? OFFSET ?;

-- name: DueLines :many
SELECT l.id, l.runner_id, l.fit_id, l.pair_id, l.kind, l.on_day, l.words, l.detail, r.name AS runner FROM verdict_lines l FORCE INDEX (verdict_lines_kind) JOIN runners r ON r.id = l.runner_id
WHERE l.shop_id = ? AND l.list = 'due' AND l.on_day <= ? ORDER BY l.on_day, l.id LIMIT ? OFFSET ?;

-- name: DueLinesOfKind :many
SELECT l.id, l.runner_id, l.fit_id, l.pair_id, l.kind, l.on_day, l.words, l.detail, r.name AS runner FROM verdict_lines l FORCE INDEX (verdict_lines_kind) JOIN runners r ON r.id = l.runner_id
WHERE l.shop_id = ? AND l.list = 'due' AND l.kind = ? AND l.on_day <= ? ORDER BY l.on_day, l.id LIMIT ? OFFSET ?;

-- name: BuyingLines :many
SELECT model_id, uk_half, width, MIN(on_day) AS by_day, COUNT(*) AS pairs
FROM verdict_lines FORCE INDEX (verdict_lines_buying) WHERE shop_id = ? AND list = 'due' AND kind = 'order' AND on_day <= ?
GROUP BY model_id, uk_half, width ORDER BY by_day, model_id, uk_half, width LIMIT ? OFFSET ?;

-- name: OrdersFrom :many
SELECT l.model_id, l.uk_half, l.width, r.name AS runner FROM verdict_lines l FORCE INDEX (verdict_lines_kind) JOIN runners r ON r.id = l.runner_id
WHERE l.shop_id = ? AND l.list = 'due' AND l.kind = 'order' AND l.on_day >= sqlc.arg(first) AND l.on_day <= sqlc.arg(last) ORDER BY l.on_day, l.id LIMIT ?;

-- name: VerdictFaults :many
SELECT v.runner_id, v.fault, r.name AS runner FROM verdicts v JOIN runners r ON r.id = v.runner_id WHERE v.shop_id = ? AND v.fault > '' ORDER BY v.fault, v.runner_id LIMIT ?;
