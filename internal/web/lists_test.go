package web_test

import (
	"fmt"
	"testing"
)

// BenchmarkLists is the shop's lists at 30 and at 30,000 active pairs, with the verdicts as the
// jobs keep them: a page reads its own lines by an index, whatever else is there.
func BenchmarkLists(b *testing.B) {
	s := newSite(b)
	cookie := "trevik=" + s.as(b, "teal").cookie()
	exec := func(text string) {
		b.Helper()
		if _, err := s.store.DB.Exec(text); err != nil {
			b.Fatal(err)
		}
	}
	there := 0
	for _, n := range []int{30, 30_000} {
		exec(fmt.Sprintf(`INSERT INTO runners (shop_id, name, contact, chart, made_by, made_at)
			SELECT r.shop_id, CONCAT('Runner ', seq), '', 'men', r.made_by, r.made_at FROM seq_%d_to_%d JOIN runners r ON r.id = 1`, there+1, n))
		exec(`INSERT INTO verdicts (runner_id, shop_id, stale, as_of) SELECT r.id, r.shop_id, FALSE, '2026-11-24' FROM runners r
			WHERE r.name LIKE 'Runner %' AND NOT EXISTS (SELECT 1 FROM verdicts v WHERE v.runner_id = r.id)`)
		exec(`INSERT INTO verdict_lines (shop_id, runner_id, fit_id, pair_id, model_id, uk_half, list, kind, urgency, on_day, words, detail)
			SELECT r.shop_id, r.id, 1, 1, 1 + r.id MOD 47, 8 + r.id MOD 19, l.list, l.kind, r.id MOD 4, DATE_ADD('2026-11-01', INTERVAL r.id MOD
				300 DAY), 'Norrbeck Skua 4', '{"km": 400, "left": 100, "used": 0.5}'
			FROM runners r JOIN (SELECT 'ending' AS list, 'order' AS kind UNION SELECT 'due', 'order') l
			WHERE r.name LIKE 'Runner %' AND NOT EXISTS (SELECT 1 FROM verdict_lines v WHERE v.runner_id = r.id AND v.list = l.list)`)
		exec(`DELETE FROM buying`)
		exec(`INSERT INTO buying SELECT shop_id, model_id, uk_half, width, on_day, COUNT(*) FROM verdict_lines
			WHERE list = 'due' AND kind = 'order' GROUP BY shop_id, model_id, uk_half, width, on_day`)
		there = n
		for name, path := range map[string]string{"today": "/", "due": "/due?within=year"} {
			b.Run(fmt.Sprintf("%s-%d", name, n), func(b *testing.B) { measure(b, s.web.Handler, path, cookie) })
		}
	}
}
