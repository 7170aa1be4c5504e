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
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/web/kept"
)

// Ladder draws the five levels of support as rungs: each foot, as it was measured, stands on the rung
// where the leading school puts it, and each school is a column with its level written on its rung.
// A foot whose level no school gives has none. Where less is given, the answer without some evidence,
// what would stand elsewhere is drawn there too, with an arrow to where it stands.
func Ladder(a support.Answer, less *support.Answer, feet foot.Feet) template.HTML {
	if a.Schools == nil {
		return ""
	}
	const (
		w, h      = 812.0, 322.0
		top, step = 78.0, 54.0
		x0, x1    = 118.0, 804.0
		school0   = 268.0
		colW      = (x1 - school0) / 4
	)
	y := func(l term.Level) float64 { return top + float64(4-l.Rung())*step }
	var p pen
	p.open("ladder", w, h, "The ladder of support with each foot and each school’s answer")
	for i, s := range term.Schools {
		if s == a.Lead {
			p.f(`<rect class="leads" x="%.1f" y="2" width="%.1f" height="%.0f"/>`, school0+float64(i)*colW+3, colW-6, h-4)
		}
	}
	for _, l := range term.Levels {
		class := "rung"
		if slices.Contains(a.Spread, l) {
			class = "rung tried"
			p.word("small", x0+8, y(l)-6, "start", "try")
		}
		p.path(class, fmt.Sprintf("M%.0f %.0fH%.0f", x0, y(l), x1))
		p.word("word", x0-12, y(l)+5, "end", sentence(support.Words(string(l))))
	}
	p.f(`<path class="rail" d="M%.0f 44V%.0fM%.0f 44V%.0f"/>`, x0, h-8, x1, h-8)
	// arrow leads from where a mark would be without the slip to where it is.
	arrow := func(x, from, to float64) {
		way := math.Copysign(1, to-from)
		tip := to - 14*way
		p.f(`<path class="movedto" d="M%.0f %.0fV%.0fm-6 %.0fl6 %.0f 6 %.0f"/>`, x, from+9*way, tip, -8*way, 8*way, -8*way)
	}
	lead := a.Schools.Of(a.Lead)
	var was *support.SchoolAnswer
	if less != nil && less.Schools != nil {
		was = less.Schools.Of(a.Lead)
	}
	for _, side := range term.Sides {
		level, before, x := lead.PerSide.Left, (*term.Level)(nil), 164.0
		if was != nil {
			before = was.PerSide.Left
		}
		if side == term.Right {
			level, x = lead.PerSide.Right, 222
			if was != nil {
				before = was.PerSide.Right
			}
		}
		m := feet.Of(side)
		if m.LengthMM == 0 {
			m = likeAny(262)
		}
		k := 48 / 270.0
		at := func(class string, l term.Level) {
			p.path(class, footPath(side, m, k, x, y(l)+22, true))
		}
		if before != nil && (level == nil || *before != *level) {
			at("foot ghost "+string(side), *before)
			if level != nil {
				arrow(x+22, y(*before), y(*level))
			}
		}
		if level != nil {
			at("foot standing "+string(side), *level)
		}
		p.word("sidename "+string(side), x, 40, "middle", string(side))
	}
	for i, s := range term.Schools {
		x := school0 + (float64(i)+.5)*colW
		level, before := a.Schools.Of(s).Level, (*term.Level)(nil)
		if less != nil && less.Schools != nil {
			before = less.Schools.Of(s).Level
		}
		plate := func(class string, l term.Level) {
			p.f(`<rect class="%s" x="%.1f" y="%.1f" width="%.1f" height="28" rx="2"/>`, class, x-colW/2+10, y(l)-14, colW-20)
		}
		if before != nil && (level == nil || *before != *level) {
			plate("school ghost", *before)
			if level != nil {
				arrow(x, y(*before)+5*math.Copysign(1, y(*level)-y(*before)), y(*level)-2*math.Copysign(1, y(*level)-y(*before)))
			}
		}
		words := strings.SplitN(sentence(support.SchoolNames[s]), " ", 2)
		class, on := "school", "plateword"
		if s == a.Lead {
			class, on = "school lead", "plateword lead"
			p.word("word leadword", x, 56, "middle", "leads here")
		}
		p.word("word strongword", x, 20, "middle", words[0])
		p.word("word strongword", x, 37, "middle", words[1])
		if level == nil {
			p.f(`<rect class="blank" x="%.1f" y="%.1f" width="%.1f" height="26"/>`, x-colW/2+10, top+2*step-13, colW-20)
			p.word("word faint", x, top+2*step+5, "middle", "not enough told")
			continue
		}
		plate(class, *level)
		p.word(on, x, y(*level)+5, "middle", support.Words(string(*level)))
	}
	return p.done()
}

// Room draws the toe end of a shoe of a last with each foot in it, as long as it was measured: the part
// before the toes that is wanted is shaded, what is there is dimensioned.
func Room(s match.Size, feet foot.Feet, last term.LastShape, u units.System) template.HTML {
	key := roomKey{wanted: s.WantedMM, left: feet.Left, right: feet.Right, last: last, u: u}
	for i, room := range []*float64{s.Room.Left, s.Room.Right} {
		if room != nil {
			key.is[i], key.room[i] = true, *room
		}
	}
	return keptRooms.Drawn(key, func() template.HTML { return roomOf(s, feet, last, u) })
}

// roomKey is all that the room before the toes is drawn from.
type roomKey struct {
	is           [2]bool // measured, left and right
	room, wanted [2]float64
	left, right  foot.Measured
	last         term.LastShape
	u            units.System
}

var keptRooms kept.By[roomKey]

func roomOf(s match.Size, feet foot.Feet, last term.LastShape, u units.System) template.HTML {
	const each, h, k, shown = 196.0, 104.0, 1.12, 84.0 // px, px a mm, mm of the toe end
	var p pen
	p.open("room", 2*each, h, "Room before the toes: "+roomWords(s, u))
	for i, side := range term.Sides {
		room := s.Room.Left
		if side == term.Right {
			room = s.Room.Right
		}
		m := feet.Of(side)
		if room == nil {
			continue
		}
		if m.LengthMM == 0 {
			m = likeAny(262)
		}
		inner := m.LengthMM + max(*room, -12)
		// The toe end lies 6 px under the upper edge of the field.
		on := sheet{point{float64(i)*each + 62, 6 + inner*k}, k, side == term.Right}
		shoe := on.shut(inside(last, inner, math.Max(.387*inner, ballOf(m)+4), .267*inner))
		left, bottom := tenth(float64(i)*each), tenth(shown*k+6)
		p.f(`<g %s>`, p.clipTo("M"+left+" 0h"+tenth(each)+"V"+bottom+"H"+left+"z"))
		p.path("shoeroom", shoe)
		p.f(`<rect class="window" %s x="%s" y="%.1f" width="%.0f" height="%.1f"/>`, p.clipTo(shoe), left, 6+s.WantedMM[0]*k, each,
			(s.WantedMM[1]-s.WantedMM[0])*k)
		p.path("foot "+string(side), on.shut(topOf(m, false).edge))
		p.f(`</g>`)
		x := float64(i)*each + 136
		if *room > 0 {
			p.f(`<path class="dimline" d="M%.1f 6h12M%.1f %.1fh12M%.1f 6V%.1f"/>`, x-6, x-6, 6+*room*k, x, 6+*room*k)
		}
		p.word("dim "+string(side), x-6, math.Max(6+*room*k, 6)+18, "start", u.Length(*room))
		p.word("dim "+string(side), x-6, math.Max(6+*room*k, 6)+34, "start", string(side))
	}
	return p.done()
}

func roomWords(s match.Size, u units.System) string {
	var parts []string
	for _, x := range []struct {
		side term.Side
		room *float64
	}{{term.Left, s.Room.Left}, {term.Right, s.Room.Right}} {
		if x.room != nil {
			parts = append(parts, fmt.Sprintf("%s %s", x.side, u.Length(*x.room)))
		}
	}
	return strings.Join(parts, ", ")
}

// sentence begins a text with a capital.
func sentence(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
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
	const x0, w, top, bottom = 46.0, 420.0, 14.0, 150.0
	total := a.EffectiveKM + a.RemainingKM.P90
	x := func(d float64) float64 { return x0 + w*d/span }
	y := func(km float64) float64 { return bottom - (bottom-top)*km/total }
	var b strings.Builder
	b.WriteString(`<svg class="fan" width="500" height="196" viewBox="0 0 500 196" role="img" ` +
		`aria-label="When this pair will be worn out: likely distance over the weeks">`)
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
	}{{a.Dates.P10, "earliest", a.RemainingKM.P10}, {a.Dates.P50, "likely", a.RemainingKM.P50},
		{a.Dates.P90, "latest", a.RemainingKM.P90}} {
		d, ok := day(m.s)
		if !ok {
			continue
		}
		fmt.Fprintf(&b, `<path class="tick" d="M%.1f %.1fV%.1f"/><circle class="dot" cx="%.1f" cy="%.1f" r="3.5"/>`+
			`<text class="word small" x="%.1f" y="%.1f" text-anchor="middle">%s</text>`,
			x(d), y(a.EffectiveKM+m.km), bottom, x(d), y(a.EffectiveKM+m.km), x(d), bottom+16, m.name)
		t, _ := time.Parse(time.DateOnly, *m.s)
		fmt.Fprintf(&b, `<text class="word small" x="%.1f" y="%.1f" text-anchor="middle">%s</text>`, x(d), bottom+33, t.Format("2 Jan 06"))
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
// in a 56 by 36 field.
func mini(content string) template.HTML {
	return template.HTML(`<svg class="mini" viewBox="0 0 56 36" aria-hidden="true">` + content + `</svg>`)
}

// MiniEmpty is a station that found nothing yet.
func MiniEmpty() template.HTML { return mini(`<path class="hair" d="M18 15H38"/>`) }

// MiniFeet is both outlines, as they were measured.
func MiniFeet(f foot.Feet) template.HTML {
	return keptMinis.Drawn([2]foot.Measured{f.Left, f.Right}, func() template.HTML { return miniFeet(f) })
}

var keptMinis kept.By[[2]foot.Measured]

func miniFeet(f foot.Feet) template.HTML {
	var b strings.Builder
	for _, s := range []struct {
		side term.Side
		m    foot.Measured
		mid  float64
	}{{term.Left, f.Left, 20}, {term.Right, f.Right, 36}} {
		if s.m.LengthMM > 0 {
			fmt.Fprintf(&b, `<path class="foot %s" d="%s"/>`, s.side, footPath(s.side, s.m, 30/290.0, s.mid, 33, true))
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

// MiniSole is the old pair's soles, as they are held, tinted by how far each is gone, 0 to 1.
func MiniSole(left, right float64) template.HTML {
	var b strings.Builder
	for _, s := range []struct {
		lies term.Side
		gone float64
		mid  float64
	}{{Lies(term.Left, true), left, 20}, {Lies(term.Right, true), right, 36}} {
		on := sheet{point{s.mid, 34}, 32, s.lies == term.Right}
		fmt.Fprintf(&b, `<path class="minisole g%.0f" d="%s"/>`, math.Round(4*min(max(s.gone, 0), 1)), on.shut(ring(soleOutline...)))
	}
	return mini(b.String())
}

// MiniShoe is up to three models from the side, one over the other.
func MiniShoe(models ...*shoe.Model) template.HTML {
	models = models[:min(len(models), 3)]
	var b strings.Builder
	var p pen
	for i, m := range models {
		k := 50 / (shoeRight - shoeLeft)
		y := 31.0
		if len(models) > 1 {
			k = 34 / (shoeRight - shoeLeft)
			y = 17 + 16*float64(i)/float64(len(models)-1)
		}
		s := shapeOf(m)
		on := sheet{point{28 - k*(shoeRight+shoeLeft)/2 + 9*(float64(i)-float64(len(models)-1)/2), y}, k, false}
		p.path("minishoe", on.shut(join(s.upper, straight(point{shoeLength * .98, m.StackForefootMM}, point{shoeLength * .02, m.StackHeelMM}))))
		p.path("minisoles", on.shut(s.midsole))
	}
	b.WriteString(p.String())
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
	b.WriteString(`<svg class="fan" width="560" height="140" viewBox="0 0 560 140" role="img" aria-label="How the feet have grown">`)
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
