package cli

import (
	"bytes"
	"fmt"
	"image"
	"image/jpeg"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/strict"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/device"
	"trevik/internal/recording"
)

func (t *tool) gaitCmd() *cobra.Command {
	c := &cobra.Command{Use: "gait RECORDING", Short: "Contacts, angles and bands from a filmed gait", Args: cobra.ExactArgs(1),
		Long: "Read a filmed gait: a folder or a .zip with recording.json and its frames (JPEG or PNG, numbered names).\nSeen from behind it " +
			"gives pronation and its band, from the side the landing, from the front the knee."}
	level := c.Flags().String("level", "", "a file of four points a leg on its mean picture, trevik.level/v1; - is standard input")
	means := c.Flags().String("means", "", "a folder to write each leg's mean picture into, and level.json with the points as read")
	c.RunE = func(_ *cobra.Command, args []string) error {
		var fix gait.Corrections
		if *level != "" {
			var err error
			if fix.Level, err = t.levelOf(*level); err != nil {
				return err
			}
		}
		film, done, err := recording.Open(args[0])
		if err != nil {
			return err
		}
		defer done()
		followed, err := gait.Follow(film, film.Recording, nil)
		if err != nil {
			return err
		}
		if *means != "" {
			if err := writeMeans(*means, followed.Outline); err != nil {
				return err
			}
		}
		r, err := gait.Read(followed, film.Recording, fix, t.house)
		if err != nil {
			return err
		}
		return t.answer(r.Answer, func(w io.Writer) { gaitTable(w, r.Answer) })
	}
	return t.byHouse(t.asJSON(c))
}

const levelSchema = "trevik.level/v1"

// levelFile is where a leg's four points lie on its mean picture, px: calf_top, calf_low, heel_top, heel_low.
type levelFile struct {
	Schema string      `json:"schema"`
	Left   [][]float64 `json:"left,omitempty"`
	Right  [][]float64 `json:"right,omitempty"`
}

// levelOf reads the points of a level.
func (t *tool) levelOf(name string) (map[term.Side]gait.LevelMark, error) {
	var f levelFile
	data, err := t.bytes(name, "level", maxInput)
	if err != nil {
		return nil, err
	}
	if err := strict.Decode(data, &f); err != nil {
		return nil, err
	}
	var l fault.List
	if f.Schema != levelSchema {
		l.Add("schema", "is %q; here it is %q", f.Schema, levelSchema)
	}
	if f.Left == nil && f.Right == nil {
		l.Add("left", "is missing, and so is right; give four points of a leg")
	}
	out := map[term.Side]gait.LevelMark{}
	for side, from := range map[term.Side][][]float64{term.Left: f.Left, term.Right: f.Right} {
		if from == nil {
			continue
		}
		var to [4]gait.Point
		if len(from) != len(to) || slices.ContainsFunc(from, func(p []float64) bool { return len(p) != 2 }) {
			l.Add(string(side), "is to have four points [x, y]: calf_top, calf_low, heel_top, heel_low")
			continue
		}
		for i, p := range from {
			to[i] = gait.Point{X: p[0], Y: p[1]}
		}
		out[side] = gait.LevelMark{Points: &to}
	}
	return out, l.Err()
}

// writeMeans writes each leg's mean picture and the points on it as they were read.
func writeMeans(dir string, o *gait.OutlineFound) error {
	if o == nil {
		return fault.List{{Field: "means", Text: "are of a film without dots alone; this one has dots"}}
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return fault.List{{Field: "means", Text: "cannot be written: " + err.Error()}}
	}
	f := levelFile{Schema: levelSchema}
	for side, m := range o.Means {
		if m == nil {
			continue
		}
		var at [][]float64
		for _, p := range m.Points {
			at = append(at, []float64{units.Round(p.X, 2), units.Round(p.Y, 2)})
		}
		if side == term.Left {
			f.Left = at
		} else {
			f.Right = at
		}
		var img bytes.Buffer
		if err := png.Encode(&img, m.Image); err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(dir, string(side)+".png"), img.Bytes(), 0o600); err != nil {
			return fault.List{{Field: "means", Text: "cannot be written: " + err.Error()}}
		}
	}
	return writeJSON(filepath.Join(dir, "level.json"), f)
}

func gaitTable(w io.Writer, a gait.Answer) {
	rows := [][2]string{{"View", fmt.Sprintf("%s, %s, %g frames a second, %d frames", a.View, a.Gait, a.FPS, a.Frames)}}
	add := func(name, format string, args ...any) {
		rows = append(rows, [2]string{name, fmt.Sprintf(format, args...)})
	}
	stat := func(name string, s *gait.Stat, unit string) {
		if s == nil || s.Mean == nil {
			return
		}
		spread := ""
		if s.SD != nil {
			spread = fmt.Sprintf(" ± %.1f", *s.SD)
		}
		add(name, "%.1f%s %s over %d", *s.Mean, spread, unit, s.N)
	}
	for _, side := range term.Sides {
		s, named := a.Sides[side]
		if s == nil {
			if named {
				add(kindWord(side), "could not be read")
			}
			continue
		}
		add(kindWord(side), "%d steps", len(s.Steps))
		stat("  peak eversion", s.PeakEversionDeg, "°")
		stat("  at touchdown", s.TouchdownDeg, "°")
		if p := s.BandProbability; p != nil {
			add("  band", "%s (under %.0f %%, neutral %.0f %%, mild %.0f %%, marked %.0f %%, severe %.0f %%)", s.BandWords, 100*p.Under,
				100*p.Neutral, 100*p.Mild, 100*p.Marked, 100*p.Severe)
		}
		stat("  sole at touchdown", s.StrikeDeg, "°")
		if s.Strike != "" {
			add("  lands on", "%s", s.Strike)
		}
		stat("  shank at touchdown", s.ShankDeg, "°")
		stat("  contact", s.ContactMS, "ms")
		stat("  knee inward", s.KneeInDeg, "°")
	}
	if a.CadenceSPM != nil {
		add("Cadence", "%.1f steps a minute", *a.CadenceSPM)
	}
	if a.AsymmetryDeg != nil {
		add("Left and right differ", "%.1f °", *a.AsymmetryDeg)
	}
	flags := make([]string, len(a.Quality.Flags))
	for i, f := range a.Quality.Flags {
		flags[i] = string(f)
	}
	add("Quality", "%s", strings.TrimSpace(fmt.Sprintf("%.2f %s", a.Quality.Score, strings.Join(flags, ", "))))
	table(w, rows)
	warnings(w, a.Warnings)
}

func kindWord(s term.Side) string { return strings.ToUpper(string(s[:1])) + string(s[1:]) }

func (t *tool) simulateTreadmill() *cobra.Command {
	c := &cobra.Command{Use: "treadmill", Short: "A recording of an invented runner: recording.json, frames, truth.json", Args: cobra.NoArgs}
	out := c.Flags().String("out", "", "the folder to write into")
	var o device.TreadmillOptions
	f := c.Flags()
	f.Uint64Var(&o.Seed, "seed", 1, "the same seed gives the same runner")
	f.StringVar((*string)(&o.View), "view", "rear", "rear, side or front")
	f.StringVar((*string)(&o.Gait), "gait", "run", "run or walk")
	f.StringVar((*string)(&o.Near), "near", "left", "from the side: the leg towards the camera")
	f.Float64Var(&o.FPS, "fps", 120, "frames a second")
	f.Float64Var(&o.Seconds, "seconds", 5, "how long")
	f.IntVar(&o.Width, "width", 640, "px")
	f.IntVar(&o.Height, "height", 480, "px")
	f.BoolVar(&o.Shop, "shop", false, "a shop's conditions: noise, blur, a leaning camera, hidden dots and look-alikes")
	f.BoolVar(&o.Barefoot, "barefoot", false, "without a shoe")
	f.BoolVar(&o.NoDots, "no-dots", false, "without dots")
	f.Float64Var(&o.Apart, "apart", 1, "how far apart the feet come down, of what is usual here; many runners 0.2 to 0.4")
	f.Float64Var(&o.Framing, "framing", 0.42, "how near the camera stands: the share of the picture's height that a shank takes")
	f.BoolVar(&o.Bare, "bare", false, "from behind without dots: legs, shoes, light and ground that differ from seed to seed")
	hue := f.Float64("hue", -1, "of the dots, degrees; else by the seed")
	format := f.String("format", "jpeg", "jpeg or png")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		var l fault.List
		if *out == "" {
			l.Add("out", "is missing; give the folder to write into")
		}
		fault.OneOf(&l, "format", *format, []string{"jpeg", "png"})
		if cmd.Flags().Changed("hue") {
			o.DotHueDeg = hue
		}
		if err := l.Err(); err != nil {
			return err
		}
		m, err := device.NewTreadmill(o)
		if err != nil {
			return err
		}
		if err := os.MkdirAll(*out, 0o755); err != nil {
			return fault.List{{Field: "out", Text: "cannot be made: " + err.Error()}}
		}
		if err := writeTreadmill(*out, *format, m); err != nil {
			return err
		}
		_, err = fmt.Fprintf(t.out, "%s: recording.json, %d frames, truth.json\n", *out, m.Len())
		return err
	}
	return c
}

func writeFrames(dir, format string, m gait.Frames) error {
	encode := func(w io.Writer, img image.Image) error { return jpeg.Encode(w, img, &jpeg.Options{Quality: 90}) }
	ext := "jpg"
	if format == "png" {
		encode, ext = png.Encode, "png"
	}
	for i := range m.Len() {
		img, err := m.Frame(i)
		if err != nil {
			return err
		}
		f, err := os.Create(filepath.Join(dir, fmt.Sprintf("%04d.%s", i, ext)))
		if err != nil {
			return err
		}
		err = encode(f, img)
		if closeErr := f.Close(); err == nil {
			err = closeErr
		}
		if err != nil {
			return err
		}
	}
	return nil
}
