package suite_test

import (
	"bytes"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"math"
	"strings"
	"sync"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/due"
	"trevik/internal/app/runlog"
	"trevik/internal/app/shelf"
	"trevik/internal/app/visit"
	"trevik/internal/app/wardrobe"
	"trevik/internal/catalogue"
	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/record"
)

// stock is how many pairs of a model are on the shelf, in all sizes.
func (b *bench) stock(t *testing.T, code string) (n int) {
	t.Helper()
	must(t, b.store.DB.QueryRow("SELECT COALESCE(SUM(s.stock), 0) FROM model_sizes s JOIN models m ON m.id = s.model_id WHERE m.code = ? "+
		"AND m.shop_id = ?", code, b.fitter.ShopID).Scan(&n))
	return n
}

// Two tabs choose two models at once: one pair is theirs, and it can be taken back.
func TestTwoTabsChoose(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	for range 5 {
		fit := b.ready(t)
		answer, _, err := b.load(t, fit).Match()
		must(t, err)
		var all sync.WaitGroup
		errs := make([]error, 2)
		for i := range errs {
			all.Go(func() {
				_, errs[i] = b.Wardrobe.Choose(ctx, by(b.fitter, rand.Text()), fit, wardrobe.Sale{Model: answer.Ranked[i].Model})
			})
		}
		all.Wait()
		f := b.load(t, fit)
		d, basis := f.Choice()
		if d == nil || len(f.Runner.Pairs) != 1 || basis.PairID != f.Runner.Pairs[0].ID {
			t.Fatalf("%d pairs, chosen %+v; %v", len(f.Runner.Pairs), basis, errs)
		}
		must(t, b.Wardrobe.TakeBack(ctx, b.fitter, fit, 0))
		if f = b.load(t, fit); len(f.Runner.Pairs) != 0 {
			t.Errorf("taken back, %d pairs are left", len(f.Runner.Pairs))
		}
	}
}

// A pair is taken back while a run is put into it: one of the two is refused, and no run is left
// without the pair that it was run in.
func TestTakingBackAgainstARun(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	for range 12 {
		fit := b.ready(t)
		answer, _, err := b.load(t, fit).Match()
		must(t, err)
		pair, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: answer.Ranked[0].Model})
		must(t, err)
		runner := b.load(t, fit).Runner.ID
		var all sync.WaitGroup
		var run, back error
		all.Go(func() {
			_, run = b.Runs.Add(ctx, by(b.fitter, rand.Text()), runner, runlog.Typed{PairID: pair, On: "2026-11-24", KM: ptr(5.0),
				Ground: term.GroundRoad, Kind: term.Easy})
		})
		all.Go(func() { back = b.Wardrobe.TakeBack(ctx, by(b.owner, rand.Text()), fit, 0) })
		all.Wait()
		f := b.load(t, fit)
		switch {
		case run == nil && back == nil:
			t.Fatal("both were done")
		case run == nil && (len(f.Runner.Pairs) != 1 || len(f.Runner.Pairs[0].Runs) != 1), back == nil &&
			(len(f.Runner.Pairs) != 0 || len(f.Runner.Loose) != 0):
			t.Fatalf("%+v; run %v, back %v", f.Runner.Pairs, run, back)
		case run != nil && back != nil:
			t.Fatalf("neither was done: %v, %v", run, back)
		}
	}
	b.sums(t)
}

// While pairs are sold, the model's form is saved and files without and with the stock that was
// exported before are put in: the shelf falls by what was sold, and by nothing else.
func TestStockMovesByDifferences(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	c, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	answer, _, err := b.load(t, b.ready(t)).Match()
	must(t, err)
	var code string
	var m shoe.Model
	for _, r := range answer.Ranked {
		if r.Size.Stock >= 2 {
			code, m = r.Model, *c.ByCode(r.Model)
			break
		}
	}
	before := b.stock(t, code)
	cells := func() map[string]string {
		out := map[string]string{}
		for _, cell := range catalogue.Cells(&m) {
			out[cell.Name] = cell.Value
		}
		out[shelf.StockShown] = out["stock"]
		return out
	}
	var file bytes.Buffer
	without := m
	without.Stock, without.WeightG = nil, m.WeightG+1
	must(t, catalogue.WriteJSON(&file, []shoe.Model{without}))
	fits := []uint64{b.ready(t), b.ready(t)}
	looked := b.looked(t, b.owner, file.Bytes()) // looked at before anything is sold
	sold := 0
	for _, fit := range fits {
		if _, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: code, FromShelf: true}); err == nil {
			sold++
		} else if _, ok := fault.As(err); !ok {
			t.Fatal(err)
		}
	}
	if sold == 0 {
		t.Fatal("nothing was sold")
	}
	b.applied(t, b.owner, looked)
	if now := b.stock(t, code); now != before-sold {
		t.Errorf("a file without stock: %d of %d, %d sold", now, before, sold)
	}
	stale := cells() // the page as it was before the sales
	stale["weight_g"] = "240"
	_, err = b.Shelf.Save(ctx, b.fitter, code, stale)
	must(t, err)
	if now := b.stock(t, code); now != before-sold {
		t.Errorf("the model's form: %d of %d, %d sold", now, before, sold)
	}
	more := cells()
	place, count, _ := strings.Cut(strings.Fields(more["stock"])[0], "=")
	more["stock"] = strings.Replace(more["stock"], place+"="+count, place+"="+fmt.Sprint(m.Stock[0].Count+3), 1)
	_, err = b.Shelf.Save(ctx, b.fitter, code, more)
	must(t, err)
	if now := b.stock(t, code); now != before-sold+3 {
		t.Errorf("three more were typed: %d of %d, %d sold", now, before, sold)
	}
	var exported bytes.Buffer
	must(t, b.Shelf.Export(ctx, b.fitter, "csv", &exported))
	in := b.looked(t, b.owner, exported.Bytes())
	another := b.ready(t)
	_, err = b.Wardrobe.Choose(ctx, b.fitter, another, wardrobe.Sale{Model: code, FromShelf: true})
	if _, ok := fault.As(err); err != nil && !ok {
		t.Fatal(err)
	}
	if err == nil {
		sold++
	}
	b.applied(t, b.owner, in)
	if now := b.stock(t, code); now != before-sold+3 {
		t.Errorf("the file that was exported before: %d of %d, %d sold", now, before, sold)
	}
}

// A sale goes on while thousands of models are put in.
func TestImportHoldsNoSaleUp(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	c, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	list := make([]shoe.Model, 4000)
	for i := range list {
		m := c.Models[i%len(c.Models)]
		m.ID, m.Replaces, m.Change = fmt.Sprintf("m%d", i), "", ""
		list[i] = m
	}
	var file bytes.Buffer
	must(t, catalogue.WriteCSV(&file, list))
	fit := b.ready(t)
	answer, _, err := b.load(t, fit).Match()
	must(t, err)
	in := b.looked(t, b.owner, file.Bytes())
	must(t, b.Shelf.Apply(ctx, b.owner, in.Upload.ID))
	for { // in the middle of it
		st, err := b.Shelf.Import(ctx, b.owner, in.Upload.ID)
		must(t, err)
		if st.Job.Done > 0 || st.Ended() {
			break
		}
		time.Sleep(2 * time.Millisecond)
	}
	_, err = b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: answer.Ranked[0].Model})
	must(t, err)
	// That it was sold before the import ended is in the order of the catalogue's changes.
	b.settled(t)
	if now, err := b.Shelf.Catalogue(ctx, b.fitter); err != nil || len(now.Models) != len(c.Models)+len(list) {
		t.Errorf("%v", err)
	}
}

// Two fitters on one fit: what the other found meanwhile is not lost without a word, whether one
// field or a whole page is sent.
func TestTwoFittersOnOneFit(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	b.typed(t, b.fitter, fit, "gait", "band.left=mild")
	seen := b.load(t, fit).Newest()
	b.typed(t, b.owner, fit, "gait", "band.left=severe", "band_sure.left=sure")
	value := func(input, typed string) record.Value {
		d, k := found(input)
		return record.Value{Key: k, Decl: d, Text: typed}
	}
	// A whole page that showed 'mild' and says so again says nothing of its own.
	saved, err := b.Visits.Record(ctx, b.fitter, fit, visit.Page{Newest: seen, Whole: true}, []record.Value{value("band.left", "mild"),
		value("strike", "heel")})
	must(t, err)
	f := b.load(t, fit)
	if text(f, "band.left") != "severe" && len(saved.Notes) == 0 {
		t.Errorf("%s: the other's finding was lost without a word", text(f, "band.left"))
	}
	if text(f, "strike") != "heel" {
		t.Error("what is new is not kept")
	}
	// Changed by hand: it holds, and it is said what it changed.
	b.typed(t, b.owner, fit, "gait", "band.right=neutral")
	saved, err = b.Visits.Record(ctx, b.fitter, fit, visit.Page{Newest: seen}, []record.Value{value("band.right", "marked")})
	must(t, err)
	if text(b.load(t, fit), "band.right") != "marked" || len(saved.Notes) == 0 || !strings.Contains(strings.Join(saved.Notes, " "),
		"neutral") {
		t.Errorf("%q", saved.Notes)
	}
	// Undo of what somebody changed since says so, and leaves it.
	mine := b.typed(t, b.fitter, fit, "gait", "knee.left=straight")
	b.typed(t, b.owner, fit, "gait", "knee.left=far_inward")
	undone, err := b.Visits.Undo(ctx, b.fitter, fit, mine.IDs)
	must(t, err)
	if text(b.load(t, fit), "knee.left") != "far_inward" || len(undone.Notes) == 0 {
		t.Errorf("%s %q", text(b.load(t, fit), "knee.left"), undone.Notes)
	}
}

// Closing a fit that is closed moves nothing.
func TestClosingTwice(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	must(t, b.Visits.Close(ctx, b.fitter, fit))
	at := b.load(t, fit).ClosedAt
	b.now = b.now.Add(48 * time.Hour)
	if err := b.Visits.Close(ctx, b.fitter, fit); err != nil && !errors.Is(err, app.ErrClosed) {
		t.Error(err)
	}
	if now := b.load(t, fit).ClosedAt; !now.Equal(at) {
		t.Errorf("closed on %s, and then on %s", at, now)
	}
}

// A choice that is no choice any more is told of, and not taken for none.
func TestCorruptChoiceIsLoud(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	answer, _, err := b.load(t, fit).Match()
	must(t, err)
	_, err = b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: answer.Ranked[0].Model})
	must(t, err)
	_, err = b.store.DB.Exec("UPDATE decisions SET basis = '{\"pair_id\": \"seven\"}', health = NULL WHERE fit_id = ?", fit)
	must(t, err)
	if f, err := b.Visits.Fit(ctx, b.fitter, fit); err == nil {
		d, basis := f.Choice()
		t.Errorf("read as %+v %+v", d, basis)
	}
}

// A model is told to last otherwise: the shop's lists follow at once, as the pair's own page does.
func TestListsFollowTheModel(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	pair := b.owned(t, b.load(t, fit).Runner.ID, "norrbeck-skua-4-men", 90)
	for i := range 6 {
		_, err := b.Runs.Add(ctx, b.fitter, b.load(t, fit).Runner.ID,
			runlog.Typed{PairID: pair, On: b.now.AddDate(0, 0, -80+10*i).Format(time.DateOnly), KM: ptr(25.0), Ground: term.GroundRoad,
				Kind: term.Easy})
		must(t, err)
	}
	ordered := func() string {
		t.Helper()
		for _, l := range b.due(t, due.Filter{Until: b.now.AddDate(2, 0, 0), Kind: record.DueOrder}) {
			if l.PairID == pair {
				return l.On.Format(time.DateOnly)
			}
		}
		return ""
	}
	before := ordered()
	c, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	cells := map[string]string{}
	for _, cell := range catalogue.Cells(c.ByCode("norrbeck-skua-4-men")) {
		cells[cell.Name] = cell.Value
	}
	cells["median_life_km"], cells[shelf.StockShown] = "400", cells["stock"]
	_, err = b.Shelf.Save(ctx, b.fitter, "norrbeck-skua-4-men", cells)
	must(t, err)
	worn, err := b.load(t, fit).Worn()
	must(t, err)
	if after := ordered(); after == before || worn[0].Wear.OrderBy == nil || after != *worn[0].Wear.OrderBy {
		t.Errorf("Due says %s, before it was %s; the pair's page says %v", after, before, worn[0].Wear.OrderBy)
	}
}

// An insole that was measured moves the room of its model for every runner, and back; what cannot be says
// so at its field.
func TestInsolesMoveTheRoom(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	room := func() (mm, sd float64) {
		f := b.load(t, fit)
		m := f.Shop.Catalogue.ByCode("norrbeck-skua-4-men")
		mm, ok := f.RoomIn(m, 8)
		if !ok {
			t.Fatal("no foot was measured")
		}
		return mm, f.RoomError(m)
	}
	c, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	row := c.RowID("norrbeck-skua-4-men")
	before, doubt := room()
	inside := c.ByID(row).InnerLength(8, nil)
	for field, try := range map[string][2]*float64{"insole_size": {ptr(8.25), ptr(270.0)}, "insole_mm": {ptr(8.0), nil}} {
		faultAt(t, b.Shelf.AddInsole(ctx, b.fitter, row, try[0], try[1]), field, "")
	}
	faultAt(t, b.Shelf.AddInsole(ctx, b.fitter, row, ptr(8.0), ptr(inside+30)), "insole_mm", "look at the size once more")
	if err := b.Shelf.AddInsole(ctx, b.other, row, ptr(8.0), ptr(inside)); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("another shop's model: %v", err)
	}
	must(t, b.Shelf.AddInsole(ctx, b.fitter, row, ptr(8.0), ptr(inside+5)))
	after, surer := room()
	if math.Abs(after-before-4) > 1e-6 || surer >= doubt {
		t.Errorf("5 mm longer by an insole: %+.3f mm of room, ± %.2f after ± %.2f", after-before, surer, doubt)
	}
	list, err := b.Shelf.Insoles(ctx, b.fitter, row)
	must(t, err)
	if len(list) != 1 || list[0].LengthMM != inside+5 {
		t.Fatalf("%+v", list)
	}
	if err := b.Shelf.TakeInsoleBack(ctx, b.other, list[0].ID); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("another shop takes it back: %v", err)
	}
	must(t, b.Shelf.TakeInsoleBack(ctx, b.fitter, list[0].ID))
	if again, _ := room(); again != before {
		t.Errorf("taken back, the room is %g, was %g", again, before)
	}
}

// A barcode opens the right pair in the right size, and a count of scanned boxes sets the stock by the
// difference that was looked at, so that a sale meanwhile stays.
func TestBarcodesAndCounting(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	fit := b.ready(t)
	c, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	const code = "norrbeck-skua-4-men"
	row := c.RowID(code)
	size := func() (uk float64, width string) {
		x, ok, err := b.load(t, fit).Offered(code)
		must(t, err)
		if !ok {
			t.Fatal("it is not offered")
		}
		return float64(x.Size.Figure), x.Size.Width
	}
	uk, width := size()
	faultAt(t, b.Shelf.SetBarcode(ctx, b.fitter, row, "4006381333932", &uk, width), "barcode", "last digit")
	faultAt(t, b.Shelf.SetBarcode(ctx, b.fitter, row, "4006381333931", nil, width), "barcode_size", "")
	faultAt(t, b.Shelf.SetBarcode(ctx, b.fitter, row, "4006381333931", &uk, "Q"), "barcode_width", "")
	if err := b.Shelf.SetBarcode(ctx, b.trainee, row, "4006381333931", &uk, width); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a trainee: %v", err)
	}
	must(t, b.Shelf.SetBarcode(ctx, b.fitter, row, "4006381333931", &uk, width))
	faultAt(t, b.Shelf.SetBarcode(ctx, b.fitter, row, "04006381333931", &uk, width), "barcode", "already")
	_, err = b.Shelf.Scan(ctx, b.other, "4006381333931")
	faultAt(t, err, "barcode", "no box that the shop knows")
	box, err := b.Shelf.Scan(ctx, b.fitter, "4006381333931")
	must(t, err)
	h, err := b.load(t, fit).InHand(box.Model, box.UK, box.Width)
	must(t, err)
	if !h.Sells || !h.Known || h.M.ID != code || float64(h.UK) != uk {
		t.Errorf("in hand: %+v", h)
	}
	if h, err := b.load(t, fit).InHand(box.Model, 12, box.Width); err != nil || h.Sells || h.Why == "" {
		t.Errorf("far too long: %+v, %v", h, err)
	}

	scans := strings.Repeat("4006381333931\n", 7)
	_, err = b.Shelf.CountOf(ctx, b.fitter, scans+"73513537\n")
	faultAt(t, err, "codes", "line 8")
	list, err := b.Shelf.CountOf(ctx, b.fitter, scans)
	must(t, err)
	if len(list) != 1 || list[0].Pairs != 7 {
		t.Fatalf("%+v", list)
	}
	shown, all := list[0].Stock, b.stock(t, code)
	sold := 0
	if _, err := b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: code, Figure: &uk}); err == nil && shown > 0 {
		sold = 1
	}
	must(t, b.Shelf.SetCount(ctx, b.fitter, scans, []int{shown}))
	if got, want := b.stock(t, code), all+7-shown-sold; got != want {
		t.Errorf("counted, there are %d pairs, want %d", got, want)
	}
	faultAt(t, b.Shelf.SetCount(ctx, b.fitter, scans, nil), "codes", "look once more")
	must(t, b.Shelf.DropBarcode(ctx, b.fitter, box.Code))
	if err := b.Shelf.DropBarcode(ctx, b.fitter, box.Code); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("taken away twice: %v", err)
	}
}
