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

	"trevik/internal/app"
	"trevik/internal/app/films"
	"trevik/internal/core/fault"
	core "trevik/internal/core/gait"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/recording"
	"trevik/internal/web/bench"
	"trevik/internal/web/kit"
)

// mostSent is the most that one sending of frames may hold.
const mostSent = 48 << 20

func extra(b *bench.Bench) []kit.Route {
	of := func(method, path string, do func(*bench.Bench, *kit.Req, *record.Conclusions) error) kit.Route {
		return kit.Route{Method: method, Path: "/fits/:fit/gait/" + path, Roles: kit.Everyone, Handle: func(c *kit.Req) error {
			fit, err := b.Load(c)
			if err != nil {
				return err
			}
			return do(b, c, fit)
		}}
	}
	film := func(method, path string, do func(*bench.Bench, *kit.Req, *record.Conclusions, films.Film) error) kit.Route {
		return of(method, "films/:film"+path, func(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
			id, err := kit.RowID(c, "film")
			if err != nil {
				return err
			}
			f, err := b.App.Films.Film(c.Ctx(), c.Who, id)
			// An earlier visit's film of the same runner may be looked at, not changed.
			if err == nil && f.FitID != fit.ID {
				if method != http.MethodGet {
					err = app.ErrNotFound
				} else {
					err = sameRunner(b, c, fit, f)
				}
			}
			if err != nil {
				return err
			}
			return do(b, c, fit, f)
		})
	}
	free := func(r kit.Route) kit.Route { r.Free = true; return r }
	return []kit.Route{
		of(http.MethodPost, "films", begin), of(http.MethodPost, "bench", benchFilm), of(http.MethodPost, "archive", archive),
		film(http.MethodGet, "/data", data), film(http.MethodGet, "/missing", missing), film(http.MethodGet, "/frames/:frame", frame),
		film(http.MethodGet, "/mean/:side", mean), film(http.MethodGet, "/glance", glance),
		free(film(http.MethodPost, "/frames", frames)), free(film(http.MethodPost, "/finish", finish)),
		free(film(http.MethodPost, "/adjust", adjust)), free(film(http.MethodPost, "/resume", resume)),
		film(http.MethodPost, "/marks", marks), film(http.MethodPost, "/delete", remove), film(http.MethodPost, "/still", addStill),
		of(http.MethodGet, "stills/:still", still), of(http.MethodPost, "stills/:still/delete", removeStill),
	}
}

func sameRunner(b *bench.Bench, c *kit.Req, fit *record.Conclusions, f films.Film) error {
	other, err := b.App.Visits.Fit(c.Ctx(), c.Who, f.FitID)
	if err == nil && other.Runner.ID != fit.Runner.ID {
		err = app.ErrNotFound
	}
	return err
}

func page(fit *record.Conclusions, film uint64) string {
	return fmt.Sprintf("%s?film=%d", bench.URL(fit.ID, "gait"), film)
}

// hues of dots that are sold, degrees on the colour wheel; any other word is 'find
// them'.
var hues = map[string]float64{"magenta": 320, "orange": 24, "green": 130, "yellow": 56, "blue": 215}

// describe reads what was said of a film.
func describe(c *kit.Req, extra ...string) (form url.Values, rec core.Recording, keep bool, err error) {
	form, v, err := kit.Decode(c, films.Fields, extra...)
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
	rec = core.Recording{Schema: core.RecordingSchema, View: core.View(v["view"].Text), Gait: core.Motion(v["gait"].Text),
		Surface: v["surface"].Text, Shod: v["shod"].Text,
		SpeedKMH: number("speed_kmh"), FPS: number("fps"), Markers: core.AutoMarkers}
	if deg, named := hues[v["dots"].Text]; named {
		rec.DotHueDeg = &deg
	}
	if v["dots"].Text == films.NoDots {
		rec.Markers = core.NoMarkers
		if rec.View != core.Rear {
			l.Add("dots", "are none; without dots a film is read from behind only")
		}
	}
	if rec.View == core.Side {
		rec.Near = term.Side(v["near"].Text)
	}
	return form, rec, v["keep"].Text == "yes", l.Err()
}

// described is what was said of a film whose frames the browser sends, and how many they are.
func described(c *kit.Req) (rec core.Recording, frames int, keep bool, err error) {
	form, rec, keep, err := describe(c, "frames", "rate")
	if err == nil && rec.FPS == nil { // the film's own, as the browser saw it
		if rate, parseErr := strconv.ParseFloat(form.Get("rate"), 64); parseErr == nil {
			rec.FPS = &rate
		}
	}
	frames, _ = strconv.Atoi(form.Get("frames")) // what is no number is too few
	return rec, frames, keep, err
}

// begin makes room for a film whose frames the browser will send.
func begin(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	rec, frames, keep, err := described(c)
	var film films.Film
	if err == nil {
		film, err = b.App.Films.Begin(c.Ctx(), c.Who, fit.ID, rec, frames, keep)
	}
	return begun(c, fit, film, err)
}

// resume goes on with a film whose frames have not all arrived, as it is described by now.
func resume(b *bench.Bench, c *kit.Req, fit *record.Conclusions, film films.Film) error {
	rec, frames, keep, err := described(c)
	if err == nil {
		film, err = b.App.Films.Resume(c.Ctx(), c.Who, fit.ID, film.ID, rec, frames, keep)
	}
	return begun(c, fit, film, err)
}

func begun(c *kit.Req, fit *record.Conclusions, film films.Film, err error) error {
	if faults, ok := fault.As(err); ok {
		return c.JSON(http.StatusUnprocessableEntity, map[string]any{"faults": faults})
	}
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, map[string]any{"film": film.ID, "at": fmt.Sprintf("/fits/%d/gait/films/%d", fit.ID, film.ID),
		"page": page(fit, film.ID)})
}

// benchFilm lets the camera on the bench film.
func benchFilm(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	form, rec, keep, err := describe(c)
	var film films.Film
	if err == nil {
		film, err = b.App.Films.Bench(c.Ctx(), c.Who, fit, rec, keep)
	}
	return b.Done(c, Station(), fit, form, err, page(fit, film.ID))
}

// archive takes a film as a zip archive of frames.
func archive(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	var l fault.List
	file, size, err := kit.OneStored(c, "archive", recording.MaxArchive, "is missing; choose a .zip with recording.json and numbered frames")
	if faults, ok := fault.As(err); ok {
		l = append(l, faults...)
	} else if err != nil {
		return err
	}
	keep := c.PostForm("archive_keep")
	if keep != "yes" && keep != "no" {
		l.Add("archive_keep", "is missing; say whether the film may be kept")
	}
	var film films.Film
	if len(l) == 0 {
		var from *recording.Film
		if from, err = recording.Zip(file, size); err == nil {
			film, err = b.App.Films.AddFile(c.Ctx(), c.Who, fit.ID, from, keep == "yes")
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
			return err
		}
	}
	// Its faults stand at its own two fields.
	return b.Done(c, Station(), fit, url.Values{"archive": nil, "archive_keep": {keep}}, l.Err(), page(fit, film.ID))
}

// frames keeps the frames of one sending: parts of a multipart form, each named by
// its number.
func frames(b *bench.Bench, c *kit.Req, _ *record.Conclusions, film films.Film) error {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, mostSent)
	parts, err := c.Request.MultipartReader()
	if err != nil {
		return c.JSON(http.StatusUnprocessableEntity, map[string]any{"faults": fault.List{{Field: "frames", Text: "are no parts of a form"}}})
	}
	var pieces []films.Piece
	for {
		part, err := parts.NextPart()
		if err == io.EOF {
			break
		}
		var data []byte
		if err == nil {
			data, err = io.ReadAll(io.LimitReader(part, films.FrameBytes+1))
		}
		if err != nil {
			return c.JSON(http.StatusUnprocessableEntity, map[string]any{"faults": fault.List{{Field: "frames",
				Text: "broke off on the way; send the rest again"}}})
		}
		n, err := strconv.Atoi(part.FormName())
		if err != nil {
			n = -1
		}
		pieces = append(pieces, films.Piece{Number: n, Data: data})
	}
	if err := b.App.Films.AddFrames(c.Ctx(), c.Who, film, pieces); err != nil {
		return faulty(c, err)
	}
	return c.JSON(http.StatusOK, map[string]any{"kept": len(pieces)})
}

func missing(b *bench.Bench, c *kit.Req, _ *record.Conclusions, film films.Film) error {
	list, err := b.App.Films.Missing(c.Ctx(), film)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"state": film.State, "frames": film.Frames, "missing": list})
}

func finish(b *bench.Bench, c *kit.Req, fit *record.Conclusions, film films.Film) error {
	form, err := kit.Form(c, kit.Known("frames"))
	if err == nil {
		n, _ := strconv.Atoi(form.Get("frames")) // none is all of them
		err = b.App.Films.Finish(c.Ctx(), c.Who, fit.ID, film.ID, n)
	}
	if err != nil {
		return faulty(c, err)
	}
	return kit.Go(c, page(fit, film.ID))
}

func frame(b *bench.Bench, c *kit.Req, _ *record.Conclusions, film films.Film) error {
	n, err := strconv.Atoi(c.Param("frame"))
	if err != nil {
		return app.ErrNotFound
	}
	jpeg, err := b.App.Films.FrameShown(c.Ctx(), c.Who, film.ID, n)
	if err != nil {
		return err
	}
	return c.Picture(jpeg)
}

// faulty answers a script with what is wrong; other errors are the pipeline's.
func faulty(c *kit.Req, err error) error {
	if faults, ok := fault.As(err); ok {
		return c.JSON(http.StatusUnprocessableEntity, map[string]any{"faults": faults})
	}
	return err
}

// mean is the mean picture of a leg of a film without dots.
func mean(b *bench.Bench, c *kit.Req, _ *record.Conclusions, film films.Film) error {
	jpeg, err := b.App.Films.MeanData(c.Ctx(), c.Who, film.ID, term.Side(c.Param("side")))
	if err != nil {
		return err
	}
	return c.Picture(jpeg)
}

// glance is what was read of a film so far, as a piece of the page.
func glance(b *bench.Bench, c *kit.Req, _ *record.Conclusions, film films.Film) error {
	g, err := b.App.Films.Glance(c.Ctx(), c.Who, film)
	if err != nil {
		return err
	}
	return b.Render(c, http.StatusOK, templates, "glance", glanced(g))
}

type contactData struct {
	On   int  `json:"on"`
	Off  int  `json:"off"`
	Left bool `json:"left_out"`
}

// data is what the screen draws over a film.
func data(b *bench.Bench, c *kit.Req, fit *record.Conclusions, film films.Film) error {
	out := map[string]any{"film": film.ID, "frames": film.Frames, "fps": *film.Recording.FPS, "width": film.Width, "height": film.Height,
		"view": film.Recording.View, "name": film.Name(),
		"gone": film.FramesGone, "at": fmt.Sprintf("/fits/%d/gait/films/%d", fit.ID, film.ID), "segments": films.Segments[film.Recording.View],
		"dots": core.DotNames(film.Recording.View)}
	legs := map[string]any{}
	if film.State == films.Ready {
		r, err := b.App.Films.Reading(c.Ctx(), c.Who, film)
		if err != nil {
			return err
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
			legs[string(s)] = map[string]any{"dots": r.Answer.Markers[s], "angles": angles, "contacts": contacts}
		}
	}
	out["legs"] = legs
	return c.JSON(http.StatusOK, out)
}

// adjust puts a film right by hand and answers with what changes on the page.
func adjust(b *bench.Bench, c *kit.Req, fit *record.Conclusions, film films.Film) error {
	form, err := kit.Form(c, kit.Known("mark", "contact", "drop", "restore", "level", "undo", "reset"))
	if err == nil {
		_, err = b.App.Films.Correct(c.Ctx(), c.Who, fit.ID, film.ID, form.Get("undo") == "yes",
			func(fix *core.Corrections) error { return change(fix, form.Get) })
	}
	return b.Changed(c, Station(), err)
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
	if v := get("level"); v != "" {
		if level, ok := readLevel(&l, v); ok {
			fix.Level = level
		}
	}
	for _, name := range []string{"drop", "restore"} {
		v := get(name)
		if v == "" {
			continue
		}
		if side, n, ok := whole(&l, name, v, 1); ok {
			fix.Dropped = slices.DeleteFunc(fix.Dropped, func(o core.DroppedStep) bool {
				return o.Side == side &&
					math.Abs(float64(o.At-n[0])) < 12
			})
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

// readLevel reads what a hand found on the mean pictures: words of "side,x,y,…" with four points, the highest first, or
// "side,off" with how far another film's level was off, degrees.
func readLevel(l *fault.List, v string) (map[term.Side]core.LevelMark, bool) {
	out := map[term.Side]core.LevelMark{}
	for _, word := range strings.Fields(v) {
		p := strings.Split(word, ",")
		var n []float64
		for _, text := range p[1:] {
			if x, err := strconv.ParseFloat(text, 64); err == nil {
				n = append(n, x)
			}
		}
		side := term.Side(p[0])
		switch {
		case len(n) == len(p)-1 && len(n) == 1:
			out[side] = core.LevelMark{OffDeg: &n[0]}
		case len(n) == len(p)-1 && len(n) == 8:
			out[side] = core.LevelMark{Points: &[4]core.Point{{X: n[0], Y: n[1]}, {X: n[2], Y: n[3]}, {X: n[4], Y: n[5]}, {X: n[6], Y: n[7]}}}
		default:
			l.Add("level", "is %.80q; allowed is a side with four points of its mean picture", word)
			return nil, false
		}
	}
	return out, true
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
func marks(b *bench.Bench, c *kit.Req, fit *record.Conclusions, film films.Film) error {
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
			err = b.App.Films.Mark(c.Ctx(), c.Who, fit.ID, film.ID, list)
		}
	}
	return b.Done(c, Station(), fit, form, err, page(fit, film.ID))
}

func remove(b *bench.Bench, c *kit.Req, fit *record.Conclusions, film films.Film) error {
	form, err := kit.Form(c, kit.Known())
	if err == nil {
		err = b.App.Films.Delete(c.Ctx(), c.Who, fit.ID, film.ID)
	}
	return b.Done(c, Station(), fit, form, err, page(fit, film.ID))
}

// addStill puts a frame on the card.
func addStill(b *bench.Bench, c *kit.Req, fit *record.Conclusions, film films.Film) error {
	form, err := kit.Form(c, kit.Known("frame"))
	if err == nil {
		n, parseErr := strconv.Atoi(form.Get("frame"))
		if err = parseErr; err != nil {
			err = fault.List{{Field: "still", Text: "has no frame; choose one on the film"}}
		} else {
			err = b.App.Films.AddStill(c.Ctx(), c.Who, fit.ID, film.ID, n)
		}
	}
	return b.Done(c, Station(), fit, form, err, page(fit, film.ID))
}

func still(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	id, err := kit.RowID(c, "still")
	var jpeg []byte
	if err == nil {
		jpeg, err = b.App.Films.StillData(c.Ctx(), c.Who, fit.ID, id)
	}
	if err != nil {
		return err
	}
	return c.Picture(jpeg)
}

func removeStill(b *bench.Bench, c *kit.Req, fit *record.Conclusions) error {
	id, err := kit.RowID(c, "still")
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err == nil {
		err = b.App.Films.DeleteStill(c.Ctx(), c.Who, fit.ID, id)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, bench.URL(fit.ID, "gait"))
}
