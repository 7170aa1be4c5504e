package lessons

import (
	"cmp"
	"context"
	"slices"

	"trevik/internal/app"
	"trevik/internal/core/support"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// FewRunners is how many runners have to have told something before it is shown of a model: fewer could be named by it.
const FewRunners = 5

// Recurs is what recurs in a model: that it rubs at a place, or runs short or long, by how many of its runners told it; and of the
// version before it, where enough told of that.
type Recurs struct {
	Model  string
	What   string
	Told   int // runners
	Of     int
	Before *Recurs
}

// Cured says of a model whether less of its runners told it than of the version before, by a third at least; empty where that is
// not known.
func (r Recurs) Cured() string {
	if r.Before == nil || r.Before.Of == 0 || r.Of == 0 {
		return ""
	}
	now, was := float64(r.Told)/float64(r.Of), float64(r.Before.Told)/float64(r.Before.Of)
	switch {
	case now <= was*2/3:
		return "better than the version before"
	case was <= now*2/3:
		return "worse than the version before"
	}
	return "as the version before"
}

// Recurring lists what recurs in the shop's models, what most of its runners told first: of FewRunners and more of each.
func (l *Lessons) Recurring(ctx context.Context, who app.Actor) ([]Recurs, error) {
	rubs, err := l.Store.RubsRecur(ctx, who.ShopID)
	if err != nil {
		return nil, err
	}
	all, err := l.Store.RunnersOfModels(ctx, who.ShopID)
	if err != nil {
		return nil, err
	}
	toes, err := l.Store.ToesTold(ctx, db.ToesToldParams{ShopID: who.ShopID, Name: record.TryRoom.Name})
	if err != nil {
		return nil, err
	}
	cat, err := l.Shelf.Catalogue(ctx, who)
	if err != nil {
		return nil, err
	}
	type key struct {
		model uint64
		what  string
	}
	told, of := map[key]int{}, map[key]int{} // of is by 'rubs' and 'runs'
	for _, r := range all {
		of[key{r.ModelID, "rubs"}] = int(r.Runners)
	}
	for _, r := range rubs {
		told[key{r.ModelID, "rubs at the " + support.Words(r.What)}] = int(r.Runners)
	}
	for _, r := range toes {
		id := uint64(r.ModelID.Int64)
		of[key{id, "runs"}] += int(r.Runners)
		if r.What.String != "right" {
			told[key{id, "runs " + r.What.String}] = int(r.Runners)
		}
	}
	at := func(model uint64, what string) Recurs {
		return Recurs{What: what, Told: told[key{model, what}], Of: of[key{model, what[:4]}]}
	}
	var out []Recurs
	for k, n := range told {
		m := cat.ByID(k.model)
		if m == nil || n < FewRunners {
			continue
		}
		r := at(k.model, k.what)
		r.Model = record.FullName(m)
		if before := cat.ByCode(m.Replaces); before != nil {
			if b := at(cat.RowID(before.ID), k.what); b.Of >= FewRunners && (b.Told == 0 || b.Told >= FewRunners) {
				b.Model = record.FullName(before)
				r.Before = &b
			}
		}
		out = append(out, r)
	}
	slices.SortFunc(out, func(a, b Recurs) int {
		return cmp.Or(cmp.Compare(b.Told*a.Of, a.Told*b.Of), cmp.Compare(a.Model, b.Model), cmp.Compare(a.What, b.What))
	})
	return out, nil
}
