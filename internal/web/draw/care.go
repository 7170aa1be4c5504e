package draw

import (
	"fmt"
	"html/template"
	"math"
	"strings"

	"trevik/internal/core/care"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// RubSpot is a place of the drawn foot that can be tapped.
type RubSpot struct {
	Place term.Place
	URL   string
	On    bool
}

// rubAt are where the places lie on the drawing: the foot from above, its sole, its side.
var rubAt = map[term.Place][2]float64{
	"toe_tips": {72, 34}, "toe_tops": {84, 74}, "between_toes": {116, 58}, "ball": {228, 84}, "arch_plantar": {262, 140}, "heel": {246, 206},
	"top_of_foot": {92, 128}, "achilles": {466, 96}, "sides": {46, 128},
}

// RubFoot draws a foot from above, from below and from the side with the places that can
// be tapped; each is a link.
func RubFoot(spots []RubSpot) template.HTML {
	var b strings.Builder
	b.WriteString(`<svg class="rubfoot" viewBox="0 0 520 240" role="group" aria-label="Where it rubs: the foot from above, from below and ` +
		`from the side">`)
	b.WriteString(`<g class="footline"><path d="M60 222C46 190 56 150 52 112C49 80 50 52 62 40C66 30 78 26 86 32C92 26 104 30 108 36C116 ` +
		`36 122 44 124 54C134 84 132 120 122 150C116 176 120 204 112 220C98 234 72 234 60 222Z"/><path d="M64 40V54M86 34V50M106 38V54M120 ` +
		`48V62"/></g>`)
	b.WriteString(`<g class="footline"><path d="M214 222C202 196 218 164 212 132C206 104 200 70 210 46C216 30 232 24 246 32C262 28 280 44 ` +
		`284 66C290 96 282 118 280 144C278 172 286 200 276 218C262 234 228 236 214 222Z"/><path class="hair" d="M206 92C230 104 262 104 286 ` +
		`92M216 176C236 168 258 168 280 176"/></g>`)
	b.WriteString(`<g class="footline"><path d="M350 196C346 184 352 172 366 168C392 160 416 140 436 112L452 40H486L484 110C488 140 492 ` +
		`168 486 192C484 200 478 202 470 202H362C354 202 351 200 350 196Z"/></g>`)
	b.WriteString(`<text class="word small" x="62" y="14">above</text><text class="word small" x="222" y="14">below</text>` +
		`<text class="word small" x="392" y="30">side</text>`)
	for _, s := range spots {
		at := rubAt[s.Place]
		class := "spot"
		current := ""
		if s.On {
			class, current = "spot on", ` aria-current="true"`
		}
		name := strings.ReplaceAll(string(s.Place), "_", " ")
		fmt.Fprintf(&b, `<a href="%s"%s aria-label="%s"><circle class="%s" cx="%.0f" cy="%.0f" r="13"/><title>%s</title></a>`,
			template.HTMLEscapeString(s.URL), current, name, class, at[0], at[1], name)
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

// LookShoe draws one shoe of a pair to be looked at: its sole from below, its upper and
// midsole from the side. The parts p-tread, p-evenness, p-upper and p-bounce are shaded as
// they are graded.
func LookShoe(side term.Side) template.HTML {
	turn := ""
	if side == term.Right {
		turn = ` transform="matrix(-1 0 0 1 220 0)"`
	}
	return template.HTML(`<svg class="lookshoe ` + string(side) + `" viewBox="0 0 220 120" role="img" aria-label="The ` + string(side) +
		` shoe, its sole and its side"><g` + turn + `>` +
		`<path class="p p-tread" d="M28 112C18 96 24 76 20 60C16 42 18 22 30 12C44 4 60 8 66 26C70 42 66 56 66 68C66 84 72 98 66 108C58 118 ` +
		`36 118 28 112Z"/><path class="p p-evenness" d="M28 112C18 96 24 76 20 60C16 42 18 22 30 12L36 16C26 30 26 46 30 62C32 78 28 94 36 ` +
		`114Z"/>` +
		`<path class="edgeline" d="M28 112C18 96 24 76 20 60C16 42 18 22 30 12C44 4 60 8 66 26C70 42 66 56 66 68C66 84 72 98 66 108C58 118 36 ` +
		`118 28 112Z"/><path class="hair" d="M24 30H64M21 44H67M21 58H66M24 76H66M24 90H68"/>` +
		`<path class="p p-upper" d="M96 82C96 62 104 44 112 40C120 50 134 50 142 42C152 58 170 66 194 70C204 72 208 78 208 84Z"/>` +
		`<path class="p p-bounce" d="M94 84H210C214 92 208 104 198 106H106C96 104 92 94 94 84Z"/>` +
		`<path class="edgeline" d="M96 82C96 62 104 44 112 40C120 50 134 50 142 42C152 58 170 66 194 70C204 72 208 78 208 84H94C92 94 96 104 ` +
		`106 106H198C208 104 214 92 210 84"/><path class="hair" d="M146 50L156 62M152 54L162 64"/></g></svg>`)
}

// ChangeWeeks draws a plan of changing over: a bar a calendar week, the old pair's km below
// and the new pair's above, weeks that are run again with a broken edge; now is the week
// that today lies in, from 1, 0 none.
func ChangeWeeks(weeks []care.Week, now int, u units.System) template.HTML {
	if len(weeks) == 0 {
		return ""
	}
	const x0, w, top, bottom = 34.0, 680.0, 14.0, 150.0
	most := 1.0
	for _, x := range weeks {
		most = math.Max(most, x.KMNew+x.KMOld)
	}
	step := w / float64(len(weeks))
	h := func(km float64) float64 { return (bottom - top) * km / most }
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="changeweeks" viewBox="0 0 730 190" role="img" aria-label="%d weeks, from %.0f to %.0f per cent in the new `+
		`pair"><path class="hair" d="M%.0f %.0fV%.0fH%.0f"/><text class="word small" x="0" `+
		`y="%.0f">%s</text>`, len(weeks), 100*weeks[0].Share, 100*weeks[len(weeks)-1].Share, x0, top, bottom, x0+w, top+8, u.DistanceUnit())
	for i, x := range weeks {
		at := x0 + step*float64(i) + 3
		class := ""
		if x.Repeat {
			class = " again"
		}
		fmt.Fprintf(&b, `<rect class="oldkm%s" x="%.1f" y="%.1f" width="%.1f" height="%.1f"/><rect class="newkm%s" x="%.1f" y="%.1f" `+
			`width="%.1f" height="%.1f"><title>week from %s: %s in the new pair, %s in the old</title></rect>`,
			class, at, bottom-h(x.KMOld), step-6, h(x.KMOld), class, at, bottom-h(x.KMOld)-h(x.KMNew), step-6, h(x.KMNew), x.Starts,
			u.Distance(x.KMNew), u.Distance(x.KMOld))
		if step > 34 || i%2 == 0 {
			fmt.Fprintf(&b, `<text class="word small" x="%.1f" y="%.0f" text-anchor="middle">%.0f</text>`, at+step/2-3, bottom+14, u.FromKm(x.KMNew))
		}
		if i+1 == now {
			fmt.Fprintf(&b, `<path class="strong" d="M%.1f %.0fv10"/><text class="word small" x="%.1f" y="%.0f" text-anchor="middle">now</text>`,
				at+step/2-3, bottom+18, at+step/2-3, bottom+38)
		}
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}

// Exercise is one of the strength sheet.
type Exercise struct {
	Name  string
	Dose  string
	Steps string
	draw  string
}

// figure is a person of sticks in a field of 120 by 120.
func (e Exercise) Drawing() template.HTML {
	return template.HTML(fmt.Sprintf(`<svg class="exercise" viewBox="0 0 120 120" role="img" aria-label="%s">`+
		`<path class="hair" d="M8 110H112"/>%s</svg>`, e.Name, e.draw))
}

// Exercises are those of the sheet, with easy doses.
var Exercises = []Exercise{
	{"Calf raises", "2 × 12, every other day",
		"Stand at a wall, rise on both feet over two seconds, come down over three. When it is easy, on one foot.",
		`<path class="limb" d="M60 34V66L56 90L58 104M60 66L66 90L66 104M58 104L70 110M66 104L78 110M60 44L90 52"/>` +
			`<circle class="limb" cx="60" cy="24" r="9"/><path class="hair" d="M92 20V110"/><path class="arrow" d="M36 100V78M36 78l-5 8M36 78l5 ` +
			`8"/>`},
	{"One-leg balance", "3 × 30 seconds a side", "Stand on one foot, the knee soft and over the toes. Eyes shut when it is easy.",
		`<path class="limb" d="M60 34V66L60 88L58 108H68M60 66L76 82L64 94M60 44L38 52M60 44L84 50"/><circle class="limb" cx="60" cy="24" ` +
			`r="9"/>`},
	{"Towel curls", "2 × 10 a side", "Sit, heel down on a towel; draw it in with the toes, and let it go.",
		`<path class="limb" d="M40 34V66L74 68L74 104H92M40 66L44 104"/><circle class="limb" cx="40" cy="24" r="9"/>` +
			`<path class="strong" d="M84 108q6 -8 12 0t12 0"/><path class="arrow" d="M108 96H90M90 96l7 -5M90 96l7 5"/>`},
	{"Ankle with a band", "2 × 12 each way, each side",
		"A band round the forefoot, tied at the side: turn the foot in against it, then out, slowly.",
		`<path class="limb" d="M26 40V72L70 76L104 76M104 76V60"/><circle class="limb" cx="26" cy="30" r="9"/><path class="strong" d="M102 ` +
			`62q-16 -18 -34 -14"/><path class="arrow" d="M96 50q12 -6 16 6M112 56l-8 -2M112 56l2 -8"/>`},
	{"Side steps", "2 × 10 steps each way", "A band above the knees, hips low: step sideways, and follow without letting the band go slack.",
		`<path class="limb" d="M60 34V62L44 84L40 108H50M60 62L78 84L82 108H92M60 44L44 58M60 44L76 58"/><circle class="limb" cx="60" cy="24" ` +
			`r="9"/><path class="strong" d="M47 80Q61 86 75 80"/><path class="arrow" d="M92 60H112M112 60l-7 -5M112 60l-7 5"/>`},
}
