package house

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
)

func TestShippedIsAllowed(t *testing.T) {
	var l fault.List
	Shipped().Check(&l)
	if len(l) > 0 {
		t.Fatal(l)
	}
	names := map[string]bool{}
	for _, line := range Table {
		if names[line.Name] || len(line.Name) > 40 || line.Label == "" || line.Reason == "" || line.Group == "" {
			t.Errorf("%+v", line)
		}
		names[line.Name] = true
	}
}

// The published numbers, from the domain's texts.
func TestShippedNumbers(t *testing.T) {
	v := Shipped()
	for name, want := range map[string]float64{
		"feet.repeat_mm": 3, "feet.ball_share": 0.73, "feet.width_men": 0.381, "feet.width_women": 0.371, "feet.width_youth": 0.385,
		"feet.letter_mm":  4,
		"feet.slim_under": 0.235, "feet.medium_to": 0.265, "feet.stiff_under": 0.012, "feet.flexible_over": 0.035, "gait.neutral_from": 3,
		"gait.mild_from": 9, "gait.marked_from": 12, "gait.severe_from": 15,
		"shoes.inner_allowance_mm": 5, "shoes.max_cushion_mm": 38, "room.race_low": 9, "room.race_high": 13, "room.several_days_high": 29,
		"weight.use": 0.22, "weight.disliked": 0.02,
		"load.trail_on_road": 1.5, "load.walk": 0.6, "load.lifting_km": 8, "wear.fixed_km": 640, "life.daily": 620, "life.race_plated": 280,
		"life.minimal": 800, "life.cross_training": 600,
	} {
		found := false
		for _, line := range Table {
			if line.Name == name {
				found = true
				if line.Of(v) != want {
					t.Errorf("%s is %g, want %g", name, line.Of(v), want)
				}
			}
		}
		if !found {
			t.Errorf("no %s", name)
		}
	}
	sum := 0.0
	for _, w := range v.Weights {
		sum += w
	}
	if math.Abs(sum-1.30) > 1e-9 { // they are scaled to 1
		t.Errorf("weights sum to %g", sum)
	}
	if v.MedianLife(term.Spikes) != 350 || v.MedianLife("slippers") != 0 {
		t.Error("median lives are not by class")
	}
}

// Each line has a place of its own: what is set at one is read at that one alone.
func TestLinesAreApart(t *testing.T) {
	for i, line := range Table {
		v := Shipped()
		line.Set(v, -12345)
		for j, other := range Table {
			if is := other.Of(v) == -12345; is != (i == j) {
				t.Errorf("%s set, %s is %g", line.Name, other.Name, other.Of(v))
			}
		}
		if changed := Changed(Shipped(), v); len(changed) != 1 || !strings.Contains(changed[0], line.Label) {
			t.Errorf("%s: changed %q", line.Name, changed)
		}
	}
}

func TestCheckNamesTheField(t *testing.T) {
	for _, c := range []struct {
		change func(*Values)
		field  string
	}{
		{func(v *Values) { v.RepeatMM = math.NaN() }, "feet.repeat_mm"},
		{func(v *Values) { v.BallShare = 0.2 }, "feet.ball_share"},
		{func(v *Values) { v.Bands[1] = 2 }, "gait.mild_from"},
		{func(v *Values) { v.Finger = Window{15, 15} }, "room.finger_high"},
		{func(v *Values) { v.Weights = [13]float64{} }, "weight.use"},
	} {
		v := Shipped()
		c.change(v)
		var l fault.List
		v.Check(&l)
		if len(l) == 0 || l[0].Field != c.field {
			t.Errorf("%s: %v", c.field, l)
		}
	}
}

func TestFile(t *testing.T) {
	v := Shipped()
	v.RepeatMM, v.Life[0] = 2.5, 700
	data, err := v.Write()
	if err != nil {
		t.Fatal(err)
	}
	back, err := Read(data)
	if err != nil || *back != *v {
		t.Fatalf("%v: %+v", err, back)
	}
	for text, field := range map[string]string{
		`{"schema":"trevik.house/v2","values":{}}`:                         "schema",
		`{"schema":"trevik.house/v1","values":{"feet.toes":1}}`:            "values.feet.toes",
		`{"schema":"trevik.house/v1","values":{"feet.repeat_mm":99}}`:      "values.feet.repeat_mm",
		`{"schema":"trevik.house/v1","values":{},"more":1}`:                "more",
		`{"schema":"trevik.house/v1","values":{"gait.severe_from":1}}`:     "values.gait.severe_from",
		`{"schema":"trevik.house/v1","values":{"feet.repeat_mm":"three"}}`: "values.feet.repeat_mm",
	} {
		_, err := Read([]byte(text))
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%s: %v", text, err)
		}
	}
}

func FuzzRead(f *testing.F) {
	data, _ := Shipped().Write()
	f.Add(data)
	f.Add([]byte(`{"schema":"trevik.house/v1","values":{"feet.repeat_mm":1e308}}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		v, err := Read(data)
		if err != nil {
			if _, ok := fault.As(err); !ok {
				t.Fatalf("%v is no list of faults", err)
			}
			return
		}
		again, err := v.Write()
		if err != nil {
			t.Fatal(err)
		}
		back, err := Read(again)
		if err != nil || *back != *v {
			t.Fatalf("%v: not the same after writing: %s", err, bytes.TrimSpace(again))
		}
	})
}
