package record

import (
	"trevik/internal/core/footprint"
	"trevik/internal/core/gait"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

// PrintReading is what a print's picture was read as; nil when there is none.
func (v *Visit) PrintReading(side term.Side) *footprint.Answer { return PrintRead.Ptr(v, side) }

// Arch is a side's arch: the print's reading before the eye; empty where it was not seen.
func (v *Visit) Arch(side term.Side) term.Arch {
	if r := v.PrintReading(side); r != nil {
		return r.Arch
	}
	return ArchSeen.Of(v, side)
}

// ArchOf is the evidence of a side's arch: the print's reading before the eye.
func (v *Visit) ArchOf(side term.Side) *support.ArchProbability {
	if r := v.PrintReading(side); r != nil {
		return &support.ArchProbability{High: r.ArchProbability.High, Medium: r.ArchProbability.Medium, Low: r.ArchProbability.Low}
	}
	if arch, sure := ArchSeen.Of(v, side), ArchSure.Of(v, side); arch != "" && sure != "" {
		p := support.ArchByEye(arch, sure)
		return &p
	}
	return nil
}

// What was worn in a film that is read for the runner's own gait; any other text is a shoe
// whose film tells what it changes.
const (
	Barefoot = "barefoot"
	TestShoe = "test shoe"
)

// Plain says whether what was worn shows the runner's own gait.
func Plain(shod string) bool { return shod == "" || shod == Barefoot || shod == TestShoe }

// FilmName is what a film is called: "run from behind, barefoot".
func FilmName(m gait.Motion, v gait.View, shod string) string {
	name := string(m) + map[gait.View]string{gait.Rear: " from behind", gait.Side: " from the side", gait.Front: " from the front"}[v]
	switch shod {
	case "":
		return name
	case Barefoot:
		return name + ", barefoot"
	case TestShoe:
		return name + ", in a plain shoe"
	}
	return name + ", in " + shod
}

// Name is what the film is called.
func (r FilmReading) Name() string { return FilmName(r.Gait, r.View, r.Shod) }

// bestFilm is the film that counts for a side in a view: one of the runner's own gait before
// one in another shoe, a run before a walk, the later before the earlier.
func (v *Visit) bestFilm(view gait.View, s term.Side) *FilmReading {
	rank := func(r FilmReading) int {
		n := 0
		if Plain(r.Shod) {
			n += 2
		}
		if r.Gait == gait.Run {
			n++
		}
		return n
	}
	var best *FilmReading
	for _, r := range v.FilmReadings() {
		if r.View == view && r.Sides[s] != nil && (best == nil || rank(r) >= rank(*best)) {
			best = &r
		}
	}
	return best
}

// GaitFilm is the film that counts for a side's rolling in; nil without one.
func (v *Visit) GaitFilm(s term.Side) *FilmReading { return v.bestFilm(gait.Rear, s) }

// gaitOf is the evidence of a side's rolling in: a film before the eye.
func (v *Visit) gaitOf(s term.Side) *support.Gait {
	if r := v.GaitFilm(s); r != nil {
		p := *r.Sides[s].BandProbability
		return &support.Gait{BandProbability: &p, Source: term.Source(r.Gait)}
	}
	if band, sure := BandSeen.Of(v, s), BandSure.Of(v, s); band != "" && sure != "" {
		return &support.Gait{Band: band, Certainty: sure, Source: term.ByEye}
	}
	return nil
}

// Band is a side's most probable band, by film or by eye; empty when not seen.
func (v *Visit) Band(s term.Side) term.Band {
	if r := v.GaitFilm(s); r != nil {
		return r.Sides[s].Band
	}
	return BandSeen.Of(v, s)
}

// PeakOf is a side's mean peak eversion on film, degrees; nil without a film from behind.
func (v *Visit) PeakOf(s term.Side) *float64 {
	if r := v.GaitFilm(s); r != nil && r.Sides[s].PeakEversionDeg != nil {
		return r.Sides[s].PeakEversionDeg.Mean
	}
	return nil
}

// KneeIn is how far a side's knee goes inward on film, degrees; nil without a film from the
// front.
func (v *Visit) KneeIn(s term.Side) *float64 {
	if r := v.bestFilm(gait.Front, s); r != nil && r.Sides[s].KneeInDeg != nil {
		return r.Sides[s].KneeInDeg.Mean
	}
	return nil
}

// Strike is which part of the foot lands first: by a film from the side, else by eye.
func (v *Visit) Strike() term.Strike {
	for _, s := range term.Sides {
		if r := v.bestFilm(gait.Side, s); r != nil && r.Sides[s].Strike != "" {
			return r.Sides[s].Strike
		}
	}
	return StrikeSeen.Of(v)
}

// FilmChange is what a shoe changed on one side against the runner's own gait.
type FilmChange struct {
	Shod  string
	Side  term.Side
	Value gait.Change
}

// FilmChanges compares each film in a shoe with the one of the runner's own gait in the same
// motion.
func (v *Visit) FilmChanges() []FilmChange {
	all := v.FilmReadings()
	var out []FilmChange
	for _, r := range all {
		if r.View != gait.Rear || Plain(r.Shod) {
			continue
		}
		for _, s := range term.Sides {
			var own *FilmReading
			for _, o := range all {
				if o.View == gait.Rear && o.Gait == r.Gait && Plain(o.Shod) && o.Sides[s] != nil {
					own = &o
				}
			}
			if own == nil || r.Sides[s] == nil {
				continue
			}
			if c, ok := gait.ChangeOf(r.Sides[s], own.Sides[s]); ok {
				out = append(out, FilmChange{r.Shod, s, c})
			}
		}
	}
	return out
}
