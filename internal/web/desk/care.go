package desk

import (
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/care"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// dayFields say what a day is like.
var dayFields = []form.Field{
	{Name: "ground", Label: "On", Kind: form.Choice, Choices: form.Words(term.Grounds)},
	{Name: "conditions", Label: "Conditions", Kind: form.Many, Choices: form.Words(term.Conditions)},
}

var careFields = slices.Concat(wardrobe.RubFields, wardrobe.ChangeFields, wardrobe.SoreFields)

type rubLine struct {
	record.RubReport
	Pair string
}

type changeLine struct {
	record.Changing
	Picture template.HTML
}

type careView struct {
	Runner   *record.Runner
	Foot     template.HTML
	Place    string
	Rub      *care.Rubbed
	RubPair  string
	RubWhen  string
	Broken   bool
	Weeks    string
	Pairs    []kit.Option
	Whens    []kit.Option
	Rubs     []rubLine
	Changes  []changeLine
	Day      map[string]kit.Control
	Asked    bool
	Own      []record.ForDay
	Shelf    []record.ForDay
	Needs    []string
	Caution  []string
	Controls map[string]kit.Control
	Today    string
	URL      string
	Lace     map[string]template.HTML
}

func (d *Desk) care(c *kit.Req) error { return d.showCare(c, http.StatusOK, nil, nil) }

// showCare is what comes after the sale, for a runner.
func (d *Desk) showCare(c *kit.Req, code int, sent url.Values, faults fault.List) error {
	id, err := kit.RowID(c, "runner")
	if err != nil {
		return err
	}
	r, err := d.App.Visits.Runner(c.Ctx(), c.Who, id)
	if err != nil {
		return err
	}
	// What follows from their latest visit; nil where they had none.
	fit, err := d.App.Visits.OfRunner(c.Ctx(), c.Who, id)
	if err != nil && !errors.Is(err, app.ErrNotFound) {
		return err
	}
	today := d.App.Today(c.Who)
	at, rest := kit.Say(c.Who.Units, faults, func(in string) bool {
		return slices.ContainsFunc(careFields, func(f form.Field) bool { return f.Name == in })
	})
	v := careView{Runner: r, URL: "/runners/" + c.Param("runner") + "/care", Controls: kit.Controls(careFields, c.Who.Units, sent, at),
		Today: today.Format(time.DateOnly), Lace: map[string]template.HTML{}}
	names := map[uint64]string{}
	for _, p := range r.Pairs {
		names[p.ID] = p.Name()
		text := p.Name()
		if !p.SetAsideOn.IsZero() {
			text += ", retired"
		}
		v.Pairs = append(v.Pairs, kit.Option{Value: strconv.FormatUint(p.ID, 10), Text: text})
	}
	v.rub(c, fit)
	for _, x := range r.Rubs {
		v.Rubs = append(v.Rubs, rubLine{x, names[x.PairID]})
	}
	changes, err := r.Changings(today)
	if err != nil {
		return err
	}
	for _, x := range changes {
		v.Changes = append(v.Changes, changeLine{x, draw.ChangeWeeks(x.Plan.Weeks, x.Now, c.Who.Units)})
	}
	if err := v.day(c, fit); err != nil {
		return err
	}
	p := d.NewPage(c, r.Name+" · after the sale")
	p.Desk, p.Notice, p.Body = "runners", rest, v
	return d.Render(c, code, pages, "care", p)
}

// rub answers the place that was tapped.
func (v *careView) rub(c *kit.Req, fit *record.Conclusions) {
	ask := func(name string) string {
		if s := c.Query(name); s != "" {
			return s
		}
		return c.PostForm("rub_" + name)
	}
	v.Place, v.RubPair, v.RubWhen, v.Weeks, v.Broken = ask("place"), ask("pair"), ask("when"), c.Query("weeks"), c.Query("broken") == "yes"
	if !slices.Contains(care.RubPlaces, term.Place(v.Place)) {
		v.Place = ""
	}
	var spots []draw.RubSpot
	for _, p := range care.RubPlaces {
		q := url.Values{"place": {string(p)}}
		for name, x := range map[string]string{"pair": v.RubPair, "when": v.RubWhen, "weeks": v.Weeks} {
			if x != "" {
				q.Set(name, x)
			}
		}
		spots = append(spots, draw.RubSpot{Place: p, URL: v.URL + "?" + q.Encode() + "#rub", On: string(p) == v.Place})
	}
	v.Foot = draw.RubFoot(spots, fit.Foot(term.Left))
	v.Whens = []kit.Option{{Text: "Not sure"}}
	for _, w := range care.Whens {
		v.Whens = append(v.Whens, kit.Option{Value: string(w), Text: c.Who.Units.Say(kit.Sentence(kit.Words(string(w)))),
			On: string(w) == v.RubWhen})
	}
	for i := range v.Pairs {
		v.Pairs[i].On = v.Pairs[i].Value == v.RubPair
	}
	if v.Place == "" || len(v.Runner.Pairs) == 0 {
		return
	}
	at := max(0, slices.IndexFunc(v.Pairs, func(o kit.Option) bool { return o.On }))
	v.RubPair = v.Pairs[at].Value
	var known care.Known
	if fit != nil {
		known = fit.RubKnown(&v.Runner.Pairs[at])
	}
	known.Broken = v.Broken
	known.Weeks, _ = form.ParseNumber(v.Weeks) // what is no number is not told
	when := care.When(v.RubWhen)
	if !slices.Contains(care.Whens, when) {
		when = ""
	}
	rub := care.Rub(term.Place(v.Place), when, known)
	v.Rub = &rub
	for _, x := range rub.Causes {
		if x.Lace != "" {
			v.Lace[x.Lace] = draw.Lacing(x.Lace)
		}
	}
}

// day answers what belongs under the feet on the day that was asked for.
func (v *careView) day(c *kit.Req, fit *record.Conclusions) error {
	q := c.Request.URL.Query()
	v.Day = kit.Controls(dayFields, c.Who.Units, q, nil)
	ground := term.Ground(q.Get("ground"))
	if !slices.Contains(term.Grounds, ground) {
		return nil
	}
	day := care.Day{Ground: ground}
	for _, w := range q["conditions"] {
		if k := term.Condition(w); slices.Contains(term.Conditions, k) {
			day.Conditions = append(day.Conditions, k)
		}
	}
	v.Asked = true
	needs, _ := day.Needs()
	for _, n := range needs {
		v.Needs = append(v.Needs, n.Text)
	}
	v.Caution = day.Cautions()
	if fit == nil {
		return nil
	}
	var err error
	v.Own, v.Shelf, err = fit.UnderMyFeet(day)
	return err
}

// careForm is a form of the page: do saves it.
func (d *Desk) careForm(c *kit.Req, fields []form.Field, also []string, to string,
	do func(runner uint64, sent url.Values, v kit.Values) error) error {
	id, err := kit.RowID(c, "runner")
	if err == nil {
		_, err = d.App.People.Runner(c.Ctx(), c.Who, id)
	}
	if err != nil {
		return err
	}
	sent, v, err := kit.Decode(c, fields, also...)
	if err == nil {
		err = do(id, sent, v)
	}
	if faults, ok := fault.As(err); ok {
		return d.showCare(c, http.StatusUnprocessableEntity, sent, faults)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, "/runners/"+c.Param("runner")+"/care"+to)
}

func (d *Desk) addRub(c *kit.Req) error {
	return d.careForm(c, wardrobe.RubFields, []string{"referred"}, "#rubs", func(runner uint64, sent url.Values, v kit.Values) error {
		return d.App.Wardrobe.AddRub(c.Ctx(), c.Who, runner, record.RubReport{PairID: uint64(v["rub_pair"].Number),
			Side:  term.Side(v["rub_side"].Text),
			Place: term.Place(v["rub_place"].Text), When: care.When(v["rub_when"].Text), Cause: v["rub_cause"].Text, Tried: v["rub_tried"].Text,
			Referred: sent.Get("referred") == "yes"})
	})
}

func (d *Desk) rubHelped(c *kit.Req) error {
	id, err := kit.RowID(c, "rub")
	if err != nil {
		return err
	}
	return d.careForm(c, nil, []string{"helped"}, "#rubs", func(runner uint64, sent url.Values, _ kit.Values) error {
		return d.App.Wardrobe.RubHelped(c.Ctx(), c.Who, runner, id, sent.Get("helped") == "yes")
	})
}

func (d *Desk) addChange(c *kit.Req) error {
	return d.careForm(c, wardrobe.ChangeFields, nil, "#changes", func(runner uint64, _ url.Values, v kit.Values) error {
		asked := wardrobe.ChangeAsked{From: uint64(v["change_from"].Number), To: uint64(v["change_to"].Number), WeeklyKM: v["change_km"].Number,
			Start: v["change_start"].Text}
		if g := v["change_goal"].Ptr(); g != nil {
			share := *g / 100
			asked.Goal = &share
		}
		return d.App.Wardrobe.ChangeOver(c.Ctx(), c.Who, runner, asked)
	})
}

// Sore reads the form of how a week of changing over went.
func Sore(v kit.Values) (care.Report, error) {
	if v["sore_level"].Empty {
		return care.Report{}, fault.List{{Field: "sore_level", Text: "is missing; allowed is 0 to 10"}}
	}
	r := care.Report{Week: int(v["sore_week"].Number), Soreness: v["sore_level"].Number, Night: v["sore_night"].Text == "yes"}
	if p := term.Place(v["sore_place"].Text); p != "" {
		r.Place = &p
	}
	return r, nil
}

func (d *Desk) reportSore(c *kit.Req) error {
	id, err := kit.RowID(c, "change")
	if err != nil {
		return err
	}
	return d.careForm(c, wardrobe.SoreFields, nil, "#changes", func(runner uint64, _ url.Values, v kit.Values) error {
		r, err := Sore(v)
		if err != nil {
			return err
		}
		return d.App.Wardrobe.ReportSore(c.Ctx(), c.Who, runner, id, r)
	})
}

func (d *Desk) endChange(c *kit.Req) error {
	id, err := kit.RowID(c, "change")
	if err != nil {
		return err
	}
	return d.careForm(c, nil, nil, "#changes", func(runner uint64, _ url.Values, _ kit.Values) error {
		return d.App.Wardrobe.EndChange(c.Ctx(), c.Who, runner, id)
	})
}

// laceFor is what each lacing is for.
var laceFor = map[string]string{"heel_lock": "a heel that lifts, a foot that slides", "window": "a place on top that is pressed",
	"wide_forefoot": "a broad forefoot",
	"high_instep":   "a high instep", "toe_lift": "a toe that is pressed from above"}

// lacingSheet is a page that prints.
func (d *Desk) lacingSheet(c *kit.Req) error {
	type lace struct {
		Name  string
		Steps []string
		Shape template.HTML
		For   string
	}
	var list []lace
	for _, n := range care.Lacings {
		list = append(list, lace{n, draw.LacingSteps(n), draw.Lacing(n), laceFor[n]})
	}
	return d.page(c, "Lacing", "lacing", list)
}

func (d *Desk) strengthSheet(c *kit.Req) error {
	return d.page(c, "Strength", "strength", draw.Exercises)
}
