package due

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// PageSize is how many lines of a list a page shows.
const PageSize = 50

// mostWritten is how many lines of a list a file or a calendar holds.
const mostWritten = 5000

// Page is which part of a list is asked for, from 1.
type Page int

func (p Page) offset() int32 { return int32(max(0, int(p)-1) * PageSize) }

// State is how a list stands beside its lines.
type State struct {
	More   bool    // lines follow on the next page
	Behind bool    // some are being brought up to date
	Faults []Fault // runners that could not be computed
}

// Fault is a runner whose pairs cannot be computed, and why.
type Fault struct {
	RunnerID uint64
	Runner   string
	Why      string
}

// mostFaulty is how many such runners a page names.
const mostFaulty = 10

// state brings the lists up to date, and tells what stands beside the lines.
func (d *Lists) state(ctx context.Context, who app.Actor) (s State, err error) {
	if s.Behind, err = d.upToDate(ctx, who); err != nil {
		return s, err
	}
	rows, err := d.Store.VerdictFaults(ctx, db.VerdictFaultsParams{ShopID: who.ShopID, Limit: mostFaulty})
	for _, r := range rows {
		s.Faults = append(s.Faults, Fault{r.RunnerID, r.Runner, r.Fault})
	}
	return s, err
}

// Ending is a pair that nears its end or wants a look.
type Ending struct {
	RunnerID uint64
	Runner   string
	FitID    uint64
	Pair     string
	State    string
	EndingDetail
}

// Ending lists the shop's pairs that near their end or want a look, the most urgent first.
func (d *Lists) Ending(ctx context.Context, who app.Actor, page Page) ([]Ending, State, error) {
	s, err := d.state(ctx, who)
	if err != nil {
		return nil, s, err
	}
	rows, err := d.Store.EndingLines(ctx, db.EndingLinesParams{ShopID: who.ShopID, Limit: PageSize + 1, Offset: page.offset()})
	if err != nil {
		return nil, s, err
	}
	if s.More = len(rows) > PageSize; s.More {
		rows = rows[:PageSize]
	}
	out := make([]Ending, len(rows))
	for i, r := range rows {
		out[i] = Ending{RunnerID: r.RunnerID, Runner: r.Runner, FitID: r.FitID, Pair: r.Words, State: r.Kind}
		if err := json.Unmarshal(r.Detail, &out[i].EndingDetail); err != nil {
			return nil, s, err
		}
	}
	return out, s, nil
}

// Line is something that is to be done by a day.
type Line struct {
	ID       uint64
	Kind     record.DueKind
	On       time.Time
	RunnerID uint64
	Runner   string
	FitID    uint64
	PairID   uint64
	Text     string
}

// Late says whether the day is past.
func (l Line) Late(today time.Time) bool { return l.On.Before(today) }

// Filter is what of a list is asked for: up to a day, of one kind (empty: all).
type Filter struct {
	Until time.Time
	Kind  record.DueKind
}

// Due lists what is to be done over all runners, the earliest first.
func (d *Lists) Due(ctx context.Context, who app.Actor, f Filter, page Page) ([]Line, State, error) {
	s, err := d.state(ctx, who)
	if err != nil {
		return nil, s, err
	}
	out, err := d.due(ctx, who, f, PageSize+1, page.offset())
	if s.More = len(out) > PageSize; s.More {
		out = out[:PageSize]
	}
	return out, s, err
}

func (d *Lists) due(ctx context.Context, who app.Actor, f Filter, most, offset int32) ([]Line, error) {
	var rows []db.DueLinesRow
	var err error
	if f.Kind == "" {
		rows, err = d.Store.DueLines(ctx, db.DueLinesParams{ShopID: who.ShopID, OnDay: f.Until, Limit: most, Offset: offset})
	} else {
		var some []db.DueLinesOfKindRow
		some, err = d.Store.DueLinesOfKind(ctx, db.DueLinesOfKindParams{ShopID: who.ShopID, Kind: string(f.Kind), OnDay: f.Until, Limit: most,
			Offset: offset})
		for _, r := range some {
			rows = append(rows, db.DueLinesRow(r))
		}
	}
	out := make([]Line, len(rows))
	for i, r := range rows {
		out[i] = Line{r.ID, record.DueKind(r.Kind), r.OnDay, r.RunnerID, r.Runner, r.FitID, uint64(r.PairID.Int64), r.Words}
	}
	return out, err
}

// Buying adds up what is to be ordered by model and size.
type Buying struct {
	Model *shoe.Model
	Label string
	For   []string // runners
	Pairs int
	By    time.Time
	Stock int // on the shelf in that size and width
}

// Buying gathers the orders among what is due up to a day.
func (d *Lists) Buying(ctx context.Context, who app.Actor, until time.Time, page Page) ([]Buying, bool, error) {
	out, err := d.buying(ctx, who, until, PageSize+1, page.offset())
	more := len(out) > PageSize
	return out[:min(len(out), PageSize)], more, err
}

// firstSeen is how many days of orders are looked through for the models and sizes of a page. Where
// they name too few, all are.
const firstSeen = 2000

func (d *Lists) buying(ctx context.Context, who app.Actor, until time.Time, most, offset int32) ([]Buying, error) {
	c, err := d.Shelf.Catalogue(ctx, who)
	if err != nil {
		return nil, err
	}
	var rows []db.BuyingLinesRow
	for _, seen := range []int32{firstSeen, math.MaxInt32} {
		rows, err = d.Store.BuyingLines(ctx, db.BuyingLinesParams{ShopID: who.ShopID, Last: until, Limit: seen, Limit_2: most, Offset: offset})
		if err != nil {
			return nil, err
		}
		if len(rows) == int(most) {
			break
		}
	}
	if len(rows) == 0 {
		return nil, nil
	}
	names, err := d.orderedFor(ctx, who, dayOf(rows[0].ByDay), until)
	if err != nil {
		return nil, err
	}
	var out []Buying
	for _, r := range rows {
		m := c.ByID(r.ModelID)
		if m == nil {
			continue
		}
		size := foot.Figure(float64(r.UkHalf) / 2)
		b := Buying{Model: m, Label: m.Label(size, r.Width), For: names[order{r.ModelID, r.UkHalf, r.Width}],
			Pairs: int(r.Pairs), By: dayOf(r.ByDay), Stock: m.StockOf(size, r.Width)}
		if more := b.Pairs - len(b.For); more > 0 {
			b.For = append(b.For, fmt.Sprintf("%d more", more))
		}
		out = append(out, b)
	}
	return out, nil
}

// dayOf is a day that the database computed.
func dayOf(v any) time.Time {
	day, _ := v.(time.Time)
	return day
}

// order is what is ordered: a model in a size and width.
type order struct {
	model uint64
	half  int16
	width string
}

// mostNamed is how many orders of a part of the list are told with their runner's name.
const mostNamed = 100

// orderedFor are the runners of the first orders from a day on, by what is ordered.
func (d *Lists) orderedFor(ctx context.Context, who app.Actor, first, last time.Time) (map[order][]string, error) {
	rows, err := d.Store.OrdersFrom(ctx, db.OrdersFromParams{ShopID: who.ShopID, First: first, Last: last, Limit: mostNamed})
	out := map[order][]string{}
	for _, r := range rows {
		k := order{uint64(r.ModelID.Int64), r.UkHalf, r.Width}
		out[k] = append(out[k], r.Runner)
	}
	return out, err
}

// mostDrifts is how many faults of the sums Check names.
const mostDrifts = 100

// Check tells where the buying list's sums and the orders that they are made of differ.
func (d *Lists) Check(ctx context.Context, shopID uint64) (drifts []string, err error) {
	rows, err := d.Store.BuyingDrifts(ctx, db.BuyingDriftsParams{ShopID: shopID, Limit: mostDrifts})
	for _, r := range rows {
		drifts = append(drifts, fmt.Sprintf("buying list: model %d, UK %g%s, %s: %d pairs kept, %d ordered", r.ModelID, float64(r.UkHalf)/2,
			r.Width,
			r.OnDay.Format(time.DateOnly), r.Kept, r.Ordered))
	}
	return drifts, err
}

// WriteBuying writes the buying list as CSV.
func (d *Lists) WriteBuying(ctx context.Context, who app.Actor, until time.Time, w io.Writer) error {
	if _, err := d.upToDate(ctx, who); err != nil {
		return err
	}
	list, err := d.buying(ctx, who, until, mostWritten, 0)
	if err != nil {
		return err
	}
	records := [][]string{{"Order by", "Maker", "Model", "Version", "Size", "Pairs", "On the shelf", "For"}}
	for _, b := range list {
		records = append(records, []string{b.By.Format(time.DateOnly), form.PlainCell(b.Model.Maker), form.PlainCell(b.Model.Name),
			fmt.Sprint(b.Model.Version), b.Label, fmt.Sprint(b.Pairs), fmt.Sprint(b.Stock), form.PlainCell(strings.Join(b.For, "; "))})
	}
	return csv.NewWriter(w).WriteAll(records)
}
