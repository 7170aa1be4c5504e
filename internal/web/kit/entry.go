package kit

import (
	"html/template"
	"strconv"
	"strings"
	"sync"
)

// A page holds up to some hundred controls. They are written here, not by a template, since that alone took a third of a
// page's time.

// html is a piece of a page that is written: text is escaped, what the program itself says is not.
type html struct{ strings.Builder }

// attr writes an attribute with a value of anybody's.
func (h *html) attr(name, value string) {
	h.WriteString(` ` + name + `="` + template.HTMLEscapeString(value) + `"`)
}

// flag writes an attribute without a value where it holds.
func (h *html) flag(name string, on bool) {
	if on {
		h.WriteString(" " + name)
	}
}

func (h *html) text(s string) { h.WriteString(template.HTMLEscapeString(s)) }

func (h *html) done() template.HTML { return template.HTML(h.String()) }

// Field is the control with its label and its error.
func (c Control) Field() template.HTML {
	var h html
	h.WriteString(`<div class="field">`)
	if c.Type == "many" || c.Type == "pick" {
		h.WriteString(`<span class="label">`)
		h.text(c.Label)
		h.WriteString("</span>")
	} else {
		h.WriteString(`<label class="label"`)
		h.attr("for", c.ID)
		h.WriteString(">")
		h.text(c.Label)
		h.WriteString("</label>")
	}
	h.WriteString("\n")
	c.entry(&h)
	h.WriteString("\n")
	c.wrong(&h)
	h.WriteString("\n</div>")
	return h.done()
}

// Wrong is the control's error, hidden where there is none.
func (c Control) Wrong() template.HTML {
	var h html
	c.wrong(&h)
	return h.done()
}

func (c *Control) wrong(h *html) {
	h.WriteString(`<p class="err"`)
	h.attr("id", "err-"+c.ID)
	if c.OOB {
		h.attr("hx-swap-oob", "true")
	}
	h.flag("hidden", c.Err == "")
	h.WriteString(">")
	h.text(c.Err)
	h.WriteString("</p>")
}

// Entry is what is typed into or chosen from.
func (c Control) Entry() template.HTML {
	var h html
	c.entry(&h)
	return h.done()
}

func (c *Control) entry(h *html) {
	switch c.Type {
	case "choice":
		c.choice(h)
	case "many":
		c.chips(h, "group", "checkbox")
	case "pick":
		c.chips(h, "radiogroup", "radio")
	default:
		c.line(h)
	}
}

// common writes what a control that has an element of its own is told by.
func (c *Control) common(h *html) {
	h.WriteString(" " + string(c.Save))
	if c.Err != "" {
		h.attr("aria-invalid", "true")
	}
	h.attr("aria-describedby", "err-"+c.ID)
	if c.Bare {
		h.attr("aria-label", c.Label)
	}
	h.flag("disabled", c.Disabled)
}

func (c *Control) choice(h *html) {
	h.WriteString("<select")
	h.attr("id", c.ID)
	h.attr("name", c.Input)
	c.common(h)
	h.WriteString(">\n")
	if !c.NoBlank {
		h.WriteString(`<option value="">`)
		h.text(c.Blank)
		h.WriteString("</option>")
	}
	for _, o := range c.Options {
		h.WriteString("<option")
		h.attr("value", o.Value)
		h.flag("selected", o.On)
		h.WriteString(">")
		h.text(o.Text)
		h.WriteString("</option>")
	}
	h.WriteString("\n</select>")
}

func (c *Control) chips(h *html, role, kind string) {
	h.WriteString(`<input type="hidden"`)
	h.attr("name", c.Input)
	h.WriteString(` value="">` + "\n" + `<div class="many" role="` + role + `"`)
	h.attr("aria-label", c.Label)
	h.WriteString(">\n")
	for _, o := range c.Options {
		h.WriteString(`<label class="chip"><input type="` + kind + `"`)
		h.attr("name", c.Input)
		h.attr("value", o.Value)
		h.flag("checked", o.On)
		h.WriteString(" " + string(c.Save))
		h.flag("disabled", c.Disabled)
		h.WriteString("><span>")
		h.text(o.Text)
		h.WriteString("</span></label>")
	}
	h.WriteString("\n</div>")
}

// wideFrom is from how many letters on a line is a wide one.
const wideFrom = 60

func (c *Control) line(h *html) {
	wide := ""
	if c.Max >= wideFrom {
		wide = " wide"
	}
	h.WriteString(`<span class="entry` + wide + `"><input`)
	h.attr("id", c.ID)
	h.attr("name", c.Input)
	h.attr("type", c.Type)
	h.attr("value", c.Value)
	if c.Mode == "decimal" {
		h.attr("inputmode", "decimal")
	}
	h.attr("autocomplete", "off")
	h.attr("maxlength", strconv.Itoa(c.Max))
	if c.Suggest != "" {
		h.attr("list", "list-"+c.ID)
		h.attr("hx-get", c.Suggest)
		h.attr("hx-params", c.Input)
		h.attr("hx-trigger", "input changed delay:150ms")
		h.attr("hx-target", "#list-"+c.ID)
		h.attr("hx-swap", "innerHTML")
	}
	c.common(h)
	h.WriteString(">")
	if c.Unit != "" {
		h.WriteString(`<span class="unit">`)
		h.text(c.Unit)
		h.WriteString("</span>")
	}
	h.WriteString("</span>")
	if c.Suggest != "" {
		h.WriteString("<datalist")
		h.attr("id", "list-"+c.ID)
		h.WriteString("></datalist>")
	}
}

// gradedParts are what of a shoe is graded from 0, as new, to 4, worn out.
var gradedParts = [][2]string{{"tread", "Outsole wear"}, {"bounce", "Cushioning lost (press test)"}, {"upper", "Upper torn or stretched"},
	{"evenness", "Uneven wear"}}

// grades are the parts of a side's shoe with their grades to choose from: the same in every form of a page.
var grades = sync.OnceValue(func() map[string]template.HTML {
	out := map[string]template.HTML{}
	for _, side := range []string{"left", "right"} {
		var h html
		for _, p := range gradedParts {
			h.WriteString(`<div class="gradeline"><span class="partname">` + p[1] + `</span><span class="grades" role="radiogroup"`)
			h.attr("aria-label", p[0]+", "+side)
			h.WriteString(">")
			for grade := range 5 {
				h.WriteString(`<label class="grade"><input type="radio"`)
				h.attr("name", "look_"+p[0]+"."+side)
				h.attr("value", strconv.Itoa(grade))
				h.WriteString("><span>" + strconv.Itoa(grade) + "</span></label>")
			}
			h.WriteString("</span></div>\n")
		}
		out[side] = h.done()
	}
	return out
})

// Rows are the rows of a table of plain text, the first cell of each its head, the last one long.
func Rows(cells [][]string) template.HTML {
	var h html
	for _, row := range cells {
		h.WriteString("<tr>")
		for i, cell := range row {
			switch {
			case i == 0:
				h.WriteString(`<th scope="row">`)
			case i == len(row)-1:
				h.WriteString(`<td class="long">`)
			default:
				h.WriteString("<td>")
			}
			h.text(cell)
			if i == 0 {
				h.WriteString("</th>")
			} else {
				h.WriteString("</td>")
			}
		}
		h.WriteString("</tr>")
	}
	return h.done()
}
