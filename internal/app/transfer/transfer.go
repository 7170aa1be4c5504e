// Package transfer is what leaves a shop and comes into it as a file, and what may not stay:
// export and import, consent, erasing and tidying.
package transfer

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"trevik/internal/app"
	"trevik/internal/app/load"
	"trevik/internal/app/people"
	"trevik/internal/app/prints"
	"trevik/internal/app/shelf"
	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// Transfer is that concern.
type Transfer struct {
	*app.Core
	Shelf  *shelf.Shelf
	Prints *prints.Prints
	People *people.People
	Jobs   *jobs.Queue
}

// New makes the concern; erasing and tidying are done by a queue.
func New(c *app.Core, s *shelf.Shelf, p *prints.Prints, w *people.People, q *jobs.Queue) *Transfer {
	t := &Transfer{c, s, p, w, q}
	q.Register(jobs.Kind{Name: eraseKind, Do: t.erase, Tries: 20})
	q.Register(jobs.Kind{Name: tidyKind, Do: func(ctx context.Context, _ *jobs.Job, _ func(done, total int)) error { return t.Tidy(ctx) },
		Every: tidyEvery})
	return t
}

// ExportSchema of a runner, or of a whole shop, as a file.
const ExportSchema = "trevik.export/v1"

// Exported is a runner or a shop as a file (docs/formats.md): the models that it names, and
// its rows by table.
type Exported struct {
	Schema   string       `json:"schema"`
	Shop     string       `json:"shop"`
	Currency string       `json:"currency"`
	Whole    bool         `json:"whole"` // of the shop
	Models   []shoe.Model `json:"models"`
	Rows     store.Copy   `json:"rows"`
}

// MaxExport is the largest file that is read, in bytes.
const MaxExport = 1 << 30

// Export writes a shop, or one runner of it (runner not 0), as a file. Secrets stay behind:
// passwords, addresses of private pages, sessions; and the frames of films.
func (t *Transfer) Export(ctx context.Context, shop, runner uint64, w io.Writer) error {
	row, err := t.Store.ShopByID(ctx, shop)
	if err != nil {
		return app.Found(err)
	}
	who := app.Actor{ShopID: shop, Shop: row.Name, Currency: row.Currency}
	if runner != 0 {
		if _, err := load.Runner(ctx, t.Store.Queries, who, runner); err != nil {
			return err
		}
	}
	c, err := t.Shelf.Catalogue(ctx, who)
	if err != nil {
		return err
	}
	out := Exported{Schema: ExportSchema, Shop: row.Name, Currency: row.Currency, Whole: runner == 0}
	if out.Rows, err = t.Store.Dump(ctx, shop, runner); err != nil {
		return err
	}
	for name, rows := range out.Rows.Tables {
		for _, r := range rows {
			if err := show(name, r); err != nil {
				return err
			}
		}
	}
	named := namedModels(out.Rows)
	var models []store.Row
	for _, m := range out.Rows.Models {
		code, _ := m["code"].(string)
		id, _ := m["id"].(int64)
		if u, ok := m["id"].(uint64); ok {
			id = int64(u)
		}
		if x := c.ByCode(code); x != nil && (out.Whole || named[uint64(id)]) {
			models = append(models, m)
			out.Models = append(out.Models, *x)
		}
	}
	out.Rows.Models = models
	for _, r := range out.Rows.Tables["recordings"] {
		r["frames_gone"] = true // they do not come along
	}
	e := json.NewEncoder(w)
	e.SetIndent("", " ")
	return e.Encode(out)
}

// namedModels are the rows of models that a copy names.
func namedModels(c store.Copy) map[uint64]bool {
	out := map[uint64]bool{}
	for _, table := range []string{"pairs", "sales"} {
		for _, r := range c.Tables[table] {
			out[idOf(r["model_id"])] = true
		}
	}
	for _, r := range c.Tables["findings"] {
		for _, column := range []string{"model_id", "other_model_id"} {
			if r[column] != nil {
				out[idOf(r[column])] = true
			}
		}
	}
	// What was chosen, and what it was decided on, is named by code.
	return out
}

func idOf(v any) uint64 {
	switch v := v.(type) {
	case int64:
		return uint64(v)
	case uint64:
		return v
	case int32:
		return uint64(v)
	case float64:
		return uint64(v)
	case json.Number:
		n, _ := v.Int64() // what is no whole number names nothing
		return uint64(n)
	}
	return 0
}

// Import reads a file of Export into a shop: all of it, or nothing. Models that the shop lacks
// come along; people are found by what they sign in with, and those that the shop does not have
// are taken to be by, who must be of it. It gives the new runners' ids, and fails with a
// fault.List on a file that is none.
func (t *Transfer) Import(ctx context.Context, by app.Actor, data []byte) ([]uint64, error) {
	if by.Role == app.Trainee || by.ByLink {
		return nil, app.ErrNotAllowed
	}
	in, err := parse(data, by.Currency)
	if err != nil {
		return nil, err
	}
	c, err := t.Shelf.Catalogue(ctx, by)
	if err != nil {
		return nil, err
	}
	var lacking []shoe.Model
	for _, m := range in.Models {
		if c.ByCode(m.ID) == nil {
			lacking = append(lacking, m)
		}
	}
	changes, err := shelf.Changes(lacking)
	if err != nil {
		return nil, err
	}
	var runners []uint64
	err = t.Store.TxBulk(ctx, func(q *db.Queries, tx db.DBTX) error {
		if len(changes) > 0 {
			if err := shelf.Write(ctx, q, tx, by.ShopID, changes, func(int) {}); err != nil {
				return err
			}
		}
		models, err := modelsOf(ctx, q, by, in)
		if err != nil {
			return err
		}
		users, err := usersOf(ctx, q, by, in)
		if err != nil {
			return err
		}
		runners, err = store.Load(ctx, tx, by.ShopID, in.fresh(), users, models, remap(by))
		var faults fault.List
		if err != nil && !errors.As(err, &faults) && !store.IsConflict(err) {
			return bad("cannot be put in, and nothing was: %v", err)
		}
		for _, r := range runners {
			if err == nil {
				err = t.Touch(ctx, q, by, r)
			}
		}
		return err
	})
	return runners, err
}

func bad(format string, args ...any) error {
	return fault.List{{Field: "file", Text: fmt.Sprintf(format, args...)}}
}

// parse reads a file of Export.
func parse(data []byte, currency string) (Exported, error) {
	var in Exported
	if len(data) > MaxExport {
		return in, bad("is larger than %d MiB", MaxExport>>20)
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	d.DisallowUnknownFields()
	if err := d.Decode(&in); err != nil {
		return in, bad("is no export of Trevik: %v", err)
	}
	if in.Schema != ExportSchema {
		return in, bad("has the schema %q; allowed is %q", in.Schema, ExportSchema)
	}
	if in.Currency != currency {
		return in, bad("is in %s; the shop's currency is %s", in.Currency, currency)
	}
	return in, nil
}

// modelsOf are the ids of the file's models in this shop.
func modelsOf(ctx context.Context, q *db.Queries, by app.Actor, in Exported) (map[uint64]uint64, error) {
	rows, err := q.ModelCodes(ctx, by.ShopID)
	if err != nil {
		return nil, err
	}
	byCode := map[string]uint64{}
	for _, r := range rows {
		byCode[r.Code] = r.ID
	}
	out := map[uint64]uint64{}
	for _, m := range in.Rows.Models {
		code, _ := m["code"].(string)
		if id := byCode[code]; id != 0 {
			out[idOf(m["id"])] = id
		}
	}
	return out, nil
}

// usersOf are the ids of the file's people in this shop.
func usersOf(ctx context.Context, q *db.Queries, by app.Actor, in Exported) (map[uint64]uint64, error) {
	people, err := q.UsersOfShop(ctx, by.ShopID)
	if err != nil {
		return nil, err
	}
	out := map[uint64]uint64{}
	for _, u := range in.Rows.Users {
		login, _ := u["login"].(string)
		out[idOf(u["id"])] = by.UserID
		for _, p := range people {
			if p.Login == login {
				out[idOf(u["id"])] = p.ID
			}
		}
	}
	return out, nil
}

// remap changes what of a row names another row without being a plain reference, and refuses
// findings and decisions that Trevik could not read.
func remap(by app.Actor) func(table string, r store.Row, ids map[string]map[uint64]uint64) error {
	return func(table string, r store.Row, ids map[string]map[uint64]uint64) error {
		switch table {
		case "findings":
			if err := remapFinding(r, ids); err != nil {
				return err
			}
		case "decisions":
			if err := remapDecision(r, ids); err != nil {
				return err
			}
		}
		return hide(table, r)
	}
}

func remapFinding(r store.Row, ids map[string]map[uint64]uint64) error {
	if r["name"] == record.CameInPair.Name && r["number_value"] != nil {
		r["number_value"] = float64(ids["pairs"][idOf(r["number_value"])])
	}
	if taken, _ := r["withdrawn"].(json.Number); taken.String() == "1" || r["withdrawn"] == true {
		return nil
	}
	s := record.Stored{Key: load.KeyOf(word(r["name"]), word(r["side"]), int32(idOf(r["repeat_no"])), idOf(r["model_id"]),
		idOf(r["other_model_id"]), word(r["run_kind"]), word(r["ground"])), Text: word(r["text_value"])}
	if n, ok := figure(r["number_value"]); ok {
		s.Number = &n
	}
	return record.CheckStored(s)
}

func remapDecision(r store.Row, ids map[string]map[uint64]uint64) error {
	var basis map[string]json.RawMessage
	if err := json.Unmarshal([]byte(word(r["basis"])), &basis); err != nil {
		return fmt.Errorf("its basis is no JSON: %w", err)
	}
	if basis["pair_id"] != nil {
		var was uint64
		if err := json.Unmarshal(basis["pair_id"], &was); err != nil {
			return fmt.Errorf("its basis names no pair: %w", err)
		}
		basis["pair_id"] = fmt.Appendf(nil, "%d", ids["pairs"][was])
		data, err := json.Marshal(basis)
		if err != nil {
			return err
		}
		r["basis"] = string(data)
	}
	return (&record.Visit{}).Decide(record.Decision{Kind: word(r["kind"]), Value: word(r["value"])}, []byte(word(r["basis"])))
}

func word(v any) string { s, _ := v.(string); return s }

func figure(v any) (float64, bool) {
	switch v := v.(type) {
	case float64:
		return v, true
	case json.Number:
		f, err := v.Float64()
		return f, err == nil
	case int64:
		return float64(v), true
	}
	return 0, false
}

// fresh is the file's rows in today's shape: an earlier Trevik kept a model's id as the number
// of a finding's row, a suitability in its name, and a comparison in its text.
func (e Exported) fresh() store.Copy {
	e.Rows = e.Rows.Clone() // a transaction that is tried again begins from the file as it is
	byCode := map[string]any{}
	for _, m := range e.Rows.Models {
		byCode[word(m["code"])] = m["id"]
	}
	for _, r := range e.Rows.Tables["findings"] {
		if _, today := r["model_id"]; today {
			continue
		}
		name := word(r["name"])
		switch rest, suit := strings.CutPrefix(name, "suit_"); {
		case suit:
			at := strings.LastIndex(rest, "_")
			r["name"], r["model_id"], r["repeat_no"] = record.Suitability.Name, r["repeat_no"], 0.0
			r["run_kind"], r["ground"] = rest[:max(at, 0)], rest[at+1:]
			value, why, _ := strings.Cut(word(r["text_value"]), " ")
			if n, err := strconv.ParseFloat(value, 64); err == nil {
				r["number_value"], r["text_value"] = n, why
			}
		case name == record.Compared.Name:
			for sign, better := range map[string]string{">": "left", "<": "right", "=": "even"} {
				if left, right, ok := strings.Cut(word(r["text_value"]), sign); ok {
					r["model_id"], r["other_model_id"], r["text_value"] = byCode[left], byCode[right], better
				}
			}
		case record.OfModel(name):
			r["model_id"], r["repeat_no"] = r["repeat_no"], 0.0
		}
	}
	return e.Rows
}
