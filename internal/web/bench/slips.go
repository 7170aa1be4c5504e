package bench

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/foot"
	"trevik/internal/core/footprint"
	"trevik/internal/core/gait"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/web/kit"
)

// Slip is one finding as a slip of paper: value, error, time and hand; opened it
// says what it moved.
type Slip struct {
	ID, Title, Value string
	Side             term.Side
	At               time.Time
	Hand, How        string
	URL              string
	Moved            []string
	evidence         string // its name among the reasons of support
	Lift             string // the address of the answer without it; empty where it is no evidence
	Look             string // the address that shows what it moved
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

// slips lays out what the fit has found: what disagrees is pinned first.
func slips(fit *app.Fit) ([]SlipGroup, error) {
	all := append(seen(fit), measured(fit)...)
	answer, err := fit.Support()
	if err != nil {
		return nil, err
	}
	for i := range all {
		all[i].Moved = append(all[i].Moved, moved(answer, all[i].evidence)...)
	}
	var groups []SlipGroup
	for _, c := range answer.Conflicts {
		g := SlipGroup{Note: c.Text}
		all = slices.DeleteFunc(all, func(s Slip) bool {
			kind, _, _ := strings.Cut(s.evidence, ".")
			in := slices.Contains(pins[c.Code], kind)
			if in {
				g.Slips = append(g.Slips, s)
			}
			return in
		})
		groups = append(groups, g)
	}
	pinned, all := apart(fit, all)
	groups = append(groups, pinned...)
	if len(all) > 0 {
		groups = append(groups, SlipGroup{Slips: all})
	}
	n, evidence := 0, fit.Evidence()
	for g := range groups {
		for s := range groups[g].Slips {
			n++
			slip := &groups[g].Slips[s]
			slip.ID = fmt.Sprintf("slip-%d", n)
			if _, err := evidence.Without(slip.evidence); err == nil {
				slip.Lift = URL(fit.ID, "support") + "?without=" + slip.evidence
				slip.Look = URL(fit.ID, "support") + "/ladder?slip=" + slip.evidence
			}
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
			out = append(out, kit.Sentence(support.SchoolNames[name])+": "+r.Text+step)
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
func seen(fit *app.Fit) []Slip {
	var out []Slip
	put := func(station, title, value, evidence string, k app.Key) {
		if f, ok := fit.Findings[k]; ok {
			out = append(out, Slip{Title: title, Value: value, Side: k.Side, At: f.MadeAt, Hand: f.Maker, How: f.How, URL: URL(fit.ID, station), evidence: evidence})
		}
	}
	for _, fl := range fit.Flags() {
		put("hello", "Caution", support.Words(string(fl)), "flags."+string(fl), app.Key{Name: "flags"})
	}
	for _, s := range term.Sides {
		filmed := fit.GaitFilm(s)
		if sure := fit.Text("band_sure", s, 0); sure != "" {
			title, evidence := "Rolling in", "gait."+string(s)
			if filmed != nil {
				title, evidence = "Rolling in, by eye", "" // the film counts
			}
			put("gait", title, support.Words(fit.Text("band", s, 0))+", "+sure, evidence, app.Key{Name: "band", Side: s})
		}
		if sure := fit.Text("knee_sure", s, 0); sure != "" && fit.Text("knee", s, 0) != "" {
			put("gait", "Knee, by eye", support.Words(fit.Text("knee", s, 0))+", "+sure, "knee_by_eye."+string(s), app.Key{Name: "knee", Side: s})
		}
		if r := fit.PrintReading(s); r != nil {
			put("print", "Print", fmt.Sprintf("%s arch, index %.3f ± %.3f", r.Arch, r.ArchIndex, footprint.IndexSD(r.Quality.Score)), "arch."+string(s), app.Key{Name: "print_reading", Side: s})
			last := &out[len(out)-1]
			last.Moved = append(last.Moved, fmt.Sprintf("High %.0f %%, medium %.0f %%, low %.0f %%; quality %.2f.", 100*r.ArchProbability.High, 100*r.ArchProbability.Medium, 100*r.ArchProbability.Low, r.Quality.Score))
			if r.LengthMM != nil && r.BallMM != nil {
				last.Moved = append(last.Moved, fmt.Sprintf("The print is %s ± %s long and %s wide at the ball; a foot is some 4 to 8 mm longer, so it is never taken for the size.", fit.Units.Length(*r.LengthMM), fit.Units.Length(1), fit.Units.Length(*r.BallMM)))
			}
			if sure := fit.Text("arch_sure", s, 0); sure != "" {
				put("print", "Arch by eye", support.Words(fit.Text("arch", s, 0))+", "+sure, "", app.Key{Name: "arch", Side: s})
			}
		} else if sure := fit.Text("arch_sure", s, 0); sure != "" {
			put("print", "Arch", support.Words(fit.Text("arch", s, 0))+", "+sure, "arch."+string(s), app.Key{Name: "arch", Side: s})
		}
	}
	if list, _ := fit.Complaints(); list != nil {
		value := "none"
		if len(*list) > 0 {
			var words []string
			for _, c := range *list {
				text := strings.TrimSpace(fmt.Sprintf("%s %s, %s", c.Side, support.Words(string(c.Place)), kit.Ago(*c.MonthsAgo)))
				if when := fit.ComplaintWhen(c.Place); when != "" {
					text += ", " + support.Words(when)
				}
				words = append(words, text)
			}
			value = strings.Join(words, "; ")
		}
		k := app.Key{Name: "complaints"}
		if _, ok := fit.Findings[k]; !ok {
			k = app.Key{Name: "complaint_place", Repeat: 1}
		}
		put("hello", "Complaints", value, "complaints", k)
	}
	for _, s := range term.Sides {
		sole, ok := fit.Sole(s)
		if !ok || sole.Gone() == 0 {
			continue
		}
		last := app.Key{Name: "sole", Side: s, Repeat: 1}
		for i := range support.Zones {
			k := app.Key{Name: "sole", Side: s, Repeat: i + 1}
			if fit.Findings[k].MadeAt.After(fit.Findings[last].MadeAt) || fit.Findings[last].ID == 0 {
				last = k
			}
		}
		w := sole.Patterns()
		value := "several patterns"
		if name := w.Strongest(); name != "several" {
			value = support.Words(name)
		}
		put("old-pair", "Old sole", fmt.Sprintf("%s, %.0f %% gone", value, 100*sole.Gone()), "wear."+string(s), last)
	}
	if fit.Text("felt_right", "", 0) == "yes" {
		put("old-pair", "Felt right", support.Words(fit.Text("present_level", "", 0)), "comfortable_level", app.Key{Name: "present_level"})
	}
	if fit.Text("likes_light_support", "", 0) == "yes" {
		put("support", "Liked", "light support", "liked", app.Key{Name: "likes_light_support"})
	}
	out = append(out, films(fit)...)
	if v := fit.Text("strike", "", 0); v != "" {
		put("gait", "Lands on", v, "", app.Key{Name: "strike"})
	}
	return out
}

// films are the slips of what was filmed: value, error, surface and shoe.
func films(fit *app.Fit) []Slip {
	var out []Slip
	for _, r := range fit.FilmReadings() {
		for _, s := range term.Sides {
			of := r.Sides[s]
			if of == nil {
				continue
			}
			slip := Slip{Side: s, At: r.Finding.MadeAt, Hand: r.Finding.Maker, How: r.Name() + " on " + r.Surface, URL: URL(fit.ID, "gait")}
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
				slip.Title, slip.Value = "Rolling in, filmed", fmt.Sprintf("%s, %s", statWithError(of.PeakEversionDeg, "°"), of.BandWords)
				if best := fit.GaitFilm(s); best != nil && best.Number == r.Number {
					slip.evidence = "gait." + string(s)
				}
				for _, c := range fit.FilmChanges() {
					if c.Side == s && c.Shod == r.Shod {
						slip.Moved = append(slip.Moved, fmt.Sprintf("Against the runner's own gait: %+.1f° ± %.1f°.", c.Value.Deg, c.Value.SD))
					}
				}
			case of.KneeInDeg != nil:
				slip.Title, slip.Value, slip.evidence = "Knee inward, filmed", statWithError(of.KneeInDeg, "°"), "knee_in."+string(s)
			case of.StrikeDeg != nil:
				slip.Title = "Landing, filmed"
				slip.Value = strings.TrimPrefix(fmt.Sprintf("%s, sole %s, contact %s", of.Strike, statWithError(of.StrikeDeg, "°"), statWithError(of.ContactMS, " ms")), ", ")
				if of.FarAhead {
					slip.Moved = append(slip.Moved, fmt.Sprintf("The shank stands %s ahead at touchdown: the foot lands far ahead of the body.", statWithError(of.ShankDeg, "°")))
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
func measured(fit *app.Fit) []Slip {
	var out []Slip
	for _, m := range []struct{ name, title string }{{"length_mm", "Foot length"}, {"ball_mm", "Ball width"}, {"heel_to_ball_mm", "Heel to ball"}, {"heel_mm", "Heel width"}, {"instep_mm", "Instep"}} {
		for _, s := range term.Sides {
			if r := fit.Reading(m.name, s); r.N > 0 {
				slip := Slip{Title: m.title, Value: lengthWithError(fit.Units, r), Side: s, URL: URL(fit.ID, "feet"), evidence: "hand." + m.name + "." + string(s)}
				for i := 1; i <= 3; i++ {
					if f, ok := fit.Findings[app.Key{Name: m.name, Side: s, Repeat: i}]; ok {
						slip.At, slip.Hand, slip.How = f.MadeAt, f.Maker, f.How
					}
				}
				slip.Moved = append(slip.Moved, fmt.Sprintf("%d readings, %s apart.", r.N, fit.Units.Length(r.Apart)))
				if r.NeedsThird {
					slip.Moved = append(slip.Moved, "A third reading is asked for: the median will count.")
				}
				if size, err := fit.SizeOf(s); err == nil && size != nil && m.name == "length_mm" {
					slip.Moved = append(slip.Moved, fmt.Sprintf("US %g, UK %g, EU %g on the %s chart.", size.US, size.UK, size.EU, size.Chart))
				}
				out = append(out, slip)
			}
			if f, ok := fit.Findings[app.Key{Name: "scan_" + m.name, Side: s}]; ok && f.Number != nil {
				r := foot.Reading{Value: *f.Number, Error: 0.5}
				out = append(out, Slip{Title: m.title + ", scanned", Value: lengthWithError(fit.Units, r), Side: s, At: f.MadeAt, Hand: f.Maker, How: f.How, URL: URL(fit.ID, "feet"), evidence: "scan." + m.name + "." + string(s)})
			}
		}
	}
	for _, s := range term.Sides {
		if drop, word, ok := fit.NavicularDrop(s); ok {
			f := fit.Findings[app.Key{Name: "navicular_mm", Side: s, Repeat: 1}]
			out = append(out, Slip{Title: "Navicular drop", Value: fit.Units.Length(drop) + ", " + word, Side: s, At: f.MadeAt, Hand: f.Maker, How: f.How, URL: URL(fit.ID, "feet"), evidence: "navicular_drop." + string(s)})
		}
	}
	return out
}

// apart pins together what hand and scanner measured differently.
func apart(fit *app.Fit, all []Slip) (groups []SlipGroup, rest []Slip) {
	for _, s := range term.Sides {
		for _, name := range []string{"length_mm", "ball_mm"} {
			d := fit.ScanDiffers(name, s)
			if d == 0 {
				continue
			}
			g := SlipGroup{Note: fmt.Sprintf("Hand and scanner are %s apart on the %s foot. Measure again, or say at Feet which counts.", fit.Units.Length(math.Abs(d)), s)}
			all = slices.DeleteFunc(all, func(x Slip) bool {
				in := x.evidence == "hand."+name+"."+string(s) || x.evidence == "scan."+name+"."+string(s)
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

func lengthWithError(u units.System, r foot.Reading) string {
	e := r.Error
	if u == units.Imperial {
		return fmt.Sprintf("%s ± %.2f in", u.Length(r.Value), math.Max(u.FromMM(e), 0.01))
	}
	return fmt.Sprintf("%s ± %.1f mm", u.Length(r.Value), e)
}
