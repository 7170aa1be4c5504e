package desk

import (
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"trevik/internal/app"
	"trevik/internal/app/shelf"
	"trevik/internal/catalogue"
	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/core/units"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// aPage is how many models a page of the catalogue shows.
const aPage = 60

// modelLine is a model in the list.
type modelLine struct {
	*shoe.Model
	Row     uint64
	OnShelf int
}

// suggestions are how many names a field offers.
const suggestions = 20

// names answers a field that asks for a model with the names that hold what was typed.
func (d *Desk) names(c *kit.Req) error {
	cat, err := d.App.Shelf.Catalogue(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	var out strings.Builder
	for _, name := range cat.Names(c.Query(c.Query("as")), suggestions) {
		fmt.Fprintf(&out, `<option value="%s"></option>`, template.HTMLEscapeString(name))
	}
	return c.Data(http.StatusOK, "text/html; charset=utf-8", []byte(out.String()))
}

func (d *Desk) shoes(c *kit.Req) error {
	cat, err := d.App.Shelf.Catalogue(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	q := strings.TrimSpace(c.Query("q"))
	words := strings.Fields(strings.ToLower(q))
	page := pageOf(c, "page")
	var list []modelLine
	for i := range cat.Models {
		if m := &cat.Models[i]; matches(m, words) {
			l := modelLine{Model: m, Row: cat.RowID(m.ID)}
			for _, s := range m.Stock {
				l.OnShelf += s.Count
			}
			list = append(list, l)
		}
	}
	heads := order(c, list, true, []column[modelLine]{
		{"name", "Name", by(func(l modelLine) string { return record.ModelName(l.Model) })},
		{"price", "Price", size(func(l modelLine) int64 { return l.Price() })},
		{"weight", "Weight", size(func(l modelLine) float64 { return l.WeightG })},
		{"drop", "Drop", size(func(l modelLine) float64 { return l.Drop() })},
		{"shelf", "On the shelf", size(func(l modelLine) int { return l.OnShelf })},
	})
	found := len(list)
	list = list[min((page-1)*aPage, found):min(page*aPage, found)]
	cards, err := cardsOf(c, list)
	if err != nil {
		return err
	}
	return d.page(c, "Shoes", "shoes", map[string]any{"List": cards, "Q": q, "Heads": heads, "Sort": c.Query("sort"), "All": len(cat.Models),
		"Pages": pagerOf(c, "page", found > page*aPage),
		"Of":    (found + aPage - 1) / aPage, "May": c.Who.Role != app.Trainee})
}

var cards kit.Pieces

// card is a model of the list as it is drawn.
type card struct {
	Drawn                               template.HTML
	Row                                 uint64
	Maker, Name                         string
	Version                             int
	What, Purpose, Price, Before, Facts string
}

func cardsOf(c *kit.Req, list []modelLine) (template.HTML, error) {
	var shown []card
	for _, l := range list {
		x := card{Drawn: draw.Shoe(l.Model, cardWidth), Row: l.Row, Maker: l.Maker, Name: l.Name, Version: l.Version, Purpose: l.Purpose,
			What:  fmt.Sprintf("%s · %s · %s · %s", l.Chart, kit.Words(string(l.Surface)), kit.Words(string(l.Class)), kit.Words(string(l.Level))),
			Price: kit.Money(l.Price(), c.Who.Currency),
			Facts: fmt.Sprintf("%s g · drop %s · %d on the shelf", kit.Number(l.WeightG), c.Who.Units.Length(l.Drop()), l.OnShelf)}
		if l.SalePrice != nil {
			x.Before = kit.Money(l.ListPrice, c.Who.Currency)
		}
		shown = append(shown, x)
	}
	return kit.Each(&cards, pages, "modelcard", shown)
}

// cardWidth is how wide a model is drawn in the list, px.
const cardWidth = 210

// matches says whether a model's words hold all that was looked for.
func matches(m *shoe.Model, words []string) bool {
	if len(words) == 0 {
		return true
	}
	text := strings.ToLower(fmt.Sprintf("%s %s %d %s %s %s %s %s", m.Maker, m.Name, m.Version, m.Chart, m.Surface, m.Class, m.Level,
		m.Purpose))
	text += " " + strings.ReplaceAll(text, "_", " ")
	for _, w := range words {
		if !strings.Contains(text, w) {
			return false
		}
	}
	return true
}

func (d *Desk) exportShoes(c *kit.Req) error {
	format := c.DefaultQuery("format", "csv")
	kind, ok := map[string]string{"csv": "text/csv; charset=utf-8", "json": "application/json; charset=utf-8"}[format]
	if !ok {
		return app.ErrNotFound
	}
	c.File("catalogue."+format, kind)
	if err := d.App.Shelf.Export(c.Ctx(), c.Who, format, c.Writer); err != nil {
		d.Log.Error("export broke off", "error", err.Error())
	}
	return nil
}

// firstRows is how many rows of an import a page shows.
const firstRows = 200

func (d *Desk) importPage(c *kit.Req) error { return d.showImport(c, http.StatusOK, nil) }

func (d *Desk) showImport(c *kit.Req, code int, faults fault.List) error {
	body := map[string]any{"Faults": faults, "Max": catalogue.MaxBytes >> 20}
	in, err := d.App.Shelf.Latest(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	if in != nil && faults == nil {
		var shown []shelf.ImportRow
		for _, r := range in.Rows {
			if r.What != shelf.RowSame && len(shown) < firstRows {
				shown = append(shown, r)
			}
		}
		body["Import"], body["Shown"], body["More"] = in, shown, in.New+in.Changed-len(shown)
	}
	return d.pageWith(c, code, "Import", "import", body, "")
}

// readImport reads a file and shows what it would change.
func (d *Desk) readImport(c *kit.Req) error {
	name, data, err := kit.One(c, "file", catalogue.MaxBytes, "is missing; choose a CSV or JSON of models")
	if err == nil {
		_, err = d.App.Shelf.Read(c.Ctx(), c.Who, name, data)
	}
	return d.imported(c, err)
}

// importOf is the import that a form is about.
func importOf(c *kit.Req) (uint64, error) {
	sent, err := kit.Form(c, kit.Known("import"))
	if err != nil {
		return 0, err
	}
	id, err := strconv.ParseUint(sent.Get("import"), 10, 63)
	if err != nil {
		return 0, app.ErrNotFound
	}
	return id, nil
}

func (d *Desk) applyImport(c *kit.Req) error {
	id, err := importOf(c)
	if err == nil {
		err = d.App.Shelf.Apply(c.Ctx(), c.Who, id)
	}
	return d.imported(c, err)
}

func (d *Desk) dropImport(c *kit.Req) error {
	id, err := importOf(c)
	if err == nil {
		err = d.App.Shelf.Drop(c.Ctx(), c.Who, id)
	}
	return d.imported(c, err)
}

// imported shows the import after a step, or what was wrong with it.
func (d *Desk) imported(c *kit.Req, err error) error {
	if faults, ok := fault.As(err); ok {
		return d.showImport(c, http.StatusUnprocessableEntity, faults)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, "/shoes/import")
}

// bar is one of the seven bars of how little shoe a model is.
type bar struct {
	Name  string
	Value float64
	Width string
}

func (d *Desk) model(c *kit.Req) error {
	cat, m, err := d.findModel(c)
	if err != nil {
		return err
	}
	return d.showModel(c, http.StatusOK, cat, m, nil, nil, nil)
}

func (d *Desk) findModel(c *kit.Req) (*record.Catalogue, *shoe.Model, error) {
	id, err := kit.RowID(c, "model")
	if err != nil {
		return nil, nil, err
	}
	cat, err := d.App.Shelf.Catalogue(c.Ctx(), c.Who)
	if err != nil {
		return nil, nil, err
	}
	m := cat.ByID(id)
	if m == nil {
		err = app.ErrNotFound
	}
	return cat, m, err
}

func (d *Desk) newModel(c *kit.Req) error {
	cat, err := d.App.Shelf.Catalogue(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	return d.showModel(c, http.StatusOK, cat, nil, nil, nil, nil)
}

// showModel shows a model with its columns to change; m is nil for a new one. sent is what was sent of its
// columns and could not be kept, boxed of its insole and boxes.
func (d *Desk) showModel(c *kit.Req, code int, cat *record.Catalogue, m *shoe.Model, sent, boxed url.Values, faults fault.List) error {
	who := c.Who
	settings, _, err := d.App.People.Settings(c.Ctx(), who)
	if err != nil {
		return err
	}
	at, rest := kit.Say(c.Who.Units, faults, func(name string) bool { return name != "form" })
	controls := kit.Controls(shelf.ModelFields, units.Metric, sent, at)
	body := map[string]any{"M": m, "May": who.Role != app.Trainee, "Currency": who.Currency, "URL": "/shoes/new"}
	values := map[string]string{}
	title := "A new model"
	if m != nil {
		title = record.ModelName(m)
		body["URL"] = fmt.Sprintf("/shoes/models/%d", cat.RowID(m.ID))
		for _, cell := range catalogue.Cells(m) {
			values[cell.Name] = columnTyped(who.Units, cell.Name, cell.Value)
		}
		var bars []bar
		for _, b := range m.Bars() {
			bars = append(bars, bar{b.Name, units.Round(b.Value, 1), strconv.FormatFloat(20*b.Value, 'f', 1, 64)})
		}
		body["Bars"], body["Bareness"], body["Doubts"] = bars, units.Round(m.Bareness(), 1), m.Doubts(&settings.House)
		rubs, err := d.App.Shelf.RubsOf(c.Ctx(), who, cat.RowID(m.ID))
		if err != nil {
			return err
		}
		body["Rubs"] = rubs
		var line []modelLine
		for _, v := range cat.Line(m.ID) {
			line = append(line, modelLine{Model: v, Row: cat.RowID(v.ID)})
		}
		body["Line"] = line
		if err := d.box(c, m, cat.RowID(m.ID), boxed, at, body); err != nil {
			return err
		}
	}
	var shown []kit.Control
	for _, f := range shelf.ModelFields {
		control := controls[f.Name]
		if sent == nil {
			control = control.Default(values[f.Name])
		}
		control.Label = who.Units.Say(control.Label)
		control.Disabled = who.Role == app.Trainee || f.Name == "id" && m != nil
		shown = append(shown, control)
	}
	body["Controls"], body["StockShown"] = shown, values["stock"]
	if sent != nil {
		body["StockShown"] = sent.Get(shelf.StockShown)
	}
	return d.pageWith(c, code, title, "model", body, rest)
}

// columnTyped is a catalogue's column, which holds mm and km, as a person types it in their units.
func columnTyped(u units.System, name, value string) string {
	v, err := strconv.ParseFloat(value, 64)
	switch {
	case err != nil || u == units.Metric:
		return value
	case strings.HasSuffix(name, "_mm"):
		return strconv.FormatFloat(units.Round(u.FromMM(v), 3), 'f', -1, 64)
	case strings.HasSuffix(name, "_km"):
		return strconv.FormatFloat(units.Round(u.FromKm(v), 1), 'f', -1, 64)
	}
	return value
}

// columnOf is what was typed as the catalogue holds it. What was not touched stays as it was: it is
// not what it comes to when it is rounded.
func columnOf(u units.System, name, typed, was string) string {
	v, ok := form.ParseNumber(typed)
	switch {
	case !ok || u == units.Metric:
		return typed
	case typed == columnTyped(u, name, was):
		return was
	case strings.HasSuffix(name, "_mm"):
		return strconv.FormatFloat(units.Round(u.ToMM(v), 2), 'f', -1, 64)
	case strings.HasSuffix(name, "_km"):
		return strconv.FormatFloat(units.Round(u.ToKm(v), 1), 'f', -1, 64)
	}
	return typed
}

// saveModel writes a model as it was typed.
func (d *Desk) saveModel(c *kit.Req) error {
	var m *shoe.Model
	cat, err := d.App.Shelf.Catalogue(c.Ctx(), c.Who)
	if err == nil && c.Param("model") != "" {
		cat, m, err = d.findModel(c)
	}
	if err != nil {
		return err
	}
	sent, values, err := kit.Decode(c, shelf.ModelFields, shelf.StockShown)
	code := ""
	if err == nil && m != nil && !sent.Has(shelf.StockShown) {
		err = fault.List{{Field: "form", Text: "is out of date; load the page again and send it once more"}}
	}
	if err == nil {
		cells := map[string]string{shelf.StockShown: sent.Get(shelf.StockShown)}
		was, now := "", map[string]string{}
		if m != nil {
			was = m.ID
			for _, cell := range catalogue.Cells(m) {
				now[cell.Name] = cell.Value
			}
		}
		for name, v := range values {
			cells[name] = columnOf(c.Who.Units, name, v.Text, now[name])
		}
		code, err = d.App.Shelf.Save(c.Ctx(), c.Who, was, cells)
	}
	if faults, ok := fault.As(err); ok {
		return d.showModel(c, http.StatusUnprocessableEntity, cat, m, sent, nil, faults)
	}
	if err != nil {
		return err
	}
	if cat, err = d.App.Shelf.Catalogue(c.Ctx(), c.Who); err != nil {
		return err
	}
	return kit.Go(c, fmt.Sprintf("/shoes/models/%d", cat.RowID(code)))
}
