package gait_test

import (
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"trevik/internal/core/gait"
	"trevik/internal/core/term"
)

// spaceRunner is a third maker of films: a runner in space before a camera with a lens that stands a few steps behind the
// belt, so that a foot on it comes nearer, grows and sinks in the picture, shanks lean away, a foot lands on its heel with the
// toes up and leaves over its ball, and shows its sole. Metres: x to the right, y up, z away from the camera; angles are degrees.
type spaceRunner struct {
	walk                                    bool
	fps, stride, duty, speed, ahead, off    float64 // off: of a contact, when the heel leaves
	strike, push, kick, back, glide         float64
	lens, away, high, horizon, mid          float64
	x, tibia, down, peak, end, when, toeOut [2]float64
	skin, sock, shoe, sole, wall, belt, cap tone
	floor                                   tone
	dot                                     *tone // where dots are stuck on
	light, noise, texture, sockTo, wide     float64
	grain                                   []float64
	r                                       *rand.Rand
}

const (
	spaceShank = 0.38 // and thigh
	spaceBall  = 0.18 // from the heel
	spaceFlat  = 0.12 // of a contact: by then the foot is flat
	spaceKick  = 0.35 // of the swing, when the heel is highest
	spaceGrain = 512
)

type vec struct{ x, y, z float64 }

func (a vec) add(b vec, k float64) vec { return vec{a.x + k*b.x, a.y + k*b.y, a.z + k*b.z} }

func (a vec) to(b vec, k float64) vec { return a.add(vec{b.x - a.x, b.y - a.y, b.z - a.z}, k) }

func newSpaceRunner(seed uint64, walk bool) *spaceRunner {
	r := rand.New(rand.NewPCG(seed, 99))
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	pick := func(l ...tone) tone { return l[r.IntN(len(l))] }
	p := &spaceRunner{walk: walk, fps: 60, stride: u(0.66, 0.76), duty: u(0.28, 0.38), speed: u(2.4, 3.6), ahead: u(0.12, 0.25),
		off: u(0.5, 0.68), strike: u(0, 18), push: u(40, 60), kick: u(0.28, 0.5), back: u(0.05, 0.2), glide: u(0.03, 0.08),
		away: u(1.6, 3.2), high: u(0.08, 0.45), light: u(-0.7, 0.7), noise: u(1, 3), texture: u(0, 10), r: r}
	if walk {
		p.stride, p.duty, p.speed, p.ahead, p.kick, p.off = u(0.95, 1.15), u(0.58, 0.64), u(1.1, 1.6), u(0.28, 0.36), u(0.16, 0.24), u(0.6, 0.75)
	}
	p.lens = u(0.3, 0.44) * plainHigh * p.away / spaceShank
	p.horizon = plainHigh*u(0.83, 0.9) - p.lens*p.high/p.away
	p.mid = plainWide/2 + u(-40, 40)
	p.wall = pick(tone{205, 203, 198}, tone{120, 125, 130}, tone{170, 160, 140}, tone{90, 100, 120})
	p.belt = pick(tone{40, 40, 44}, tone{70, 70, 72}, tone{105, 105, 100})
	p.floor = pick(tone{150, 140, 125}, tone{90, 88, 86}, tone{60, 66, 80})
	p.sole = pick(tone{240, 240, 236}, tone{200, 180, 150}, tone{90, 90, 95})
	p.sock = pick(tone{235, 235, 235}, tone{40, 40, 45}, tone{120, 160, 80})
	p.cap = pick(tone{250, 90, 30}, tone{20, 20, 20}, tone{250, 250, 250})
	p.sockTo = []float64{0, 0.12, 0.2}[r.IntN(3)]
	for ok := false; !ok; ok = math.Abs(p.skin.bright()-p.wall.bright()) > 40 && math.Abs(p.shoe.bright()-p.belt.bright()) > 25 {
		p.skin = pick(tone{226, 185, 160}, tone{196, 146, 116}, tone{140, 94, 68}, tone{84, 54, 40})
		p.shoe = pick(tone{230, 230, 230}, tone{200, 60, 50}, tone{50, 80, 160}, tone{240, 220, 60}, tone{120, 120, 126})
	}
	p.wide = u(0.9, 1.12)
	apart := u(0.14, 0.24)
	p.x = [2]float64{-apart / 2, apart / 2}
	for k := range 2 {
		p.tibia[k], p.down[k], p.peak[k], p.end[k], p.when[k] = u(1, 7), u(-6, 1), u(4, 14), u(-3, 3), u(0.3, 0.5)
		p.toeOut[k] = u(0, 12)
	}
	for range spaceGrain * spaceGrain {
		p.grain = append(p.grain, r.NormFloat64())
	}
	return p
}

// see is where a place is in the picture, and px a metre there.
func (p *spaceRunner) see(v vec) (gait.Point, float64) {
	s := p.lens / (v.z + p.away)
	return gait.Point{X: p.mid + s*v.x, Y: p.horizon - s*(v.y-p.high)}, s
}

// stance is the heel so long after it landed, s: its lower rear edge, how far it is turned up, and whether it is down.
func (p *spaceRunner) stance(k int, t float64) (heel vec, pitch float64, down bool) {
	u, z := t/(p.duty*p.stride), p.ahead-p.speed*t
	switch {
	case u < spaceFlat:
		return vec{p.x[k], 0, z}, -p.strike * (1 - u/spaceFlat), true
	case u < p.off:
		return vec{p.x[k], 0, z}, 0, true
	}
	w := (u - p.off) / (1 - p.off)
	pitch = p.push * w * w * (1.6 - 0.6*w)
	sin, cos := math.Sincos(pitch * math.Pi / 180)
	return vec{p.x[k], spaceBall * sin, z + spaceBall*(1-cos)}, pitch, false
}

// heel is where a heel is in a stride, how far it is turned up, and how far the foot is through its stance or its swing.
func (p *spaceRunner) heel(k int, at float64) (heel vec, pitch float64, down, stands bool, u float64) {
	_, f := math.Modf(at/p.stride + 0.5*float64(k) + 0.37)
	if f < p.duty {
		heel, pitch, down = p.stance(k, f*p.stride)
		return heel, pitch, down, true, f / p.duty
	}
	u = (f - p.duty) / (1 - p.duty)
	swing, contact := (1-p.duty)*p.stride, p.duty*p.stride
	from, turned, _ := p.stance(k, contact)
	before, less, _ := p.stance(k, contact-0.002)
	per := swing / 0.002
	// Through three knots: it leaves, is highest, lands.
	way := func(t, p0, v0, p1, v1, span float64) float64 {
		t2, t3 := t*t, t*t*t
		return (2*t3-3*t2+1)*p0 + (t3-2*t2+t)*v0*span + (-2*t3+3*t2)*p1 + (t3-t2)*v1*span
	}
	high, turns, leaves := 95.0, 0.0, 0.3
	if p.walk {
		high, turns, leaves = 50, -60, 0.2
	}
	far := from.z - p.back*0.5 + 0.15
	if u < spaceKick {
		t, s := u/spaceKick, spaceKick
		heel = vec{p.x[k], way(t, from.y, (from.y-before.y)*per*0.6, p.kick, 0, s), way(t, from.z, (from.z-before.z)*per*0.3, far, 1.5, s)}
		pitch = way(t, turned, (turned-less)*per*leaves, high, turns, s)
	} else {
		t, s := (u-spaceKick)/(1-spaceKick), 1-spaceKick
		heel = vec{p.x[k], way(t, p.kick, 0, 0, -p.glide*8, s), way(t, far, 1.5, p.ahead, -p.speed*swing*0.5, s)}
		pitch = way(t, high, turns, -p.strike, 0, s)
	}
	heel.y = max(heel.y, 0.004, spaceBall*math.Sin(pitch*math.Pi/180)) // the ball does not go through the belt
	return heel, pitch, false, false, u
}

func (p *spaceRunner) everted(k int, stands bool, u float64) float64 {
	ease := func(u float64) float64 { return u * u * (3 - 2*u) }
	switch w := p.when[k]; {
	case !stands:
		return p.end[k] + (p.down[k]-p.end[k])*ease(u)
	case u < w:
		return p.down[k] + (p.peak[k]-p.down[k])*math.Sin(u/w*math.Pi/2)
	default:
		return p.peak[k] + (p.end[k]-p.peak[k])*ease((u-w)/(1-w))
	}
}

// limbs are a leg's joints, and the four points by which it is read.
type limbs struct {
	heel, up, ball, toe, ankle, knee, hip vec
	points                                [4]vec // calf_top, calf_low, heel_top, heel_low
	pitch                                 float64
	down                                  bool
}

func (p *spaceRunner) limbs(k int, at float64) (b limbs) {
	heel, pitch, down, stands, u := p.heel(k, at)
	out, rad := float64(2*k-1), math.Pi/180
	turn, tibia := (p.tibia[k]-p.everted(k, stands, u))*out*rad, p.tibia[k]*out*rad
	sp, cp := math.Sincos(pitch * rad)
	so, co := math.Sincos(p.toeOut[k] * out * rad)
	b.heel, b.pitch, b.down = heel, pitch, down
	b.up = vec{math.Sin(turn), math.Cos(turn) * cp, math.Cos(turn) * sp}
	fore := vec{cp * so, -sp, cp * co}
	b.ball = heel.add(fore, spaceBall)
	b.ball.y = max(b.ball.y, 0.002)
	// The shoe bends at the ball: its front lies flat while it is on the ground, and follows in the air.
	bs, bc := math.Sincos(pitch * min(1, max(0, b.ball.y/0.08)) * rad)
	b.toe = b.ball.add(vec{bc * so, -bs, bc * co}, 0.08)
	b.toe.y = max(b.toe.y, 0.002)
	b.ankle = heel.add(b.up, 0.1).add(fore, 0.045)
	b.hip = vec{out * 0.09, 0.07 + 2*spaceShank, 0.02}
	dy, dz := b.hip.y-b.ankle.y, b.hip.z-b.ankle.z
	lean := math.Atan2(dz, dy) + math.Acos(min(1, min(math.Hypot(dy, dz), 0.755)/2/spaceShank)) // the knee bends forward
	b.knee = b.ankle.add(vec{math.Sin(tibia), math.Cos(lean) * math.Cos(tibia), math.Sin(lean)}, spaceShank)
	b.points = [4]vec{b.ankle.to(b.knee, 0.55), b.ankle.to(b.knee, 0.15), heel.add(b.up, 0.065), heel.add(b.up, 0.02)}
	return b
}

// angle is the rearfoot angle as the camera sees it.
func (p *spaceRunner) angle(k, frame int) float64 {
	b := p.limbs(k, float64(frame)/p.fps)
	var at [4]gait.Point
	for i, v := range b.points {
		at[i], _ = p.see(v)
	}
	lx, ly, hx, hy := at[1].X-at[0].X, at[1].Y-at[0].Y, at[3].X-at[2].X, at[3].Y-at[2].Y
	return math.Atan2(lx*hy-ly*hx, lx*hx+ly*hy) * 180 / math.Pi * float64(1-2*k)
}

func (p *spaceRunner) limb(img []tone, a, b vec, t0, t1 float64, half func(t float64) float64, of func(t, aside float64) tone) {
	pa, sa := p.see(a)
	pb, sb := p.see(b)
	bar(img, pa, pb, t0, t1, func(t float64) float64 { return p.wide * half(t) * (sa + t*(sb-sa)) }, of)
}

// ground draws the wall, the floor and the belt that goes along it.
func (p *spaceRunner) ground(img []tone, at float64) {
	for y := range plainHigh {
		for x := range plainWide {
			c := p.wall.to(tone{}, 0.2*float64(x)/plainWide)
			if float64(y) > p.horizon {
				z := p.lens*p.high/(float64(y)-p.horizon) - p.away
				aside := (float64(x) - p.mid) * (z + p.away) / p.lens
				switch long := z > -0.85 && z < 0.9; {
				case z > 2.5: // still the wall
				case long && math.Abs(aside) <= 0.28:
					i, j := int(math.Floor(aside/0.004))&(spaceGrain-1), int(math.Floor((z+p.speed*at)/0.006))&(spaceGrain-1)
					g := p.texture * p.grain[j*spaceGrain+i] / 2
					c = tone{p.belt[0] + g, p.belt[1] + g, p.belt[2] + g}
				case long && math.Abs(aside) < 0.36:
					c = tone{55, 55, 58}
				default:
					c = p.floor
				}
			}
			img[y*plainWide+x] = c
		}
	}
}

// shadow darkens the belt under a foot, the more the lower it is.
func (p *spaceRunner) shadow(img []tone, heel vec) {
	dark := 0.5 * math.Exp(-max(0, heel.y)/0.05)
	c, s := p.see(vec{heel.x, 0, heel.z + 0.1})
	_, near := p.see(vec{heel.x, 0, heel.z - 0.02})
	ry, rx := p.high*math.Abs(near-s), 0.06*s
	for y := max(0, int(c.Y-ry-2)); y <= min(plainHigh-1, int(c.Y+ry+2)); y++ {
		for x := max(0, int(c.X-rx-2)); x <= min(plainWide-1, int(c.X+rx+2)); x++ {
			dx, dy := (float64(x)-c.X)/rx, (float64(y)-c.Y)/max(1, ry)
			if d := dx*dx + dy*dy; d < 1 {
				img[y*plainWide+x] = img[y*plainWide+x].to(tone{}, dark*(1-d))
			}
		}
	}
}

func (p *spaceRunner) leg(img []tone, q limbs) {
	lit := func(c tone) func(t, aside float64) tone {
		return func(_, aside float64) tone { return c.to(tone{}, min(0.6, 0.09*(aside-p.light)*(aside-p.light))) }
	}
	bell := func(t, at, wide float64) float64 { return math.Exp(-math.Pow((t-at)/wide, 2)) }
	ball, mid := q.heel.to(q.toe, 0.72), q.heel.to(q.toe, 0.4)
	p.limb(img, ball, ball.add(vec{0, 1, 0}, 0.077), 0, 1, func(t float64) float64 { return 0.05 - 0.015*t }, lit(p.shoe.to(tone{}, 0.25)))
	p.limb(img, mid, mid.add(vec{0, 1, 0}, 0.084), 0, 1, func(t float64) float64 { return 0.042 - 0.012*t }, lit(p.shoe.to(tone{}, 0.12)))
	p.limb(img, q.knee, q.hip, -0.05, 1.3, func(t float64) float64 { return 0.058 + 0.03*t }, func(t, aside float64) tone {
		if t > 0.35 {
			return lit(tone{30, 32, 40})(t, aside)
		}
		return lit(p.skin)(t, aside)
	})
	p.limb(img, q.ankle, q.knee, -0.05, 1.02, func(t float64) float64 {
		return max(0.029+0.026*bell(t, 0.66, 0.24)+0.016*bell(t, 1, 0.2), 0.0335*bell(t, 0, 0.08))
	}, func(t, aside float64) tone {
		if t < p.sockTo && t*spaceShank < p.sockTo {
			return lit(p.sock)(t, aside)
		}
		return lit(p.skin)(t, aside)
	})
	if q.pitch > 8 { // the sole is to be seen
		if math.Abs(q.ball.y-q.toe.y) > 0.03 {
			p.limb(img, q.ball, q.toe, 0, 1, func(t float64) float64 { return 0.05 - 0.012*t*t }, lit(p.sole.to(tone{}, 0.4)))
		}
		p.limb(img, q.heel, q.ball, 0, 1, func(t float64) float64 { return 0.034 + 0.016*bell(t, 1, 0.3) }, lit(p.sole.to(tone{}, 0.35)))
	}
	p.limb(img, q.heel, q.heel.add(q.up, 0.08775), 0, 1, func(t float64) float64 { return 0.037 - 0.009*t*t }, func(t, aside float64) tone {
		switch {
		case t < 0.25:
			return lit(p.sole)(t, aside)
		case t > 0.8 && math.Abs(aside) < 0.3:
			return lit(p.cap)(t, aside)
		}
		return lit(p.shoe)(t, aside)
	})
}

func (p *spaceRunner) frame(i int) image.Image {
	img := make([]tone, plainWide*plainHigh)
	at := float64(i) / p.fps
	p.ground(img, at)
	both := []limbs{p.limbs(0, at), p.limbs(1, at)}
	for _, q := range both {
		p.shadow(img, q.heel)
	}
	if both[0].ankle.z < both[1].ankle.z { // the nearer is drawn last
		both[0], both[1] = both[1], both[0]
	}
	for _, q := range both {
		p.leg(img, q)
	}
	for _, q := range both {
		for n, v := range q.points {
			if p.dot != nil && (n < 2 || q.pitch < 75) { // a heel that is kicked up hides its own
				at, s := p.see(v)
				disc(img, at, 0.011*s, func(_, aside float64) tone { return p.dot.to(tone{}, 0.05*aside*aside) })
			}
		}
	}
	return filmed(img, p.noise, p.r)
}

// landings are the frames in which a heel is down: the first and the last of each contact that lies wholly in so many frames.
func (p *spaceRunner) landings(k, frames int) (out [][2]int) {
	edge, from := int(math.Ceil(0.04*p.fps)), -1
	for i, was := 0, true; i < frames; i++ {
		down := p.limbs(k, float64(i)/p.fps).down
		switch {
		case down && !was:
			from = i
		case !down && was && from >= edge && i-1 <= frames-1-edge:
			out = append(out, [2]int{from, i - 1})
		}
		was = down
	}
	return out
}

// A camera that stands a few steps behind the belt sees feet come nearer on it.
func TestFeetThatComeNearer(t *testing.T) {
	for _, c := range []struct {
		name     string
		walk     bool
		dots     bool
		from, to uint64
		peak     float64 // in the mean, as all
		excurse  float64
		down     float64 // frames
		missed   int
	}{
		{"running", false, false, 302, 304, 3.5, 1.5, 0.5, 1},
		{"walking", true, false, 310, 311, 3.5, 1.5, 0.7, 1},
		{"running with dots", false, true, 320, 322, 0.5, 1.2, 0.2, 2},
		{"walking with dots", true, true, 330, 331, 0.8, 1.2, 0.4, 2},
		// One leg or the other hides a dot in every frame.
		{"dots that are never seen together", false, true, 36, 37, 0.5, 1.2, 0.2, 1},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			var legs, steps, peaks, excursions, early float64
			missed := 0
			for seed := c.from; seed < c.to; seed++ {
				p := newSpaceRunner(seed, c.walk)
				rec := gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, Gait: gait.Run, Shod: "shoes", Surface: "treadmill", FPS: &p.fps,
					Markers: gait.NoMarkers}
				if c.walk {
					rec.Gait = gait.Walk
				}
				if c.dots {
					p.dot, rec.Markers = &[]tone{{230, 20, 140}, {250, 120, 10}, {30, 170, 60}, {20, 90, 220}}[seed%4], gait.AutoMarkers
				}
				var film plainFilm
				for i := range 180 {
					film = append(film, p.frame(i))
				}
				followed, err := gait.Follow(film, rec, nil)
				if err != nil {
					t.Errorf("seed %d: %v", seed, err)
					continue
				}
				if c.dots != (followed.Outline == nil) {
					t.Errorf("seed %d: dots are %t, and it was read otherwise", seed, c.dots)
				}
				read, err := gait.Read(followed, rec, gait.Corrections{}, nil)
				if err != nil {
					t.Errorf("seed %d: %v", seed, err)
					continue
				}
				for k, side := range term.Sides {
					got := read.Answer.Sides[side]
					if got == nil || got.PeakEversionDeg.Mean == nil || got.ExcursionDeg.Mean == nil {
						t.Errorf("seed %d: the %s leg was not read", seed, side)
						continue
					}
					truth := p.landings(k, len(film))
					missed += max(0, len(truth)-len(got.Steps))
					var peak, roll float64
					for _, s := range truth {
						most := math.Inf(-1)
						for i := s[0]; i <= s[1]; i++ {
							most = max(most, p.angle(k, i))
						}
						peak, roll = peak+most/float64(len(truth)), roll+(most-p.angle(k, s[0]))/float64(len(truth))
					}
					for _, st := range got.Steps {
						near := math.Inf(1)
						for _, s := range truth {
							near = min(near, math.Abs(float64(st.TouchdownFrame-s[0])))
						}
						if near > 0.1*p.fps {
							t.Errorf("seed %d %s: a contact from %d to %d that is none", seed, side, st.TouchdownFrame, st.Last())
							continue
						}
						steps, early = steps+1, early+near
					}
					dp, de := *got.PeakEversionDeg.Mean-peak, *got.ExcursionDeg.Mean-roll
					t.Logf("seed %d %s: peak %+.1f°, excursion %+.1f°, %d of %d contacts", seed, side, dp, de, len(got.Steps), len(truth))
					legs, peaks, excursions = legs+1, peaks+math.Abs(dp), excursions+math.Abs(de)
				}
			}
			if legs == 0 {
				return
			}
			t.Logf("%.0f legs: peak off by %.2f°, excursion by %.2f°, touchdown by %.2f frames, %d missed", legs, peaks/legs, excursions/legs,
				early/steps, missed)
			if peaks/legs > c.peak || excursions/legs > c.excurse || early/steps > c.down || missed > c.missed {
				t.Errorf("off by %.2f°, %.2f° and %.2f frames, %d missed", peaks/legs, excursions/legs, early/steps, missed)
			}
		})
	}
}
