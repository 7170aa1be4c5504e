package gait

import (
	"encoding/json"
	"fmt"
	"image"
	"math"
	"slices"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/strict"
	"trevik/internal/core/term"
)

const (
	RecordingSchema = "trevik.recording/v1"
	AnswerSchema    = "trevik.gait/v1"
)

// View is where the camera stands.
type View string

// Motion is how the runner moves.
type Motion string

const (
	Rear  View = "rear"
	Side  View = "side"
	Front View = "front"

	Run  Motion = "run"
	Walk Motion = "walk"
)

// The lists, in the order in which they are shown.
var (
	Views    = []View{Rear, Side, Front}
	Motions  = []Motion{Run, Walk}
	Surfaces = []string{"treadmill", "ground"}
)

// Limits of a recording.
const (
	MinFPS    = 24
	MaxFPS    = 1000
	MaxFrames = 5000
	maxText   = 120
)

// dotNames of each view, the highest on the leg first.
var dotNames = map[View][]string{
	Rear:  {"calf_top", "calf_low", "heel_top", "heel_low"},
	Front: {"hip", "knee", "ankle"},
	Side:  {"knee", "ankle", "heel", "toe"},
}

// DotNames are the dots of a view on one leg, the highest first.
func DotNames(v View) []string { return dotNames[v] }

// Point is a place in the picture, px.
type Point struct{ X, Y float64 }

func (p Point) minus(q Point) Point      { return Point{p.X - q.X, p.Y - q.Y} }
func (p Point) plus(q Point) Point       { return Point{p.X + q.X, p.Y + q.Y} }
func (p Point) times(k float64) Point    { return Point{k * p.X, k * p.Y} }
func (p Point) distance(q Point) float64 { return math.Hypot(p.X-q.X, p.Y-q.Y) }

// How a dot's place was come by.
const (
	Found   = "found"
	Bridged = "bridged" // over a short gap, or between two marks by hand
	ByHand  = "by_hand"

	OnOutline = "outline" // a point of a leg without dots
)

// Mark is a dot in one frame. As JSON it is [frame, x, y, how].
type Mark struct {
	Frame int
	Point
	How string
}

// MarshalJSON writes [frame, x, y, how], places to hundredths of a pixel.
func (m Mark) MarshalJSON() ([]byte, error) {
	return fmt.Appendf(nil, "[%d,%.2f,%.2f,%q]", m.Frame, m.X, m.Y, m.How), nil
}

// UnmarshalJSON reads what MarshalJSON writes.
func (m *Mark) UnmarshalJSON(data []byte) error {
	return json.Unmarshal(data, &[]any{&m.Frame, &m.X, &m.Y, &m.How})
}

// Tracks are the paths of the dots, by leg and name, each in order of its frames.
type Tracks map[term.Side]map[string][]Mark

// Recording is recording.json: what the frames show and how they were filmed.
// Markers is "auto", "none" where there are no dots, or by leg and dot a list of [frame, x, y].
type Recording struct {
	Schema    string    `json:"schema"`
	View      View      `json:"view"`
	Gait      Motion    `json:"gait"`
	FPS       *float64  `json:"fps"`
	Surface   string    `json:"surface,omitempty"`
	Shod      string    `json:"shod,omitempty"`
	SpeedKMH  *float64  `json:"speed_kmh,omitempty"`
	Near      term.Side `json:"near,omitempty"`
	DotHueDeg *float64  `json:"dot_hue_deg,omitempty"`
	Markers   any       `json:"markers"`
}

// ParseRecording reads recording.json. It fails with a fault.List that names every
// field that is missing, unknown or out of its range.
func ParseRecording(data []byte) (Recording, error) {
	var r Recording
	if err := strict.Decode(data, &r); err != nil {
		return r, err
	}
	return r, r.Check()
}

// Check fills the defaults in and notes what is wrong.
func (r *Recording) Check() error {
	var l fault.List
	if r.Schema != RecordingSchema {
		l.Add("schema", "is %q; allowed is %q", r.Schema, RecordingSchema)
	}
	fault.OneOf(&l, "view", r.View, Views)
	if r.Gait == "" {
		r.Gait = Run
	}
	fault.OneOf(&l, "gait", r.Gait, Motions)
	if r.FPS == nil {
		l.Add("fps", "is missing; allowed is %d to %d frames a second", MinFPS, MaxFPS)
	} else {
		l.Range("fps", *r.FPS, MinFPS, MaxFPS, "frames a second")
	}
	if r.Surface != "" {
		fault.OneOf(&l, "surface", r.Surface, Surfaces)
	}
	if len(r.Shod) > maxText {
		l.Add("shod", "is %d bytes long; allowed are up to %d", len(r.Shod), maxText)
	}
	if r.SpeedKMH != nil {
		l.Range("speed_kmh", *r.SpeedKMH, 0.5, 45, "km/h")
	}
	if r.Near != "" {
		fault.OneOf(&l, "near", r.Near, term.Sides)
	}
	if r.DotHueDeg != nil {
		l.Range("dot_hue_deg", *r.DotHueDeg, 0, 360, "°")
	}
	if r.Markers == nil {
		l.Add("markers", `is missing; allowed is "auto", "none", or places by leg and dot`)
	} else if _, err := r.hand(); err != nil {
		faults, _ := fault.As(err)
		l = append(l, faults...)
	}
	return l.Err()
}

// What Markers may be beside places.
const (
	AutoMarkers = "auto"
	NoMarkers   = "none"
)

// hand gives the places that were marked by hand, nil when the dots are to be found
// by themselves, or there are none.
func (r Recording) hand() (Tracks, error) {
	switch text, ok := r.Markers.(string); {
	case ok && (text == AutoMarkers || text == NoMarkers):
		return nil, nil
	case ok:
		return nil, fault.List{{Field: "markers", Text: fmt.Sprintf(`is %q; allowed is "auto", "none", or places by leg and dot`, text)}}
	}
	data, err := json.Marshal(r.Markers)
	if err != nil {
		return nil, err
	}
	var given map[term.Side]map[string][][]float64
	if err := strict.Decode(data, &given); err != nil {
		faults, _ := fault.As(err)
		for i := range faults {
			faults[i].Field = "markers." + strings.TrimPrefix(faults[i].Field, "input")
		}
		return nil, faults
	}
	return r.checkHand(given)
}

func (r Recording) checkHand(given map[term.Side]map[string][][]float64) (Tracks, error) {
	var l fault.List
	out := Tracks{}
	for side, dots := range given {
		if !fault.OneOf(&l, "markers."+string(side), side, term.Sides) {
			continue
		}
		out[side] = map[string][]Mark{}
		for name, places := range dots {
			at := fmt.Sprintf("markers.%s.%s", side, name)
			if !fault.OneOf(&l, at, name, DotNames(r.View)) {
				continue
			}
			seen := map[int]bool{}
			for i, p := range places {
				switch {
				case len(p) != 3 || p[0] != math.Trunc(p[0]) || p[0] < 0 || p[0] >= MaxFrames:
					l.Add(fmt.Sprintf("%s[%d]", at, i), "is not [frame, x, y] with a frame of 0 to %d", MaxFrames-1)
				case math.Abs(p[1]) > 1e5 || math.Abs(p[2]) > 1e5:
					l.Add(fmt.Sprintf("%s[%d]", at, i), "is no place in a picture")
				case seen[int(p[0])]:
					l.Add(fmt.Sprintf("%s[%d]", at, i), "names frame %d twice", int(p[0]))
				default:
					seen[int(p[0])] = true
					out[side][name] = append(out[side][name], Mark{int(p[0]), Point{p[1], p[2]}, ByHand})
				}
			}
			slices.SortFunc(out[side][name], func(a, b Mark) int { return a.Frame - b.Frame })
		}
	}
	if len(l) == 0 && len(out) == 0 {
		l.Add("markers", "names no dot; mark at least one leg")
	}
	slices.SortFunc(l, func(a, b fault.Fault) int { return strings.Compare(a.Field, b.Field) })
	return out, l.Err()
}

// Frames is a film: so many frames, each read when it is wanted. A frame that is
// missing or cannot be read is an error; the rest are read all the same.
type Frames interface {
	Len() int
	Frame(i int) (image.Image, error)
}

// Brightness is what Frames may offer beside: how bright a frame is, where that is at hand without decoding it, else nil.
// Whoever reads a film without dots asks for it first. Nobody changes it.
type Brightness interface {
	Brightness(i int) *image.Gray
}

// brightFrames are a film of which brightness is enough.
type brightFrames struct {
	Frames
	at Brightness
}

func brightOf(f Frames) Frames {
	if at, ok := f.(Brightness); ok {
		return brightFrames{f, at}
	}
	return f
}

func (b brightFrames) Frame(i int) (image.Image, error) {
	if g := b.at.Brightness(i); g != nil {
		return g, nil
	}
	return b.Frames.Frame(i)
}

// Followed is what Follow found: enough for Read, and small beside the film.
type Followed struct {
	Frames        int      `json:"frames"`
	Width         int      `json:"width"`
	Height        int      `json:"height"`
	Tracks        Tracks   `json:"tracks"`
	Unread        []int    `json:"unread"`           // frames that could not be used
	EdgePX        float64  `json:"edge_px"`          // how wide a resting dot's edge is; 0 when not known
	HueDeg        *float64 `json:"hue_deg"`          // of the dots that were found
	DiameterPX    float64  `json:"diameter_px"`      // of a dot, in the middle
	OneLegAtPlace bool     `json:"one_leg_guessed"`  // one leg only: left or right by its place
	Shaken        shaken   `json:"shaken,omitempty"` // how a camera moved that did not stand still

	Outline *OutlineFound `json:"outline,omitempty"` // nil where dots were followed
}

// OutlineFound is what a film without dots gives beside the paths of points on the outline.
type OutlineFound struct {
	Contacts   map[term.Side][]Contact    `json:"contacts"`
	Calibrated bool                       `json:"calibrated"`
	Crossed    bool                       `json:"crossed,omitempty"` // the legs stand so close that one hides part of the other
	Near       bool                       `json:"near,omitempty"`    // the legs fill the picture
	LevelSD    map[term.Side]float64      `json:"level_sd"`          // degrees, of a side's level
	Unclear    []term.Side                `json:"unclear,omitempty"`
	Means      map[term.Side]*MeanPicture `json:"means,omitempty"`
}

// Contact is a heel's first and last frame on the ground.
type Contact struct {
	On  int `json:"on"`
	Off int `json:"off"`
}
