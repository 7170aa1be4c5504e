// Package demo fills a database with the demo world: an invented shop on an
// invented island, its staff, runners, models and some months of runs. Days are
// set back from the day on which the demo starts.
package demo

import (
	"context"
	"fmt"
	"log/slog"
	"math"
	"math/rand/v2"
	"strconv"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/runlog"
	"trevik/internal/app/suite"
	"trevik/internal/app/visit"
	"trevik/internal/app/wardrobe"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/form"
	"trevik/internal/record"
	"trevik/internal/store"
)

// The demo's shop and how its people sign in.
const (
	Shop     = "The Fitting Loft"
	Currency = "EUR"
	Password = "quay-and-causeway"
)

// Person is one of the staff.
type Person struct {
	Name, Login string
	Role        app.Role
}

// Staff of the shop, the owner first.
var Staff = []Person{
	{"Isolde Quay", "isolde", app.Owner}, {"Teal Marsh", "teal", app.Fitter}, {"Corin Vane", "corin", app.Fitter},
	{"Wick Ember", "wick", app.Trainee},
}

// stay is a fit of the demo: who, how long ago, and what was found, by station
// and input name, as it would be typed.
type stay struct {
	runner  record.Runner
	days    int // ago
	hour    int
	by      int // of the staff
	found   map[string]map[string]string
	choose  string
	reason  string
	closed  bool
	weekly  float64 // km
	brought []brought
	keep    string // what may be kept of health answers; films may
}

// brought is a pair that the runner had already.
type brought struct {
	code   string
	uk     float64
	width  string
	price  int64
	days   int
	weekly float64
	ground term.Ground
}

func hello(parts ...string) map[string]string {
	m := map[string]string{"flags": "none", "complaints": "none", "surface": "road", "experience": "regular", "sock": "medium"}
	for _, p := range parts {
		k, v, _ := strings.Cut(p, "=")
		m[k] = v
	}
	return m
}

func of(parts ...string) map[string]string {
	m := map[string]string{}
	for _, p := range parts {
		k, v, _ := strings.Cut(p, "=")
		m[k] = v
	}
	return m
}

// stays are the eight runners of the demo; two of them come twice.
var stays = []stay{
	{runner: record.Runner{Name: "Anselm Lockyer", Contact: "the lock house", Chart: term.Men}, days: 150, hour: 15, by: 1, closed: true,
		weekly: 21,
		choose: "norrbeck-skua-4-men", reason: "felt like nothing at all",
		found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=20", "week_kind.2=long", "week_ground.2=road", "week_km.2=12",
				"mass_kg=78", "likes_softness=3", "budget=160", "budget_firm=about"),
			"old-pair": of("present_pair=an old neutral pair", "present_size=UK 8", "present_drop_mm=10", "present_stack_mm=32",
				"present_level=neutral", "felt_right=yes"),
			"feet": of("length_mm.left.1=262", "length_mm.left.2=263", "length_mm.right.1=264.5", "length_mm.right.2=265.5",
				"ball_mm.left.1=100", "ball_mm.left.2=101", "ball_mm.right.1=102", "ball_mm.right.2=101", "toe_shape.left=square",
				"toe_shape.right=square", "volume.left=medium", "volume.right=medium"),
			"print": of("arch.left=low", "arch_sure.left=fairly", "arch.right=low", "arch_sure.right=fairly"),
			"gait":  of("band.left=neutral", "band_sure.left=sure", "band.right=neutral", "band_sure.right=sure", "strike=heel"),
		}},
	{runner: record.Runner{Name: "Brisa Holloway-Kern", Contact: "the night bakery", Chart: term.Women}, days: 120, hour: 11, by: 2,
		closed: true, weekly: 27,
		choose: "aurvik-sanderling-3-women", reason: "room for the toes", keep: record.ConsentUntilWithdrawn,
		brought: []brought{{"quillon-godwit-4-women", 5.5, "C", 14900, 300, 9, term.GroundTrail}},
		found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=24", "week_kind.2=tempo", "week_ground.2=road", "week_km.2=8",
				"week_kind.3=easy", "week_ground.3=trail", "week_km.3=9", "mass_kg=61", "likes_softness=4", "likes_bounce=4", "complaints=some",
				"complaint_place.1=toe_tips", "complaint_side.1=both", "complaint_months.1=2"),
			"old-pair": of("present_pair=a narrow pair, black nails", "present_drop_mm=8", "present_level=neutral", "felt_right=no",
				"believed_size=UK 5"),
			"feet": of("length_mm.left.1=241", "length_mm.left.2=241", "length_mm.right.1=242", "length_mm.right.2=242.5", "ball_mm.left.1=97",
				"ball_mm.left.2=98", "ball_mm.right.1=98", "ball_mm.right.2=98.5", "toe_shape.left=round", "toe_shape.right=round", "volume.left=full",
				"volume.right=full"),
			"print": of("arch.left=medium", "arch_sure.left=sure", "arch.right=medium", "arch_sure.right=sure"),
			"gait":  of("band.left=neutral", "band_sure.left=fairly", "band.right=mild", "band_sure.right=unsure", "strike=midfoot"),
		}},
	{runner: record.Runner{Name: "Edric Belltower", Contact: "bell foundry lane", Chart: term.Men}, days: 165, hour: 17, by: 1, closed: true,
		weekly: 27,
		choose: "ishkel-whimbrel-7-men", reason: "steady downhill", keep: record.ConsentYear,
		found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=18", "week_kind.2=middle", "week_ground.2=road", "week_km.2=10",
				"mass_kg=84", "complaints=some", "complaint_place.1=shin", "complaint_side.1=right", "complaint_months.1=4"),
			"old-pair": of("present_pair=guidance, three years old", "present_drop_mm=10", "present_level=guidance", "felt_right=yes"),
			"feet": of("length_mm.left.1=271", "length_mm.left.2=272", "length_mm.right.1=270", "length_mm.right.2=271", "ball_mm.left.1=103",
				"ball_mm.left.2=104", "ball_mm.right.1=103", "ball_mm.right.2=103", "toe_shape.left=square", "toe_shape.right=square",
				"volume.left=medium", "volume.right=medium"),
			"print": of("arch.left=high", "arch_sure.left=fairly", "arch.right=high", "arch_sure.right=sure"),
			"gait":  of("band.left=mild", "band_sure.left=fairly", "band.right=mild", "band_sure.right=sure", "strike=heel"),
		}},
	{runner: record.Runner{Name: "Jorun Stoker", Contact: "ferry berth two", Chart: term.Men}, days: 0, hour: 9, by: 1,
		found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=16", "week_kind.2=long", "week_ground.2=road", "week_km.2=10",
				"mass_kg=93", "experience=long", "budget=156", "budget_firm=not_above", "complaints=some", "complaint_place.1=achilles",
				"complaint_side.1=left", "complaint_months.1=3"),
			"old-pair": of("present_pair=stability, nearly through", "present_drop_mm=10", "present_stack_mm=33", "present_level=stability",
				"felt_right=yes"),
			"feet": of("length_mm.left.1=281", "length_mm.left.2=281.5", "length_mm.right.1=272", "length_mm.right.2=272.5",
				"ball_mm.left.1=108", "ball_mm.left.2=109", "ball_mm.right.1=106", "ball_mm.right.2=107"),
			"gait": of("band.left=marked", "band_sure.left=sure", "band.right=mild", "band_sure.right=fairly", "strike=heel"),
		}},
	{runner: record.Runner{Name: "Maelle Descant", Contact: "choir house", Chart: term.Women}, days: 0, hour: 10, by: 2,
		found: map[string]map[string]string{
			"hello": hello("week_kind.1=easy", "week_ground.1=road", "week_km.1=12", "experience=new", "likes_softness=4"),
			"feet": of("length_mm.left.1=236", "length_mm.left.2=240.5", "length_mm.right.1=237", "length_mm.right.2=237.5", "ball_mm.left.1=88",
				"ball_mm.left.2=88.5", "ball_mm.right.1=88", "ball_mm.right.2=89"),
		}},
	{runner: record.Runner{Name: "Perrin Glazebrook", Contact: "the glass yard", Chart: term.Men}, days: 0, hour: 11, by: 1,
		found: map[string]map[string]string{
			"hello": hello("flags=numbness,swelling_heat_redness", "complaints=some", "complaint_place.1=ball", "complaint_side.1=right",
				"complaint_months.1=1", "week_kind.1=easy", "week_ground.1=road", "week_km.1=20"),
			"feet": of("length_mm.left.1=266", "length_mm.left.2=266", "length_mm.right.1=267", "length_mm.right.2=268", "ball_mm.left.1=101",
				"ball_mm.left.2=101", "ball_mm.right.1=104", "ball_mm.right.2=105"),
		}},
	{runner: record.Runner{Name: "Tilly Kitewright", Contact: "her mother, kite loft", Chart: term.Youth}, days: 205, hour: 16, by: 1,
		closed: true, keep: record.ConsentYear,
		found: map[string]map[string]string{"hello": hello("flags=child_growing"), "feet": of("length_mm.left.1=212", "length_mm.left.2=212",
			"length_mm.right.1=213", "length_mm.right.2=213", "ball_mm.left.1=82", "ball_mm.left.2=82", "ball_mm.right.1=83",
			"ball_mm.right.2=82")}},
	{runner: record.Runner{Name: "Tilly Kitewright", Contact: "her mother, kite loft", Chart: term.Youth}, days: 20, hour: 16, by: 3,
		closed: true, choose: "sundrey-wherry-1-youth", reason: "fast colours",
		found: map[string]map[string]string{
			"hello": hello("flags=child_growing", "week_kind.1=easy", "week_ground.1=road", "week_km.1=8", "experience=new"),
			"feet": of("length_mm.left.1=219", "length_mm.left.2=220", "length_mm.right.1=220", "length_mm.right.2=220", "ball_mm.left.1=85",
				"ball_mm.left.2=85", "ball_mm.right.1=86", "ball_mm.right.2=85"),
			"gait": of("band.left=neutral", "band_sure.left=fairly", "band.right=neutral", "band_sure.right=fairly"),
		}},
	{runner: record.Runner{Name: "Fenella Cook-Strake", Contact: "school kitchen", Chart: term.Women}, days: 40, hour: 14, by: 2,
		closed: true, keep: record.ConsentYear,
		found: map[string]map[string]string{
			"hello": hello("flags=prescribed_orthotic", "week_kind.1=easy", "week_ground.1=road", "week_km.1=15", "week_kind.2=walk",
				"week_ground.2=road", "week_km.2=10", "sock=thick"),
			"feet": of("length_mm.left.1=247", "length_mm.left.2=248", "length_mm.right.1=247", "length_mm.right.2=247", "ball_mm.left.1=95",
				"ball_mm.left.2=96", "ball_mm.right.1=95", "ball_mm.right.2=95"),
			"gait": of("band.left=marked", "band_sure.left=fairly", "band.right=marked", "band_sure.right=fairly", "strike=heel"),
		}},
	{runner: record.Runner{Name: "Anselm Lockyer", Contact: "the lock house", Chart: term.Men}, days: 0, hour: 12, by: 1,
		found: map[string]map[string]string{"hello": of("flags=none")}},
}

// world puts visits down at the times at which they happened.
type world struct {
	app   *suite.Suite
	at    time.Time
	today time.Time
	staff []app.Actor
	// runners that were here, by name
	runners map[string]uint64
}

// Fill makes the demo's shop in an empty database, as of now, with the first of its runners: a world that
// is made fast. The shop lies in the time zone of now: the machine's, or one that is set for it.
func Fill(ctx context.Context, s *store.Store, now time.Time) error {
	w, err := fill(ctx, s, now)
	if err != nil {
		return err
	}
	return w.learn(ctx, now)
}

// learn learns from the shop's pairs and try-ons as they are by now.
func (w *world) learn(ctx context.Context, now time.Time) error {
	w.at = now
	if _, err := w.app.Lessons.Refit(ctx, w.staff[0].ShopID, func(int, int) {}); err != nil {
		return fmt.Errorf("what was learned: %w", err)
	}
	return nil
}

func fill(ctx context.Context, s *store.Store, now time.Time) (*world, error) {
	w := &world{runners: map[string]uint64{}, today: now.UTC().Truncate(24 * time.Hour)}
	w.at = w.today.AddDate(0, 0, -400)
	w.app = suite.New(s, func() time.Time { return w.at }, slog.New(slog.DiscardHandler))
	shop, err := w.app.People.AddShop(ctx, Shop, Currency)
	if err != nil {
		return nil, err
	}
	for _, p := range Staff {
		who, err := w.app.People.AddUser(ctx, shop, p.Name, p.Login, Password, p.Role)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", p.Login, err)
		}
		w.staff = append(w.staff, who)
	}
	if err := w.settle(ctx, now.Location()); err != nil {
		return nil, err
	}
	if err := w.app.Shelf.Add(ctx, shop, Catalogue()); err != nil {
		return nil, err
	}
	if err := w.boxes(ctx); err != nil {
		return nil, err
	}
	for _, v := range stays {
		if err := w.stay(ctx, v, now); err != nil {
			return nil, fmt.Errorf("%s: %w", v.runner.Name, err)
		}
	}
	return w, nil
}

// boxed is the model whose boxes have their barcodes in the demo, of the numbers that shops give themselves.
const boxed = "norrbeck-skua-4-men"

// boxes gives each size of a model a barcode, and one insole that was measured.
func (w *world) boxes(ctx context.Context) error {
	who := w.staff[0]
	c, err := w.app.Shelf.Catalogue(ctx, who)
	if err != nil {
		return err
	}
	m := c.ByCode(boxed)
	for i, s := range m.SizesUK {
		size := float64(s)
		if err := w.app.Shelf.SetBarcode(ctx, who, c.RowID(boxed), gtin(200_000_000_100+i), &size, m.Widths[0]); err != nil {
			return err
		}
	}
	size, long := 8.0, m.InnerLength(8, nil)+2
	return w.app.Shelf.AddInsole(ctx, who, c.RowID(boxed), &size, &long)
}

// gtin is a number of twelve digits with its check digit.
func gtin(n int) string {
	digits := fmt.Sprintf("%012d", n)
	sum := 0
	for i, d := range digits {
		sum += int(d-'0') * (1 + 2*(i%2))
	}
	return fmt.Sprintf("%s%d", digits, (10-sum%10)%10)
}

// settle sets the shop's time zone where it is not the machine's.
func (w *world) settle(ctx context.Context, zone *time.Location) error {
	if zone == time.Local {
		return nil
	}
	if err := w.app.People.ChangeSettings(ctx, w.staff[0], map[string]string{record.TimeZone: zone.String()}); err != nil {
		return err
	}
	for i, who := range w.staff {
		var err error
		if w.staff[i], err = w.app.People.Actor(ctx, who.UserID); err != nil {
			return err
		}
	}
	return nil
}

func (w *world) stay(ctx context.Context, v stay, now time.Time) error {
	who := w.staff[v.by]
	w.at = w.today.AddDate(0, 0, -v.days).Add(time.Duration(v.hour) * time.Hour)
	if w.at.After(now) {
		w.at = now.UTC().Add(-time.Duration(20-v.hour) * time.Minute)
	}
	if id, seen := w.runners[v.runner.Name]; seen {
		v.runner.ID = id // who comes again
	}
	id, err := w.app.Visits.Start(ctx, who, v.runner)
	if err != nil {
		return err
	}
	for _, station := range record.Stations {
		if err := w.record(ctx, who, id, station, v.found[station]); err != nil {
			return fmt.Errorf("%s: %w", station, err)
		}
	}
	fit, err := w.app.Visits.Fit(ctx, who, id)
	if err != nil {
		return err
	}
	w.runners[v.runner.Name] = fit.Runner.ID
	if v.keep != "" {
		answers := map[string]string{record.FilmConsent: record.ConsentYes, record.HealthConsent: v.keep}
		if err := w.app.Transfer.SetConsents(ctx, who, fit.Runner.ID, answers); err != nil {
			return err
		}
	}
	for _, b := range v.brought {
		pair, err := w.app.Wardrobe.Add(ctx, who, fit.Runner.ID, wardrobe.Owned{Code: b.code, UK: foot.Figure(b.uk), Width: b.width,
			BeforeSure: "counted",
			Price:      b.price, Since: w.today.AddDate(0, 0, -b.days).Format(time.DateOnly)})
		if err != nil {
			return err
		}
		if err := w.runs(ctx, who, fit.Runner.ID, pair, b.days, b.weekly, b.ground, 1); err != nil {
			return err
		}
	}
	if v.choose != "" {
		pair, err := w.app.Wardrobe.Choose(ctx, who, id, wardrobe.Sale{Model: v.choose, Reason: v.reason})
		if err != nil {
			return err
		}
		if err := w.runs(ctx, who, fit.Runner.ID, pair, v.days, v.weekly, term.GroundRoad, 3); err != nil {
			return err
		}
	}
	if v.closed {
		return w.app.Visits.Close(ctx, who, id)
	}
	return nil
}

// record types a station's values, as a fitter would.
func (w *world) record(ctx context.Context, who app.Actor, fit uint64, station string, found map[string]string) error {
	var faults fault.List
	var values []record.Value
	for input, typed := range found {
		d, k, ok := record.InputAt(station, input)
		if !ok {
			return fmt.Errorf("no input %q", input)
		}
		parts := []string{typed}
		if d.Kind == form.Many {
			parts = strings.Split(typed, ",")
		}
		if v, ok := d.Read(&faults, k, parts, units.Metric); ok {
			values = append(values, v)
		}
	}
	if err := faults.Err(); err != nil || len(values) == 0 {
		return err
	}
	_, err := w.app.Visits.Record(ctx, who, fit, visit.Page{}, values)
	return err
}

// runs puts weeks of runs down in a pair, from days ago until yesterday.
func (w *world) runs(ctx context.Context, who app.Actor, runner, pair uint64, days int, weekly float64, ground term.Ground,
	aWeek int) error {
	if weekly == 0 {
		return nil
	}
	r := rand.New(rand.NewPCG(runner, pair))
	kinds := []term.Kind{term.Easy, term.Easy, term.Long}
	back := w.at
	defer func() { w.at = back }()
	for day := days - 1; day > 0; day -= 7 {
		for i := range aWeek {
			on := w.today.AddDate(0, 0, -max(1, day-2*i))
			km := weekly / float64(aWeek) * (0.8 + 0.4*r.Float64())
			kind := kinds[i%len(kinds)]
			if kind == term.Long {
				km *= 1.25
			}
			w.at = on.Add(19 * time.Hour)
			temp := math.Round(9 + 9*math.Cos(float64(on.YearDay()-200)/58) + 4*r.NormFloat64())
			km = math.Round(km*10) / 10
			if _, err := w.app.Runs.Add(ctx, who, runner, runlog.Typed{PairID: pair, On: on.Format(time.DateOnly), KM: &km, Ground: ground,
				Kind: kind, Wet: r.Float64() < 0.25, TempC: &temp}); err != nil {
				return fmt.Errorf("run of %s: %w", strconv.Itoa(day), err)
			}
		}
	}
	return nil
}
