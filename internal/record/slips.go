package record

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/foot"
	"trevik/internal/core/footprint"
	"trevik/internal/core/gait"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/form"
)

// Slip is one finding as a slip of paper: value, error, time and hand, and what it moved.
type Slip struct {
	Station      string // at which it was found
	Title, Value string
	Side         term.Side
	At           time.Time
	Hand, How    string
	Moved        []string
	Evidence     string // its name among the reasons of support; empty where it is none
	Liftable     bool   // the answer can be looked at without it
}

// SlipGroup is slips that stand together; Note says why they are pinned.
type SlipGroup struct {
	Note  string
	Slips []Slip
}

// pins are the slips that each conflict pins together, by their evidence.
var pins = map[string][]string{
	support.LowArchNeutralGait:   {"arch", "gait"},
	support.HighArchRollsIn:      {"arch", "gait"},
	support.FeltRightAgainstGait: {"comfortable_level", "gait"},
	support.WearAgainstGait:      {"wear", "gait"},
	support.FeetDiffer:           {"gait"},
	support.Orthotic:             {"flags"},
}

// Slips lays out what the fit has found: what disagrees is pinned first.
func (c *Conclusions) Slips() ([]SlipGroup, error) {
	all := append(c.seen(), c.measured()...)
	answer, err := c.Support()
	if err != nil {
		return nil, err
	}
	for i := range all {
		all[i].Moved = append(all[i].Moved, moved(answer, all[i].Evidence)...)
	}
	var groups []SlipGroup
	for _, x := range answer.Conflicts {
		g := SlipGroup{Note: x.Text}
		all = slices.DeleteFunc(all, func(s Slip) bool {
			kind, _, _ := strings.Cut(s.Evidence, ".")
			in := slices.Contains(pins[x.Code], kind)
			if in {
				g.Slips = append(g.Slips, s)
			}
			return in
		})
		groups = append(groups, g)
	}
	pinned, all := c.apart(all)
	groups = append(groups, pinned...)
	if len(all) > 0 {
		groups = append(groups, SlipGroup{Slips: all})
	}
	for g := range groups {
		for s := range groups[g].Slips {
			slip := &groups[g].Slips[s]
			_, err := c.Evidence().Without(slip.Evidence)
			slip.Liftable = err == nil
		}
	}
	return groups, nil
}

// moved lists what a piece of evidence did in each school.
func moved(a support.Answer, evidence string) []string {
	if evidence == "" || a.Schools == nil {
		return nil
	}
	var out []string
	for _, name := range term.Schools {
		for _, r := range a.Schools.Of(name).Why {
			if r.Evidence != evidence {
				continue
			}
			step := ""
			if r.Moves != 0 {
				step = fmt.Sprintf(" (%+d)", r.Moves)
			}
			out = append(out, form.Sentence(support.SchoolNames[name])+": "+r.Text+step)
		}
	}
	for _, r := range a.Why {
		if r.Evidence == evidence {
			out = append(out, r.Text)
		}
	}
	return out
}

// seen are the slips of what was told and seen by eye.
func (c *Conclusions) seen() []Slip {
	v := c.Visit
	var out []Slip
	put := func(station, title, value, evidence string, k Key) {
		if f := v.Finding(k); v.Has(k) {
			out = append(out, Slip{Station: station, Title: title, Value: value, Side: k.Side, At: f.MadeAt, Hand: f.Maker, How: f.How,
				Evidence: evidence})
		}
	}
	for _, fl := range v.Cautions() {
		put("hello", "Caution", support.Words(string(fl)), "flags."+string(fl), Flags.Key())
	}
	for _, s := range term.Sides {
		filmed := v.GaitFilm(s)
		if sure := BandSure.Of(v, s); sure != "" {
			title, evidence := "Pronation", "gait."+string(s)
			if filmed != nil {
				title, evidence = "Pronation, by eye", "" // the film counts
			}
			put("gait", title, support.Words(string(BandSeen.Of(v, s)))+", "+string(sure), evidence, BandSeen.Key(s))
		}
		if sure := KneeSure.Of(v, s); sure != "" && KneeSeen.Of(v, s) != "" {
			put("gait", "Knee, by eye", support.Words(KneeSeen.Of(v, s))+", "+string(sure), "knee_by_eye."+string(s), KneeSeen.Key(s))
		}
		if r := v.PrintReading(s); r != nil {
			put("print", "Print", fmt.Sprintf("%s arch, index %.3f ± %.3f", r.Arch, r.ArchIndex, footprint.IndexSD(r.Quality.Score)),
				"arch."+string(s), PrintRead.Key(s))
			last := &out[len(out)-1]
			last.Moved = append(last.Moved, fmt.Sprintf("High %.0f %%, medium %.0f %%, low %.0f %%; quality %.2f.", 100*r.ArchProbability.High,
				100*r.ArchProbability.Medium, 100*r.ArchProbability.Low, r.Quality.Score))
			if r.LengthMM != nil && r.BallMM != nil {
				last.Moved = append(last.Moved,
					fmt.Sprintf("The print is %s ± %s long and %s wide at the ball; a foot is some 4 to 8 mm longer, so it is never taken for the size.",
						c.Units.Length(*r.LengthMM), c.Units.Length(1), c.Units.Length(*r.BallMM)))
			}
			if sure := ArchSure.Of(v, s); sure != "" {
				put("print", "Arch by eye", support.Words(string(ArchSeen.Of(v, s)))+", "+string(sure), "", ArchSeen.Key(s))
			}
		} else if sure := ArchSure.Of(v, s); sure != "" {
			put("print", "Arch", support.Words(string(ArchSeen.Of(v, s)))+", "+string(sure), "arch."+string(s), ArchSeen.Key(s))
		}
	}
	if list, _ := v.Complaints(); list != nil {
		value := "none"
		if len(*list) > 0 {
			var words []string
			for _, x := range *list {
				text := strings.TrimSpace(fmt.Sprintf("%s %s, %s", x.Side, support.Words(string(x.Place)), Ago(*x.MonthsAgo)))
				if when := v.ComplaintWhenOf(x.Place); when != "" {
					text += ", " + support.Words(when)
				}
				words = append(words, text)
			}
			value = strings.Join(words, "; ")
		}
		k := Complains.Key()
		if !v.Has(k) {
			k = ComplaintPlace.Key(1)
		}
		put("hello", "Complaints", value, "complaints", k)
	}
	for _, s := range term.Sides {
		sole, ok := v.Sole(s)
		if !ok || sole.Gone() == 0 {
			continue
		}
		w := sole.Patterns()
		value := "several patterns"
		if name := w.Strongest(); name != "several" {
			value = support.Words(name)
		}
		put("old-pair", "Old sole", fmt.Sprintf("%s, %.0f %% gone", value, 100*sole.Gone()), "wear."+string(s), v.SoleLooked(s).Key)
	}
	if FeltRight.Of(v) == "yes" {
		put("old-pair", "Felt right", support.Words(string(PresentLevel.Of(v))), "comfortable_level", PresentLevel.Key())
	}
	if LikesSupport.Of(v) {
		put("support", "Liked", "light support", "liked", LikesSupport.Key())
	}
	out = append(out, c.films()...)
	if s := StrikeSeen.Of(v); s != "" {
		put("gait", "Lands on", string(s), "", StrikeSeen.Key())
	}
	return out
}

// films are the slips of what was filmed: value, error, surface and shoe.
func (c *Conclusions) films() []Slip {
	var out []Slip
	for _, r := range c.FilmReadings() {
		for _, s := range term.Sides {
			of := r.Sides[s]
			if of == nil {
				continue
			}
			slip := Slip{Station: "gait", Side: s, At: r.Finding.MadeAt, Hand: r.Finding.Maker, How: r.Name() + " on " + r.Surface}
			if r.Surface == "" {
				slip.How = r.Name()
			}
			if r.CadenceSPM != nil {
				spread := ""
				if r.CadenceError != nil {
					spread = fmt.Sprintf(" ± %.1f", *r.CadenceError)
				}
				slip.Moved = append(slip.Moved, fmt.Sprintf("%.0f%s steps a minute; quality %.2f.", *r.CadenceSPM, spread, r.Quality.Score))
			}
			switch {
			case of.PeakEversionDeg != nil:
				slip.Title, slip.Value = "Pronation, filmed", fmt.Sprintf("%s, %s", statWithError(of.PeakEversionDeg, "°"), of.BandWords)
				if slices.Contains(r.Quality.Flags, gait.NoDots) { // the level's error is more than what the steps differ by
					slip.Value = fmt.Sprintf("%.1f° ± %.1f over %d, %s", *of.PeakEversionDeg.Mean, of.LevelSD(), of.PeakEversionDeg.N, of.BandWords)
					slip.Moved = append(slip.Moved, "Read by the outlines of leg and shoe, without dots: what varies is surer than the level.")
				}
				if best := c.GaitFilm(s); best != nil && best.Number == r.Number {
					slip.Evidence = "gait." + string(s)
				}
				for _, x := range c.FilmChanges() {
					if x.Side == s && x.Shod == r.Shod {
						slip.Moved = append(slip.Moved, fmt.Sprintf("Against the runner's own gait: %+.1f° ± %.1f°.", x.Value.Deg, x.Value.SD))
					}
				}
			case of.KneeInDeg != nil:
				slip.Title, slip.Value, slip.Evidence = "Knee inward, filmed", statWithError(of.KneeInDeg, "°"), "knee_in."+string(s)
			case of.StrikeDeg != nil:
				slip.Title = "Landing, filmed"
				slip.Value = strings.TrimPrefix(fmt.Sprintf("%s, sole %s, contact %s", of.Strike, statWithError(of.StrikeDeg, "°"),
					statWithError(of.ContactMS, " ms")), ", ")
				if of.FarAhead {
					slip.Moved = append(slip.Moved, fmt.Sprintf("The shank stands %s ahead at touchdown: the foot lands far ahead of the body.",
						statWithError(of.ShankDeg, "°")))
				}
			default:
				continue
			}
			out = append(out, slip)
		}
	}
	return out
}

func statWithError(s *gait.Stat, unit string) string {
	if s == nil || s.Mean == nil {
		return "unknown"
	}
	if s.SD == nil {
		return fmt.Sprintf("%.1f%s", *s.Mean, unit)
	}
	return fmt.Sprintf("%.1f%s ± %.1f over %d", *s.Mean, unit, *s.SD, s.N)
}

// measured are the slips of the feet.
func (c *Conclusions) measured() []Slip {
	var out []Slip
	for _, m := range SizeMeasures {
		for _, s := range term.Sides {
			if r := c.Reading(m, s); r.N > 0 {
				slip := Slip{Station: "feet", Title: m.Title, Value: c.withError(r), Side: s, Evidence: "hand." + m.Name + "." + string(s)}
				for i := range Readings {
					if k := m.Key(s, i+1); c.Has(k) {
						f := c.Finding(k)
						slip.At, slip.Hand, slip.How = f.MadeAt, f.Maker, f.How
					}
				}
				slip.Moved = append(slip.Moved, fmt.Sprintf("%d readings, %s apart.", r.N, c.Units.Length(r.Apart)))
				if r.NeedsThird {
					slip.Moved = append(slip.Moved, "A third reading is asked for: the median will count.")
				}
				if size, err := c.SizeOf(s); err == nil && size != nil && m.Decl == Length.Decl {
					slip.Moved = append(slip.Moved, fmt.Sprintf("US %g, UK %g, EU %g on the %s chart.", size.US, size.UK, size.EU, size.Chart))
				}
				out = append(out, slip)
			}
			if f := c.Scanned(m, s); f != nil {
				r := foot.Reading{Value: *f.Number, Error: m.Scan.Error}
				out = append(out, Slip{Station: "feet", Title: m.Title + ", scanned", Value: c.withError(r), Side: s, At: f.MadeAt, Hand: f.Maker,
					How: f.How, Evidence: "scan." + m.Name + "." + string(s)})
			}
			if f := c.Traced(m, s); f != nil {
				r := foot.Reading{Value: *f.Number, Error: m.Trace.Error}
				if f.Error != nil {
					r.Error = *f.Error
				}
				out = append(out, Slip{Station: "feet", Title: m.Title + ", traced", Value: c.withError(r), Side: s, At: f.MadeAt, Hand: f.Maker,
					How: f.How, Evidence: "outline." + m.Name + "." + string(s)})
			}
		}
	}
	for _, s := range term.Sides {
		if drop, word, ok := c.NavicularDrop(s); ok {
			f := c.Finding(Navicular.Key(s, 1))
			out = append(out, Slip{Station: "feet", Title: "Navicular drop", Value: c.Units.Length(drop) + ", " + word, Side: s, At: f.MadeAt,
				Hand: f.Maker, How: f.How, Evidence: "navicular_drop." + string(s)})
		}
	}
	return out
}

// apart pins together what hand, scanner and outline measured differently.
func (c *Conclusions) apart(all []Slip) (groups []SlipGroup, rest []Slip) {
	for _, s := range term.Sides {
		for _, m := range []Measure{LengthMeasure, BallMeasure} {
			list := c.ApartFrom(m, s)
			if len(list) == 0 {
				continue
			}
			var g SlipGroup
			pinned := []string{"hand." + m.Name + "." + string(s)}
			for _, d := range list {
				g.Note += fmt.Sprintf("Hand and %s are %s apart on the %s foot. ", d.By, c.Units.Length(math.Abs(d.MM)), s)
				pinned = append(pinned, map[string]string{"scanner": "scan.", "outline": "outline."}[d.By]+m.Name+"."+string(s))
			}
			g.Note += "Measure again, or say at Feet which counts."
			all = slices.DeleteFunc(all, func(x Slip) bool {
				in := slices.Contains(pinned, x.Evidence)
				if in {
					g.Slips = append(g.Slips, x)
				}
				return in
			})
			groups = append(groups, g)
		}
	}
	return groups, all
}

// withError is a reading with its error, in the reader's units.
func (c *Conclusions) withError(r foot.Reading) string {
	u := c.Units
	if u == units.Imperial {
		return fmt.Sprintf("%s ± %.2f in", u.Length(r.Value), math.Max(u.FromMM(r.Error), 0.01))
	}
	return fmt.Sprintf("%s ± %.1f mm", u.Length(r.Value), r.Error)
}
