package suite_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"trevik/internal/app/due"
	"trevik/internal/app/runlog"
	"trevik/internal/core/foot"
	"trevik/internal/core/term"
	"trevik/internal/record"
)

// The buying list follows its orders: one that comes, one that moves, one that goes with its
// runner. A sum that was changed behind the application's back is found.
func TestBuyingFollowsTheOrders(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	until := b.now.AddDate(1, 0, 0)
	wanted := func() (pairs int) {
		t.Helper()
		b.due(t, due.Filter{Until: until})
		list, _, err := b.Due.Buying(ctx, b.fitter, until, 1)
		must(t, err)
		for _, x := range list {
			pairs += x.Pairs
		}
		b.sums(t)
		return pairs
	}
	runner := b.load(t, b.ready(t)).Runner.ID
	before := wanted()
	pair := b.owned(t, runner, "norrbeck-skua-3-men", 120)
	b.ran(t, runner, pair, 420)
	if n := wanted(); n != before+1 {
		t.Fatalf("%d pairs on the list, %d before", n, before)
	}
	b.ran(t, runner, pair, 30)
	if n := wanted(); n != before+1 {
		t.Errorf("%d pairs after a day that moved", n)
	}
	must(t, b.Wardrobe.SetAside(ctx, b.fitter, runner, pair, record.WornOut, ""))
	if n := wanted(); n != before {
		t.Errorf("%d pairs once it was set aside", n)
	}
	second := b.load(t, b.ready(t)).Runner.ID
	b.ran(t, second, b.owned(t, second, "norrbeck-skua-3-men", 120), 420)
	if n := wanted(); n != before+1 {
		t.Fatalf("%d pairs with a second runner", n)
	}
	if _, err := b.store.DB.Exec("UPDATE buying SET pairs = pairs + 1"); err != nil {
		t.Fatal(err)
	}
	if found, err := b.Due.Check(ctx, b.fitter.ShopID); err != nil || len(found) == 0 || !strings.Contains(found[0], "pairs kept") {
		t.Errorf("a wrong sum: %v, %v", found, err)
	}
	if _, err := b.store.DB.Exec("UPDATE buying SET pairs = pairs - 1"); err != nil {
		t.Fatal(err)
	}
	there, err := b.store.Erase(ctx, b.fitter.ShopID, second)
	if err != nil || !there {
		t.Fatal(there, err)
	}
	if n := wanted(); n != before {
		t.Errorf("%d pairs once they were erased", n)
	}
}

// Page by page, the list is what a plain sum over the orders gives, whether many models are
// wanted or one by many.
func TestBuyingPages(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 7))
	until := b.now.AddDate(1, 0, 0)
	for _, c := range []struct{ models, sizes, days, orders int }{{40, 20, 365, 6000}, {2, 3, 365, 6000}, {1, 1, 1, 50}, {9, 17, 700, 400}} {
		must(t, exec(b, "DELETE FROM buying"))
		type key struct {
			model, half int
		}
		type sum struct {
			first, pairs int
		}
		want, rows := map[key]sum{}, map[[3]int]int{}
		for range c.orders {
			k, day := key{1 + rng.IntN(c.models), 10 + rng.IntN(c.sizes)}, rng.IntN(c.days)-100
			rows[[3]int{k.model, k.half, day}]++
			if b.now.AddDate(0, 0, day).After(until) {
				continue
			}
			w, there := want[k]
			if w.pairs++; !there || day < w.first {
				w.first = day
			}
			want[k] = w
		}
		var values []string
		for k, n := range rows {
			values = append(values, fmt.Sprintf("(%d, %d, %d, 'D', '%s', %d)", b.fitter.ShopID, k[0], k[1],
				b.now.AddDate(0, 0, k[2]).Format(time.DateOnly), n))
		}
		for some := range slices.Chunk(values, 1000) {
			must(t, exec(b, "INSERT INTO buying (shop_id, model_id, uk_half, width, on_day, pairs) VALUES "+strings.Join(some, ", ")))
		}
		var got []string
		for page, more := 1, true; more; page++ {
			list, next, err := b.Due.Buying(ctx, b.fitter, until, due.Page(page))
			must(t, err)
			for _, x := range list {
				got = append(got, fmt.Sprintf("%s %d %s %s", x.By.Format(time.DateOnly), x.Pairs, x.Model.ID, x.Label))
			}
			more = next
		}
		cat, err := b.Shelf.Catalogue(ctx, b.fitter)
		must(t, err)
		var all []string
		for k, w := range want {
			m := cat.ByID(uint64(k.model))
			all = append(all, fmt.Sprintf("%s %d %s %s", b.now.AddDate(0, 0, w.first).Format(time.DateOnly), w.pairs, m.ID,
				m.Label(foot.Figure(k.half)/2, "D")))
		}
		if !slices.IsSortedFunc(got, func(a, b string) int { return strings.Compare(a[:10], b[:10]) }) {
			t.Errorf("%+v: not in the order of days", c)
		}
		slices.Sort(got)
		slices.Sort(all)
		if !slices.Equal(got, all) {
			t.Errorf("%+v: %d lines, want %d", c, len(got), len(all))
		}
	}
}

// ran logs the distance of a pair's last weeks.
func (b *bench) ran(t testing.TB, runner, pair uint64, km float64) {
	t.Helper()
	for i := range 10 {
		_, err := b.Runs.Add(context.Background(), b.fitter, runner,
			runlog.Typed{PairID: pair, On: b.now.AddDate(0, 0, -5*i-1).Format(time.DateOnly),
				KM: ptr(km / 10), Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
	}
}

func exec(b *bench, text string) error {
	_, err := b.store.DB.Exec(text)
	return err
}
