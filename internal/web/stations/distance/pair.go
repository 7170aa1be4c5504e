package distance

import (
	"fmt"
	"html/template"
	"slices"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app/wardrobe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

type pair struct {
	record.Worn
	Fan      template.HTML
	Recent   []record.Run // newest first
	Answer   wear.SchoolAnswer
	LeadWord string // what the school that leads goes by
	Reports  []record.Report
	Said     []record.Said // on the runner's own page, to be answered
	Photos   []photoPair
	Races    []raceLine
	If       []record.WhatIf
	Made     []kit.Option // the widths that its model is made in
	Open     bool         // it is the one that is shown whole
	Sent     bool         // one of its forms was sent
}

// photoPair is a side's first picture and its latest.
type photoPair struct {
	Side        term.Side
	First, Last *record.PairPhoto
}

type raceLine struct {
	Race   record.Race
	Answer wear.RaceAnswer
}

// leadWords are what each school of wear goes by.
var leadWords = map[string]string{"by_distance": "distance", "by_own_history": "own history", "by_condition": "condition"}

// pairOf is a pair in use, the i-th, with what is left of it.
func pairOf(fit *record.Conclusions, i int, w record.Worn) (*pair, error) {
	p := pair{Reports: w.Pair.Reports, Said: fit.Runner.Said(&w.Pair), Worn: w,
		LeadWord: leadWords[fit.Shop.Settings.WearSchool], Photos: photosOf(w.Pair)}
	p.Answer = map[string]wear.SchoolAnswer{"by_distance": w.Wear.Schools.ByDistance, "by_own_history": w.Wear.Schools.ByOwnHistory,
		"by_condition": w.Wear.Schools.ByCondition}[fit.Shop.Settings.WearSchool]
	var marks []draw.Mark
	for _, r := range w.Wear.Races {
		races := fit.Races()
		at := slices.IndexFunc(races, func(x record.Race) bool { return x.On.Format(wear.DateLayout) == r.Date })
		if at >= 0 {
			p.Races = append(p.Races, raceLine{races[at], r})
			marks = append(marks, draw.Mark{On: races[at].On, AtRisk: r.AtRisk})
		}
	}
	p.Fan = draw.Fan(w.Wear, fit.Today, marks, fit.Units)
	runs := slices.Clone(w.Pair.Runs)
	slices.Reverse(runs)
	p.Recent = runs[:min(recent, len(runs))]
	made := []string{w.Pair.Width}
	if m := fit.Shop.Catalogue.ByID(w.Pair.ModelRow); m != nil && slices.Contains(m.Widths, w.Pair.Width) {
		made = m.Widths
	}
	for _, x := range made {
		p.Made = append(p.Made, kit.Option{Value: x, Text: x})
	}
	var err error
	p.If, err = fit.WhatIfs(i)
	return &p, err
}

func photosOf(p record.Pair) []photoPair {
	var out []photoPair
	for _, s := range term.Sides {
		x := photoPair{Side: s}
		for i := range p.Photos {
			if p.Photos[i].Side == s {
				if x.First == nil {
					x.First = &p.Photos[i]
				} else {
					x.Last = &p.Photos[i]
				}
			}
		}
		out = append(out, x)
	}
	return out
}

// FactFields are the inputs of the form that puts the pair's facts right, filled with what they are.
func (p *pair) FactFields(own map[string]kit.Control, u units.System) []kit.Control {
	day := func(t time.Time) string {
		if t.IsZero() {
			return ""
		}
		return t.Format(time.DateOnly)
	}
	held := map[string]string{"fact_uk": form.Field{}.Show(float64(p.Pair.Size), u), "fact_width": p.Pair.Width,
		"fact_price": form.Field{Unit: form.Money}.Show(float64(p.Pair.Price), u), "fact_since": day(p.Pair.BoughtOn),
		"fact_worn": day(p.Pair.FirstWorn)}
	var out []kit.Control
	for _, f := range wardrobe.FactFields {
		c := own[f.Name].Default(held[f.Name]).For(strconv.FormatUint(p.Pair.ID, 10))
		if f.Name == "fact_width" {
			c = c.Choose(p.Made)
		}
		out = append(out, c)
	}
	return out
}

// shown is all that the piece of the page on a pair shows, as it is read.
type shown struct {
	Fit, ID     uint64
	Whole       bool   // it is the one that is shown whole
	Called      string // the pair, as it is told from others
	Maker, Name string // its model
	Version     int
	Label       string
	Weekly      string
	Slowed      bool // for short and slow runs
	Added       bool // by hand: it was not chosen at a fit
	State       wear.State
	StateWord   string
	Done        bool // it is to be set aside
	Says        string
	LetIn       bool          // it is run in all the same
	Let         template.HTML // the input of why it may be; empty where it may not be asked
	Fan         template.HTML
	Run         string
	Estimated   bool
	Effective   string
	Left, Until string // likely
	Earliest    string
	Latest      string
	OrderBy     string
	Cost        string
	Races       []shownRace
	Based       string // the school that leads, and its answer
	Schools     []shownSchool
	Why         []string
	If          []shownIf
	Checks      []shownCheck
	Look        shownForm
	PressEvery  string
	Photos      []shownPhotos
	Said        []shownSaid
	Reports     []string
	Lifting     template.HTML
	Lifted      string
	Before      template.HTML
	RanBefore   string
	Naming      template.HTML
	Facts       template.HTML
	Aside       shownForm
	Recent      []shownRun
	Runs        int
	Wrong       wrong
}

type (
	shownRace struct {
		AtRisk bool
		Text   string
	}
	shownSchool struct{ Name, Left, Until, Text string }
	shownIf     struct{ Seen, Left, By string }
	shownCheck  struct {
		ID            uint64
		Text          string
		Faults        []string
		Note, Besides string
	}
	shownPhotos struct {
		Side        term.Side
		First, Last *shownPhoto
	}
	shownPhoto struct {
		ID uint64
		On string
	}
	shownSaid struct {
		Kind string
		ID   uint64
		Text string
	}
	shownRun struct {
		ID                            uint64
		Day, Short, Far, Kind, Ground string
	}
)

// shownForm is the form of a look at a pair, or of setting it aside, with the number of the cupboard that it goes on at.
type shownForm struct {
	Fit, Pair           uint64
	Cupboard            string
	Wrong               string
	Facts, Causes, Note template.HTML
}

// wrong is what is wrong in the pair's forms.
type wrong struct {
	Let, Look, Photo, Report string
	Edit                     bool // in one of those that put it right
}

// lookForm is the form of a look at a pair.
func lookForm(v bench.View, p *pair, cupboard string) shownForm {
	own, id := v.Own(), strconv.FormatUint(p.Pair.ID, 10)
	return shownForm{Fit: v.ID, Pair: p.Pair.ID, Cupboard: cupboard, Wrong: v.Faults["look_tread.left"],
		Facts: fields(own["looked_on"].Default(v.Fit.Today.Format(wear.DateLayout)).For(id), own["look_faults"],
			own["look_fresh"].Picked()),
		Causes: own["look_causes"].Field(), Note: own["look_note"].For(id).Field()}
}

// asideForm is the form that sets a pair aside.
func asideForm(v bench.View, p *pair, cupboard string) shownForm {
	own, id := v.Own(), strconv.FormatUint(p.Pair.ID, 10)
	return shownForm{Fit: v.ID, Pair: p.Pair.ID, Cupboard: cupboard,
		Facts: fields(own["aside_reason"].Default(record.WornOut).For(id), own["aside_note"].For(id))}
}

// LookForm is the form of a look at the pair that the session through all pairs is at.
func (b body) LookForm(v bench.View, p *pair, at int) shownForm {
	return lookForm(v, p, strconv.Itoa(at))
}

// AsideForm is the form that sets that pair aside.
func (b body) AsideForm(v bench.View, p *pair, at int) shownForm {
	return asideForm(v, p, strconv.Itoa(at))
}

func fields(list ...kit.Control) template.HTML {
	var out template.HTML
	for _, c := range list {
		out += c.Field()
	}
	return out
}

var pieces kit.Pieces

// InUse are the parts of the page on each pair in use.
func (b body) InUse(v bench.View) (template.HTML, error) {
	var list []shown
	others := v
	if len(v.Faults) > 0 {
		others = v.Untyped()
	}
	for _, p := range b.Pairs {
		if p.Sent {
			list = append(list, p.shown(v))
		} else {
			list = append(list, p.shown(others))
		}
	}
	return kit.Each(&pieces, bench.Parse(files), "pair", list)
}

// editing are the inputs of the forms that put a pair right.
var editing = []string{"aside_reason", "lifting_hours", "fact_uk", "fact_width", "fact_price", "fact_since", "fact_worn"}

func (p *pair) shown(v bench.View) shown {
	u, own, id := v.Units, v.Own(), strconv.FormatUint(p.Pair.ID, 10)
	km := func(v *float64) string {
		if v == nil {
			return ""
		}
		return u.Distance(*v)
	}
	say := func(text string) string { return kit.Spoken(u, text) }
	m, w := &p.Pair.Model, &p.Wear
	out := shown{Fit: v.ID, ID: p.Pair.ID, Whole: p.Open, Called: p.Pair.Name(), Maker: m.Maker, Name: m.Name, Version: m.Version,
		Label: p.Pair.Label(), Weekly: u.Distance(p.Weekly), Slowed: !p.Pair.SlowedOn.IsZero(), Added: p.Pair.FitID == 0, State: w.State,
		StateWord: p.State(), Done: w.State == wear.SetAside, Says: say(p.Says()),
		LetIn: p.Verdict.Retire != "" && p.Verdict.LetIn != "" && v.Fit.Open(),
		Fan:   p.Fan, Run: u.Distance(w.KM), Estimated: w.Estimated, Effective: u.Distance(w.EffectiveKM), Left: u.Distance(w.RemainingKM.P50),
		Until: kit.DayOf(w.Dates.P50), Earliest: kit.DayOf(w.Dates.P10), Latest: kit.DayOf(w.Dates.P90), OrderBy: kit.DayOf(w.OrderBy),
		PressEvery: u.Distance(pressEveryKM), Look: lookForm(v, p, ""), Aside: asideForm(v, p, ""), Runs: len(p.Pair.Runs),
		Lifting: own["lifting_hours"].For(id).Field(), Before: fields(own["before_km"].For(id), own["before_sure"].For(id)),
		Naming: own["called"].For(id).Default(p.Pair.Called).Field(), Facts: fields(p.FactFields(own, u)...),
		Wrong: wrong{Let: v.Faults["let_in_pair"], Look: v.Faults["look_tread.left"], Photo: v.Faults["photo"],
			Report: v.Faults["report_comfort"],
			Edit:   slices.ContainsFunc(editing, func(name string) bool { return v.Faults[name] != "" })}}
	if p.Verdict.Retire != "" && p.Verdict.LetIn == "" && v.Fit.Open() {
		out.Let = own["let_in_pair"].For(id).Field()
	}
	if w.CostPerKM != nil {
		out.Cost = say(fmt.Sprintf("%.1f cents a km", *w.CostPerKM))
	}
	for _, r := range p.Races {
		name := r.Race.Name
		if name == "" {
			name = "The race"
		}
		text := fmt.Sprintf("%s on %s: %s", name, kit.LongDay(r.Race.On), say(r.Answer.Text))
		if r.Answer.AtRisk {
			text += fmt.Sprintf(" That this pair is done before it is over: %s.", kit.Chance(r.Answer.PFail))
		}
		out.Races = append(out.Races, shownRace{r.Answer.AtRisk, text})
	}
	out.Based = "Based on " + p.LeadWord
	if p.Answer.LeftKM != nil {
		out.Based += ": " + km(p.Answer.LeftKM) + " left"
	}
	if p.Answer.Date != nil {
		out.Based += ", " + kit.DayOf(p.Answer.Date)
	}
	out.Based += ". " + say(p.Answer.Text)
	for _, s := range []struct {
		name   string
		answer wear.SchoolAnswer
	}{{"By distance", w.Schools.ByDistance}, {"By own history", w.Schools.ByOwnHistory}, {"By condition", w.Schools.ByCondition}} {
		out.Schools = append(out.Schools, shownSchool{s.name, km(s.answer.LeftKM), kit.DayOf(s.answer.Date), say(s.answer.Text)})
	}
	for _, why := range w.Why {
		out.Why = append(out.Why, say(why))
	}
	for _, x := range w.Warnings {
		out.Why = append(out.Why, say(x.Text))
	}
	for _, x := range p.If {
		line := shownIf{Seen: x.Seen, Left: u.Distance(x.Left)}
		if x.By != nil {
			line.By = kit.DayOf(x.By)
		}
		out.If = append(out.If, line)
	}
	for _, x := range p.Pair.Inspected {
		out.Checks = append(out.Checks, checked(x))
	}
	for _, x := range p.Photos {
		out.Photos = append(out.Photos, shownPhotos{x.Side, photoOf(x.First), photoOf(x.Last)})
	}
	for _, x := range p.Said {
		out.Said = append(out.Said, shownSaid{x.Kind, x.ID, fmt.Sprintf("%s: %s.", kit.LongDay(x.On), say(x.Text))})
	}
	for _, x := range p.Reports {
		note := ""
		if x.Note != "" {
			note = ", “" + x.Note + "”"
		}
		out.Reports = append(out.Reports, fmt.Sprintf("After %d days: comfort %d of 10%s (%s, %s).", x.AfterDays, x.Comfort, note, x.Maker,
			kit.LongDay(x.MadeAt)))
	}
	if p.Pair.Lifting > 0 {
		out.Lifted = kit.Number(p.Pair.Lifting)
	}
	switch b := p.Pair.Before; {
	case b.Unknown:
		out.RanBefore = "Nobody knows what it ran before."
	case b.KM > 0 && b.SDLn > 0:
		out.RanBefore = u.Distance(b.KM) + " before it was counted, about."
	case b.KM > 0:
		out.RanBefore = u.Distance(b.KM) + " before it was counted."
	}
	for _, r := range p.Recent {
		ground := string(r.Ground)
		if r.Wet {
			ground += ", wet"
		}
		out.Recent = append(out.Recent, shownRun{r.ID, r.On.Format("Mon 2 Jan 2006"), r.On.Format("2 January"), u.Distance(r.KM),
			support.Words(string(r.Kind)), ground})
	}
	return out
}

// pressEveryKM is how often the press of a pair is photographed.
const pressEveryKM = 150

// checked is a look at the pair, as it is told.
func checked(x record.Inspected) shownCheck {
	var gone strings.Builder
	for _, part := range [][2]string{{"tread", "tread"}, {"bounce", "bounce"}, {"upper", "upper"}, {"evenness", "to one side"}} {
		if v := x.Worse(part[0]); v != nil {
			fmt.Fprintf(&gone, "%s %s ", part[1], kit.Percent(*v))
		}
	}
	out := shownCheck{ID: x.ID, Text: fmt.Sprintf("Checked %s (%s): %sgone.", kit.LongDay(x.On), x.Maker, gone.String()), Note: x.Note}
	if x.BesideFresh {
		out.Text += " Beside a fresh pair."
	}
	for _, f := range x.Faults {
		out.Faults = append(out.Faults, kit.Sentence(support.Words(f)))
	}
	var causes []string
	for _, c := range x.Causes {
		causes = append(causes, support.Words(c))
	}
	out.Besides = strings.Join(causes, ", ")
	return out
}

func photoOf(p *record.PairPhoto) *shownPhoto {
	if p == nil {
		return nil
	}
	return &shownPhoto{p.ID, kit.LongDay(p.At)}
}
