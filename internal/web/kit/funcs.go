package kit

import (
	"errors"
	"fmt"
	"html/template"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app/runlog"
	"trevik/internal/catalogue"
	"trevik/internal/core/care"
	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/form"
	"trevik/internal/picture"
	"trevik/internal/record"
	"trevik/internal/recording"
	"trevik/internal/web/draw"
)

// Funcs are the template functions; words and formats have their one place here.
var Funcs = template.FuncMap{
	"words":      func(v any) string { return support.Words(fmt.Sprint(v)) },
	"title":      func(v any) string { return Sentence(support.Words(fmt.Sprint(v))) },
	"length":     func(u units.System, mm float64) string { return u.Length(mm) },
	"km":         func(u units.System, km float64) string { return u.Distance(km) },
	"figure":     func(u units.System, km float64) string { return form.Field{Unit: form.KM}.Show(km, u) },
	"say":        Spoken,
	"day":        LongDay,
	"dayat":      LongDay,
	"dayOf":      DayOf,
	"clock":      Clock,
	"money":      Money,
	"num":        Number,
	"pct":        Percent,
	"sure":       sureness,
	"chance":     Chance,
	"share":      func(part, rest float64) float64 { return 100 * part / max(part+rest, 1e-9) },
	"stateword":  func(s string) string { return record.StateWords[wear.State(s)] },
	"sub":        func(a, b int) int { return a - b },
	"deref":      deref,
	"sentence":   Sentence,
	"routewords": routeWords,
	"most":       func(kind string) int64 { return mostMiB[kind] },
	"level":      func(l *term.Level) string { return string(*l) },
	"seq":        seq,
	"dict":       dict,
	"model":      record.ModelName,
	"shoe":       draw.Shoe,
	"measured":   draw.ShoeMeasured,
	"outsole":    draw.Outsole,
	"shoeabove": func(m *shoe.Model, u units.System) template.HTML {
		return draw.ShoeAbove(m, term.Left, foot.Measured{}, 0, u)
	},
	"shoerear":  func(m *shoe.Model) template.HTML { return draw.ShoeRear(m, term.Left, 0) },
	"gloss":     gloss,
	"paleshoes": draw.ShoesToCome,
	"paleprint": func(s term.Side) template.HTML { return draw.Print(s, term.ArchMedium) },
	"paleleg":   func(s string) template.HTML { return draw.Rear(term.Side(s), term.BandNeutral) },
	"qr":        func(text string, w float64) template.HTML { return draw.QR(text, w, "The address as a QR code") },
	"lookshoe":  func(side string) template.HTML { return draw.LookShoe(term.Side(side)) },
	"grades":    func(side string) template.HTML { return grades()[side] },
	"marks":     markRows,
	"weeks":     func(u units.System, weeks []care.Week) template.HTML { return draw.ChangeWeeks(weeks, 0, u) },
	"each":      func(s ...string) []string { return s },
	"list":      func(s []string) string { return strings.Join(s, ", ") },
}

// markRows are the rows of a table of a model's marks.
func markRows(u units.System, marks []match.Mark) template.HTML {
	two := func(v float64) string { return strconv.FormatFloat(v, 'f', 2, 64) }
	var rows [][]string
	for _, m := range marks {
		rows = append(rows, []string{string(m.Mark), two(m.Value), two(m.Weight), Spoken(u, m.Why)})
	}
	return Rows(rows)
}

// mostMiB is how much may be sent at once, MiB, by what it is: told beside the field, and held against
// what was chosen before it is sent.
var mostMiB = map[string]int64{"picture": picture.MaxBytes >> 20, "runs": runlog.MaxSent >> 20, "film": recording.MaxArchive >> 20,
	"models": catalogue.MaxBytes >> 20}

// Number writes a number with what of its two decimals says something.
func Number(v float64) string { return strconv.FormatFloat(units.Round(v, 2), 'f', -1, 64) }

// Percent is a share of 1 as people read it.
func Percent(v float64) string { return strconv.FormatFloat(units.Round(100*v, 0), 'f', -1, 64) + " %" }

// sureness is a confidence from 0 to 1 in a word, where a figure would say more than is known.
func sureness(p float64) string {
	switch {
	case p >= 0.8:
		return "sure"
	case p >= 0.6:
		return "fairly sure"
	case p >= 0.4:
		return "not very sure"
	}
	return "unsure"
}

// Chance is a chance from 0 to 1 in words: in so many of ten.
func Chance(p float64) string {
	switch n := int(math.Round(10 * p)); n {
	case 0:
		return "hardly any"
	case 10:
		return "almost certain"
	default:
		return fmt.Sprintf("about %d in 10", n)
	}
}

// routeWords are a line of the table of routes without its marks: "fits runs" for "/fits/:fit/runs".
func routeWords(route string) string {
	if !strings.HasPrefix(route, "/") {
		return route
	}
	var words []string
	for _, part := range strings.Split(route[1:], "/") {
		if part != "" && !strings.HasPrefix(part, ":") {
			words = append(words, strings.ReplaceAll(part, "-", " "))
		}
	}
	return strings.Join(words, ", ")
}

// Span writes a window of lengths with its unit once: "12–17 mm".
func Span(u units.System, mm [2]float64) string {
	lo, _, _ := strings.Cut(u.Length(mm[0]), " ")
	return lo + "–" + u.Length(mm[1])
}

// gloss links a word to where it is explained and drawn.
func gloss(key, word string) template.HTML {
	return template.HTML(`<a class="gloss" href="/glossary#` + template.HTMLEscapeString(key) + `">` + template.HTMLEscapeString(word) +
		`</a>`)
}

var isoDay = regexp.MustCompile(`\b20\d\d-[01]\d-[0-3]\d\b`)

// Spoken is a computed sentence as people read it: in their units, with its days in full.
func Spoken(u units.System, text string) string {
	if !strings.Contains(text, "20") { // as most have none
		return u.Say(text)
	}
	return isoDay.ReplaceAllStringFunc(u.Say(text), func(day string) string {
		t, err := time.Parse(time.DateOnly, day)
		if err != nil {
			return day
		}
		return t.Format("2 January 2006")
	})
}

func seq(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = i + 1
	}
	return out
}

func deref(v any) any {
	switch v := v.(type) {
	case *float64:
		if v != nil {
			return *v
		}
	case *string:
		if v != nil {
			return *v
		}
	}
	return ""
}

func dict(pairs ...any) (map[string]any, error) {
	if len(pairs)%2 != 0 {
		return nil, errors.New("dict wants pairs")
	}
	m := map[string]any{}
	for i := 0; i < len(pairs); i += 2 {
		m[fmt.Sprint(pairs[i])] = pairs[i+1]
	}
	return m, nil
}

// Clock writes an hour.
func Clock(t time.Time) string { return t.Format("15:04") }

// LongDay writes a day in full: "Tuesday 24 November 2026".
func LongDay(t time.Time) string {
	if t.IsZero() {
		return "no date"
	}
	return t.Format("Monday 2 January 2006")
}

// DayOf is a computed day in full.
func DayOf(s *string) string {
	if s == nil {
		return "no date"
	}
	t, err := time.Parse(time.DateOnly, *s)
	if err != nil {
		return *s
	}
	return t.Format("2 January 2006")
}

// Money writes minor units with their currency code: "149.00 EUR".
func Money(minor int64, currency string) string {
	return fmt.Sprintf("%d.%02d %s", minor/100, minor%100, currency)
}

// Words writes a word of the lists for people.
func Words(s string) string { return support.Words(s) }

// Sentence begins a text with a capital.
func Sentence(s string) string { return form.Sentence(s) }
