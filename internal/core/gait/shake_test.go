package gait_test

import (
	"encoding/json"
	"image"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/gait"
	"trevik/internal/core/term"
)

// shaker is a camera that does not stand still: how far it went, px, and how it turned, in each frame.
type shaker func(i int) (dx, dy, turn float64)

// inAHand trembles and sways.
func inAHand(seed uint64, fps, px float64) shaker {
	r := rand.New(rand.NewPCG(seed, 31))
	var phase [18]float64
	for i := range phase {
		phase[i] = 2 * math.Pi * r.Float64()
	}
	return func(i int) (dx, dy, turn float64) {
		for k, hz := range []float64{0.3, 0.7, 1.3, 2.4, 5.1, 8.3} {
			a, w := 0.8*px/(0.6+hz), 2*math.Pi*hz*float64(i)/fps
			dx, dy = dx+a*math.Sin(w+phase[3*k]), dy+a*math.Sin(w+phase[3*k+1])
			turn += 0.1 * a * math.Pi / 180 * math.Sin(w+phase[3*k+2])
		}
		return dx, dy, turn
	}
}

// byTheSteps shakes as each foot comes down, so many seconds after one another.
func byTheSteps(first, every, fps, px float64) shaker {
	return func(i int) (dx, dy, turn float64) {
		t := math.Mod(float64(i)/fps-first+10*every, every)
		return 0, px * math.Exp(-t/0.08) * math.Sin(2*math.Pi*11*t), 0
	}
}

// shaken is a frame of such a camera, of a room with four posts in it.
func shaken(img *image.YCbCr, dx, dy, turn float64) image.Image {
	for y := range 330 {
		for _, post := range [][3]int{{30, 44, 60}, {600, 612, 190}, {82, 85, 120}, {556, 559, 30}} {
			for x := post[0]; x < post[1]; x++ {
				p := &img.Y[y*img.YStride+x]
				*p = uint8((int(*p) + 2*post[2]) / 3)
			}
		}
	}
	out := image.NewYCbCr(img.Rect, img.SubsampleRatio)
	sin, cos := math.Sincos(turn)
	plane := func(to, from []uint8, stride, w, h int, k float64) {
		for y := range h {
			for x := range w {
				cx, cy := float64(x)-float64(w)/2, float64(y)-float64(h)/2
				u, v := cx*cos-cy*sin+float64(w)/2-dx*k, cx*sin+cy*cos+float64(h)/2-dy*k
				u, v = min(float64(w)-1.001, max(0, u)), min(float64(h)-1.001, max(0, v))
				i, j := int(u), int(v)
				a, b := u-float64(i), v-float64(j)
				p := from[j*stride+i:]
				to[y*stride+x] = uint8((1-b)*((1-a)*float64(p[0])+a*float64(p[1])) +
					b*((1-a)*float64(p[stride])+a*float64(p[stride+1])) + 0.5)
			}
		}
	}
	w, h := img.Rect.Dx(), img.Rect.Dy()
	plane(out.Y, img.Y, out.YStride, w, h, 1)
	plane(out.Cb, img.Cb, out.CStride, w/2, h/2, 0.5)
	plane(out.Cr, img.Cr, out.CStride, w/2, h/2, 0.5)
	return out
}

// A film from a hand, or from a stand that the steps shake, is read as one from a stand that does not move.
func TestACameraThatMoves(t *testing.T) {
	t.Parallel()
	hue := tone{30, 170, 60}
	for _, c := range []struct {
		name string
		seed uint64
		near bool // a camera that stands close, and sees feet come nearer
		dots bool
		by   func(seed uint64, fps, stride float64) shaker
		told bool
	}{
		{"in a hand", 43200, false, false, func(seed uint64, fps, _ float64) shaker { return inAHand(seed, fps, 3) }, true},
		{"in a hand, with dots", 43201, true, true, func(seed uint64, fps, _ float64) shaker { return inAHand(seed, fps, 3) }, true},
		{"shaken by the steps", 43202, false, false, func(_ uint64, fps, stride float64) shaker {
			return byTheSteps(0.37*stride, stride/2, fps, 1)
		}, false},
		{"shaken by the steps, with dots", 43203, false, true, func(_ uint64, fps, stride float64) shaker {
			return byTheSteps(0.37*stride, stride/2, fps, 1)
		}, false},
		{"on a stand", 43203, false, true, nil, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			var frame func(i int) image.Image
			var angle func(k, i int) (down bool, everted float64)
			fps, stride := 60.0, 0.0
			if c.near {
				p := newSpaceRunner(c.seed, false)
				if p.fps, stride, frame = fps, p.stride, p.frame; c.dots {
					p.dot = &hue
				}
				angle = func(k, i int) (bool, float64) { return p.limbs(k, float64(i)/fps).down, p.angle(k, i) }
			} else {
				p := newPlainRunner(c.seed, gait.Run)
				if p.fps, stride, frame = fps, p.stride, p.frame; c.dots {
					p.dot, p.dotRound, p.rises = &hue, 5, 0.1
				}
				angle = func(k, i int) (bool, float64) { down, _, _, everted := p.at(k, i); return down, everted }
			}
			camera := func(int) (dx, dy, turn float64) { return 0, 0, 0 }
			if c.by != nil {
				camera = c.by(c.seed, fps, stride)
			}
			var film plainFilm
			for i := range 180 {
				dx, dy, turn := camera(i)
				film = append(film, shaken(frame(i).(*image.YCbCr), dx, dy, turn))
			}
			rec := gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, Gait: gait.Run, Shod: "shoes", FPS: &fps, Markers: gait.NoMarkers}
			if c.dots {
				rec.Markers = gait.AutoMarkers
			}
			f, err := gait.Follow(film, rec, nil)
			if err != nil {
				t.Fatal(err)
			}
			// It is kept between following and reading, to hundredths of a pixel.
			data, err := json.Marshal(f)
			if err != nil {
				t.Fatal(err)
			}
			f = gait.Followed{}
			if err := json.Unmarshal(data, &f); err != nil {
				t.Fatal(err)
			}
			read, err := gait.Read(f, rec, gait.Corrections{}, nil)
			if err != nil {
				t.Fatal(err)
			}
			if got := slices.Contains(read.Answer.Quality.Flags, gait.CameraMoved); got != c.told || (len(f.Shaken) > 0) != (c.by != nil) {
				t.Errorf("the camera moved: told %v, taken out %v", got, len(f.Shaken) > 0)
			}
			for k, side := range term.Sides {
				got := read.Answer.Sides[side]
				if got == nil {
					t.Fatalf("the %s leg was not read", side)
				}
				peak, roll := 0.0, 0.0
				for _, st := range got.Steps {
					first := st.TouchdownFrame
					truth := (first + st.Last()) / 2
					for down := true; down; truth-- {
						down, _ = angle(k, truth-1)
					}
					if truth++; math.Abs(float64(first-truth)) > 2 {
						t.Errorf("%s: landed in frame %d; %d is right", side, first, truth)
					}
					_, landed := angle(k, truth)
					most := landed
					for i := truth; i <= st.Last(); i++ {
						_, e := angle(k, i)
						most = max(most, e)
					}
					peak, roll = peak+most/float64(len(got.Steps)), roll+(most-landed)/float64(len(got.Steps))
				}
				dp, de := *got.PeakEversionDeg.Mean-peak, *got.ExcursionDeg.Mean-roll
				t.Logf("%s: peak %+.1f°, excursion %+.1f°, %d steps", side, dp, de, len(got.Steps))
				if len(got.Steps) < 3 || math.Abs(de) > 1.5 || math.Abs(dp) > 5 || c.dots && math.Abs(dp) > 1 {
					t.Errorf("%s: peak off by %.1f°, excursion by %.1f°, %d steps", side, dp, de, len(got.Steps))
				}
			}
			// What is drawn on the film lies where the film shows it: dots are of their colour.
			for _, dots := range read.Answer.Markers {
				for name, marks := range dots {
					off := 0
					for _, m := range marks {
						p := film[m.Frame].(*image.YCbCr)
						if r, g, b, _ := p.At(int(m.X+0.5), int(m.Y+0.5)).RGBA(); c.dots && (g < r || g < b) {
							off++
						}
					}
					if off > len(marks)/10 {
						t.Errorf("%s: %d of %d marks are off their dot", name, off, len(marks))
					}
				}
			}
		})
	}
}

// A camera that goes farther than can be taken out is said to move, with what to do.
func TestACameraThatGoesFar(t *testing.T) {
	t.Parallel()
	fps := 60.0
	p := newPlainRunner(43204, gait.Run)
	p.fps = fps
	var film plainFilm
	for i := range 120 {
		w := 2 * math.Pi * float64(i) / fps
		film = append(film, shaken(p.frame(i).(*image.YCbCr), 55*math.Sin(0.9*w), 40*math.Sin(1.3*w), 0))
	}
	rec := gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, Gait: gait.Run, Shod: "shoes", FPS: &fps, Markers: gait.NoMarkers}
	if _, err := gait.Follow(film, rec, nil); err == nil || !strings.Contains(err.Error(), "the camera moves; put it on a stand") {
		t.Errorf("it is told: %v", err)
	}
}
