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
	switch r.Settings.Room {
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
	US     float64 `json:"us"`
	UK     float64 `json:"uk"`
	EU     float64 `json:"eu"`
	RoomMM float64 `json:"room_mm"`
	Room   Room    `json:"room"`
	Label  string  `json:"label"`
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
	return m.InnerLength(size, r.House) - lengthMM - SockMM[r.Sock]
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

// sizeIn takes the size whose room is nearest the middle of the window, a tie
// going up, and the made width nearest the foot. reason is 'size' or 'width'
// with a text when the model cannot fit.
func (r *Request) sizeIn(m *shoe.Model) (size Size, reason, text string) {
	w := r.WindowFor(m)
	sizes := slices.Clone(m.SizesUK)
	slices.Sort(sizes)
	best, bestOff := -1, math.Inf(1)
	for i, s := range sizes {
		room := r.roomFor(m, s, r.longest)
		if room < LeastRoomMM-sizeTie {
			continue
		}
		if off := math.Abs(room - w.middle()); off <= bestOff+sizeTie {
			best, bestOff = i, off
		}
	}
	if best < 0 {
		largest := sizes[len(sizes)-1]
		return size, "size", fmt.Sprintf("The largest made, UK %g, leaves the longer foot %.1f mm; under %g mm is never offered.", largest.UK(m.Chart), r.roomFor(m, largest, r.longest), LeastRoomMM)
	}
	fig := sizes[best]
	room := r.roomFor(m, fig, r.longest)
	if room > w.High+fullSizeMM {
		return size, "size", fmt.Sprintf("The smallest made that fits, UK %g, leaves %.1f mm, over a full size more than the %g to %g mm wanted: the foot would slide.", fig.UK(m.Chart), room, w.Low, w.High)
	}
	width, off, footLetter := r.width(m)
	if off < -1 || off > 1 {
		return size, "width", fmt.Sprintf("The foot is a %s; the nearest width made is %s, more than one letter off.", footLetter, width)
	}
	size = Size{
		US: fig.US(m.Chart), UK: fig.UK(m.Chart), EU: fig.EU(m.Chart), Width: width, Label: m.Label(fig, width),
		RoomMM: units.Round(room, 2), Room: r.roomOf(m, fig), WantedMM: [2]float64{w.Low, w.High}, WantedFor: w.For,
		Neighbours: []Neighbour{}, Stock: m.StockOf(fig, width), Figure: fig, widthOff: off,
	}
	for _, i := range []int{best - 1, best + 1} {
		if i < 0 || i >= len(sizes) {
			continue
		}
		n := sizes[i]
		size.Neighbours = append(size.Neighbours, Neighbour{US: n.US(m.Chart), UK: n.UK(m.Chart), EU: n.EU(m.Chart),
			RoomMM: units.Round(r.roomFor(m, n, r.longest), 2), Room: r.roomOf(m, n), Label: m.Label(n, width)})
	}
	return size, "", ""
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
