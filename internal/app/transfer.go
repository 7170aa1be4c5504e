package app

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/store"
)

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
func (a *App) Export(ctx context.Context, shop, runner uint64, w io.Writer) error {
	row, err := a.store.ShopByID(ctx, shop)
	if err != nil {
		return found(err)
	}
	who := Actor{ShopID: shop, Shop: row.Name, Currency: row.Currency}
	if runner != 0 {
		if _, err := a.Runner(ctx, who, runner); err != nil {
			return err
		}
	}
	c, err := a.Catalogue(ctx, who)
	if err != nil {
		return err
	}
	out := Exported{Schema: ExportSchema, Shop: row.Name, Currency: row.Currency, Whole: runner == 0}
	if out.Rows, err = a.store.Dump(ctx, shop, runner); err != nil {
		return err
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

// byModel says whether a finding's number is a model's row.
func byModel(name string) bool {
	if name == letInField.Name || name == "disliked" || strings.HasPrefix(name, "suit_") {
		return true
	}
	for _, f := range tryOnFields {
		if f.Name == name {
			return f.ByModel
		}
	}
	return false
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
		if name, _ := r["name"].(string); byModel(name) {
			out[idOf(r["repeat_no"])] = true
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

// Import reads a file of Export into a shop: all of it, or nothing. Models that the shop
// lacks come along; people are found by what they sign in with, and those that the shop
// does not have are taken to be by, who must be of it. It gives the new runners' ids, and
// fails with a fault.List on a file that is none.
func (a *App) Import(ctx context.Context, by Actor, data []byte) ([]uint64, error) {
	bad := func(format string, args ...any) error {
		return fault.List{{Field: "file", Text: fmt.Sprintf(format, args...)}}
	}
	if by.Role == Trainee || by.ByLink {
		return nil, ErrNotAllowed
	}
	if len(data) > MaxExport {
		return nil, bad("is larger than %d MiB", MaxExport>>20)
	}
	var in Exported
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	d.DisallowUnknownFields()
	if err := d.Decode(&in); err != nil {
		return nil, bad("is no export of Trevik: %v", err)
	}
	if in.Schema != ExportSchema {
		return nil, bad("has the schema %q; allowed is %q", in.Schema, ExportSchema)
	}
	if in.Currency != by.Currency {
		return nil, bad("is in %s; the shop's currency is %s", in.Currency, by.Currency)
	}
	c, err := a.Catalogue(ctx, by)
	if err != nil {
		return nil, err
	}
	var lacking []shoe.Model
	for _, m := range in.Models {
		if c.ByCode(m.ID) == nil {
			lacking = append(lacking, m)
		}
	}
	if len(lacking) > 0 {
		if err := a.AddModels(ctx, by.ShopID, lacking); err != nil {
			return nil, err
		}
		if c, err = a.Catalogue(ctx, by); err != nil {
			return nil, err
		}
	}
	models := map[uint64]uint64{}
	for _, m := range in.Rows.Models {
		code, _ := m["code"].(string)
		if row := c.rowID(code); c.ByCode(code) != nil {
			models[idOf(m["id"])] = row
		}
	}
	people, err := a.store.UsersOfShop(ctx, by.ShopID)
	if err != nil {
		return nil, err
	}
	users := map[uint64]uint64{}
	for _, u := range in.Rows.Users {
		login, _ := u["login"].(string)
		users[idOf(u["id"])] = by.UserID
		for _, p := range people {
			if p.Login == login {
				users[idOf(u["id"])] = p.ID
			}
		}
	}
	runners, err := a.store.Load(ctx, by.ShopID, in.Rows, users, models, remap)
	if err != nil {
		var l fault.List
		if errors.As(err, &l) {
			return nil, l
		}
		return nil, bad("cannot be put in, and nothing was: %v", err)
	}
	return runners, nil
}

// remap changes what of a row names another row without being a plain reference.
func remap(table string, r store.Row, ids map[string]map[uint64]uint64) error {
	switch table {
	case "findings":
		name, _ := r["name"].(string)
		switch {
		case byModel(name):
			row, ok := ids["models"][idOf(r["repeat_no"])]
			if !ok {
				return fmt.Errorf("names the model of row %v, which the file does not hold", r["repeat_no"])
			}
			r["repeat_no"] = row
		}
	case "decisions":
		text, _ := r["basis"].(string)
		var basis map[string]json.RawMessage
		if json.Unmarshal([]byte(text), &basis) == nil && basis["pair_id"] != nil {
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
	}
	if table == "findings" && r["name"] == ownPairField.Name && r["number_value"] != nil {
		r["number_value"] = ids["pairs"][idOf(r["number_value"])]
	}
	return nil
}

// Erase deletes everything of a runner; that their pairs were sold stays, without them.
// Only an owner may.
func (a *App) Erase(ctx context.Context, who Actor, runnerID uint64) error {
	if who.Role != Owner {
		return ErrNotAllowed
	}
	there, err := a.store.Erase(ctx, who.ShopID, runnerID)
	if err == nil && !there {
		return ErrNotFound
	}
	return err
}

// ActorNamed is the person who signs in so.
func (a *App) ActorNamed(ctx context.Context, login string) (Actor, error) {
	row, err := a.store.UserByLogin(ctx, normalLogin(login))
	if err != nil {
		return Actor{}, found(err)
	}
	return a.Actor(ctx, row.ID)
}
