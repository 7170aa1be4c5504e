package kit

import (
	"fmt"
	"strconv"

	"trevik/internal/form"
	"trevik/internal/runtable"
)

// ColumnFields are those of a form that says which column of a table holds what.
var ColumnFields = []form.Field{
	{Name: "column_date", Label: "The day is in", Kind: form.Number, Lo: 0, Hi: 200},
	{Name: "column_order", Label: "written as", Kind: form.Choice, Choices: runtable.Orders},
	{Name: "column_distance", Label: "The distance is in", Kind: form.Number, Lo: 0, Hi: 200},
	{Name: "column_unit", Label: "counted in", Kind: form.Choice, Choices: runtable.DistanceUnits},
	{Name: "column_start", Label: "The hour is in", Kind: form.Number, Lo: 0, Hi: 200},
	{Name: "column_time", Label: "The time run is in", Kind: form.Number, Lo: 0, Hi: 200},
	{Name: "column_time_unit", Label: "counted as", Kind: form.Choice, Choices: runtable.TimeUnits},
	{Name: "column_ascent", Label: "The climb (m) is in", Kind: form.Number, Lo: 0, Hi: 200},
	{Name: "column_kind", Label: "The kind is in", Kind: form.Number, Lo: 0, Hi: 200},
	{Name: "column_ground", Label: "The ground is in", Kind: form.Number, Lo: 0, Hi: 200},
}

// ColumnsOf reads that form.
func ColumnsOf(v Values) runtable.Columns {
	n := func(name string) int { return int(v["column_"+name].Number) }
	return runtable.Columns{Date: n("date"), Start: n("start"), Distance: n("distance"), Time: n("time"), Ascent: n("ascent"), Kind: n("kind"),
		Ground: n("ground"), Unit: v["column_unit"].Text, TimeUnit: v["column_time_unit"].Text, Order: v["column_order"].Text}
}

// ColumnChoices are what that form holds for columns, by the field's name without its beginning, and the columns to choose from.
func ColumnChoices(header []string, k runtable.Columns) (map[string]string, []Option) {
	var choices []Option
	for i, name := range header {
		choices = append(choices, Option{Value: strconv.Itoa(i + 1), Text: fmt.Sprintf("%d: %s", i+1, name)})
	}
	num := func(n int) string {
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n)
	}
	return map[string]string{"date": num(k.Date), "start": num(k.Start), "distance": num(k.Distance), "time": num(k.Time),
		"ascent": num(k.Ascent), "kind": num(k.Kind), "ground": num(k.Ground), "unit": k.Unit, "time_unit": k.TimeUnit,
		"order": k.Order}, choices
}
