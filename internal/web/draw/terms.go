package draw

import "html/template"

// terms are small drawings of what words mean, in a field of 160 by 90.
var terms = map[string]string{
	"heel_to_ball": soleTerm + `<path class="strong" d="M52 84V30M46 84h12M46 30h12"/>`,
	"ball":         soleTerm + `<path class="strong" d="M64 34H100M64 30v8M100 30v8"/>`,
	"instep":       sideTerm + `<path class="strong" d="M84 74V40M78 74h12M78 40h12"/>`,
	"arch_index": soleTerm + `<path class="hair" d="M60 32H106M60 56H106"/><path class="shade" d="M74 32Q92 44 78 56L100 56Q104 44 100 ` +
		`32Z"/>`,
	"navicular": sideTerm + `<circle class="dot" cx="76" cy="56" r="4"/><path class="strong" d="M58 56V66M54 62l4 4l4 -4"/>`,
	"pronation": leg(0) + leg(60),
	"eversion":  leg(60) + `<path class="hair" d="M124 8V84"/>`,
	"strike": `<path class="footline" d="M24 74L70 60L78 68L32 82Z"/><path class="footline" d="M92 82H140V72H92Z"/>` +
		`<path class="strong" d="M10 86H150M26 82v4M100 82v4"/>`,
	"drop":  `<path class="footline" d="M20 84V44Q70 50 140 64V84Z"/><path class="strong" d="M30 84V46M128 84V62"/>`,
	"stack": `<path class="footline" d="M20 84V40Q70 46 140 52V84Z"/><path class="strong" d="M40 84V43M34 84h12M34 43h12"/>`,
	"room": `<path class="footline" d="M10 80Q10 30 60 34Q130 40 150 66V80Z"/><path class="shade" d="M20 76Q22 40 60 42Q110 46 128 ` +
		`66V76Z"/><path class="strong" d="M128 70H148M128 66v8M148 66v8"/>`,
	"ladder":    `<path class="strong" d="M30 80V14M130 80V14M30 68H130M30 52H130M30 36H130M30 20H130"/>`,
	"bareness":  `<path class="footline" d="M12 84V52Q40 56 70 62V84Z"/><path class="footline" d="M90 84V76Q120 76 148 78V84Z"/>`,
	"effective": `<path class="strong" d="M14 74H146M14 70v8M60 70v8M106 70v8M146 70v8"/><path class="footline" d="M60 66Q84 30 106 66"/>`,
}

const (
	soleTerm = `<path class="footline" d="M70 84C60 70 66 54 60 40C56 26 64 12 76 10C92 6 104 16 106 32C108 48 100 60 102 72C102 84 80 90 ` +
		`70 84Z"/>`
	sideTerm = `<path class="footline" d="M14 74Q14 60 40 56Q74 48 96 24V8H120V36Q130 60 126 74Z"/>`
)

// leg is a lower leg from behind, its heel tilted where it stands at the right.
func leg(x int) string {
	if x == 0 {
		return `<path class="footline" d="M30 8V52M30 52V78M22 78H38"/><circle class="dot" cx="30" cy="52" r="3"/>`
	}
	return `<path class="footline" d="M124 8L120 52M120 52L132 78M124 80L140 76"/><circle class="dot" cx="120" cy="52" r="3"/>`
}

// Term is the drawing of a word of the trade.
func Term(name string) template.HTML {
	return template.HTML(`<svg class="termpic" viewBox="0 0 160 90" aria-hidden="true">` + terms[name] + `</svg>`)
}
