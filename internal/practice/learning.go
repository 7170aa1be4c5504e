package practice

import (
	"math"
	"math/rand/v2"

	"trevik/internal/core/house"
	"trevik/internal/core/wear"
	"trevik/internal/device"
)

// Learning is how well learning does over invented shops whose truth is known.
type Learning struct {
	Shops int
	// Of the 80 % intervals of classes, models and runners: how many held the truth.
	Held, Intervals int
	// Of forecasts of pairs that were not seen: by how much the log score was smaller than the house's, and the same where the
	// truth is the house's.
	Gain, GainAsTold []float64
	Ended            []int // worn out, of each shop
	// Of the gap in log loss between the house's weights and the true ones: how much was closed, by try-ons that were not seen.
	Closed, Gap float64
	// Of shops whose truth is the house's: how often the learned weights were said to be better.
	FalseBetter int
}

// ShopTryOns is how many try-ons each shop of CheckLearning has.
const ShopTryOns = 200

// CheckLearning invents shops, of each of the numbers of pairs in turn, and learns from each; progress, where it is not nil, is told
// each that is done.
func CheckLearning(shops int, pairs []int, seed uint64, progress func(done int)) (Learning, error) {
	out := Learning{Shops: shops}
	for i := range shops {
		o := device.ShopOptions{Seed: seed + uint64(i), Pairs: pairs[i%len(pairs)], TryOns: ShopTryOns}
		if err := out.shop(o); err != nil {
			return out, err
		}
		if progress != nil {
			progress(i + 1)
		}
	}
	return out, nil
}

func (l *Learning) shop(o device.ShopOptions) error {
	h := house.Shipped()
	for _, asTold := range []bool{false, true} {
		o.AsTold = asTold
		s, err := device.NewShop(o)
		if err != nil {
			return err
		}
		a, err := s.Lives.Learn(nil)
		if err != nil {
			return err
		}
		hold := func(mean, sd, truth float64) {
			if asTold {
				return
			}
			l.Intervals++
			if math.Abs(mean-truth) <= 1.2816*sd {
				l.Held++
			}
		}
		models := map[string][3]float64{}
		for _, x := range a.Classes {
			hold(x.Ln.Mean, x.Ln.SD, math.Log(h.MedianLife(x.Class))+s.Truth.Classes[string(x.Class)])
		}
		told := map[string]float64{}
		for _, p := range s.Lives.Pairs {
			told[p.Model] = math.Log(h.MedianLife(p.Class))
			if p.MedianKM != nil {
				told[p.Model] = math.Log(*p.MedianKM)
			}
		}
		for _, x := range a.Models {
			truth := told[x.Model] + s.Truth.Classes[string(x.Class)] + s.Truth.Models[x.Model]
			hold(x.Ln.Mean, x.Ln.SD, truth)
			models[x.Model] = [3]float64{x.Ln.Mean, x.Ln.SD, truth}
		}
		for _, x := range a.Runners {
			hold(x.Ln.Mean, x.Ln.SD, s.Truth.Runners[x.Runner])
		}
		// Unseen pairs: of a model that the shop knows, on a runner whom it does not.
		r := rand.New(rand.NewPCG(o.Seed, 77))
		gain, n := 0.0, 0.0
		for range 400 {
			p, q := &s.Lives.Pairs[r.IntN(len(s.Lives.Pairs))], &s.Lives.Pairs[r.IntN(len(s.Lives.Pairs))]
			m := models[p.Model]
			factor := math.Log(wear.RunnerFactor(q.MassKG, q.Strike))
			ln := m[2] + factor + 0.20*r.NormFloat64() + 0.20*r.NormFloat64()
			score := func(mean, v float64) float64 { return (ln-mean)*(ln-mean)/(2*v) + 0.5*math.Log(2*math.Pi*v) }
			gain += score(told[p.Model]+factor, 0.04+0.04) - score(m[0]+factor, 0.04+0.04+m[1]*m[1])
			n++
		}
		if asTold {
			l.GainAsTold = append(l.GainAsTold, gain/n)
		} else {
			l.Gain, l.Ended = append(l.Gain, gain/n), append(l.Ended, a.Ended)
		}
		liking, err := s.TryOns.Learn(nil)
		if err != nil {
			return err
		}
		if asTold {
			if liking.Better {
				l.FalseBetter++
			}
			continue
		}
		fresh := o
		fresh.Again, fresh.TryOns = 1, 400
		other, err := device.NewShop(fresh)
		if err != nil {
			return err
		}
		learned, plain := map[string]float64{}, map[string]float64{}
		for _, w := range liking.Weights {
			learned[w.Mark], plain[w.Mark] = w.Learned*liking.Scale, w.House
		}
		var loss [3]float64
		for k, w := range []map[string]float64{plain, learned, s.Truth.Weights} {
			if loss[k], err = other.TryOns.LossBy(w); err != nil {
				return err
			}
		}
		l.Closed, l.Gap = l.Closed+loss[0]-loss[1], l.Gap+loss[0]-loss[2]
	}
	return nil
}
