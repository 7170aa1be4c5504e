package desk

import (
	"fmt"
	"html/template"
	"math"
	"net/url"
	"time"

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
	Runner  record.Runner
	S       *record.Season
	Picture template.HTML
	Rotate  string // where the week is laid out
	Hello   string // where it is told
	Races   string // where races are told
	Columns []seasonColumn
	Asks    []seasonAsk
}

// seasonColumn is what a season comes to.
type seasonColumn struct {
	Name    string
	Ready   []string // of each race
	Money   string
	Between string
	Pairs   int
	Covered string
}

// seasonAsk is a what-if: where a tap on it leads, and whether it is looked at.
type seasonAsk struct {
	Name string
	URL  string
	On   bool
}

var seasonAsks = []struct {
	Word, Name string
	What       record.SeasonWhat
}{
	{"earlier", "Order earlier", record.SeasonWhat{Earlier: true}},
	{"fewer", "One pair fewer", record.SeasonWhat{Fewer: true}},
	{"fresh", "Keep the race pair fresh", record.SeasonWhat{Fresh: true}},
	{"second", "A second of the favourite", record.SeasonWhat{Second: true}},
	{"more", "More money", record.SeasonWhat{More: moreMoney}},
}

func (d *Desk) season(c *kit.Req) error {
	id, err := kit.RowID(c, "runner")
	if err != nil {
		return err
	}
	fit, err := d.App.Visits.OfRunner(c.Ctx(), c.Who, id)
	if err != nil {
		return err
	}
	v := seasonView{Runner: *fit.Runner, Rotate: bench.URL(fit.ID, "rotation"), Hello: bench.URL(fit.ID, "hello"),
		Races: bench.URL(fit.ID, "distance")}
	if v.S, err = fit.Season(c.Ctx(), record.SeasonWhat{}); err != nil {
		return err
	}
	if v.S.Fault == "" {
		v.Picture = seasonPicture(fit, v.S)
		v.Columns = append(v.Columns, seasonColumnOf("As it is", fit, v.S))
		for _, x := range seasonAsks {
			if x.What.More > 0 && record.PlanMoney.Ptr(fit.Visit) == nil {
				continue // there is no limit
			}
			ask := seasonAsk{Name: x.Name, On: c.Query(x.Word) == "yes"}
			if !ask.On {
				ask.URL = "?" + url.Values{x.Word: {"yes"}}.Encode()
			} else {
				ask.URL = "?"
				other, err := fit.Season(c.Ctx(), x.What)
				if err != nil {
					return err
				}
				v.Columns = append(v.Columns, seasonColumnOf(x.Name, fit, other))
			}
			v.Asks = append(v.Asks, ask)
		}
	}
	return d.page(c, "Season of "+fit.Runner.Name, "season", v)
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
	v := draw.SeasonView{Starts: s.Starts, Spent: s.Answer.SpentByWeek}
	for i, spent := range s.Answer.SpentByWeek {
		v.Says = append(v.Says, kit.Money(int64(math.Round(spent)), fit.Shop.Currency))
		km := s.KM(i)
		day := s.Starts.AddDate(0, 0, 7*i).Format("2 January")
		v.Weeks = append(v.Weeks, draw.SeasonWeek{KM: km, Label: figure(fit.Units.FromKm(km)), Title: fmt.Sprintf(
			"Week of %s: %s, %.0f %% of it in a pair that serves", day, fit.Units.Distance(km), 100*s.Answer.Weeks[i].Covered)})
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
