package gait

import (
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	core "trevik/internal/core/gait"
	"trevik/internal/core/term"
	"trevik/internal/recording"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

// mostSent is the most that one sending of frames may hold.
const mostSent = 48 << 20

func extra(b *bench.Bench) []kit.Route {
	of := func(method, path string, do func(*bench.Bench, *gin.Context, *app.Fit)) kit.Route {
		return kit.Route{Method: method, Path: "/fits/:fit/gait/" + path, Roles: kit.Everyone, Handle: func(c *gin.Context) {
			fit, err := b.Load(c)
			if err != nil {
				b.Fail(c, err)
				return
			}
			do(b, c, fit)
		}}
	}
	film := func(method, path string, do func(*bench.Bench, *gin.Context, *app.Fit, app.Film)) kit.Route {
		return of(method, "films/:film"+path, func(b *bench.Bench, c *gin.Context, fit *app.Fit) {
			id, err := kit.ID(c, "film")
			var f app.Film
			if err == nil {
				f, err = b.App.Film(c, kit.MustWho(c), id)
			}
			// An earlier visit's film of the same runner may be looked at, not changed.
			if err == nil && f.FitID != fit.ID {
				if method != http.MethodGet {
					err = app.ErrNotFound
				} else {
					err = sameRunner(b, c, fit, f)
				}
			}
			if err != nil {
				b.Fail(c, err)
				return
			}
			do(b, c, fit, f)
		})
	}
	return []kit.Route{
		of(http.MethodPost, "films", begin), of(http.MethodPost, "bench", benchFilm), of(http.MethodPost, "archive", archive),
		film(http.MethodGet, "/data", data), film(http.MethodGet, "/missing", missing), film(http.MethodGet, "/frames/:frame", frame),
		film(http.MethodPost, "/frames", frames), film(http.MethodPost, "/finish", finish), film(http.MethodPost, "/adjust", adjust),
		film(http.MethodPost, "/marks", marks), film(http.MethodPost, "/delete", remove), film(http.MethodPost, "/still", addStill),
		of(http.MethodGet, "stills/:still", still), of(http.MethodPost, "stills/:still/delete", removeStill),
	}
}

func sameRunner(b *bench.Bench, c *gin.Context, fit *app.Fit, f app.Film) error {
	other, err := b.App.Fit(c, kit.MustWho(c), f.FitID)
	if err == nil && other.Runner.ID != fit.Runner.ID {
		err = app.ErrNotFound
	}
	return err
}

func page(fit *app.Fit, film uint64) string {
	return fmt.Sprintf("%s?film=%d", bench.URL(fit.ID, "gait"), film)
}

// hues of dots that are sold, degrees on the colour wheel; any other word is 'find
// them'.
var hues = map[string]float64{"magenta": 320, "orange": 24, "green": 130, "yellow": 56, "blue": 215}

// describe reads what was said of a film.
func describe(c *gin.Context, extra ...string) (form url.Values, rec core.Recording, keep bool, err error) {
	form, v, err := kit.Decode(c, app.FilmFields, kit.MustWho(c).Units, extra...)
	if err != nil {
		return form, rec, false, err
	}
	number := func(name string) *float64 {
		if v[name].Empty {
			return nil
		}
		n := v[name].Number
		return &n
	}
	var l fault.List
	for _, name := range []string{"view", "gait", "keep"} {
		if v[name].Empty {
			l.Add(name, "is missing; choose one")
		}
	}
	rec = core.Recording{Schema: core.RecordingSchema, View: core.View(v["view"].Text), Gait: core.Motion(v["gait"].Text), Surface: v["surface"].Text, Shod: v["shod"].Text,
		SpeedKMH: number("speed_kmh"), FPS: number("fps"), Markers: "auto"}
	if deg, named := hues[v["dots"].Text]; named {
		rec.DotHueDeg = &deg
	}
	if rec.View == core.Side {
		rec.Near = term.Side(v["near"].Text)
	}
	return form, rec, v["keep"].Text == "yes", l.Err()
}

// begin makes room for a film whose frames the browser will send.
func begin(b *bench.Bench, c *gin.Context, fit *app.Fit) {
	form, rec, keep, err := describe(c, "frames", "rate")
	var film app.Film
	if err == nil {
		if rec.FPS == nil { // the film's own, as the browser saw it
			if rate, parseErr := strconv.ParseFloat(form.Get("rate"), 64); parseErr == nil {
				rec.FPS = &rate
			}
		}
		n, _ := strconv.Atoi(form.Get("frames"))
		film, err = b.App.BeginFilm(c, kit.MustWho(c), fit.ID, rec, n, keep)
	}
	if faults, ok := fault.As(err); ok {
		c.JSON(http.StatusUnprocessableEntity, gin.H{"faults": faults})
		return
	}
	if err != nil {
		b.Fail(c, err)
		return
	}
	c.JSON(http.StatusCreated, gin.H{"film": film.ID, "at": fmt.Sprintf("/fits/%d/gait/films/%d", fit.ID, film.ID), "page": page(fit, film.ID)})
}

// benchFilm lets the camera on the bench film.
func benchFilm(b *bench.Bench, c *gin.Context, fit *app.Fit) {
	form, rec, keep, err := describe(c)
	var film app.Film
	if err == nil {
		film, err = b.App.BenchFilm(c, kit.MustWho(c), fit, rec, keep)
	}
	b.Done(c, Station(), fit, form, err, page(fit, film.ID))
}

// archive takes a film as a zip archive of frames.
func archive(b *bench.Bench, c *gin.Context, fit *app.Fit) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, recording.MaxArchive+(1<<20))
	var l fault.List
	file, header, err := c.Request.FormFile("archive")
	var tooBig *http.MaxBytesError
	switch {
	case errors.As(err, &tooBig):
		l.Add("archive", "is larger than %d MiB", recording.MaxArchive>>20)
	case err != nil:
		l.Add("archive", "is missing; choose a .zip with recording.json and numbered frames")
	default:
		defer file.Close()
	}
	keep := c.PostForm("archive_keep")
	if keep != "yes" && keep != "no" {
		l.Add("archive_keep", "is missing; say whether the film may be kept")
	}
	var film app.Film
	if len(l) == 0 {
		var from *recording.Film
		if from, err = recording.Zip(file, header.Size); err == nil {
			film, err = b.App.AddFilmFile(c, kit.MustWho(c), fit.ID, from, keep == "yes")
		}
		if faults, ok := fault.As(err); ok {
			for _, f := range faults {
				at := "archive." + f.Field
				if f.Field == "keep" {
					at = "archive_keep"
				}
				l.Add(at, "%s", f.Text)
			}
		} else if err != nil {
			b.Fail(c, err)
			return
		}
	}
	// Its faults stand at its own two fields.
	b.Done(c, Station(), fit, url.Values{"archive": nil, "archive_keep": {keep}}, l.Err(), page(fit, film.ID))
}

// frames keeps the frames of one sending: parts of a multipart form, each named by
// its number.
func frames(b *bench.Bench, c *gin.Context, _ *app.Fit, film app.Film) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, mostSent)
	parts, err := c.Request.MultipartReader()
	if err != nil {
		c.JSON(http.StatusUnprocessableEntity, gin.H{"faults": fault.List{{Field: "frames", Text: "are no parts of a form"}}})
		return
	}
	kept := 0
	for {
		part, err := parts.NextPart()
		if err == io.EOF {
			break
		}
		var data []byte
		if err == nil {
			data, err = io.ReadAll(io.LimitReader(part, app.FrameBytes+1))
		}
		if err != nil {
			c.JSON(http.StatusUnprocessableEntity, gin.H{"faults": fault.List{{Field: "frames", Text: "broke off on the way; send the rest again"}}})
			return
		}
		n, err := strconv.Atoi(part.FormName())
		if err != nil {
			n = -1
		}
		if err := b.App.AddFrame(c, film, n, data); err != nil {
			if faults, ok := fault.As(err); ok {
				c.JSON(http.StatusUnprocessableEntity, gin.H{"faults": faults})
				return
			}
			b.Fail(c, err)
			return
		}
		kept++
	}
	c.JSON(http.StatusOK, gin.H{"kept": kept})
}

func missing(b *bench.Bench, c *gin.Context, _ *app.Fit, film app.Film) {
	list, err := b.App.MissingFrames(c, film)
	if err != nil {
		b.Fail(c, err)
		return
	}
	c.JSON(http.StatusOK, gin.H{"state": film.State, "frames": film.Frames, "missing": list})
}

func finish(b *bench.Bench, c *gin.Context, fit *app.Fit, film app.Film) {
	if err := b.App.FinishFilm(c, kit.MustWho(c), fit.ID, film.ID); err != nil {
		b.Fail(c, err)
		return
	}
	kit.Go(c, page(fit, film.ID))
}

func frame(b *bench.Bench, c *gin.Context, _ *app.Fit, film app.Film) {
	n, err := strconv.Atoi(c.Param("frame"))
	if err != nil {
		b.Fail(c, app.ErrNotFound)
		return
	}
	jpeg, err := b.App.FrameData(c, kit.MustWho(c), film.ID, n)
	if err != nil {
		b.Fail(c, err)
		return
	}
	// A frame never changes, so the browser may keep it while the film is looked at.
	c.Header("Cache-Control", "private, max-age=3600")
	c.Data(http.StatusOK, "image/jpeg", jpeg)
}

type contactData struct {
	On   int  `json:"on"`
	Off  int  `json:"off"`
	Left bool `json:"left_out"`
}

// data is what the screen draws over a film.
func data(b *bench.Bench, c *gin.Context, fit *app.Fit, film app.Film) {
	out := gin.H{"film": film.ID, "frames": film.Frames, "fps": *film.Recording.FPS, "width": film.Width, "height": film.Height, "view": film.Recording.View, "name": film.Name(),
		"gone": film.FramesGone, "at": fmt.Sprintf("/fits/%d/gait/films/%d", fit.ID, film.ID), "segments": app.Segments[film.Recording.View], "dots": core.DotNames(film.Recording.View)}
	legs := gin.H{}
	if film.State == app.FilmReady {
		r, err := b.App.FilmReading(c, kit.MustWho(c), film)
		if err != nil {
			b.Fail(c, err)
			return
		}
		for _, s := range term.Sides {
			if r.Answer.Markers[s] == nil {
				continue
			}
			angles := make([]*float64, len(r.Angles[s]))
			for i, v := range r.Angles[s] {
				if !math.IsNaN(v) {
					v = math.Round(v*10) / 10
					angles[i] = &v
				}
			}
			contacts := []contactData{}
			if of := r.Answer.Sides[s]; of != nil {
				for _, st := range of.Steps {
					contacts = append(contacts, contactData{st.TouchdownFrame, st.Last(), false})
				}
			}
			for _, st := range r.Left[s] {
				contacts = append(contacts, contactData{st.TouchdownFrame, st.Last(), true})
			}
			slices.SortFunc(contacts, func(a, b contactData) int { return a.On - b.On })
			legs[string(s)] = gin.H{"dots": r.Answer.Markers[s], "angles": angles, "contacts": contacts}
		}
	}
	out["legs"] = legs
	c.JSON(http.StatusOK, out)
}

// adjust puts a film right by hand and answers with what changes on the page.
func adjust(b *bench.Bench, c *gin.Context, fit *app.Fit, film app.Film) {
	form, err := kit.Form(c, kit.Known("mark", "contact", "drop", "restore", "undo", "reset"))
	if err == nil {
		_, err = b.App.CorrectFilm(c, kit.MustWho(c), fit.ID, film.ID, form.Get("undo") == "yes", func(fix *core.Corrections) error { return change(fix, form.Get) })
	}
	b.Changed(c, Station(), err)
}

// change lays what a hand did over what was put right before.
func change(fix *core.Corrections, get func(string) string) error {
	var l fault.List
	if get("reset") == "yes" {
		*fix = core.Corrections{}
	}
	if v := get("mark"); v != "" {
		if m, ok := readMark(&l, v); ok {
			fix.Marks = slices.DeleteFunc(fix.Marks, func(o core.HandMark) bool { return o.Side == m.Side && o.Dot == m.Dot && o.Frame == m.Frame })
			fix.Marks = append(fix.Marks, m)
		}
	}
	if v := get("contact"); v != "" {
		count := 3 + max(0, strings.Count(v, ",")-3) // with or without a peak
		if side, n, ok := whole(&l, "contact", v, min(count, 4)); ok {
			// A contact that was moved before is moved on, and stays the one it was.
			moved := core.MovedContact{Side: side, At: n[0], On: n[1], Off: n[2]}
			fix.Contacts = slices.DeleteFunc(fix.Contacts, func(o core.MovedContact) bool {
				same := o.Side == side && n[0] >= o.On && n[0] <= o.Off
				if same {
					moved.At = o.At
					if o.Peak != nil && *o.Peak >= n[1] && *o.Peak <= n[2] {
						moved.Peak = o.Peak
					}
				}
				return same
			})
			if len(n) == 4 {
				moved.Peak = &n[3]
			}
			fix.Contacts = append(fix.Contacts, moved)
		}
	}
	for _, name := range []string{"drop", "restore"} {
		v := get(name)
		if v == "" {
			continue
		}
		if side, n, ok := whole(&l, name, v, 1); ok {
			fix.Dropped = slices.DeleteFunc(fix.Dropped, func(o core.DroppedStep) bool { return o.Side == side && math.Abs(float64(o.At-n[0])) < 12 })
			if name == "drop" {
				fix.Dropped = append(fix.Dropped, core.DroppedStep{Side: side, At: n[0]})
			}
		}
	}
	return l.Err()
}

// readMark reads "side,dot,frame,x,y".
func readMark(l *fault.List, v string) (core.HandMark, bool) {
	p := strings.Split(v, ",")
	if len(p) == 5 {
		n, errN := strconv.Atoi(p[2])
		x, errX := strconv.ParseFloat(p[3], 64)
		y, errY := strconv.ParseFloat(p[4], 64)
		if errors.Join(errN, errX, errY) == nil {
			return core.HandMark{Side: term.Side(p[0]), Dot: p[1], Frame: n, X: x, Y: y}, true
		}
	}
	l.Add("mark", "is %.60q; allowed is a side, a dot, a frame and a place", v)
	return core.HandMark{}, false
}

// whole reads a side and n whole numbers.
func whole(l *fault.List, name, v string, n int) (term.Side, []int, bool) {
	p := strings.Split(v, ",")
	out := make([]int, n)
	ok := len(p) == n+1
	for i := 0; ok && i < n; i++ {
		var err error
		out[i], err = strconv.Atoi(p[i+1])
		ok = err == nil
	}
	if !ok {
		l.Add(name, "is %.60q; allowed is a side and %d frames", v, n)
	}
	return term.Side(p[0]), out, ok
}

// mostMarks by hand on key frames of a film.
const mostMarks = 800

// marks follows a film from dots that were marked by hand, or again from those that
// are found.
func marks(b *bench.Bench, c *gin.Context, fit *app.Fit, film app.Film) {
	form, err := kit.Form(c, kit.Known("marks", "auto"))
	if err == nil {
		var l fault.List
		var list []core.HandMark
		for _, v := range strings.Fields(form.Get("marks")) {
			if m, ok := readMark(&l, v); ok {
				list = append(list, m)
			}
		}
		if len(l) == 0 && form.Get("auto") != "yes" && (len(list) == 0 || len(list) > mostMarks) {
			l.Add("marks", "are %d; allowed are 1 to %d", len(list), mostMarks)
		}
		if err = l.Err(); err == nil {
			err = b.App.MarkFilm(c, kit.MustWho(c), fit.ID, film.ID, list)
		}
	}
	b.Done(c, Station(), fit, form, err, page(fit, film.ID))
}

func remove(b *bench.Bench, c *gin.Context, fit *app.Fit, film app.Film) {
	form, err := kit.Form(c, kit.Known())
	if err == nil {
		err = b.App.DeleteFilm(c, kit.MustWho(c), fit.ID, film.ID)
	}
	b.Done(c, Station(), fit, form, err, page(fit, film.ID))
}

// addStill puts a frame on the card.
func addStill(b *bench.Bench, c *gin.Context, fit *app.Fit, film app.Film) {
	form, err := kit.Form(c, kit.Known("frame"))
	if err == nil {
		n, parseErr := strconv.Atoi(form.Get("frame"))
		if err = parseErr; err != nil {
			err = fault.List{{Field: "still", Text: "has no frame; choose one on the film"}}
		} else {
			err = b.App.AddStill(c, kit.MustWho(c), fit.ID, film.ID, n)
		}
	}
	b.Done(c, Station(), fit, form, err, page(fit, film.ID))
}

func still(b *bench.Bench, c *gin.Context, fit *app.Fit) {
	id, err := kit.ID(c, "still")
	var jpeg []byte
	if err == nil {
		jpeg, err = b.App.StillData(c, kit.MustWho(c), fit.ID, id)
	}
	if err != nil {
		b.Fail(c, err)
		return
	}
	c.Header("Cache-Control", "private, max-age=3600")
	c.Data(http.StatusOK, "image/jpeg", jpeg)
}

func removeStill(b *bench.Bench, c *gin.Context, fit *app.Fit) {
	id, err := kit.ID(c, "still")
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err == nil {
		err = b.App.DeleteStill(c, kit.MustWho(c), fit.ID, id)
	}
	if err != nil {
		b.Fail(c, err)
		return
	}
	kit.Go(c, bench.URL(fit.ID, "gait"))
}
