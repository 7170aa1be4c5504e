package draw

import (
	"reflect"
	"testing"

	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/web/kept"
)

// Whatever of a model changes, its drawing is the one that it would be if none was kept: each field in turn, one after
// the other, on the drawing that was kept for the model before.
func TestKeptShoes(t *testing.T) {
	m := shoe.Model{Name: "Heron", Version: 3, Class: term.Daily, StackHeelMM: 34, StackForefootMM: 25, Rocker: 1, LugDepthMM: 2}
	fresh := func(m shoe.Model) string {
		keptShoes = kept.By[shoeKey]{}
		return string(Shoe(&m, 120))
	}
	v := reflect.ValueOf(&m).Elem()
	changed := 0
	for i := range v.NumField() {
		f := v.Field(i)
		for n := range 3 {
			before := fresh(m)
			was := reflect.New(f.Type()).Elem()
			was.Set(f)
			switch f.Kind() {
			case reflect.String:
				choices := []string{"reinforced", "carbon", string(term.RacePlated), "sculpted", "wide_toe", "medium", "stability"}
				for _, c := range choices[n:] {
					f.SetString(c)
					if kept := string(Shoe(&m, 120)); kept != fresh(m) {
						t.Errorf("%s = %q is drawn as it was before", v.Type().Field(i).Name, c)
					}
				}
			case reflect.Float64:
				f.SetFloat(f.Float() + 1 + float64(n))
			case reflect.Int:
				f.SetInt(f.Int() + 1 + int64(n))
			case reflect.Bool:
				f.SetBool(!f.Bool())
			}
			kept := string(Shoe(&m, 120))
			if kept != fresh(m) {
				t.Errorf("%s: the drawing is as it was before", v.Type().Field(i).Name)
			}
			if kept != before {
				changed++
			}
			f.Set(was)
		}
	}
	if changed < 12 {
		t.Errorf("%d changes showed; the test changes too little", changed)
	}
}

// The room before the toes follows each number that it shows.
func TestKeptRooms(t *testing.T) {
	a, b := 14.0, 11.5
	of := func(change func(s *match.Size, f *foot.Feet)) (match.Size, foot.Feet) {
		left, right := a, b
		s := match.Size{WantedMM: [2]float64{12, 17}, Room: match.Room{Left: &left, Right: &right}}
		f := foot.Feet{Left: foot.Measured{LengthMM: 262, BallMM: 101}, Right: foot.Measured{LengthMM: 265, BallMM: 102}}
		change(&s, &f)
		return s, f
	}
	seen := map[string]string{}
	for name, change := range map[string]func(s *match.Size, f *foot.Feet){
		"as it is":      func(*match.Size, *foot.Feet) {},
		"wanted":        func(s *match.Size, _ *foot.Feet) { s.WantedMM[1] = 19 },
		"less room":     func(s *match.Size, _ *foot.Feet) { *s.Room.Left = 3 },
		"one foot":      func(s *match.Size, _ *foot.Feet) { s.Room.Right = nil },
		"longer":        func(_ *match.Size, f *foot.Feet) { f.Left.LengthMM = 280 },
		"broader":       func(_ *match.Size, f *foot.Feet) { f.Right.BallMM = 115 },
		"another shape": func(_ *match.Size, f *foot.Feet) { f.Right.Shape = term.Shape("square") },
	} {
		s, f := of(change)
		for range 2 {
			got := string(Room(s, f, "standard", units.Metric))
			if want := string(roomOf(s, f, "standard", units.Metric)); got != want {
				t.Errorf("%s: the kept drawing is another one", name)
			}
			for other, is := range seen {
				if other != name && is == got {
					t.Errorf("%s is drawn as %s", name, other)
				}
			}
			seen[name] = got
		}
	}
}
