// Package feet is the station where both feet are measured standing.
package feet

import (
	"embed"
	"html/template"
	"io"
	"math"
	"math/rand/v2"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/strict"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/device"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

// side is what one foot comes to.
type side struct {
	Side     term.Side
	Length   foot.Reading
	Ball     foot.Reading
	Size     *foot.Size
	Fault    string
	Standard float64 // mm, the standard ball width at this length
}

// arch is what one foot's heights come to.
type arch struct {
	Side      term.Side
	Index     float64
	Class     term.Arch
	Give      float64
	Stiffness string
	Drop      float64
	DropWord  string
	Volume    term.Volume
	Insteps   bool
	Drops     bool
}

type body struct {
	Sides    []side
	Arches   []arch
	Both     bool
	Diff     foot.Difference
	Drawing  template.HTML
	Overlay  template.HTML
	Ask      []string
	Apart    []string // hand against scanner
	Believed string
	Earlier  []app.Visit
	Growing  bool
	Again    time.Time
	Curve    template.HTML
	Scanned  bool
}

// Station is Feet.
func Station() bench.Station {
	return bench.Station{Path: "feet", Name: "Feet", Lead: "Both feet, standing, weight on both, in the socks they run in. Each length and width twice.",
		Template: bench.Parse(files, "*.html"),
		Extra:    extra, Body: visited}
}

// visited is what the feet come to, with the visits before.
func visited(c *gin.Context, bn *bench.Bench, fit *app.Fit) (any, error) {
	b := bodyOf(fit)
	var err error
	if b.Earlier, err = bn.App.EarlierFeet(c, kit.MustWho(c), fit); err != nil {
		return nil, err
	}
	var before []foot.Feet
	for _, v := range b.Earlier {
		before = append(before, v.Feet)
	}
	b.Drawing = draw.Feet(fit.Feet(), fit.Units, before...)
	if b.Growing, b.Again = fit.Growing(); b.Growing {
		var grown []draw.Grown
		for _, v := range b.Earlier {
			grown = append(grown, draw.Grown{On: v.On, Feet: v.Feet})
		}
		b.Curve = draw.Growth(append(grown, draw.Grown{On: fit.StartedAt, Feet: fit.Feet()}), fit.Units)
	}
	return b, nil
}

// extra takes a scan: from the scanner on the bench, or from its file.
func extra(b *bench.Bench) []kit.Route {
	take := func(c *gin.Context, scan func() (device.Scan, error)) {
		fit, err := b.Load(c)
		if err != nil {
			b.Fail(c, err)
			return
		}
		s, err := scan()
		if err == nil {
			_, err = b.App.RecordScan(c, kit.MustWho(c), fit.ID, s)
		}
		if faults, ok := fault.As(err); ok {
			for i := range faults {
				faults[i].Field = "scan." + faults[i].Field
			}
			b.Show(c, Station(), fit, nil, faults)
			return
		}
		if err != nil {
			b.Fail(c, err)
			return
		}
		kit.Go(c, bench.URL(fit.ID, "feet"))
	}
	return []kit.Route{
		{Method: http.MethodPost, Path: "/fits/:fit/scan", Roles: kit.Everyone, Handle: func(c *gin.Context) {
			take(c, func() (device.Scan, error) {
				if _, err := kit.Form(c, kit.Known()); err != nil {
					return device.Scan{}, err
				}
				return device.NewScanner(rand.Uint64N(1 << 32)).Scan, nil
			})
		}},
		{Method: http.MethodPost, Path: "/fits/:fit/scan-file", Roles: kit.Everyone, Handle: func(c *gin.Context) { take(c, func() (device.Scan, error) { return scanFile(c) }) }},
	}
}

// maxScan is the largest scan file, in bytes.
const maxScan = 1 << 20

// scanFile reads a scanner's file.
func scanFile(c *gin.Context) (s device.Scan, err error) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxScan)
	file, _, err := c.Request.FormFile("scan")
	if err != nil {
		return s, fault.List{{Field: "file", Text: "is missing or larger than 1 MiB; choose a scanner's JSON file"}}
	}
	defer file.Close()
	data, err := io.ReadAll(file)
	if err != nil {
		return s, err
	}
	return s, strict.Decode(data, &s)
}

func bodyOf(fit *app.Fit) body {
	f := fit.Feet()
	b := body{Believed: fit.Text("believed_size", "", 0), Diff: foot.Compare(f, fit.House()), Overlay: draw.Overlay(f, fit.Units), Both: f.Left.LengthMM > 0 && f.Right.LengthMM > 0}
	var once []string
	for _, s := range term.Sides {
		x := side{Side: s, Length: fit.Measure("length_mm", s), Ball: fit.Measure("ball_mm", s)}
		b.Scanned = b.Scanned || fit.Num("scan_length_mm", s, 0) != nil
		b.Arches = appendArch(b.Arches, fit, s)
		if x.Length.N == 0 {
			continue
		}
		size, err := fit.SizeOf(s)
		x.Size = size
		if faults, ok := fault.As(err); ok {
			x.Fault = faults[0].Text
		}
		x.Standard = units.Round(foot.StandardBall(fit.Runner.Chart, x.Length.Value, fit.House()), 1)
		b.Sides = append(b.Sides, x)
		for _, m := range []struct{ what, name string }{{"length", "length_mm"}, {"ball width", "ball_mm"}} {
			if d := fit.ScanDiffers(m.name, s); d != 0 {
				b.Apart = append(b.Apart, "Hand and scanner are "+fit.Units.Length(math.Abs(d))+" apart in the "+string(s)+" foot's "+m.what+". Measure again, or say which counts.")
			}
		}
		for _, r := range []struct {
			what string
			foot.Reading
		}{{"length", fit.Reading("length_mm", s)}, {"ball width", fit.Reading("ball_mm", s)}, {"heel-to-ball", fit.Reading("heel_to_ball_mm", s)}, {"heel width", fit.Reading("heel_mm", s)},
			{"instep", fit.Reading("instep_mm", s)}, {"seated instep", fit.Reading("instep_seated_mm", s)}, {"navicular", fit.Reading("navicular_mm", s)}, {"seated navicular", fit.Reading("navicular_seated_mm", s)}} {
			if r.NeedsThird {
				b.Ask = append(b.Ask, "The two "+r.what+" readings of the "+string(s)+" foot are "+fit.Units.Length(math.Abs(r.Apart))+" apart: take a third, and the median counts.")
			} else if r.N == 1 && fit.Num("scan_length_mm", s, 0) == nil {
				once = append(once, string(s)+" "+r.what)
			}
		}
	}
	if len(once) > 0 {
		b.Ask = append(b.Ask, "Measured once so far, take it again: "+strings.Join(once, ", ")+".")
	}
	if len(b.Sides) == 1 {
		b.Ask = append(b.Ask, "Measure the other foot too: nearly everyone has one longer or wider.")
	}
	if b.Diff.Implausible {
		b.Ask = append(b.Ask, "The feet differ by more than 15 mm. Kept, but measure both again.")
	}
	return b
}

// appendArch adds what a foot's heights come to, where there are any.
func appendArch(list []arch, fit *app.Fit, s term.Side) []arch {
	m := fit.Foot(s)
	x := arch{Side: s, Volume: fit.Volume(s)}
	x.Index, x.Class = foot.ArchHeight(m.InstepMM, m.HeelToBallMM)
	seated, _ := foot.ArchHeight(fit.Reading("instep_seated_mm", s).Value, m.HeelToBallMM)
	x.Give, x.Stiffness, x.Insteps = foot.Stiffness(seated, x.Index, fit.House())
	x.Drop, x.DropWord, x.Drops = fit.NavicularDrop(s)
	if x.Class == "" && !x.Drops && m.InstepMM == 0 {
		return list
	}
	return append(list, x)
}
