package desk

import (
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/care"
	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// dayFields say what a day is like.
var dayFields = []app.Field{
	{Name: "ground", Label: "On", Kind: app.Choice, Choices: texts(term.Grounds)},
	{Name: "conditions", Label: "It is", Kind: app.Many, Choices: texts(term.Conditions)},
}

func texts[T ~string](list []T) []string {
	out := make([]string, len(list))
	for i, v := range list {
		out[i] = string(v)
	}
	return out
}

var careFields = slices.Concat(app.RubFields, app.ChangeFields, app.SoreFields)

type rubLine struct {
	app.RubReport
	Pair string
}

type changeLine struct {
	app.Changing
	Picture template.HTML
}

type careView struct {
	Runner   app.Runner
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
	Own      []app.ForDay
	Shelf    []app.ForDay
	Needs    []string
	Caution  []string
	Controls map[string]kit.Control
	Today    string
	URL      string
	FitURL   string
	Lace     map[string]template.HTML
}

func (d *Desk) care(c *gin.Context) { d.showCare(c, http.StatusOK, nil, nil) }

// showCare is what comes after the sale, for a runner.
func (d *Desk) showCare(c *gin.Context, code int, form url.Values, faults fault.List) {
	who := kit.MustWho(c)
	id, err := kit.ID(c, "runner")
	if err != nil {
		d.Fail(c, err)
		return
	}
	r, err := d.App.Runner(c, who, id)
	if err != nil {
		d.Fail(c, err)
		return
	}
	pairs, err := d.App.Pairs(c, who, id)
	if err != nil {
		d.Fail(c, err)
		return
	}
	at, rest := kit.Say(faults, func(in string) bool {
		return slices.ContainsFunc(careFields, func(f app.Field) bool { return f.Name == in })
	})
	v := careView{Runner: r, URL: "/runners/" + c.Param("runner") + "/care", Controls: kit.Controls(careFields, who.Units, form, at), Today: d.App.Today().Format("2006-01-02"), Lace: map[string]template.HTML{}}
	names := map[uint64]string{}
	for _, p := range pairs {
		names[p.ID] = p.Name()
		text := p.Name()
		if !p.SetAsideOn.IsZero() {
			text += ", set aside"
		}
		v.Pairs = append(v.Pairs, kit.Option{Value: strconv.FormatUint(p.ID, 10), Text: text})
	}
	if err := d.rubPanel(c, who, &v, pairs); err != nil {
		d.Fail(c, err)
		return
	}
	rubs, err := d.App.Rubs(c, who, id)
	if err != nil {
		d.Fail(c, err)
		return
	}
	for _, x := range rubs {
		v.Rubs = append(v.Rubs, rubLine{x, names[x.PairID]})
	}
	changes, err := d.App.Changings(c, who, id)
	if err != nil {
		d.Fail(c, err)
		return
	}
	for _, x := range changes {
		v.Changes = append(v.Changes, changeLine{x, draw.ChangeWeeks(x.Plan.Weeks, x.Now)})
	}
	if err := d.dayPanel(c, who, &v, id); err != nil {
		d.Fail(c, err)
		return
	}
	p := d.NewPage(c, r.Name+" · after the sale")
	p.Desk, p.Notice, p.Body = "runners", rest, v
	d.Render(c, code, pages, "care", p)
}

// rubPanel answers the place that was tapped.
func (d *Desk) rubPanel(c *gin.Context, who app.Actor, v *careView, pairs []app.Pair) error {
	ask := func(name string) string {
		if s := c.Query(name); s != "" {
			return s
		}
		return c.PostForm("rub_" + name)
	}
	v.Place, v.RubPair, v.RubWhen, v.Weeks, v.Broken = ask("place"), ask("pair"), ask("when"), c.Query("weeks"), c.Query("broken") == "yes"
	if !slices.Contains(texts(care.RubPlaces), v.Place) {
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
	v.Foot = draw.RubFoot(spots)
	v.Whens = []kit.Option{{Text: "not told"}}
	for _, w := range care.Whens {
		v.Whens = append(v.Whens, kit.Option{Value: string(w), Text: kit.Sentence(kit.Words(string(w))), On: string(w) == v.RubWhen})
	}
	for i := range v.Pairs {
		v.Pairs[i].On = v.Pairs[i].Value == v.RubPair
	}
	if v.Place == "" || len(pairs) == 0 {
		return nil
	}
	at := slices.IndexFunc(pairs, func(p app.Pair) bool { return strconv.FormatUint(p.ID, 10) == v.RubPair })
	at = max(at, 0)
	v.RubPair = strconv.FormatUint(pairs[at].ID, 10)
	fit, err := d.App.FitOfRunner(c, who, v.Runner.ID)
	var known care.Known
	switch {
	case err == nil:
		known = fit.RubKnown(&pairs[at])
	case err != app.ErrNotFound:
		return err
	}
	known.Broken = v.Broken
	known.Weeks, _ = strconv.ParseFloat(v.Weeks, 64) // what is no number is not told
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
	return nil
}

// dayPanel answers what belongs under the feet on the day that was asked for.
func (d *Desk) dayPanel(c *gin.Context, who app.Actor, v *careView, runner uint64) error {
	q := c.Request.URL.Query()
	v.Day = kit.Controls(dayFields, who.Units, q, nil)
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
	var err error
	if v.Own, v.Shelf, err = d.App.UnderMyFeet(c, who, runner, day); err == app.ErrNotFound {
		err = nil
	}
	return err
}

// careForm is a form of the page: do saves it.
func (d *Desk) careForm(c *gin.Context, fields []app.Field, also []string, to string, do func(who app.Actor, runner uint64, form url.Values, v map[string]app.Value) error) {
	who := kit.MustWho(c)
	id, err := kit.ID(c, "runner")
	if err == nil {
		_, err = d.App.Runner(c, who, id)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	form, v, err := kit.Decode(c, fields, who.Units, also...)
	if err == nil {
		err = do(who, id, form, v)
	}
	if faults, ok := fault.As(err); ok {
		d.showCare(c, http.StatusUnprocessableEntity, form, faults)
		return
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, "/runners/"+c.Param("runner")+"/care"+to)
}

func (d *Desk) addRub(c *gin.Context) {
	d.careForm(c, app.RubFields, []string{"referred"}, "#rubs", func(who app.Actor, runner uint64, form url.Values, v map[string]app.Value) error {
		return d.App.AddRub(c, who, runner, app.RubReport{PairID: uint64(v["rub_pair"].Number), Side: term.Side(v["rub_side"].Text), Place: term.Place(v["rub_place"].Text), When: care.When(v["rub_when"].Text), Cause: v["rub_cause"].Text, Tried: v["rub_tried"].Text, Referred: form.Get("referred") == "yes"})
	})
}

func (d *Desk) rubHelped(c *gin.Context) {
	id, err := kit.ID(c, "rub")
	if err != nil {
		d.Fail(c, err)
		return
	}
	d.careForm(c, nil, []string{"helped"}, "#rubs", func(who app.Actor, runner uint64, form url.Values, _ map[string]app.Value) error {
		return d.App.RubHelped(c, who, runner, id, form.Get("helped") == "yes")
	})
}

func (d *Desk) addChange(c *gin.Context) {
	d.careForm(c, app.ChangeFields, nil, "#changes", func(who app.Actor, runner uint64, _ url.Values, v map[string]app.Value) error {
		var goal *float64
		if g := v["change_goal"]; !g.Empty {
			share := g.Number / 100
			goal = &share
		}
		return d.App.ChangeOver(c, who, runner, uint64(v["change_from"].Number), uint64(v["change_to"].Number), v["change_km"].Number, goal, v["change_start"].Text)
	})
}

func (d *Desk) reportSore(c *gin.Context) {
	id, err := kit.ID(c, "change")
	if err != nil {
		d.Fail(c, err)
		return
	}
	d.careForm(c, app.SoreFields, nil, "#changes", func(who app.Actor, runner uint64, _ url.Values, v map[string]app.Value) error {
		r := care.Report{Week: int(v["sore_week"].Number), Soreness: v["sore_level"].Number, Night: v["sore_night"].Text == "yes"}
		if v["sore_level"].Empty {
			return fault.List{{Field: "sore_level", Text: "is missing; allowed is 0 to 10"}}
		}
		if p := term.Place(v["sore_place"].Text); p != "" {
			r.Place = &p
		}
		return d.App.ReportSore(c, who, runner, id, r)
	})
}

func (d *Desk) endChange(c *gin.Context) {
	id, err := kit.ID(c, "change")
	if err != nil {
		d.Fail(c, err)
		return
	}
	d.careForm(c, nil, nil, "#changes", func(who app.Actor, runner uint64, _ url.Values, _ map[string]app.Value) error {
		return d.App.EndChange(c, who, runner, id)
	})
}

// sheets are the pages that print: lacing and strength.
func (d *Desk) lacingSheet(c *gin.Context) {
	type lace struct {
		Name  string
		Steps []string
		Shape template.HTML
		For   string
	}
	var list []lace
	for _, n := range care.Lacings {
		list = append(list, lace{n, draw.LacingSteps(n), draw.Lacing(n), map[string]string{"heel_lock": "a heel that lifts, a foot that slides", "window": "a place on top that is pressed", "wide_forefoot": "a broad forefoot", "high_instep": "a high instep", "toe_lift": "a toe that is pressed from above"}[n]})
	}
	d.page(c, "Lacing", "lacing", list)
}

func (d *Desk) strengthSheet(c *gin.Context) { d.page(c, "Strength", "strength", draw.Exercises) }
