package kit

import (
	"html/template"
	"reflect"
	"strings"
	"testing"
)

type piece struct {
	Text  string
	N     int
	ID    uint64
	On    bool
	KM    float64
	Lines []string
	Of    *struct{ A, B string }
	Drawn template.HTML
}

// Whatever of a piece changes, it is the one that its template writes of it, however often it is asked for.
func TestPieces(t *testing.T) {
	tmpl := template.Must(template.New("p").Parse(`{{define "p"}}{{.Text}}|{{.N}}|{{.ID}}|{{.On}}|{{.KM}}|{{range .Lines}}[{{.}}]{{end}}|` +
		`{{with .Of}}{{.A}}:{{.B}}{{end}}|{{.Drawn}}{{end}}{{define "q"}}q{{.Text}}{{end}}`))
	ab := func(a, b string) *struct{ A, B string } { return &struct{ A, B string }{a, b} }
	var pieces Pieces
	seen := map[string]piece{}
	for range 2 {
		for _, p := range []piece{{}, {Text: "a"}, {Text: "<a>"}, {N: 1}, {N: -1}, {N: 64}, {ID: 1}, {On: true}, {KM: 0.5}, {KM: -0.5},
			{Lines: []string{""}}, {Lines: []string{"", ""}}, {Lines: []string{"ab"}}, {Lines: []string{"a", "b"}},
			{Text: "a", Lines: []string{"b"}}, {Of: ab("", "")}, {Of: ab("ab", "")}, {Of: ab("a", "b")}, {Of: ab("", "ab")}, {Drawn: "<a>"}} {
			var want strings.Builder
			if err := tmpl.ExecuteTemplate(&want, "p", p); err != nil {
				t.Fatal(err)
			}
			got, err := pieces.Of(tmpl, "p", p)
			if err != nil || string(got) != want.String() {
				t.Errorf("%+v: %q, %v; want %q", p, got, err, want.String())
			}
			if other, there := seen[want.String()]; there && !reflect.DeepEqual(other, p) {
				t.Fatalf("the test tells %+v and %+v not apart", p, other)
			}
			seen[want.String()] = p
		}
	}
	if got, err := pieces.Of(tmpl, "q", piece{Text: "a"}); err != nil || got != "qa" {
		t.Errorf("another template: %q, %v", got, err)
	}
	if _, err := pieces.Of(tmpl, "p", struct{ Text string }{"no more"}); err == nil {
		t.Error("a template that fails gives no error")
	}
}

// What hides something, or cannot be told apart, is no key.
func TestPiecesHide(t *testing.T) {
	for _, v := range []any{struct{ hidden int }{1}, struct{ M map[string]string }{}, struct{ F func() }{}} {
		func() {
			defer func() {
				if recover() == nil {
					t.Errorf("%T is taken", v)
				}
			}()
			appendShown(nil, reflect.ValueOf(v))
		}()
	}
}
