package record

import (
	"cmp"
	"slices"
	"strings"

	"trevik/internal/core/shoe"
)

// Catalogue is the shop's models: those that it sells, and those that runners brought along.
type Catalogue struct {
	Models []shoe.Model // that are sold
	all    []shoe.Model // Models first; ids run beside them
	ids    []uint64
	byRow  map[uint64]int
	byCode map[string]int
	// Revision is the number of the last change that it holds.
	Revision int64
}

// ByCode finds a model by its id in the catalogue, nil when there is none.
func (c *Catalogue) ByCode(code string) *shoe.Model {
	if i, ok := c.byCode[code]; ok {
		return &c.all[i]
	}
	return nil
}

// ByID finds a model by its row, nil when there is none.
func (c *Catalogue) ByID(row uint64) *shoe.Model {
	if i, ok := c.byRow[row]; ok {
		return &c.all[i]
	}
	return nil
}

// FullName names a model with its chart, as it is typed and found.
func FullName(m *shoe.Model) string { return ModelName(m) + ", " + string(m.Chart) }

// Find gives the model of a code, or of a name as it is written on the page, with its chart
// where the name is of two; nil where there is none or it is not told which.
func (c *Catalogue) Find(typed string) *shoe.Model {
	typed = strings.TrimSpace(typed)
	if m := c.ByCode(typed); m != nil || typed == "" {
		return m
	}
	var named *shoe.Model
	count := 0
	for i := range c.all { // what another runner brought along is found, too
		m := &c.all[i]
		if strings.EqualFold(FullName(m), typed) {
			return m
		}
		if strings.EqualFold(ModelName(m), typed) {
			named = m
			count++
		}
	}
	if count != 1 {
		return nil
	}
	return named
}

// Names are up to so many models' labels that hold every word that was typed.
func (c *Catalogue) Names(typed string, most int) []string {
	words := strings.Fields(strings.ToLower(typed))
	var out []string
	for i := range c.Models {
		if len(out) == most || len(words) == 0 {
			break
		}
		label := FullName(&c.Models[i])
		low := strings.ToLower(label)
		if !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(low, w) }) {
			out = append(out, label)
		}
	}
	return out
}

// RowID is a model's id in the database, by which findings of a model are kept; 0 where
// there is no such model.
func (c *Catalogue) RowID(code string) uint64 {
	if i, ok := c.byCode[code]; ok {
		return c.ids[i]
	}
	return 0
}

// Latest is the newest version of a model's line; the model itself where it has none.
func (c *Catalogue) Latest(m *shoe.Model) *shoe.Model {
	if line := c.Line(m.ID); len(line) > 0 {
		return line[len(line)-1]
	}
	return m
}

// NewCatalogue is an earlier catalogue (nil: none) with the models that changed, by row.
func NewCatalogue(was *Catalogue, changed map[uint64]*shoe.Model) *Catalogue {
	type line struct {
		id uint64
		m  *shoe.Model
	}
	var lines []line
	if was != nil {
		for i, id := range was.ids {
			if changed[id] == nil {
				lines = append(lines, line{id, &was.all[i]})
			}
		}
	}
	for id, m := range changed {
		lines = append(lines, line{id, m})
	}
	sold := func(m *shoe.Model) int {
		if m.Elsewhere() {
			return 1
		}
		return 0
	}
	slices.SortFunc(lines, func(x, y line) int {
		return cmp.Or(cmp.Compare(sold(x.m), sold(y.m)), strings.Compare(x.m.Maker, y.m.Maker), strings.Compare(x.m.Name, y.m.Name),
			cmp.Compare(x.m.Version, y.m.Version), cmp.Compare(x.id, y.id))
	})
	c := &Catalogue{all: make([]shoe.Model, len(lines)), ids: make([]uint64, len(lines)), byRow: make(map[uint64]int, len(lines)),
		byCode: make(map[string]int, len(lines))}
	for i, l := range lines {
		c.all[i], c.ids[i] = *l.m, l.id
		c.byRow[l.id], c.byCode[l.m.ID] = i, i
	}
	n := slices.IndexFunc(c.all, func(m shoe.Model) bool { return m.Elsewhere() })
	if n < 0 {
		n = len(c.all)
	}
	c.Models = c.all[:n:n]
	return c
}

// Replacing is each model's earlier version, by code.
func (c *Catalogue) Replacing() map[string]string {
	out := make(map[string]string, len(c.Models))
	for i := range c.Models {
		out[c.Models[i].ID] = c.Models[i].Replaces
	}
	return out
}

// Line is a model's versions, the earliest first, with what each changed.
func (c *Catalogue) Line(code string) []*shoe.Model {
	var out []*shoe.Model
	for m := c.ByCode(code); m != nil && !slices.Contains(out, m) && len(out) < 40; m = c.ByCode(m.Replaces) {
		out = append([]*shoe.Model{m}, out...)
	}
	for again := true; again && len(out) > 0 && len(out) < 40; {
		again = false
		for i := range c.Models {
			if m := &c.Models[i]; m.Replaces == out[len(out)-1].ID && !slices.Contains(out, m) {
				out, again = append(out, m), true
				break
			}
		}
	}
	return out
}

// Name is a model's name by its code; the code itself where it is gone.
func (c *Catalogue) Name(code string) string {
	if m := c.ByCode(code); m != nil {
		return ModelName(m)
	}
	return code
}
