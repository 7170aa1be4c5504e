// Package gpx reads and writes tracks as GPX 1.1 (docs/formats.md), a place and its time a
// point. It reads what watches write: GPX 1.0 too, points without a height, and elements of
// other namespaces, which are passed over. It takes nothing on trust: a document type, a
// number that is none, a place off the earth and a time that runs backward are refused with
// the line at which they stand.
package gpx

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/track"
)

// Limits of a file.
const (
	MaxBytes  = 64 << 20
	maxDepth  = 40
	maxTracks = 200
	maxText   = 200
	firstYear = 1990
	lastYear  = 2200
)

// Point is one place with its time.
type Point struct {
	Lat, Lon float64
	Ele      *float64 // metres
	At       time.Time
}

// Track is one recorded activity; a watch begins a new segment where it was paused.
type Track struct {
	Name, Kind string // as the file tells them
	Segments   [][]Point
	Line       int
	Untimed    int // points that were left out for want of a time
}

// Start is when the track begins.
func (t *Track) Start() time.Time { return t.Segments[0][0].At }

// Points are the track's places with seconds since its start.
func (t *Track) Points() []track.Point {
	var out []track.Point
	for _, s := range t.Segments {
		for _, p := range s {
			out = append(out, track.Point{T: p.At.Sub(t.Start()).Seconds(), Lat: p.Lat, Lon: p.Lon, Ele: p.Ele})
		}
	}
	return out
}

// afoot are words of a track's type that are runs; a type that holds none of them and none
// at all is no run.
var afoot = []string{"run", "jog", "walk", "hik", "trail", "foot", "race", "track", "treadmill"}

// OnFoot says whether the track is of somebody on foot, as far as its type tells.
func (t *Track) OnFoot() bool {
	kind := strings.ToLower(t.Kind)
	if kind == "" {
		return true
	}
	if _, err := strconv.Atoi(kind); err == nil {
		return true // a number of some maker's own
	}
	for _, w := range afoot {
		if strings.Contains(kind, w) {
			return true
		}
	}
	return false
}

// reader is a GPX that is being read.
type reader struct {
	d      *xml.Decoder
	space  string // of the root
	tracks []Track
	points int
}

func (r *reader) line() int {
	line, _ := r.d.InputPos()
	return line
}

func (r *reader) fail(line int, format string, args ...any) error {
	return fault.List{{Field: "line " + strconv.Itoa(line), Text: fmt.Sprintf(format, args...)}}
}

// Decode reads the tracks of a GPX. It fails with a fault.List that names the line.
func Decode(in io.Reader) ([]Track, error) {
	limited := &io.LimitedReader{R: in, N: MaxBytes + 1}
	r := &reader{d: xml.NewDecoder(limited)}
	r.d.CharsetReader = charset
	err := r.read()
	if limited.N <= 0 {
		return nil, fault.List{{Field: "file", Text: fmt.Sprintf("is larger than %d MiB", MaxBytes>>20)}}
	}
	if err != nil {
		return nil, err
	}
	out := r.tracks[:0]
	for _, t := range r.tracks {
		segments := t.Segments[:0]
		for _, s := range t.Segments {
			if len(s) > 0 {
				segments = append(segments, s)
			}
		}
		if t.Segments = segments; len(segments) > 0 {
			out = append(out, t)
		}
	}
	if len(out) == 0 {
		if r.points > 0 {
			return nil, fault.List{{Field: "file", Text: "holds no time at its places, so nobody can tell the day; type the run in"}}
		}
		return nil, fault.List{{Field: "file", Text: "holds no track with places"}}
	}
	return out, nil
}

// charset reads what is declared as one of the encodings that need no table.
func charset(label string, in io.Reader) (io.Reader, error) {
	switch strings.ToLower(label) {
	case "utf-8", "us-ascii", "ascii":
		return in, nil
	case "iso-8859-1", "latin1", "windows-1252":
		return &latin{in: in}, nil
	}
	return nil, fmt.Errorf("the encoding %q is not read; save it as UTF-8", clip(label))
}

// latin turns bytes of ISO 8859-1 into UTF-8.
type latin struct {
	in   io.Reader
	left []byte
}

func (l *latin) Read(p []byte) (int, error) {
	if len(l.left) == 0 {
		var b [512]byte
		n, err := l.in.Read(b[:])
		for _, c := range b[:n] {
			l.left = append(l.left, string(rune(c))...)
		}
		if n == 0 {
			return 0, err
		}
	}
	n := copy(p, l.left)
	l.left = l.left[n:]
	return n, nil
}

func (r *reader) token() (xml.Token, error) {
	tok, err := r.d.Token()
	if err == nil || errors.Is(err, io.EOF) {
		return tok, err
	}
	var s *xml.SyntaxError
	if errors.As(err, &s) {
		return nil, r.fail(s.Line, "is no GPX: %s", clip(s.Msg))
	}
	return nil, r.fail(r.line(), "cannot be read: %s", clip(err.Error()))
}

func (r *reader) read() error {
	var path []string // of elements of the root's namespace; others are empty
	var now *Track
	var point *Point
	var text strings.Builder
	var timed string
	for {
		tok, err := r.token()
		if errors.Is(err, io.EOF) {
			if len(path) > 0 || !r.began() {
				return r.fail(r.line(), "is no GPX: it ends early")
			}
			return nil
		}
		if err != nil {
			return err
		}
		switch tok := tok.(type) {
		case xml.Directive:
			return r.fail(r.line(), "holds a document type, which a GPX does not need")
		case xml.StartElement:
			if len(path) >= maxDepth {
				return r.fail(r.line(), "is nested more than %d deep", maxDepth)
			}
			if len(path) == 0 {
				if tok.Name.Local != "gpx" {
					return r.fail(r.line(), "is no GPX: it begins with %q", clip(tok.Name.Local))
				}
				r.space = tok.Name.Space
				if r.space != "" && !strings.HasPrefix(r.space, "http://www.topografix.com/GPX/1/") {
					return r.fail(r.line(), "is no GPX 1.1: its namespace is %q", clip(r.space))
				}
				r.space = "=" + r.space
			}
			name := tok.Name.Local
			if "="+tok.Name.Space != r.space {
				name = ""
			}
			path = append(path, name)
			text.Reset()
			switch strings.Join(path, "/") {
			case "gpx/trk", "gpx/rte":
				if len(r.tracks) >= maxTracks {
					return r.fail(r.line(), "is track %d; allowed are %d in a file", len(r.tracks)+1, maxTracks)
				}
				if name == "trk" {
					r.tracks = append(r.tracks, Track{Line: r.line()})
					now = &r.tracks[len(r.tracks)-1]
				}
			case "gpx/trk/trkseg":
				now.Segments = append(now.Segments, nil)
			case "gpx/trk/trkseg/trkpt":
				if point, err = r.place(tok); err != nil {
					return err
				}
				timed = ""
				if r.points++; r.points > track.MostPoints {
					return r.fail(r.line(), "is place %d; allowed are %d in a file", r.points, track.MostPoints)
				}
			}
		case xml.CharData:
			if text.Len()+len(tok) <= 4*maxText {
				text.Write(tok)
			}
		case xml.EndElement:
			said := strings.TrimSpace(text.String())
			switch strings.Join(path, "/") {
			case "gpx/trk/name":
				now.Name = clip(said)
			case "gpx/trk/type":
				now.Kind = clip(said)
			case "gpx/trk/trkseg/trkpt/ele":
				v, err := strconv.ParseFloat(said, 64)
				if err != nil || math.IsNaN(v) || math.Abs(v) > 12000 {
					return r.fail(r.line(), "has the height %q; allowed is a number of metres up to 12000", clip(said))
				}
				point.Ele = &v
			case "gpx/trk/trkseg/trkpt/time":
				timed = said
			case "gpx/trk/trkseg/trkpt":
				if err := r.keep(now, point, timed); err != nil {
					return err
				}
			}
			text.Reset()
			path = path[:len(path)-1]
		}
	}
}

func (r *reader) began() bool { return strings.HasPrefix(r.space, "=") }

// place reads where a point is.
func (r *reader) place(tok xml.StartElement) (*Point, error) {
	p := &Point{Lat: math.NaN(), Lon: math.NaN()}
	for _, a := range tok.Attr {
		if a.Name.Space != "" || a.Name.Local != "lat" && a.Name.Local != "lon" {
			continue
		}
		v, err := strconv.ParseFloat(strings.TrimSpace(a.Value), 64)
		limit := 90.0
		if a.Name.Local == "lon" {
			limit = 180
		}
		if err != nil || math.IsNaN(v) || math.Abs(v) > limit {
			return nil, r.fail(r.line(), "has the %s %q; allowed is a number of degrees up to %g", a.Name.Local, clip(a.Value), limit)
		}
		if a.Name.Local == "lat" {
			p.Lat = v
		} else {
			p.Lon = v
		}
	}
	if math.IsNaN(p.Lat) || math.IsNaN(p.Lon) {
		return nil, r.fail(r.line(), "is a place without lat and lon")
	}
	return p, nil
}

// keep puts a point into its track; one without a time is left out and counted.
func (r *reader) keep(t *Track, p *Point, timed string) error {
	if timed == "" {
		t.Untimed++
		return nil
	}
	at, err := time.Parse(time.RFC3339, timed)
	if err != nil {
		// Some watches leave the zone out; GPX means UTC.
		at, err = time.Parse("2006-01-02T15:04:05", timed)
	}
	if err != nil || at.Year() < firstYear || at.Year() > lastYear {
		return r.fail(r.line(), "has the time %q; allowed is a time such as 2026-11-24T18:30:00Z", clip(timed))
	}
	p.At = at
	for i := len(t.Segments) - 1; i >= 0; i-- {
		if s := t.Segments[i]; len(s) > 0 {
			if at.Before(s[len(s)-1].At) {
				return r.fail(r.line(), "runs backward in time: %s after %s", at.Format(time.RFC3339), s[len(s)-1].At.Format(time.RFC3339))
			}
			break
		}
	}
	last := len(t.Segments) - 1
	t.Segments[last] = append(t.Segments[last], *p)
	return nil
}

func clip(s string) string {
	r := []rune(strings.ToValidUTF8(s, "?"))
	if len(r) > maxText {
		return string(r[:maxText]) + "…"
	}
	return string(r)
}

// Written elements.
type (
	gpxOut struct {
		XMLName xml.Name `xml:"http://www.topografix.com/GPX/1/1 gpx"`
		Version string   `xml:"version,attr"`
		Creator string   `xml:"creator,attr"`
		Tracks  []trkOut `xml:"trk"`
	}
	trkOut struct {
		Name     string   `xml:"name,omitempty"`
		Kind     string   `xml:"type,omitempty"`
		Segments []segOut `xml:"trkseg"`
	}
	segOut struct {
		Points []ptOut `xml:"trkpt"`
	}
	ptOut struct {
		Lat  string `xml:"lat,attr"`
		Lon  string `xml:"lon,attr"`
		Ele  string `xml:"ele,omitempty"`
		Time string `xml:"time"`
	}
)

// Encode writes tracks as GPX 1.1: places to seven decimals of a degree, about a
// centimetre, heights to decimetres.
func Encode(w io.Writer, creator string, tracks []Track) error {
	out := gpxOut{Version: "1.1", Creator: creator}
	for _, t := range tracks {
		to := trkOut{Name: t.Name, Kind: t.Kind}
		for _, s := range t.Segments {
			seg := segOut{}
			for _, p := range s {
				pt := ptOut{Lat: strconv.FormatFloat(p.Lat, 'f', 7, 64), Lon: strconv.FormatFloat(p.Lon, 'f', 7, 64),
					Time: p.At.UTC().Format(time.RFC3339)}
				if p.Ele != nil {
					pt.Ele = strconv.FormatFloat(*p.Ele, 'f', 1, 64)
				}
				seg.Points = append(seg.Points, pt)
			}
			to.Segments = append(to.Segments, seg)
		}
		out.Tracks = append(out.Tracks, to)
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", " ")
	if err := e.Encode(out); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}
