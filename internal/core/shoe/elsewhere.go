package shoe

import (
	"regexp"
	"strconv"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/term"
)

// elsewhere begins the id of a model that the shop does not sell: a pair that a runner brought along.
const elsewhere = "elsewhere-"

// Elsewhere says whether the shop does not sell the model: it is offered to nobody.
func (m *Model) Elsewhere() bool { return strings.HasPrefix(m.ID, elsewhere) }

// typical is what a model of a class usually is (house), for one of which its class alone is known. Weight
// is of the men's chart.
type typical struct {
	surface          term.Surface
	heel, fore       float64 // mm
	weight           float64 // g
	softness, bounce float64
	lugs             float64 // mm
	plate            string
}

var typicals = map[term.Class]typical{
	term.Daily: {term.Road, 34, 25, 280, 3, 3, 0, "none"}, term.MaxCushion: {term.Road, 40, 32, 300, 4, 3, 0, "none"},
	term.TempoClass: {term.Road, 32, 25, 230, 3, 4, 0, "none"}, term.RacePlated: {term.Road, 39, 31, 205, 4, 5, 0, "carbon"},
	term.RaceFlat: {term.Road, 22, 17, 180, 2, 3, 0, "none"}, term.TrailClass: {term.Trail, 32, 25, 300, 3, 3, 4, "none"},
	term.Ultra: {term.Trail, 36, 30, 310, 4, 3, 4, "none"}, term.Mud: {term.Trail, 25, 20, 280, 2, 2, 7, "none"},
	term.LinkClass: {term.Link, 33, 25, 290, 3, 3, 3, "none"}, term.Spikes: {term.Track, 16, 11, 150, 1, 3, 0, "none"},
	term.Winter: {term.Trail, 32, 24, 320, 3, 3, 4, "none"}, term.Minimal: {term.Road, 12, 12, 190, 2, 2, 0, "none"},
	term.CrossTraining: {term.GymSurface, 22, 18, 310, 2, 1, 0, "none"},
}

// lighter is what a model of a chart weighs against the men's.
var lighter = map[term.Chart]float64{term.Men: 1, term.Women: 0.86, term.Youth: 0.75}

var notInCode = regexp.MustCompile(`[^a-z0-9]+`)

// FromElsewhere is a model of which its name and what it is made for are known: a maker, a name and a
// version where one is written, typical in everything else. It fails with a fault.List at model or made_for.
func FromElsewhere(typed string, class term.Class, chart term.Chart, currency string) (Model, error) {
	var l fault.List
	words := strings.Fields(typed)
	t, known := typicals[class]
	if !known {
		fault.OneOf(&l, "made_for", class, term.Classes)
	}
	if len(words) == 0 || len(typed) > 60 {
		l.Add("model", "is empty or over 60 letters; write the maker and the name")
	}
	if len(l) > 0 {
		return Model{}, l
	}
	m := Model{Maker: words[0], Name: strings.Join(words, " "), Version: 1, Year: 2000, Chart: chart, Surface: t.surface, Class: class,
		Level: term.Neutral, StackHeelMM: t.heel, StackForefootMM: t.fore, WeightG: t.weight * lighter[chart], Softness: t.softness,
		Bounce: t.bounce, LugDepthMM: t.lugs, Plate: t.plate, LastShape: "standard", Volume: "medium", Currency: currency,
		Purpose: "Not of this shop: typical of what it is made for", Widths: foot.Letters(chart)}
	if len(words) > 1 {
		last := words[len(words)-1]
		if n, err := strconv.Atoi(last); err == nil && n > 0 && n < 100 && len(words) > 2 {
			m.Version, words = n, words[:len(words)-1]
		}
		m.Name = strings.Join(words[1:], " ")
	}
	if t.lugs > 4 {
		m.LugSpacing = "wide"
	}
	for half := 2; half <= 40; half++ {
		if s := foot.Figure(float64(half) / 2); s.OnChart(chart) {
			m.SizesUK = append(m.SizesUK, s)
		}
	}
	m.ID = elsewhere + strings.Trim(notInCode.ReplaceAllString(strings.ToLower(typed), "-"), "-") + "-" + string(class) + "-" + string(chart)
	m.ID = strings.ReplaceAll(m.ID, "_", "-")
	m = m.WithDefaults()
	m.Check(&l, "model")
	return m, l.Err()
}
