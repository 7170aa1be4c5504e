package desk

import (
	"cmp"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/seasons"
	"trevik/internal/core/fault"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// Of a season's picture: how wide it is, px, and under which chance a race is said to be at risk.
const (
	seasonWide  = 1010
	seasonReady = 0.8
	moreMoney   = 10_000 // minor units of the what-if
)

// seasonView is the page: the season as it is, and beside it what the address asks to look at.
type seasonView struct {
	Runner   record.Runner
	S        *record.Season
	Picture  template.HTML
	Rotate   string // where the week is laid out
	Hello    string // where it is told
	Races    string // where races are told
	Columns  []seasonColumn
	Asks     []seasonAsk
	Own      map[string]kit.Control
	Weeks    []kit.Option // to be moved, by their Mondays
	Moved    []movedWeek
	Shape    record.Shape
	File     *planFile
	FileErr  string
	Undone   bool                 // some order is not on the list yet
	BreakIns map[time.Time]string // by race, how its pair is broken in
	Sold     string               // what was just sold, and how it is broken in
	May      bool                 // sell
	URL      string
}

// movedWeek is a week that stands in the place of one that was laid out.
type movedWeek struct {
	On  time.Time
	How string
	URL string
}

// seasonColumn is what a season comes to.
type seasonColumn struct {
	Word    string // of the what-if; empty is the season as it is
	Note    string
	Name    string
	Ready   []string // of each race
	Money   string
	Between string
	Pairs   int
	Covered string
}

// seasonAsk is a what-if: where a tap on it leads, whether it is looked at, and whether it is kept.
type seasonAsk struct {
	Word string
	Name string
	URL  string
	On   bool
	Kept bool
}

var seasonAsks = []struct {
	Word, Name string
	What       record.SeasonWhat
}{
	{"earlier", "Order earlier", record.SeasonWhat{Earlier: true}},
	{"fewer", "One pair fewer", record.SeasonWhat{Fewer: true}},
	{"fresh", "Keep the race pair fresh", record.SeasonWhat{Fresh: true}},
	{"second", "A second of the favourite", record.SeasonWhat{Second: true}},
	{"cheaper", "A cheaper model", record.SeasonWhat{Cheaper: true}},
	{"more", "More money", record.SeasonWhat{More: moreMoney}},
}

func (d *Desk) season(c *kit.Req) error { return d.showSeason(c, http.StatusOK, nil, nil) }

// ofRunner is what follows from the latest fit of the runner whose address it is.
func (d *Desk) ofRunner(c *kit.Req) (*record.Conclusions, error) {
	id, err := kit.RowID(c, "runner")
	if err != nil {
		return nil, err
	}
	return d.App.Visits.OfRunner(c.Ctx(), c.Who, id)
}

func (d *Desk) showSeason(c *kit.Req, code int, sent url.Values, faults fault.List) error {
	fit, err := d.ofRunner(c)
	if err != nil {
		return err
	}
	id := fit.Runner.ID
	at, rest := kit.Say(c.Who.Units, faults, kit.Known("week_on", "week_km", "season_file", "column_date", "column_distance", "column_start",
		"column_time", "column_ascent", "column_kind", "column_ground", "column_unit", "column_time_unit", "column_order"))
	v := seasonView{Runner: *fit.Runner, Rotate: bench.URL(fit.ID, "rotation"), Hello: bench.URL(fit.ID, "hello"),
		Races: bench.URL(fit.ID, "distance"), Shape: cmp.Or(fit.Runner.Season.Shape, record.Grow), FileErr: at["season_file"],
		May: c.Who.Role != app.Trainee, URL: fmt.Sprintf("/runners/%d/season", id),
		Own: kit.Controls(slices.Concat(seasons.WeekFields, seasons.ShapeFields, kit.ColumnFields), c.Who.Units, sent, at)}
	if v.S, err = fit.Season(c.Ctx(), record.SeasonWhat{}); err != nil {
		return err
	}
	file, err := d.App.Seasons.Waiting(c.Ctx(), c.Who, id)
	if err != nil {
		return err
	}
	v.File = planOf(file)
	v.weeks()
	v.Undone = slices.ContainsFunc(v.S.Orders, func(o record.SeasonOrder) bool {
		return !o.Decided && o.Label != "" && o.Chance >= record.LikelyOrder
	})
	if v.S.Fault == "" {
		v.Picture = seasonPicture(fit, v.S)
		v.Columns = append(v.Columns, seasonColumnOf("As it is", fit, v.S))
		v.BreakIns = map[time.Time]string{}
		for _, b := range v.S.BreakIns {
			v.BreakIns[b.Race.On] += b.Text()
		}
		if err := v.asks(c, fit); err != nil {
			return err
		}
		v.sold(c, fit)
	}
	return d.pageWith(c, code, "Season of "+fit.Runner.Name, "season", v, rest)
}

// weeks are those that can be moved, and those that were.
func (v *seasonView) weeks() {
	for i := range v.S.Weeks {
		on := v.S.Starts.AddDate(0, 0, 7*i)
		v.Weeks = append(v.Weeks, kit.Option{Value: on.Format(time.DateOnly), Text: on.Format("2 January")})
		if v.S.How[i] != "" {
			v.Moved = append(v.Moved, movedWeek{On: on, How: v.S.How[i], URL: weekURL(v.Runner.ID, on)})
		}
	}
}

// asks are the what-ifs, and what those that are looked at come to.
func (v *seasonView) asks(c *kit.Req, fit *record.Conclusions) error {
	kept := fit.Runner.Season.Kept
	for _, x := range seasonAsks {
		if x.What.More > 0 && record.PlanMoney.Ptr(fit.Visit) == nil {
			continue // there is no limit
		}
		ask := seasonAsk{Word: x.Word, Name: x.Name, On: c.Query(x.Word) == "yes", Kept: kept.With(x.What, true) == kept || x.What.More > 0 &&
			kept.More > 0}
		switch {
		case ask.Kept:
			ask.On = false
		case !ask.On:
			ask.URL = v.URL + "?" + url.Values{x.Word: {"yes"}}.Encode() + "#whatif"
		default:
			ask.URL = v.URL + "#whatif"
			other, err := fit.Season(c.Ctx(), x.What)
			if err != nil {
				return err
			}
			column := seasonColumnOf(x.Name, fit, other)
			column.Word = x.Word
			if x.What.Cheaper {
				column.Note = other.Instead
			}
			v.Columns = append(v.Columns, column)
		}
		v.Asks = append(v.Asks, ask)
	}
	return nil
}

// sold says how a pair is broken in that was sold a moment ago.
func (v *seasonView) sold(c *kit.Req, fit *record.Conclusions) {
	id, err := strconv.ParseUint(c.Query("sold"), 10, 63)
	if err != nil {
		return
	}
	if p := fit.Runner.Pair(id); p != nil {
		v.Sold = p.Name() + ", " + p.Label() + ", is theirs now. " + v.S.BreakIn(id, fit.House().BreakInKM)
	}
}

func chance(p float64) string {
	switch {
	case p >= 0.995:
		return "nearly sure"
	case p <= 0.005:
		return "hardly"
	}
	return fmt.Sprintf("%.0f %%", 100*p)
}

func seasonColumnOf(name string, fit *record.Conclusions, s *record.Season) seasonColumn {
	out := seasonColumn{Name: name, Pairs: len(s.Pairs), Money: kit.Money(s.Answer.Spent.P50, fit.Shop.Currency),
		Covered: fmt.Sprintf("%.0f %%", 100*s.Answer.Covered)}
	if s.Fault != "" {
		out.Money, out.Covered = "—", s.Fault
	} else if a := s.Answer.Spent; a.P10 != a.P90 {
		out.Between = kit.Money(a.P10, fit.Shop.Currency) + " to " + kit.Money(a.P90, fit.Shop.Currency)
	}
	for _, r := range s.Races {
		out.Ready = append(out.Ready, fmt.Sprintf("%.0f ± %.0f %%", 100*r.Ready, math.Ceil(100*r.ReadySE)))
	}
	return out
}

// seasonPicture draws a season.
func seasonPicture(fit *record.Conclusions, s *record.Season) template.HTML {
	v := draw.SeasonView{Starts: s.Starts, Spent: s.Answer.SpentByWeek, PerKM: fit.Units.FromKm(1), Unit: fit.Units.DistanceUnit()}
	for _, w := range s.Past {
		v.Past = append(v.Past, draw.SeasonWeek{KM: w.Planned, Ran: w.Ran, Label: figure(fit.Units.FromKm(math.Max(w.Ran, w.Planned))),
			Title: fmt.Sprintf("Week of %s: %s run of %s planned", w.On.Format("2 January"), fit.Units.Distance(w.Ran),
				fit.Units.Distance(w.Planned))})
	}
	for i, spent := range s.Answer.SpentByWeek {
		v.Says = append(v.Says, kit.Money(int64(math.Round(spent)), fit.Shop.Currency))
		km, ran, on := s.KM(i), 0.0, s.Starts.AddDate(0, 0, 7*i)
		title := fmt.Sprintf("Week of %s: %s, %.0f %% of it in a pair that serves", on.Format("2 January"), fit.Units.Distance(km),
			100*s.Answer.Weeks[i].Covered)
		if i == 0 && s.Ran > 0 {
			ran = s.Ran
			title = fmt.Sprintf("This week: %s run, %s to come", fit.Units.Distance(ran), fit.Units.Distance(km))
		}
		v.Weeks = append(v.Weeks, draw.SeasonWeek{KM: km + ran, Ran: ran, Label: figure(fit.Units.FromKm(km + ran)), Title: title,
			On: on.Format(time.DateOnly), URL: weekURL(fit.Runner.ID, on), Moved: s.How[i] != ""})
	}
	for _, p := range s.Pairs {
		lane := draw.SeasonLane{Name: p.Name, Model: p.Model}
		for i, k := range p.Copies {
			from := 0
			if i > 0 || !p.Owned {
				from = begins(p, k.Copy)
			}
			lane.Copies = append(lane.Copies, draw.SeasonCopy{From: from, Early: last(k.Ends.P10), Likely: last(k.Ends.P50),
				End: last(k.Ends.P90)})
		}
		for _, o := range p.Orders {
			if o.Chance < record.LeastChance {
				continue
			}
			lane.Orders = append(lane.Orders, draw.SeasonMark{Week: o.P50 - 1, Title: fmt.Sprintf("Order the next %s in the week of %s (%s)", p.Name,
				s.Starts.AddDate(0, 0, 7*(o.P50-1)).Format("2 January"), chance(o.Chance))})
		}
		v.Lanes = append(v.Lanes, lane)
	}
	for _, r := range s.Races {
		name := r.Name
		if name == "" {
			name = "Race"
		}
		v.Races = append(v.Races, draw.SeasonFlag{Name: name, On: r.On, Ready: chance(r.Ready), Poor: r.Ready < seasonReady})
	}
	return draw.Season(v, seasonWide)
}

// begins is the week, from 0, in which a copy is there: after its order by the days that it is on its way.
func begins(p record.SeasonPair, number int) int {
	for _, o := range p.Orders {
		if o.Copy == number {
			return o.P50 - 1 + (p.Deliver+6)/7
		}
	}
	return 0
}

// last is a week's end from the answer's number, under 0 past the plan.
func last(n *int) int {
	if n == nil {
		return -1
	}
	return *n
}

func figure(v float64) string {
	if v >= 9.95 {
		return fmt.Sprintf("%.0f", v)
	}
	return fmt.Sprintf("%.1f", v)
}

// Until is the last day that is looked at.
func (v seasonView) Until() time.Time { return v.S.Starts.AddDate(0, 0, 7*len(v.S.Weeks)-1) }
