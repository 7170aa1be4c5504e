package desk

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/lessons"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/learn"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/jobs"
	"trevik/internal/record"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// House values of the page: under fewRunners a figure could name one, so it stands in its class's; under fewEnded, and fewPromises,
// a number is said to be small; a promise that leans by more than this is said to.
const (
	fewRunners  = lessons.FewRunners
	fewEnded    = 5
	fewPromises = 20
	leansBy     = 0.1
	mostModels  = 8 // of a class that are drawn, those with the most lives first
	learnedWide = 1010
	curveSide   = 300
)

// learnedView is what the shop learned.
type learnedView struct {
	Last    *record.Lesson
	Before  *record.Lesson
	Job     jobs.State
	Reports wardrobe.Lessons
	Recurs  []lessons.Recurs
	Lives   template.HTML
	Likings template.HTML
	Kept    []keptView // the promises, by their kind
	Few     bool       // worn out pairs
	Changed []string   // since the lesson before
	Hidden  int        // classes and models of too few runners
	More    int        // models that are in the files alone
	By      record.Settings
	OurLife bool
	Owner   bool
	Err     string
	Size    int   // of the invented shop that is shown, in pairs; 0 is our own
	Sizes   []int // that may be
}

// keptView is how a kind of promise was kept.
type keptView struct {
	learn.Kept
	Name  string
	Curve template.HTML
	Few   bool
	Leans string
}

// promised are the kinds of promise, by their word: what was told, and what is to be looked at where it leans.
var promised = []struct{ Word, Name, High string }{
	{record.LevelPromise, "The level, against feeling right", "the level is told surer than it comes: look at its house figures at Shop"},
	{record.RoomPromise, "The room, against the toes", "the room is told surer than it comes: look at the room before the toes at Shop"},
	{record.BandPromise, "The band, against a second film", "the band is told surer than it comes: film longer, or set the points at Gait"},
	{record.RacePromise, "A race pair that lasts",
		"pairs end before the races that they were told to last for: look at the life figures at Shop"},
	{record.OrderPromise, "The day to order by", "pairs are worn out before the day that was told: look at delivery and life at Shop"},
}

// promisesOf are how a shop's promises were kept by their kind: of a lesson, and the level's by what its runners reported.
func promisesOf(l *record.Lesson, r wardrobe.Lessons) map[string]learn.Kept {
	out := map[string]learn.Kept{}
	if r.Level.N >= fewRunners {
		out[record.LevelPromise] = r.Level
	}
	for kind, k := range l.Promises {
		out[kind] = k
	}
	return out
}

func keptOf(word string, k learn.Kept) (v keptView, ok bool) {
	for _, x := range promised {
		if x.Word != word || k.N == 0 {
			continue
		}
		v = keptView{Kept: k, Name: x.Name, Curve: draw.Reliability(k, curveSide), Few: k.N < fewPromises}
		switch {
		case v.Few:
		case k.Lean > leansBy:
			v.Leans = x.High
		case k.Lean < -leansBy:
			v.Leans = "it comes more often than it is told: it may be told surer"
		}
		return v, true
	}
	return v, false
}

func (d *Desk) learned(c *kit.Req) error { return d.showLearned(c, http.StatusOK, nil) }

func (d *Desk) showLearned(c *kit.Req, code int, faults fault.List) error {
	var v learnedView
	var err error
	if v.Reports, err = d.App.Wardrobe.WhatWasLearned(c.Ctx(), c.Who); err != nil {
		return err
	}
	kept := map[string]learn.Kept{}
	v.Sizes = lessons.Sizes
	if size := c.Query("invented"); size != "" {
		v.Size, _ = strconv.Atoi(size) // what is no number is no size
		v.Last, kept, err = d.App.Lessons.Invented(c.Who, v.Size)
		v.Reports = wardrobe.Lessons{}
	} else {
		v.Last, v.Before, err = d.App.Lessons.Latest(c.Ctx(), c.Who)
		if v.Last != nil {
			kept = promisesOf(v.Last, v.Reports)
		}
	}
	if err == nil && v.Size == 0 {
		v.Recurs, err = d.App.Lessons.Recurring(c.Ctx(), c.Who)
	}
	if err != nil {
		return err
	}
	// What few told could name them.
	for _, list := range []*[]wardrobe.Learned{&v.Reports.Levels, &v.Reports.Rooms, &v.Reports.Models} {
		*list = slices.DeleteFunc(*list, func(l wardrobe.Learned) bool { return l.N < fewRunners })
	}
	for _, x := range promised {
		if k, ok := keptOf(x.Word, kept[x.Word]); ok {
			v.Kept = append(v.Kept, k)
		}
	}
	if v.Job, err = d.App.Lessons.State(c.Ctx(), c.Who); err != nil {
		return err
	}
	if v.By, _, err = d.App.People.Settings(c.Ctx(), c.Who); err != nil {
		return err
	}
	_, v.Err = kit.Say(c.Who.Units, faults, kit.Known())
	v.Owner, v.OurLife = c.Who.Role == app.Owner, v.By.Learned != nil
	if v.Last != nil {
		cat, err := d.App.Shelf.Catalogue(c.Ctx(), c.Who)
		if err != nil {
			return err
		}
		var lines []draw.LifeLine
		lines, v.Hidden, v.More = lifeLines(v.Last, cat, &v.By)
		v.Few = v.Last.Life.Ended < fewEnded
		v.Lives = draw.Lives(lines, c.Who.Units, learnedWide)
		v.Likings = draw.Likings(v.Last.Liking.Weights, support.Words, learnedWide/2)
		v.Changed = since(v.Before, v.Last, c)
	}
	return d.pageWith(c, code, "What we learned", "learned", v, "")
}

// lifeLines are a lesson's lives by class, each with its models of enough runners that something is known of; hidden counts the
// others, more the models beyond those with the most lives.
func lifeLines(l *record.Lesson, cat *record.Catalogue, s *record.Settings) (lines []draw.LifeLine, hidden, more int) {
	say := func(n learn.Counts) string {
		text := fmt.Sprintf("%d worn out, %d in use", n.WornOut, n.InUse)
		if n.WornOut < fewEnded {
			text += ": few"
		}
		return text
	}
	for _, x := range l.Life.Classes {
		if l.Runners[string(x.Class)] < fewRunners {
			hidden++
			continue
		}
		lines = append(lines, draw.LifeLine{Name: support.Words(string(x.Class)), P10: x.Median.P10, P50: x.Median.P50, P90: x.Median.P90,
			Told: s.House.MedianLife(x.Class), Counts: say(x.Counts)})
		models := slices.DeleteFunc(slices.Clone(l.Life.Models), func(m learn.ModelLife) bool { return m.Class != x.Class })
		slices.SortStableFunc(models, func(a, b learn.ModelLife) int { return cmp.Compare(b.WornOut, a.WornOut) })
		shown := 0
		for _, m := range models {
			if l.Runners[m.Model] < fewRunners {
				hidden++
				continue
			}
			if shown++; shown > mostModels {
				more++
				continue
			}
			name, told := m.Model, s.House.MedianLife(m.Class)
			if of := cat.ByCode(m.Model); of != nil { // an invented shop's models are in no catalogue
				name, told = record.ModelName(of), of.Life(&s.House)
			}
			lines = append(lines, draw.LifeLine{Name: name, Inner: true, P10: m.Median.P10, P50: m.Median.P50, P90: m.Median.P90, Told: told,
				Counts: say(m.Counts)})
		}
	}
	return lines, hidden, more
}

// since says how the classes' lives changed from a lesson to the next.
func since(was, now *record.Lesson, c *kit.Req) []string {
	if was == nil {
		return nil
	}
	var out []string
	for _, x := range now.Life.Classes {
		at := slices.IndexFunc(was.Life.Classes, func(o learn.ClassLife) bool { return o.Class == x.Class })
		if at < 0 || now.Runners[string(x.Class)] < fewRunners {
			continue
		}
		if a, b := was.Life.Classes[at].Median.P50, x.Median.P50; a-b >= 1 || b-a >= 1 {
			out = append(out, fmt.Sprintf("%s: %s, %s before", support.Words(string(x.Class)), c.Who.Units.Distance(b), c.Who.Units.Distance(a)))
		}
	}
	return out
}

// chooseLearned chooses whether what was learned leads.
func (d *Desk) chooseLearned(c *kit.Req) error {
	sent, err := kit.Form(c, kit.Known(record.LearnedLives, record.LearnedWeights))
	if err == nil {
		to := map[string]string{}
		for _, name := range []string{record.LearnedLives, record.LearnedWeights} {
			if sent.Has(name) {
				to[name] = sent.Get(name)
			}
		}
		err = d.App.People.ChangeSettings(c.Ctx(), c.Who, to)
	}
	if l, ok := fault.As(err); ok {
		return d.showLearned(c, http.StatusUnprocessableEntity, l)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, "/learned")
}

// learnNow has the shop learned from now.
func (d *Desk) learnNow(c *kit.Req) error {
	_, err := kit.Form(c, kit.Known())
	if err == nil {
		err = d.App.Lessons.Ask(c.Ctx(), c.Who)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, "/learned")
}

// learnedOut is what the page shows as a file: nobody's name, and no figure of too few runners.
type learnedOut struct {
	Schema   string                `json:"schema"`
	Day      string                `json:"day"`
	Lives    []lifeOut             `json:"lives"`
	Liking   learn.LikingAnswer    `json:"liking"`
	Promises map[string]learn.Kept `json:"promises"`
}

type lifeOut struct {
	Class   term.Class `json:"class"`
	Model   string     `json:"model,omitempty"`
	P10     float64    `json:"p10_km"`
	P50     float64    `json:"p50_km"`
	P90     float64    `json:"p90_km"`
	WornOut int        `json:"worn_out"`
	InUse   int        `json:"in_use"`
	Other   int        `json:"other"`
	Runners int        `json:"runners"`
}

func (d *Desk) learnedFile(c *kit.Req) (out learnedOut, err error) {
	last, _, err := d.App.Lessons.Latest(c.Ctx(), c.Who)
	if err != nil {
		return out, err
	}
	if last == nil {
		return out, app.ErrNotFound
	}
	reports, err := d.App.Wardrobe.WhatWasLearned(c.Ctx(), c.Who)
	if err != nil {
		return out, err
	}
	out = learnedOut{Schema: "trevik.learned/v1", Day: last.Day.Format(time.DateOnly), Lives: []lifeOut{}, Liking: last.Liking,
		Promises: promisesOf(last, reports)}
	line := func(class term.Class, model string, s learn.Span, n learn.Counts, runners int) {
		if runners >= fewRunners {
			out.Lives = append(out.Lives, lifeOut{class, model, s.P10, s.P50, s.P90, n.WornOut, n.InUse, n.Other, runners})
		}
	}
	for _, x := range last.Life.Classes {
		line(x.Class, "", x.Median, x.Counts, last.Runners[string(x.Class)])
	}
	for _, x := range last.Life.Models {
		line(x.Class, x.Model, x.Median, x.Counts, last.Runners[x.Model])
	}
	return out, nil
}

func (d *Desk) learnedJSON(c *kit.Req) error {
	out, err := d.learnedFile(c)
	if err != nil {
		return err
	}
	data, err := json.MarshalIndent(out, "", " ")
	if err != nil {
		return err
	}
	c.File("learned.json", "application/json; charset=utf-8")
	return c.Data(http.StatusOK, "application/json; charset=utf-8", data)
}

func (d *Desk) learnedCSV(c *kit.Req) error {
	out, err := d.learnedFile(c)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	num := func(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }
	rows := [][]string{{"what", "of", "figure", "low", "high", "house", "n", "in_use"}}
	for _, x := range out.Lives {
		of, what := string(x.Class), "life of a class, km"
		if x.Model != "" {
			of, what = x.Model, "life of a model, km"
		}
		rows = append(rows, []string{what, of, num(x.P50), num(x.P10), num(x.P90), "", strconv.Itoa(x.WornOut), strconv.Itoa(x.InUse)})
	}
	for _, x := range out.Liking.Weights {
		rows = append(rows, []string{"weight of a mark", x.Mark, num(x.Learned), num(x.Learned - x.SD), num(x.Learned + x.SD), num(x.House),
			strconv.Itoa(out.Liking.WithTwo), ""})
	}
	for _, kind := range promised {
		for _, x := range out.Promises[kind.Word].By {
			rows = append(rows, []string{kind.Word + " told, came", num(x.Told), num(x.Kept), num(x.Lo), num(x.Hi), "", strconv.Itoa(x.N), ""})
		}
	}
	if err := w.WriteAll(rows); err != nil {
		return err
	}
	c.File("learned.csv", "text/csv; charset=utf-8")
	return c.Data(http.StatusOK, "text/csv; charset=utf-8", b.Bytes())
}
