package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"trevik/internal/core/fault"
	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/picture"
	"trevik/internal/sheet"
)

func (t *tool) footprintCmd() *cobra.Command {
	c := &cobra.Command{Use: "footprint PHOTO", Short: "Arch, lengths and widths from a picture of a wet print", Args: cobra.ExactArgs(1),
		Long: "Read the print of one foot from a PNG or JPEG. The scale comes from the marks of Trevik's print sheet,\nelse from --corners " +
			"with --paper, else from --mm-per-px; without any, ratios are given and lengths are null."}
	side := c.Flags().String("foot", "", "left or right, when it is known")
	scale := c.Flags().String("mm-per-px", "", "mm a pixel of the picture")
	corners := c.Flags().String("corners", "", "the paper's corners, clockwise from its top left: x,y,x,y,x,y,x,y")
	paper := c.Flags().String("paper", "", "a4, a3 or letter, with --corners")
	c.RunE = func(_ *cobra.Command, args []string) error {
		opt, err := footprintOptions(*side, *scale, *corners, *paper)
		if err != nil {
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
		r, err := footprint.Read(pic.Image, opt)
		if err != nil {
			return err
		}
		a := r.Answer()
		return t.answer(a, func(w io.Writer) { footprintTable(w, a) })
	}
	return t.asJSON(c)
}

func footprintOptions(side, scale, corners, paper string) (footprint.Options, error) {
	var l fault.List
	opt := footprint.Options{Foot: term.Side(side), Paper: footprint.Paper(paper)}
	if side != "" {
		fault.OneOf(&l, "foot", opt.Foot, term.Sides)
	}
	if paper != "" {
		fault.OneOf(&l, "paper", opt.Paper, footprint.Papers)
	}
	if scale != "" {
		v, err := strconv.ParseFloat(scale, 64)
		if err != nil || !(v > 0) {
			l.Add("mm_per_px", "is %q; allowed is a number of mm above 0", scale)
		}
		opt.MMPerPx = v
	}
	if corners != "" {
		parts := strings.Split(corners, ",")
		var v [8]float64
		for i, s := range parts {
			n, err := strconv.ParseFloat(strings.TrimSpace(s), 64)
			if err != nil || len(parts) != 8 {
				l.Add("corners", "is %q; allowed are eight numbers, x,y,x,y,x,y,x,y", corners)
				break
			}
			v[i] = n
		}
		opt.Corners = &[4]footprint.Point{{X: v[0], Y: v[1]}, {X: v[2], Y: v[3]}, {X: v[4], Y: v[5]}, {X: v[6], Y: v[7]}}
		if paper == "" {
			l.Add("paper", "is missing; --corners wants --paper a4, a3 or letter")
		}
	} else if paper != "" {
		l.Add("corners", "is missing; --paper goes with --corners")
	}
	return opt, l.Err()
}

func footprintTable(w io.Writer, a footprint.Answer) {
	length := func(v *float64) string {
		if v == nil {
			return "unknown"
		}
		return fmt.Sprintf("%.1f mm", *v)
	}
	p := a.ArchProbability
	table(w, [][2]string{
		{"Foot", string(a.Foot)}, {"Arch", fmt.Sprintf("%s (high %.0f %%, medium %.0f %%, low %.0f %%)", a.Arch, 100*p.High, 100*p.Medium,
			100*p.Low)},
		{"Arch index", fmt.Sprintf("%.3f", a.ArchIndex)}, {"Chippaux–Šmirák", fmt.Sprintf("%.0f %%", a.Chippaux)},
		{"Staheli", fmt.Sprintf("%.2f", a.Staheli)}, {"Clarke", fmt.Sprintf("%.0f°", a.ClarkeDeg)},
		{"Print length", length(a.LengthMM)}, {"Without toes", length(a.NoToesMM)}, {"Ball width", length(a.BallMM)},
		{"Heel width", length(a.HeelMM)},
		{"Scale", a.Scale.Source}, {"Quality", strings.TrimSpace(fmt.Sprintf("%.2f %s", a.Quality.Score, strings.Join(a.Quality.Flags, ", ")))},
	})
	warnings(w, a.Warnings)
}

func (t *tool) sheetCmd() *cobra.Command {
	c := &cobra.Command{Use: "sheet", Short: "The print sheet as SVG or PDF, on standard output", Args: cobra.NoArgs}
	paper := c.Flags().String("paper", "a4", "a4, a3 (asked for over 255 mm of foot) or letter")
	format := c.Flags().String("format", "pdf", "pdf or svg")
	c.RunE = func(*cobra.Command, []string) error {
		var l fault.List
		fault.OneOf(&l, "paper", footprint.Paper(*paper), footprint.Papers)
		fault.OneOf(&l, "format", *format, []string{"pdf", "svg"})
		if err := l.Err(); err != nil {
			return err
		}
		data := sheet.SVG(footprint.Paper(*paper))
		if *format == "pdf" {
			var err error
			if data, err = sheet.PDF(footprint.Paper(*paper)); err != nil {
				return err
			}
		}
		_, err := t.out.Write(data)
		return err
	}
	return c
}

func (t *tool) simulateCmd() *cobra.Command {
	parent := &cobra.Command{Use: "simulate", Short: "Stand-ins for a shop's devices, with the truth beside what they hand over"}
	c := &cobra.Command{Use: "scanner", Short: "Both feet of an invented runner: scan.json, a print picture a foot, truth.json",
		Args: cobra.NoArgs}
	out := c.Flags().String("out", "", "the folder to write into")
	seed := c.Flags().Uint64("seed", 1, "the same seed gives the same runner")
	c.RunE = func(*cobra.Command, []string) error {
		if *out == "" {
			return fault.List{{Field: "out", Text: "is missing; give the folder to write into"}}
		}
		if err := os.MkdirAll(*out, 0o755); err != nil {
			return fault.List{{Field: "out", Text: "cannot be made: " + err.Error()}}
		}
		s := device.NewScanner(*seed)
		if err := writeScanner(*out, *seed, s); err != nil {
			return err
		}
		_, err := fmt.Fprintf(t.out, "%s: scan.json, left.png, right.png, truth.json\n", *out)
		return err
	}
	parent.AddCommand(c, t.simulateTreadmill(), t.simulateWatch(), t.simulateRunner(), t.simulateOutline(), t.simulateShop())
	return parent
}

func writeJSON(name string, v any) error {
	data, err := json.MarshalIndent(v, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(name, append(data, '\n'), 0o644)
}
