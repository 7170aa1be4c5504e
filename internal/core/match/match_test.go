package match

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/strict"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

func num(v float64) *float64 { return &v }

func sizes(lo, hi float64) []foot.Figure {
	var out []foot.Figure
	for s := lo; s <= hi; s += 0.5 {
		out = append(out, foot.Figure(s))
	}
	return out
}

func model(id string, change func(*shoe.Model)) shoe.Model {
	m := shoe.Model{ID: id, Maker: "Norrbeck", Name: id, Version: 1, Year: 2026, Chart: term.Men, Surface: term.Road, Class: term.Daily,
		Level:       term.Neutral,
		StackHeelMM: 34, StackForefootMM: 24, WeightG: 260, Softness: 3, Bounce: 3, LastShape: "standard", Volume: "medium",
		Widths: []string{"D"}, SizesUK: sizes(5, 13), ListPrice: 14000, Currency: "EUR"}
	if change != nil {
		change(&m)
	}
	return m
}

func request(models ...shoe.Model) Request {
	level := term.Neutral
	return Request{Schema: RequestSchema, Feet: support.Both[Foot]{Left: &Foot{LengthMM: 262.5, BallMM: num(100), Shape: "round",
		Volume: "medium"}, Right: &Foot{LengthMM: 261, BallMM: num(99), Shape: "round", Volume: "medium"}},
		Chart: term.Men, Sock: "medium", Kinds: []KindShare{{Kind: term.Easy, Ground: term.GroundRoad, Share: 1}}, Surface: term.Road,
		Level:  &level,
		Spread: []term.Level{term.Neutral}, Lead: term.LeastCorrection, Models: models}
}

func rank(t *testing.T, r Request) Answer {
	t.Helper()
	a, err := Rank(r)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

func markOf(t *testing.T, a Answer, id, mark string) float64 {
	t.Helper()
	for _, r := range a.Ranked {
		for _, m := range r.Marks {
			if r.Model == id && m.Mark == mark {
				return m.Value
			}
		}
	}
	t.Fatalf("no mark %s of %s in %+v", mark, id, a)
	return 0
}

func TestSizeInThisModel(t *testing.T) {
	a := rank(t, request(model("a", nil)))
	s := a.Ranked[0].Size
	// 10.9 mm in a US 9, 15.1 in a 9.5: nearest to the middle of 12 to 17.
	if s.US != 9.5 || s.UK != 8.5 || s.EU != 42.5 || s.Width != "D" || math.Abs(s.RoomMM-15.13) > 0.01 ||
		math.Abs(*s.Room.Right-16.63) > 0.01 {
		t.Errorf("%+v", s)
	}
	if len(s.Neighbours) != 2 || math.Abs(s.Neighbours[0].RoomMM-10.9) > 0.01 || s.Neighbours[1].UK != 9 {
		t.Errorf("neighbours %+v", s.Neighbours)
	}
	for name, c := range map[string]struct {
		change func(*Request)
		uk     float64
		low    float64
	}{
		"thumbnail": {func(r *Request) { r.Settings.Room = "thumbnail" }, 8, 9}, "thumb": {func(r *Request) { r.Settings.Room = "thumb" }, 9, 16},
		"descents": {func(r *Request) { r.Conditions = []term.Condition{term.Descents} }, 8.5, 14},
		"heat":     {func(r *Request) { r.Conditions = []term.Condition{term.Heat, term.Descents} }, 9, 16},
		"an ultra": {func(r *Request) { r.RaceKM = num(80) }, 9, 16}, "several days": {func(r *Request) { r.Settings.Room = "several_days" },
			9.5, 20},
		"racing alone": {func(r *Request) { r.Kinds = []KindShare{{Kind: term.Race, Ground: term.GroundRoad, Share: 1}} }, 8, 9},
		"thick socks":  {func(r *Request) { r.Sock = "thick" }, 8.5, 12},
		"an ultra in a racing pair": {func(r *Request) {
			r.RaceKM = num(80)
			r.Kinds = []KindShare{{Kind: term.Race, Ground: term.GroundRoad, Share: 1}}
		}, 9, 16},
	} {
		r := request(model("a", nil))
		c.change(&r)
		s := rank(t, r).Ranked[0].Size
		if s.UK != c.uk || s.WantedMM[0] != c.low {
			t.Errorf("%s: UK %g wanting %v (%s), want UK %g from %g mm", name, s.UK, s.WantedMM, s.WantedFor, c.uk, c.low)
		}
	}
}

func TestRuledOut(t *testing.T) {
	complaint := []support.Complaint{{Place: "calf", MonthsAgo: num(5)}}
	old := []support.Complaint{{Place: "calf", MonthsAgo: num(7)}}
	for name, c := range map[string]struct {
		model  func(*shoe.Model)
		change func(*Request)
		want   string
	}{
		"surface":            {func(m *shoe.Model) { m.Surface = term.Trail }, nil, "surface"},
		"class":              {func(m *shoe.Model) { m.Class = term.Spikes }, nil, "class"},
		"level":              {func(m *shoe.Model) { m.Level = term.Guidance }, nil, "level"},
		"sizes too small":    {func(m *shoe.Model) { m.SizesUK = sizes(5, 7) }, nil, "size"},
		"sizes too large":    {func(m *shoe.Model) { m.SizesUK = sizes(11, 13) }, nil, "size"},
		"width":              {func(m *shoe.Model) { m.Widths = []string{"EE"} }, nil, "width"},
		"firm budget":        {nil, func(r *Request) { r.Budget = &Budget{13999, "EUR", true} }, "budget"},
		"a budget about":     {nil, func(r *Request) { r.Budget = &Budget{13999, "EUR", false} }, ""},
		"exactly the budget": {nil, func(r *Request) { r.Budget = &Budget{14000, "EUR", true} }, ""},
		"not on the shelf":   {nil, func(r *Request) { r.Settings.InStock = true }, "stock"},
		"on the shelf": {func(m *shoe.Model) { m.Stock = []shoe.Stock{{UK: 8.5, Width: "D", Count: 1}} },
			func(r *Request) { r.Settings.InStock = true }, ""},
		"drop 3 mm lower":   {nil, func(r *Request) { r.Present = &Present{DropMM: num(13)}; r.Complaints = &complaint }, "caution"},
		"drop 2.5 mm lower": {nil, func(r *Request) { r.Present = &Present{DropMM: num(12.5)}; r.Complaints = &complaint }, ""},
		"a calf long ago":   {nil, func(r *Request) { r.Present = &Present{DropMM: num(13)}; r.Complaints = &old }, ""},
		"tips on bare road": {func(m *shoe.Model) { m.MetalTips, m.Class = true, term.Winter }, func(r *Request) {
			r.Kinds = []KindShare{{Kind: term.Easy, Ground: term.GroundIce, Share: 0.5}, {Kind: term.Easy, Ground: term.GroundRoad, Share: 0.5}}
		}, "caution"},
		"tips on ice": {func(m *shoe.Model) { m.MetalTips, m.Class = true, term.Winter },
			func(r *Request) { r.Kinds = []KindShare{{Kind: term.Easy, Ground: term.GroundIce, Share: 1}} }, ""},
		"no level is given": {func(m *shoe.Model) { m.Level = term.Stability }, func(r *Request) { r.Level, r.Spread = nil, nil }, ""},
	} {
		r := request(model("a", c.model))
		if c.change != nil {
			c.change(&r)
		}
		a := rank(t, r)
		got := ""
		if len(a.RuledOut) > 0 {
			got = a.RuledOut[0].Reason
			if a.RuledOut[0].Text == "" {
				t.Errorf("%s: no words", name)
			}
		}
		if got != c.want || len(a.Ranked)+len(a.RuledOut) != 1 {
			t.Errorf("%s: ruled out by %q (%+v), want %q", name, got, a.RuledOut, c.want)
		}
	}
}

func TestMarks(t *testing.T) {
	for name, c := range map[string]struct {
		model  func(*shoe.Model)
		change func(*Request)
		mark   string
		want   float64
	}{
		"shape as the foot": {nil, nil, "shape", 1},
		"two steps of shape": {func(m *shoe.Model) { m.LastShape = "wide_toe" }, func(r *Request) { r.Feet.Left.Shape = "tapered" }, "shape",
			0.5},
		"volume and a letter": {func(m *shoe.Model) { m.Volume, m.Widths = "full", []string{"E"} }, nil, "shape", 0.5},
		"no wish":             {nil, nil, "feel", 0.7},
		"feel":                {nil, func(r *Request) { r.Likes = &Likes{Softness: num(5), Bounce: num(1)} }, "feel", 0.5},
		"one wish":            {nil, func(r *Request) { r.Likes = &Likes{Softness: num(5)} }, "feel", 0.5},
		"nothing known":       {nil, nil, "drop", 0.7},
		"habit":               {nil, func(r *Request) { r.Present = &Present{DropMM: num(3)} }, "drop", 0.5},
		"lowering":            {nil, func(r *Request) { r.Present = &Present{DropMM: num(16)} }, "drop", 1 - (9.0-4)/6},
		"strike":              {nil, func(r *Request) { r.Strike = term.ForefootStrike }, "drop", 1 - 0.15*6},
		"habit and strike": {nil, func(r *Request) { r.Strike = term.MidfootStrike; r.Present = &Present{DropMM: num(10)} }, "drop",
			(1 + 0.7) / 2},
		"habit only": {nil, func(r *Request) {
			r.Strike = term.MidfootStrike
			r.Present = &Present{DropMM: num(10)}
			r.Settings.Drop = "habit_only"
		}, "drop", 1},
		"easy counts half": {func(m *shoe.Model) { m.WeightG = 280 }, nil, "weight", 0.75},
		"tempo counts whole": {func(m *shoe.Model) { m.WeightG = 280 },
			func(r *Request) { r.Kinds = []KindShare{{Kind: term.Tempo, Ground: term.GroundRoad, Share: 1}} }, "weight", 0.5},
		"a light runner": {func(m *shoe.Model) { m.Softness = 5 }, func(r *Request) { r.MassKg = num(84.9) }, "body", 1},
		"a heavy runner": {func(m *shoe.Model) { m.Softness, m.Bounce = 5, 5 }, func(r *Request) { r.MassKg = num(85) }, "body", 0.5},
		"a rung off": {func(m *shoe.Model) { m.Level = term.Guidance },
			func(r *Request) { r.Spread = []term.Level{term.Neutral, term.Guidance} }, "level", 0.6},
		"carbon, first pair": {func(m *shoe.Model) { m.Plate = "carbon" }, func(r *Request) { r.Experience = "new" }, "first", 0},
		"carbon, later":      {func(m *shoe.Model) { m.Plate = "carbon" }, nil, "first", 1},
		"tall, first pair": {func(m *shoe.Model) { m.StackHeelMM, m.StackForefootMM = 40, 30 }, func(r *Request) { r.Experience = "new" },
			"first", 0},
		"disliked": {nil, func(r *Request) { r.Disliked = []string{"a"} }, "disliked", 0},
	} {
		r := request(model("a", c.model))
		if c.change != nil {
			c.change(&r)
		}
		if got := markOf(t, rank(t, r), "a", c.mark); math.Abs(got-c.want) > 1e-6 {
			t.Errorf("%s: %s %g, want %g", name, c.mark, got, c.want)
		}
	}
	a := rank(t, request(model("cheap", nil), model("twice", func(m *shoe.Model) { m.ListPrice = 28000 }),
		model("four", func(m *shoe.Model) { m.ListPrice = 56000 })))
	for id, want := range map[string]float64{"cheap": 1, "twice": 0.5, "four": 0} {
		if got := markOf(t, a, id, "money"); math.Abs(got-want) > 1e-6 {
			t.Errorf("money of %s: %g, want %g", id, got, want)
		}
	}
}

func TestEarlierVersion(t *testing.T) {
	now := func(change string, price int64) []shoe.Model {
		return []shoe.Model{model("v1", func(m *shoe.Model) { m.ListPrice = price }),
			model("v2", func(m *shoe.Model) { m.Replaces, m.Change = "v1", change })}
	}
	earlier := func(models []shoe.Model) *Earlier {
		for _, r := range rank(t, request(models...)).Ranked {
			if r.Model == "v2" {
				return r.Earlier
			}
		}
		return nil
	}
	if e := earlier(now("upper", 9900)); e == nil || e.Model != "v1" || e.Price != 9900 {
		t.Errorf("%+v", e)
	}
	if e := earlier(now("upper", 14000)); e != nil {
		t.Errorf("no cheaper, yet %+v", e)
	}
}

func catalogue(r *rand.Rand, n int) []shoe.Model {
	out := make([]shoe.Model, n)
	for i := range out {
		out[i] = model("m"+string(rune('a'+i/26))+string(rune('a'+i%26)), func(m *shoe.Model) {
			m.Level = term.Levels[r.IntN(3)]
			m.StackHeelMM = 24 + math.Round(16*r.Float64())
			m.StackForefootMM = m.StackHeelMM - math.Round(12*r.Float64())
			m.WeightG, m.Softness, m.Bounce = 200+math.Round(140*r.Float64()), 1+float64(r.IntN(5)), 1+float64(r.IntN(5))
			m.InnerOffsetMM = math.Round(8*r.Float64()) - 4
			m.SizesUK = sizes(5+float64(r.IntN(4)), 9+float64(r.IntN(4)))
			m.Widths = [][]string{{"D"}, {"B", "D"}, {"E", "EE"}, {"EEE"}}[r.IntN(4)]
			m.ListPrice = 8000 + int64(r.IntN(16000))
		})
	}
	return out
}

func TestProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 150 {
		models := catalogue(r, 30)
		q := request(models...)
		q.Lead = term.ComfortFirst
		q.Spread = []term.Level{term.NeutralSoft, term.Neutral, term.Guidance}
		q.Feet.Left.LengthMM = 240 + 45*r.Float64()
		q.Feet.Right.LengthMM = q.Feet.Left.LengthMM - 6*r.Float64()
		q.Feet.Left.BallMM = num(0.381*q.Feet.Left.LengthMM + 8*r.Float64() - 4)
		a := rank(t, q)
		for _, x := range a.Ranked {
			if x.Size.RoomMM < LeastRoomMM-0.005 || *x.Size.Room.Left < LeastRoomMM-0.005 {
				t.Fatalf("%s leaves %g mm", x.Model, x.Size.RoomMM)
			}
			sum := 0.0
			for _, m := range x.Marks {
				sum += m.Weight
			}
			if x.Score < 0 || x.Score > 1 || math.Abs(sum-1) > 1e-5 {
				t.Fatalf("score %g, weights %g", x.Score, sum)
			}
		}
		shuffled := slices.Clone(models)
		r.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
		p := q
		p.Models = shuffled
		if b := rank(t, p); !sameAnswer(a, b) {
			t.Fatal("the models' order matters")
		}
		tryOnHolds(t, q, a)
		weightHolds(t, r, q, a)
	}
}

func sameAnswer(a, b Answer) bool {
	x, _ := json.Marshal(a)
	y, _ := json.Marshal(b)
	return reflect.DeepEqual(x, y)
}

// tryOnHolds: the best first, up to six, at least four where there are four, no
// model twice, and the best of each level is there.
func tryOnHolds(t *testing.T, q Request, a Answer) {
	t.Helper()
	n := len(a.TryOn)
	if len(a.Ranked) == 0 {
		return
	}
	if a.TryOn[0] != a.Ranked[0].Model || n > 6 || n < min(4, len(a.Ranked)) {
		t.Fatalf("try %v of %d", a.TryOn, len(a.Ranked))
	}
	seen := map[string]bool{}
	for _, id := range a.TryOn {
		if seen[id] {
			t.Fatalf("%s twice in %v", id, a.TryOn)
		}
		seen[id] = true
	}
	best := map[term.Level]string{}
	for _, x := range a.Ranked {
		for i := range q.Models {
			if q.Models[i].ID == x.Model && best[q.Models[i].Level] == "" {
				best[q.Models[i].Level] = x.Model
			}
		}
	}
	for level, id := range best {
		if !seen[id] {
			t.Fatalf("the best %s, %s, is not in %v", level, id, a.TryOn)
		}
	}
}

// weightHolds: raising a mark's weight never lowers the rank of the model that is
// best on it.
func weightHolds(t *testing.T, r *rand.Rand, q Request, a Answer) {
	t.Helper()
	if len(a.Ranked) == 0 {
		return
	}
	mark := r.IntN(len(MarkNames))
	top, at := 0.0, 0
	for i, x := range a.Ranked {
		if x.Marks[mark].Value > top {
			top, at = x.Marks[mark].Value, i
		}
	}
	id := a.Ranked[at].Model
	q.Weights = map[string]float64{MarkNames[mark]: 3}
	b := rank(t, q)
	if now := slices.IndexFunc(b.Ranked, func(x Ranked) bool { return x.Model == id }); now > at {
		t.Fatalf("%s, the best on %s, falls from %d to %d", id, MarkNames[mark], at, now)
	}
}

func TestRefused(t *testing.T) {
	for field, change := range map[string]func(*Request){
		"feet": func(r *Request) { r.Feet = support.Both[Foot]{} }, "feet.left.length_mm": func(r *Request) { r.Feet.Left.LengthMM = 20 },
		"feet.left.ball_mm": func(r *Request) { r.Feet.Left.BallMM = num(-1) },
		"kinds":             func(r *Request) { r.Kinds = nil }, "kinds[0].kind": func(r *Request) { r.Kinds[0].Kind = "crawl" },
		"weights.luck":    func(r *Request) { r.Weights = map[string]float64{"luck": 1} },
		"weights.use":     func(r *Request) { r.Weights = map[string]float64{"use": -1} },
		"budget.currency": func(r *Request) { r.Budget = &Budget{1, "NOK", true} }, "models": func(r *Request) { r.Models = nil },
		"models[1].id":       func(r *Request) { r.Models = append(r.Models, r.Models[0]) },
		"models[1].currency": func(r *Request) { r.Models = append(r.Models, model("b", func(m *shoe.Model) { m.Currency = "NOK" })) },
		"settings.room":      func(r *Request) { r.Settings.Room = "elbow" }, "experience": func(r *Request) { r.Experience = "some" },
		"spread[0]": func(r *Request) { r.Spread = []term.Level{"soft"} },
	} {
		r := request(model("a", nil))
		change(&r)
		_, err := Rank(r)
		l, ok := fault.As(err)
		if !ok || l[0].Field != field {
			t.Errorf("%v, want a fault at %s", err, field)
		}
	}
	all := map[string]float64{}
	for _, m := range MarkNames {
		all[m] = 0
	}
	r := request(model("a", nil))
	r.Weights = all
	if _, err := Rank(r); err == nil {
		t.Error("no weight at all is taken")
	}
}

// BenchmarkRank20000 ranks 20,000 models for a runner to whom a part of them can be
// offered, and for one to whom nearly all can.
func BenchmarkRank20000(b *testing.B) {
	r := rand.New(rand.NewPCG(7, 8))
	var some, all []shoe.Model
	for i := range 20000 {
		m := catalogue(r, 1)[0]
		m.ID = fmt.Sprintf("m%05d", i)
		some = append(some, m)
		all = append(all, model(m.ID, func(n *shoe.Model) {
			n.Softness, n.Bounce, n.WeightG, n.StackHeelMM, n.ListPrice = m.Softness, m.Bounce, m.WeightG, 30+float64(i%9), m.ListPrice
			n.Level = term.Levels[i%3]
		}))
	}
	for name, models := range map[string][]shoe.Model{"some": some, "all": all} {
		b.Run(name, func(b *testing.B) {
			q := request(models...)
			q.Lead, q.Spread = term.ComfortFirst, term.Levels[:3]
			ranked := 0
			for b.Loop() {
				a, err := Rank(q)
				if err != nil {
					b.Fatal(err)
				}
				ranked = len(a.Ranked)
			}
			b.ReportMetric(float64(ranked), "ranked")
		})
	}
}

// All reasons that rule a model out are told, the first in words; a foot whose ball was not
// measured is of no width, and nothing is ruled out by it.
func TestEveryReasonHolds(t *testing.T) {
	r := request(model("wrong", func(m *shoe.Model) {
		m.Surface, m.Level, m.Widths, m.ListPrice = term.Trail, term.MotionControl, []string{"EEEE"}, 99000
	}), model("wide", func(m *shoe.Model) { m.Widths = []string{"EEEE"} }))
	r.Budget = &Budget{Amount: 20000, Currency: "EUR", Firm: true}
	a := rank(t, r)
	if got := outcome(a, "wrong"); got != "surface class level width budget" {
		t.Errorf("ruled out by %s", got)
	}
	if got := outcome(a, "wide"); got != "width" || !strings.Contains(a.RuledOut[0].Text, "letters wider") {
		t.Errorf("a foot four letters narrower: %s, %q", got, a.RuledOut[0].Text)
	}
	r.Feet.Left.BallMM, r.Feet.Right.BallMM = nil, nil
	a = rank(t, r)
	if got := outcome(a, "wrong"); got != "surface class level budget" {
		t.Errorf("without a ball width, ruled out by %s", got)
	}
	if len(a.Ranked) != 1 || a.Ranked[0].Size.Width != "EEEE" || markOf(t, a, "wide", "shape") != 1 ||
		!slices.ContainsFunc(a.Warnings, func(w fault.Warning) bool { return w.Code == "no_width" }) {
		t.Errorf("%+v", a)
	}
	// Beyond the letters the foot's go on in the same steps.
	r.Feet.Left.BallMM = num(139)
	if got := outcome(rank(t, r), "wide"); got != "width" {
		t.Errorf("a ball of 139 mm in EEEE: %s", got)
	}
}

// What comes from outside is loud about what would pass for missing, and about circles.
func TestNothingPassesForMissing(t *testing.T) {
	a, b := model("a", nil), model("b", nil)
	a.Replaces, a.Change, b.Replaces, b.Change = "b", "upper", "a", "upper"
	_, err := Rank(request(a, b))
	if l, ok := fault.As(err); !ok || len(l) != 2 || l[0].Field != "models[0].replaces" {
		t.Errorf("%v", err)
	}
	for text, field := range map[string]string{`{"budget":{"currency":"EUR","firm":true}}`: "budget.amount", `{"sock":""}`: "sock",
		`{"models":[{"flexibility":0}]}`:         "models[0].flexibility",
		`{"models":[{"label_chart":{}}]}`:        "models[0].label_chart.eu_shift",
		`{"strike":""}`:                          "strike",
		`{"surface":""}`:                         "surface",
		`{"likes":{"cushion":""}}`:               "likes.cushion",
		`{"present":{"level":""}}`:               "present.level",
		`{"feet":{"left":{"shape":""}}}`:         "feet.left.shape",
		`{"feet":{"right":{"volume":""}}}`:       "feet.right.volume",
		`{"kinds":[{"kind":"easy","km":"far"}]}`: "kinds[0].km",
	} {
		var r Request
		if l, ok := fault.As(strict.Decode([]byte(text), &r)); !ok || l[0].Field != field {
			t.Errorf("%s: %v", text, l)
		}
	}
}
