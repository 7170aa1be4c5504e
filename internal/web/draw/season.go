package draw

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"time"

	"trevik/internal/core/shoe"
)

// SeasonView is a season to be drawn: weeks from a Monday, pairs with their copies, races with their chance,
// and what has been spent by each week.
type SeasonView struct {
	Starts time.Time
	Past   []SeasonWeek // that were run, before the first
	Weeks  []SeasonWeek
	PerKM  float64 // of the reader's unit in a km
	Unit   string
	Lanes  []SeasonLane
	Races  []SeasonFlag
	Spent  []float64 // in all by each week, as money in Says
	Says   []string  // of each week's money, as it is written
}

// SeasonWeek is a week: its km, of which some were run, as a figure and as it is said, and the whole of it for who cannot see.
type SeasonWeek struct {
	KM    float64
	Ran   float64
	Label string
	Title string
	On    string // its Monday, 2006-01-02
	URL   string // where its runs are; empty is none
	Moved bool   // by hand, or by the runner's own plan
}

// SeasonLane is a pair.
type SeasonLane struct {
	Name   string
	Model  *shoe.Model
	Copies []SeasonCopy
	Orders []SeasonMark
}

// SeasonCopy is one of a pair from a week to those in which it may end, from 0; under 0 lies past the plan.
type SeasonCopy struct {
	From               int
	Early, Likely, End int
}

// SeasonMark is an order: its middle week, from 0, and what it says.
type SeasonMark struct {
	Week  int
	Title string
}

// SeasonFlag is a race: its day, and how likely it is that its pair is ready.
type SeasonFlag struct {
	Name  string
	On    time.Time
	Ready string
	Poor  bool
}

// Season draws weeks across and pairs down, w px wide: the km of each week as stairs, each copy's bar from its
// first week to its end, fading over the weeks in which it may end, orders as marks, races as lines with their
// chance, and below what has been spent as stairs.
func Season(v SeasonView, w float64) template.HTML {
	const names, rowH, head, stairs, right = 236.0, 66.0, 46.0, 92.0, 14.0
	n := len(v.Weeks)
	if n == 0 {
		return ""
	}
	before := len(v.Past)
	step := (w - names - right) / float64(n+before)
	x := func(week float64) float64 { return names + step*(week+float64(before)) }
	money := 0.0
	if len(v.Spent) == n && slices.Max(v.Spent) > 0 {
		money = 92
	}
	lanes := head + stairs
	height := lanes + rowH*float64(len(v.Lanes)) + money + 30
	var p pen
	p.f(`<svg class="season" viewBox="0 0 %.0f %.0f" data-unit="%s" data-perkm="%.6f" role="group" `+
		`aria-label="The weeks to come: what is run, in which pair, when the `+
		`next is ordered, and how likely each race works out">`, w, height, template.HTMLEscapeString(v.Unit), v.PerKM)
	p.weekDates(v, x, height-money-30, head)
	p.stairs(v, x, step, lanes, stairs)
	for i, l := range v.Lanes {
		p.seasonLane(l, lanes+rowH*float64(i), rowH, w, n, x)
	}
	bottom := lanes + rowH*float64(len(v.Lanes))
	if money > 0 {
		p.moneyStairs(v, bottom, money, x, step, w)
	}
	p.seasonRaces(v, x, bottom, w)
	return p.done()
}

// stairs are the km of each week: what was run is solid, what is to be run can be pulled. A week opens by its address.
func (p *pen) stairs(v SeasonView, x func(float64) float64, step, bottom, high float64) {
	most := 1.0
	for _, k := range slices.Concat(v.Past, v.Weeks) {
		most = math.Max(most, k.KM)
	}
	perKM := (high - 30) / most
	p.word("word strongword", 0, bottom-8, "start", "A week")
	said := -1e9
	for i, k := range slices.Concat(v.Past, v.Weeks) {
		at := x(float64(i - len(v.Past)))
		if k.URL != "" {
			p.f(`<a class="weekstair" href="%s" data-week="%s" data-km="%.2f" data-least="%.2f" data-high="%.4f" aria-label="%s">`+
				`<rect class="stairgrip" x="%.1f" y="%.1f" width="%.1f" height="%.1f"/>`, template.HTMLEscapeString(k.URL), k.On, k.KM, k.Ran, perKM,
				template.HTMLEscapeString(k.Title), at, bottom-high, step, high)
		}
		class := "stair"
		if k.Moved {
			class = "stair moved"
		}
		p.f(`<rect class="%s" x="%.1f" y="%.1f" width="%.1f" height="%.1f"><title>%s</title></rect>`, class, at+1, bottom-perKM*k.KM-2, step-2,
			perKM*k.KM, template.HTMLEscapeString(k.Title))
		if k.Ran > 0 {
			p.f(`<rect class="stairran" x="%.1f" y="%.1f" width="%.1f" height="%.1f"/>`, at+1, bottom-perKM*k.Ran-2, step-2, perKM*k.Ran)
		}
		if mid := at + step/2; mid-said > 30 || i == len(v.Past) {
			p.word("word stairword", mid, bottom-perKM*math.Max(k.KM, k.Ran)-7, "middle", k.Label)
			said = mid
		}
		if k.URL != "" {
			p.f(`</a>`)
		}
	}
}

// weekDates are the Mondays above, as many as there is room for, and a hair between months.
func (p *pen) weekDates(v SeasonView, x func(float64) float64, bottom, head float64) {
	said, month := -1e9, time.Month(0)
	for i := -len(v.Past); i < len(v.Weeks); i++ {
		day := v.Starts.AddDate(0, 0, 7*i)
		if day.Month() != month {
			month = day.Month()
			p.f(`<path class="hair" d="M%.1f %.1fV%.1f"/>`, x(float64(i)), head-22, bottom)
		}
		if at := x(float64(i)); at-said > 58 {
			p.word("word faint", at+2, 16, "start", day.Format("2 Jan"))
			said = at
		}
	}
}

func (p *pen) seasonLane(l SeasonLane, y, rowH, w float64, n int, x func(float64) float64) {
	p.f(`<path class="hair" d="M0 %.1fH%.1f"/>`, y, w)
	if l.Model != nil {
		p.f(`<g class="shoe" transform="translate(2 %.1f)">`, y+8)
		shoeOn(p, l.Model, 84/(shoeRight-shoeLeft))
		p.f(`</g>`)
	}
	p.word("word strongword", 96, y+28, "start", clip(l.Name, 19))
	if len(l.Copies) > 1 {
		p.word("word faint", 96, y+46, "start", fmt.Sprintf("%d pairs in turn", len(l.Copies)))
	}
	clampWeek := func(k int) float64 {
		if k < 0 || k > n {
			return float64(n)
		}
		return float64(k)
	}
	for i, c := range l.Copies {
		mid := y + 20 + 22*float64(i%2)
		early, likely, end := clampWeek(c.Early), clampWeek(c.Likely), clampWeek(c.End)
		from := math.Min(float64(max(c.From, 0)), early)
		p.f(`<path class="lived" d="M%.1f %.1fH%.1fV%.1fH%.1fZ"/>`, x(from), mid-8, x(early), mid+8, x(from))
		if end > early {
			p.f(`<path class="left" d="M%.1f %.1fL%.1f %.1fL%.1f %.1fZ"/>`, x(early), mid-8, x(end), mid, x(early), mid+8)
		}
		if likely < float64(n) {
			p.f(`<path class="likely" d="M%.1f %.1fv20"/>`, x(likely), mid-10)
		}
	}
	for _, o := range l.Orders {
		if o.Week < n {
			p.f(`<path class="orderby" tabindex="0" d="M%.1f %.1fl-7 -11h14z"><title>%s</title></path>`, x(float64(o.Week)+.5), y+15,
				template.HTMLEscapeString(o.Title))
		}
	}
}

func (p *pen) moneyStairs(v SeasonView, y, h float64, x func(float64) float64, step, w float64) {
	p.f(`<path class="hair" d="M0 %.1fH%.1f"/>`, y, w)
	most := slices.Max(v.Spent)
	p.word("word strongword", 0, y+h-12, "start", "Spent so far")
	at := func(i int) float64 { return y + h - 8 - (h-34)*v.Spent[i]/most }
	d := fmt.Sprintf("M%.1f %.1f", x(0), y+h-8)
	for i := range v.Spent {
		d += fmt.Sprintf("V%.1fH%.1f", at(i), x(float64(i))+step)
	}
	p.f(`<path class="moneyline" d="%s"/>`, d)
	last := len(v.Spent) - 1
	p.word("word strongword", x(float64(last))+step, at(last)-7, "end", v.Says[last])
}

func (p *pen) seasonRaces(v SeasonView, x func(float64) float64, bottom, w float64) {
	said := -1e9
	for _, r := range v.Races {
		at := x(r.On.Sub(v.Starts).Hours() / (24 * 7))
		class := "raceline"
		if r.Poor {
			class = "raceline atrisk"
		}
		p.f(`<path class="%s" d="M%.1f 44V%.1f"><title>%s</title></path>`, class, at, bottom, template.HTMLEscapeString(r.Name+": "+r.Ready))
		// Its name stands before its line, or behind it where another one's is near.
		name := clip(r.Name, 20) + ": " + r.Ready
		if wide := 7.6 * float64(len(name)); at-wide > said {
			p.word("word strongword", at+3, 38, "end", name)
			said = at + 10
		} else if at+wide < w {
			p.word("word strongword", at+6, 54, "start", name)
			said = at + wide
		}
	}
}
