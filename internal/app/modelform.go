package app

import (
	"strings"

	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"

	"trevik/internal/catalogue"
)

// choicesOf are the columns of a model that hold one of several words.
var choicesOf = map[string][]string{
	"change": shoe.Changes, "chart": texts(term.Charts), "surface": texts(term.Surfaces), "class": texts(term.Classes), "level": texts(term.Levels), "plate": shoe.Plates, "lug_spacing": shoe.LugSpacings,
	"upper": shoe.Uppers, "heel_counter": shoe.HeelCounters, "last_shape": texts(term.LastShapes), "volume": texts(term.Volumes),
	"heel_bevel": {"no", "yes"}, "metal_tips": {"no", "yes"}, "rock_plate": {"no", "yes"}, "toe_bumper": {"no", "yes"}, "liner": {"no", "yes"},
}

// ModelFields are the columns of a model as they are typed on its page; currency is the
// shop's.
var ModelFields = func() []Field {
	var out []Field
	for _, c := range catalogue.Cells(&shoe.Model{}) {
		if c.Name == "currency" {
			continue
		}
		f := Field{Name: c.Name, Label: strings.ToUpper(c.Name[:1]) + support.Words(c.Name[1:]), Kind: Text, Max: 4000}
		if words := choicesOf[c.Name]; words != nil {
			f.Kind, f.Choices = Choice, words
		}
		out = append(out, f)
	}
	return append(out, Field{Name: MakersLabels, Label: "Labels so for all of this maker’s", Kind: Choice, Choices: []string{"no", "yes"}})
}()
