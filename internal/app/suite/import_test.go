package suite_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"trevik/internal/app"
	"trevik/internal/app/shelf"
	"trevik/internal/app/wardrobe"
	"trevik/internal/catalogue"
	"trevik/internal/core/shoe"
)

// looked is an import as it stands.
func (b *bench) looked(t testing.TB, who app.Actor, data []byte) *shelf.Import {
	t.Helper()
	id, err := b.Shelf.Read(context.Background(), who, "models.csv", data)
	must(t, err)
	in, err := b.Shelf.Import(context.Background(), who, id)
	must(t, err)
	return in
}

// applied puts the person's import in and waits until it is.
func (b *bench) applied(t testing.TB, who app.Actor, in *shelf.Import) {
	t.Helper()
	must(t, b.Shelf.Apply(context.Background(), who, in.Upload.ID))
	b.settled(t)
	now, err := b.Shelf.Import(context.Background(), who, in.Upload.ID)
	must(t, err)
	if !now.Ended() {
		t.Fatalf("%+v", now.Job)
	}
}

// A file is looked at row by row and changes nothing until it is put in, whole; what it
// does not name, and a shelf that it does not tell of, stays.
func TestImport(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	before, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	var file bytes.Buffer
	must(t, b.Shelf.Export(ctx, b.fitter, "csv", &file))
	in := b.looked(t, b.fitter, file.Bytes())
	if in.New != 0 || in.Changed != 0 || in.Same != len(before.Models) {
		t.Errorf("what was exported would change %d and add %d", in.Changed, in.New)
	}
	models := make([]shoe.Model, 0, 3)
	m := before.Models[0]
	m.WeightG, m.Stock = m.WeightG+7, nil
	fresh := before.Models[1]
	fresh.ID, fresh.Replaces, fresh.Change, fresh.Notes = "brand-new", before.Models[1].ID, "upper", "=1+1"
	models = append(models, m, fresh, before.Models[2])
	file.Reset()
	must(t, catalogue.WriteJSON(&file, models))
	in = b.looked(t, b.fitter, file.Bytes())
	if in.New != 1 || in.Changed != 1 || in.Same != 1 || strings.Join(in.Rows[0].Columns, " ") != "weight_g" {
		t.Errorf("%+v", in.Rows)
	}
	if now, _ := b.Shelf.Catalogue(ctx, b.fitter); now.ByCode("brand-new") != nil {
		t.Error("looking at it put it in")
	}
	if other, err := b.Shelf.Latest(ctx, b.owner); err != nil || other != nil {
		t.Error("another person has it, too")
	}
	b.applied(t, b.fitter, in)
	after, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	got := after.ByCode(m.ID)
	if len(after.Models) != len(before.Models)+1 || got.WeightG != m.WeightG || fmt.Sprint(got.Stock) != fmt.Sprint(before.Models[0].Stock) ||
		after.ByCode("brand-new").Notes != "=1+1" {
		t.Errorf("%+v", got)
	}
	if changed := catalogue.Changed(&before.Models[3], after.ByCode(before.Models[3].ID)); len(changed) > 0 {
		t.Errorf("what the file does not name changed in %v", changed)
	}
	if line := after.Line(before.Models[1].ID); line[len(line)-1].ID != "brand-new" {
		t.Errorf("its line of versions ends at %s", line[len(line)-1].ID)
	}
	if other, _ := b.Shelf.Catalogue(ctx, b.other); other.ByCode("brand-new") != nil {
		t.Error("another shop has it")
	}
	must(t, b.Shelf.Drop(ctx, b.fitter, in.Upload.ID))
	if left, err := b.Shelf.Import(ctx, b.fitter, in.Upload.ID); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("it was let go and is still there: %+v", left)
	}
}

// One wrong row keeps all of a file out.
func TestImportIsAllOrNothing(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	c, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	good, bad := c.Models[0], c.Models[1]
	good.WeightG, bad.StackHeelMM = 199, 900
	var file bytes.Buffer
	must(t, catalogue.WriteCSV(&file, []shoe.Model{good, bad}))
	_, err = b.Shelf.Read(ctx, b.fitter, "models.csv", file.Bytes())
	faultAt(t, err, "row 3, stack_heel_mm", "allowed is")
	faultAt(t, b.Shelf.Apply(ctx, b.fitter, 1), "file", "is missing")
	if _, err := b.Shelf.Read(ctx, b.trainee, "models.csv", file.Bytes()); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a trainee: %v", err)
	}
	now, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	if now.ByCode(good.ID).WeightG == 199 {
		t.Error("half of it is in")
	}
}

// A model is changed by its columns, and a new one gets an id of its own.
func TestSaveModel(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	c, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	m := c.Models[0]
	cells := map[string]string{}
	for _, cell := range catalogue.Cells(&m) {
		cells[cell.Name] = cell.Value
	}
	cells["weight_g"], cells["id"], cells[shelf.StockShown] = "222", "another id", cells["stock"]
	code, err := b.Shelf.Save(ctx, b.fitter, m.ID, cells)
	must(t, err)
	now, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	if code != m.ID || now.ByCode(m.ID).WeightG != 222 || len(now.Models) != len(c.Models) {
		t.Errorf("%s %+v", code, now.ByCode(m.ID))
	}
	// Its maker's label chart, for all of its models of that chart.
	cells["label_us_over_uk"], cells["label_eu_shift"], cells[shelf.MakersLabels] = "1.5", "0.5", "yes"
	_, err = b.Shelf.Save(ctx, b.fitter, m.ID, cells)
	must(t, err)
	now, err = b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	for _, o := range now.Models {
		if same := o.LabelChart != nil && o.LabelChart.USOverUK == 1.5; same != (o.Maker == m.Maker && o.Chart == m.Chart) {
			t.Errorf("%s: label chart %+v", o.ID, o.LabelChart)
		}
	}
	delete(cells, shelf.MakersLabels)
	cells["weight_g"], cells["id"] = "9", "fresh-one"
	_, err = b.Shelf.Save(ctx, b.fitter, "", cells)
	faultAt(t, err, "weight_g", "allowed is 50")
	cells["weight_g"], cells["id"] = "230", m.ID
	_, err = b.Shelf.Save(ctx, b.fitter, "", cells)
	faultAt(t, err, "id", "is taken")
	if _, err := b.Shelf.Save(ctx, b.trainee, m.ID, cells); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a trainee: %v", err)
	}
}

// The catalogue is brought up to date by what changed, and is shared while nothing does.
func TestCatalogueFollowsChanges(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	one, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	if two, _ := b.Shelf.Catalogue(ctx, b.owner); two != one {
		t.Error("it is loaded anew though nothing changed")
	}
	fit := b.ready(t)
	answer, _, err := b.load(t, fit).Match()
	must(t, err)
	r := answer.Ranked[0]
	for _, x := range answer.Ranked {
		if x.Size.Stock > 0 {
			r = x
			break
		}
	}
	_, err = b.Wardrobe.Choose(ctx, b.fitter, fit, wardrobe.Sale{Model: r.Model})
	must(t, err)
	three, err := b.Shelf.Catalogue(ctx, b.fitter)
	must(t, err)
	if three == one || three.ByCode(r.Model).StockOf(r.Size.Figure, r.Size.Width) != r.Size.Stock-1 ||
		one.ByCode(r.Model).StockOf(r.Size.Figure, r.Size.Width) != r.Size.Stock {
		t.Error("the shelf does not follow a sale, or what was loaded before changed under its reader")
	}
	if len(three.Models) != len(one.Models) || three.RowID(r.Model) != one.RowID(r.Model) {
		t.Error("models were lost on the way")
	}
}

func BenchmarkImport20000(b *testing.B) {
	bench := newBench(b)
	ctx := context.Background()
	c, err := bench.Shelf.Catalogue(ctx, bench.fitter)
	if err != nil {
		b.Fatal(err)
	}
	list := make([]shoe.Model, 20000)
	for i := range list {
		m := c.Models[i%len(c.Models)]
		m.ID, m.Replaces, m.Change = fmt.Sprintf("m%d", i), "", ""
		list[i] = m
	}
	var file bytes.Buffer
	if err := catalogue.WriteCSV(&file, list); err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		in := bench.looked(b, bench.fitter, file.Bytes())
		bench.applied(b, bench.fitter, in)
		must(b, bench.Shelf.Drop(ctx, bench.fitter, in.Upload.ID))
	}
}
