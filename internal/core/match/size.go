package match

import (
	"fmt"
	"math"
	"slices"

	"trevik/internal/core/foot"
	"trevik/internal/core/house"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// House values of fit.
const (
	LeastRoomMM   = 8.0 // a size that leaves the longer foot less is never offered
	fullSizeMM    = units.Barleycorn
	sizeTie       = 1e-6
	narrowLugDeep = 6.0
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
	return of(h.Finger, "road, a finger")
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

// Size is a model's size for this runner. Room in mm.
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
	Figure     foot.Figure `json:"-"`
	widthOff   int
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
	off    int    // letters that the width made is off
	letter string // of the foot
}

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
	switch {
	case f.at < 0:
		f.reason = "size"
		return f
	case f.room > f.window.High+fullSizeMM:
		f.reason = "size"
		return f
	}
	if f.width, f.off, f.letter = r.width(m); f.off < -1 || f.off > 1 {
		f.reason = "width"
	}
	return f
}

// unfit says why a model cannot fit.
func (r *Request) unfit(m *shoe.Model, f fitting) string {
	switch {
	case f.reason == "width" && r.widest == 0:
		return fmt.Sprintf("The ball was not measured, so the foot is taken for the middle width, %s; the nearest made is %s, more than one "+
			"letter off.", f.letter, f.width)
	case f.reason == "width":
		return fmt.Sprintf("The foot is a %s; the nearest width made is %s, more than one letter off.", f.letter, f.width)
	case f.at < 0:
		largest := slices.Max(m.SizesUK)
		return fmt.Sprintf("The largest made, UK %g, leaves the longer foot %.1f mm; under %g mm is never offered.", largest.UK(m.Chart),
			r.roomFor(m, largest, r.longest), LeastRoomMM)
	}
	return fmt.Sprintf("The smallest made that fits, UK %g, leaves %.1f mm, over a full size more than the %g to %g mm wanted: the foot "+
		"would slide.", f.figure.UK(m.Chart), f.room, f.window.Low, f.window.High)
}

// sized writes a size that fits, with its neighbours.
func (r *Request) sized(m *shoe.Model, f fitting) Size {
	size := Size{
		US: f.figure.US(m.Chart), UK: f.figure.UK(m.Chart), EU: f.figure.EU(m.Chart), Width: f.width, Label: m.Label(f.figure, f.width),
		RoomMM: units.Round(f.room, 2), Room: r.roomOf(m, f.figure), WantedMM: [2]float64{f.window.Low, f.window.High}, WantedFor: f.window.For,
		Neighbours: make([]Neighbour, 0, 2), Stock: m.StockOf(f.figure, f.width), Figure: f.figure, widthOff: f.off,
	}
	for _, i := range []int{f.at - 1, f.at + 1} {
		if i < 0 || i >= len(m.SizesUK) {
			continue
		}
		n := m.SizesUK[i]
		size.Neighbours = append(size.Neighbours, Neighbour{US: n.US(m.Chart), UK: n.UK(m.Chart), EU: n.EU(m.Chart),
			RoomMM: units.Round(r.roomFor(m, n, r.longest), 2), Room: r.roomOf(m, n), Label: m.Label(n, f.width), Stock: m.StockOf(n, f.width),
			Figure: n})
	}
	return size
}

// width gives the made width nearest the foot's letter on the model's chart, by
// how many letters it is off (positive: wider than the foot), and that letter.
// Where two are as near, mud and steep ground take the narrower, else the
// wider. Without a ball width the standard letter stands in.
func (r *Request) width(m *shoe.Model) (made string, off int, footLetter string) {
	footLetter = foot.StandardLetter(m.Chart)
	if r.widest > 0 {
		footLetter, _ = foot.Width(m.Chart, r.length, r.widest, r.House)
	}
	at := foot.LetterIndex(m.Chart, footLetter)
	held := m.LugDepthMM >= narrowLugDeep || slices.Contains(r.Conditions, term.Descents)
	best := math.MaxInt
	for _, w := range m.Widths {
		d := foot.LetterIndex(m.Chart, w) - at
		if n := abs(d); n < best || n == best && (d > off) != held {
			best, off, made = n, d, w
		}
	}
	return made, off, footLetter
}

func abs(i int) int {
	if i < 0 {
		return -i
	}
	return i
}
