package gait_test

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/term"
)

// plainRunner is a second maker of films without dots, that shares nothing with the stand-in which ships: straight
// tapered shapes on a belt with grain, legs of 0.31 to 0.42 of the picture's height, feet that swing straight and come
// down at once, a forefoot that does not roll. Angles are degrees, left and right.
type plainRunner struct {
	shank, stride, duty, lift, drift       float64
	ankle, calf, calfAt, heel              float64 // half widths, shanks
	light, noise, texture, ground, skyline float64
	fps                                    float64
	x, tibia, down, peak, end, when        [2]float64
	wall, belt, skin, shoe, sole           tone
	dot                                    *tone // where dots are stuck on
	dotRound                               float64
	rises                                  float64 // of the time in the air, in which a foot leaves the belt
	grain                                  []float64
	r                                      *rand.Rand
}

type tone [3]float64

func (a tone) to(b tone, k float64) tone {
	return tone{a[0] + k*(b[0]-a[0]), a[1] + k*(b[1]-a[1]), a[2] + k*(b[2]-a[2])}
}

func (a tone) bright() float64 { return 0.3*a[0] + 0.59*a[1] + 0.11*a[2] }

const plainWide, plainHigh = 640, 480

func newPlainRunner(seed uint64, how gait.Motion) *plainRunner {
	r := rand.New(rand.NewPCG(seed, 4711))
	u := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	pick := func(l ...tone) tone { return l[r.IntN(len(l))] }
	p := &plainRunner{fps: 120, shank: u(150, 200), stride: u(0.66, 0.8), duty: u(0.28, 0.4), lift: u(0.45, 0.75), drift: u(0.02, 0.06),
		ankle: u(0.065, 0.085), calf: u(0.115, 0.15), calfAt: u(0.6, 0.72), heel: u(0.075, 0.1), light: u(-0.7, 0.7), noise: u(1, 3.5),
		texture: u(0, 8), ground: plainHigh * u(0.84, 0.92), rises: 0.04, r: r}
	if how == gait.Walk {
		p.stride, p.duty, p.lift = u(0.95, 1.15), u(0.4, 0.5), u(0.15, 0.3)
	}
	p.skyline = p.ground - p.shank*u(0.1, 0.5)
	p.wall = pick(tone{205, 203, 198}, tone{120, 125, 130}, tone{170, 160, 140}, tone{90, 100, 120})
	p.belt = pick(tone{40, 40, 44}, tone{70, 70, 72}, tone{105, 105, 100})
	p.sole = pick(tone{240, 240, 236}, tone{200, 180, 150}, tone{90, 90, 95})
	for ok := false; !ok; ok = math.Abs(p.skin.bright()-p.wall.bright()) > 25 && math.Abs(p.shoe.bright()-p.belt.bright()) > 25 {
		p.skin = pick(tone{226, 185, 160}, tone{196, 146, 116}, tone{140, 94, 68}, tone{84, 54, 40}, tone{35, 36, 44})
		p.shoe = pick(tone{230, 230, 230}, tone{200, 60, 50}, tone{50, 80, 160}, tone{240, 220, 60}, tone{120, 120, 126})
	}
	apart, mid := p.shank*u(0.45, 0.8), plainWide/2+u(-60, 60)
	p.x = [2]float64{mid - apart/2, mid + apart/2}
	for k := range 2 {
		p.tibia[k], p.down[k], p.peak[k], p.end[k], p.when[k] = u(2, 8), u(-6, 2), u(4, 14), u(-3, 3), u(0.3, 0.5)
	}
	for range plainWide * plainHigh / 4 {
		p.grain = append(p.grain, r.NormFloat64())
	}
	return p
}

// from has the camera stand so much nearer.
func (p *plainRunner) from(near float64) {
	middle := (p.x[0] + p.x[1]) / 2
	p.shank *= near
	p.skyline = p.ground - near*(p.ground-p.skyline)
	for k := range p.x {
		p.x[k] = middle + near*(p.x[k]-middle)
	}
}

// at is where a leg is in its stride: on the ground or not, how far through that, its height, px, and its eversion.
func (p *plainRunner) at(k, frame int) (stands bool, u, height, everted float64) {
	_, f := math.Modf(float64(frame)/p.fps/p.stride + 0.5*float64(k) + 0.13)
	ease := func(u float64) float64 { return u * u * (3 - 2*u) }
	if f < p.duty {
		u = f / p.duty
		if u < p.when[k] {
			return true, u, 0, p.down[k] + (p.peak[k]-p.down[k])*math.Sin(u/p.when[k]*math.Pi/2)
		}
		return true, u, 0, p.peak[k] + (p.end[k]-p.peak[k])*ease((u-p.when[k])/(1-p.when[k]))
	}
	u = (f - p.duty) / (1 - p.duty)
	height = p.lift*p.shank*math.Pow(math.Sin(math.Pi*math.Pow(u, 0.8)), 1.3) + 0.1*p.shank*min(u/p.rises, 1, (1-u)/0.06)
	return false, u, height, p.end[k] + (p.down[k]-p.end[k])*ease(u)
}

// bar draws what lies along the line from a to b, from t0 to t1 of it, so wide to either side.
func bar(img []tone, a, b gait.Point, t0, t1 float64, half func(t float64) float64, of func(t, aside float64) tone) {
	dx, dy := b.X-a.X, b.Y-a.Y
	n := math.Hypot(dx, dy)
	if n < 1 {
		return
	}
	reach := 0.0
	for t := t0; t <= t1; t += 0.05 {
		reach = max(reach, half(t)+2)
	}
	y0, y1 := min(a.Y+t0*dy, a.Y+t1*dy)-reach, max(a.Y+t0*dy, a.Y+t1*dy)+reach
	x0, x1 := min(a.X+t0*dx, a.X+t1*dx)-reach, max(a.X+t0*dx, a.X+t1*dx)+reach
	for y := max(0, int(y0)); y <= min(plainHigh-1, int(y1)); y++ {
		for x := max(0, int(x0)); x <= min(plainWide-1, int(x1)); x++ {
			px, py := float64(x)-a.X, float64(y)-a.Y
			t, aside := (px*dx+py*dy)/n/n, (px*dy-py*dx)/n
			w := half(min(t1, max(t0, t)))
			if cover := min(1, (t-t0)*n+0.5, (t1-t)*n+0.5, w-math.Abs(aside)+0.5); cover > 0 {
				img[y*plainWide+x] = img[y*plainWide+x].to(of(t, aside/max(1, w)), cover)
			}
		}
	}
}

func (p *plainRunner) frame(i int) image.Image {
	img := make([]tone, plainWide*plainHigh)
	moved := int(float64(i) / p.fps * 400)
	for y := range plainHigh {
		for x := range plainWide {
			c := p.wall.to(tone{}, 0.15*float64(x)/plainWide)
			if float64(y) > p.skyline {
				row := (y + 100*plainHigh - moved) % plainHigh
				g := p.texture * p.grain[row/2*plainWide/2+x/2] / 2
				c = tone{p.belt[0] + g, p.belt[1] + g, p.belt[2] + g}
			}
			img[y*plainWide+x] = c
		}
	}
	legs := []int{0, 1} // who stands is drawn last
	if stands, _, _, _ := p.at(0, i); stands {
		legs = []int{1, 0}
	}
	for _, k := range legs {
		p.leg(img, k, i)
	}
	return filmed(img, p.noise, p.r)
}

// filmed is what a camera with so much noise makes of a picture.
func filmed(img []tone, noise float64, r *rand.Rand) image.Image {
	out := image.NewYCbCr(image.Rect(0, 0, plainWide, plainHigh), image.YCbCrSubsampleRatio420)
	for k, c := range img {
		g := noise * r.NormFloat64()
		b := func(v float64) uint8 { return uint8(min(255, max(0, v+g))) }
		x, y := k%plainWide, k/plainWide
		o := out.COffset(x, y)
		out.Y[out.YOffset(x, y)], out.Cb[o], out.Cr[o] = color.RGBToYCbCr(b(c[0]), b(c[1]), b(c[2]))
	}
	return out
}

func (p *plainRunner) leg(img []tone, k, i int) {
	stands, u, height, everted := p.at(k, i)
	out, s := float64(2*k-1), p.shank
	low := gait.Point{X: p.x[k], Y: p.ground - height + p.drift*s*(u-0.5)}
	tibia, long := p.tibia[k]+1.5*math.Sin(2*math.Pi*u), s
	if !stands {
		low.Y, tibia, long = p.ground-height+p.drift*s*(0.5-u), p.tibia[k], s-0.25*height
	}
	tibia *= out * math.Pi / 180
	heel := tibia - out*everted*math.Pi/180
	ankle := gait.Point{X: low.X + 0.2*s*math.Sin(heel), Y: low.Y - 0.2*s*math.Cos(heel)}
	knee := gait.Point{X: ankle.X + long*math.Sin(tibia), Y: ankle.Y - long*math.Cos(tibia)}
	lit := func(c tone) func(t, aside float64) tone {
		return func(_, aside float64) tone { return c.to(tone{}, 0.11*(aside-p.light)*(aside-p.light)) }
	}
	same := func(v float64) func(float64) float64 { return func(float64) float64 { return v * s } }
	if stands {
		fore := gait.Point{X: low.X + out*0.05*s, Y: low.Y}
		bar(img, fore, gait.Point{X: fore.X, Y: fore.Y - 0.09*s}, 0, 1, same(0.1), lit(p.shoe.to(tone{}, 0.25)))
	} else {
		toe := gait.Point{X: low.X + out*0.03*s, Y: min(p.ground, low.Y+0.55*height)}
		bar(img, low, toe, 0, 1, same(0.085), lit(p.sole.to(tone{}, 0.3)))
	}
	hip := gait.Point{X: knee.X - out*0.1*s, Y: knee.Y - 1.2*s}
	bar(img, knee, hip, -0.08, 1.5, func(t float64) float64 { return s * (0.15 + 0.06*t) }, lit(p.skin))
	bar(img, ankle, knee, -0.08, 1, func(t float64) float64 {
		return s * (p.ankle + (p.calf-p.ankle)*math.Exp(-math.Pow((t-p.calfAt)/0.25, 2)))
	}, lit(p.skin))
	bar(img, low, ankle, 0, 1, func(t float64) float64 { return s * p.heel * (1 - 0.15*t) }, func(t, aside float64) tone {
		if t < 0.2 {
			return lit(p.sole)(t, aside)
		}
		return lit(p.shoe)(t, aside)
	})
	if p.dot == nil {
		return
	}
	between := func(a, b gait.Point, t float64) gait.Point {
		return gait.Point{X: a.X + t*(b.X-a.X), Y: a.Y + t*(b.Y-a.Y)}
	}
	for _, at := range []gait.Point{between(low, ankle, 0.35), between(low, ankle, 0.95), between(ankle, knee, 0.12),
		between(ankle, knee, 0.6)} {
		disc(img, at, p.dotRound, lit(*p.dot))
	}
}

// disc draws a round, lit from one side.
func disc(img []tone, at gait.Point, round float64, of func(t, aside float64) tone) {
	for y := max(0, int(at.Y-round-1)); y <= min(plainHigh-1, int(at.Y+round+1)); y++ {
		for x := max(0, int(at.X-round-1)); x <= min(plainWide-1, int(at.X+round+1)); x++ {
			dx, dy := float64(x)-at.X, float64(y)-at.Y
			if cover := min(1, round-math.Hypot(dx, dy)+0.5); cover > 0 {
				img[y*plainWide+x] = img[y*plainWide+x].to(of(0, dx/round), cover)
			}
		}
	}
}

type plainFilm []image.Image

func (f plainFilm) Len() int                         { return len(f) }
func (f plainFilm) Frame(i int) (image.Image, error) { return f[i], nil }

// The reader was shaped by the maker that ships; here it meets another.
func TestAnotherMaker(t *testing.T) { anotherMaker(t, gait.Run, 100, 104, 1, 120, false) }

// From farther off, a heel is as small as an ankle's part of it was taken for.
func TestAnotherMakerFromAfar(t *testing.T) {
	t.Parallel()
	anotherMaker(t, gait.Run, 480, 482, 0.55, 120, false)
	anotherMaker(t, gait.Walk, 483, 484, 0.65, 120, false)
}

// From near, a heel is wider than it was taken for.
func TestAnotherMakerFromNear(t *testing.T) {
	t.Parallel()
	anotherMaker(t, gait.Run, 31003, 31004, 2.2, 60, false)
	anotherMaker(t, gait.Run, 37101, 37102, 1.7, 60, false)
}

// One runner's two feet move in places as far apart, from very near, as two people's do.
func TestOneFromNearIsNotTwo(t *testing.T) {
	t.Parallel()
	p := newPlainRunner(30002, gait.Run)
	p.from(2.3)
	p.fps = 60
	var film plainFilm
	for i := range 180 {
		film = append(film, p.frame(i))
	}
	rec := gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, Gait: gait.Run, Shod: "shoes", FPS: &p.fps, Markers: gait.NoMarkers}
	if _, err := gait.Follow(film, rec, nil); err != nil && strings.Contains(err.Error(), "two people") {
		t.Error(err)
	}
}

// Legs that fill the picture are read, and said to be read less well; legs of a usual size are not.
func TestLegsThatFillThePicture(t *testing.T) {
	t.Parallel()
	for near, want := range map[float64]bool{2: true, 1.3: false} {
		p := newPlainRunner(39001, gait.Run)
		p.from(near)
		p.fps = 60
		var film plainFilm
		for i := range 180 {
			film = append(film, p.frame(i))
		}
		rec := gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, Gait: gait.Run, Shod: "shoes", FPS: &p.fps, Markers: gait.NoMarkers}
		followed, err := gait.Follow(film, rec, nil)
		if err != nil {
			t.Fatal(err)
		}
		read, err := gait.Read(followed, rec, gait.Corrections{}, nil)
		if err != nil {
			t.Fatal(err)
		}
		said := slices.ContainsFunc(read.Answer.Warnings, func(w fault.Warning) bool { return strings.Contains(w.Text, "farther off") })
		if got := slices.Contains(read.Answer.Quality.Flags, gait.TooNear); got != want || said != want {
			t.Errorf("a shank of %.2f of the picture's height: flagged %v, said %v; %v is right", p.shank/plainHigh, got, said, want)
		}
		if sd := followed.Outline.LevelSD[term.Left]; (sd > 4) != want {
			t.Errorf("a shank of %.2f of the picture's height: the level is good to %.1f°", p.shank/plainHigh, sd)
		}
	}
}

// Skin that is as bright as the belt tells nothing of where the leg ends there.
func TestAnotherMakersSkinLikeTheBelt(t *testing.T) {
	t.Parallel()
	anotherMaker(t, gait.Walk, 32007, 32008, 1, 60, false)
	anotherMaker(t, gait.Run, 30000, 30001, 1.5, 60, false)
}

// Nothing of a walker's foot is in the air for long, and what stands fills its place hardly better than what swings.
func TestAnotherMakersWalkers(t *testing.T) { anotherMaker(t, gait.Walk, 110, 112, 1, 120, false) }

func TestAnotherMakersDots(t *testing.T) {
	t.Run("running", func(t *testing.T) { anotherMaker(t, gait.Run, 120, 125, 1, 120, true) })
	t.Run("walking", func(t *testing.T) { anotherMaker(t, gait.Walk, 130, 132, 1, 120, true) })
	// A foot goes as far as its dots are apart from one frame to the next.
	t.Run("running at 60", func(t *testing.T) { anotherMaker(t, gait.Run, 800, 802, 1, 60, true) })
	t.Run("running at 30", func(t *testing.T) { anotherMaker(t, gait.Run, 803, 806, 1, 30, true) })
}

func anotherMaker(t *testing.T, how gait.Motion, from, to uint64, near, fps float64, dots bool) {
	var legs, contacts, far, early, off float64
	for seed := from; seed < to; seed++ {
		p := newPlainRunner(seed, how)
		p.from(near)
		p.fps = fps
		markers := gait.NoMarkers
		if dots {
			hues := []tone{{230, 20, 140}, {250, 120, 10}, {30, 170, 60}, {250, 225, 30}, {20, 90, 220}}
			markers, p.dot, p.dotRound = gait.AutoMarkers, &hues[p.r.IntN(len(hues))], 3.5+3.5*p.r.Float64()
			p.rises = 0.1 // no heel leaves at once as fast as it goes
		}
		var film plainFilm
		for i := range int(3 * fps) {
			film = append(film, p.frame(i))
		}
		rec := gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, Gait: how, Shod: "shoes", Surface: "treadmill", FPS: &fps,
			Markers: markers}
		followed, err := gait.Follow(film, rec, nil)
		if err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		read, err := gait.Read(followed, rec, gait.Corrections{}, nil)
		if err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		for k, side := range term.Sides {
			got := read.Answer.Sides[side]
			if got == nil || got.PeakEversionDeg == nil || got.PeakEversionDeg.Mean == nil || got.ExcursionDeg.Mean == nil {
				t.Errorf("seed %d: the %s leg was not read", seed, side)
				continue
			}
			legs++
			landed := 0.0 // as it is in the first frame on the ground
			for _, st := range got.Steps {
				first := st.TouchdownFrame
				if stands, _, _, _ := p.at(k, (first+st.Last())/2); !stands {
					t.Errorf("seed %d %s: a contact at %d to %d, in the air", seed, side, first, st.Last())
					continue
				}
				truth := (first + st.Last()) / 2
				for stands := true; stands; truth-- {
					stands, _, _, _ = p.at(k, truth-1)
				}
				contacts, early = contacts+1, early+math.Abs(float64(first-truth-1))
				_, _, _, everted := p.at(k, truth+1)
				landed += everted / float64(len(got.Steps))
			}
			peak := *got.PeakEversionDeg.Mean - p.peak[k]
			roll := *got.ExcursionDeg.Mean - (p.peak[k] - landed)
			if far, off = far+math.Abs(peak), off+math.Abs(roll); math.Abs(roll) > 2.5 || math.Abs(peak) > 6 {
				t.Errorf("seed %d %s: peak off by %.1f°, excursion by %.1f°", seed, side, peak, roll)
			}
		}
	}
	t.Logf("%.0f legs: peak off by %.2f°, excursion by %.2f°, touchdown by %.2f frames", legs, far/legs, off/legs, early/contacts)
	if far/legs > 2.5 || off/legs > 1 || early/contacts > 0.5 {
		t.Errorf("peak off by %.2f°, excursion by %.2f°, touchdown by %.2f frames; wanted 2.5°, 1° and half a frame", far/legs, off/legs,
			early/contacts)
	}
}
