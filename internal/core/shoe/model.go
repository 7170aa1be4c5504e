package shoe

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/house"
	"trevik/internal/core/limits"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// LabelChart is how a maker's printed label departs from the standard.
type LabelChart struct {
	USOverUK float64 `json:"us_over_uk" strict:"needed"` // printed US size less UK size
	EUShift  float64 `json:"eu_shift" strict:"needed"`   // added to the standard EU size
}

// Stock is how many pairs of a size and width are on the shelf.
type Stock struct {
	UK    foot.Figure `json:"uk"`
	Width string      `json:"width"`
	Count int         `json:"count"`
}

// Model is one version of a model, in the catalogue's open format
// (docs/formats.md). Lengths mm, weight g at the chart's reference size, money
// in minor units. Sizes are running UK figures (youth: 14 is printed as 1).
type Model struct {
	ID                string         `json:"id"`
	Maker             string         `json:"maker"`
	Name              string         `json:"name"`
	Version           int            `json:"version"`
	Year              int            `json:"year"`
	Replaces          string         `json:"replaces"`
	Change            string         `json:"change"` // colour_only, upper, midsole, overhaul
	Chart             term.Chart     `json:"chart"`
	Surface           term.Surface   `json:"surface"`
	Class             term.Class     `json:"class"`
	Level             term.Level     `json:"level"`
	SupportBy         []term.Means   `json:"support_by"`
	StackHeelMM       float64        `json:"stack_heel_mm"`
	StackForefootMM   float64        `json:"stack_forefoot_mm"`
	DropMM            *float64       `json:"drop_mm"`
	WeightG           float64        `json:"weight_g"`
	Softness          float64        `json:"softness"`
	Bounce            float64        `json:"bounce"`
	Plate             string         `json:"plate" strict:"word"` // none, nylon, carbon
	Rocker            int            `json:"rocker"`
	HeelBevel         bool           `json:"heel_bevel"`
	Flexibility       float64        `json:"flexibility" strict:"nonzero"`
	LastShape         term.LastShape `json:"last_shape"`
	Volume            term.Volume    `json:"volume"`
	Widths            []string       `json:"widths"`
	SizesUK           []foot.Figure  `json:"sizes_uk"`
	InnerOffsetMM     float64        `json:"inner_length_offset_mm"`
	Insoles           []Insole       `json:"-"` // that the shop measured
	LugDepthMM        float64        `json:"lug_depth_mm"`
	LugSpacing        string         `json:"lug_spacing" strict:"word"` // close, medium, wide
	RubberSoftness    float64        `json:"rubber_softness" strict:"nonzero"`
	MetalTips         bool           `json:"metal_tips"`
	RockPlate         bool           `json:"rock_plate"`
	ToeBumper         bool           `json:"toe_bumper"`
	Liner             bool           `json:"liner"`
	Upper             string         `json:"upper" strict:"word"` // light, standard, reinforced
	UpperFirmness     float64        `json:"upper_firmness" strict:"nonzero"`
	HeelCounter       string         `json:"heel_counter" strict:"word"` // flat, sculpted
	MedianLifeKM      *float64       `json:"median_life_km"`
	ListPrice         int64          `json:"list_price"`
	SalePrice         *int64         `json:"sale_price"`
	Currency          string         `json:"currency"`
	LabelChart        *LabelChart    `json:"label_chart"`
	Stock             []Stock        `json:"stock"`
	Purpose           string         `json:"purpose"`
	Notes             string         `json:"notes"`
	StackMeasuredFrom string         `json:"stack_measured_by"`
}

// Words of a model's attributes that nothing else uses.
var (
	Changes      = []string{"colour_only", "upper", "midsole", "overhaul"}
	Plates       = []string{"none", "nylon", "carbon"}
	LugSpacings  = []string{"close", "medium", "wide"}
	Uppers       = []string{"light", "standard", "reinforced"}
	HeelCounters = []string{"flat", "sculpted"}
)

// WithDefaults fills what a catalogue may leave out: no plate, flexibility,
// rubber and upper of the middle kind, a flat counter, support by nothing.
func (m Model) WithDefaults() Model {
	str := func(s *string, d string) {
		if *s == "" {
			*s = d
		}
	}
	num := func(v *float64, d float64) {
		if *v == 0 {
			*v = d
		}
	}
	str(&m.Plate, "none")
	str(&m.LugSpacing, "close")
	str(&m.Upper, "standard")
	str(&m.HeelCounter, "flat")
	num(&m.Flexibility, 3)
	num(&m.RubberSoftness, 3)
	num(&m.UpperFirmness, 3)
	if len(m.SupportBy) == 0 {
		m.SupportBy = []term.Means{"none"}
	}
	return m
}

// Circles are the models, by id, whose line of versions comes back to itself, so that it has no
// first one; replaces gives what each replaces.
func Circles(replaces map[string]string) []string {
	const under, done = 1, 2
	state := map[string]int{}
	var out []string
	for _, id := range slices.Sorted(maps.Keys(replaces)) {
		var path []string
		for ; id != "" && state[id] == 0; id = replaces[id] {
			state[id] = under
			path = append(path, id)
		}
		if id != "" && state[id] == under {
			out = append(out, path[slices.Index(path, id):]...)
		}
		for _, p := range path {
			state[p] = done
		}
	}
	slices.Sort(out)
	return out
}

// mostCount is the most pairs of a size and width on a shelf.
const mostCount = 10000

// Check notes what is wrong with a model; field is the path of the model.
func (m *Model) Check(to *fault.List, field string) {
	var own fault.List // named by the attribute; the path comes before it where there is a fault
	m.check(&own)
	for _, f := range own {
		to.Add(field+"."+f.Field, "%s", f.Text)
	}
}

func (m *Model) check(l *fault.List) {
	for _, r := range []struct{ name, value string }{{"id", m.ID}, {"maker", m.Maker}, {"name", m.Name}, {"currency", m.Currency}} {
		if r.value == "" {
			l.Add(r.name, "is missing")
		} else if len(r.value) > 200 {
			l.Add(r.name, "is %d bytes long; allowed is up to 200", len(r.value))
		}
	}
	if m.Currency != "" && !validCurrency(m.Currency) {
		l.Add("currency", "is %q; allowed is a code of three capitals such as EUR", m.Currency)
	}
	okChart := fault.OneOf(l, "chart", m.Chart, term.Charts)
	fault.OneOf(l, "surface", m.Surface, term.Surfaces)
	fault.OneOf(l, "class", m.Class, term.Classes)
	fault.OneOf(l, "level", m.Level, term.Levels)
	for i, s := range m.SupportBy {
		if !slices.Contains(term.AllMeans, s) {
			fault.OneOf(l, fmt.Sprintf("support_by[%d]", i), s, term.AllMeans)
		}
	}
	if m.Replaces != "" || m.Change != "" {
		fault.OneOf(l, "change", m.Change, Changes)
	}
	if m.Replaces != "" && m.Replaces == m.ID {
		l.Add("replaces", "is the model itself; allowed is an earlier version")
	}
	fault.OneOf(l, "plate", m.Plate, Plates)
	fault.OneOf(l, "lug_spacing", m.LugSpacing, LugSpacings)
	fault.OneOf(l, "upper", m.Upper, Uppers)
	fault.OneOf(l, "heel_counter", m.HeelCounter, HeelCounters)
	fault.OneOf(l, "last_shape", m.LastShape, term.LastShapes)
	fault.OneOf(l, "volume", m.Volume, term.Volumes)
	l.Range("stack_heel_mm", m.StackHeelMM, 2, 70, "mm")
	l.Range("stack_forefoot_mm", m.StackForefootMM, 2, 60, "mm")
	if d := m.StackHeelMM - m.StackForefootMM; d < -5 || d > 20 {
		l.Add("stack_forefoot_mm", "gives a drop of %g mm; allowed is -5 to 20 mm", d)
	} else if m.DropMM != nil && !(math.Abs(*m.DropMM-d) <= 0.5) {
		l.Add("drop_mm", "is %g mm, but heel less forefoot stack is %g mm; leave it out or make them agree within 0.5 mm", *m.DropMM, d)
	}
	l.Range("weight_g", m.WeightG, 50, 700, "g")
	for _, r := range []struct {
		name  string
		value float64
	}{{"softness", m.Softness}, {"bounce", m.Bounce}, {"flexibility", m.Flexibility}, {"rubber_softness", m.RubberSoftness},
		{"upper_firmness", m.UpperFirmness}} {
		l.Range(r.name, r.value, 1, 5, "")
	}
	l.Range("rocker", float64(m.Rocker), 0, 3, "")
	l.Range("inner_length_offset_mm", m.InnerOffsetMM, -15, 15, "mm")
	l.Range("lug_depth_mm", m.LugDepthMM, 0, 15, "mm")
	if c := m.LabelChart; c != nil {
		for _, half := range []struct {
			name  string
			value float64
			in    limits.Range
		}{{"label_chart.us_over_uk", c.USOverUK, limits.LabelUS}, {"label_chart.eu_shift", c.EUShift, limits.LabelEU}} {
			if math.IsNaN(half.value) {
				l.Add(half.name, "is missing; a label chart has both, or there is none")
			} else {
				half.in.Check(l, half.name, half.value)
			}
		}
	}
	if m.MedianLifeKM != nil {
		limits.MedianLifeKM.Check(l, "median_life_km", *m.MedianLifeKM)
	}
	l.Range("list_price", float64(m.ListPrice), 0, 1e8, "cents")
	if m.SalePrice != nil {
		l.Range("sale_price", float64(*m.SalePrice), 0, 1e8, "cents")
	}
	if len(m.SizesUK) == 0 {
		l.Add("sizes_uk", "is missing; give the UK sizes made")
	}
	if len(m.Widths) == 0 {
		l.Add("widths", "is missing; give the width letters made")
	}
	if !okChart {
		return
	}
	for i, s := range m.SizesUK {
		if !s.OnChart(m.Chart) || units.NearestHalf(float64(s)) != float64(s) {
			l.Add(fmt.Sprintf("sizes_uk[%d]", i), "is %g; allowed are whole and half sizes on the %s chart", float64(s), m.Chart)
		}
	}
	for i, w := range m.Widths {
		if !slices.Contains(foot.Letters(m.Chart), w) {
			fault.OneOf(l, fmt.Sprintf("widths[%d]", i), w, foot.Letters(m.Chart))
		}
	}
	for i, s := range m.Stock {
		if !slices.Contains(m.SizesUK, s.UK) {
			l.Add(fmt.Sprintf("stock[%d].uk", i), "is %g, a size that is not made", float64(s.UK))
		}
		if !slices.Contains(m.Widths, s.Width) {
			l.Add(fmt.Sprintf("stock[%d].width", i), "is %q, a width that is not made", s.Width)
		}
		if s.Count < 0 || s.Count > mostCount {
			l.Add(fmt.Sprintf("stock[%d].count", i), "is %d pairs; allowed is 0 to %d", s.Count, mostCount)
		}
	}
}

func validCurrency(c string) bool {
	if len(c) != 3 {
		return false
	}
	for _, r := range c {
		if r < 'A' || r > 'Z' {
			return false
		}
	}
	return true
}

// Drop is heel less forefoot stack, mm.
func (m *Model) Drop() float64 { return m.StackHeelMM - m.StackForefootMM }

// Price is what the model costs today, in minor units.
func (m *Model) Price() int64 {
	if m.SalePrice != nil {
		return *m.SalePrice
	}
	return m.ListPrice
}

// Insole is the insole of a model in a size, as it was measured.
type Insole struct {
	UK       foot.Figure
	LengthMM float64
}

// Errors of what is known of a model's inside, SD mm (measuring, the insole test).
const (
	offsetSD = 3.0 // of the offset as it is told
	insoleSD = 1.5 // of one insole
)

// Offset is by how much the model is longer inside than usual, mm, and the SD of that: the mean of what is
// told and of the insoles that were measured, each made comparable by its size's last.
func (m *Model) Offset(h *house.Values) (mm, sd float64) {
	if len(m.Insoles) == 0 {
		return m.InnerOffsetMM, offsetSD
	}
	weight := 1 / (offsetSD * offsetSD)
	sum := weight * m.InnerOffsetMM
	for _, x := range m.Insoles {
		w := 1 / (insoleSD * insoleSD)
		sum += w * (x.LengthMM - (x.UK.Last(m.Chart) - house.Or(h).InnerAllowanceMM))
		weight += w
	}
	return sum / weight, math.Sqrt(1 / weight)
}

// InnerLength is the length inside the shoe at a size, mm: the last's less what padding
// and taper take, with the model's own offset.
func (m *Model) InnerLength(size foot.Figure, h *house.Values) float64 {
	offset, _ := m.Offset(h)
	return size.Last(m.Chart) - house.Or(h).InnerAllowanceMM + offset
}

// ReferenceUK are the sizes at which makers weigh a shoe, by chart (house).
var ReferenceUK = map[term.Chart]foot.Figure{term.Men: 8, term.Women: 5.5, term.Youth: 3}

// WeightIn is the weight in a size, g: as the square of the last's length, from the chart's
// reference size.
func (m *Model) WeightIn(size foot.Figure) float64 {
	f := size.Last(m.Chart) / ReferenceUK[m.Chart].Last(m.Chart)
	return m.WeightG * f * f
}

// Label is what is printed on the box at a size, by the maker's chart where
// there is one.
func (m *Model) Label(size foot.Figure, width string) string {
	us, eu := size.US(m.Chart), size.EU(m.Chart)
	if m.LabelChart != nil {
		us = size.UK(m.Chart) + m.LabelChart.USOverUK
		eu += m.LabelChart.EUShift
	}
	b := make([]byte, 0, 40)
	for _, part := range [...]struct {
		scale string
		v     float64
	}{{"US ", us}, {" / UK ", size.UK(m.Chart)}, {" / EU ", eu}} {
		b = strconv.AppendFloat(append(b, part.scale...), part.v, 'g', -1, 64)
	}
	return string(append(append(b, ' '), width...))
}

// StockOf is how many pairs of a size and width are on the shelf.
func (m *Model) StockOf(size foot.Figure, width string) int {
	n := 0
	for _, s := range m.Stock {
		if s.UK == size && s.Width == width {
			n += s.Count
		}
	}
	return n
}

// Doubts are what of a model does not go with its class, though it is allowed: max_cushion
// is made for easy running, without a plate, and with at least the house's 38 mm under
// the heel.
func (m *Model) Doubts(h *house.Values) []string {
	var out []string
	if m.Class == term.MaxCushion {
		if least := house.Or(h).MaxCushionMM; m.StackHeelMM < least {
			out = append(out, fmt.Sprintf("Called max cushion, with %g mm under the heel; that begins at %g mm.", m.StackHeelMM, least))
		}
		if m.Plate != "none" && m.Plate != "" {
			out = append(out, "Called max cushion, with a plate.")
		}
	}
	return out
}

// Bar is one of the seven bars of how little shoe a model is, 0 to 5.
type Bar struct {
	Name  string
	Value float64
}

// BarNames are the seven bars of how little shoe a model is, in their order.
var BarNames = [7]string{"weight", "heel stack", "drop", "support", "toe box", "upper", "flexibility"}

// bars are the values of the seven bars of bareness (house).
func (m *Model) bars() [7]float64 {
	down := func(v, full, none float64) float64 { return 5 * min(1, max(0, (none-v)/(none-full))) }
	out := [7]float64{down(m.WeightG, 170, 310), down(m.StackHeelMM, 8, 32), down(m.Drop(), 0, 10), 0, 0, 0, m.Flexibility}
	switch m.Level {
	case term.NeutralSoft, term.Neutral:
		out[3] = 5
	case term.Guidance:
		out[3] = 3
	case term.Stability:
		out[3] = 1
	}
	switch m.LastShape {
	case "wide_toe":
		out[4] = 5
	case "standard":
		out[4] = 3
	}
	switch m.Upper {
	case "light":
		out[5] = 5
	case "standard":
		out[5] = 3
	}
	return out
}

// Bars gives the seven bars with their names.
func (m *Model) Bars() []Bar {
	out := make([]Bar, 0, len(BarNames))
	for i, v := range m.bars() {
		out = append(out, Bar{BarNames[i], v})
	}
	return out
}

// Bareness is the sum of the seven bars, 0 to 35.
func (m *Model) Bareness() float64 {
	sum := 0.0
	for _, v := range m.bars() {
		sum += v
	}
	return sum
}

// Life is the model's median life in wear-adjusted km: its own, else its class's.
func (m *Model) Life(h *house.Values) float64 {
	if m.MedianLifeKM != nil {
		return *m.MedianLifeKM
	}
	return house.Or(h).MedianLife(m.Class)
}
