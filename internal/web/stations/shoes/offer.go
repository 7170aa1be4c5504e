package shoes

import (
	"fmt"
	"html/template"
	"slices"
	"strconv"

	"trevik/internal/app/wardrobe"
	"trevik/internal/core/care"
	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// offer is a model that is offered, with all that its piece of the page shows, as it is read.
type offer struct {
	Fit           uint64
	URL           string // of the station
	Open          bool   // the fit
	Sold          int    // pairs of this fit
	Two           []string
	Sent          *sent // the form of another size, where it could not be kept
	At            int   // its place, from 1
	Model         string
	Maker, Name   string
	Version       int
	TryOn         bool
	What          string // its level, class, drop, weight and purpose
	Price         string
	Stock         int
	Drawn, Room   template.HTML
	Label, Figure string // of its size
	Instead       string // of which it is offered; empty is none
	Toe, SD, Aim  string // the room, its error, and what is wanted
	For           string // what speaks for it most
	Against       string // and against it; empty where nothing does
	Score         string
	Moves         []string // what the try-on did to its place
	Notes         []string // what else is told, a line each
	Liked         string   // by runners with like feet
	Way           string   // what it would take to go over to it; empty is nothing
	WayWeeks      []care.Week
	Sizes         []size
	Worst, PerKM  string
	Inside        string // how its inside is known
	Marks         []match.Mark
	Units         units.System
}

// size is one that may be chosen instead.
type size struct{ Figure, UK, Label, Room, Stock string }

// sent is a form of another size or price as it was typed, with what is wrong.
type sent struct{ Figure, Price, Reason, WrongFigure, WrongPrice, WrongReason string }

var offers kit.Pieces

// Offered are the pieces of the page that show the offers; faults and own are those of the form that was sent.
func (b body) Offered(faults map[string]string, own map[string]kit.Control) (template.HTML, error) {
	list := slices.Clone(b.Offers)
	for i := range list {
		if len(faults) > 0 && own["model"].Value == list[i].Model {
			list[i].Sent = &sent{own["figure"].Value, own["price"].Value, own["reason"].Value, faults["figure"], faults["price"],
				faults["reason"]}
		}
	}
	return kit.Each(&offers, bench.Parse(files), "offer", list)
}

// RuledOut is the piece of the page that shows the models that are not offered.
func (b body) RuledOut(u units.System) (template.HTML, error) {
	type line struct {
		Name    string
		Reasons []string
		Text    string
	}
	var list []line
	for _, o := range b.Out {
		list = append(list, line{record.ModelName(o.M), o.Reasons, kit.Spoken(u, o.Text)})
	}
	return offers.Of(bench.Parse(files), "out", list)
}

// offerOf is the i-th offer; sizes are those of the shorter foot, where the feet differ by a size.
func (b *body) offerOf(fit *record.Conclusions, i int, r match.Ranked, shorter term.Side, sizes map[string]match.Size) (offer, error) {
	m, u := fit.Shop.Catalogue.ByCode(r.Model), fit.Units
	money := func(minor int64) string { return kit.Money(minor, fit.Shop.Currency) }
	o := offer{Fit: fit.ID, URL: bench.URL(fit.ID, "shoes"), Open: fit.Open(), Sold: len(b.Choices), At: i + 1, Model: r.Model,
		Maker: m.Maker, Name: m.Name, Version: m.Version, Price: money(m.Price()), Stock: r.Size.Stock,
		What: fmt.Sprintf("%s · %s · drop %s · %.0f g · %s", support.Words(string(m.Level)), support.Words(string(m.Class)), u.Length(m.Drop()),
			r.Size.WeightG, m.Purpose),
		Drawn: draw.Shoe(m, drawnWidth), Room: draw.Room(r.Size, fit.Feet(), m.LastShape, u), Label: r.Size.Label,
		Figure: fmt.Sprint(r.Size.Figure), Toe: u.Length(r.Size.RoomMM), SD: u.Length(fit.RoomError(m)), Aim: kit.Span(u, r.Size.WantedMM),
		Score: two(r.Score), Worst: support.Words(string(r.WorstKind)), Inside: record.InsideWords(m),
		Marks: r.Marks, Units: u}
	for _, m := range b.Two {
		o.Two = append(o.Two, m.ID)
	}
	if r.Size.InsteadOf != nil {
		o.Instead = *r.Size.InsteadOf
	}
	if r.Place != nil {
		o.Score = two(*r.Place)
	}
	for _, x := range r.Moves {
		o.Moves = append(o.Moves, kit.Spoken(u, x))
	}
	o.Notes = m.GroundHints(record.Conditions.Of(fit.Visit))
	if said := dislikedNear(m, fit.Dislikes()); said != "" {
		o.Notes = append(o.Notes, said)
	}
	if s, ok := sizes[r.Model]; ok && s.Figure != r.Size.Figure {
		o.Notes = append(o.Notes, fmt.Sprintf("In two sizes: this one for the %s foot and %s for the %s (%s of room), two pairs at %s.",
			foot.Compare(fit.Feet(), fit.House()).Fitted, s.Label, shorter, u.Length(s.RoomMM), money(2*m.Price())))
	}
	if e := r.Earlier; e != nil {
		name := e.Model
		if m := fit.Shop.Catalogue.ByCode(e.Model); m != nil {
			name = fmt.Sprintf("%s %d", m.Name, m.Version)
		}
		o.Notes = append(o.Notes, fmt.Sprintf("%s is %s. %s", name, money(e.Price), e.Text))
	}
	way, err := fit.WayTo(m)
	if err != nil {
		return o, err
	}
	if text := way.Text(); text != "" {
		o.Way, o.WayWeeks = kit.Spoken(u, text), way.Plan.Weeks
	}
	for _, n := range r.Size.Neighbours {
		x := size{Figure: fmt.Sprint(n.Figure), UK: fmt.Sprint(n.UK), Label: n.Label, Room: u.Length(n.RoomMM)}
		if n.Stock > 0 {
			x.Stock = strconv.Itoa(n.Stock)
		}
		o.Sizes = append(o.Sizes, x)
	}
	o.PerKM = kit.Spoken(u, fmt.Sprintf("%.2f %s per km over its life of some %.0f km", r.CostPerKM/100, fit.Shop.Currency, r.LifeKM)+
		fit.FromOurs(m))
	good, bad := forAndAgainst(r.Marks)
	o.For, o.Against = kit.Spoken(u, good), kit.Spoken(u, bad)
	return o, nil
}

// drawnWidth is how wide an offer's shoe is drawn, px.
const drawnWidth = 228

// likedWords say how runners with like feet found a model.
func likedWords(l wardrobe.Liking) string {
	runners, few := "runners", ""
	if l.N == 1 {
		runners = "runner"
	}
	if l.Few() {
		few = ", too few to lean on"
	}
	return fmt.Sprintf("After some weeks, runners with like feet give it %.1f of 10 (%d %s%s).", l.Mean, l.N, runners, few)
}

func two(v float64) string { return strconv.FormatFloat(v, 'f', 2, 64) }

// clearly is from which value a mark speaks for a model, and below which it speaks against it.
const clearly = 0.9

// forAndAgainst are the mark that speaks most for a model, by its weight, and the one that costs it most.
func forAndAgainst(marks []match.Mark) (good, bad string) {
	var gain, loss float64
	for _, m := range marks {
		if g := m.Value * m.Weight; m.Value >= clearly && g > gain && m.Mark != "disliked" {
			gain, good = g, m.Mark+": "+m.Why
		}
		if l := (1 - m.Value) * m.Weight; m.Value < clearly && l > loss {
			loss, bad = l, m.Mark+": "+m.Why
		}
	}
	return kit.Sentence(good), kit.Sentence(bad)
}

// dislikedNear says what was disliked of a model or of its maker: a dislike stays with
// the model and version, and another last may suit all the same.
func dislikedNear(m *shoe.Model, list []record.Dislike) string {
	for _, d := range list {
		switch {
		case d.Model.ID == m.ID:
			return fmt.Sprintf("Disliked before, in this version: “%s”", d.Why)
		case d.Model.Maker == m.Maker && (d.Model.LastShape != m.LastShape || d.Model.Volume != m.Volume):
			return fmt.Sprintf("%s was disliked (“%s”); this one is made on another last.", record.ModelName(d.Model), d.Why)
		case d.Model.Maker == m.Maker:
			return fmt.Sprintf("%s was disliked (“%s”); this one is made on a like last.", record.ModelName(d.Model), d.Why)
		}
	}
	return ""
}
