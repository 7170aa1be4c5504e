package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/house"
	"trevik/internal/core/match"
	"trevik/internal/core/rotation"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/store/db"
)

// Pair is one of a runner's pairs with its model.
type Pair struct {
	ID         uint64
	RunnerID   uint64
	Runner     string
	FitID      uint64
	Model      shoe.Model
	Size       foot.Figure
	Width      string
	Price      int64
	BoughtOn   time.Time
	FirstWorn  time.Time
	SetAsideOn time.Time
	Reason     string // why it was set aside, one of AsideReasons
	AsideNote  string
	SlowedOn   time.Time // from then for short and slow runs
	Runs       []Run
	Looks      []SoleLook // at fits
	Inspected  []Inspected
	Lifting    float64 // hours
	Photos     []PairPhoto
	modelRow   uint64
}

// Label is what is printed on the pair's box.
func (p *Pair) Label() string { return p.Model.Label(p.Size, p.Width) }

// Name is the pair's model with its version.
func (p *Pair) Name() string { return ModelName(&p.Model) }

// ModelName writes a model: maker, name and version.
func ModelName(m *shoe.Model) string { return fmt.Sprintf("%s %s %d", m.Maker, m.Name, m.Version) }

// Run is one run, or part of one, in a pair; PairID is 0 while it has none. StartedAt is
// zero where the hour is not known, the time as the watch told it.
type Run struct {
	ID        uint64
	PairID    uint64
	On        time.Time
	KM        float64
	Ground    term.Ground
	Kind      term.Kind
	Wet       bool
	TempC     *float64
	StartedAt time.Time
	Minutes   *float64
	AscentM   *float64
	FileID    uint64
	How       string
}

// Basis is what a choice was decided on, kept with it so that an old card can be
// explained.
type Basis struct {
	Settings Settings       `json:"settings"`
	Support  support.Answer `json:"support"`
	Ranked   match.Ranked   `json:"ranked"`
	Name     string         `json:"name"`
	PairID   uint64         `json:"pair_id"`
	Price    int64          `json:"price"`
}

// Sale is what a runner decided on. Figure nil is the size that was proposed, Price nil
// the model's own; FromShelf says that the page showed a pair on the shelf.
type Sale struct {
	Model     string
	Reason    string
	Figure    *float64 // the running UK figure on the model's chart
	Price     *int64   // minor units
	FromShelf bool
}

// Choose makes a ranked model the runner's pair: a pair, a decision with its
// basis, and one less on the shelf where there was one. It gives the pair's id. token
// makes sure that a form that is sent twice sells one. It fails with a fault.List, at
// model where the pair that was on the shelf was sold meanwhile.
func (a *App) Choose(ctx context.Context, who Actor, token string, fitID uint64, sale Sale) (uint64, error) {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return 0, err
	}
	code, reason := sale.Model, strings.TrimSpace(sale.Reason)
	var l fault.List
	text(&l, "reason", reason, 0, 1000)
	if sale.Price != nil {
		l.Range("price", float64(*sale.Price), 0, 1e7, "minor units")
	}
	if err := l.Err(); err != nil {
		return 0, err
	}
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return 0, err
	}
	answer, ready, err := fit.Match(c)
	if err != nil {
		return 0, err
	}
	at := slices.IndexFunc(answer.Ranked, func(r match.Ranked) bool { return r.Model == code })
	if !ready || at < 0 {
		return 0, fault.List{{Field: "model", Text: "is not among the models that are offered to this runner"}}
	}
	ranked, m := answer.Ranked[at], c.ByCode(code)
	price := m.Price()
	if sale.Price != nil {
		price = *sale.Price
	}
	if sale.Figure != nil {
		if ranked.Size, ready = ranked.Size.Take(foot.Figure(*sale.Figure)); !ready {
			return 0, fault.List{{Field: "figure", Text: "is no size that fits this runner; allowed is the one proposed or the next to it that leaves 8 mm"}}
		}
	}
	sup, err := fit.Support()
	if err != nil {
		return 0, err
	}
	result, err := a.once(ctx, who, token, func(q *db.Queries) (string, error) {
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return "", err
		}
		row := c.rowID(code)
		if _, err := bump(ctx, q, who.ShopID); err != nil {
			return "", err
		}
		taken := int64(0)
		if fit.Runner.Practice == nil { // practice takes nothing from the shelf
			if taken, err = q.TakeFromStock(ctx, db.TakeFromStockParams{ModelID: row, UkHalf: halves(ranked.Size.Figure), Width: ranked.Size.Width}); err != nil {
				return "", err
			}
		}
		if fit.Runner.Practice == nil && taken == 0 && (sale.FromShelf || ranked.Size.Stock > 0) {
			return "", fault.List{{Field: "model", Text: "is sold: the last pair on the shelf in that size went a moment ago; choose it again to order one, or another size"}}
		}
		if err := q.TouchModel(ctx, row); err != nil {
			return "", err
		}
		id, err := q.AddPair(ctx, db.AddPairParams{ShopID: who.ShopID, RunnerID: fit.Runner.ID, ModelID: row, FitID: nullID(fitID), UkHalf: halves(ranked.Size.Figure),
			Width: ranked.Size.Width, Price: price, BoughtOn: a.Today(), FromStock: taken > 0, MadeBy: who.UserID, MadeAt: a.Now()})
		if err != nil {
			return "", err
		}
		basis, err := json.Marshal(Basis{fit.Settings, sup, ranked, ModelName(m), uint64(id), price})
		if err != nil {
			return "", err
		}
		_, err = q.AddDecision(ctx, db.AddDecisionParams{ShopID: who.ShopID, FitID: fitID, Kind: Chosen, Value: code, Reason: reason, Basis: basis, MadeBy: who.UserID, MadeAt: a.Now()})
		return strconv.FormatInt(id, 10), err
	})
	if err != nil {
		return 0, err
	}
	return strconv.ParseUint(result, 10, 64)
}

// OwnedPair is a pair that a runner brings along, entered by its model.
type OwnedPair struct {
	Code  string      // or its name, as Catalogue.Find takes it
	UK    foot.Figure // running figure on the model's chart
	Width string
	Price int64 // minor units
	Since string
}

// AddOwnedPair puts down a pair that the runner has already. token makes sure
// that a form that is sent twice adds one. It fails with a fault.List.
func (a *App) AddOwnedPair(ctx context.Context, who Actor, token string, runnerID uint64, o OwnedPair) (uint64, error) {
	if _, err := a.Runner(ctx, who, runnerID); err != nil {
		return 0, err
	}
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return 0, err
	}
	var l fault.List
	m := c.Find(o.Code)
	if m == nil {
		l.Add("model", "is not in the catalogue; type a part of its name and choose one")
	} else {
		o.Code = m.ID
		if !slices.Contains(m.SizesUK, o.UK) {
			l.Add("uk", "is %g, a size that is not made; allowed is UK %g to %g", float64(o.UK), m.SizesUK[0].UK(m.Chart), m.SizesUK[len(m.SizesUK)-1].UK(m.Chart))
		}
		if o.Width == "" {
			o.Width = m.Widths[0]
		}
		fault.OneOf(&l, "width", o.Width, m.Widths)
	}
	since, err := time.Parse(time.DateOnly, o.Since)
	if err != nil || since.After(a.Today()) || since.Before(a.Today().AddDate(-20, 0, 0)) {
		l.Add("since", "is %q; allowed is a day up to today, such as %s", clip(o.Since), a.Today().Format(time.DateOnly))
	}
	l.Range("price", float64(o.Price), 0, 1e7, "minor units")
	if err := l.Err(); err != nil {
		return 0, err
	}
	result, err := a.once(ctx, who, token, func(q *db.Queries) (string, error) {
		id, err := q.AddPair(ctx, db.AddPairParams{ShopID: who.ShopID, RunnerID: runnerID, ModelID: c.rowID(o.Code), UkHalf: halves(o.UK), Width: o.Width, Price: o.Price,
			BoughtOn: since, FirstWorn: nullTime(since), MadeBy: who.UserID, MadeAt: a.Now()})
		return strconv.FormatInt(id, 10), err
	})
	if err != nil {
		return 0, err
	}
	return strconv.ParseUint(result, 10, 64)
}

// Choice is the fit's choice with its basis, nil while there is none.
func (f *Fit) Choice() (*Decision, *Basis) {
	d, ok := f.Decisions[Chosen]
	if !ok {
		return nil, nil
	}
	var b Basis
	if json.Unmarshal(d.Basis, &b) != nil {
		return nil, nil
	}
	return &d, &b
}

// TakeBack undoes the fit's choice: the pair is no longer the runner's and goes
// back on the shelf. A pair that was run in stays.
func (a *App) TakeBack(ctx context.Context, who Actor, fitID uint64) error {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return err
	}
	d, basis := fit.Choice()
	if d == nil {
		return ErrNotFound
	}
	return a.store.Tx(ctx, func(q *db.Queries) error {
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		p, err := q.PairByID(ctx, db.PairByIDParams{ID: basis.PairID, ShopID: who.ShopID})
		if err != nil {
			return found(err)
		}
		runs, err := q.CountRunsOfPair(ctx, nullID(p.ID))
		if err != nil {
			return err
		}
		if runs > 0 {
			return fault.List{{Field: "pair", Text: "was run in already, so it stays the runner's"}}
		}
		if n, err := q.TakePairBack(ctx, db.TakePairBackParams{TakenBackAt: nullTime(a.Now()), ID: p.ID, ShopID: who.ShopID}); err != nil || n == 0 {
			return err
		}
		if p.FromStock {
			if _, err := bump(ctx, q, who.ShopID); err != nil {
				return err
			}
			if err := q.PutInStock(ctx, db.PutInStockParams{ModelID: p.ModelID, UkHalf: p.UkHalf, Width: p.Width}); err != nil {
				return err
			}
			if err := q.TouchModel(ctx, p.ModelID); err != nil {
				return err
			}
		}
		_, err = q.AddDecision(ctx, db.AddDecisionParams{ShopID: who.ShopID, FitID: fitID, Kind: Chosen, Value: "", Basis: []byte("{}"), MadeBy: who.UserID, MadeAt: a.Now()})
		return err
	})
}

// letInField is a model that was ruled out and is let in by a fitter, with the reason.
var letInField = Field{Name: "let_in", Label: "Let in all the same", Kind: Text, Max: 300, ByModel: true, How: "decided"}

// SetLetIn lets a model in that was ruled out, with a reason that is kept; undo takes
// that back. It fails with a fault.List without a reason, and where no size of the model
// fits or a caution keeps it out.
func (a *App) SetLetIn(ctx context.Context, who Actor, fitID uint64, code, reason string, undo bool) (Saved, error) {
	if who.Role == Trainee {
		return Saved{}, ErrNotAllowed
	}
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return Saved{}, err
	}
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return Saved{}, err
	}
	if c.ByCode(code) == nil {
		return Saved{}, ErrNotFound
	}
	reason = strings.TrimSpace(reason)
	if !undo {
		var l fault.List
		text(&l, "let_in", reason, 10, 300)
		answer, _, err := fit.Match(c)
		if err != nil {
			return Saved{}, err
		}
		for _, o := range answer.RuledOut {
			if o.Model != code {
				continue
			}
			for _, never := range []string{"size", "caution"} {
				if slices.Contains(o.Reasons, never) {
					l.Add("let_in", "is not possible: %s", o.Text)
				}
			}
		}
		if err := l.Err(); err != nil {
			return Saved{}, err
		}
	}
	return a.Record(ctx, who, fitID, []Value{{Key: Key{Name: letInField.Name, Repeat: c.Row(code)}, Field: letInField, Text: reason, Empty: undo}})
}

// Match ranks the catalogue for this fit. ok is false while something is missing
// or a caution keeps the shoes back.
func (f *Fit) Match(c *Catalogue) (answer match.Answer, ok bool, err error) {
	sup, err := f.Support()
	if err != nil {
		return match.Answer{}, false, err
	}
	r, ready := f.Request(sup, c)
	if !ready || sup.Refer {
		return match.Answer{}, false, nil
	}
	answer, err = match.Rank(r)
	return answer, err == nil, err
}

// Pairs loads a runner's pairs with their runs; pairs that were set aside come
// last. Their models come without the sizes made and the stock.
func (a *App) Pairs(ctx context.Context, who Actor, runnerID uint64) ([]Pair, error) {
	rows, err := a.store.PairsOfRunner(ctx, db.PairsOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	modelRows, err := a.store.ModelsOfRunnersPairs(ctx, db.ModelsOfRunnersPairsParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	models := map[uint64]shoe.Model{}
	for _, m := range modelRows {
		models[m.ID] = modelOf(m, who.Currency)
	}
	out := make([]Pair, len(rows))
	at := map[uint64]int{}
	for i, r := range rows {
		out[i] = Pair{ID: r.ID, RunnerID: r.RunnerID, FitID: uint64(r.FitID.Int64), Model: models[r.ModelID], Size: foot.Figure(float64(r.UkHalf) / 2), Width: r.Width,
			Price: r.Price, BoughtOn: r.BoughtOn, FirstWorn: r.FirstWorn.Time, SetAsideOn: r.SetAsideOn.Time, Reason: r.AsideReason, AsideNote: r.AsideNote, SlowedOn: r.SlowedOn.Time, modelRow: r.ModelID}
		at[r.ID] = i
	}
	looks, err := a.soleLooks(ctx, who, runnerID)
	if err != nil {
		return nil, err
	}
	for i := range out {
		out[i].Looks = looks[out[i].ID]
	}
	if err := a.looked(ctx, who, runnerID, out, at); err != nil {
		return nil, err
	}
	runs, err := a.store.RunsOfRunner(ctx, db.RunsOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	for _, r := range runs {
		if i, ok := at[uint64(r.PairID.Int64)]; ok && r.PairID.Valid {
			out[i].Runs = append(out[i].Runs, Run{r.ID, out[i].ID, r.RunOn, r.Km, term.Ground(r.Ground), term.Kind(r.Kind), r.Wet, floatOf(r.TempC), r.StartedAt.Time, floatOf(r.Minutes), floatOf(r.AscentM), uint64(r.FileID.Int64), r.How})
		}
	}
	return out, err
}

// Serving is the runner's week over the pairs that are in use: which pair takes which part.
type Serving struct {
	Parts []rotation.Served
	Takes [][]float64 // km of each part that each pair takes, in the mean of the weeks
	Pairs []Pair
	Ahead [][]float64 // each pair's effective km by week from today, the last repeated
	Board bool        // by the days and hours of the board, with rest kept
}

// Serve spreads the week over the pairs in use: by the board where one is laid out, else
// each kind of run to the pair that suits it best.
func (f *Fit) Serve(pairs []Pair) Serving {
	var s Serving
	f.history = nil
	f.logs = slices.ContainsFunc(pairs, func(p Pair) bool { return len(p.Runs) > 0 })
	for i := range pairs {
		p := &pairs[i]
		if p.SetAsideOn.IsZero() {
			s.Pairs = append(s.Pairs, *p)
		} else if km := p.EffectiveKM(&f.Now.House); p.Reason == WornOut && km >= 1 {
			f.history = append(f.history, wear.Retired{Class: p.Model.Class, EffectiveKM: km})
		}
	}
	weeks := f.Board()
	parts, _ := f.Week()
	if len(weeks) > 0 {
		parts = kindsOf(weeks)
	}
	s.Parts = rotation.Serve(parts, len(s.Pairs), func(i int, p rotation.Part) (float64, string) {
		v, why, _ := f.SuitOf(&s.Pairs[i], p.Kind, p.Ground)
		return v, why
	})
	s.Takes = make([][]float64, len(s.Parts))
	for i := range s.Takes {
		s.Takes[i] = make([]float64, len(s.Pairs))
	}
	s.Ahead = make([][]float64, len(s.Pairs))
	if s.Board = len(weeks) > 0 && s.serveBoard(f, weeks); s.Board {
		return s
	}
	for i, p := range s.Parts {
		if p.Pair >= 0 {
			s.Takes[i][p.Pair] = p.KM
			s.Ahead[p.Pair] = []float64{first(s.Ahead[p.Pair]) + wear.Load(wear.Run{KM: p.KM, Ground: p.Ground, Kind: p.Kind}, s.Pairs[p.Pair].Model.Surface, nil, &f.Now.House)}
		}
	}
	return s
}

func mean(list []float64) float64 {
	sum := 0.0
	for _, v := range list {
		sum += v / float64(len(list))
	}
	return sum
}

func first(list []float64) float64 {
	if len(list) == 0 {
		return 0
	}
	return list[0]
}

// kindsOf adds up the parts of the board's weeks by kind and ground, km in the mean week.
func kindsOf(weeks [][]rotation.WeekPart) []rotation.Part {
	var out []rotation.Part
	for _, week := range weeks {
		for _, p := range week {
			i := slices.IndexFunc(out, func(o rotation.Part) bool { return o.Kind == p.Kind && o.Ground == p.Ground })
			if i < 0 {
				i = len(out)
				out = append(out, rotation.Part{Kind: p.Kind, Ground: p.Ground})
			}
			out[i].KM += p.KM / float64(len(weeks))
		}
	}
	return out
}

// serveBoard gives the board's parts to the pairs in use as the proven plan does; false
// where the board holds a fault, such as two runs at one time.
func (s *Serving) serveBoard(f *Fit, weeks [][]rotation.WeekPart) bool {
	most := max(1, len(s.Pairs))
	answers := make([]rotation.Answer, len(weeks))
	byID := map[string]int{}
	for n, parts := range weeks {
		if len(parts) == 0 {
			continue
		}
		w := rotation.Week{Parts: parts, MaxPairs: &most}
		for i := range s.Pairs {
			id := PairID(s.Pairs[i].ID)
			byID[id] = i
			c := rotation.Candidate{ID: id, Owned: true}
			for j, p := range s.Parts {
				c.Suitability = append(c.Suitability, rotation.Suit{Kind: p.Kind, Ground: p.Ground, Value: s.Parts[j].All[i]})
			}
			w.Pairs = append(w.Pairs, c)
		}
		a, err := rotation.Solve(context.Background(), w)
		if err != nil {
			return false
		}
		answers[n] = a
		for _, p := range parts {
			if id, ok := a.Assign[p.ID]; ok {
				at := slices.IndexFunc(s.Parts, func(o rotation.Served) bool { return o.Kind == p.Kind && o.Ground == p.Ground })
				s.Takes[at][byID[id]] += p.KM / float64(len(weeks))
			}
		}
	}
	for id, km := range f.Ahead(weeks, answers, func(id string) *shoe.Model { return &s.Pairs[byID[id]].Model }) {
		s.Ahead[byID[id]] = km
	}
	return true
}

// wearRuns are the pair's runs as the wear model takes them, with the hours since the last
// one ended where both hours are known.
func (p *Pair) wearRuns() []wear.Run {
	var out []wear.Run
	var ended time.Time
	for _, r := range p.Runs {
		x := wear.Run{Date: r.On.Format(wear.DateLayout), KM: r.KM, Ground: r.Ground, Kind: r.Kind, Wet: r.Wet, TempC: r.TempC}
		if !r.StartedAt.IsZero() {
			// Parts of one run follow each other at once: that is no second use.
			if h := r.StartedAt.Sub(ended).Hours(); !ended.IsZero() && h > 0.5 {
				x.HoursSinceLast = &h
			}
			ended = r.StartedAt.Add(time.Duration(6 * r.KM * float64(time.Minute)))
			if r.Minutes != nil {
				ended = r.StartedAt.Add(time.Duration(*r.Minutes * float64(time.Minute)))
			}
		} else {
			ended = time.Time{}
		}
		out = append(out, x)
	}
	return out
}

// EffectiveKM is what the pair's runs and lifting come to in effective km.
func (p *Pair) EffectiveKM(h *house.Values) float64 {
	rest := rotation.DefaultRest
	sum := p.Lifting * house.Or(h).LiftingKMPH
	for _, r := range p.wearRuns() {
		sum += wear.Load(r, p.Model.Surface, &rest, h)
	}
	return sum
}

// wearInput is what the wear model is told of a pair. ahead is its effective km by week
// from today, the last repeated.
func (f *Fit) wearInput(p *Pair, ahead []float64) wear.Pair {
	if len(ahead) == 0 {
		ahead = []float64{0}
	}
	usual := mean(ahead)
	price, stack := float64(p.Price), p.Model.StackHeelMM
	in := wear.Pair{Schema: wear.PairSchema, Class: p.Model.Class, MedianKM: p.Model.MedianLifeKM, Price: &price, HeelStackMM: &stack, Surface: p.Model.Surface,
		Today: f.Today.Format(wear.DateLayout), Runner: wear.Runner{MassKg: f.Num("mass_kg", "", 0), Strike: f.Strike()}, PlanWeeklyKM: ahead, House: &f.Now.House}
	if !p.FirstWorn.IsZero() {
		in.FirstWorn = p.FirstWorn.Format(wear.DateLayout)
	}
	for _, l := range p.Looks {
		on := l.On.Local().Format(wear.DateLayout)
		if in.FirstWorn != "" && on < in.FirstWorn || on > in.Today {
			continue // seen before it was worn: tells nothing
		}
		tread, evenness := l.Tread, l.Evenness
		in.Inspections = append(in.Inspections, wear.Inspection{Date: on, Tread: &tread, Evenness: &evenness})
	}
	for _, x := range p.Inspected {
		in.Inspections = append(in.Inspections, x.wear(in.FirstWorn))
	}
	in.Runs, in.LiftingHours = p.wearRuns(), p.Lifting
	rest := rotation.DefaultRest
	in.RestHours = &rest
	in.Runner.History = f.history
	if !f.logs && len(p.Runs) == 0 && usual > 0 {
		in.Runner.UsualWeeklyKM = &usual
	}
	for _, r := range f.Races {
		if on := r.On.Format(wear.DateLayout); on >= in.Today && r.PairID == p.ID {
			in.Races = append(in.Races, wear.Race{Date: on, KM: r.KM})
		}
	}
	return in
}

// WearIf is wearInput with a look today that finds so much gone of tread and bounce.
func (f *Fit) WearIf(p *Pair, ahead []float64, gone float64) wear.Pair {
	in := f.wearInput(p, ahead)
	in.Inspections = append(in.Inspections, wear.Inspection{Date: in.Today, Tread: &gone, Bounce: &gone})
	return in
}

// Worn is a pair with what is left of it.
type Worn struct {
	Pair   Pair
	Weekly float64 // effective km a week, in the mean of what lies ahead
	Wear   wear.Answer
}

// Worn assesses every pair of a serving.
func (f *Fit) Worn(s Serving) ([]Worn, error) {
	out := make([]Worn, len(s.Pairs))
	for i := range s.Pairs {
		a, err := wear.Assess(f.wearInput(&s.Pairs[i], s.Ahead[i]))
		if err != nil {
			return nil, err
		}
		out[i] = Worn{s.Pairs[i], mean(s.Ahead[i]), a}
	}
	return out, nil
}

// NewRun is a run to be put down; faults name its fields. PairID 0 lets the runner's rules
// choose, and where none does it waits for a pair. Start is its hour, 15:04, if known.
type NewRun struct {
	PairID uint64
	Start  string
	On     string
	KM     float64
	Ground term.Ground
	Kind   term.Kind
	Wet    bool
	TempC  *float64
}

// AddRun puts a run down against one of the runner's pairs. token makes sure that
// a form that is sent twice puts it down once. It fails with a fault.List.
func (a *App) AddRun(ctx context.Context, who Actor, token string, runnerID uint64, r NewRun) (uint64, error) {
	var l fault.List
	if _, err := a.Runner(ctx, who, runnerID); err != nil {
		return 0, err
	}
	on, dayErr := time.Parse(time.DateOnly, r.On)
	switch {
	case dayErr != nil:
		l.Add("on", "is %q; allowed is a day such as %s", clip(r.On), a.Today().Format(time.DateOnly))
	case on.After(a.Today()):
		l.Add("on", "is after today; allowed is up to %s", a.Today().Format(time.DateOnly))
	case on.Before(a.Today().AddDate(-20, 0, 0)):
		l.Add("on", "is more than twenty years ago")
	}
	if r.PairID != 0 {
		p, err := a.store.PairByID(ctx, db.PairByIDParams{ID: r.PairID, ShopID: who.ShopID})
		if err = found(err); err != nil && err != ErrNotFound {
			return 0, err
		}
		switch {
		case err != nil || p.RunnerID != runnerID:
			l.Add("pair", "is not one of this runner's pairs; choose one")
		case p.SetAsideOn.Valid:
			l.Add("pair", "was set aside for running; choose one in use")
		case dayErr == nil && on.Before(p.BoughtOn):
			l.Add("on", "is before the pair was the runner's; allowed is from %s", p.BoughtOn.Format(time.DateOnly))
		}
	}
	var started time.Time
	if r.Start != "" && dayErr == nil {
		clock, err := time.Parse("15:04", r.Start)
		if err != nil {
			l.Add("start", "is %q; allowed is a time of day such as 18:30", clip(r.Start))
		}
		started = on.Add(time.Duration(clock.Hour())*time.Hour + time.Duration(clock.Minute())*time.Minute)
	}
	l.Range("km", r.KM, 0.1, 300, "km")
	fault.OneOf(&l, "ground", r.Ground, term.Grounds)
	if r.Kind == term.Gym {
		l.Add("kind", "is gym, which is not a run")
	} else {
		fault.OneOf(&l, "kind", r.Kind, term.Kinds)
	}
	if r.TempC != nil {
		l.Range("temp_c", *r.TempC, -60, 60, "°C")
	}
	if err := l.Err(); err != nil {
		return 0, err
	}
	if r.PairID == 0 {
		rules, err := a.rules(ctx, who, runnerID)
		if err != nil {
			return 0, err
		}
		r.PairID = rules.pick(Run{On: on, KM: r.KM, Kind: r.Kind, Ground: r.Ground, StartedAt: started})
	}
	result, err := a.once(ctx, who, token, func(q *db.Queries) (string, error) {
		run := Run{PairID: r.PairID, On: on, KM: r.KM, Ground: r.Ground, Kind: r.Kind, Wet: r.Wet, TempC: r.TempC, StartedAt: started, How: who.hand()}
		id, err := a.addRun(ctx, q, who, runnerID, run, 0)
		return strconv.FormatInt(id, 10), err
	})
	if err != nil {
		return 0, err
	}
	return strconv.ParseUint(result, 10, 64)
}

// addRun writes a run, and the day on which its pair was first worn.
func (a *App) addRun(ctx context.Context, q *db.Queries, who Actor, runnerID uint64, r Run, splitFrom uint64) (int64, error) {
	id, err := q.AddRun(ctx, db.AddRunParams{ShopID: who.ShopID, RunnerID: runnerID, PairID: nullID(r.PairID), RunOn: r.On, Km: strconv.FormatFloat(r.KM, 'f', 3, 64), Ground: string(r.Ground), Kind: string(r.Kind), Wet: r.Wet,
		TempC: nullFloat(r.TempC), StartedAt: nullTime(r.StartedAt), Minutes: nullFloat(r.Minutes), AscentM: nullFloat(r.AscentM), FileID: nullID(r.FileID), SplitFrom: nullID(splitFrom), How: r.How, MadeBy: who.UserID, MadeAt: a.Now()})
	if err != nil || r.PairID == 0 {
		return id, err
	}
	return id, q.SetFirstWorn(ctx, db.SetFirstWornParams{FirstWorn: nullTime(r.On), ID: r.PairID, ShopID: who.ShopID})
}

// SetRunCounts withdraws a run, or lets it count again.
func (a *App) SetRunCounts(ctx context.Context, who Actor, runnerID, runID uint64, counts bool) error {
	var n int64
	var err error
	if counts {
		n, err = a.store.RestoreRun(ctx, db.RestoreRunParams{ID: runID, RunnerID: runnerID, ShopID: who.ShopID})
	} else {
		n, err = a.store.WithdrawRun(ctx, db.WithdrawRunParams{WithdrawnAt: nullTime(a.Now()), WithdrawnBy: nullID(who.UserID), ID: runID, RunnerID: runnerID, ShopID: who.ShopID})
	}
	if err == nil && n == 0 {
		return ErrNotFound
	}
	return err
}

// FitOfRunner is the runner's latest fit that tells their week, else the latest; ErrNotFound
// where there is none.
func (a *App) FitOfRunner(ctx context.Context, who Actor, runnerID uint64) (*Fit, error) {
	return a.fitWithWeek(ctx, who, runnerID)
}

// fitWithWeek is the runner's latest fit that tells their week, else the latest.
func (a *App) fitWithWeek(ctx context.Context, who Actor, runnerID uint64) (*Fit, error) {
	rows, err := a.FitsOfRunner(ctx, who, runnerID)
	if err != nil {
		return nil, err
	}
	var latest *Fit
	for _, r := range rows {
		fit, err := a.Fit(ctx, who, r.ID)
		if err != nil {
			return nil, err
		}
		if _, km := fit.Week(); km > 0 {
			return fit, nil
		}
		if latest == nil {
			latest = fit
		}
	}
	if latest == nil {
		return nil, ErrNotFound
	}
	return latest, nil
}
