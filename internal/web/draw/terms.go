package draw

import (
	"html/template"

	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

// The field of a drawing of a word, px.
const termW, termH = 240.0, 150.0

var (
	termFoot = foot.Measured{LengthMM: 262, BallMM: 101, HeelMM: 66}
	termShoe = shoe.Model{Name: "A shoe", Class: term.Daily, StackHeelMM: 36, StackForefootMM: 26, HeelCounter: "sculpted", Rocker: 1,
		LastShape: "standard"}
)

// terms are small drawings of what words mean.
var terms = map[string]func(*pen){
	"heel_to_ball": func(p *pen) {
		at := p.lyingFoot()
		p.f(`<path class="dimline" d="M%.1f 128H%.1fM%.1f 122v12M%.1f 122v12"/>`, at(0), at(.72*262), at(0), at(.72*262))
		p.f(`<path class="tick" d="M%.1f 24V128M%.1f 24V128"/>`, at(0), at(.72*262))
	},
	"ball": func(p *pen) {
		at := p.lyingFoot()
		x := at(.70 * 262)
		p.f(`<path class="dimline" d="M%.1f 36V115M%.1f 36h14M%.1f 115h14"/>`, x, x-7, x-7)
	},
	"instep": func(p *pen) {
		on := p.standingFoot(.06, .26)
		a, b := on.px(point{.5, 0}), on.px(point{.5, .26})
		p.f(`<path class="dimline" d="M%.1f %.1fV%.1fm-6 0h12M%.1f %.1fh12"/>`, a.x, a.y, b.y, a.x-6, a.y)
	},
	"arch_index": func(p *pen) {
		for i, arch := range []term.Arch{term.ArchHigh, term.ArchMedium, term.ArchLow} {
			p.f(`<g transform="translate(%d 4) scale(.72)">`, 4+i*80)
			p.WriteString(string(Print(term.Left, arch)))
			p.f(`</g>`)
		}
	},
	"navicular": func(p *pen) {
		on := p.standingFoot(.06, .26)
		c := on.px(point{.43, .15})
		p.f(`<circle class="dot" cx="%.1f" cy="%.1f" r="5"/><path class="movedto" d="M%.1f %.1fv20m-6 -8l6 8 6 -8"/>`, c.x, c.y, c.x, c.y+8)
	},
	"pronation": func(p *pen) { p.legs(2, 13) },
	"eversion":  func(p *pen) { p.legs(0, 16) },
	"strike": func(p *pen) {
		edge, _ := footSide(.05, .26)
		p.path("ground", "M6 132H234")
		p.path("footline", sheet{point{22, 126}, 78, false}.shut(edge.each(func(q point) point {
			return point{q.x*.94 - q.y*.34, q.y*.94 + q.x*.34}
		})))
		p.path("footline", sheet{point{140, 130}, 78, false}.shut(edge))
	},
	"drop": func(p *pen) {
		on, k := p.shoe(&termShoe)
		heel, fore := on.px(point{.14 * shoeLength, 36}), on.px(point{.72 * shoeLength, 26})
		p.f(`<path class="dimline" d="M%.1f %.1fH14M%.1f %.1fH14M18 %.1fV%.1f"/>`, heel.x, heel.y, fore.x, fore.y, heel.y, heel.y+10*k)
	},
	"stack": func(p *pen) {
		on, k := p.shoe(&termShoe)
		a := on.px(point{.14 * shoeLength, 36})
		p.f(`<path class="dimline" d="M%.1f %.1fv%.1fm-6 0h12M%.1f %.1fh12"/>`, a.x, a.y, 36*k, a.x-6, a.y)
	},
	"room": func(p *pen) {
		const k = .78
		on := sheet{point{termW / 2, 14 + 276*k}, k, false}
		p.path("shoeroom", on.shut(inside("standard", 276, 107, 73)))
		p.path("foot left", on.shut(topOf(termFoot, false).edge))
		p.f(`<path class="dimline" d="M%.1f 14h30M%.1f %.1fh30M%.1f 14V%.1f"/>`, termW/2+16, termW/2+16, 14+14*k, termW/2+34, 14+14*k)
	},
	"ladder": func(p *pen) {
		for i := range 5 {
			class := "rung"
			if i == 2 {
				class = "rung tried"
			}
			p.f(`<path class="%s" d="M60 %dH180"/>`, class, 24+26*i)
		}
		p.path("rail", "M60 10V144M180 10V144")
	},
	"bareness": func(p *pen) {
		bare := shoe.Model{Name: "A bare one", Class: term.Minimal, StackHeelMM: 8, StackForefootMM: 8, LastShape: "wide_toe"}
		p.f(`<g transform="translate(0 14)">`)
		shoeOn(p, &termShoe, .40)
		p.f(`</g><g transform="translate(118 76)">`)
		shoeOn(p, &bare, .40)
		p.f(`</g>`)
	},
	"schools": func(p *pen) {
		for i, h := range []float64{60, 60, 86, 112} {
			class := "school"
			if i == 2 {
				class = "school lead"
			}
			p.f(`<path class="rung" d="M14 %dH226"/><rect class="%s" x="%d" y="%.0f" width="40" height="22" rx="2"/>`, 46+26*i, class, 22+52*i, h-11)
		}
	},
	"rocker": func(p *pen) {
		racer := shoe.Model{Name: "A racer", Class: term.RacePlated, StackHeelMM: 39, StackForefootMM: 31, Rocker: 3, HeelBevel: true,
			Plate: "carbon"}
		p.shoe(&racer)
	},
	"lugs": func(p *pen) {
		mud := shoe.Model{Name: "A mud shoe", Class: term.Mud, StackHeelMM: 25, StackForefootMM: 19, LugDepthMM: 7, LugSpacing: "wide",
			HeelCounter: "sculpted", ToeBumper: true}
		p.shoe(&mud)
	},
	"last": func(p *pen) {
		for i, last := range term.LastShapes {
			on := sheet{point{44 + 76*float64(i), 226}, .76, false}
			p.path("shoeroom", on.shut(inside(last, 276, 104, 72)))
			p.word("word", 44+76*float64(i), 100, "middle", []string{"tapered", "standard", "wide"}[i])
		}
	},
	"lockdown": func(p *pen) {
		p.f(`<g transform="translate(48 -8) scale(.8)">`)
		p.WriteString(string(Lacing("heel_lock")))
		p.f(`</g>`)
	},
	"rotation": func(p *pen) {
		for i, runs := range [][]float64{{10, 90, 170}, {50, 130}, {205}} {
			y := 26 + 42*float64(i)
			p.f(`<path class="hair" d="M8 %.0fH232"/>`, y+26)
			for _, x := range runs {
				p.f(`<rect class="runbar" x="%.0f" y="%.0f" width="16" height="20"/>`, x, y)
			}
		}
	},
	"suitability": func(p *pen) {
		for i, v := range []float64{.95, .7, .3} {
			p.f(`<rect class="lived retired" x="20" y="%d" width="200" height="18"/><rect class="lived" x="20" y="%d" width="%.0f" height="18"/>`,
				24+40*i, 24+40*i, 200*v)
		}
	},
	"left": func(p *pen) {
		p.f(`<g class="cupboard"><rect class="lived" x="12" y="60" width="96" height="22"/>` +
			`<path class="left" d="M108 60H150L230 71L150 82H108Z"/>` +
			`<path class="likely" d="M182 54v34"/><path class="todayline" d="M108 30V112"/></g>`)
		p.word("word", 108, 24, "middle", "today")
		p.word("word", 182, 108, "middle", "likely")
	},
	"press": func(p *pen) {
		p.f(`<path class="midsole" d="M16 66C40 60 80 62 96 84C104 94 116 94 124 84C140 62 180 60 224 66V118H16Z"/>` +
			`<path class="footline" d="M92 8C90 40 94 62 104 78C108 84 114 84 118 78C128 62 132 40 128 8"/>`)
	},
	"effective": func(p *pen) {
		p.f(`<rect class="lived" x="20" y="40" width="130" height="18"/><rect class="lived" x="20" y="92" width="196" height="18"/>` +
			`<path class="tick" d="M150 30V124"/>`)
		p.word("word", 20, 32, "start", "run")
		p.word("word", 20, 84, "start", "as the shoe felt it")
	},
}

// lyingFoot draws a foot from above with its toes to the right and gives where a length along it lies.
func (p *pen) lyingFoot() func(float64) float64 {
	const k, x0, y = .78, 18.0, 76.0
	p.f(`<g transform="translate(%.0f %.0f) rotate(90)">`, x0, y)
	p.path("footline", sheet{point{0, 0}, k, false}.shut(topOf(termFoot, false).edge))
	p.f(`</g>`)
	return func(mm float64) float64 { return x0 + mm*k }
}

func (p *pen) standingFoot(arch, instep float64) sheet {
	on := sheet{point{22, 136}, 196, false}
	edge, _ := footSide(arch, instep)
	p.path("ground", "M8 137H232")
	p.path("footline", on.shut(edge))
	return on
}

func (p *pen) legs(a, b float64) {
	for i, deg := range []float64{a, b} {
		on := sheet{point{62 + 116*float64(i), 142}, .40, false}
		edge, _, leg, heel := legOf(deg)
		p.path("footline", on.d(edge))
		p.path("bone", on.d(leg)+on.d(heel))
	}
	p.path("ground", "M8 143H232")
}

func (p *pen) shoe(m *shoe.Model) (sheet, float64) {
	const k = .70
	p.f(`<g transform="translate(18 30)">`)
	shoeOn(p, m, k)
	p.f(`</g>`)
	return sheet{point{18 - shoeLeft*k, 30 + shoeTop*k}, k, false}, k
}

// Term is the drawing of a word of the trade.
func Term(name string) template.HTML {
	var p pen
	p.plain("termpic", termW, termH)
	if f := terms[name]; f != nil {
		f(&p)
	}
	return p.done()
}
