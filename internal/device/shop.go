package device

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/learn"
	"trevik/internal/core/term"
	"trevik/internal/core/tryon"
	"trevik/internal/core/wear"
)

// ShopOptions say which shop is invented.
type ShopOptions struct {
	Seed   uint64
	Pairs  int
	TryOns int    // 0 is half as many as pairs
	AsTold bool   // lives and likings are exactly what the house figures say
	Again  uint64 // other try-ons of the same runners
}

// Promise is what was told and what came of it.
type Promise struct {
	Kind string  `json:"kind"` // level, room, race, order
	Told float64 `json:"told"` // the chance that it would be kept
	Kept bool    `json:"kept"`
}

// ShopTruth is how an invented shop truly is: how much longer (ln) the pairs of classes, models and runners last, what its
// runners care about, and how decided they are.
type ShopTruth struct {
	Schema  string             `json:"schema"`
	Seed    uint64             `json:"seed"`
	Classes map[string]float64 `json:"classes"`
	Models  map[string]float64 `json:"models"`
	Runners map[string]float64 `json:"runners"`
	Weights map[string]float64 `json:"weights"`
	Scale   float64            `json:"scale"`
}

// Shop is an invented shop: the lives of its pairs, its try-ons, what was promised and came, and the truth.
type Shop struct {
	Lives    learn.Lives
	TryOns   learn.TryOns
	Promises []Promise
	Truth    ShopTruth
}

// House values of invented shops.
const (
	mostShopPairs = 50_000
	shopWorth     = 8.0
)

// NewShop invents a shop.
func NewShop(o ShopOptions) (*Shop, error) {
	var l fault.List
	if o.Pairs < 1 || o.Pairs > mostShopPairs {
		l.Add("pairs", "are %d; allowed are 1 to %d", o.Pairs, mostShopPairs)
	}
	if o.TryOns < 0 || o.TryOns > mostShopPairs {
		l.Add("tryons", "are %d; allowed are up to %d", o.TryOns, mostShopPairs)
	}
	if len(l) > 0 {
		return nil, l
	}
	if o.TryOns == 0 {
		o.TryOns = (o.Pairs + 1) / 2
	}
	s := &Shop{Lives: learn.Lives{Schema: learn.LivesSchema, Pairs: []learn.Pair{}},
		TryOns: learn.TryOns{Schema: learn.TryOnsSchema, TryOns: []learn.TryOn{}}, Promises: []Promise{},
		Truth: ShopTruth{Schema: "trevik.shop-truth/v1", Seed: o.Seed, Classes: map[string]float64{}, Models: map[string]float64{},
			Runners: map[string]float64{}, Weights: map[string]float64{}, Scale: 1}}
	s.live(o, rand.New(rand.NewPCG(o.Seed, 31)))
	s.like(o, rand.New(rand.NewPCG(o.Seed, 32)), rand.New(rand.NewPCG(o.Seed, 34+o.Again)))
	s.promise(o, rand.New(rand.NewPCG(o.Seed, 33)))
	return s, nil
}

// live draws the lives of pairs, and how far each was seen.
func (s *Shop) live(o ShopOptions, r *rand.Rand) {
	h := house.Shipped()
	off := func(sd float64) float64 {
		v := sd * r.NormFloat64()
		if o.AsTold {
			return 0
		}
		return v
	}
	classes := slices.Clone(term.Classes)
	r.Shuffle(len(classes), func(i, j int) { classes[i], classes[j] = classes[j], classes[i] })
	classes = classes[:min(len(classes), 3+r.IntN(5))]
	type model struct {
		name   string
		class  term.Class
		median *float64
	}
	var models []model
	// Shops differ in how many pairs of a model they sell, and models in how many they sell of it.
	each := 5 * math.Pow(6, r.Float64())
	for i := range max(4, min(400, int(float64(o.Pairs)/each))) {
		m := model{name: fmt.Sprintf("model-%d", i+1), class: classes[r.IntN(len(classes))]}
		if r.IntN(4) == 0 {
			v := math.Round(h.MedianLife(m.class) * (0.8 + 0.4*r.Float64()))
			m.median = &v
		}
		models = append(models, m)
		s.Truth.Models[m.name] = off(0.15)
	}
	for _, c := range classes {
		s.Truth.Classes[string(c)] = off(0.10)
	}
	type runner struct {
		name   string
		mass   *float64
		strike term.Strike
	}
	var runners []runner
	for i := range max(2, o.Pairs/3) {
		x := runner{name: fmt.Sprintf("runner-%d", i+1), strike: term.Strikes[r.IntN(len(term.Strikes))]}
		if r.IntN(5) > 0 {
			v := math.Round(48 + 50*r.Float64())
			x.mass = &v
		}
		if r.IntN(6) == 0 {
			x.strike = ""
		}
		runners = append(runners, x)
		s.Truth.Runners[x.name] = 0.20 * r.NormFloat64() // the house figures know that runners differ
	}
	for range o.Pairs {
		m, x := models[int(float64(len(models))*math.Pow(r.Float64(), 1.5))], runners[r.IntN(len(runners))]
		median := h.MedianLife(m.class)
		if m.median != nil {
			median = *m.median
		}
		life := median * wear.RunnerFactor(x.mass, x.strike) * math.Exp(s.Truth.Classes[string(m.class)]+s.Truth.Models[m.name]+
			s.Truth.Runners[x.name]+0.20*r.NormFloat64())
		p := learn.Pair{Runner: x.name, Model: m.name, Class: m.class, MedianKM: m.median, MassKG: x.mass, Strike: x.strike, Ended: learn.WornOut}
		km := life
		// How far a pair is seen goes by the days since it was sold, not by its life.
		if seen := median * (0.1 + 2.4*r.Float64()); seen < life {
			km, p.Ended = seen, learn.InUse
		} else if r.IntN(10) == 0 {
			km, p.Ended = life*r.Float64(), learn.Other
		}
		km = math.Round(10*km) / 10
		p.EffectiveKM = &km
		s.Lives.Pairs = append(s.Lives.Pairs, p)
	}
}

// like draws what runners care about, by cares, and what they wore and said of it.
func (s *Shop) like(o ShopOptions, cares, r *rand.Rand) {
	h := house.Shipped()
	var w [13]float64
	sum := 0.0
	for k, x := range h.Weights {
		w[k] = x
		sum += x
	}
	for k := range w {
		w[k] /= sum
		if !o.AsTold {
			w[k] = math.Max(0, w[k]+0.06*cares.NormFloat64())
		}
	}
	if !o.AsTold {
		s.Truth.Scale = 0.7 + 0.8*cares.Float64()
		all := 0.0
		for _, x := range w {
			all += x
		}
		for k := range w {
			w[k] *= s.Truth.Scale / all
		}
	}
	for k, name := range house.Marks {
		s.Truth.Weights[name] = w[k]
	}
	runners := max(2, o.TryOns*2/3)
	for range o.TryOns {
		t := learn.TryOn{Runner: fmt.Sprintf("runner-%d", 1+r.IntN(runners)), Wins: []tryon.Comparison{}}
		n := 1 + r.IntN(5)
		worth, felt := make([]float64, n), make([]float64, n)
		for i := range n {
			p := learn.Worn{Pair: string(rune('a' + i)), Marks: map[string]float64{}}
			for k, name := range house.Marks {
				v := math.Round(1000*math.Pow(r.Float64(), 0.3+1.2*r.Float64())) / 1000
				p.Marks[name] = v
				worth[i] += shopWorth * w[k] * v
				if name != "money" && name != "first" && name != "disliked" {
					felt[i] += shopWorth * w[k] * v
				}
			}
			t.Pairs = append(t.Pairs, p)
		}
		draw := func(v []float64) (best int, noisy []float64) {
			for i, x := range v {
				noisy = append(noisy, x-math.Log(-math.Log(r.Float64())))
				if noisy[i] > noisy[best] {
					best = i
				}
			}
			return best, noisy
		}
		if r.IntN(8) > 0 {
			best, _ := draw(worth)
			name := t.Pairs[best].Pair
			t.Chosen = &name
		}
		if r.IntN(3) > 0 { // how comfortable each was
			_, noisy := draw(felt)
			for i, v := range noisy {
				c := math.Round(2*math.Min(10, math.Max(0, 3+v))) / 2
				t.Pairs[i].Comfort = &c
			}
		}
		for i := 1; i < n; i++ { // one on each foot
			if r.IntN(2) == 0 {
				continue
			}
			j := r.IntN(i)
			p := 1 / (1 + math.Exp(felt[j]-felt[i]))
			a, b := t.Pairs[i].Pair, t.Pairs[j].Pair
			switch v := r.Float64(); {
			case v < 0.12:
				t.Wins = append(t.Wins, tryon.Comparison{Even: []string{a, b}})
			case r.Float64() < p:
				t.Wins = append(t.Wins, tryon.Comparison{Winner: a, Loser: b})
			default:
				t.Wins = append(t.Wins, tryon.Comparison{Winner: b, Loser: a})
			}
		}
		s.TryOns.TryOns = append(s.TryOns.TryOns, t)
	}
}

// promise draws what was promised and came: a little less often than it was told.
func (s *Shop) promise(o ShopOptions, r *rand.Rand) {
	lean := 0.0
	if !o.AsTold {
		lean = 0.15 * r.Float64()
	}
	kinds := []string{"level", "room", "race", "order"}
	for range o.TryOns {
		told := math.Round(100*(0.3+0.65*r.Float64())) / 100
		s.Promises = append(s.Promises, Promise{kinds[r.IntN(len(kinds))], told, r.Float64() < told-lean})
	}
}
