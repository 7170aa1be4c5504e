package desk

import (
	"errors"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/catalogue"
	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/core/units"
	"trevik/internal/web/kit"
)

// aPage is how many models a page of the catalogue shows.
const aPage = 60

// modelLine is a model in the list.
type modelLine struct {
	*shoe.Model
	Row     int
	OnShelf int
}

// suggestions are how many names a field offers.
const suggestions = 20

// names answers a field that asks for a model with the names that hold what was typed.
func (d *Desk) names(c *gin.Context) {
	cat, err := d.App.Catalogue(c, kit.MustWho(c))
	if err != nil {
		d.Fail(c, err)
		return
	}
	var out strings.Builder
	for _, name := range cat.Names(c.Query(c.Query("as")), suggestions) {
		fmt.Fprintf(&out, `<option value="%s"></option>`, template.HTMLEscapeString(name))
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", []byte(out.String()))
}

func (d *Desk) shoes(c *gin.Context) {
	cat, err := d.App.Catalogue(c, kit.MustWho(c))
	if err != nil {
		d.Fail(c, err)
		return
	}
	q := strings.TrimSpace(c.Query("q"))
	words := strings.Fields(strings.ToLower(q))
	page, _ := strconv.Atoi(c.Query("page")) // what is no number is the first
	page = max(page, 1)
	var list []modelLine
	found := 0
	for i := range cat.Models {
		m := &cat.Models[i]
		if !matches(m, words) {
			continue
		}
		if found++; found <= (page-1)*aPage || found > page*aPage {
			continue
		}
		l := modelLine{Model: m, Row: cat.Row(m.ID)}
		for _, s := range m.Stock {
			l.OnShelf += s.Count
		}
		list = append(list, l)
	}
	d.page(c, "Shoes", "shoes", map[string]any{"List": list, "Q": q, "Found": found, "All": len(cat.Models), "Page": page, "Pages": (found + aPage - 1) / aPage, "Prev": page - 1, "Next": page + 1, "May": kit.MustWho(c).Role != app.Trainee})
}

// matches says whether a model's words hold all that was looked for.
func matches(m *shoe.Model, words []string) bool {
	if len(words) == 0 {
		return true
	}
	text := strings.ToLower(fmt.Sprintf("%s %s %d %s %s %s %s %s", m.Maker, m.Name, m.Version, m.Chart, m.Surface, m.Class, m.Level, m.Purpose))
	text += " " + strings.ReplaceAll(text, "_", " ")
	for _, w := range words {
		if !strings.Contains(text, w) {
			return false
		}
	}
	return true
}

func (d *Desk) exportShoes(c *gin.Context) {
	format := c.DefaultQuery("format", "csv")
	kind, ok := map[string]string{"csv": "text/csv; charset=utf-8", "json": "application/json; charset=utf-8"}[format]
	if !ok {
		d.Fail(c, app.ErrNotFound)
		return
	}
	c.Header("Content-Disposition", fmt.Sprintf(`attachment; filename="catalogue.%s"`, format))
	c.Header("Content-Type", kind)
	if err := d.App.ExportCatalogue(c, kit.MustWho(c), format, c.Writer); err != nil {
		d.Log.Error("export broke off", "error", err.Error())
	}
}

// firstRows is how many rows of an import a page shows.
const firstRows = 200

func (d *Desk) importPage(c *gin.Context) { d.showImport(c, http.StatusOK, nil) }

func (d *Desk) showImport(c *gin.Context, code int, faults fault.List) {
	body := map[string]any{"Faults": faults, "Max": catalogue.MaxBytes >> 20}
	if in := d.App.ImportOf(kit.MustWho(c)); in != nil && faults == nil {
		done, all, working, ended, err := in.Progress()
		rows := in.Rows
		var shown []app.ImportRow
		for _, r := range rows {
			if r.What != app.RowSame && len(shown) < firstRows {
				shown = append(shown, r)
			}
		}
		failed := ""
		if err != nil {
			d.Log.Error("import failed", "error", err.Error())
			failed = "Nothing was put in: the database refused or went away. Try again."
		}
		percent := 100
		if all > 0 {
			percent = 100 * done / all
		}
		body["Import"], body["Shown"], body["More"] = in, shown, in.New+in.Changed-len(shown)
		body["Done"], body["AllRows"], body["Working"], body["Ended"], body["Failed"], body["Percent"] = done, all, working, ended, failed, percent
	}
	d.pageWith(c, code, "Import", "import", body, "")
}

// readImport reads a file and shows what it would change.
func (d *Desk) readImport(c *gin.Context) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, catalogue.MaxBytes+(1<<20))
	file, _, err := c.Request.FormFile("file")
	var tooBig *http.MaxBytesError
	switch {
	case errors.As(err, &tooBig):
		d.showImport(c, http.StatusUnprocessableEntity, fault.List{{Field: "file", Text: fmt.Sprintf("is larger than %d MiB", catalogue.MaxBytes>>20)}})
		return
	case err != nil:
		d.showImport(c, http.StatusUnprocessableEntity, fault.List{{Field: "file", Text: "is missing; choose a CSV or JSON of models"}})
		return
	}
	defer file.Close()
	data, err := io.ReadAll(file)
	if err == nil {
		_, err = d.App.ReadImport(c, kit.MustWho(c), data)
	}
	d.imported(c, err)
}

func (d *Desk) applyImport(c *gin.Context) {
	_, err := kit.Form(c, kit.Known())
	if err == nil {
		err = d.App.ApplyImport(c, kit.MustWho(c))
	}
	d.imported(c, err)
}

// imported shows the import after a step, or what was wrong with it.
func (d *Desk) imported(c *gin.Context, err error) {
	if faults, ok := fault.As(err); ok {
		d.showImport(c, http.StatusUnprocessableEntity, faults)
		return
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, "/shoes/import")
}

func (d *Desk) dropImport(c *gin.Context) {
	if _, err := kit.Form(c, kit.Known()); err != nil {
		d.Fail(c, err)
		return
	}
	d.App.DropImport(kit.MustWho(c))
	kit.Go(c, "/shoes/import")
}

// bar is one of the seven bars of how little shoe a model is.
type bar struct {
	Name  string
	Value float64
	Width string
}

func (d *Desk) model(c *gin.Context) {
	cat, m, err := d.findModel(c)
	if err != nil {
		d.Fail(c, err)
		return
	}
	d.showModel(c, http.StatusOK, cat, m, nil, nil)
}

func (d *Desk) findModel(c *gin.Context) (*app.Catalogue, *shoe.Model, error) {
	id, err := kit.ID(c, "model")
	if err != nil {
		return nil, nil, err
	}
	cat, err := d.App.Catalogue(c, kit.MustWho(c))
	if err != nil {
		return nil, nil, err
	}
	m := cat.ByID(id)
	if m == nil {
		err = app.ErrNotFound
	}
	return cat, m, err
}

func (d *Desk) newModel(c *gin.Context) {
	cat, err := d.App.Catalogue(c, kit.MustWho(c))
	if err != nil {
		d.Fail(c, err)
		return
	}
	d.showModel(c, http.StatusOK, cat, nil, nil, nil)
}

// showModel shows a model with its columns to change; m is nil for a new one.
func (d *Desk) showModel(c *gin.Context, code int, cat *app.Catalogue, m *shoe.Model, form url.Values, faults fault.List) {
	who := kit.MustWho(c)
	settings, _, err := d.App.Settings(c, who)
	if err != nil {
		d.Fail(c, err)
		return
	}
	at, rest := kit.Say(faults, func(name string) bool { return name != "form" })
	controls := kit.Controls(app.ModelFields, units.Metric, form, at)
	body := map[string]any{"M": m, "May": who.Role != app.Trainee, "Currency": who.Currency, "URL": "/shoes/new"}
	values := map[string]string{}
	title := "A new model"
	if m != nil {
		title = app.ModelName(m)
		body["URL"] = fmt.Sprintf("/shoes/models/%d", cat.Row(m.ID))
		for _, cell := range catalogue.Cells(m) {
			values[cell.Name] = cell.Value
		}
		var bars []bar
		for _, b := range m.Bars() {
			bars = append(bars, bar{b.Name, units.Round(b.Value, 1), strconv.FormatFloat(20*b.Value, 'f', 1, 64)})
		}
		body["Bars"], body["Bareness"], body["Doubts"] = bars, units.Round(m.Bareness(), 1), m.Doubts(&settings.House)
		rubs, err := d.App.RubsOfModel(c, who, uint64(cat.Row(m.ID)))
		if err != nil {
			d.Fail(c, err)
			return
		}
		body["Rubs"] = rubs
		var line []modelLine
		for _, v := range cat.Line(m.ID) {
			line = append(line, modelLine{Model: v, Row: cat.Row(v.ID)})
		}
		body["Line"] = line
	}
	var shown []kit.Control
	for _, f := range app.ModelFields {
		control := controls[f.Name]
		if form == nil {
			control = control.Default(values[f.Name])
		}
		control.Disabled = who.Role == app.Trainee || f.Name == "id" && m != nil
		shown = append(shown, control)
	}
	body["Controls"] = shown
	d.pageWith(c, code, title, "model", body, rest)
}

// saveModel writes a model as it was typed.
func (d *Desk) saveModel(c *gin.Context) {
	var m *shoe.Model
	cat, err := d.App.Catalogue(c, kit.MustWho(c))
	if err == nil && c.Param("model") != "" {
		cat, m, err = d.findModel(c)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	form, values, err := kit.Decode(c, app.ModelFields, units.Metric)
	code := ""
	if err == nil {
		cells := map[string]string{}
		for name, v := range values {
			cells[name] = v.Text
		}
		was := ""
		if m != nil {
			was = m.ID
		}
		code, err = d.App.SaveModel(c, kit.MustWho(c), was, cells)
	}
	if faults, ok := fault.As(err); ok {
		d.showModel(c, http.StatusUnprocessableEntity, cat, m, form, faults)
		return
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	if cat, err = d.App.Catalogue(c, kit.MustWho(c)); err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, fmt.Sprintf("/shoes/models/%d", cat.Row(code)))
}
