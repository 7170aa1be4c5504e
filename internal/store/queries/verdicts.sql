-- name: TouchVerdict :exec
INSERT INTO verdicts (runner_id, shop_id, stale) VALUES (?, ?, TRUE) ON DUPLICATE KEY UPDATE stale = TRUE, change_no = change_no + 1;

-- name: TouchVerdictsOfShop :exec
UPDATE verdicts SET stale = TRUE, change_no = change_no + 1 WHERE shop_id = ?;

-- name: StaleVerdicts :many
SELECT runner_id, change_no FROM verdicts WHERE shop_id = sqlc.arg(shop_id) AND stale ORDER BY runner_id LIMIT ?;

-- name: AgedVerdicts :many
SELECT runner_id, change_no FROM verdicts WHERE shop_id = sqlc.arg(shop_id) AND as_of < sqlc.arg(day) ORDER BY as_of, runner_id LIMIT ?;

-- name: SettleVerdict :execrows
UPDATE verdicts SET stale = FALSE, as_of = sqlc.arg(as_of), fault = sqlc.arg(fault) WHERE runner_id = sqlc.arg(runner_id)
  AND change_no = sqlc.arg(change_no);

-- name: TellOrder :exec
-- Once a pair: what is told again later is another day's view.
UPDATE pairs SET order_told_on = sqlc.arg(told_on), lasts_until = sqlc.arg(lasts_until)
WHERE id = sqlc.arg(id) AND shop_id = sqlc.arg(shop_id) AND order_told_on IS NULL;

-- name: TakeFromBuying :exec
UPDATE buying b JOIN (
  SELECT shop_id, model_id, uk_half, width, on_day, COUNT(*) AS orders FROM verdict_lines
  WHERE runner_id = ? AND list = 'due' AND kind = 'order' AND model_id IS NOT NULL GROUP BY shop_id, model_id, uk_half, width, on_day
) o ON o.shop_id = b.shop_id AND o.model_id = b.model_id AND o.uk_half = b.uk_half AND o.width = b.width AND o.on_day = b.on_day
SET b.pairs = b.pairs - o.orders;

-- name: DropVerdictLines :exec
DELETE FROM verdict_lines WHERE runner_id = ?;

-- name: AddVerdictLine :exec
INSERT INTO verdict_lines (shop_id, runner_id, fit_id, pair_id, model_id, list, kind, urgency, on_day, uk_half, width, label, words, detail)
VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?);

-- name: AddToBuying :exec
INSERT INTO buying (shop_id, model_id, uk_half, width, on_day, pairs)
SELECT shop_id, model_id, uk_half, width, on_day, COUNT(*) AS orders FROM verdict_lines
WHERE runner_id = ? AND list = 'due' AND kind = 'order' AND model_id IS NOT NULL GROUP BY shop_id, model_id, uk_half, width, on_day
ON DUPLICATE KEY UPDATE pairs = buying.pairs + VALUES(pairs);

-- name: ClearBuying :exec
DELETE FROM buying WHERE shop_id = ? AND pairs = 0;

-- name: EndingLines :many
SELECT l.id, l.runner_id, l.fit_id, l.pair_id, l.kind, l.words, l.detail, r.name AS runner
FROM verdict_lines l FORCE INDEX (verdict_lines_ending) JOIN runners r ON r.id = l.runner_id
WHERE l.shop_id = ? AND l.list = 'ending' ORDER BY l.urgency, l.id LIMIT ? OFFSET ?;

-- name: DueLines :many
SELECT l.id, l.runner_id, l.fit_id, l.pair_id, l.kind, l.on_day, l.words, l.detail, r.name AS runner
FROM verdict_lines l FORCE INDEX (verdict_lines_day) JOIN runners r ON r.id = l.runner_id
WHERE l.shop_id = ? AND l.list = 'due' AND l.on_day <= ? ORDER BY l.on_day, l.id LIMIT ? OFFSET ?;

-- name: DueLinesOfKind :many
SELECT l.id, l.runner_id, l.fit_id, l.pair_id, l.kind, l.on_day, l.words, l.detail, r.name AS runner
FROM verdict_lines l FORCE INDEX (verdict_lines_kind) JOIN runners r ON r.id = l.runner_id
WHERE l.shop_id = ? AND l.list = 'due' AND l.kind = ? AND l.on_day <= ? ORDER BY l.on_day, l.id LIMIT ? OFFSET ?;

-- name: BuyingLines :many
-- The models and sizes that are wanted first are looked for among the first days alone: seen.
SELECT b.model_id, b.uk_half, b.width, MIN(b.on_day) AS by_day, CAST(SUM(b.pairs) AS SIGNED) AS pairs FROM (
  SELECT f.model_id, f.uk_half, f.width, MIN(f.on_day) AS first_day FROM (
    SELECT d.model_id, d.uk_half, d.width, d.on_day FROM buying d FORCE INDEX (buying_day)
    WHERE d.shop_id = sqlc.arg(shop_id) AND d.on_day <= sqlc.arg(last) AND d.pairs > 0
    ORDER BY d.on_day, d.model_id, d.uk_half, d.width LIMIT ?
  ) f GROUP BY f.model_id, f.uk_half, f.width ORDER BY first_day, f.model_id, f.uk_half, f.width LIMIT ? OFFSET ?
) g JOIN buying b ON b.model_id = g.model_id AND b.uk_half = g.uk_half AND b.width = g.width
WHERE b.shop_id = sqlc.arg(shop_id) AND b.on_day <= sqlc.arg(last) AND b.pairs > 0
GROUP BY b.model_id, b.uk_half, b.width ORDER BY by_day, b.model_id, b.uk_half, b.width;

-- name: OrdersFrom :many
SELECT l.model_id, l.uk_half, l.width, r.name AS runner FROM verdict_lines l FORCE INDEX (verdict_lines_kind)
  JOIN runners r ON r.id = l.runner_id
WHERE l.shop_id = ? AND l.list = 'due' AND l.kind = 'order' AND l.on_day >= sqlc.arg(first) AND l.on_day <= sqlc.arg(last)
ORDER BY l.on_day, l.id LIMIT ?;

-- name: VerdictFaults :many
SELECT v.runner_id, v.fault, r.name AS runner FROM verdicts v JOIN runners r ON r.id = v.runner_id
WHERE v.shop_id = ? AND v.fault > '' ORDER BY v.fault, v.runner_id LIMIT ?;

-- name: BuyingDrifts :many
-- Where the sums kept and the orders they are made of differ.
SELECT model_id, uk_half, width, on_day, CAST(SUM(kept) AS SIGNED) AS kept, CAST(SUM(ordered) AS SIGNED) AS ordered FROM (
  SELECT k.model_id, k.uk_half, k.width, k.on_day, k.pairs AS kept, 0 AS ordered FROM buying k WHERE k.shop_id = sqlc.arg(shop_id)
  UNION ALL
  SELECT v.model_id, v.uk_half, v.width, v.on_day, 0, 1 FROM verdict_lines v
  WHERE v.shop_id = sqlc.arg(shop_id) AND v.list = 'due' AND v.kind = 'order' AND v.model_id IS NOT NULL
) both_sides GROUP BY model_id, uk_half, width, on_day HAVING SUM(kept) <> SUM(ordered) LIMIT ?;
