package wear

import "math"

// normal is a belief about ln L.
type normal struct{ mean, variance float64 }

// observe is the conjugate update with a value that was seen with an SD.
func (n normal) observe(value, sd float64) normal {
	v := 1 / (1/n.variance + 1/(sd*sd))
	return normal{v * (n.mean/n.variance + value/(sd*sd)), v}
}

// survival is P(L > x).
func (n normal) survival(x float64) float64 {
	if x <= 0 {
		return 1
	}
	return 0.5 * math.Erfc((math.Log(x)-n.mean)/math.Sqrt(2*n.variance))
}

// whereSurvival gives the x with P(L > x) = s. Working with the survival keeps
// the far tail exact.
func (n normal) whereSurvival(s float64) float64 {
	return math.Exp(n.mean + math.Sqrt(2*n.variance)*math.Erfcinv(2*s))
}

// before is what a pair ran before anybody counted: E0 wear-adjusted km, exactly km, or a belief
// about ln E0 where doubt is true.
type before struct {
	km    float64
	doubt bool
	ln    normal
}

// belief is what is known of a pair: ln L, what it ran before it was counted, and how the two
// hang together.
type belief struct {
	life   normal
	before before
	cov    float64 // of ln L and ln E0
}

// median is the distance before counting that is told, wear-adjusted km.
func (b belief) median() float64 {
	if b.before.doubt {
		return math.Exp(b.before.ln.mean)
	}
	return b.before.km
}

// seen is what a look makes of the belief: a used fraction c seen with an SD of ln c when
// counted wear-adjusted km had been counted. Where the distance before is in doubt, ln L − ln(E0 +
// counted) = −ln c is taken by one Gauss–Newton step, linearised at the present means. It is
// false where nothing had been run.
func (b belief) seen(c, sd, counted float64) (belief, bool) {
	if !b.before.doubt {
		e := b.before.km + counted
		if e <= 0 {
			return b, false
		}
		b.life = b.life.observe(math.Log(e/c), sd)
		return b, true
	}
	e0 := math.Exp(b.before.ln.mean)
	w := e0 / (e0 + counted)
	ofLife, ofBefore := b.life.variance-w*b.cov, b.cov-w*b.before.ln.variance
	s := ofLife - w*ofBefore + sd*sd
	off := -math.Log(c) - (b.life.mean - math.Log(e0+counted))
	b.life = normal{b.life.mean + ofLife/s*off, b.life.variance - ofLife*ofLife/s}
	b.before.ln = normal{b.before.ln.mean + ofBefore/s*off, b.before.ln.variance - ofBefore*ofBefore/s}
	b.cov -= ofLife * ofBefore / s
	return b, true
}

// beforePoints are at how many quantiles the distance before counting is summed over.
const beforePoints = 41

// point is a distance before counting, and what is known of ln L where it is that.
type point struct {
	km   float64
	life normal
}

// points are equally likely distances before counting: at the quantiles (i − ½) ÷ 41 of their
// posterior, or the one that is known.
func (b belief) points() []point {
	if !b.before.doubt {
		return []point{{b.before.km, b.life}}
	}
	out := make([]point, beforePoints)
	ln := b.before.ln
	slope := b.cov / ln.variance
	left := b.life.variance - slope*b.cov
	for i := range out {
		q := (float64(i) + 0.5) / beforePoints
		off := math.Sqrt(2*ln.variance) * math.Erfinv(2*q-1)
		out[i] = point{math.Exp(ln.mean + off), normal{b.life.mean + slope*off, left}}
	}
	return out
}

// outlook is what lies ahead of a pair that has counted wear-adjusted km behind it, over all that
// it may have run before.
type outlook struct {
	points  []point
	counted float64
}

// survival is P(L > E + x).
func (o outlook) survival(x float64) float64 {
	sum := 0.0
	for _, p := range o.points {
		sum += p.life.survival(p.km + o.counted + x)
	}
	return sum / float64(len(o.points))
}

// ends is P(L ≤ E + x | L > E).
func (o outlook) ends(x float64) float64 {
	now := o.survival(0)
	if now <= 0 {
		return 1
	}
	return min(1, max(0, 1-o.survival(x)/now))
}

// mostKM is beyond any pair's life.
const mostKM = 1e7

// remaining is the q-quantile of L − E given L > E.
func (o outlook) remaining(q float64) float64 {
	want := o.survival(0) * (1 - q)
	if want <= 0 {
		return 0
	}
	if len(o.points) == 1 {
		p := o.points[0]
		return max(0, p.life.whereSurvival(want)-p.km-o.counted)
	}
	low, high := 0.0, 1.0
	for o.survival(high) > want && high < mostKM {
		low, high = high, 2*high
	}
	for range 100 { // halved until it moves no more
		mid := (low + high) / 2
		if o.survival(mid) > want {
			low = mid
		} else {
			high = mid
		}
	}
	return high
}
