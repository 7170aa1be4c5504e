package gait

import (
	"cmp"
	"encoding/json"
	"fmt"
	"image"
	"image/draw"
	"math"
	"slices"
)

// House values of a camera that is held in a hand, or shaken by the steps.
const (
	shakeLooks    = 25   // frames, whose middle is what stands still
	shakePoints   = 5000 // places on it, at most
	leastPoints   = 150
	shakeEdge     = 5.0   // of brightness a pixel, that a place on an edge has
	shakeSlope    = 2.0   // of brightness a pixel: less is the light's, and tells no place
	shakeUnlike   = 9.0   // of brightness, from which a place is taken to be hidden
	shakeLike     = 0.7   // px of the small picture, beside
	shakeNoise    = 2.0   // times as much as half of all varies, what stands still does at most
	shakeOff      = 0.3   // px of the small picture, beside
	shakeLegs     = 6.0   // of brightness, more than an edge, that a leg makes a place vary by
	shakeBeside   = 3     // px of the small picture, about what moves
	shakeReach    = 10    // px of the small picture, that is searched
	shakeTries    = 6     // to find what stands still; from the fifth on, or once it lies still, without the legs
	shakeSettled  = 0.02  // px of the small picture, that no look went farther by
	shakeRounds   = 8     // to find one frame's place
	shakeEdgeWide = 0.04  // of the picture's height, that one edge takes
	shakeOther    = 40    // places' pull, off the strongest edge, that must say the same
	shakeFound    = 0.004 // px of the small picture, that the last round moved it by
	shakeHeld     = 20    // places' pull to where the picture mostly lies
	shakeKnown    = 0.5   // of the places, that are seen in a frame which is placed
	shakeUsual    = 0.95  // of what is seen of them in other frames: with less, another place is looked for
	shakeLearns   = 0.1
	shakeLasts    = 0.25 // of an edge, that the mean picture shows yet
	shakeEvery    = 3    // frames of it
	standsEdge    = 20.0 // of brightness a pixel, that tells a stand
	standsBy      = 0.05 // px of the small picture, by which such an edge may move in nine looks of ten
	standsNoise   = 1.2  // times as much as half of all varies
	standsShare   = 0.3  // of those edges, that hold still
	leastShake    = 0.04 // px of the film, in the mean square: less is a stand
	shakeAgrees   = 0.4  // of how far the picture sways, by which two sets of places differ
	mostShake     = 0.07 // of the picture's height, that is taken out
	shakeUnplaced = 0.1  // of the frames, that could not be placed
)

// shake is where what stands still lies in a frame: px from where it lies in the mean picture, turned about the middle.
type shake struct{ x, y, turn float64 }

// MarshalJSON writes [x, y, turn], px to hundredths and radians to hundred thousandths.
func (s shake) MarshalJSON() ([]byte, error) {
	return fmt.Appendf(nil, "[%.2f,%.2f,%.5f]", s.x, s.y, s.turn), nil
}

// UnmarshalJSON reads what MarshalJSON writes.
func (s *shake) UnmarshalJSON(data []byte) error {
	return json.Unmarshal(data, &[]any{&s.x, &s.y, &s.turn})
}

// out is where a place of the steadied picture lies in the frame; middle is the picture's.
func (s shake) out(p, middle Point) Point {
	sin, cos := math.Sincos(s.turn)
	d := p.minus(middle)
	return Point{middle.X + cos*d.X - sin*d.Y + s.x, middle.Y + sin*d.X + cos*d.Y + s.y}
}

// in is where a place of the frame lies in the steadied picture.
func (s shake) in(p, middle Point) Point {
	sin, cos := math.Sincos(s.turn)
	d := p.minus(Point{middle.X + s.x, middle.Y + s.y})
	return Point{middle.X + cos*d.X + sin*d.Y, middle.Y - sin*d.X + cos*d.Y}
}

// shaken is an error of a film whose camera does not stand still: it is to be steadied, then looked at.
type shaken []shake

// middleOf is the middle of a picture.
func middleOf(size image.Point) Point { return Point{float64(size.X-1) / 2, float64(size.Y-1) / 2} }

func (s shaken) Error() string { return "the camera moves" }

// settle has the picture lie where it mostly does.
func (s shaken) settle() {
	list := make([]float64, len(s))
	for _, of := range []func(*shake) *float64{func(v *shake) *float64 { return &v.x }, func(v *shake) *float64 { return &v.y },
		func(v *shake) *float64 { return &v.turn }} {
		for i := range s {
			list[i] = *of(&s[i])
		}
		middle := median(list)
		for i := range s {
			*of(&s[i]) -= middle
		}
	}
}

// by is the same in a picture that is so many times as large.
func (s shaken) by(k float64) shaken {
	for i := range s {
		s[i].x, s[i].y = k*s[i].x, k*s[i].y
	}
	return s
}

// in tells where a place of a frame were had the camera stood still; middle is the picture's.
func (s shaken) in(middle Point) func(frame int, p Point) Point {
	return func(i int, p Point) Point {
		if i >= len(s) {
			return p
		}
		return s[i].in(p, middle)
	}
}

// out tells where such a place is in the film.
func (s shaken) out(middle Point) func(frame int, p Point) Point {
	return func(i int, p Point) Point {
		if i >= len(s) {
			return p
		}
		return s[i].out(p, middle)
	}
}

// far is how far the picture's middle goes from where it mostly is, px.
func (s shaken) far() float64 {
	most := 0.0
	for _, v := range s {
		most = max(most, math.Hypot(v.x, v.y))
	}
	return most
}

// held is a place that should stand still: how bright it is and how that changes to the right, downwards and by a turn.
type held struct {
	x, y          float64 // from the picture's middle
	v, gx, gy, gt float64
	weighs, like  float64 // like: of brightness, by which it may differ where it is seen
	in            [2]int  // which of two sets, for the way across and down: the strongest edge, or all that lie off it
}

// shakes is how the camera moves from frame to frame, px of what is looked at; nil where it stands still, or where that cannot be told.
func (o *overview) shakes() shaken {
	n := len(o.frames)
	if o.at(0) == nil {
		return nil
	}
	o.steadied()
	looks := make([]int, min(n, shakeLooks))
	for k := range looks { // not at even steps, which could fall in with the stride
		looks[k] = int((float64(k) + 0.35*math.Sin(float64(7*k)) + 0.5) / float64(len(looks)) * float64(n-1))
	}
	if o.stands(looks) {
		return nil
	}
	still, spread := floats(o.at(looks[0])), []float32(nil)
	var places []held
	at := make([]shake, len(looks))
	without := false
	for try := range shakeTries { // against the first, then against the middle of all
		if places = o.places(still, spread, without); len(places) < leastPoints {
			return nil
		}
		went := make([]float64, len(looks))
		_ = eachOf(len(looks), func(k int) error {
			f, was := o.at(looks[k]), at[k]
			if try == 0 {
				at[k], _ = o.anew(f, places, still, shake{})
			} else {
				at[k], _ = o.place(f, places, was, -1, 0)
			}
			went[k] = math.Hypot(at[k].x-was.x, at[k].y-was.y) + math.Abs(at[k].turn-was.turn)*float64(o.h)/2
			return nil
		})
		settled := try > 0 && slices.Max(went) <= shakeSettled
		if settled && without {
			break
		}
		if !settled || spread == nil {
			if still, spread = o.steadyMiddle(looks, at); try == 0 {
				spread = nil // the first has legs in it
			}
		}
		without = spread != nil && (settled || try >= shakeTries/2)
	}
	if places = o.lasting(o.places(still, spread, true), at); len(places) < leastPoints {
		return nil
	}
	told := o.parted(places)
	out, said := make(shaken, n), [2][2]shaken{{make(shaken, n), make(shaken, n)}, {make(shaken, n), make(shaken, n)}}
	parts := min(atOnce, n)
	unplaced := make([]int, parts)
	_ = eachOf(parts, func(part int) error {
		var s shake
		usual := 1.0
		for i := part * n / parts; i < (part+1)*n/parts; i++ {
			f := o.at(i)
			now, seen := o.place(f, places, s, -1, 0)
			if seen < shakeUsual*usual || i == part*n/parts {
				now, seen = o.anew(f, places, still, s)
			}
			usual += shakeLearns * (seen - usual)
			if seen < shakeKnown {
				unplaced[part]++
				out[i] = s
				continue
			}
			s, out[i] = now, now
			for axis := range said {
				for set := range said[axis] {
					said[axis][set][i], _ = o.place(f, places, now, axis, set)
				}
			}
		}
		return nil
	})
	lost := 0
	for _, k := range unplaced {
		lost += k
	}
	if float64(lost) > shakeUnplaced*float64(n) {
		return nil
	}
	out.settle()
	// What two sets of places do not agree in is no shaking, nor is what goes less far the other way than they differ in this.
	px, shakes := float64(o.by), false
	axes := []func(s *shake) *float64{func(s *shake) *float64 { return &s.x }, func(s *shake) *float64 { return &s.y }}
	var moved, differ [2]float64
	for axis, of := range axes {
		for i := range out {
			v := of(&out[i])
			*v *= px
			moved[axis] += *v * *v / float64(n)
			if told[axis] {
				differ[axis] += math.Pow(px*(*of(&said[axis][0][i])-*of(&said[axis][1][i])), 2) / float64(n)
			}
		}
		moved[axis], differ[axis] = math.Sqrt(moved[axis]), math.Sqrt(differ[axis])
	}
	for axis, of := range axes {
		if told[axis] && moved[axis] > leastShake && differ[axis] < shakeAgrees*moved[axis] && differ[1-axis] < moved[axis] {
			shakes = true
			continue
		}
		for i := range out {
			*of(&out[i]), out[i].turn = 0, 0
		}
	}
	if !shakes || out.far() > mostShake*px*float64(o.h) {
		return nil
	}
	return out
}

// stands says whether enough of the strong edges hold still both across and down, which they do before no camera that moves.
func (o *overview) stands(looks []int) bool {
	mean := make([]float32, o.w*o.h)
	for _, i := range looks {
		for k, v := range o.at(i) {
			mean[k] += float32(v) / float32(len(looks))
		}
	}
	list := make([]float64, len(looks))
	varies := func(k int) float64 { // about its middle, in nine looks of ten
		for j, i := range looks {
			list[j] = float64(o.at(i)[k])
		}
		middle := median(list)
		for j := range list {
			list[j] = math.Abs(list[j] - middle)
		}
		slices.Sort(list)
		return list[len(list)*9/10]
	}
	var noise []float64
	for k := o.w + 1; k < len(mean)-o.w; k += 97 {
		noise = append(noise, varies(k))
	}
	least := standsNoise * median(noise)
	var all, still [2]float64
	for y := 2; y < o.h-2; y++ {
		for x := 2; x < o.w-2; x++ {
			k := y*o.w + x
			gx, gy := float64(mean[k+1]-mean[k-1])/2, float64(mean[k+o.w]-mean[k-o.w])/2
			e := math.Hypot(gx, gy)
			if e < standsEdge {
				continue
			}
			all[0], all[1] = all[0]+gx*gx, all[1]+gy*gy
			if varies(k) < least+standsBy*e {
				still[0], still[1] = still[0]+gx*gx, still[1]+gy*gy
			}
		}
	}
	const enough = shakeOther * shakeEdge * shakeEdge
	return still[0] > max(enough, standsShare*all[0]) && still[1] > max(enough, standsShare*all[1])
}

func floats(f []uint8) []float32 {
	out := make([]float32, len(f))
	for i, v := range f {
		out[i] = float32(v)
	}
	return out
}

// steadyMiddle is the middle of some frames that were put in their places, and how much most of them differ from it.
func (o *overview) steadyMiddle(looks []int, at []shake) (out, spread []float32) {
	out, spread = make([]float32, o.w*o.h), make([]float32, o.w*o.h)
	middle := o.middle()
	_ = eachOf(o.h, func(y int) error {
		list := make([]float32, len(looks))
		rows, from, step := make([][]uint8, len(looks)), make([]Point, len(looks)), make([]Point, len(looks))
		for k, i := range looks {
			rows[k], from[k] = o.at(i), at[k].out(Point{0, float64(y)}, middle)
			step[k] = at[k].out(Point{1, float64(y)}, middle).minus(from[k])
		}
		for x := range o.w {
			for k, f := range rows {
				list[k] = float32(o.between(f, from[k].X+float64(x)*step[k].X, from[k].Y+float64(x)*step[k].Y))
			}
			slices.Sort(list)
			v := list[len(list)/2]
			out[y*o.w+x] = v
			for k := range list {
				list[k] = float32(math.Abs(float64(list[k] - v)))
			}
			slices.Sort(list)
			spread[y*o.w+x] = list[len(list)*3/4]
		}
		return nil
	})
	return out, spread
}

func (o *overview) middle() Point { return middleOf(image.Pt(o.w, o.h)) }

// between is the brightness between pixels, the border's outside.
func (o *overview) between(f []uint8, x, y float64) float64 {
	x, y = min(max(0, x), float64(o.w)-1.001), min(max(0, y), float64(o.h)-1.001)
	i, j := int(x), int(y)
	a, b := x-float64(i), y-float64(j)
	p, q := f[j*o.w+i:][:2], f[(j+1)*o.w+i:][:2]
	return (1-b)*((1-a)*float64(p[0])+a*float64(p[1])) + b*((1-a)*float64(q[0])+a*float64(q[1]))
}

// places are those on the edges of what stands still; spread, where it is known, is how much they vary, and where legs are
// left out, nothing between the first column and the last that they go through counts: of thighs, the edges hardly move.
func (o *overview) places(still, spread []float32, without bool) []held {
	var out []held
	noise, first, last := 0.0, o.w, 0
	edge := func(k int) (x, y, both float64) {
		x, y = float64(still[k+1]-still[k-1])/2, float64(still[k+o.w]-still[k-o.w])/2
		return x, y, math.Hypot(x, y)
	}
	if spread != nil {
		list := slices.Clone(spread)
		slices.Sort(list)
		noise = shakeNoise * float64(list[len(list)/2])
	}
	for x := 1; x < o.w-1 && without; x++ {
		rows := 0
		for y := 1; y < o.h*6/10; y++ {
			k := y*o.w + x
			if _, _, e := edge(k); float64(spread[k]) > noise+e+shakeLegs {
				rows++
			}
		}
		if rows > o.h/20 {
			first, last = min(first, x-shakeBeside), max(last, x+shakeBeside)
		}
	}
	middle := o.middle()
	for y := 2; y < o.h-2; y++ {
		for x := 2; x < o.w-2; x++ {
			if x >= first && x <= last {
				continue
			}
			k := y*o.w + x
			gx, gy, e := edge(k)
			if e < shakeEdge {
				continue
			}
			// A slope of light says nothing of where a place lies, and how bright it is may differ a little.
			if math.Abs(gx) < shakeSlope {
				gx = 0
			}
			if math.Abs(gy) < shakeSlope {
				gy = 0
			}
			weighs := 1.0
			if spread != nil {
				weighs = 1 / (1 + math.Pow(float64(spread[k])/(noise+shakeOff*e), 4))
			}
			if weighs > 0.1 {
				p := Point{float64(x), float64(y)}.minus(middle)
				out = append(out, held{x: p.X, y: p.Y, v: float64(still[k]), gx: gx, gy: gy, gt: gy*p.X - gx*p.Y, weighs: weighs,
					like: shakeUnlike + shakeLike*e})
			}
		}
	}
	if every := len(out)/shakePoints + 1; every > 1 {
		kept := out[:0]
		for i := 0; i < len(out); i += every {
			kept = append(kept, out[i])
		}
		out = kept
	}
	return out
}

// lasting are the places whose edge the mean of the frames, as they were filmed, shows yet: shaking blurs it. What runs through the
// picture at even distances, as a belt's stripes do, may be put in one place frame by frame, but is none in the mean.
func (o *overview) lasting(places []held, at []shake) []held {
	mean, n := make([]float32, o.w*o.h), float32((len(o.frames)+shakeEvery-1)/shakeEvery)
	_ = eachOf(o.h, func(y int) error {
		row := mean[y*o.w:][:o.w]
		for i := 0; i < len(o.frames); i += shakeEvery {
			for x, v := range o.at(i)[y*o.w:][:o.w] {
				row[x] += float32(v) / n
			}
		}
		return nil
	})
	x, y := make([]float64, len(at)), make([]float64, len(at))
	for k, s := range at {
		x[k], y[k] = s.x, s.y
	}
	from := o.middle().plus(Point{median(x), median(y)})
	return slices.DeleteFunc(places, func(p held) bool {
		u, v := int(math.Round(from.X+p.x)), int(math.Round(from.Y+p.y))
		if u < 2 || v < 2 || u > o.w-3 || v > o.h-3 {
			return true
		}
		most := 0.0
		for dv := -1; dv <= 1; dv++ {
			for du := -1; du <= 1; du++ {
				k := (v+dv)*o.w + u + du
				most = max(most, (float64(mean[k+1]-mean[k-1])*p.gx+float64(mean[k+o.w]-mean[k-o.w])*p.gy)/2)
			}
		}
		return most < shakeLasts*(p.gx*p.gx+p.gy*p.gy)
	})
}

// begun is about where the frame lies against what stands still, to some pixels.
func (o *overview) begun(f []uint8, still []float32) shake {
	best, at := math.Inf(1), shake{}
	for dy := -shakeReach; dy <= shakeReach; dy += 2 {
		for dx := -shakeReach; dx <= shakeReach; dx += 2 {
			sum := 0.0
			for y := shakeReach; y < o.h-shakeReach; y += 3 {
				p, q := f[(y+dy)*o.w:], still[y*o.w:]
				for x := shakeReach + y%3; x < o.w-shakeReach; x += 3 {
					sum += min(shakeUnlike, math.Abs(float64(p[x+dx])-float64(q[x])))
				}
			}
			if sum < best {
				best, at = sum, shake{x: float64(dx), y: float64(dy)}
			}
		}
	}
	return at
}

// parted puts the places into two sets for each way: those on the edge that says most of it, and those that lie off it. One edge
// alone tells nothing: it may be the belt's, over which stripes run, or a thigh's. Where no other says it, it is not told.
func (o *overview) parted(places []held) (told [2]bool) {
	for axis := range 2 {
		at := func(p *held) (float64, float64) {
			if axis == 0 {
				return p.x, p.weighs * p.gx * p.gx
			}
			return p.y, p.weighs * p.gy * p.gy
		}
		slices.SortFunc(places, func(a, b held) int {
			u, _ := at(&a)
			v, _ := at(&b)
			return cmp.Compare(u, v)
		})
		wide := shakeEdgeWide * float64(o.h)
		best, most, sum, all, first := 0.0, 0.0, 0.0, 0.0, 0
		for i := range places {
			u, k := at(&places[i])
			sum, all = sum+k, all+k
			for v, k := at(&places[first]); u-v > wide; v, k = at(&places[first]) {
				sum -= k
				first++
			}
			if sum > most {
				v, _ := at(&places[first])
				best, most = (u+v)/2, sum
			}
		}
		told[axis] = all-most >= shakeOther*shakeEdge*shakeEdge
		for i := range places {
			u, _ := at(&places[i])
			switch off := math.Abs(u - best); {
			case off <= wide/2:
				places[i].in[axis] = 0
			case off <= wide:
				places[i].in[axis] = -1
			default:
				places[i].in[axis] = 1
			}
		}
	}
	return told
}

// anew is where the places lie in a frame, as they are seen best: begun where the frame before lay, where most lie, or, if they
// are not plainly seen from there, where the whole picture is like what stands still.
func (o *overview) anew(f []uint8, places []held, still []float32, before shake) (best shake, most float64) {
	for _, from := range []func() shake{func() shake { return before }, func() shake { return shake{} },
		func() shake { return o.begun(f, still) }} {
		if s, seen := o.place(f, places, from(), -1, 0); seen > most {
			best, most = s, seen
		}
		if most > shakeUsual {
			break
		}
	}
	return best, most
}

// place is where the places lie in a frame, and how many of them are seen there, as a share. One of the two sets alone, when
// it is not less than 0, says only how far the picture went, not how it turned.
func (o *overview) place(f []uint8, places []held, s shake, axis, set int) (shake, float64) {
	middle := o.middle()
	seen := 0.0
	for range shakeRounds {
		sin, cos := math.Sincos(s.turn)
		var m [6]float64 // the upper half of the equations
		var b [3]float64
		sum, all := 0.0, 0.0
		for i := range places {
			p := &places[i]
			if axis >= 0 && p.in[axis] != set {
				continue
			}
			x, y := middle.X+cos*p.x-sin*p.y+s.x, middle.Y+sin*p.x+cos*p.y+s.y
			if x < 0 || y < 0 || x > float64(o.w-1) || y > float64(o.h-1) {
				continue
			}
			r := o.between(f, x, y) - p.v
			k := 1 / (1 + r*r/(p.like*p.like))
			sum, all = sum+p.weighs*k, all+p.weighs
			k *= k * p.weighs
			m[0], m[1], m[2] = m[0]+k*p.gx*p.gx, m[1]+k*p.gx*p.gy, m[2]+k*p.gx*p.gt
			m[3], m[4], m[5] = m[3]+k*p.gy*p.gy, m[4]+k*p.gy*p.gt, m[5]+k*p.gt*p.gt
			b[0], b[1], b[2] = b[0]+k*p.gx*r, b[1]+k*p.gy*r, b[2]+k*p.gt*r
		}
		if all == 0 {
			return s, 0
		}
		seen = sum / all
		// Edges that run one way say nothing of it.
		pull := shakeHeld * shakeEdge * shakeEdge
		m[0], m[3], b[0], b[1] = m[0]+pull, m[3]+pull, b[0]+pull*s.x, b[1]+pull*s.y
		pull *= float64(o.h*o.h) / 12
		m[5], b[2] = m[5]+pull, b[2]+pull*s.turn
		if axis >= 0 {
			m[2], m[4], b[2] = 0, 0, 0
		}
		var d [3]float64
		for k, v := range inverse(m) {
			d[k/3] += v * b[k%3]
		}
		s.x, s.y, s.turn = s.x-d[0], s.y-d[1], s.turn-d[2]
		if math.Hypot(d[0], d[1]) < shakeFound && math.Abs(d[2])*float64(o.h) < shakeFound {
			break
		}
	}
	return s, seen
}

// steadyFrames are a film's, each put where what stands still lies in the mean picture.
type steadyFrames struct {
	Frames
	size image.Point
	at   shaken
}

// Frame is one of them, as YCbCr or gray; one of another size than the film's stays as it is.
func (s steadyFrames) Frame(i int) (image.Image, error) {
	img, err := s.Frames.Frame(i)
	if err != nil || img.Bounds().Size() != s.size || s.at[i] == (shake{}) {
		return img, err
	}
	switch m := img.(type) {
	case *image.Gray:
		out := image.NewGray(image.Rectangle{Max: s.size})
		s.moved(out.Pix, m.Pix[m.PixOffset(m.Rect.Min.X, m.Rect.Min.Y):], out.Stride, m.Stride, s.size, 1, i)
		return out, nil
	case *image.YCbCr:
		if m.SubsampleRatio != image.YCbCrSubsampleRatio420 || m.Rect.Min != (image.Point{}) {
			break
		}
		out := image.NewYCbCr(image.Rectangle{Max: s.size}, m.SubsampleRatio)
		half := image.Pt((s.size.X+1)/2, (s.size.Y+1)/2)
		s.moved(out.Y, m.Y, out.YStride, m.YStride, s.size, 1, i)
		s.moved(out.Cb, m.Cb, out.CStride, m.CStride, half, 0.5, i)
		s.moved(out.Cr, m.Cr, out.CStride, m.CStride, half, 0.5, i)
		return out, nil
	}
	src := image.NewRGBA(image.Rectangle{Max: s.size})
	draw.Draw(src, src.Rect, img, img.Bounds().Min, draw.Src)
	out := image.NewRGBA(src.Rect)
	for c := range 4 {
		plane, to := make([]uint8, s.size.X*s.size.Y), make([]uint8, s.size.X*s.size.Y)
		for k := range plane {
			plane[k] = src.Pix[4*k+c]
		}
		s.moved(to, plane, s.size.X, s.size.X, s.size, 1, i)
		for k, v := range to {
			out.Pix[4*k+c] = v
		}
	}
	return out, nil
}

// moved is one plane of a frame, at a scale, in its place.
func (s steadyFrames) moved(to, from []uint8, toStride, stride int, size image.Point, scale float64, i int) {
	at := s.at[i]
	at.x, at.y = at.x*scale, at.y*scale
	middle := middleOf(size)
	sin, cos := math.Sincos(at.turn)
	const one, fine = 1 << 16, 1 << 8
	for y := range size.Y {
		p := at.out(Point{0, float64(y)}, middle)
		fx, fy := int(p.X*one), int(p.Y*one)
		dx, dy := int(cos*one), int(sin*one)
		row := to[y*toStride:][:size.X]
		for x := range row {
			u, v := min(max(0, fx), (size.X-1)*one-1), min(max(0, fy), (size.Y-1)*one-1)
			q := from[v>>16*stride+u>>16:]
			a, b := u>>8&(fine-1), v>>8&(fine-1)
			above, below := int(q[0])*(fine-a)+int(q[1])*a, int(q[stride])*(fine-a)+int(q[stride+1])*a
			row[x] = uint8((above*(fine-b) + below*b + fine*fine/2) / (fine * fine))
			fx, fy = fx+dx, fy+dy
		}
	}
}
