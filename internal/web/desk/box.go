package desk

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/app"
	"trevik/internal/app/shelf"
	"trevik/internal/core/barcode"
	"trevik/internal/core/fault"
	"trevik/internal/core/shoe"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/web/kit"
)

// boxFields are those of the forms about a model's insole and boxes.
var boxFields = slices.Concat(shelf.InsoleFields, shelf.BarcodeFields)

// box puts what is known of a model's insoles and barcodes into its page.
func (d *Desk) box(c *kit.Req, m *shoe.Model, row uint64, sent url.Values, at map[string]string, body map[string]any) error {
	insoles, err := d.App.Shelf.Insoles(c.Ctx(), c.Who, row)
	if err != nil {
		return err
	}
	codes, err := d.App.Shelf.Barcodes(c.Ctx(), c.Who, row)
	if err != nil {
		return err
	}
	offset, sd := m.Offset(nil)
	body["Insoles"], body["Barcodes"], body["Offset"], body["OffsetSD"] = insoles, codes, offset, sd
	body["Inside"], body["Box"] = record.InsideWords(m), kit.Controls(boxFields, c.Who.Units, sent, at)
	var sizes, widths []kit.Option
	for _, s := range m.SizesUK {
		sizes = append(sizes, kit.Option{Value: strconv.FormatFloat(float64(s), 'f', -1, 64), Text: m.Label(s, "")})
	}
	for _, w := range m.Widths {
		widths = append(widths, kit.Option{Value: w, Text: w})
	}
	body["BoxSizes"], body["BoxWidths"] = sizes, widths
	return nil
}

// boxForm is a form about a model's insole or boxes: do saves it.
func (d *Desk) boxForm(c *kit.Req, fields []form.Field, also []string, do func(row uint64, sent url.Values, v kit.Values) error) error {
	cat, m, err := d.findModel(c)
	if err != nil {
		return err
	}
	row := cat.RowID(m.ID)
	sent, v, err := kit.Decode(c, fields, also...)
	if err == nil {
		err = do(row, sent, v)
	}
	if faults, ok := fault.As(err); ok {
		return d.showModel(c, http.StatusUnprocessableEntity, cat, m, nil, sent, faults)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, fmt.Sprintf("/shoes/models/%d#box", row))
}

func (d *Desk) addInsole(c *kit.Req) error {
	return d.boxForm(c, shelf.InsoleFields, nil, func(row uint64, _ url.Values, v kit.Values) error {
		return d.App.Shelf.AddInsole(c.Ctx(), c.Who, row, v["insole_size"].Ptr(), v["insole_mm"].Ptr())
	})
}

func (d *Desk) takeInsoleBack(c *kit.Req) error {
	id, err := kit.RowID(c, "insole")
	if err != nil {
		return err
	}
	return d.boxForm(c, nil, nil, func(uint64, url.Values, kit.Values) error { return d.App.Shelf.TakeInsoleBack(c.Ctx(), c.Who, id) })
}

func (d *Desk) setBarcode(c *kit.Req) error {
	return d.boxForm(c, shelf.BarcodeFields, nil, func(row uint64, _ url.Values, v kit.Values) error {
		return d.App.Shelf.SetBarcode(c.Ctx(), c.Who, row, v["barcode"].Text, v["barcode_size"].Ptr(), v["barcode_width"].Text)
	})
}

func (d *Desk) dropBarcode(c *kit.Req) error {
	return d.boxForm(c, nil, []string{"code"}, func(_ uint64, sent url.Values, _ kit.Values) error {
		code, err := barcode.Read(sent.Get("code"))
		if err != nil {
			return app.ErrNotFound
		}
		return d.App.Shelf.DropBarcode(c.Ctx(), c.Who, code)
	})
}

func (d *Desk) countPage(c *kit.Req) error { return d.showCount(c, http.StatusOK, "", nil, nil) }

func (d *Desk) showCount(c *kit.Req, code int, typed string, list []shelf.Counted, faults fault.List) error {
	var shown []string
	changed := 0
	for _, x := range list {
		shown = append(shown, strconv.Itoa(x.Stock))
		if x.Pairs != x.Stock {
			changed++
		}
	}
	return d.pageWith(c, code, "Count the stock", "count", map[string]any{"Codes": typed, "List": list, "Faults": faults,
		"Shown": strings.Join(shown, ","), "Changed": changed, "Set": c.Query("set") == "yes"}, "")
}

// count adds up the boxes that were scanned and shows them against the list; nothing is changed.
func (d *Desk) count(c *kit.Req) error {
	sent, err := kit.Form(c, kit.Known("codes"))
	var list []shelf.Counted
	if err == nil {
		list, err = d.App.Shelf.CountOf(c.Ctx(), c.Who, sent.Get("codes"))
	}
	if faults, ok := fault.As(err); ok {
		return d.showCount(c, http.StatusUnprocessableEntity, sent.Get("codes"), nil, faults)
	}
	if err != nil {
		return err
	}
	return d.showCount(c, http.StatusOK, sent.Get("codes"), list, nil)
}

// setCount sets the stock to what was counted.
func (d *Desk) setCount(c *kit.Req) error {
	sent, err := kit.Form(c, kit.Known("codes", "shown"))
	var shown []int
	for _, x := range strings.Split(sent.Get("shown"), ",") {
		if n, bad := strconv.Atoi(x); bad == nil {
			shown = append(shown, n)
		}
	}
	if err == nil {
		err = d.App.Shelf.SetCount(c.Ctx(), c.Who, sent.Get("codes"), shown)
	}
	if faults, ok := fault.As(err); ok {
		return d.showCount(c, http.StatusUnprocessableEntity, sent.Get("codes"), nil, faults)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, "/shoes/count?set=yes")
}
