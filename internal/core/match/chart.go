package match

import (
	"slices"

	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

// twinKey is what a model is to a runner, whatever the chart that it is made on.
type twinKey struct {
	maker, name string
	version     int
}

func keyOf(m *shoe.Model) twinKey { return twinKey{m.Maker, m.Name, m.Version} }

// groundShare is from which share of the week a model's ground is asked for (house).
const groundShare = 0.20

// groundsOf are what models for a ground are made for.
func groundsOf(k KindShare) []term.Surface {
	if k.Kind == term.Gym {
		return []term.Surface{term.GymSurface}
	}
	switch k.Ground {
	case term.GroundRoad, term.GroundTreadmill:
		return []term.Surface{term.Road}
	case term.GroundTrail, term.GroundMud:
		return []term.Surface{term.Trail}
	case term.GroundTrack:
		return []term.Surface{term.Track}
	}
	return []term.Surface{term.Road, term.Trail} // snow and ice
}

// madeFor are the grounds that a model counts as made for: link and winter models for road and
// for trail.
func madeFor(m *shoe.Model) []term.Surface {
	if m.Surface == term.Link || m.Class == term.LinkClass || m.Class == term.Winter {
		return []term.Surface{term.Road, term.Trail, m.Surface}
	}
	return []term.Surface{m.Surface}
}

// relate finds which models are one model on two charts, and how much of the week is on what.
func (r *Request) relate() {
	r.twins = map[twinKey][]*shoe.Model{}
	for i := range r.Models {
		m := &r.Models[i]
		r.twins[keyOf(m)] = append(r.twins[keyOf(m)], m)
	}
	r.grounds = map[term.Surface]float64{}
	all := 0.0
	for _, k := range r.Kinds {
		all += k.Share
		for _, s := range groundsOf(k) {
			r.grounds[s] += k.Share
		}
	}
	for s := range r.grounds {
		r.grounds[s] /= all
	}
	if r.Chart == term.Youth {
		r.youthSize = slices.ContainsFunc(r.Models, func(m shoe.Model) bool {
			return m.Chart == term.Youth && r.sizeIn(&m).reason != "size"
		})
	}
}

// offGround says why a model is made for another ground than this runner's; empty where it is not.
func (r *Request) offGround(m *shoe.Model) string {
	most := 0.0
	for _, s := range madeFor(m) {
		most = max(most, r.grounds[s])
	}
	switch {
	case most < groundShare-1e-9:
		return "Made for " + string(m.Surface) + ", which is less than a fifth of the week."
	case r.Surface != "" && !slices.Contains(madeFor(m), r.Surface):
		return "Made for " + string(m.Surface) + "; " + string(r.Surface) + " is asked for."
	}
	return ""
}

// fits says whether a model has a size and a width for the runner.
func (r *Request) fits(m *shoe.Model) bool { return r.sizeIn(m).reason == "" }

// offChart says why a model of another chart is not offered; empty where it is. A model that is
// made on two charts stands on the runner's own, unless that has no size or width that fits; youth
// models are for youths, and adult models for a youth only where no youth model has the size, the
// men's of two twins before the women's.
func (r *Request) offChart(m *shoe.Model) string {
	if m.Chart == r.Chart {
		return ""
	}
	before := func(c term.Chart) bool {
		return slices.ContainsFunc(r.twins[keyOf(m)], func(o *shoe.Model) bool { return o.Chart == c && o != m && r.fits(o) })
	}
	switch {
	case m.Chart == term.Youth:
		return "Made on the youth chart, for the runner's " + string(r.Chart) + "'s."
	case r.Chart == term.Youth && r.youthSize:
		return "Made for adults; youth models come in this size."
	case r.Chart == term.Youth && m.Chart == term.Women && before(term.Men):
		return "The same model on the men's chart fits."
	case r.Chart != term.Youth && before(r.Chart):
		return "The same model on the " + string(r.Chart) + "'s chart fits."
	}
	return ""
}

// label is a model's label for this runner; the word of another chart than theirs stands beside it.
func (r *Request) label(m *shoe.Model, label string) string {
	switch {
	case m.Chart == r.Chart:
		return label
	case m.Chart == term.Youth:
		return label + ", youth"
	}
	return label + ", " + string(m.Chart) + "'s"
}
