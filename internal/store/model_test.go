package store_test

import (
	"database/sql"
	"flag"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"trevik/internal/store/storetest"
)

var update = flag.Bool("update", false, "draw the data model anew")

const modelFile = "../../docs/data-model.svg"

// entity is a table of the picture: its columns in lines, those that point at another table first.
type entity struct {
	name  string
	lines []string
}

// entities reads the tables as the database has them.
func entities(t *testing.T, d *sql.DB) []entity {
	t.Helper()
	rows, err := d.Query(`SELECT c.TABLE_NAME, c.COLUMN_NAME,
			COALESCE(MIN(IF(k.REFERENCED_COLUMN_NAME = 'id', k.REFERENCED_TABLE_NAME, NULL)), '')
		FROM information_schema.COLUMNS c LEFT JOIN information_schema.KEY_COLUMN_USAGE k ON k.TABLE_SCHEMA = c.TABLE_SCHEMA
			AND k.TABLE_NAME = c.TABLE_NAME AND k.COLUMN_NAME = c.COLUMN_NAME AND k.REFERENCED_TABLE_NAME IS NOT NULL
		WHERE c.TABLE_SCHEMA = DATABASE() AND c.TABLE_NAME <> 'goose_db_version'
		GROUP BY c.TABLE_NAME, c.COLUMN_NAME, c.ORDINAL_POSITION ORDER BY c.TABLE_NAME, c.ORDINAL_POSITION`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	var out []entity
	line := ""
	flush := func() {
		if line != "" {
			out[len(out)-1].lines = append(out[len(out)-1].lines, line)
		}
		line = ""
	}
	for rows.Next() {
		var table, column, to string
		if err := rows.Scan(&table, &column, &to); err != nil {
			t.Fatal(err)
		}
		if len(out) == 0 || out[len(out)-1].name != table {
			if len(out) > 0 {
				flush()
			}
			out = append(out, entity{name: table})
		}
		switch {
		case to != "":
			flush()
			line = column + " → " + to
			flush()
		case len(line)+len(column) > 34:
			flush()
			line = column
		case line == "":
			line = column
		default:
			line += ", " + column
		}
	}
	if len(out) > 0 {
		flush()
	}
	return out
}

// draw lays the tables out in columns, each table in the one that is the shortest yet.
func draw(all []entity) string {
	const columns, width, gap, row, head = 5, 240, 20, 16, 26
	var bottom [columns]int
	var b strings.Builder
	slices.SortStableFunc(all, func(x, y entity) int { return len(y.lines) - len(x.lines) })
	for _, e := range all {
		at := slices.Index(bottom[:], slices.Min(bottom[:]))
		x, y, h := gap+at*(width+gap), gap+bottom[at], head+row*len(e.lines)+8
		fmt.Fprintf(&b, `<rect x="%d" y="%d" width="%d" height="%d" fill="#fdfbf4" stroke="#16203a"/>`, x, y, width, h)
		fmt.Fprintf(&b, `<text x="%d" y="%d" font-weight="bold">%s</text><path d="M%d %dh%d" stroke="#16203a"/>`+"\n", x+10, y+18, e.name, x,
			y+head, width)
		for i, l := range e.lines {
			fmt.Fprintf(&b, `<text x="%d" y="%d">%s</text>`+"\n", x+10, y+head+row*(i+1), l)
		}
		bottom[at] += h + gap
	}
	w, h := gap+columns*(width+gap), slices.Max(bottom[:])+gap
	return fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" font-family="sans-serif" font-size="11" fill="#16203a">`+
		`<rect width="%d" height="%d" fill="#f3efe4"/>`+"\n", w, h, w, h) + b.String() + "</svg>\n"
}

// The picture of the data model is that of the schema.
func TestDataModelIsDrawn(t *testing.T) {
	s := storetest.New(t)
	all := entities(t, s.DB)
	if len(all) < 20 {
		t.Fatalf("%d tables", len(all))
	}
	got := draw(all)
	if *update {
		if err := os.WriteFile(modelFile, []byte(got), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	was, err := os.ReadFile(modelFile)
	if err != nil || string(was) != got {
		t.Errorf("%s is of another schema (%v); draw it anew: go test ./internal/store -run TestDataModelIsDrawn -update", modelFile, err)
	}
}
