package wardrobe

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/app/runlog"
	"trevik/internal/app/shelf"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/limits"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Fields of the forms by which a pair becomes a runner's.
var (
	ChooseFields = []form.Field{
		{Name: "model", Label: "Model", Kind: form.Text, Max: 80},
		{Name: "reason", Label: "In their words", Kind: form.Text, Max: 1000},
		{Name: "figure", Label: "Size", Kind: form.Number, Lo: 0, Hi: 20},
		{Name: "price", Label: "Price paid", Kind: form.Number, Unit: form.Money, Lo: 0, Hi: limits.MoneyMinor.Hi},
		{Name: "shelf", Label: "From the shelf", Kind: form.Choice, Choices: []string{"yes", "no"}},
		{Name: "sold", Label: "Sold so far", Kind: form.Number, Lo: 0, Hi: mostSold},
		CalledFields[0],
	}
	OwnedPairFields = []form.Field{
		{Name: "model", Label: "Model", Kind: form.Text, Max: 80},
		{Name: "uk", Label: "UK size", Kind: form.Number, Lo: 0, Hi: 20},
		{Name: "width", Label: "Width", Kind: form.Text, Max: 4},
		{Name: "price", Label: "Price paid", Kind: form.Number, Unit: form.Money, Lo: 0, Hi: limits.MoneyMinor.Hi},
		{Name: "since", Label: "First worn", Kind: form.Day},
		CountedFields[0], CountedFields[1], CalledFields[0],
		{Name: "made_for", Label: "Not in the catalogue? It is made for", Kind: form.Choice, Choices: form.Words(term.Classes)},
	}
)

// Sale is what a runner decided on. Figure nil is the size that was proposed, Price nil the
// model's own; FromShelf says that the page showed a pair on the shelf.
type Sale struct {
	Model     string
	Reason    string
	Figure    *float64 // the running UK figure on the model's chart
	Price     *int64   // minor units
	FromShelf bool
	Sold      int    // pairs of this fit that the page showed as sold
	Called    string // what tells it from another of its model
}

// mostSold is how many pairs are sold in one fit.
const mostSold = 12

// Choose makes a ranked model the runner's pair: a pair, a decision with its basis, and one less
// on the shelf where there was one. It gives the pair's id. It fails with a fault.List, at model
// where the pair that was on the shelf was sold meanwhile, or one was chosen already.
func (w *Wardrobe) Choose(ctx context.Context, who app.Actor, fitID uint64, sale Sale) (uint64, error) {
	sale.Reason = strings.TrimSpace(sale.Reason)
	var l fault.List
	form.Length(&l, "reason", sale.Reason, 0, 1000)
	if sale.Price != nil {
		limits.MoneyMinor.Check(&l, "price", float64(*sale.Price))
	}
	form.Length(&l, "called", strings.TrimSpace(sale.Called), 0, 60)
	if len(l) > 0 {
		return 0, l
	}
	result, err := w.Once(ctx, who, func(q *db.Queries) (string, error) {
		fit, err := w.Visits.Open(ctx, q, who, fitID)
		if err != nil {
			return "", err
		}
		if err := w.LockRunner(ctx, q, who, fit.Runner.ID); err != nil {
			return "", err
		}
		id, err := w.sell(ctx, q, who, fit, sale)
		if err != nil {
			return "", err
		}
		return strconv.FormatUint(id, 10), w.Touch(ctx, q, who, fit.Runner.ID)
	})
	if err != nil {
		return 0, err
	}
	return strconv.ParseUint(result, 10, 64)
}

func (w *Wardrobe) sell(ctx context.Context, q *db.Queries, who app.Actor, fit *record.Conclusions, sale Sale) (uint64, error) {
	// A page that does not show what was sold since sells nothing: that may be the same pair.
	switch sold := fit.Choices(); {
	case len(sold) >= mostSold:
		return 0, fault.List{{Field: "model", Text: fmt.Sprintf("is one too many: %d pairs were chosen in this fit", len(sold))}}
	case len(sold) != sale.Sold:
		name := "a pair was taken back"
		if len(sold) > 0 {
			name = sold[len(sold)-1].Basis.Name + " was chosen in this fit already"
		}
		return 0, fault.List{{Field: "model", Text: "is not taken down: " + name + "; look at the page again, and choose it once more"}}
	}
	ranked, ready, err := fit.Offered(sale.Model)
	if err != nil {
		return 0, err
	}
	if !ready {
		return 0, fault.List{{Field: "model", Text: "is not among the models that are offered to this runner"}}
	}
	m := fit.Shop.Catalogue.ByCode(sale.Model)
	price := m.Price()
	if sale.Price != nil {
		price = *sale.Price
	}
	if sale.Figure != nil {
		if ranked.Size, ready = ranked.Size.Take(foot.Figure(*sale.Figure)); !ready {
			return 0, fault.List{{Field: "figure",
				Text: "is no size that fits this runner; allowed is the one proposed or the next to it that leaves 8 mm"}}
		}
	}
	sup, err := fit.Support()
	if err != nil {
		return 0, err
	}
	id, taken := fit.Shop.Catalogue.RowID(sale.Model), false
	if fit.Runner.Practice == nil { // practice takes nothing from the shelf
		if taken, err = shelf.Take(ctx, q, id, ranked.Size.Figure, ranked.Size.Width); err != nil {
			return 0, err
		}
		if !taken && (sale.FromShelf || ranked.Size.Stock > 0) {
			return 0, fault.List{{Field: "model",
				Text: "is sold: the last pair on the shelf in that size went a moment ago; choose it again to order one, or another size"}}
		}
	}
	pair, err := q.AddPair(ctx, db.AddPairParams{ShopID: who.ShopID, RunnerID: fit.Runner.ID, ModelID: id, FitID: app.NullID(fit.ID),
		UkHalf: app.Halves(ranked.Size.Figure),
		Width:  ranked.Size.Width, Price: price, BoughtOn: w.Today(who), FromStock: taken, Called: strings.TrimSpace(sale.Called),
		MadeBy: who.UserID, MadeAt: w.Now()})
	if err != nil {
		return 0, err
	}
	basis := record.Basis{Settings: fit.Settings, Support: sup, Ranked: ranked, Name: record.ModelName(m), PairID: uint64(pair), Price: price}
	if err := w.Visits.Decide(ctx, q, who, fit.ID, record.Chosen, sale.Model, sale.Reason, basis); err != nil {
		return 0, err
	}
	if err := w.goOver(ctx, q, who, fit, m, uint64(pair)); err != nil {
		return 0, err
	}
	if !taken {
		return uint64(pair), nil
	}
	return uint64(pair), shelf.Changed(ctx, q, who.ShopID, id)
}

// TakeBack undoes one of the fit's choices, of a pair (0: the only one): the pair is no longer the
// runner's and goes back on the shelf. A pair that was run in stays.
func (w *Wardrobe) TakeBack(ctx context.Context, who app.Actor, fitID, pairID uint64) error {
	return w.Do(ctx, who, func(q *db.Queries) error {
		fit, err := w.Visits.Open(ctx, q, who, fitID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(fit.Choices(), func(c record.Choice) bool { return pairID == 0 || c.Basis.PairID == pairID })
		if at < 0 || pairID == 0 && len(fit.Choices()) > 1 {
			return app.ErrNotFound
		}
		basis := fit.Choices()[at].Basis
		if err := w.LockRunner(ctx, q, who, fit.Runner.ID); err != nil {
			return err
		}
		p, err := own(ctx, q, who, fit.Runner.ID, basis.PairID)
		if err != nil {
			return err
		}
		runs, err := q.CountRunsOfPair(ctx, app.NullID(p.ID))
		if err != nil {
			return err
		}
		if runs > 0 {
			return fault.List{{Field: "pair", Text: "was run in already, so it stays the runner's"}}
		}
		if err := app.Some(q.TakePairBack(ctx, db.TakePairBackParams{TakenBackAt: app.NullTime(w.Now()), ID: p.ID,
			ShopID: who.ShopID})); err != nil {
			return err
		}
		if err := w.Visits.Decide(ctx, q, who, fitID, record.Chosen, "", "", map[string]uint64{"pair_id": p.ID}); err != nil {
			return err
		}
		if err := q.EndChangesTo(ctx, db.EndChangesToParams{EndedAt: app.NullTime(w.Now()), ToPair: app.NullID(p.ID), RunnerID: fit.Runner.ID,
			ShopID: who.ShopID}); err != nil {
			return err
		}
		if err := w.Touch(ctx, q, who, fit.Runner.ID); err != nil || !p.FromStock {
			return err
		}
		if err := q.PutInStock(ctx, db.PutInStockParams{ModelID: p.ModelID, UkHalf: p.UkHalf, Width: p.Width}); err != nil {
			return err
		}
		return shelf.Changed(ctx, q, who.ShopID, p.ModelID)
	})
}

// Owned is a pair that a runner brings along, entered by its model.
type Owned struct {
	Code  string      // or its name, as Catalogue.Find takes it
	UK    foot.Figure // running figure on the model's chart
	Width string
	Price int64 // minor units
	Since string
	// What it ran already, km, and how well that is known: one of Sureties. A pair whose distance nobody
	// tells was counted by nobody, unless it is first worn today.
	BeforeKM   *float64
	BeforeSure string
	Called     string
	MadeFor    term.Class // of a pair that is not in the catalogue; else empty
}

// fromElsewhere puts a model down that the shop does not sell, and gives it with the catalogue that holds it.
func (w *Wardrobe) fromElsewhere(ctx context.Context, who app.Actor, runnerID uint64, o Owned) (*shoe.Model, *record.Catalogue, error) {
	runner, err := load.Runner(ctx, w.Store.Queries, who, runnerID)
	if err != nil {
		return nil, nil, err
	}
	m, err := shoe.FromElsewhere(o.Code, o.MadeFor, runner.Chart, who.Currency)
	if err != nil {
		return nil, nil, err
	}
	m.ListPrice = o.Price
	if err := w.Visits.Shelf.AddElsewhere(ctx, who, m); err != nil {
		return nil, nil, err
	}
	c, err := w.Visits.Shelf.Catalogue(ctx, who)
	if err != nil {
		return nil, nil, err
	}
	return c.ByCode(m.ID), c, nil
}

// Add puts down a pair that the runner has already; one that is not of the shop by its name and what it is
// made for. It fails with a fault.List.
func (w *Wardrobe) Add(ctx context.Context, who app.Actor, runnerID uint64, o Owned) (uint64, error) {
	c, err := w.Visits.Shelf.Catalogue(ctx, who)
	if err != nil {
		return 0, err
	}
	var l fault.List
	m := c.Find(o.Code)
	if m == nil && o.MadeFor != "" {
		if m, c, err = w.fromElsewhere(ctx, who, runnerID, o); err != nil {
			return 0, err
		}
		o.Width = foot.StandardLetter(m.Chart)
	}
	if m == nil {
		l.Add("model", "is not in the catalogue; type a part of its name and choose one, or say what it is made for")
	} else {
		if !slices.Contains(m.SizesUK, o.UK) {
			l.Add("uk", "is %g, a size that is not made; allowed is UK %g to %g", float64(o.UK), m.SizesUK[0].UK(m.Chart),
				m.SizesUK[len(m.SizesUK)-1].UK(m.Chart))
		}
		if o.Width == "" {
			o.Width = m.Widths[0]
		}
		fault.OneOf(&l, "width", o.Width, m.Widths)
	}
	today := w.Today(who)
	since, err := time.Parse(time.DateOnly, o.Since)
	if err != nil || since.After(today) || since.Before(today.AddDate(-20, 0, 0)) {
		l.Add("since", "is %q; allowed is a day up to today, such as %s", form.Clip(o.Since), today.Format(time.DateOnly))
	}
	limits.MoneyMinor.Check(&l, "price", float64(o.Price))
	ran, told := before(&l, o.BeforeKM, o.BeforeSure)
	if !told {
		ran = wear.Before{Unknown: since.Before(today)}
	}
	form.Length(&l, "called", o.Called, 0, 60)
	if err := l.Err(); err != nil {
		return 0, err
	}
	result, err := w.OnceOf(ctx, who, runnerID, func(q *db.Queries) (string, error) {
		id, err := q.AddPair(ctx, db.AddPairParams{ShopID: who.ShopID, RunnerID: runnerID, ModelID: c.RowID(m.ID), UkHalf: app.Halves(o.UK),
			Width: o.Width, Price: o.Price,
			BoughtOn: since, FirstWorn: app.NullTime(since), KmBefore: app.NullFloat(&ran.KM), KmBeforeDoubt: app.NullFloat(&ran.SDLn),
			KmUnknown: ran.Unknown, Called: strings.TrimSpace(o.Called), MadeBy: who.UserID, MadeAt: w.Now()})
		if err != nil {
			return "", err
		}
		return strconv.FormatInt(id, 10), runlog.Place(ctx, q, who, runnerID, w.Now())
	})
	if err != nil {
		return 0, err
	}
	return strconv.ParseUint(result, 10, 64)
}
