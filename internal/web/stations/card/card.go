// Package card is the page that prints: feet, size, support and why, the chosen
// pair, when to replace it, cautions.
package card

import (
	"cmp"
	"context"
	"embed"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"trevik/internal/app"
	"trevik/internal/app/films"
	"trevik/internal/app/people"
	"trevik/internal/core/foot"
	core "trevik/internal/core/footprint"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

type side struct {
	Side   term.Side
	Length foot.Reading
	Ball   foot.Reading
	Size   *foot.Size
	Arch   string
	Band   string
}

type school struct {
	Name  string
	Level *term.Level
}

// note is what a clinician is told of a runner who is referred.
type note struct {
	Told       []string
	Complaints []string
	Treated    bool
	Running    string
	Measured   []string
}

type body struct {
	Sides    []side
	Feet     template.HTML
	Support  support.Answer
	Lead     string
	Why      []string
	Schools  []school
	Choice   *record.Decision
	Basis    *record.Basis
	Pairs    []chosen // what was chosen, the first first
	Worn     *record.Worn
	Address  string                 // of the runner's own page, that was just made
	Races    []record.RacePlan      // to come
	Orders   []record.SeasonDecided // that were decided on for the season
	Tried    []record.Tried
	Cautions []string
	Overrule *record.Decision
	Advice   foot.Difference
	Stills   []films.Still
	Liked    bool
	NoneWhy  string
	Note     *note
	AskKeep  bool   // whether the health answers may be kept was not asked yet
	Laces    []lace // what was tried of the chosen pair
	Sock     string
	Rotation []turn
	Week     template.HTML // what runs when in which pair, where the days are laid out
	Look     *string       // the day of the next look
	Ways     []string      // plans of changing over that go on
	Since    []string      // what the shop has set otherwise since the fit was closed
}

// chosen is a pair that was chosen, drawn: from the side, and its toe end with both feet in it.
type chosen struct {
	record.Choice
	Side, Room template.HTML
}

// turn is a pair of the rotation, drawn, with what it takes in a week.
type turn struct {
	Name, Takes string
	Side        template.HTML
}

// lace is a lacing, drawn.
type lace struct {
	Name  string
	Shape template.HTML
	Steps []string
}

// mostLaces are as many as the card has room for.
const mostLaces = 2

// after is what the card says of the time after: lacing, socks, the other pairs, the look.
func (b *body) after(fit *record.Conclusions) error {
	b.Sock = string(record.Sock.Of(fit.Visit))
	for _, n := range fit.LacedIn(b.Choice.Value) {
		if n != "as_it_comes" && len(b.Laces) < mostLaces {
			b.Laces = append(b.Laces, lace{n, draw.Lacing(n), draw.LacingSteps(n)})
		}
	}
	s, err := fit.Serving()
	if err != nil {
		return err
	}
	changes, err := fit.Runner.Changings(fit.Today)
	if err != nil {
		return err
	}
	for _, x := range changes {
		if text := x.Summary(fit.Today); text != "" {
			b.Ways = append(b.Ways, text)
		}
	}
	for i := range s.Pairs {
		var takes []string
		for j, p := range s.Parts {
			if km := s.Takes[j][i]; km > 0.05 {
				takes = append(takes, fmt.Sprintf("%s %s on %s", support.Words(string(p.Kind)), fit.Units.Distance(units.Round(km, 1)), p.Ground))
			}
		}
		if len(takes) > 0 && len(s.Pairs) > 1 {
			b.Rotation = append(b.Rotation, turn{s.Pairs[i].Name(), strings.Join(takes, ", "), draw.Shoe(&s.Pairs[i].Model, turnWidth)})
		}
	}
	if b.Worn != nil {
		seen := b.Worn.Pair.LastSeen()
		if seen.IsZero() {
			seen = b.Worn.Pair.BoughtOn
		}
		look := wear.NextLook(seen).Format(wear.DateLayout)
		b.Look = &look
	}
	return nil
}

// Station is Card.
func Station() bench.Station {
	return bench.Station{Path: "card", Name: "Card", Lead: "One page for the runner, good in any other shop.",
		Template: bench.Parse(files), Fields: record.ConsentFields, Body: bodyOf, Extra: extra}
}

// On the card both feet are drawn at so many px a mm, and a pair so many px wide.
const (
	cardScale = 0.72
	pairWidth = 230
	turnWidth = 92
	weekWidth = 720
)

func bodyOf(c *kit.Req, bn *bench.Bench, fit *record.Conclusions) (any, error) {
	var err error
	b := body{Feet: draw.Feet(fit.Feet(), fit.Units, cardScale), Advice: foot.Compare(fit.Feet(), fit.House()), Tried: fit.Tried()}
	if b.Support, err = fit.Support(); err != nil {
		return nil, err
	}
	if b.Choice, b.Basis = fit.Choice(); b.Basis != nil {
		b.Support = b.Basis.Support // as it was when the pair was chosen
		for _, choice := range fit.Choices() {
			x := chosen{Choice: choice}
			last := term.LastShape("")
			if m := fit.Shop.Catalogue.ByCode(choice.Basis.Ranked.Model); m != nil { // it may have left the catalogue since
				x.Side, last = draw.Shoe(m, pairWidth), m.LastShape
			}
			x.Room = draw.Room(choice.Basis.Ranked.Size, fit.Feet(), last, fit.Units)
			b.Pairs = append(b.Pairs, x)
		}
		worn, err := fit.Worn()
		if err != nil {
			return nil, err
		}
		if at := slices.IndexFunc(worn, func(w record.Worn) bool { return w.Pair.ID == b.Basis.PairID }); at >= 0 {
			b.Worn = &worn[at]
		}
		if err := b.after(fit); err != nil {
			return nil, err
		}
	}
	b.Orders = fit.OnList()
	if b.Races, err = fit.RacesPlanned(c.Ctx()); err != nil {
		return nil, err
	}
	if len(fit.Board()) > 0 {
		plan, err := fit.Plan(c.Ctx(), record.What{})
		if err != nil {
			return nil, err
		}
		if plan.Fault == "" && len(plan.Turn.Answers) > 0 {
			b.Week = draw.CardWeek(kit.WeekRows(plan, min(fit.WeekOn(fit.Today), len(plan.Turn.Answers)-1), fit.Units), weekWidth)
		}
	}
	if b.Stills, err = bn.App.Films.Stills(c.Ctx(), c.Who, fit.ID); err != nil {
		return nil, err
	}
	if record.NoneToday.Of(fit.Visit) {
		b.NoneWhy = cmp.Or(record.NoneWhy.Of(fit.Visit), "a good end, too")
	}
	b.Liked = slices.ContainsFunc(b.Support.Why, func(r support.Reason) bool { return r.Evidence == "liked" })
	if slices.ContainsFunc(fit.Cautions(), func(f support.Flag) bool { return slices.Contains(support.ReferFlags, f) }) {
		b.Note = noteOf(fit)
	}
	_, asked := fit.Runner.Consents[record.HealthConsent]
	b.AskKeep = !asked && fit.HasHealth()
	if !fit.Open() {
		b.Since = fit.Shop.Settings.ChangedSince(fit.Settings)
		for i := range b.Since {
			b.Since[i] = fit.Units.Say(b.Since[i])
		}
	}
	b.Lead = kit.Sentence(support.SchoolNames[b.Support.Lead])
	if b.Support.Schools != nil {
		for _, r := range b.Support.Schools.Of(b.Support.Lead).Why {
			if len(b.Why) < 2 {
				b.Why = append(b.Why, r.Text)
			}
		}
		for _, s := range term.Schools {
			if s != b.Support.Lead {
				b.Schools = append(b.Schools, school{support.SchoolNames[s], b.Support.Schools.Of(s).Level})
			}
		}
	}
	for _, f := range fit.Cautions() {
		b.Cautions = append(b.Cautions, support.Words(string(f)))
	}
	b.Overrule = fit.Overruled()
	for _, s := range term.Sides {
		x := side{Side: s, Length: fit.Measured(record.LengthMeasure, s), Ball: fit.Measured(record.BallMeasure, s), Arch: archOf(fit, s),
			Band: bandOf(fit, s)}
		x.Size, _ = fit.SizeOf(s) // off the chart: the mm stand without a size
		if x.Length.N > 0 || x.Arch != "" || x.Band != "" {
			b.Sides = append(b.Sides, x)
		}
	}
	return b, nil
}

func noteOf(fit *record.Conclusions) *note {
	n := note{Treated: record.Treated.Of(fit.Visit)}
	for _, f := range fit.Cautions() {
		n.Told = append(n.Told, support.Words(string(f)))
	}
	if list, _ := fit.Complaints(); list != nil {
		for _, c := range *list {
			text := strings.TrimSpace(fmt.Sprintf("%s %s, %s", c.Side, support.Words(string(c.Place)), record.Ago(*c.MonthsAgo)))
			if when := fit.ComplaintWhenOf(c.Place); when != "" {
				text += ", comes " + support.Words(when)
			}
			n.Complaints = append(n.Complaints, text)
		}
	}
	if km := fit.WeeklyTold(); km > 0 {
		n.Running = fit.Units.Distance(km) + " a week"
		if record.Jump.Of(fit.Visit) {
			n.Running += ", more lately"
		}
	}
	for _, s := range term.Sides {
		if l := fit.Measured(record.LengthMeasure, s); l.N > 0 {
			text := fmt.Sprintf("%s: length %s", s, fit.Units.Length(l.Value))
			if b := fit.Measured(record.BallMeasure, s); b.N > 0 {
				text += ", ball " + fit.Units.Length(b.Value)
			}
			if drop, word, ok := fit.NavicularDrop(s); ok {
				text += fmt.Sprintf(", navicular drop %s (%s)", fit.Units.Length(drop), word)
			}
			n.Measured = append(n.Measured, text)
		}
	}
	return &n
}

// archOf is a side's arch in words, with its error where a print was read.
func archOf(fit *record.Conclusions, s term.Side) string {
	if r := fit.PrintReading(s); r != nil {
		return fmt.Sprintf("%s arch (print, index %.3f ± %.3f)", r.Arch, r.ArchIndex, core.IndexSD(r.Quality.Score))
	}
	if a := record.ArchSeen.Of(fit.Visit, s); a != "" {
		return string(a) + " arch, by eye"
	}
	return ""
}

// bandOf is a side's rolling in in words, with its error where it was filmed.
func bandOf(fit *record.Conclusions, s term.Side) string {
	if r := fit.GaitFilm(s); r != nil {
		of := r.Sides[s]
		return fmt.Sprintf("%s gait (filmed %s: %.1f° ± %.1f° over %d steps)", of.BandWords, r.Name(), *of.PeakEversionDeg.Mean, of.LevelSD(),
			of.PeakEversionDeg.N)
	}
	if b := record.BandSeen.Of(fit.Visit, s); b != "" {
		return support.Words(string(b)) + " gait, by eye"
	}
	return ""
}

func extra(b *bench.Bench) []kit.Route {
	set := func(do func(context.Context, app.Actor, uint64) error) kit.Handler {
		return func(c *kit.Req) error {
			fit, err := b.Load(c)
			if err != nil {
				return err
			}
			form, err := kit.SetConsents(c, b.Env, fit.Runner.ID)
			if err == nil {
				c.Who.Form.Token = "" // its token was spent on the consents; closing twice is closing once
				err = do(c.Ctx(), c.Who, fit.ID)
			}
			return b.Done(c, Station(), fit, form, err, bench.URL(fit.ID, "card"))
		}
	}
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/card/address", Roles: []app.Role{app.Owner, app.Fitter}, Handle: address(b)},
		{Method: http.MethodPost, Path: "/fits/:fit/close", Roles: kit.Everyone, Handle: set(b.App.Visits.Close)},
		{Method: http.MethodPost, Path: "/fits/:fit/reopen", Roles: kit.Everyone, Handle: set(b.App.Visits.Reopen)},
	}
}

// address makes the address of the runner's own page and shows the card with it, this once: it is kept
// nowhere that it could be read from again.
func address(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		fit, err := b.Load(c)
		if err == nil {
			_, err = kit.Form(c, kit.Known())
		}
		if err != nil {
			return err
		}
		secret, err := b.App.People.NewLink(c.Ctx(), c.Who, people.RunnerLink, fit.Runner.ID)
		if err != nil {
			return b.Done(c, Station(), fit, url.Values{"link": nil}, err, bench.URL(fit.ID, "card"))
		}
		v, err := b.View(c, Station(), fit)
		if err != nil {
			return err
		}
		card := v.Body.(body)
		card.Address = b.Absolute(c, "/r/"+secret)
		v.Body = card
		return b.Render(c, http.StatusOK, v.Station.Template, "bench", v)
	}
}
