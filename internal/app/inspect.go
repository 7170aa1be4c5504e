package app

import (
	"bytes"
	"context"
	"image/jpeg"
	"math"
	"slices"
	"strings"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/wear"
	"trevik/internal/picture"
	"trevik/internal/store/db"
)

// WornOut is the reason for setting a pair aside that makes it the runner's own history.
const WornOut = "worn_out"

// AsideReasons are why a pair is set aside for running.
var AsideReasons = []string{WornOut, "broken", "hurts", "does_not_fit", "given_away"}

// otherCauses are asked for before an ache is laid to a shoe's account.
var otherCauses = []string{"training_went_up", "more_hills", "other_ground", "little_sleep", "none_of_these"}

// lookParts are what is looked at of each shoe, from 0 as new to 4 gone.
var lookParts = []string{"tread", "bounce", "upper", "evenness"}

// grades are how much is gone, as it is seen.
var grades = []string{"0", "1", "2", "3", "4"}

// Fields of the forms at Distance beside those of a run.
var (
	InspectFields = []Field{
		{Name: "looked_on", Label: "Looked at on", Kind: Day},
		{Name: "look_tread", Label: "Tread gone", Kind: Choice, Choices: grades, Sides: true},
		{Name: "look_bounce", Label: "Bounce gone, pressed by hand", Kind: Choice, Choices: grades, Sides: true},
		{Name: "look_upper", Label: "Upper torn or stretched", Kind: Choice, Choices: grades, Sides: true},
		{Name: "look_evenness", Label: "Worn to one side", Kind: Choice, Choices: grades, Sides: true},
		{Name: "look_fresh", Label: "Beside a fresh pair", Kind: Choice, Choices: []string{"no", "yes"}},
		{Name: "look_faults", Label: "Broken", Kind: Many, Choices: []string{"upper_hole", "sole_through"}},
		{Name: "look_causes", Label: "New aches on easy runs? First: what else changed", Kind: Many, Choices: otherCauses},
		{Name: "look_note", Label: "Note", Kind: Text, Max: 300},
	}
	AsideFields = []Field{
		{Name: "aside_reason", Label: "Why", Kind: Choice, Choices: AsideReasons},
		{Name: "aside_note", Label: "What it did in the end", Kind: Text, Max: 300},
	}
	LiftingFields = []Field{{Name: "lifting_hours", Label: "Hours of lifting in it", Kind: Number, Lo: 0.1, Hi: 2000}}
	RaceFields    = []Field{
		{Name: "race_name", Label: "Race", Kind: Text, Max: 120},
		{Name: "race_day", Label: "On", Kind: Day},
		{Name: "race_length", Label: "How far", Kind: Number, Unit: KM, Lo: 0.1, Hi: 400},
		{Name: "race_pair", Label: "In", Kind: Number, Lo: 1, Hi: 1 << 53},
	}
)

// Inspected is a pair that was looked at, left and right apart, 0 as new to 1 gone; nil is
// not looked at.
type Inspected struct {
	ID          uint64
	On          time.Time
	Left, Right map[string]*float64 // by part
	BesideFresh bool
	Faults      []string
	Causes      []string
	Note        string
	Maker       string
}

// Worse is the worse of both sides.
func (x Inspected) Worse(part string) *float64 {
	l, r := x.Left[part], x.Right[part]
	switch {
	case l == nil:
		return r
	case r == nil:
		return l
	}
	v := math.Max(*l, *r)
	return &v
}

// wear is the look as the wear model takes it: the worse side, since a pair ends with its
// first shoe. What was seen before it was first worn is of that day.
func (x Inspected) wear(firstWorn string) wear.Inspection {
	on := x.On.Format(wear.DateLayout)
	if firstWorn != "" && on < firstWorn {
		on = firstWorn
	}
	return wear.Inspection{Date: on, Tread: x.Worse("tread"), Bounce: x.Worse("bounce"), Upper: x.Worse("upper"), Evenness: x.Worse("evenness"), BesideFresh: x.BesideFresh, Faults: x.Faults}
}

// NewLook is a look at a pair as it is entered: grades 0 to 4 by part and side.
type NewLook struct {
	On     string
	Grades map[string]map[term.Side]string // by part
	Fresh  bool
	Faults []string
	Causes []string
	Note   string
}

func (n NewLook) value(part string, side term.Side) *float64 {
	at := slices.Index(grades, n.Grades[part][side])
	if at < 0 {
		return nil
	}
	v := float64(at) / float64(len(grades)-1)
	return &v
}

// AddLook keeps a look at one of the runner's pairs. It fails with a fault.List.
func (a *App) AddLook(ctx context.Context, who Actor, runnerID, pairID uint64, n NewLook) error {
	p, err := a.ownPair(ctx, who, runnerID, pairID)
	if err != nil {
		return err
	}
	var l fault.List
	on, err := time.Parse(time.DateOnly, n.On)
	if n.On == "" {
		on, err = a.Today(), nil
	}
	switch {
	case err != nil:
		l.Add("looked_on", "is %q; allowed is a day such as %s", clip(n.On), a.Today().Format(time.DateOnly))
	case on.After(a.Today()):
		l.Add("looked_on", "is after today; allowed is up to %s", a.Today().Format(time.DateOnly))
	case on.Before(p.BoughtOn):
		l.Add("looked_on", "is before the pair was the runner's; allowed is from %s", p.BoughtOn.Format(time.DateOnly))
	}
	some := len(n.Faults) > 0
	for _, part := range lookParts {
		for _, s := range term.Sides {
			some = some || n.value(part, s) != nil
		}
	}
	if !some {
		l.Add("look_tread.left", "is missing, and so is everything else: say at least one thing that was looked at")
	}
	text(&l, "look_note", n.Note, 0, 300)
	if err := l.Err(); err != nil {
		return err
	}
	_, err = a.store.AddInspection(ctx, db.AddInspectionParams{ShopID: who.ShopID, PairID: pairID, LookedOn: on,
		TreadLeft: nullFloat(n.value("tread", term.Left)), TreadRight: nullFloat(n.value("tread", term.Right)), BounceLeft: nullFloat(n.value("bounce", term.Left)), BounceRight: nullFloat(n.value("bounce", term.Right)),
		UpperLeft: nullFloat(n.value("upper", term.Left)), UpperRight: nullFloat(n.value("upper", term.Right)), EvennessLeft: nullFloat(n.value("evenness", term.Left)), EvennessRight: nullFloat(n.value("evenness", term.Right)),
		BesideFresh: n.Fresh, UpperHole: slices.Contains(n.Faults, "upper_hole"), SoleThrough: slices.Contains(n.Faults, "sole_through"), Aches: strings.Join(n.Causes, ","), Note: strings.TrimSpace(n.Note), MadeBy: who.UserID, MadeAt: a.Now()})
	return err
}

// TakeLookBack withdraws a look.
func (a *App) TakeLookBack(ctx context.Context, who Actor, runnerID, lookID uint64) error {
	n, err := a.store.WithdrawInspection(ctx, db.WithdrawInspectionParams{WithdrawnAt: nullTime(a.Now()), ID: lookID, ShopID: who.ShopID, RunnerID: runnerID})
	if err == nil && n == 0 {
		return ErrNotFound
	}
	return err
}

// PairPhoto is a picture of a midsole that was pressed.
type PairPhoto struct {
	ID   uint64
	Side term.Side
	At   time.Time
}

// looked loads what was seen of the pairs: looks, lifting and pictures.
func (a *App) looked(ctx context.Context, who Actor, runnerID uint64, out []Pair, at map[uint64]int) error {
	looks, err := a.store.InspectionsOfRunner(ctx, db.InspectionsOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return err
	}
	for _, r := range looks {
		i, ok := at[r.PairID]
		if !ok {
			continue
		}
		x := Inspected{ID: r.ID, On: r.LookedOn, BesideFresh: r.BesideFresh, Note: r.Note, Maker: r.Maker,
			Left:  map[string]*float64{"tread": floatOf(r.TreadLeft), "bounce": floatOf(r.BounceLeft), "upper": floatOf(r.UpperLeft), "evenness": floatOf(r.EvennessLeft)},
			Right: map[string]*float64{"tread": floatOf(r.TreadRight), "bounce": floatOf(r.BounceRight), "upper": floatOf(r.UpperRight), "evenness": floatOf(r.EvennessRight)}}
		if r.Aches != "" {
			x.Causes = strings.Split(r.Aches, ",")
		}
		if r.UpperHole {
			x.Faults = append(x.Faults, "upper_hole")
		}
		if r.SoleThrough {
			x.Faults = append(x.Faults, "sole_through")
		}
		out[i].Inspected = append(out[i].Inspected, x)
	}
	lifting, err := a.store.LiftingOfRunner(ctx, db.LiftingOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return err
	}
	for _, r := range lifting {
		if i, ok := at[r.PairID]; ok {
			out[i].Lifting = r.Hours
		}
	}
	photos, err := a.store.PairPhotosOfRunner(ctx, db.PairPhotosOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	for _, r := range photos {
		if i, ok := at[r.PairID]; ok {
			out[i].Photos = append(out[i].Photos, PairPhoto{r.ID, term.Side(r.Side), r.MadeAt})
		}
	}
	return err
}

// ownPair is one of the runner's pairs; ErrNotFound on another's.
func (a *App) ownPair(ctx context.Context, who Actor, runnerID, pairID uint64) (db.PairByIDRow, error) {
	p, err := a.store.PairByID(ctx, db.PairByIDParams{ID: pairID, ShopID: who.ShopID})
	if err == nil && p.RunnerID != runnerID {
		return p, ErrNotFound
	}
	return p, found(err)
}

// AddPairPhoto keeps a picture of a pressed midsole. It fails with a fault.List on what is
// no picture.
func (a *App) AddPairPhoto(ctx context.Context, who Actor, runnerID, pairID uint64, side term.Side, data []byte) error {
	if _, err := a.ownPair(ctx, who, runnerID, pairID); err != nil {
		return err
	}
	var l fault.List
	if fault.OneOf(&l, "photo_side", side, term.Sides); len(l) > 0 {
		return l
	}
	pic, err := picture.Open("photo", data)
	if err != nil {
		return err
	}
	img, _ := upright(pic)
	var out bytes.Buffer
	if err := jpeg.Encode(&out, img, &jpeg.Options{Quality: 85}); err != nil {
		return err
	}
	return a.store.AddPairPhoto(ctx, db.AddPairPhotoParams{ShopID: who.ShopID, PairID: pairID, Side: string(side), Data: out.Bytes(), MadeBy: who.UserID, MadeAt: a.Now()})
}

// PairPhoto is a picture of a runner's pair, JPEG.
func (a *App) PairPhoto(ctx context.Context, who Actor, runnerID, id uint64) ([]byte, error) {
	data, err := a.store.PairPhoto(ctx, db.PairPhotoParams{ID: id, RunnerID: runnerID, ShopID: who.ShopID})
	return data, found(err)
}

// AddLifting adds hours of lifting in a pair. It fails with a fault.List.
func (a *App) AddLifting(ctx context.Context, who Actor, runnerID, pairID uint64, hours float64) error {
	if _, err := a.ownPair(ctx, who, runnerID, pairID); err != nil {
		return err
	}
	var l fault.List
	if l.Range("lifting_hours", hours, 0.1, 2000, "hours"); len(l) > 0 {
		return l
	}
	return a.store.AddLifting(ctx, db.AddLiftingParams{ShopID: who.ShopID, PairID: pairID, Hours: hours, MadeBy: who.UserID, MadeAt: a.Now()})
}

// SetAside ends a pair's running days for a reason, or takes it back into use. Worn out,
// its distance becomes the runner's own history. It fails with a fault.List.
func (a *App) SetAside(ctx context.Context, who Actor, runnerID, pairID uint64, aside bool, reason, note string) error {
	p, err := a.ownPair(ctx, who, runnerID, pairID)
	if err != nil {
		return err
	}
	if p.SetAsideOn.Valid == aside {
		return ErrNotFound
	}
	var on time.Time
	note = strings.TrimSpace(note)
	if aside {
		on = a.Today()
		var l fault.List
		fault.OneOf(&l, "aside_reason", reason, AsideReasons)
		text(&l, "aside_note", note, 0, 300)
		if err := l.Err(); err != nil {
			return err
		}
	} else {
		reason, note = "", ""
	}
	return a.store.SetPairAside(ctx, db.SetPairAsideParams{SetAsideOn: nullTime(on), AsideReason: reason, AsideNote: note, ID: pairID, ShopID: who.ShopID})
}

// SlowDown lets a pair do short and slow runs alone from today, or all again.
func (a *App) SlowDown(ctx context.Context, who Actor, runnerID, pairID uint64, slow bool) error {
	if _, err := a.ownPair(ctx, who, runnerID, pairID); err != nil {
		return err
	}
	var on time.Time
	if slow {
		on = a.Today()
	}
	return a.store.SetPairSlowed(ctx, db.SetPairSlowedParams{SlowedOn: nullTime(on), ID: pairID, ShopID: who.ShopID})
}

// Race is a race that a runner plans, in a pair where one is told.
type Race struct {
	ID     uint64
	Name   string
	On     time.Time
	KM     float64
	PairID uint64
}

// Races are the runner's, the next first, those that were run included.
func (a *App) Races(ctx context.Context, who Actor, runnerID uint64) ([]Race, error) {
	rows, err := a.store.RacesOfRunner(ctx, db.RacesOfRunnerParams{RunnerID: runnerID, ShopID: who.ShopID})
	out := make([]Race, len(rows))
	for i, r := range rows {
		out[i] = Race{r.ID, r.Name, r.RaceOn, r.Km, uint64(r.PairID.Int64)}
	}
	return out, err
}

// AddRace puts a race down. It fails with a fault.List.
func (a *App) AddRace(ctx context.Context, who Actor, runnerID uint64, name, day string, km float64, pairID uint64) error {
	if _, err := a.Runner(ctx, who, runnerID); err != nil {
		return err
	}
	var l fault.List
	text(&l, "race_name", strings.TrimSpace(name), 0, 120)
	on, err := time.Parse(time.DateOnly, day)
	if err != nil || on.Before(a.Today()) || on.After(a.Today().AddDate(5, 0, 0)) {
		l.Add("race_day", "is %q; allowed is a day from today, such as %s", clip(day), a.Today().AddDate(0, 3, 0).Format(time.DateOnly))
	}
	l.Range("race_length", km, 0.1, 400, "km")
	if pairID != 0 {
		p, err := a.ownPair(ctx, who, runnerID, pairID)
		if err == ErrNotFound || err == nil && p.SetAsideOn.Valid {
			l.Add("race_pair", "is not one of this runner's pairs in use; choose one")
		} else if err != nil {
			return err
		}
	}
	if err := l.Err(); err != nil {
		return err
	}
	return a.store.AddRace(ctx, db.AddRaceParams{ShopID: who.ShopID, RunnerID: runnerID, Name: strings.TrimSpace(name), RaceOn: on, Km: km, PairID: nullID(pairID), MadeBy: who.UserID, MadeAt: a.Now()})
}

// TakeRaceBack withdraws a race.
func (a *App) TakeRaceBack(ctx context.Context, who Actor, runnerID, raceID uint64) error {
	n, err := a.store.WithdrawRace(ctx, db.WithdrawRaceParams{WithdrawnAt: nullTime(a.Now()), ID: raceID, RunnerID: runnerID, ShopID: who.ShopID})
	if err == nil && n == 0 {
		return ErrNotFound
	}
	return err
}
