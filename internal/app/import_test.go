package app_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/catalogue"
	"trevik/internal/core/shoe"
)

// applied waits until the person's import has ended.
func (b *bench) applied(t *testing.T, who app.Actor) {
	t.Helper()
	must(t, b.ApplyImport(context.Background(), who))
	for range 600 {
		if _, _, _, ended, err := b.ImportOf(who).Progress(); ended {
			must(t, err)
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Fatal("the import does not end")
}

// A file is looked at row by row and changes nothing until it is put in, whole; what it
// does not name, and a shelf that it does not tell of, stays.
func TestImport(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	before, err := b.Catalogue(ctx, b.fitter)
	must(t, err)
	var file bytes.Buffer
	must(t, b.ExportCatalogue(ctx, b.fitter, "csv", &file))
	in, err := b.ReadImport(ctx, b.fitter, file.Bytes())
	must(t, err)
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
	in, err = b.ReadImport(ctx, b.fitter, file.Bytes())
	must(t, err)
	if in.New != 1 || in.Changed != 1 || in.Same != 1 || strings.Join(in.Rows[0].Columns, " ") != "weight_g" {
		t.Errorf("%+v", in.Rows)
	}
	if now, _ := b.Catalogue(ctx, b.fitter); now.ByCode("brand-new") != nil {
		t.Error("looking at it put it in")
	}
	if b.ImportOf(b.owner) != nil {
		t.Error("another person has it, too")
	}
	b.applied(t, b.fitter)
	after, err := b.Catalogue(ctx, b.fitter)
	must(t, err)
	got := after.ByCode(m.ID)
	if len(after.Models) != len(before.Models)+1 || got.WeightG != m.WeightG || fmt.Sprint(got.Stock) != fmt.Sprint(before.Models[0].Stock) || after.ByCode("brand-new").Notes != "=1+1" {
		t.Errorf("%+v", got)
	}
	if changed := catalogue.Changed(&before.Models[3], after.ByCode(before.Models[3].ID)); len(changed) > 0 {
		t.Errorf("what the file does not name changed in %v", changed)
	}
	if line := after.Line(before.Models[1].ID); line[len(line)-1].ID != "brand-new" {
		t.Errorf("its line of versions ends at %s", line[len(line)-1].ID)
	}
	if other, _ := b.Catalogue(ctx, b.other); other.ByCode("brand-new") != nil {
		t.Error("another shop has it")
	}
	b.DropImport(b.fitter)
	if b.ImportOf(b.fitter) != nil {
		t.Error("it was let go and is still there")
	}
}

// One wrong row keeps all of a file out.
func TestImportIsAllOrNothing(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	c, err := b.Catalogue(ctx, b.fitter)
	must(t, err)
	good, bad := c.Models[0], c.Models[1]
	good.WeightG, bad.StackHeelMM = 199, 900
	var file bytes.Buffer
	must(t, catalogue.WriteCSV(&file, []shoe.Model{good, bad}))
	_, err = b.ReadImport(ctx, b.fitter, file.Bytes())
	faultAt(t, err, "row 3, stack_heel_mm", "allowed is")
	faultAt(t, b.ApplyImport(ctx, b.fitter), "file", "is missing")
	if _, err := b.ReadImport(ctx, b.trainee, file.Bytes()); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a trainee: %v", err)
	}
	now, err := b.Catalogue(ctx, b.fitter)
	must(t, err)
	if now.ByCode(good.ID).WeightG == 199 {
		t.Error("half of it is in")
	}
}

// A model is changed by its columns, and a new one gets an id of its own.
func TestSaveModel(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	c, err := b.Catalogue(ctx, b.fitter)
	must(t, err)
	m := c.Models[0]
	cells := map[string]string{}
	for _, cell := range catalogue.Cells(&m) {
		cells[cell.Name] = cell.Value
	}
	cells["weight_g"], cells["id"] = "222", "another id"
	code, err := b.SaveModel(ctx, b.fitter, m.ID, cells)
	must(t, err)
	now, err := b.Catalogue(ctx, b.fitter)
	must(t, err)
	if code != m.ID || now.ByCode(m.ID).WeightG != 222 || len(now.Models) != len(c.Models) {
		t.Errorf("%s %+v", code, now.ByCode(m.ID))
	}
	// Its maker's label chart, for all of its models of that chart.
	cells["label_us_over_uk"], cells["label_eu_shift"], cells[app.MakersLabels] = "1.5", "0.5", "yes"
	_, err = b.SaveModel(ctx, b.fitter, m.ID, cells)
	must(t, err)
	now, err = b.Catalogue(ctx, b.fitter)
	must(t, err)
	for _, o := range now.Models {
		if same := o.LabelChart != nil && o.LabelChart.USOverUK == 1.5; same != (o.Maker == m.Maker && o.Chart == m.Chart) {
			t.Errorf("%s: label chart %+v", o.ID, o.LabelChart)
		}
	}
	delete(cells, app.MakersLabels)
	cells["weight_g"], cells["id"] = "9", "fresh-one"
	_, err = b.SaveModel(ctx, b.fitter, "", cells)
	faultAt(t, err, "weight_g", "allowed is 50")
	cells["weight_g"], cells["id"] = "230", m.ID
	_, err = b.SaveModel(ctx, b.fitter, "", cells)
	faultAt(t, err, "id", "is taken")
	if _, err := b.SaveModel(ctx, b.trainee, m.ID, cells); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a trainee: %v", err)
	}
}

// The catalogue is brought up to date by what changed, and is shared while nothing does.
func TestCatalogueFollowsChanges(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	one, err := b.Catalogue(ctx, b.fitter)
	must(t, err)
	if two, _ := b.Catalogue(ctx, b.owner); two != one {
		t.Error("it is loaded anew though nothing changed")
	}
	fit := b.ready(t)
	answer, _, err := b.load(t, fit).Match(one)
	must(t, err)
	r := answer.Ranked[0]
	for _, x := range answer.Ranked {
		if x.Size.Stock > 0 {
			r = x
			break
		}
	}
	_, err = b.Choose(ctx, b.fitter, b.token(), fit, app.Sale{Model: r.Model})
	must(t, err)
	three, err := b.Catalogue(ctx, b.fitter)
	must(t, err)
	if three == one || three.ByCode(r.Model).StockOf(r.Size.Figure, r.Size.Width) != r.Size.Stock-1 || one.ByCode(r.Model).StockOf(r.Size.Figure, r.Size.Width) != r.Size.Stock {
		t.Error("the shelf does not follow a sale, or what was loaded before changed under its reader")
	}
	if len(three.Models) != len(one.Models) || three.Row(r.Model) != one.Row(r.Model) {
		t.Error("models were lost on the way")
	}
}

func BenchmarkImport20000(b *testing.B) {
	bench := newBench(b)
	ctx := context.Background()
	c, err := bench.Catalogue(ctx, bench.fitter)
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
		if _, err := bench.ReadImport(ctx, bench.fitter, file.Bytes()); err != nil {
			b.Fatal(err)
		}
		if err := bench.ApplyImport(ctx, bench.fitter); err != nil {
			b.Fatal(err)
		}
		for {
			if _, _, _, ended, err := bench.ImportOf(bench.fitter).Progress(); ended {
				if err != nil {
					b.Fatal(err)
				}
				break
			}
			time.Sleep(5 * time.Millisecond)
		}
		bench.DropImport(bench.fitter)
	}
}
