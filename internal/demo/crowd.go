package demo

import (
	"bytes"
	"context"
	"fmt"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/prints"
	"trevik/internal/app/runlog"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/foot"
	"trevik/internal/core/gait"
	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/practice"
	"trevik/internal/record"
	"trevik/internal/store"
)

// guest is a runner of the whole demo world: a visit, and what came of it.
type guest struct {
	stay
	wants   []string // codes of what they would take, the first that is offered; none takes nothing
	tries   int      // how many pairs they try on
	onto    term.Ground
	aWeek   int
	worn    []worn // pairs that they had already
	race    string
	raceIn  int // days
	raceKM  float64
	over    float64 // km a week of a change from their first old pair to the new one, 0 is none
	comfort float64 // told after some weeks, 0 is not told
	note    string
	watch   int    // weeks of runs that come from the watch
	lays    bool   // their week lies on the board
	shown   string // what is read for them: print, outline, film or bare
}

// worn is a pair that a runner had already.
type worn struct {
	brought
	kmBefore float64
	sure     string // how well that is known
	retired  string // why it was retired, empty is in use
	aWeek    int
}

// feetOf are readings of both feet as a fitter types them, mm.
func feetOf(left, right, ballLeft, ballRight float64, more ...string) map[string]string {
	m := of(more...)
	for _, x := range []struct {
		name string
		mm   float64
	}{{"length_mm.left", left}, {"length_mm.right", right}, {"ball_mm.left", ballLeft}, {"ball_mm.right", ballRight}} {
		m[x.name+".1"] = strconv.FormatFloat(x.mm, 'f', -1, 64)
		m[x.name+".2"] = strconv.FormatFloat(x.mm+0.5, 'f', -1, 64)
	}
	return m
}

func seen(arch, sure string) map[string]string {
	return of("arch.left="+arch, "arch_sure.left="+sure, "arch.right="+arch, "arch_sure.right="+sure)
}

func walks(left, right, sure, strike string) map[string]string {
	return of("band.left="+left, "band_sure.left="+sure, "band.right="+right, "band_sure.right="+sure, "strike="+strike)
}

// guests are those who come to the runners of Fill: with them every branch of a fit has somebody.
var guests = []guest{
	{stay: stay{runner: record.Runner{Name: "Halvard Tarn", Contact: "the survey office", Chart: term.Men}, days: 172, hour: 10, by: 1,
		closed: true, weekly: 36, found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=30", "week_kind.2=tempo", "week_ground.2=road", "week_km.2=10",
				"week_kind.3=long", "week_ground.3=road", "week_km.3=26", "mass_kg=76", "goals=race", "likes_bounce=4"),
			"old-pair": of("present_pair=a daily pair, done", "present_drop_mm=9", "present_level=neutral", "felt_right=yes",
				"sole.left.3=3", "sole.right.3=3", "sole.left.8=1", "sole.right.8=1"),
			"feet": feetOf(268, 267, 102, 101, "toe_shape.left=tapered", "toe_shape.right=tapered"), "print": seen("medium", "sure"),
			"gait": walks("neutral", "neutral", "sure", "heel")}},
		comfort: 8, wants: []string{"norrbeck-fulmar-2-men", "norrbeck-skua-4-men"}, tries: 3, onto: term.GroundRoad, aWeek: 4,
		worn: []worn{{brought: brought{"pelmar-turnstone-2-men", 8.5, "D", 16500, 118, 11, term.GroundRoad}, sure: "counted", aWeek: 1}},
		race: "Orlund Marathon", raceIn: 63, raceKM: 42.2, watch: 6, lays: true},
	{stay: stay{runner: record.Runner{Name: "Saskia Moorwright", Contact: "the peat moor", Chart: term.Women}, days: 150, hour: 14, by: 2,
		closed: true, weekly: 20, found: map[string]map[string]string{
			"hello": hello("surface=trail", "conditions=rocks,wet", "week_kind.1=easy", "week_ground.1=mud", "week_km.1=18", "week_kind.2=long",
				"week_ground.2=trail", "week_km.2=22", "mass_kg=58", "experience=long"),
			"feet": feetOf(244, 245, 94, 95, "toe_shape.left=square", "toe_shape.right=square"), "print": seen("high", "fairly"),
			"gait": walks("under", "neutral", "fairly", "forefoot")}},
		comfort: 8, wants: []string{"quillon-oxbow-2-women", "quillon-godwit-4-women"}, tries: 2, onto: term.GroundMud, aWeek: 2,
		worn: []worn{{brought: brought{"quillon-lapwing-1-women", 6, "B", 16900, 210, 16, term.GroundTrail}, sure: "counted", aWeek: 1}},
		race: "Moor Crossing", raceIn: 47, raceKM: 34},
	{stay: stay{runner: record.Runner{Name: "Odo Winterquay", Contact: "the harbour pilots", Chart: term.Men}, days: 16, hour: 9, by: 1,
		closed: true, weekly: 16, found: map[string]map[string]string{
			"hello": hello("conditions=black_ice,cold", "week_kind.1=easy", "week_ground.1=ice", "week_km.1=10", "week_kind.2=easy",
				"week_ground.2=road", "week_km.2=12", "mass_kg=88"),
			"feet": feetOf(276, 277, 107, 108), "print": seen("low", "fairly"), "gait": walks("mild", "mild", "fairly", "heel")}},
		wants: []string{"sundrey-icebreak-1-men", "norrbeck-skua-4-men"}, tries: 2, onto: term.GroundSnow, aWeek: 2,
		worn: []worn{{brought: brought{"norrbeck-skua-3-men", 10, "E", 13900, 420, 0, term.GroundRoad}, kmBefore: 640, sure: "a_guess"}}},
	{stay: stay{runner: record.Runner{Name: "Linnet Carrow", Contact: "the sail loft", Chart: term.Women}, days: 24, hour: 16, by: 2,
		closed: true, weekly: 6, found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=22", "mass_kg=55", "likes_softness=1", "experience=long"),
			"old-pair": of("present_pair=a stable pair, heavy to her", "present_drop_mm=9", "present_stack_mm=31", "present_level=stability",
				"felt_right=no"),
			"feet": feetOf(238, 238.5, 92, 92.5, "toe_shape.left=square", "toe_shape.right=square"), "print": seen("medium", "sure"),
			"gait": walks("neutral", "neutral", "sure", "midfoot")}},
		wants: []string{"sundrey-plover-2-women", "ishkel-dunlin-1-women"}, tries: 3, onto: term.GroundRoad, aWeek: 1, over: 20,
		worn: []worn{{brought: brought{"pelmar-sheepshank-3-women", 5.5, "B", 14900, 190, 14, term.GroundRoad}, sure: "counted", aWeek: 2}}},
	{stay: stay{runner: record.Runner{Name: "Rufus Seedsman", Contact: "the seed store", Chart: term.Men}, days: 33, hour: 11, by: 1,
		closed: true, weekly: 24, found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=26", "mass_kg=108", "likes_softness=4", "budget=180"),
			"old-pair": of("present_pair=two years of everything", "present_level=motion_control", "felt_right=yes", "sole.left.1=3",
				"sole.left.6=3", "sole.right.1=2", "sole.right.6=3"),
			"feet": feetOf(283, 284, 112, 113), "print": seen("low", "sure"), "gait": walks("severe", "marked", "fairly", "heel")}},
		wants: []string{"aurvik-clove-hitch-1-men", "norrbeck-bowline-5-men"}, tries: 2, onto: term.GroundRoad, aWeek: 3, comfort: 8,
		note: "The first that holds me.",
		worn: []worn{{brought: brought{"norrbeck-bowline-5-men", 11, "E", 15500, 410, 22, term.GroundRoad}, sure: "counted", aWeek: 2},
			{brought: brought{"norrbeck-fulmar-2-men", 11, "E", 16900, 700, 0, term.GroundRoad}, kmBefore: 900, sure: "a_guess",
				retired: "worn_out"}}},
	{stay: stay{runner: record.Runner{Name: "Greta Lanternhouse", Contact: "the north light", Chart: term.Women}, days: 160, hour: 15, by: 2,
		closed: true, weekly: 22, keep: record.ConsentUntilWithdrawn, found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=26", "week_kind.2=intervals", "week_ground.2=road", "week_km.2=8",
				"week_kind.3=long", "week_ground.3=road", "week_km.3=18", "mass_kg=60", "goals=race", "pairs_wanted=several"),
			"feet": feetOf(246, 246, 93, 94, "toe_shape.left=round", "toe_shape.right=round"), "print": seen("medium", "sure"),
			"gait": walks("neutral", "mild", "sure", "heel")}},
		wants: []string{"norrbeck-skua-4-women", "sundrey-avocet-6-women"}, tries: 4, onto: term.GroundRoad, aWeek: 3, comfort: 9,
		worn: []worn{{brought: brought{"ishkel-razorbill-4-women", 6, "B", 16500, 140, 8, term.GroundRoad}, sure: "counted", aWeek: 1},
			{brought: brought{"norrbeck-fulmar-2-women", 6, "B", 16900, 130, 15, term.GroundRoad}, sure: "counted", aWeek: 1}},
		race: "Causeway Half", raceIn: 84, raceKM: 21.1, watch: 5, lays: true},
	{stay: stay{runner: record.Runner{Name: "Bastian Ropewalk", Contact: "the rope walk", Chart: term.Men}, days: 95, hour: 18, by: 1,
		closed: true, weekly: 9, found: map[string]map[string]string{
			"hello": hello("surface=track", "week_kind.1=intervals", "week_ground.1=track", "week_km.1=9", "week_kind.2=easy",
				"week_ground.2=road", "week_km.2=20", "mass_kg=68"),
			"feet": feetOf(259, 260, 98, 98), "print": seen("high", "sure"), "gait": walks("neutral", "neutral", "sure", "forefoot")}},
		comfort: 8, wants: []string{"quillon-snipe-2-men", "pelmar-turnstone-2-men"}, tries: 2, onto: term.GroundTrack, aWeek: 1,
		worn: []worn{{brought: brought{"sundrey-avocet-6-men", 7.5, "D", 12900, 200, 18, term.GroundRoad}, sure: "counted", aWeek: 3}}},
	{stay: stay{runner: record.Runner{Name: "Ines Causeway-Holt", Contact: "the post office", Chart: term.Women}, days: 168, hour: 12, by: 2,
		closed: true, weekly: 20, found: map[string]map[string]string{
			"hello": hello("surface=link", "week_kind.1=walk", "week_ground.1=road", "week_km.1=20", "week_kind.2=easy", "week_ground.2=trail",
				"week_km.2=12", "mass_kg=70"),
			"feet": feetOf(251, 250, 98, 97.5), "print": seen("medium", "fairly"), "gait": walks("mild", "mild", "fairly", "heel")}},
		wants: []string{"sundrey-rolling-hitch-1-women", "quillon-godwit-4-women"}, tries: 2, onto: term.GroundTrail, aWeek: 3, comfort: 7,
		note: "Good, the left rubs a little downhill."},
	{stay: stay{runner: record.Runner{Name: "Torvald Netmender", Contact: "the net yard", Chart: term.Men}, days: 64, hour: 13, by: 1,
		closed: true, weekly: 18, found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=20", "mass_kg=95"),
			"feet": feetOf(265, 266, 112, 113, "volume.left=full", "volume.right=full", "instep_mm.left.1=76", "instep_mm.right.1=77",
				"heel_to_ball_mm.left.1=193", "heel_to_ball_mm.right.1=194"),
			"print": seen("high", "fairly"), "gait": walks("neutral", "neutral", "fairly", "midfoot")}},
		wants: []string{"norrbeck-skua-4-men", "aurvik-sanderling-3-men"}, tries: 4, onto: term.GroundRoad, aWeek: 2},
	{stay: stay{runner: record.Runner{Name: "Mirabel Quince", Contact: "the reading room", Chart: term.Women}, days: 7, hour: 10, by: 2,
		closed: true, found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=18", "complaints=some", "complaint_place.1=toe_tips",
				"complaint_side.1=both", "complaint_months.1=1"),
			"feet": feetOf(240, 241, 84, 84.5, "toe_shape.left=tapered", "toe_shape.right=tapered", "volume.left=slim", "volume.right=slim"),
			"gait": walks("neutral", "neutral", "fairly", "heel")}},
		wants: []string{"sundrey-avocet-6-women", "norrbeck-skua-4-women", "ishkel-dunlin-1-women"}, tries: 3, onto: term.GroundRoad},
	{stay: stay{runner: record.Runner{Name: "Cosmo Bellows", Contact: "the organ works", Chart: term.Men}, days: 19, hour: 17, by: 1,
		closed: true, weekly: 15, found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=16", "mass_kg=80", "experience=new"),
			"feet":  feetOf(271, 270, 104, 104), "print": seen("medium", "sure"), "gait": walks("neutral", "neutral", "sure", "heel")}},
		wants: []string{"norrbeck-skua-4-men", "sundrey-avocet-6-men"}, tries: 2, onto: term.GroundRoad, aWeek: 2},
	{stay: stay{runner: record.Runner{Name: "Nell Tidewater", Contact: "the ferry deck", Chart: term.Women}, days: 0, hour: 13, by: 2,
		found: map[string]map[string]string{
			"hello": hello("flags=pregnant", "week_kind.1=easy", "week_ground.1=road", "week_km.1=14", "mass_kg=69"),
			"feet":  feetOf(249, 250, 98, 98.5), "gait": walks("mild", "mild", "fairly", "heel")}}, shown: "print"},
	{stay: stay{runner: record.Runner{Name: "Ambrose Kiln", Contact: "the pottery", Chart: term.Men}, days: 12, hour: 15, by: 3,
		closed: true, found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=10", "budget=60", "budget_firm=not_above"),
			"feet":  feetOf(263, 262, 101, 100), "gait": walks("neutral", "neutral", "fairly", "heel"),
			"try-on": of("none_today=yes", "none_why=nothing within the budget")}}},
	{stay: stay{runner: record.Runner{Name: "Wilhelmina Strand", Contact: "the infirmary", Chart: term.Women}, days: 0, hour: 14, by: 1,
		found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=24", "mass_kg=63", "complaints=some",
				"complaint_place.1=knee_inner", "complaint_side.1=left", "complaint_months.1=5"),
			"feet": feetOf(253, 252, 97, 96.5), "print": seen("low", "fairly"), "gait": walks("marked", "mild", "fairly", "heel")}},
		shown: "film"},
	{stay: stay{runner: record.Runner{Name: "Jasper Pondwright", Contact: "his aunt, mill pond", Chart: term.Youth}, days: 58, hour: 16, by: 2,
		closed: true, weekly: 9, found: map[string]map[string]string{
			"hello": hello("flags=child_growing", "week_kind.1=easy", "week_ground.1=road", "week_km.1=9", "experience=new"),
			"feet":  feetOf(216, 217, 84, 84), "gait": walks("neutral", "neutral", "fairly", "heel")}},
		comfort: 8, wants: []string{"sundrey-wherry-1-youth"}, tries: 1, onto: term.GroundRoad, aWeek: 2},
	{stay: stay{runner: record.Runner{Name: "Oda Fernley", Contact: "the old schoolhouse", Chart: term.Women}, days: 0, hour: 15, by: 2,
		found: map[string]map[string]string{
			"hello": hello("week_kind.1=walk", "week_ground.1=road", "week_km.1=12", "week_kind.2=easy", "week_ground.2=road", "week_km.2=5",
				"experience=new", "mass_kg=72"),
			"feet": feetOf(242, 243, 93, 94)}}, shown: "bare"},
}

// FillAll makes the whole demo world: the runners of Fill and those who come to them, with their runs,
// races, pairs and plans. What takes long, films, is left to jobs.
func FillAll(ctx context.Context, s *store.Store, now time.Time) error {
	w, err := fill(ctx, s, now)
	if err != nil {
		return err
	}
	for _, g := range guests {
		if err := w.guest(ctx, g, now); err != nil {
			return fmt.Errorf("%s: %w", g.runner.Name, err)
		}
	}
	if err := w.expect(ctx); err != nil {
		return err
	}
	return w.learn(ctx, now)
}

// expected are runners who come in, so many days from today.
var expected = []struct {
	runner    string
	days      int
	at, about string
}{
	{"Edric Belltower", 0, "09:30", "his old pair is flat"}, {"Saskia Moorwright", 0, "11:15", "trail shoes for the moor"},
	{"Fenella Cook-Strake", 0, "16:00", ""}, {"Torvald Netmender", 1, "10:00", "comfort after the change"},
}

// expect puts down who comes in.
func (w *world) expect(ctx context.Context) error {
	w.at = w.today.Add(8 * time.Hour)
	for _, x := range expected {
		runner, ok := w.runners[x.runner]
		if !ok {
			return fmt.Errorf("nobody is called %s", x.runner)
		}
		day := w.today.AddDate(0, 0, x.days).Format(time.DateOnly)
		if err := w.app.People.Book(ctx, w.staff[1], runner, day, x.at, x.about); err != nil {
			return fmt.Errorf("%s comes in: %w", x.runner, err)
		}
	}
	return nil
}

// guest puts a guest down, from the visit to yesterday's run.
func (w *world) guest(ctx context.Context, g guest, now time.Time) error {
	if g.keep == "" {
		g.keep = record.ConsentYear
	}
	closed, weekly := g.closed, g.weekly
	g.closed, g.weekly = false, 0
	if err := w.stay(ctx, g.stay, now); err != nil {
		return err
	}
	who, runner := w.staff[g.by], w.runners[g.runner.Name]
	fit, err := w.app.Visits.OfRunner(ctx, who, runner)
	if err != nil {
		return err
	}
	at := w.at
	var old []uint64
	for _, x := range g.worn {
		id, err := w.wearing(ctx, who, runner, x)
		if err != nil {
			return fmt.Errorf("%s: %w", x.code, err)
		}
		old = append(old, id)
	}
	w.at = at
	if err := w.tryOn(ctx, who, fit.ID, g.tries, g.wants); err != nil {
		return err
	}
	pair, err := w.take(ctx, who, fit.ID, g.wants)
	if err != nil {
		return err
	}
	if err := w.show(ctx, who, fit.ID, g.shown, runner); err != nil {
		return err
	}
	if g.lays {
		if _, err := w.app.Visits.LayOut(ctx, who, fit.ID, 0); err != nil {
			return err
		}
	}
	if closed {
		if err := w.app.Visits.Close(ctx, who, fit.ID); err != nil {
			return err
		}
	}
	if pair == 0 {
		return nil
	}
	if err := w.runs(ctx, who, runner, pair, g.days-7*g.watch, weekly, g.onto, max(1, g.aWeek)); err != nil {
		return err
	}
	return w.since(ctx, who, runner, pair, old, g)
}

// since is what came after the sale: the race, the plan of changing over, what the runner said, the watch.
func (w *world) since(ctx context.Context, who app.Actor, runner, pair uint64, old []uint64, g guest) error {
	back := w.at
	defer func() { w.at = back }()
	if g.over > 0 && len(old) > 0 {
		w.at = w.today.AddDate(0, 0, -g.days).Add(18 * time.Hour)
		err := w.app.Wardrobe.ChangeOver(ctx, who, runner, wardrobe.ChangeAsked{From: old[0], To: pair, WeeklyKM: g.over,
			Start: w.today.AddDate(0, 0, -g.days).Format(time.DateOnly)})
		if err != nil {
			return err
		}
	}
	for _, after := range []int{16, 33} {
		if g.comfort == 0 || g.days <= after {
			continue
		}
		w.at = w.today.AddDate(0, 0, after-g.days).Add(12 * time.Hour)
		if err := w.app.Wardrobe.AddReport(ctx, who, runner, pair, &g.comfort, g.note); err != nil {
			return err
		}
	}
	w.at = w.today.AddDate(0, 0, -1).Add(20 * time.Hour)
	if g.race != "" {
		day := w.today.AddDate(0, 0, g.raceIn).Format(time.DateOnly)
		if err := w.app.Wardrobe.AddRace(ctx, who, runner, g.race, day, g.raceKM, 0); err != nil {
			return err
		}
	}
	if g.watch == 0 {
		return nil
	}
	if err := w.app.Runs.AddRule(ctx, who, runner, record.Rule{PairID: pair}); err != nil {
		return err
	}
	watch, err := device.NewWatch(device.WatchOptions{Seed: runner, Weeks: g.watch, Until: w.today.AddDate(0, 0, -1), WeeklyKM: g.weekly,
		Days: max(2, g.aWeek), Every: 8})
	if err != nil {
		return err
	}
	for _, run := range watch.Truth.Runs {
		if _, err := w.app.Runs.PutFiles(ctx, who, runner, []runlog.NamedFile{{Name: run.File, Data: run.GPX}}); err != nil {
			return fmt.Errorf("%s: %w", run.File, err)
		}
	}
	return nil
}

// wearing is a pair that the runner had already, with its runs.
func (w *world) wearing(ctx context.Context, who app.Actor, runner uint64, x worn) (uint64, error) {
	since := w.today.AddDate(0, 0, -x.days)
	if bought := since.Add(12 * time.Hour); bought.After(w.at) { // between the visit and today
		w.at = bought
	}
	o := wardrobe.Owned{Code: x.code, UK: foot.Figure(x.uk), Width: x.width, Price: x.price, BeforeSure: x.sure,
		Since: since.Format(time.DateOnly)}
	if x.kmBefore > 0 {
		o.BeforeKM = &x.kmBefore
	}
	id, err := w.app.Wardrobe.Add(ctx, who, runner, o)
	if err != nil {
		return 0, err
	}
	if err := w.runs(ctx, who, runner, id, x.days, x.weekly, x.ground, max(1, x.aWeek)); err != nil {
		return 0, err
	}
	if x.retired != "" {
		err = w.app.Wardrobe.SetAside(ctx, who, runner, id, x.retired, "")
	}
	return id, err
}

// tryOn puts some pairs of the set to try on the runner's feet: each is felt, and each but the first is
// held against the one before.
func (w *world) tryOn(ctx context.Context, who app.Actor, fitID uint64, n int, wants []string) error {
	if n == 0 {
		return nil
	}
	fit, err := w.app.Visits.Fit(ctx, who, fitID)
	if err != nil {
		return err
	}
	set, err := fit.TryOnSet()
	if err != nil {
		return err
	}
	r := rand.New(rand.NewPCG(fitID, 5))
	found := map[string]string{}
	for i, code := range set[:min(n, len(set))] {
		row := strconv.FormatUint(fit.Shop.Catalogue.RowID(code), 10)
		found["try_comfort."+row] = strconv.Itoa(6 + r.IntN(4))
		found["try_room."+row] = "right"
		found["try_lockdown."+row] = []string{"held", "held", "loose"}[r.IntN(3)]
		if i == n-1 && i > 1 && !slices.Contains(wants, code) {
			found["try_left."+row] = "too soft under the heel"
		}
	}
	if err := w.record(ctx, who, fitID, "try-on", found); err != nil {
		return err
	}
	for i := 1; i < min(n, len(set)); i++ {
		if _, err := w.app.Visits.Compare(ctx, who, fitID, set[i-1], set[i], []string{"left", "right", "even"}[r.IntN(3)]); err != nil {
			return err
		}
	}
	return nil
}

// take sells the first of what they would take that is offered; 0 where they want none.
func (w *world) take(ctx context.Context, who app.Actor, fitID uint64, wants []string) (uint64, error) {
	if len(wants) == 0 {
		return 0, nil
	}
	fit, err := w.app.Visits.Fit(ctx, who, fitID)
	if err != nil {
		return 0, err
	}
	set, err := fit.TryOnSet()
	if err != nil {
		return 0, err
	}
	for _, code := range append(wants, set...) {
		if _, ok, err := fit.Offered(code); err != nil {
			return 0, err
		} else if ok {
			return w.app.Wardrobe.Choose(ctx, who, fitID, wardrobe.Sale{Model: code})
		}
	}
	return 0, fmt.Errorf("none of %v is offered, nor anything else", wants)
}

// mediumPrint is the scanner's first runner of a medium arch who may be of the length that the demo's print has.
const mediumPrint = 589

// show lets a runner's print be read, a traced foot, or a film be taken; films are left to jobs.
func (w *world) show(ctx context.Context, who app.Actor, fitID uint64, what string, runner uint64) error {
	switch what {
	case "print":
		fit, err := w.app.Visits.Fit(ctx, who, fitID)
		if err != nil {
			return err
		}
		long := fit.Foot(term.Left).LengthMM
		// The stand-ins are of feet as long as theirs, and of as high an arch.
		seed := uint64(mediumPrint)
		scanner := device.NewScanner(seed)
		for math.Abs(*scanner.Truth.Feet[term.Left].LengthMM-long) > 2 {
			seed++
			scanner = device.NewScanner(seed)
		}
		for _, side := range term.Sides {
			var data bytes.Buffer
			if err := png.Encode(&data, practice.Photo(scanner, seed, side)); err != nil {
				return err
			}
			if _, err := w.app.Prints.Add(ctx, who, fitID, side, data.Bytes(), prints.Options{}, true); err != nil {
				return err
			}
		}
		for n := uint64(1000); ; n++ {
			r := rand.New(rand.NewPCG(runner, n))
			by, photo := device.RandomTracing(r)
			traced := device.RandomTraced(r, by)
			if math.Abs(traced.Length-long) > 2 {
				continue
			}
			var data bytes.Buffer
			if err := jpeg.Encode(&data, traced.Render(photo, r), nil); err != nil {
				return err
			}
			_, err = w.app.Prints.AddOutline(ctx, who, fitID, data.Bytes(), prints.OutlineOptions{PenMM: 8}, true)
			return err
		}
	case "film", "bare":
		fps := 120.0
		rec := gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, Gait: gait.Run, Shod: record.Barefoot, Surface: "treadmill",
			FPS: &fps}
		if what == "bare" {
			rec.Markers = gait.NoMarkers
		}
		fit, err := w.app.Visits.Fit(ctx, who, fitID)
		if err != nil {
			return err
		}
		_, err = w.app.Films.Bench(ctx, who, fit, rec, true)
		return err
	}
	return nil
}
