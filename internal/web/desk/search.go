package desk

import (
	"strings"

	"trevik/internal/app/people"
	"trevik/internal/app/shelf"
	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/record"
	"trevik/internal/web/kit"
)

// mostFound is how many of each kind a search shows.
const mostFound = 12

// foundModel is a model that a search found.
type foundModel struct {
	Model *shoe.Model
	Row   uint64
}

// found is what a search found of each kind.
type found struct {
	Q       string
	Runners []people.FoundRunner
	Models  []foundModel
	Box     *shelf.Boxed // whose barcode was typed
	BoxName string
	More    bool
}

// search finds runners and models by name, and a box by its barcode.
func (d *Desk) search(c *kit.Req) error {
	f := found{Q: strings.TrimSpace(c.Query("q"))}
	if f.Q == "" {
		return d.page(c, "Search", "search", f)
	}
	runners, err := d.App.People.SearchRunners(c.Ctx(), c.Who, f.Q)
	if _, faulty := fault.As(err); err != nil && !faulty {
		return err
	}
	f.Runners, f.More = runners[:min(len(runners), mostFound)], len(runners) > mostFound
	cat, err := d.App.Shelf.Catalogue(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	for i := range cat.Models {
		m := &cat.Models[i]
		if !named(m, f.Q) {
			continue
		}
		if len(f.Models) == mostFound {
			f.More = true
			break
		}
		f.Models = append(f.Models, foundModel{m, cat.RowID(m.ID)})
	}
	box, err := d.App.Shelf.Scan(c.Ctx(), c.Who, f.Q)
	switch _, faulty := fault.As(err); {
	case err == nil:
		f.Box = &box
		if m := cat.ByID(box.Model); m != nil {
			f.BoxName = record.FullName(m)
		}
	case !faulty: // no barcode, or one that stands on no box: nothing is found
		return err
	}
	return d.page(c, "Search", "search", f)
}

// named says whether every word of what was typed begins a word of the model's name.
func named(m *shoe.Model, typed string) bool {
	words := strings.Fields(strings.ToLower(record.FullName(m)))
	for _, w := range strings.Fields(strings.ToLower(typed)) {
		at := false
		for _, x := range words {
			at = at || strings.HasPrefix(x, w)
		}
		if !at {
			return false
		}
	}
	return true
}
