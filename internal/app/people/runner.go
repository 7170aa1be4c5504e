package people

import (
	"context"
	"strconv"
	"strings"
	"unicode/utf8"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// FoundRunner is a runner in a search.
type FoundRunner struct {
	record.Runner
	Fits, Pairs int64
}

// SearchRunners finds the shop's runners whose name holds the words, at most 60.
func (p *People) SearchRunners(ctx context.Context, who app.Actor, words string) ([]FoundRunner, error) {
	words = strings.TrimSpace(words)
	if utf8.RuneCountInString(words) > 120 || !utf8.ValidString(words) {
		return nil, fault.List{{Field: "q", Text: "is too long; allowed is up to 120 letters"}}
	}
	like := "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(words) + "%"
	rows, err := p.Store.SearchRunners(ctx, db.SearchRunnersParams{ShopID: who.ShopID, Name: like, Limit: 60})
	out := make([]FoundRunner, len(rows))
	for i, r := range rows {
		out[i] = FoundRunner{record.Runner{ID: r.ID, Name: r.Name, Contact: r.Contact, Chart: term.Chart(r.Chart)}, r.Fits, r.Pairs}
	}
	return out, err
}

// Runner is one of the shop's runners by name alone; load.Runner reads all of one.
func (p *People) Runner(ctx context.Context, who app.Actor, id uint64) (record.Runner, error) {
	return runner(ctx, p.Store.Queries, who, id)
}

func runner(ctx context.Context, q *db.Queries, who app.Actor, id uint64) (record.Runner, error) {
	r, err := q.RunnerByID(ctx, db.RunnerByIDParams{ID: id, ShopID: who.ShopID})
	out := record.Runner{ID: r.ID, Name: r.Name, Contact: r.Contact, Chart: term.Chart(r.Chart)}
	if r.PracticeSeed.Valid {
		seed := uint64(r.PracticeSeed.Int64)
		out.Practice = &seed
	}
	return out, app.Found(err)
}

// AddRunner puts a runner down who has no fit yet. It fails with a fault.List.
func (p *People) AddRunner(ctx context.Context, who app.Actor, r record.Runner) (uint64, error) {
	if err := r.Check(); err != nil {
		return 0, err
	}
	result, err := p.Once(ctx, who, func(q *db.Queries) (string, error) {
		id, err := q.AddRunner(ctx, db.AddRunnerParams{ShopID: who.ShopID, Name: r.Name, Contact: r.Contact, Chart: string(r.Chart),
			MadeBy: who.UserID, MadeAt: p.Now()})
		return strconv.FormatInt(id, 10), err
	})
	if err != nil {
		return 0, err
	}
	return strconv.ParseUint(result, 10, 64)
}

// ChangeRunner corrects a runner's name, contact and usual chart. It fails with a fault.List.
func (p *People) ChangeRunner(ctx context.Context, who app.Actor, r record.Runner) error {
	if err := r.Check(); err != nil {
		return err
	}
	return p.DoOf(ctx, who, r.ID, func(q *db.Queries) error {
		return q.UpdateRunner(ctx, db.UpdateRunnerParams{Name: r.Name, Contact: r.Contact, Chart: string(r.Chart), ID: r.ID, ShopID: who.ShopID})
	})
}

// RunnerFields are those of the form of a runner's own line.
var RunnerFields = []form.Field{
	{Name: "name", Label: "Name", Kind: form.Text, Max: 120},
	{Name: "contact", Label: "Contact", Kind: form.Text, Max: 200},
	{Name: "chart", Label: "Usual chart", Kind: form.Choice, Choices: form.Words(term.Charts)},
}
