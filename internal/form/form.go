// Package form is what a person fills in: a field with its label, unit and limits, read
// from typed text and written back as it is typed. It knows nothing of the web.
package form

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"trevik/internal/core/fault"
	"trevik/internal/core/support"
	"trevik/internal/core/units"
)

// Kind is what a field holds.
type Kind int

const (
	Number Kind = iota // in the canonical unit
	Choice             // one of Choices
	Many               // any of Choices, comma-separated
	Text
	Day   // 2006-01-02
	Clock // 15:04
)

// Unit of a number, canonical: what is stored. Money is stored in minor units.
type Unit string

const (
	MM      Unit = "mm"
	KM      Unit = "km"
	Kg      Unit = "kg"
	Celsius Unit = "°C"
	KMH     Unit = "km/h"
	Money   Unit = "minor"
	Plain   Unit = ""
)

// None is the answer 'asked, none'.
const None = "none"

// Field is one thing that is asked.
type Field struct {
	Name    string
	Label   string
	Kind    Kind
	Unit    Unit
	Lo, Hi  float64  // canonical, for numbers
	Choices []string // for Choice and Many
	Max     int      // longest text, letters
	Sides   bool     // asked a foot
	// Texts are how some choices are shown, where the list's own word would not be understood here.
	Texts map[string]string
}

// Shown is how a choice is shown.
func (f Field) Shown(choice string) string {
	if text, ok := f.Texts[choice]; ok {
		return text
	}
	return support.Words(choice)
}

// Value is what a field was given: a number in the canonical unit or a text. Empty takes
// the value away.
type Value struct {
	Empty  bool
	Number float64
	Text   string
}

// Ptr is the number, nil where the field was left empty.
func (v Value) Ptr() *float64 {
	if v.Empty {
		return nil
	}
	return &v.Number
}

// Words are the words of a list of terms.
func Words[T ~string](list []T) []string {
	out := make([]string, len(list))
	for i, v := range list {
		out[i] = string(v)
	}
	return out
}

// ParseNumber reads a number as it is typed: a comma may stand for the decimal point.
func ParseNumber(typed string) (float64, bool) {
	n, err := strconv.ParseFloat(strings.Replace(strings.TrimSpace(typed), ",", ".", 1), 64)
	return n, err == nil && len(typed) <= 20
}

// Allowed says in words what the field allows, in a person's units.
func (f Field) Allowed(u units.System) string {
	switch f.Kind {
	case Number:
		switch f.Unit {
		case MM:
			return fmt.Sprintf("%s to %s", u.Length(f.Lo), u.Length(f.Hi))
		case KM:
			return fmt.Sprintf("%s to %s", u.Distance(f.Lo), u.Distance(f.Hi))
		case Money:
			return fmt.Sprintf("%g to %g", f.Lo/100, f.Hi/100)
		}
		return u.Say(strings.TrimSpace(fmt.Sprintf("%g to %g %s", f.Lo, f.Hi, f.Unit)))
	case Text:
		return fmt.Sprintf("up to %d letters", f.Max)
	case Day:
		return "a day such as 2026-11-24"
	case Clock:
		return "a time of day such as 18:30, up to 23:59"
	}
	shown := make([]string, len(f.Choices))
	for i, c := range f.Choices {
		shown[i] = f.Shown(c)
	}
	return "one of " + strings.Join(shown, ", ")
}

// Show writes a stored number as it is typed in a person's units.
func (f Field) Show(v float64, u units.System) string {
	switch f.Unit {
	case MM:
		if u == units.Imperial {
			return strconv.FormatFloat(units.Round(u.FromMM(v), 2), 'f', -1, 64)
		}
	case KM, KMH:
		return strconv.FormatFloat(units.Round(u.FromKm(v), 2), 'f', -1, 64)
	case Money:
		return strconv.FormatFloat(v/100, 'f', -1, 64)
	}
	return strconv.FormatFloat(units.Round(v, 2), 'f', -1, 64)
}

// Read turns what was typed into a value, or notes the fault at the input. A
// comma may stand for the decimal point.
func (f Field) Read(l *fault.List, at string, typed []string, u units.System) (Value, bool) {
	var v Value
	if f.Kind == Many {
		return f.readMany(l, at, typed)
	}
	s := ""
	if len(typed) > 0 {
		s = strings.TrimSpace(typed[len(typed)-1])
	}
	if s == "" {
		v.Empty = true
		return v, true
	}
	if !utf8.ValidString(s) || strings.ContainsRune(s, 0) {
		l.Add(at, "holds bytes that are not text")
		return v, false
	}
	switch f.Kind {
	case Number:
		n, ok := ParseNumber(s)
		if !ok {
			l.Add(at, "is not a number; allowed is %s", f.Allowed(u))
			return v, false
		}
		v.Number = f.canonical(n, u)
		// What is typed at the very limit may miss it by the rounding of a unit.
		if !(v.Number >= f.Lo-1e-6 && v.Number <= f.Hi+1e-6) {
			l.Add(at, "is %s; allowed is %s", s, f.Allowed(u))
			return v, false
		}
	case Choice:
		v.Text = s
		for _, other := range typed {
			if other = strings.TrimSpace(other); other != "" && other != s {
				l.Add(at, "holds two answers, %q and %q, which contradict each other; give one", Clip(other), Clip(s))
				return v, false
			}
		}
		if !slices.Contains(f.Choices, s) {
			l.Add(at, "is %q; allowed is %s", Clip(s), f.Allowed(u))
			return v, false
		}
	case Text:
		v.Text = s
		if n := utf8.RuneCountInString(s); n > f.Max {
			l.Add(at, "is %d letters long; allowed is %s", n, f.Allowed(u))
			return v, false
		}
	case Day:
		v.Text = s
		if d, err := time.Parse(time.DateOnly, s); err != nil || d.Year() < 2000 || d.Year() > 2100 {
			l.Add(at, "is %q; allowed is %s", Clip(s), f.Allowed(u))
			return v, false
		}
	case Clock:
		d, err := time.Parse("15:04", s)
		if err != nil {
			l.Add(at, "is %q; allowed is %s", Clip(s), f.Allowed(u))
			return v, false
		}
		v.Text = d.Format("15:04") // 7:30 is 07:30
	}
	return v, true
}

func (f Field) readMany(l *fault.List, at string, typed []string) (v Value, ok bool) {
	var got []string
	for _, s := range typed {
		if s = strings.TrimSpace(s); s == "" || slices.Contains(got, s) {
			continue
		}
		if !slices.Contains(f.Choices, s) {
			l.Add(at, "holds %q; allowed is any of %s", Clip(s), strings.Join(support.WordsOf(f.Choices), ", "))
			return v, false
		}
		got = append(got, s)
	}
	if slices.Contains(got, None) && len(got) > 1 {
		l.Add(at, "holds 'none' beside others; choose 'none' alone, or the others without it")
		return v, false
	}
	slices.SortFunc(got, func(a, b string) int { return slices.Index(f.Choices, a) - slices.Index(f.Choices, b) })
	v.Empty, v.Text = len(got) == 0, strings.Join(got, ",")
	return v, true
}

func (f Field) canonical(n float64, u units.System) float64 {
	switch f.Unit {
	case MM:
		return units.Round(u.ToMM(n), 3)
	case KM, KMH:
		return units.Round(u.ToKm(n), 4)
	case Money:
		return units.Round(n*100, 0)
	}
	return units.Round(n, 3)
}

// Line is Length of a text of one line: no line ends, and no letters that command a printer or a
// screen.
func Line(l *fault.List, at, s string, lo, hi int) {
	if strings.ContainsFunc(s, func(r rune) bool { return unicode.IsControl(r) || r == '\u2028' || r == '\u2029' }) {
		l.Add(at, "holds a line end, or another letter that is none; write it on one line")
		return
	}
	Length(l, at, s, lo, hi)
}

// Length notes a fault where a text is too short, too long, or no text.
func Length(l *fault.List, at, s string, lo, hi int) {
	switch n := utf8.RuneCountInString(s); {
	case !utf8.ValidString(s) || strings.ContainsRune(s, 0):
		l.Add(at, "holds bytes that are not text")
	case n < lo && n == 0:
		l.Add(at, "is missing; allowed is %d to %d letters", lo, hi)
	case n < lo || n > hi:
		l.Add(at, "is %d letters long; allowed is %d to %d", n, lo, hi)
	}
}

// Sentence begins a text with a capital.
func Sentence(s string) string {
	if s == "" {
		return s
	}
	r := []rune(s)
	return strings.ToUpper(string(r[0])) + string(r[1:])
}

// Clip shortens what is told back of something that was sent.
func Clip(s string) string {
	if len(s) > 40 {
		return strings.ToValidUTF8(s[:40], "") + "…"
	}
	return s
}

// PlainCell keeps a cell from being a formula in a spreadsheet.
func PlainCell(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}
