// Package distance is the station where runs are put down against pairs, pairs are looked
// at, and what is left of each is told.
package distance

import (
	"cmp"
	"embed"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"trevik/internal/app/runlog"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/support"
	"trevik/internal/core/units"
	"trevik/internal/core/wear"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/web/bench"
	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

//go:embed *.html
var files embed.FS

// PairOptions are the pairs that a run can be put down in.
func (b body) PairOptions() []kit.Option {
	var out []kit.Option
	for _, p := range b.Pairs {
		out = append(out, kit.Option{Value: strconv.FormatUint(p.Pair.ID, 10), Text: p.Pair.Name()})
	}
	return out
}

// MendFields are the inputs of the run that is put right: into a pair in use, or the one that it is in.
func (b body) MendFields(own map[string]kit.Control, u units.System) []kit.Control {
	pairs := b.PairOptions()
	in := strconv.FormatUint(b.Mend.PairID, 10)
	for _, o := range b.Find.Pairs {
		if o.Value == in && !slices.ContainsFunc(pairs, func(p kit.Option) bool { return p.Value == in }) {
			pairs = append(pairs, kit.Option{Value: in, Text: o.Text + ", retired"})
		}
	}
	return MendControls(own, b.Mend, pairs, u)
}

// Usual is the pair that a run is in where there is only one; else the rules choose.
func (b body) Usual() string {
	if len(b.Pairs) != 1 || len(b.Rules) > 0 {
		return ""
	}
	return strconv.FormatUint(b.Pairs[0].Pair.ID, 10)
}

// Or puts a choice before the pairs.
func (b body) Or(text string) []kit.Option {
	return append([]kit.Option{{Text: text}}, b.PairOptions()...)
}

type body struct {
	Drawn     template.HTML // the cupboard
	Pairs     []*pair
	On        string
	NoWeek    bool
	Load      string // where the km ahead come from
	Withdrawn uint64 // a run that was just taken away
	File      *file
	Loose     []record.Run
	LooseKM   float64
	Offers    []record.Offer
	Rules     []rule
	Races     []raceLine
	Aside     []aside
	Runs      []runRow // a page of all, newest first
	All       int
	Found     int
	Page      int
	Older     int
	Newer     int
	Split     *record.Run
	Mend      *record.Run
	Find      find
	Alike     []alike
	Gone      uint64 // a pair that was just taken away
	Cupboard  *pair  // the one pair that is looked at, in a session through all
	At, Of    int
	Next      int // the next pair's number, 0 after the last
	Stay      int // the number at which the next pair stands once this one is set aside
}

// find says which runs of all are shown.
type find struct {
	Of    string // a pair's id, or noPair; empty is all
	Until string // a day
	Query template.URL
	Pairs []kit.Option
}

// noPair is where runs without a pair are asked for.
const noPair = "none"

// alike are two runs that may be one.
type alike struct {
	record.Alike
	In [2]string
}

type rule struct {
	record.Rule
	Pair, Second string
}

type aside struct {
	Pair record.Pair
	KM   float64 // effective
	Own  bool    // counts as the runner's own history
}

type logged struct {
	record.Run
	Pair string
}

// runRow is one of a page of runs, in words.
type runRow struct {
	Fit, ID                       uint64
	Day, Short, Long              string // of the run, three ways
	Started, Far, What, Pair, How string
	At                            template.URL // the page, of what was asked for, that shows it
}

var rows kit.Pieces

// Rows are the rows of the runs.
func (b body) Rows() (template.HTML, error) {
	return kit.Each(&rows, bench.Parse(files), "run", b.Runs)
}

func (b *body) runRow(r logged, fit uint64, u units.System) runRow {
	what := support.Words(string(r.Kind)) + ", " + string(r.Ground)
	if r.Wet {
		what += ", wet"
	}
	out := runRow{Fit: fit, ID: r.ID, Day: r.On.Format("Mon 2 Jan 2006"), Short: r.On.Format("2 January"), Long: r.On.Format("2 January 2006"),
		Far: u.Distance(r.KM), What: what, Pair: r.Pair, How: r.How, At: template.URL(fmt.Sprintf("%s&page=%d", b.Find.Query, b.Page))}
	if !r.StartedAt.IsZero() {
		out.Started = r.StartedAt.Format("15:04")
	}
	return out
}

// Station is Distance.
func Station() bench.Station {
	return bench.Station{Path: "distance", Name: "Distance", Lead: "Runs against pairs, what is left of each, and when to order the next.",
		Template: bench.Parse(files), Body: bodyOf, Extra: extra,
		Fields: slices.Concat(runlog.RunFields, runlog.MendFields, wardrobe.FactFields, runlog.RuleFields, runlog.SplitFields, kit.ColumnFields,
			fileFields,
			wardrobe.ReportFields, wardrobe.RaceFields, wardrobe.AsideFields, wardrobe.CountedFields, wardrobe.LetInFields, wardrobe.CalledFields,
			wardrobe.LiftingFields, wardrobe.LookFields)}
}

// fileFields stand for what is sent as a file or ticked, so that their faults have a place.
var fileFields = []form.Field{{Name: "runs_file", Label: "Files of runs", Kind: form.Text}, {Name: "run", Label: "Runs", Kind: form.Text},
	{Name: "to_pair", Label: "Into", Kind: form.Number, Lo: 0, Hi: 1 << 53}, {Name: "photo", Label: "Picture", Kind: form.Text}}

const (
	recent       = 6
	retiredShown = 2
	aPage        = 50
)

func bodyOf(c *kit.Req, b *bench.Bench, fit *record.Conclusions) (any, error) {
	out := body{On: fit.Today.Format(wear.DateLayout), Loose: fit.Runner.Loose, Offers: fit.Offers()}
	out.Withdrawn, _ = strconv.ParseUint(c.Query("withdrawn"), 10, 63) // what is no number is none
	out.Gone, _ = strconv.ParseUint(c.Query("gone"), 10, 63)
	_, km, _ := fit.WeekTold()
	s, err := fit.Serving()
	if err != nil {
		return nil, err
	}
	out.NoWeek, out.Load = km == 0 && len(fit.Board()) == 0 && !s.Runs, s.Load()
	worn, err := fit.Worn()
	if err != nil {
		return nil, err
	}
	for i, w := range worn {
		p, err := pairOf(fit, i, w)
		if err != nil {
			return nil, err
		}
		out.Pairs = append(out.Pairs, p)
	}
	for _, r := range fit.Races() {
		line := raceLine{Race: r}
		for _, p := range out.Pairs {
			for _, x := range p.Races {
				if x.Race.On.Equal(r.On) {
					line = x
				}
			}
		}
		out.Races = append(out.Races, line)
	}
	for _, r := range out.Loose {
		out.LooseKM += r.KM
	}
	names := map[uint64]string{}
	for i := range fit.Runner.Pairs {
		p := &fit.Runner.Pairs[i]
		names[p.ID] = p.Name()
		if !p.SetAsideOn.IsZero() {
			out.Aside = append(out.Aside, aside{*p, p.EffectiveKM(&fit.Shop.Settings.House), p.Reason == record.WornOut})
		}
	}
	for _, r := range fit.Runner.Rules {
		out.Rules = append(out.Rules, rule{r, names[r.PairID], names[r.Second]})
	}
	for _, x := range fit.Runner.LookAlikes() {
		out.Alike = append(out.Alike, alike{x, [2]string{names[x.First.PairID], names[x.Second.PairID]}})
	}
	out.Drawn = draw.Cupboard(kit.Lives(fit.Runner, worn, fit.Units, retiredShown, bench.PairAt), kit.Events(fit.Races(), worn),
		fit.Today, bench.TableWidth)
	out.open(c)
	out.log(c, fit.ID, fit.Runner.Pairs, names)
	out.cupboard(c)
	out.File, err = waiting(c, b, fit)
	return out, err
}

// open shows one pair whole: the one that was asked for, or whose form could not be kept, else the one
// whose state asks for most; the rest are a line each.
func (b *body) open(c *kit.Req) {
	rank := map[wear.State]int{wear.SetAside: 5, wear.LastRuns: 4, wear.Order: 3, wear.Look: 2}
	asked := cmp.Or(c.Query("pair"), c.Param("pair"))
	best := -1
	for _, p := range b.Pairs {
		p.Sent = strconv.FormatUint(p.Pair.ID, 10) == c.Param("pair")
	}
	for i, p := range b.Pairs {
		if strconv.FormatUint(p.Pair.ID, 10) == asked {
			best = i
			break
		}
		if best < 0 || rank[p.Wear.State] > rank[b.Pairs[best].Wear.State] {
			best = i
		}
	}
	if best >= 0 {
		b.Pairs[best].Open = true
	}
}

// log is a page of all runs, the newest first.
func (b *body) log(c *kit.Req, fit uint64, all []record.Pair, names map[uint64]string) {
	var runs []logged
	for _, p := range all {
		for _, r := range p.Runs {
			runs = append(runs, logged{r, names[p.ID]})
		}
	}
	for _, r := range b.Loose {
		runs = append(runs, logged{r, ""})
	}
	slices.SortStableFunc(runs, func(x, y logged) int {
		if d := y.On.Compare(x.On); d != 0 {
			return d
		}
		return y.StartedAt.Compare(x.StartedAt)
	})
	asked := c.Query("split")
	if asked == "" {
		asked = c.PostForm("run") // of a form that could not be kept
	}
	b.Split = runAt(runs, asked)
	if b.Mend = runAt(runs, cmp.Or(c.Query("mend"), c.PostForm("mend_run"))); b.Mend != nil {
		b.Split = nil
	}
	b.All = len(runs)
	runs = b.find(c, runs, all)
	page, _ := strconv.Atoi(c.Query("page")) // what is no number is the first
	page = max(1, page)
	b.Found, b.Page = len(runs), page
	from := min((page-1)*aPage, len(runs))
	for _, r := range runs[from:min(from+aPage, len(runs))] {
		b.Runs = append(b.Runs, b.runRow(r, fit, c.Who.Units))
	}
	if page > 1 {
		b.Newer = page - 1
	}
	if from+aPage < len(runs) {
		b.Older = page + 1
	}
}

// find keeps the runs that are asked for: of a pair, and up to a day.
func (b *body) find(c *kit.Req, runs []logged, pairs []record.Pair) []logged {
	b.Find = find{Of: c.Query("of"), Until: c.Query("until"), Pairs: []kit.Option{{Text: "any"}, {Value: noPair, Text: "no pair"}}}
	for i := range pairs {
		b.Find.Pairs = append(b.Find.Pairs, kit.Option{Value: strconv.FormatUint(pairs[i].ID, 10), Text: pairs[i].Name()})
	}
	for i := range b.Find.Pairs {
		b.Find.Pairs[i].On = b.Find.Pairs[i].Value == b.Find.Of
	}
	until, err := time.Parse(time.DateOnly, b.Find.Until)
	if err != nil {
		b.Find.Until = "" // no day: all of them
	}
	b.Find.Query = template.URL("of=" + url.QueryEscape(b.Find.Of) + "&until=" + url.QueryEscape(b.Find.Until))
	return slices.DeleteFunc(slices.Clone(runs), func(r logged) bool {
		in := strconv.FormatUint(r.PairID, 10)
		if r.PairID == 0 {
			in = noPair
		}
		return b.Find.Of != "" && in != b.Find.Of || b.Find.Until != "" && r.On.After(until)
	})
}

// runAt is the run of an id, nil where it is not there.
func runAt(runs []logged, asked string) *record.Run {
	id, err := strconv.ParseUint(asked, 10, 63)
	at := slices.IndexFunc(runs, func(r logged) bool { return r.ID == id })
	if err != nil || at < 0 {
		return nil
	}
	return &runs[at].Run
}

// cupboard goes through the pairs one by one.
func (b *body) cupboard(c *kit.Req) {
	n, err := strconv.Atoi(c.Query("cupboard"))
	if err != nil || n < 1 || n > len(b.Pairs) {
		return
	}
	b.Cupboard, b.At, b.Of, b.Next = b.Pairs[n-1], n, len(b.Pairs), n+1
	b.Stay = n
	if n == len(b.Pairs) {
		b.Next, b.Stay = 0, 0
	}
}

func extra(b *bench.Bench) []kit.Route {
	at := func(method, path string, do kit.Handler) kit.Route {
		return kit.Route{Method: method, Path: "/fits/:fit/" + path, Roles: kit.Everyone, Handle: do}
	}
	post := func(path string, do kit.Handler) kit.Route { return at(http.MethodPost, path, do) }
	return []kit.Route{
		post("runs", add(b)), post("runs/move", move(b)), post("runs/split", split(b)), post("runs/:run/withdraw", withdraw(b)),
		post("runs/:run/restore", restore(b)), post("runs/mend", mend(b)), post("runs/:run/apart", apart(b)),
		post("pairs/:pair/facts", facts(b)), post("pairs/:pair/take-away", takeAway(b)), post("pairs/:pair/put-back", putBack(b)),
		post("runs/file", readFile(b)), post("runs/watch", takeWatch(b)), post("runs/columns", settle(b)), post("runs/put-in", putIn(b)),
		post("runs/let-go", letGo(b)),
		at(http.MethodGet, "runs/export", export(b)),
		post("rules", addRule(b)), post("rules/:rule/end", endRule(b)),
		post("races", addRace(b)), post("races/:race/end", endRace(b)),
		post("pairs/:pair/report", report(b)), post("said/:kind/:said/answered", answered(b)), post("pairs/:pair/look", look(b)),
		post("looks/:look/take-back", takeBack(b)),
		post("pairs/:pair/photo", addPhoto(b)), at(http.MethodGet, "pair-photos/:photo", showPhoto(b)), post("pairs/:pair/lifting", lifting(b)),
		post("pairs/:pair/set-aside", setAside(b)), post("pairs/:pair/resume", resume(b)), post("pairs/:pair/slow", slow(b)),
		post("pairs/:pair/let-in", letPairIn(b)), post("pairs/:pair/before", counted(b)), post("pairs/:pair/called", called(b)),
	}
}

// saved is the station's address with the note that something was kept; at is a place on it.
func saved(b *bench.Bench, fit *record.Conclusions, at string) string {
	to := bench.URL(fit.ID, "distance") + "?saved=" + strconv.FormatInt(b.App.Now().Unix(), 10)
	if at != "" {
		to += "#" + at
	}
	return to
}

// sent is a form of the station's own as it was read; id is the row of its address.
type sent struct {
	*kit.Req
	fit    *record.Conclusions
	runner uint64
	id     uint64
	form   url.Values
	v      kit.Values
}

// post is a form of the station's own.
type post struct {
	fields []form.Field
	also   []string               // names that do reads itself
	of     string                 // the part of the address that is a row's id; empty is none
	at     func(id uint64) string // the place on the page that it goes on at
	do     func(sent) error
}

func top(uint64) string { return "" }

func place(at string) func(uint64) string { return func(uint64) string { return at } }

func pairAt(id uint64) string { return "pair-" + strconv.FormatUint(id, 10) }

// handle answers a form: where it came from the cupboard it goes on there.
func (p post) handle(b *bench.Bench) kit.Handler {
	return func(c *kit.Req) error {
		s := sent{Req: c}
		var err error
		if s.fit, err = b.Load(c); err != nil {
			return err
		}
		s.runner = s.fit.Runner.ID
		if p.of != "" {
			if s.id, err = kit.RowID(c, p.of); err != nil {
				return err
			}
		}
		s.form, s.v, err = kit.Decode(c, p.fields, append(slices.Clone(p.also), "cupboard")...)
		if err == nil {
			err = p.do(s)
		}
		to := saved(b, s.fit, p.at(s.id))
		if n, none := strconv.Atoi(s.form.Get("cupboard")); none == nil && n >= 0 {
			to = bench.URL(s.fit.ID, "distance")
			if n > 0 {
				to += "?cupboard=" + strconv.Itoa(n)
			}
		}
		return b.Done(c, Station(), s.fit, s.form, err, to)
	}
}
