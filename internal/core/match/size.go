package match

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"trevik/internal/core/foot"
	"trevik/internal/core/house"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// House values of fit.
const (
	LeastRoomMM = 8.0 // a size that leaves the longer foot less is never offered
	halfSizeMM  = units.Barleycorn / 2
	sizeTie     = 1e-6
)

// SockMM is what a sock takes from the room, mm (house).
var SockMM = map[term.Sock]float64{"thin": 0, "medium": 1, "thick": 2}

// Window is the wanted room in mm and what it is wanted for.
type Window struct {
	Low, High float64
	For       string
}

func (w Window) middle() float64 { return (w.Low + w.High) / 2 }

// WindowFor is the room that a model should leave this runner: the first that
// applies of several days, ultra or heat, descents, road; a pair that is for
// racing alone takes the racing room in place of the road's.
func (r *Request) WindowFor(m *shoe.Model) Window {
	racing := m.Class == term.RacePlated || m.Class == term.RaceFlat || m.Class == term.Spikes ||
		!slices.ContainsFunc(r.Kinds, func(k KindShare) bool { return k.Share > 0 && k.Kind != term.Race })
	h := house.Or(r.House)
	of := func(w house.Window, what string) Window { return Window{w.Low, w.High, what} }
	switch {
	case r.Settings.Room == "several_days":
		return of(h.Longs, "several days")
	case r.ultra(m) || slices.Contains(r.Conditions, term.Heat):
		return of(h.UltraRoom, "ultra or heat")
	case slices.Contains(r.Conditions, term.Descents):
		return of(h.DescentRoom, "descents")
	case racing:
		return of(h.RaceRoom, "race")
	}
	return RoadWindow(r.Settings.Room, h)
}

// RoadWindow is the room on road by a shop's way or a runner's wish: a thumbnail, a thumb,
// else a finger.
func RoadWindow(room string, h *house.Values) Window {
	h = house.Or(h)
	of := func(w house.Window, what string) Window { return Window{w.Low, w.High, what} }
	switch room {
	case "thumbnail":
		return of(h.Thumbnail, "road, a thumbnail")
	case "thumb":
		return of(h.Thumb, "road, a thumb")
	}
	return of(h.Finger, "road")
}

// Room is the room in mm before each foot; nil for a foot that was not measured.
type Room struct {
	Left  *float64 `json:"left"`
	Right *float64 `json:"right"`
}

// Neighbour is a size beside the one that was taken.
type Neighbour struct {
	US     float64     `json:"us"`
	UK     float64     `json:"uk"`
	EU     float64     `json:"eu"`
	RoomMM float64     `json:"room_mm"`
	Room   Room        `json:"room"`
	Label  string      `json:"label"`
	Stock  int         `json:"stock"`
	Figure foot.Figure `json:"-"`
}

// Size is a model's size for this runner. Room in mm; WeightG in this size. InsteadOf is the label
// of the one that fits better where that is not on the shelf today.
type Size struct {
	US         float64     `json:"us"`
	UK         float64     `json:"uk"`
	EU         float64     `json:"eu"`
	Width      string      `json:"width"`
	Label      string      `json:"label"`
	RoomMM     float64     `json:"room_mm"`
	Room       Room        `json:"room"`
	WantedMM   [2]float64  `json:"wanted_mm"`
	WantedFor  string      `json:"wanted_for"`
	Neighbours []Neighbour `json:"neighbours"`
	Stock      int         `json:"stock"`
	WeightG    float64     `json:"weight_g"`
	InsteadOf  *string     `json:"instead_of"`
	Figure     foot.Figure `json:"-"`
}

// roomFor is the room in mm that a size leaves a foot of so many mm.
func (r *Request) roomFor(m *shoe.Model, size foot.Figure, lengthMM float64) float64 {
	return m.InnerLength(size, r.House) - lengthMM - r.sock
}

func (r *Request) roomOf(m *shoe.Model, size foot.Figure) Room {
	var out Room
	for _, s := range []struct {
		to   **float64
		side term.Side
	}{{&out.Left, term.Left}, {&out.Right, term.Right}} {
		if f := r.Feet.Of(s.side); f != nil {
			v := units.Round(r.roomFor(m, size, f.Sizing(r.House)), 2)
			*s.to = &v
		}
	}
	return out
}

// Take is the size with a neighbour in its place, the neighbours as they were; ok is
// false where the figure is neither, or leaves the longer foot under 8 mm.
func (s Size) Take(f foot.Figure) (Size, bool) {
	if f == s.Figure {
		return s, true
	}
	for _, n := range s.Neighbours {
		if n.Figure == f && n.RoomMM >= LeastRoomMM-sizeTie {
			s.US, s.UK, s.EU, s.RoomMM, s.Room, s.Label, s.Stock, s.Figure = n.US, n.UK, n.EU, n.RoomMM, n.Room, n.Label, n.Stock, n.Figure
			return s, true
		}
	}
	return s, false
}

// fitting is what comes of looking for a model's size: reason is 'size' or 'width' when
// it cannot fit.
type fitting struct {
	reason string
	window Window
	at     int // in the sizes made, rising; -1 when even the largest is too short
	figure foot.Figure
	room   float64
	width  string
	off    int      // letters that the width made is off the foot's, 0 without a ball width
	moves  []string // what the try-on moved
}

// outside is by how many mm a room lies outside the window.
func (w Window) outside(room float64) float64 { return max(0, w.Low-room, room-w.High) }

// sizeIn takes the size whose room is nearest the middle of the window, a tie
// going up, and the made width nearest the foot.
func (r *Request) sizeIn(m *shoe.Model) fitting {
	f := fitting{window: r.WindowFor(m), at: -1}
	bestOff := math.Inf(1)
	for i, s := range m.SizesUK {
		room := r.roomFor(m, s, r.longest)
		if room < LeastRoomMM-sizeTie {
			continue
		}
		if off := math.Abs(room - f.window.middle()); off <= bestOff+sizeTie {
			f.at, f.figure, f.room, bestOff = i, s, room, off
		}
	}
	f.width, f.off = r.width(m)
	switch {
	case f.at < 0 || f.window.outside(f.room) > halfSizeMM+sizeTie:
		f.reason = "size"
	case abs(f.off) > 1:
		f.reason = "width"
	}
	return r.fitted(m, f)
}

// letterAt is a made width's place on its chart.
func letterAt(m *shoe.Model, width string) int { return foot.LetterIndex(m.Chart, width) }

// unfitSize says why no size fits, with the rooms of the nearest made.
func (r *Request) unfitSize(m *shoe.Model, f fitting) string {
	at := f.at
	if at < 0 {
		at = len(m.SizesUK) - 1
	}
	var near []string
	for i := max(0, at-1); i <= min(at+1, len(m.SizesUK)-1); i++ {
		near = append(near, fmt.Sprintf("UK %g %.1f mm", m.SizesUK[i].UK(m.Chart), r.roomFor(m, m.SizesUK[i], r.longest)))
	}
	return fmt.Sprintf("No size made leaves the longer foot %g to %g mm, half a size more or less, and never under %g mm: %s.", f.window.Low,
		f.window.High, LeastRoomMM, strings.Join(near, ", "))
}

// unfitWidth says by how much the nearest width is off.
func (r *Request) unfitWidth(m *shoe.Model, f fitting) string {
	way := "wider"
	if f.off < 0 {
		way = "narrower"
	}
	return fmt.Sprintf("The nearest width made, %s, is %d letters %s than the foot, about %.0f mm; one is the most.", f.width, abs(f.off), way,
		float64(abs(f.off))*house.Or(r.House).LetterMM)
}

// sized writes a size that fits, with its neighbours.
func (r *Request) sized(m *shoe.Model, f fitting) Size {
	size := Size{
		US: f.figure.US(m.Chart), UK: f.figure.UK(m.Chart), EU: f.figure.EU(m.Chart), Width: f.width,
		Label:  r.label(m, m.Label(f.figure, f.width)),
		RoomMM: units.Round(f.room, 2), Room: r.roomOf(m, f.figure), WantedMM: [2]float64{f.window.Low, f.window.High}, WantedFor: f.window.For,
		Neighbours: make([]Neighbour, 0, 2), Stock: m.StockOf(f.figure, f.width), WeightG: units.Round(m.WeightIn(f.figure), 1),
		Figure: f.figure,
	}
	for _, i := range []int{f.at - 1, f.at + 1} {
		if i < 0 || i >= len(m.SizesUK) {
			continue
		}
		n := m.SizesUK[i]
		size.Neighbours = append(size.Neighbours, Neighbour{US: n.US(m.Chart), UK: n.UK(m.Chart), EU: n.EU(m.Chart),
			RoomMM: units.Round(r.roomFor(m, n, r.longest), 2), Room: r.roomOf(m, n), Label: r.label(m, m.Label(n, f.width)),
			Stock: m.StockOf(n, f.width), Figure: n})
	}
	return size
}

// onShelf is the fitting itself where it is on the shelf, else the same width in another half size
// within the window, the nearest to its middle, else the size in another width at most a letter
// from the foot's. ok is false where none is there.
func (r *Request) onShelf(m *shoe.Model, f fitting) (fitting, bool) {
	if m.StockOf(f.figure, f.width) > 0 {
		return f, true
	}
	best, off := -1, math.Inf(1)
	for i, s := range m.SizesUK {
		room := r.roomFor(m, s, r.longest)
		if m.StockOf(s, f.width) == 0 || room < LeastRoomMM-sizeTie || f.window.outside(room) > sizeTie {
			continue
		}
		if d := math.Abs(room - f.window.middle()); d <= off+sizeTie {
			best, off = i, d
		}
	}
	if best >= 0 {
		s := m.SizesUK[best]
		f.at, f.figure, f.room = best, s, r.roomFor(m, s, r.longest)
		return f, true
	}
	if w, d, ok := r.nearestWidth(m, func(w string) bool { return m.StockOf(f.figure, w) > 0 }); ok && abs(d) <= 1 {
		f.width, f.off = w, d
		return f, true
	}
	return f, false
}

// width gives the made width nearest the foot's letter on the model's chart, by how many letters
// it is off (positive: wider than the foot). Without a ball width it is the nearest to the chart's
// standard, and off by nothing: no width is judged.
func (r *Request) width(m *shoe.Model) (made string, off int) {
	made, off, _ = r.nearestWidth(m, func(string) bool { return true })
	if r.widest == 0 {
		off = 0
	}
	return made, off
}

// nearestWidth is the nearest of some of the made widths. Where two are as near, an ultra takes the
// wider, else mud and descents the narrower, else the wider.
func (r *Request) nearestWidth(m *shoe.Model, of func(string) bool) (made string, off int, ok bool) {
	at := r.letterOf(m.Chart, r.widest)
	narrow := !r.ultra(m) && (m.Class == term.Mud || slices.Contains(r.Conditions, term.Descents) ||
		slices.ContainsFunc(r.Kinds, func(k KindShare) bool { return k.Ground == term.GroundMud && k.Share > 0 }))
	best := math.MaxInt
	for _, w := range m.Widths {
		if !of(w) {
			continue
		}
		d := foot.LetterIndex(m.Chart, w) - at
		if n := abs(d); n < best || n == best && (d > off) != narrow {
			best, off, made, ok = n, d, w, true
		}
	}
	return made, off, ok
}

// letterOf is the place of a ball width's letter on a chart, on the longer foot's length; beyond the
// letters it goes on in the same steps. Without a ball it is the standard's.
func (r *Request) letterOf(chart term.Chart, ballMM float64) int {
	standard := foot.LetterIndex(chart, foot.StandardLetter(chart))
	if ballMM == 0 {
		return standard
	}
	over := (ballMM - foot.StandardBall(chart, r.length, r.House)) / house.Or(r.House).LetterMM
	return standard + int(math.Floor(over+0.5+1e-9))
}

func abs(i int) int {
	if i < 0 {
		return -i
	}
	return i
}
