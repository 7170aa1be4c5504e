package cli

import (
	"fmt"
	"image"
	"image/jpeg"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"trevik/internal/core/fault"
	"trevik/internal/core/footprint"
	"trevik/internal/device"
	"trevik/internal/picture"
)

func (t *tool) outlineCmd() *cobra.Command {
	c := &cobra.Command{Use: "outline PHOTO", Short: "Length, widths and toe shape of a foot that was traced on the print sheet",
		Args: cobra.ExactArgs(1),
		Long: "Read a foot that was traced with a pen held upright on Trevik's print sheet, from a PNG or JPEG. The scale\ncomes from the " +
			"sheet's marks, else from --corners with --paper, else from --mm-per-px."}
	side := c.Flags().String("foot", "", "left or right, when it is known")
	pen := c.Flags().String("pen-mm", "7", "the pen's thickness, mm: the line lies half of it outside the foot")
	scale := c.Flags().String("mm-per-px", "", "mm a pixel of the picture")
	corners := c.Flags().String("corners", "", "the paper's corners, clockwise from its top left: x,y,x,y,x,y,x,y")
	paper := c.Flags().String("paper", "", "a4, a3 or letter, with --corners")
	c.RunE = func(_ *cobra.Command, args []string) error {
		o, err := footprintOptions(*side, *scale, *corners, *paper)
		var l fault.List
		if faults, ok := fault.As(err); ok {
			l = faults
		} else if err != nil {
			return err
		}
		opt := footprint.OutlineOptions{Foot: o.Foot, MMPerPx: o.MMPerPx, Corners: o.Corners, Paper: o.Paper}
		if v, err := strconv.ParseFloat(*pen, 64); err != nil {
			l.Add("pen_mm", "is %q; allowed is a number of mm from 0 to 20", *pen)
		} else {
			opt.PenMM = &v
		}
		if err := l.Err(); err != nil {
			return err
		}
		data, err := t.bytes(args[0], "photo", picture.MaxBytes)
		if err != nil {
			return err
		}
		pic, err := picture.Open("photo", data)
		if err != nil {
			return err
		}
		opt.Orientation = pic.Orientation
		r, err := footprint.ReadOutline(pic.Image, opt)
		if err != nil {
			return err
		}
		a := r.Answer()
		return t.answer(a, func(w io.Writer) { outlineTable(w, a) })
	}
	return t.asJSON(c)
}

func outlineTable(w io.Writer, a footprint.OutlineAnswer) {
	sd := footprint.OutlineSD(a.Quality.Score)
	mm := func(v float64) string { return fmt.Sprintf("%.1f mm ± %.1f mm", v, sd) }
	table(w, [][2]string{
		{"Foot", string(a.Foot)}, {"Length", mm(a.LengthMM)}, {"Ball width", mm(a.BallMM)}, {"Heel width", mm(a.HeelMM)},
		{"Toes", string(a.ToeShape)}, {"Scale", a.Scale.Source},
		{"Quality", strings.TrimSpace(fmt.Sprintf("%.2f %s", a.Quality.Score, strings.Join(a.Quality.Flags, ", ")))},
	})
	warnings(w, a.Warnings)
}

// tracedTruth is what lies beside the pictures of traced feet.
type tracedTruth struct {
	Schema string                        `json:"schema"`
	Seed   uint64                        `json:"seed"`
	Feet   map[string]device.TracedTruth `json:"feet"`
}

func (t *tool) simulateOutline() *cobra.Command {
	c := &cobra.Command{Use: "outline", Short: "Feet that were traced on the print sheet, photographed; truth.json", Args: cobra.NoArgs}
	out := c.Flags().String("out", "", "the folder to write into")
	seed := c.Flags().Uint64("seed", 1, "the same seed gives the same feet")
	feet := c.Flags().Int("feet", 2, "how many, 1 to 200")
	c.RunE = func(*cobra.Command, []string) error {
		var l fault.List
		if *out == "" {
			l.Add("out", "is missing; give the folder to write into")
		}
		if *feet < 1 || *feet > 200 {
			l.Add("feet", "is %d; allowed is 1 to 200", *feet)
		}
		if err := l.Err(); err != nil {
			return err
		}
		if err := os.MkdirAll(*out, 0o755); err != nil {
			return fault.List{{Field: "out", Text: "cannot be made: " + err.Error()}}
		}
		truth := tracedTruth{"trevik.traced-truth/v1", *seed, map[string]device.TracedTruth{}}
		for i := range *feet {
			r := rand.New(rand.NewPCG(*seed, uint64(1000+i)))
			by, photo := device.RandomTracing(r)
			f := device.RandomTraced(r, by)
			name := fmt.Sprintf("foot-%02d.jpg", i+1)
			truth.Feet[name] = f.Truth()
			if err := writeJPEG(filepath.Join(*out, name), f.Render(photo, r)); err != nil {
				return err
			}
		}
		if err := writeJSON(filepath.Join(*out, "truth.json"), truth); err != nil {
			return err
		}
		_, err := fmt.Fprintf(t.out, "%s: %d pictures, truth.json\n", *out, *feet)
		return err
	}
	return c
}

func writeJPEG(name string, img image.Image) (err error) {
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	defer func() {
		if e := f.Close(); err == nil {
			err = e
		}
	}()
	return jpeg.Encode(f, img, &jpeg.Options{Quality: 88})
}
