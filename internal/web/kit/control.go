package kit

import (
	"fmt"
	"html/template"
	"slices"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/units"
	"trevik/internal/form"
)

// Option is one choice of a control.
type Option struct {
	Value, Text string
	On          bool
}

// Control is one field as it is shown: the one way to draw an input and its error.
type Control struct {
	ID, Input, Label string
	Type             string // text, date, choice, many, pick
	Value            string
	Options          []Option
	Unit, Mode       string
	Max              int
	Blank            string // what an empty choice says
	NoBlank          bool
	Err              string
	Save             template.HTMLAttr // what saves it as it is made
	Bare             bool              // its label is the table's, spoken only
	Disabled         bool
	Suggest          string // the address of suggestions
	OOB              bool   // the error alone, swapped in beside the answer
}

// ControlID is the element id of an input.
func ControlID(input string) string { return "f-" + strings.ReplaceAll(input, ".", "-") }

// Held is what a field holds already.
type Held struct {
	Number *float64
	Text   string
}

// ControlOf makes the control of a field. typed is what was sent and could
// not be kept, nil when nothing was.
func ControlOf(f form.Field, input string, u units.System, found Held, typed []string, wrong string) Control {
	c := Control{ID: ControlID(input), Input: input, Label: f.Label, Err: wrong, Type: "text", Max: 24, Blank: "—"}
	on := map[string]bool{}
	switch f.Kind {
	case form.Number:
		c.Mode, c.Unit = "decimal", unitOf(f.Unit, u)
		if found.Number != nil {
			c.Value = f.Show(*found.Number, u)
		}
	case form.Text:
		c.Value, c.Max = found.Text, f.Max
	case form.Day:
		c.Type, c.Value = "date", found.Text
	case form.Clock:
		c.Value, c.Max = found.Text, 5
	case form.Choice:
		c.Type = "choice"
		on[found.Text] = true
	case form.Many:
		c.Type = "many"
		for _, w := range strings.Split(found.Text, ",") {
			on[w] = true
		}
	}
	if typed != nil {
		on = map[string]bool{}
		for _, w := range typed {
			on[w] = true
		}
		c.Value = strings.Join(typed, "")
	}
	for _, w := range f.Choices {
		c.Options = append(c.Options, Option{w, u.Say(f.Shown(w)), on[w]})
	}
	return c
}

func unitOf(u form.Unit, s units.System) string {
	switch u {
	case form.MM:
		return s.LengthUnit()
	case form.KM:
		return s.DistanceUnit()
	case form.Money:
		return ""
	}
	return s.Say(string(u))
}

// Default is the control with a value where none was typed.
func (c Control) Default(value string) Control {
	if c.Value != "" {
		return c
	}
	c.Value = value
	if slices.ContainsFunc(c.Options, func(o Option) bool { return o.On }) {
		return c
	}
	c.Options = slices.Clone(c.Options)
	for i := range c.Options {
		c.Options[i].On = c.Options[i].Value == value
	}
	return c
}

// Choose is the control as a choice among options, the typed one chosen.
func (c Control) Choose(options []Option) Control {
	c.Type, c.Options, c.NoBlank = "choice", slices.Clone(options), true
	for i := range c.Options {
		c.Options[i].On = c.Options[i].Value == c.Value
	}
	return c
}

// ChooseOr is Choose with none before the options.
func (c Control) ChooseOr(none string, options []Option) Control {
	return c.Choose(append([]Option{{Text: none}}, options...))
}

// For is the control in one of several like forms of a page, with an element id of its own.
func (c Control) For(suffix string) Control {
	c.ID += "-" + suffix
	return c
}

// Search is the control with suggestions from an address, asked as it is typed.
func (c Control) Search(url string) Control {
	c.Type, c.Suggest = "text", url
	return c
}

// Picked is the control as a row of buttons.
func (c Control) Picked() Control {
	c.Type = "pick"
	return c
}

// SaveBy makes a control save itself to an address as it is changed, without the
// rest of its form.
func (c Control) SaveBy(url string) Control {
	c.Save = template.HTMLAttr(fmt.Sprintf(`hx-post="%s" hx-params="%s,seen" hx-trigger="change" hx-target="#findings" hx-swap="innerHTML" `+
		`hx-sync="closest form:queue all"`, url, c.Input))
	return c
}

// Say gives every control's faults by its input, in the reader's units; what stands at no input of
// the form comes back as a notice.
func Say(u units.System, faults fault.List, isInput func(string) bool) (at map[string]string, rest string) {
	at = map[string]string{}
	var others []string
	for _, f := range faults {
		if isInput(f.Field) {
			at[f.Field] = Sentence(form.Ask(u.Say(f.Text))) + "."
		} else {
			said := u.Say(f.Text)
			if ask := form.Ask(said); ask != said {
				said = ": " + ask
			} else {
				said = " " + said
			}
			others = append(others, Sentence(f.Field+said)+".")
		}
	}
	return at, strings.Join(others, " ")
}
