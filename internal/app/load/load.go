// Package load reads what is known of runners and fits into the types of record: a constant
// number of queries for any number of them, inside a transaction or beside one. Moments come
// in the shop's time zone, days as midnight UTC.
package load

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/care"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Runner reads one of the shop's runners whole. It fails with app.ErrNotFound where there is
// none.
func Runner(ctx context.Context, q *db.Queries, who app.Actor, id uint64) (*record.Runner, error) {
	all, err := Runners(ctx, q, who, []uint64{id})
	if err != nil {
		return nil, err
	}
	if all[id] == nil {
		return nil, app.ErrNotFound
	}
	return all[id], nil
}

// reader reads runners' rows into their places.
type reader struct {
	ctx     context.Context
	q       *db.Queries
	who     app.Actor
	ids     []uint64
	runners map[uint64]*record.Runner
	models  map[uint64]shoe.Model
	pairs   map[uint64]*record.Pair
}

// Runners reads the shop's runners whole, by id; one that is not there is missing.
func Runners(ctx context.Context, q *db.Queries, who app.Actor, ids []uint64) (map[uint64]*record.Runner, error) {
	r := &reader{ctx: ctx, q: q, who: who, ids: ids, runners: map[uint64]*record.Runner{}, models: map[uint64]shoe.Model{},
		pairs: map[uint64]*record.Pair{}}
	if len(ids) == 0 {
		return r.runners, nil
	}
	for _, part := range []func() error{r.people, r.consents, r.pairModels, r.allPairs, r.runs, r.looks, r.wear, r.reports, r.races,
		r.changes, r.bookings, r.seasons} {
		if err := part(); err != nil {
			return nil, err
		}
	}
	return r.runners, nil
}

func (r *reader) people() error {
	rows, err := r.q.LoadRunners(r.ctx, db.LoadRunnersParams{ShopID: r.who.ShopID, Ids: r.ids})
	for _, x := range rows {
		out := &record.Runner{ID: x.ID, Name: x.Name, Contact: x.Contact, Chart: term.Chart(x.Chart), Consents: map[string]record.Consent{}}
		if x.PracticeSeed.Valid {
			seed := uint64(x.PracticeSeed.Int64)
			out.Practice = &seed
		}
		r.runners[x.ID] = out
	}
	return err
}

func (r *reader) consents() error {
	rows, err := r.q.LoadConsents(r.ctx, db.LoadConsentsParams{ShopID: r.who.ShopID, Ids: r.ids})
	for _, x := range rows {
		if of := r.runners[x.RunnerID]; of != nil {
			of.Consents[x.Kind] = record.Consent{Answer: x.Answer, Maker: x.Maker, MadeAt: r.who.In(x.MadeAt)}
		}
	}
	return err
}

func (r *reader) pairModels() error {
	rows, err := r.q.LoadPairModels(r.ctx, db.LoadPairModelsParams{ShopID: r.who.ShopID, Ids: r.ids})
	ids := make([]uint64, 0, len(rows))
	for _, m := range rows {
		r.models[m.ID] = Model(m, r.who.Currency)
		ids = append(ids, m.ID)
	}
	if err != nil || len(ids) == 0 {
		return err
	}
	insoles, err := r.q.InsolesOfModels(r.ctx, ids)
	for _, x := range insoles {
		m := r.models[x.ModelID]
		m.Insoles = append(m.Insoles, shoe.Insole{UK: foot.Figure(float64(x.UkHalf) / 2), LengthMM: x.LengthMm})
		r.models[x.ModelID] = m
	}
	return err
}

func (r *reader) allPairs() error {
	rows, err := r.q.LoadPairs(r.ctx, db.LoadPairsParams{ShopID: r.who.ShopID, Ids: r.ids})
	for _, x := range rows {
		if of := r.runners[x.RunnerID]; of != nil {
			of.Pairs = append(of.Pairs, record.Pair{ID: x.ID, RunnerID: x.RunnerID, FitID: uint64(x.FitID.Int64), Model: r.models[x.ModelID],
				Size:  foot.Figure(float64(x.UkHalf) / 2),
				Width: x.Width, Price: x.Price, BoughtOn: x.BoughtOn, FirstWorn: x.FirstWorn.Time, SetAsideOn: x.SetAsideOn.Time,
				Reason: x.AsideReason, AsideNote: x.AsideNote,
				SlowedOn: x.SlowedOn.Time, ModelRow: x.ModelID, LetIn: x.LetInReason, Called: x.Called,
				OrderTold: x.OrderToldOn.Time, LastsUntil: x.LastsUntil.Time,
				Before: wear.Before{KM: x.KmBefore.Float64, SDLn: x.KmBeforeDoubt.Float64, Unknown: x.KmUnknown}})
		}
	}
	for _, of := range r.runners {
		of.TellApart()
		for i := range of.Pairs {
			r.pairs[of.Pairs[i].ID] = &of.Pairs[i]
		}
	}
	return err
}

func (r *reader) runs() error {
	rows, err := r.q.LoadRuns(r.ctx, db.LoadRunsParams{ShopID: r.who.ShopID, Ids: r.ids})
	for _, x := range rows {
		run := record.Run{ID: x.ID, PairID: uint64(x.PairID.Int64), On: x.RunOn, KM: x.Km, Ground: term.Ground(x.Ground),
			Kind: term.Kind(x.Kind), Wet: x.Wet, TempC: app.FloatOf(x.TempC),
			StartedAt: x.StartedAt.Time, Minutes: app.FloatOf(x.Minutes), AscentM: app.FloatOf(x.AscentM), FileID: uint64(x.FileID.Int64),
			How: x.How, Part: x.SplitFrom.Valid && !x.Mends, Apart: x.Apart}
		if p := r.pairs[run.PairID]; p != nil && p.RunnerID == x.RunnerID {
			p.Runs = append(p.Runs, run)
		} else if of := r.runners[x.RunnerID]; of != nil && run.PairID == 0 {
			of.Loose = append(of.Loose, run)
		}
	}
	return err
}

// looks reads what was seen of the pairs: at fits by their soles, and looked at by themselves.
func (r *reader) looks() error {
	names := []string{record.CameInPair.Name, record.SoleZone.Name}
	rows, err := r.q.LoadSoleLooks(r.ctx, db.LoadSoleLooksParams{ShopID: r.who.ShopID, Ids: r.ids, Names: names})
	if err != nil {
		return err
	}
	for i := 0; i < len(rows); {
		fit, look, pair := rows[i].FitID, record.SoleLook{On: dayOf(r.who.In(rows[i].StartedAt))}, uint64(0)
		zones := map[term.Side]map[int]int{}
		for ; i < len(rows) && rows[i].FitID == fit; i++ {
			x := rows[i]
			if x.Name == record.CameInPair.Name {
				pair = uint64(x.NumberValue.Float64) // 0 where it was taken back
				continue
			}
			side, n := term.Side(x.Side), int(x.RepeatNo)
			if zones[side] == nil {
				zones[side] = map[int]int{}
			}
			delete(zones[side], n)
			var gone int
			if _, err := fmt.Sscan(x.TextValue.String, &gone); err == nil && !x.Withdrawn && n >= 1 && n <= len(support.Zones) {
				zones[side][n] = gone
			}
		}
		p, seen := r.pairs[pair], false
		for _, of := range zones {
			var sole support.Sole
			for n, gone := range of {
				sole[n-1] = gone
			}
			if len(of) > 0 {
				look.Add(sole)
				seen = true
			}
		}
		if p != nil && seen {
			p.Looks = append(p.Looks, look)
		}
	}
	inspected, err := r.q.LoadInspections(r.ctx, db.LoadInspectionsParams{ShopID: r.who.ShopID, Ids: r.ids})
	for _, x := range inspected {
		if p := r.pairs[x.PairID]; p != nil {
			seen := inspection(x)
			seen.ByRunner, seen.Answered = x.ByRunner, x.AnsweredAt.Valid
			if of := r.runners[p.RunnerID]; x.ByRunner && of != nil {
				seen.Maker = of.Name
			}
			p.Inspected = append(p.Inspected, seen)
		}
	}
	return err
}

func inspection(x db.LoadInspectionsRow) record.Inspected {
	out := record.Inspected{ID: x.ID, On: x.LookedOn, BesideFresh: x.BesideFresh, Note: x.Note, Maker: x.Maker,
		Left: map[string]*float64{"tread": app.FloatOf(x.TreadLeft), "bounce": app.FloatOf(x.BounceLeft), "upper": app.FloatOf(x.UpperLeft),
			"evenness": app.FloatOf(x.EvennessLeft)},
		Right: map[string]*float64{"tread": app.FloatOf(x.TreadRight), "bounce": app.FloatOf(x.BounceRight), "upper": app.FloatOf(x.UpperRight),
			"evenness": app.FloatOf(x.EvennessRight)}}
	if x.Aches != "" {
		out.Causes = strings.Split(x.Aches, ",")
	}
	if x.UpperHole {
		out.Faults = append(out.Faults, "upper_hole")
	}
	if x.SoleThrough {
		out.Faults = append(out.Faults, "sole_through")
	}
	return out
}

// wear reads hours of lifting and pictures of pressed midsoles.
func (r *reader) wear() error {
	lifting, err := r.q.LoadLifting(r.ctx, db.LoadLiftingParams{ShopID: r.who.ShopID, Ids: r.ids})
	if err != nil {
		return err
	}
	for _, x := range lifting {
		if p := r.pairs[x.PairID]; p != nil {
			p.Lifting = x.Hours
		}
	}
	photos, err := r.q.LoadPairPhotos(r.ctx, db.LoadPairPhotosParams{ShopID: r.who.ShopID, Ids: r.ids})
	for _, x := range photos {
		if p := r.pairs[x.PairID]; p != nil {
			p.Photos = append(p.Photos, record.PairPhoto{ID: x.ID, Side: term.Side(x.Side), At: r.who.In(x.MadeAt)})
		}
	}
	return err
}

// reports reads how pairs do, and where they rub.
func (r *reader) reports() error {
	rows, err := r.q.LoadReports(r.ctx, db.LoadReportsParams{ShopID: r.who.ShopID, Ids: r.ids})
	if err != nil {
		return err
	}
	for _, x := range rows {
		if p := r.pairs[x.PairID]; p != nil {
			said := record.Report{ID: x.ID, AfterDays: int(x.AfterDays), Comfort: int(x.Comfort), Note: x.Note, Maker: x.Maker,
				ByRunner: x.ByRunner, Answered: x.AnsweredAt.Valid, MadeAt: r.who.In(x.MadeAt)}
			if of := r.runners[p.RunnerID]; x.ByRunner && of != nil {
				said.Maker = of.Name
			}
			p.Reports = append(p.Reports, said)
		}
	}
	rubs, err := r.q.LoadRubs(r.ctx, db.LoadRubsParams{ShopID: r.who.ShopID, Ids: r.ids})
	for _, x := range rubs {
		if of := r.runners[x.RunnerID]; of != nil {
			rub := record.RubReport{ID: x.ID, PairID: x.PairID, Side: term.Side(x.Side), Place: term.Place(x.Place),
				When: care.When(x.Comes), Cause: x.Cause, Tried: x.Tried, Helped: x.Helped, Referred: x.Referred, MadeAt: r.who.In(x.MadeAt),
				Maker: x.Maker, ByRunner: x.ByRunner, Answered: x.AnsweredAt.Valid}
			if x.ByRunner {
				rub.Maker = of.Name
			}
			of.Rubs = append(of.Rubs, rub)
		}
	}
	return err
}

// races reads races and the rules by which runs go into pairs.
func (r *reader) races() error {
	rows, err := r.q.LoadRaces(r.ctx, db.LoadRacesParams{ShopID: r.who.ShopID, Ids: r.ids})
	if err != nil {
		return err
	}
	for _, x := range rows {
		if of := r.runners[x.RunnerID]; of != nil {
			of.Races = append(of.Races, record.Race{ID: x.ID, Name: x.Name, On: x.RaceOn, KM: x.Km, PairID: uint64(x.PairID.Int64)})
		}
	}
	rules, err := r.q.LoadRules(r.ctx, db.LoadRulesParams{ShopID: r.who.ShopID, Ids: r.ids})
	for _, x := range rules {
		if of := r.runners[x.RunnerID]; of != nil {
			of.Rules = append(of.Rules, record.Rule{ID: x.ID, Kind: term.Kind(x.Kind), Ground: term.Ground(x.Ground), PairID: x.PairID,
				Second: uint64(x.SecondPair.Int64)})
		}
	}
	return err
}

// bookings reads when runners come in.
func (r *reader) bookings() error {
	rows, err := r.q.LoadBookings(r.ctx, db.LoadBookingsParams{ShopID: r.who.ShopID, Ids: r.ids})
	for _, x := range rows {
		if of := r.runners[x.RunnerID]; of != nil {
			of.Bookings = append(of.Bookings, record.Booking{ID: x.ID, On: x.OnDay, Minute: int(x.Minute), Note: x.Note})
		}
	}
	return err
}

// changes reads plans of changing over with their reports.
func (r *reader) changes() error {
	rows, err := r.q.LoadChanges(r.ctx, db.LoadChangesParams{ShopID: r.who.ShopID, Ids: r.ids})
	if err != nil || len(rows) == 0 {
		return err
	}
	reports, err := r.q.LoadChangeReports(r.ctx, db.LoadChangeReportsParams{ShopID: r.who.ShopID, Ids: r.ids})
	if err != nil {
		return err
	}
	by := map[uint64][]care.Report{}
	for _, x := range reports {
		h, err := app.Shown(x.Health)
		if err != nil {
			return fmt.Errorf("plan of changing over %d, week %d: %w", x.ChangeID, x.Week, err)
		}
		if h.Soreness == nil { // from before such answers stood apart
			h = app.Hidden{Soreness: &x.Soreness.Float64, Place: &x.Place, Night: &x.Night.Bool}
		}
		report := care.Report{Week: int(x.Week), Soreness: *h.Soreness, Night: h.Night != nil && *h.Night}
		if h.Place != nil && *h.Place != "" {
			place := term.Place(*h.Place)
			report.Place = &place
		}
		by[x.ChangeID] = append(by[x.ChangeID], report)
	}
	for _, x := range rows {
		f := record.ChangeFacts{ID: x.ID, From: x.FromName, To: x.ToName, FromPair: uint64(x.FromPair.Int64),
			ToPair: uint64(x.ToPair.Int64), MadeAt: r.who.In(x.MadeAt), Ended: x.EndedAt.Valid}
		h, err := app.Shown(x.Health)
		if err == nil && h.Asked != nil {
			x.Asked = h.Asked
		}
		if err == nil {
			err = json.Unmarshal(x.Asked, &f.Asked)
		}
		if err != nil {
			return fmt.Errorf("plan of changing over %d: %w", x.ID, err)
		}
		f.Asked.Reports = append(f.Asked.Reports, by[x.ID]...)
		if of := r.runners[x.RunnerID]; of != nil {
			of.Changes = append(of.Changes, f)
		}
	}
	return nil
}

// dayOf is the day of a moment in its time zone, as midnight UTC.
func dayOf(t time.Time) time.Time {
	y, m, d := t.Date()
	return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
}
