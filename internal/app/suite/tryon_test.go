package suite_test

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/runlog"
	"trevik/internal/app/visit"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/match"
	"trevik/internal/core/term"
	"trevik/internal/record"
)

// The set is the proposed one as the fitter changed it, in an order that stays; who
// leads follows the comparisons, and an undone one does not count.
func TestTryOn(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	proposal, _, err := b.load(t, fit).Match()
	must(t, err)
	set := func() []string {
		t.Helper()
		list, err := b.load(t, fit).TryOnSet()
		must(t, err)
		return list
	}
	first := set()
	sorted := slices.Sorted(slices.Values(first))
	if !slices.Equal(sorted, slices.Sorted(slices.Values(proposal.TryOn))) {
		t.Fatalf("%v, proposed %v", first, proposal.TryOn)
	}
	out := first[1]
	_, err = b.Visits.SetInTryOn(ctx, b.fitter, fit, out, false)
	must(t, err)
	var more string
	for _, r := range proposal.Ranked {
		if !slices.Contains(first, r.Model) {
			more = r.Model
		}
	}
	_, err = b.Visits.SetInTryOn(ctx, b.fitter, fit, more, true)
	must(t, err)
	now := set()
	if slices.Contains(now, out) || !slices.Contains(now, more) {
		t.Errorf("%v", now)
	}
	if rest := slices.DeleteFunc(slices.Clone(now), func(s string) bool { return s == more }); !slices.Equal(rest,
		slices.DeleteFunc(slices.Clone(first), func(s string) bool { return s == out })) {
		t.Errorf("the order of the others moved: %v, then %v", first, now)
	}
	for _, bad := range [][3]string{{"moon", now[0], ""}, {now[0], now[0], ""}, {now[0], now[1], now[2]}} {
		if _, err := b.Visits.Compare(ctx, b.fitter, fit, bad[0], bad[1], bad[2]); err == nil {
			t.Errorf("%v is taken", bad)
		}
	}
	var last visit.Saved
	for range 3 {
		last, err = b.Visits.Compare(ctx, b.fitter, fit, now[0], now[1], "right")
		must(t, err)
	}
	_, err = b.Visits.Compare(ctx, b.fitter, fit, now[2], now[0], "even")
	must(t, err)
	lead, ok, err := b.load(t, fit).Leading(now)
	must(t, err)
	if !ok || lead.Ranked[0].Pair != now[1] || len(b.load(t, fit).Comparisons()) != 4 {
		t.Errorf("%+v", lead)
	}
	_, err = b.Visits.Undo(ctx, b.fitter, fit, last.IDs)
	must(t, err)
	less, _, err := b.load(t, fit).Leading(now)
	must(t, err)
	if len(b.load(t, fit).Comparisons()) != 3 || less.Ranked[0].LogStrength >= lead.Ranked[0].LogStrength {
		t.Errorf("an undone comparison counts: %+v", less)
	}
	_, err = b.Visits.Compare(ctx, b.fitter, fit, now[0], now[1], "left")
	must(t, err)
	if n := len(b.load(t, fit).Comparisons()); n != 4 {
		t.Errorf("%d comparisons", n)
	}
}

// Two fitters sell the last pair at once: one gets it, the other is told.
func TestLastPairIsSoldOnce(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	const fitters = 6
	fits := make([]uint64, fitters)
	for i := range fits {
		fits[i] = b.ready(t)
	}
	c, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	proposal, _, err := b.load(t, fits[0]).Match()
	must(t, err)
	at := slices.IndexFunc(proposal.Ranked, func(r match.Ranked) bool { return r.Size.Stock > 0 })
	model, stock := proposal.Ranked[at].Model, proposal.Ranked[at].Size.Stock
	for range stock - 1 { // one is left
		id := b.ready(t)
		_, err := b.Wardrobe.Choose(ctx, b.fitter, id, wardrobe.Sale{Model: model})
		must(t, err)
	}
	var all sync.WaitGroup
	errs := make([]error, fitters)
	for i := range fits {
		all.Go(func() {
			_, errs[i] = b.Wardrobe.Choose(ctx, by(b.fitter, rand.Text()), fits[i], wardrobe.Sale{Model: model, FromShelf: true})
		})
	}
	all.Wait()
	sold := 0
	for _, err := range errs {
		if err == nil {
			sold++
		} else if l, ok := fault.As(err); !ok || l[0].Field != "model" {
			t.Error(err)
		}
	}
	if sold != 1 {
		t.Errorf("%d fitters sold the last pair", sold)
	}
	c, err = b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	if n := c.ByCode(model).StockOf(proposal.Ranked[at].Size.Figure, proposal.Ranked[at].Size.Width); n != 0 {
		t.Errorf("%d on the shelf", n)
	}
	// It can still be ordered, in another size and at another price.
	figure, price := float64(proposal.Ranked[at].Size.Neighbours[0].Figure), int64(9900)
	order := slices.IndexFunc(errs, func(err error) bool { return err != nil })
	pair, err := b.Wardrobe.Choose(ctx, b.fitter, fits[order], wardrobe.Sale{Model: model, Figure: &figure, Price: &price})
	if proposal.Ranked[at].Size.Neighbours[0].RoomMM < 8 {
		faultAt(t, err, "figure", "no size that fits")
		return
	}
	must(t, err)
	_, basis := b.load(t, fits[order]).Choice()
	if basis.PairID != pair || basis.Price != 9900 || float64(basis.Ranked.Size.UK) != figure {
		t.Errorf("%+v", basis)
	}
}

// The sliders, the own window and what is let in reach the ranking; what can never be is
// refused.
func TestRankingAsTheFitterSets(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	rank := func() match.Answer {
		t.Helper()
		a, ready, err := b.load(t, fit).Match()
		must(t, err)
		if !ready {
			t.Fatal("not ready")
		}
		return a
	}
	before := rank()
	b.typed(t, b.fitter, fit, "shoes", "mark_weight.8=10", "room_wish=thumb") // money
	after := rank()
	cheapest := after.Ranked[0].CostPerKM
	for _, r := range after.Ranked {
		if r.CostPerKM < cheapest-1e-6 {
			t.Errorf("money weighs most, and %s at %g a km is not first (%g)", r.Model, r.CostPerKM, cheapest)
		}
		if r.Size.WantedMM == before.Ranked[0].Size.WantedMM && r.Size.WantedFor != "race" {
			t.Errorf("%s is sized by %v", r.Model, r.Size.WantedFor)
		}
	}
	var level, size string
	for _, o := range after.RuledOut {
		if slices.Equal(o.Reasons, []string{"level"}) {
			level = o.Model
		}
		if slices.Contains(o.Reasons, "size") {
			size = o.Model
		}
	}
	if level == "" {
		t.Skip("nothing is ruled out by its level alone")
	}
	_, err := b.Visits.LetIn(ctx, b.fitter, fit, level, "no", false)
	faultAt(t, err, "let_in", "letters long")
	_, err = b.Visits.LetIn(ctx, b.trainee, fit, level, "they want to feel it once", false)
	if err == nil {
		t.Error("a trainee lets a model in")
	}
	if size != "" {
		_, err = b.Visits.LetIn(ctx, b.fitter, fit, size, "they like its colour a lot", false)
		faultAt(t, err, "let_in", "is not possible")
	}
	_, err = b.Visits.LetIn(ctx, b.fitter, fit, level, "they want to feel it once", false)
	must(t, err)
	if a := rank(); !slices.ContainsFunc(a.Ranked, func(r match.Ranked) bool { return r.Model == level }) {
		t.Errorf("%s is still out", level)
	}
	_, err = b.Visits.LetIn(ctx, b.fitter, fit, level, "", true)
	must(t, err)
	if a := rank(); fmt.Sprint(len(a.Ranked)) != fmt.Sprint(len(after.Ranked)) {
		t.Error("what was taken back is still in")
	}
}

// What runners with like feet say of a model after some weeks stands beside it; early
// impressions, other feet and one's own do not count.
func TestLikedBy(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	c, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	buy := func(length, ball string) (fit, pair uint64, model string) {
		t.Helper()
		fit = b.start(t)
		b.typed(t, b.fitter, fit, "hello", "flags=none", "surface=road", "weekly_km=30")
		b.typed(t, b.fitter, fit, "feet", "length_mm.left.1="+length, "length_mm.right.1="+length, "ball_mm.left.1="+ball,
			"ball_mm.right.1="+ball)
		a, _, err := b.load(t, fit).Match()
		must(t, err)
		pair, err = b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: a.Ranked[0].Model})
		must(t, err)
		return fit, pair, a.Ranked[0].Model
	}
	comfort := func(v float64) *float64 { return &v }
	fit, pair, model := buy("262", "100")
	far, farPair, _ := buy("282", "107")
	faultAt(t, b.Wardrobe.AddReport(ctx, b.fitter, b.load(t, fit).Runner.ID, pair, nil, ""), "report_comfort", "is missing")
	faultAt(t, b.Wardrobe.AddReport(ctx, b.fitter, b.load(t, fit).Runner.ID, pair, comfort(7.5), ""), "report_comfort", "whole number")
	if err := b.Wardrobe.AddReport(ctx, b.fitter, b.load(t, fit).Runner.ID, farPair, comfort(7), ""); err == nil {
		t.Error("another runner's pair is reported")
	}
	must(t, b.Wardrobe.AddReport(ctx, b.fitter, b.load(t, fit).Runner.ID, pair, comfort(2), "stiff at first"))
	other := b.start(t)
	b.typed(t, b.fitter, other, "feet", "length_mm.left.1=264", "ball_mm.left.1=101")
	liked := func(fit uint64) wardrobe.Liking {
		t.Helper()
		of := b.load(t, fit)
		none, err := b.Wardrobe.LikedBy(ctx, b.fitter, of, []uint64{c.RowID(model) + 1})
		must(t, err)
		if len(none) > 0 {
			t.Errorf("models that were not asked for: %+v", none)
		}
		m, err := b.Wardrobe.LikedBy(ctx, b.fitter, of, []uint64{c.RowID(model)})
		must(t, err)
		return m[c.RowID(model)]
	}
	if l := liked(other); l.N != 0 {
		t.Errorf("a first impression counts: %+v", l)
	}
	b.now = b.now.AddDate(0, 0, 30)
	must(t, b.Wardrobe.AddReport(ctx, b.fitter, b.load(t, fit).Runner.ID, pair, comfort(8), "soft now"))
	must(t, b.Wardrobe.AddReport(ctx, b.fitter, b.load(t, far).Runner.ID, farPair, comfort(1), ""))
	if l := liked(other); l.N != 1 || l.Mean != 8 || !l.Few() {
		t.Errorf("%+v, want 8 by one", l)
	}
	if l := liked(fit); l.N != 0 {
		t.Errorf("their own report counts: %+v", l)
	}
	if r := b.load(t, fit).Runner.Pair(pair).Reports; len(r) != 2 || r[0].Comfort != 8 || r[0].AfterDays != 30 || r[1].AfterDays != 0 {
		t.Errorf("%+v", r)
	}
}

// Several pairs are sold in one fit, each with its own size and price, each taken back alone; a page
// that does not show what was sold since sells nothing.
func TestSeveralPairsInOneFit(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	answer, _, err := b.load(t, fit).Match()
	must(t, err)
	first, second := answer.Ranked[0].Model, answer.Ranked[1].Model
	one, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: first, Reason: "light"})
	must(t, err)
	if _, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: second}); err == nil {
		t.Error("a page from before the first sale sold another")
	}
	two, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: second, Sold: 1, Price: ptr(int64(9900))})
	must(t, err)
	three, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: first, Sold: 2, Called: "blue"})
	must(t, err)
	f := b.load(t, fit)
	var names []string
	for _, p := range f.Runner.InUse() {
		names = append(names, p.Name())
	}
	if len(f.Choices()) != 3 || f.Choices()[1].Basis.Price != 9900 || len(names) != 3 || names[0] == names[2] ||
		!strings.HasSuffix(names[2], "blue") {
		t.Errorf("%d chosen, %v", len(f.Choices()), names)
	}
	if err := b.Wardrobe.TakeBack(ctx, b.fitter, fit, 0); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("which of three was taken back? %v", err)
	}
	must(t, b.Wardrobe.TakeBack(ctx, b.fitter, fit, two))
	f = b.load(t, fit)
	if len(f.Choices()) != 2 || f.Choices()[0].Basis.PairID != one || f.Choices()[1].Basis.PairID != three || f.Runner.Pair(two) != nil {
		t.Errorf("%+v", f.Choices())
	}
	// Health goes, and what was taken back stays taken back.
	must(t, b.Transfer.SetConsents(ctx, b.fitter, f.Runner.ID, map[string]string{record.HealthConsent: record.ConsentNo}))
	if f = b.load(t, fit); len(f.Choices()) != 2 {
		t.Errorf("after the health answers went: %d chosen", len(f.Choices()))
	}
}

// A pair that is very unlike the one that they run in is sold with its plan of going over, which the
// rotation keeps to; taken back, the plan is over.
func TestSoldWithItsWay(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	runner := b.load(t, fit).Runner.ID
	old := b.owned(t, runner, "norrbeck-skua-3-men", 60)
	for day := 2; day < 30; day += 3 {
		_, err := b.Runs.Add(ctx, b.fitter, runner, runlog.Typed{PairID: old, On: b.now.AddDate(0, 0, -day).Format(time.DateOnly), KM: ptr(8.0),
			Ground: term.GroundRoad, Kind: term.Easy})
		must(t, err)
	}
	f := b.load(t, fit)
	answer, _, err := f.Match()
	must(t, err)
	sold, like := 0, 0
	for _, x := range answer.Ranked {
		m := f.Shop.Catalogue.ByCode(x.Model)
		way, err := f.WayTo(m)
		must(t, err)
		needed := way != nil && way.Plan.Needed && way.Plan.Refused == nil
		if needed && sold > 0 || !needed && like > 0 {
			continue
		}
		pair, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: x.Model})
		must(t, err)
		g, err := b.load(t, fit).GoingOver()
		must(t, err)
		if needed {
			sold++
			if len(g) != 1 || g[0].Pair.ID != pair || g[0].FromPair != old {
				t.Errorf("%s: going over %+v", x.Model, g)
			}
		} else {
			like++
			if len(g) != 0 {
				t.Errorf("%s is like the old pair, and yet %s", x.Model, g[0].Text(f.Today))
			}
		}
		must(t, b.Wardrobe.TakeBack(ctx, b.fitter, fit, pair))
		if g, err := b.load(t, fit).GoingOver(); err != nil || len(g) != 0 {
			t.Errorf("taken back, the plan goes on: %v, %v", g, err)
		}
	}
	if sold == 0 || like == 0 {
		t.Fatalf("%d models unlike the old pair and %d like it were sold", sold, like)
	}
}
