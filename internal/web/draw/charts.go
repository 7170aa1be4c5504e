package draw

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
)

// Ladder draws the five rungs of support with each foot and each school's mark.
// The foot stands where the leading school puts it; a lead that is not offered
// has none. Where less is given, the answer without some evidence, what would stand
// elsewhere is drawn there too, with an arrow to where it stands.
func Ladder(a support.Answer, less *support.Answer) template.HTML {
	if a.Schools == nil {
		return ""
	}
	const top, step, x0, x1 = 34.0, 46.0, 128.0, 560.0
	y := func(l term.Level) float64 { return top + float64(4-l.Rung())*step }
	var b strings.Builder
	b.WriteString(`<svg class="ladder" viewBox="0 0 600 262" role="img" aria-label="The ladder of support with each foot and each school's ` +
		`answer">`)
	for _, l := range term.Levels {
		class := "rung"
		if slices.Contains(a.Spread, l) {
			class = "rung tried"
		}
		fmt.Fprintf(&b, `<path class="%s" d="M%.0f %.0fH%.0f"/><text class="word" x="%.0f" y="%.0f" text-anchor="end">%s</text>`, class, x0,
			y(l), x1, x0-10, y(l)+4, support.Words(string(l)))
	}
	fmt.Fprintf(&b, `<path class="rail" d="M%.0f 20V246M%.0f 20V246"/>`, x0, x1)
	// arrow leads from where a mark would be without the slip to where it is.
	arrow := func(x, from, to float64) {
		way := math.Copysign(1, to-from)
		tip := to - 11*way
		fmt.Fprintf(&b, `<path class="movedto" d="M%.0f %.0fV%.0fm-5 %.0fl5 %.0f 5 %.0f"/>`, x, from+9*way, tip, -7*way, 7*way, -7*way)
	}
	lead := a.Schools.Of(a.Lead)
	var was *support.SchoolAnswer
	if less != nil && less.Schools != nil {
		was = less.Schools.Of(a.Lead)
	}
	for _, side := range term.Sides {
		level, before, x := lead.PerSide.Left, (*term.Level)(nil), 152.0
		if was != nil {
			before = was.PerSide.Left
		}
		if side == term.Right {
			level, x = lead.PerSide.Right, 188
			if was != nil {
				before = was.PerSide.Right
			}
		}
		foot := outline(side, 34, 14, 0, 0)
		if before != nil && (level == nil || *before != *level) {
			fmt.Fprintf(&b, `<g class="ghost" transform="translate(%.0f %.1f)"><path class="foot %s" d="%s"/></g>`, x, y(*before)-3, side, foot)
			if level != nil {
				arrow(x+14, y(*before), y(*level))
			}
		}
		if level != nil {
			fmt.Fprintf(&b, `<g transform="translate(%.0f %.1f)"><path class="foot %s" d="%s"/></g>`, x, y(*level)-3, side, foot)
		}
	}
	for i, s := range term.Schools {
		x := 250 + float64(i)*84
		level, before := a.Schools.Of(s).Level, (*term.Level)(nil)
		if less != nil && less.Schools != nil {
			before = less.Schools.Of(s).Level
		}
		class := "school"
		if s == a.Lead {
			class = "school lead"
		}
		if before != nil && (level == nil || *before != *level) {
			fmt.Fprintf(&b, `<path class="school ghost" d="M%.0f %.0fl9 9 -9 9 -9 -9z"/>`, x, y(*before)-9)
			if level != nil {
				arrow(x, y(*before), y(*level))
			}
		}
		if level == nil {
			fmt.Fprintf(&b, `<text class="word small" x="%.0f" y="254" text-anchor="middle">none</text>`, x)
		} else {
			fmt.Fprintf(&b, `<path class="%s" d="M%.0f %.0fl9 9 -9 9 -9 -9z"/>`, class, x, y(*level)-9)
		}
		words := strings.SplitN(support.SchoolNames[s], " ", 2)
		fmt.Fprintf(&b, `<text class="word small" x="%.0f" y="10" text-anchor="middle">%s</text><text class="word small" x="%.0f" y="22" `+
			`text-anchor="middle">%s</text>`, x, words[0], x, words[1])
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

// Room draws the toe end of the shoe with both feet in it and the wanted window
// shaded; 40 mm of it are shown.
func Room(s match.Size, u units.System) template.HTML {
	const span, w = 40.0, 232.0
	scale := w / span
	x := func(room float64) float64 { return 8 + w - math.Min(math.Max(room, 0), span)*scale }
	var b strings.Builder
	b.WriteString(`<svg class="room" viewBox="0 0 330 62" role="img" aria-label="Room before the toes">`)
	fmt.Fprintf(&b, `<rect class="window" x="%.1f" y="4" width="%.1f" height="50"/>`, x(s.WantedMM[1]), (s.WantedMM[1]-s.WantedMM[0])*scale)
	fmt.Fprintf(&b, `<path class="toe" d="M8 4H%.1fC%.1f 6 %.1f 52 %.1f 54H8"/>`, 8+w-22, 8+w+2, 8+w+2, 8+w-22)
	for _, f := range []struct {
		side term.Side
		room *float64
		y    float64
	}{{term.Left, s.Room.Left, 18}, {term.Right, s.Room.Right, 40}} {
		if f.room == nil {
			continue
		}
		fmt.Fprintf(&b, `<path class="foot %s" d="M8 %.0fH%.1fa8 8 0 0 1 0 16H8"/>`, f.side, f.y-8, x(*f.room)-8)
		fmt.Fprintf(&b, `<text class="dim %s" x="252" y="%.0f">%s %s</text>`, f.side, f.y+4, strings.ToUpper(string(f.side[:1])),
			u.Length(*f.room))
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

// Mark is a race on the fan.
type Mark struct {
	On     time.Time
	AtRisk bool
}

// Fan draws what is left of a pair as a fan of chance over the weeks to come,
// with the order-by day. It is empty without dates.
func Fan(a wear.Answer, today time.Time, marks []Mark, u units.System) template.HTML {
	if a.Dates.P50 == nil || a.Dates.P10 == nil {
		return ""
	}
	day := func(s *string) (float64, bool) {
		if s == nil {
			return 0, false
		}
		t, err := time.Parse(time.DateOnly, *s)
		return t.Sub(today).Hours() / 24, err == nil
	}
	last, ok := day(a.Dates.P90)
	p50, _ := day(a.Dates.P50)
	if !ok {
		last = 2*p50 + 7
	}
	span := math.Max(last*1.12, 21)
	const x0, w, top, bottom = 46.0, 520.0, 14.0, 150.0
	total := a.EffectiveKM + a.RemainingKM.P90
	x := func(d float64) float64 { return x0 + w*d/span }
	y := func(km float64) float64 { return bottom - (bottom-top)*km/total }
	var b strings.Builder
	b.WriteString(`<svg class="fan" viewBox="0 0 600 190" role="img" aria-label="When this pair will be worn out, as a fan of chance">`)
	now := y(a.EffectiveKM)
	p10, _ := day(a.Dates.P10)
	at10, at50 := y(a.EffectiveKM+a.RemainingKM.P10), y(a.EffectiveKM+a.RemainingKM.P50)
	// Under the plan's line, the weeks in which the pair will be worn out: eight in ten.
	fmt.Fprintf(&b, `<path class="fan-wide" d="M%.1f %.1fL%.1f %.1fV%.1fH%.1fZ"/><path class="fan-wide" d="M%.1f %.1fL%.1f %.1fV%.1fH%.1fZ"/>`,
		x(p10), at10, x(p50), at50, bottom, x(p10), x(p50), at50, x(last), y(total), bottom, x(p50))
	fmt.Fprintf(&b, `<path class="fan-line" d="M%.1f %.1fL%.1f %.1f"/>`, x(0), now, x(last), y(total))
	fmt.Fprintf(&b, `<path class="hair" d="M%.1f %.1fV%.1fH%.1f"/>`, x0, top, bottom, x0+w)
	for _, m := range []struct {
		s    *string
		name string
		km   float64
	}{{a.Dates.P10, "1 in 10", a.RemainingKM.P10}, {a.Dates.P50, "even", a.RemainingKM.P50}, {a.Dates.P90, "9 in 10", a.RemainingKM.P90}} {
		d, ok := day(m.s)
		if !ok {
			continue
		}
		fmt.Fprintf(&b, `<path class="tick" d="M%.1f %.1fV%.1f"/><circle class="dot" cx="%.1f" cy="%.1f" r="3.5"/>`+
			`<text class="word small" x="%.1f" y="%.1f" text-anchor="middle">%s</text>`,
			x(d), y(a.EffectiveKM+m.km), bottom, x(d), y(a.EffectiveKM+m.km), x(d), bottom+14, m.name)
		t, _ := time.Parse(time.DateOnly, *m.s)
		fmt.Fprintf(&b, `<text class="word small" x="%.1f" y="%.1f" text-anchor="middle">%s</text>`, x(d), bottom+28, t.Format("2 Jan 06"))
	}
	if d, ok := day(a.OrderBy); ok {
		at := x(math.Max(d, 0))
		fmt.Fprintf(&b, `<path class="order" d="M%.1f %.1fV%.1f"/><text class="word small order" x="%.1f" y="%.1f">order</text>`, at, top,
			bottom, at+4, top+8)
	}
	for _, m := range marks {
		at := x(m.On.Sub(today).Hours() / 24)
		if at > x0+w {
			continue
		}
		class := "race"
		if m.AtRisk {
			class = "race order"
		}
		fmt.Fprintf(&b, `<path class="%s" d="M%.1f %.1fV%.1fM%.1f %.1fl9 3.5l-9 3.5"/><title>race on %s</title>`, class, at, bottom, top+18, at,
			top+18, m.On.Format("2 Jan 2006"))
	}
	fmt.Fprintf(&b, `<text class="word small" x="%.1f" y="%.1f" text-anchor="end">%.0f</text><text class="word small" x="%.1f" y="%.1f" `+
		`text-anchor="end">%s</text></svg>`, x0-6, now+4, u.FromKm(a.EffectiveKM), x0-6, top+6, u.DistanceUnit())
	return template.HTML(b.String())
}

// Mini is a station's finding as a tiny drawing for the rail. content is drawn
// in a 56 by 30 field.
func mini(content string) template.HTML {
	return template.HTML(`<svg class="mini" viewBox="0 0 56 30" aria-hidden="true">` + content + `</svg>`)
}

// MiniEmpty is a station that found nothing yet.
func MiniEmpty() template.HTML { return mini(`<path class="hair" d="M18 15H38"/>`) }

// MiniFeet is both outlines, sideways.
func MiniFeet(f foot.Feet) template.HTML {
	var b strings.Builder
	for _, s := range []struct {
		side term.Side
		m    foot.Measured
		mid  float64
	}{{term.Left, f.Left, -8}, {term.Right, f.Right, 8}} {
		if s.m.LengthMM > 0 {
			k := 46.0 / 300
			fmt.Fprintf(&b, `<path class="foot %s" transform="translate(5 15) rotate(90)" d="%s"/>`, s.side,
				outline(s.side, s.m.LengthMM*k, ballOf(s.m)*k*0.9, s.mid*0.95, 0))
		}
	}
	return mini(b.String())
}

// MiniArch is the arch of each side as a bow, high or flat.
func MiniArch(left, right term.Arch) template.HTML {
	bow := map[term.Arch]float64{term.ArchHigh: 18, term.ArchMedium: 10, term.ArchLow: 3}
	var b strings.Builder
	for _, s := range []struct {
		side term.Side
		arch term.Arch
		x    float64
	}{{term.Left, left, 4}, {term.Right, right, 31}} {
		if h, ok := bow[s.arch]; ok {
			fmt.Fprintf(&b, `<path class="edge %s" d="M%.0f 23q10.5 -%.0f 21 0"/>`, s.side, s.x, h*1.6)
		}
	}
	return mini(b.String())
}

// MiniGait is each leg's line with its heel.
func MiniGait(left, right term.Band) template.HTML {
	var b strings.Builder
	for _, s := range []struct {
		side term.Side
		band term.Band
		x    float64
		sign float64
	}{{term.Left, left, 17, 1}, {term.Right, right, 39, -1}} {
		if s.band == "" {
			continue
		}
		fmt.Fprintf(&b, `<path class="edge %s" d="M%.0f 3V17"/><path class="edge %s" transform="rotate(%.1f %.0f 17)" d="M%.0f 17V27"/>`, s.side,
			s.x, s.side, s.sign*bandAngle[s.band]*1.6, s.x, s.x)
	}
	return mini(b.String())
}

// MiniLadder is the level's rung.
func MiniLadder(level *term.Level) template.HTML {
	var b strings.Builder
	for i := range 5 {
		y := 27 - 6*i
		class := "hair"
		if level != nil && level.Rung() == i {
			class = "strong"
		}
		fmt.Fprintf(&b, `<path class="%s" d="M16 %dH40"/>`, class, y)
	}
	return mini(b.String())
}

// MiniSole is the old pair's sole, tinted when it felt right.
func MiniSole(felt string) template.HTML {
	class := "foot plain"
	if felt == "yes" {
		class = "foot plain good"
	}
	return mini(fmt.Sprintf(`<path class="%s" transform="translate(4 15) rotate(90)" d="%s"/>`, class, outline(term.Left, 48, 19, 0, 0)))
}

// MiniShoe is a small side view; count is how many are drawn.
func MiniShoe(count int) template.HTML {
	var b strings.Builder
	for i := range count {
		y := 6 + 7*(2-min(i, 2))
		fmt.Fprintf(&b, `<path class="strong" d="M10 %dc4 -9 8 -7 12 -6l10 4c6 1 12 1 13 3v2H10z"/>`, y+6)
	}
	return mini(b.String())
}

// MiniWeek is the share of each part of the week as a bar.
func MiniWeek(km []float64) template.HTML {
	var b strings.Builder
	most := 0.0
	for _, v := range km {
		most = math.Max(most, v)
	}
	for i, v := range km {
		h := 22 * v / math.Max(most, 1)
		fmt.Fprintf(&b, `<rect class="bar" x="%d" y="%.1f" width="6" height="%.1f"/>`, 9+i*8, 26-h, h)
	}
	return mini(b.String())
}

// MiniFan is the share of a pair's life that is used, 0 to 1.
func MiniFan(used float64) template.HTML {
	return mini(fmt.Sprintf(`<path class="hair" d="M6 15H50"/><path class="strong" d="M6 15H%.1f"/><path class="fan-wide" d="M%.1f 15L50 `+
		`5V25Z"/>`, 6+34*used, 6+34*used))
}

// MiniPage is the card.
func MiniPage() template.HTML {
	return mini(`<path class="strong" d="M20 3h16v24H20zM23 9h10M23 14h10M23 19h6"/>`)
}

// Grown is a day and the lengths that were measured on it.
type Grown struct {
	On   time.Time
	Feet foot.Feet
}

// Growth draws both feet's lengths over the visits. It is empty for fewer than two.
func Growth(list []Grown, u units.System) template.HTML {
	var days, low, high []float64
	for _, g := range list {
		for _, m := range []foot.Measured{g.Feet.Left, g.Feet.Right} {
			if m.LengthMM > 0 {
				low, high = append(low, m.LengthMM), append(high, m.LengthMM)
			}
		}
		days = append(days, g.On.Sub(list[0].On).Hours()/24)
	}
	if len(list) < 2 || len(low) < 2 {
		return ""
	}
	lo, hi := low[0], high[0]
	for i := range low {
		lo, hi = math.Min(lo, low[i]), math.Max(hi, high[i])
	}
	span := math.Max(days[len(days)-1], 1)
	x := func(d float64) float64 { return 60 + 420*d/span }
	y := func(mm float64) float64 { return 110 - 90*(mm-lo)/math.Max(hi-lo, 1) }
	var b strings.Builder
	b.WriteString(`<svg class="fan" viewBox="0 0 560 140" role="img" aria-label="How the feet have grown">`)
	fmt.Fprintf(&b, `<path class="hair" d="M60 16V114H490"/><text class="word small" x="54" y="%.1f" text-anchor="end">%s</text>`+
		`<text class="word small" x="54" y="%.1f" text-anchor="end">%s</text>`, y(lo)+4, u.Length(lo), y(hi)+4, u.Length(hi))
	for _, side := range term.Sides {
		var d strings.Builder
		for i, g := range list {
			m := g.Feet.Of(side)
			if m.LengthMM == 0 {
				continue
			}
			cmd := "L"
			if d.Len() == 0 {
				cmd = "M"
			}
			fmt.Fprintf(&d, "%s%.1f %.1f", cmd, x(days[i]), y(m.LengthMM))
			fmt.Fprintf(&b, `<circle class="dot %s" cx="%.1f" cy="%.1f" r="3"/>`, side, x(days[i]), y(m.LengthMM))
		}
		fmt.Fprintf(&b, `<path class="edge %s" d="%s"/>`, side, d.String())
	}
	for i, g := range list {
		if i == 0 || i == len(list)-1 {
			fmt.Fprintf(&b, `<text class="word small" x="%.1f" y="130" text-anchor="middle">%s</text>`, x(days[i]), g.On.Format("2 Jan 06"))
		}
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}
