package wear

import (
	"fmt"
	"math"
	"slices"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/house"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// House values of the model.
const (
	ownSD       = 0.20 // of ln of the runner's own factor
	historySD   = 0.25 // of one set-aside pair
	lifeSD      = 0.20 // of ln L about the runner's own median
	lookSD      = 0.35 // of an inspection
	lookFreshSD = 0.25 // of one beside a fresh pair
	lookShareSD = 0.105
	thinHeelMM  = 20.0 // under it bounce weighs less
	thinBounce  = 0.15
	tallHeelMM  = 35.0 // from it a tilt tips the runner more
	firstKM     = 160.0
	lookEveryKM = 100.0
	atRisk      = 0.20
	usedUp      = 0.95 // of the chance that it is worn out: it is set aside
	readyDays   = 7    // before a race a pair is broken in

	// Where nobody counted: of ln of an estimate by weeks, and of a guess.
	estimateSD = 0.5
	unknownSD  = 0.7

	// Aches on easy runs that training, hills, ground and sleep do not explain.
	achesC           = 0.85
	achesSD          = 0.45
	AchesUnexplained = "unexplained"

	// What of an earlier pair counts: a distance known this well, and run at least so far
	// unless a look found it worn.
	historyDoubt = 0.3
	historyShare = 0.25
	historyLook  = 0.7

	// HorizonWeeks is how far ahead a date is told.
	HorizonWeeks = 260
)

// Quantiles in wear-adjusted km.
type Quantiles struct {
	P10 float64 `json:"p10"`
	P20 float64 `json:"p20"`
	P50 float64 `json:"p50"`
	P90 float64 `json:"p90"`
}

// Life is the unconditioned quantiles of L in wear-adjusted km.
type Life struct {
	P10 float64 `json:"p10"`
	P50 float64 `json:"p50"`
	P90 float64 `json:"p90"`
}

// Dates are days (2006-01-02); nil lies past 260 weeks or there is no plan.
type Dates struct {
	P10 *string `json:"p10"`
	P20 *string `json:"p20"`
	P50 *string `json:"p50"`
	P90 *string `json:"p90"`
}

// LnLife is the mean and SD of ln L after all evidence.
type LnLife struct {
	Mean float64 `json:"mean"`
	SD   float64 `json:"sd"`
}

// SchoolAnswer is one school's remaining km and its date; nil when it has none.
type SchoolAnswer struct {
	LeftKM *float64 `json:"left_km"`
	Date   *string  `json:"date"`
	Text   string   `json:"text"`
}

// Schools is all three answers.
type Schools struct {
	ByDistance   SchoolAnswer `json:"by_distance"`
	ByOwnHistory SchoolAnswer `json:"by_own_history"`
	ByCondition  SchoolAnswer `json:"by_condition"`
}

// RaceAnswer is the chance that the pair is worn out before a race is run.
type RaceAnswer struct {
	Date   string  `json:"date"`
	PFail  float64 `json:"p_fail"`
	AtRisk bool    `json:"at_risk"`
	Text   string  `json:"text"`
	// Where another pair is needed: the day to order it by, and to have it broken in by.
	OrderBy    *string `json:"order_by"`
	BrokenInBy *string `json:"broken_in_by"`
}

// State says what a pair asks for.
type State string

const (
	SetAside State = "set_aside"
	LastRuns State = "last_runs"
	Order    State = "order"
	Look     State = "look"
	Fine     State = "fine"
	InUse    State = "in_use"
)

// Answer is what is left of a pair. Distances km, cost in minor units a km.
type Answer struct {
	Schema          string          `json:"schema"`
	KM              float64         `json:"km"`
	EffectiveKM     float64         `json:"effective_km"`
	LifeKM          Life            `json:"life_km"`
	LnLife          LnLife          `json:"ln_life"`
	UsedProbability float64         `json:"used_probability"`
	RemainingKM     Quantiles       `json:"remaining_km"`
	Dates           Dates           `json:"dates"`
	OrderBy         *string         `json:"order_by"`
	State           State           `json:"state"`
	Also            []State         `json:"also"`
	Schools         Schools         `json:"schools"`
	CostPerKM       *float64        `json:"cost_per_km"`
	Races           []RaceAnswer    `json:"races"`
	RetireBecause   *string         `json:"retire_because"` // why it is to be set aside, nil where it is not
	Estimated       bool            `json:"estimated"`
	Why             []string        `json:"why"`
	Warnings        []fault.Warning `json:"warnings"`
}

// RunnerFactor is what mass (kg, nil: not given) and strike make of a median
// life: (70 ÷ mass)^0.5 held within 0.75 to 1.20, × 0.97 for a heel strike.
func RunnerFactor(massKg *float64, strike term.Strike) float64 {
	f := 1.0
	if massKg != nil {
		f = min(1.20, max(0.75, math.Sqrt(70 / *massKg)))
	}
	if strike == term.HeelStrike {
		f *= 0.97
	}
	return f
}

// Assess tells how much of a pair is left. It fails with a fault.List when the
// pair holds a value that is not allowed.
func Assess(p Pair) (Answer, error) {
	if err := p.check(); err != nil {
		return Answer{}, err
	}
	a := Answer{Schema: AnswerSchema, Also: []State{}, Races: []RaceAnswer{}, Why: []string{}, Warnings: []fault.Warning{}}
	factor := RunnerFactor(p.Runner.MassKg, p.Runner.Strike)
	m := p.medianKM() * factor
	b := belief{before: p.ranBefore(&a, m)}
	if p.first.IsZero() && len(p.runDays) > 0 {
		p.first = slices.MinFunc(p.runDays, time.Time.Compare)
	}
	counted := p.counted(&a, &b.before)
	own, usual := p.own(&a, factor)
	if factor != 1 {
		a.Why = append(a.Why, fmt.Sprintf("Mass and strike: × %.3f.", factor))
	}
	b.life = normal{math.Log(m) + own.mean, lifeSD*lifeSD + own.variance}
	if x := p.Learned; x != nil {
		b.life.variance += x.SDLn * x.SDLn
		pairs := "one pair"
		if x.Pairs > 1 {
			pairs = fmt.Sprintf("%d pairs", x.Pairs)
		}
		a.Why = append(a.Why, fmt.Sprintf("A usual life of %.0f wear-adjusted km, from %s of ours.", x.MedianKM, pairs))
	}
	b = p.look(&a, b)

	a.KM += b.median()
	a.EffectiveKM = counted + b.median()
	ahead := outlook{b.points(), counted}
	a.LnLife = LnLife{units.Round(b.life.mean, 6), units.Round(math.Sqrt(b.life.variance), 6)}
	a.LifeKM = Life{b.life.whereSurvival(0.9), b.life.whereSurvival(0.5), b.life.whereSurvival(0.1)}
	a.UsedProbability = 1 - ahead.survival(0)
	a.Why = append(a.Why, fmt.Sprintf("%.0f km run count as %.0f wear-adjusted km.", a.KM, a.EffectiveKM),
		fmt.Sprintf("Half of such pairs last beyond %.0f wear-adjusted km; eight in ten last %.0f to %.0f wear-adjusted km.",
			a.LifeKM.P50, a.LifeKM.P10, a.LifeKM.P90))
	if len(p.PlanWeeklyKM) == 0 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "no_plan", Text: "No weekly plan is given, so there are no dates."})
	}
	hard := p.hardFault()
	if hard != "" {
		a.Why = append(a.Why, "Retire it: "+hard+".")
	}
	beyond := false
	date := func(km float64) *string {
		d, ok := p.dateAt(km)
		if !ok {
			beyond = beyond || len(p.PlanWeeklyKM) > 0
			return nil
		}
		s := d.Format(DateLayout)
		return &s
	}
	over := hard != "" || a.UsedProbability >= usedUp
	if over {
		because := hard
		if because == "" {
			because = fmt.Sprintf("it is worn out by all that is known of it (%.0f %%)", 100*a.UsedProbability)
		}
		a.OrderBy, a.RetireBecause = &p.Today, &because
	} else {
		a.RemainingKM = Quantiles{ahead.remaining(0.1), ahead.remaining(0.2), ahead.remaining(0.5), ahead.remaining(0.9)}
		a.Dates = Dates{date(a.RemainingKM.P10), date(a.RemainingKM.P20), date(a.RemainingKM.P50), date(a.RemainingKM.P90)}
		p.orderBy(&a)
	}
	p.schools(&a, m*usual, date)
	if beyond {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "beyond_plan", Text: fmt.Sprintf("A date lies past %d weeks and is not given.",
			HorizonWeeks)})
	}
	p.cost(&a)
	p.races(&a, ahead, over)
	p.state(&a, over)
	a.round()
	return a, nil
}

// ranBefore is what the pair ran before anybody counted; m is its prior median life.
func (p *Pair) ranBefore(a *Answer, m float64) before {
	told := p.KMBefore
	if !told.Unknown {
		if told.SDLn == 0 || told.KM == 0 {
			return before{km: told.KM}
		}
		a.Why = append(a.Why, fmt.Sprintf("About %.0f km were run before they were counted.", told.KM))
		return before{doubt: true, ln: normal{math.Log(told.KM), told.SDLn * told.SDLn}}
	}
	if p.first.IsZero() || p.Runner.UsualWeeklyKM == nil {
		a.Estimated = true
		a.Warnings = append(a.Warnings, fault.Warning{Code: "estimated",
			Text: fmt.Sprintf("Nobody knows what it ran before: half of such a pair's life, %.0f km, is taken, with much doubt.", m/2)})
		return before{doubt: true, ln: normal{math.Log(m / 2), unknownSD * unknownSD}}
	}
	to, share := p.today, 1.0
	if len(p.runDays) > 0 {
		to = slices.MinFunc(p.runDays, time.Time.Compare)
	}
	if p.Share != nil {
		share = *p.Share
	}
	weeks := to.Sub(p.first).Hours() / (24 * 7)
	km := weeks * *p.Runner.UsualWeeklyKM * share
	if km <= 0 {
		return before{}
	}
	a.Estimated = true
	a.Warnings = append(a.Warnings, fault.Warning{Code: "estimated",
		Text: fmt.Sprintf("%.1f weeks before anybody counted × %.3g km a week are an estimate, %.0f km.", weeks,
			*p.Runner.UsualWeeklyKM*share, km)})
	return before{doubt: true, ln: normal{math.Log(km), estimateSD * estimateSD}}
}

// counted sums the runs and the lifting in wear-adjusted km; where no run was logged and nothing is
// told of what was before, it estimates.
func (p *Pair) counted(a *Answer, b *before) float64 {
	sum := 0.0
	for _, r := range p.Runs {
		a.KM += r.KM
		sum += Load(r, p.Surface, p.RestHours, p.House)
	}
	if p.logsNothing() {
		weeks := p.today.Sub(p.first).Hours() / (24 * 7)
		a.KM = weeks * *p.Runner.UsualWeeklyKM
		sum, a.Estimated = a.KM, true
		a.Warnings = append(a.Warnings, fault.Warning{Code: "estimated",
			Text: fmt.Sprintf("No run is logged: %.1f weeks since first worn × %g km a week is an estimate.", weeks, *p.Runner.UsualWeeklyKM)})
	}
	if p.LiftingHours > 0 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "lifting", Text: "Lifting crushes foam: a firm, flat pair is better for it."})
	}
	return sum + p.LiftingHours*house.Or(p.House).LiftingKMPH
}

// logsNothing says whether the distance is the weeks since first worn times a usual week.
func (p *Pair) logsNothing() bool {
	return len(p.Runs) == 0 && p.KMBefore == Before{} && !p.first.IsZero() && p.Runner.UsualWeeklyKM != nil
}

// own is the belief about ln of the runner's own factor after their history, and by what the
// runner's usual figure differs from the prior median (0 without history).
func (p *Pair) own(a *Answer, factor float64) (own normal, usual float64) {
	own = normal{0, ownSD * ownSD}
	sum, n := 0.0, 0
	for i, h := range p.Runner.History {
		m := house.Or(p.House).MedianLife(h.Class)
		if h.MedianKM != nil {
			m = *h.MedianKM
		}
		m *= factor
		if why := h.notCounted(m); why != "" {
			a.Warnings = append(a.Warnings, fault.Warning{Code: "history_not_counted",
				Text: fmt.Sprintf("Earlier pair %d, %s, %.0f wear-adjusted km, is not counted: %s.", i+1, h.Class, h.EffectiveKM, why)})
			continue
		}
		r := math.Log(h.EffectiveKM / m)
		own = own.observe(r, historySD)
		sum += r
		n++
	}
	if n == 0 {
		return own, 0
	}
	a.Why = append(a.Why, fmt.Sprintf("%d earlier pairs: this runner's pairs last × %.2f the usual.", n, math.Exp(own.mean)))
	return own, math.Exp(sum / float64(n))
}

// notCounted says why an earlier pair tells nothing of how long this runner's pairs last; m is
// its own prior median life.
func (h Retired) notCounted(m float64) string {
	switch {
	case h.WornOut != nil && !*h.WornOut:
		return "it was not retired as worn out"
	case h.KMBeforeSDLn != nil && *h.KMBeforeSDLn > historyDoubt:
		return "its distance is not known from the first day"
	case h.EffectiveKM < historyShare*m && (h.LargestC == nil || *h.LargestC < historyLook):
		return fmt.Sprintf("it ran less than a quarter of its usual life, %.0f km, and no look found it worn", m)
	}
	return ""
}

// look takes the inspections one after another, by date.
func (p *Pair) look(a *Answer, b belief) belief {
	order := make([]int, len(p.Inspections))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int { return p.inspectedDays[i].Compare(p.inspectedDays[j]) })
	for _, i := range order {
		in := p.Inspections[i]
		on := p.effectiveOn(p.inspectedDays[i])
		take := func(c, s float64, what string) {
			next, ran := b.seen(c, max(s, lookShareSD/c), on)
			if !ran {
				a.Warnings = append(a.Warnings, fault.Warning{Code: "looked_at_unworn",
					Text: fmt.Sprintf("The check of %s was before any distance and moves nothing.", in.Date)})
				return
			}
			a.Why = append(a.Why, fmt.Sprintf("Checked on %s after %.0f wear-adjusted km: %s", in.Date, b.median()+on, what))
			b = next
		}
		if c, seen := in.UsedFraction(p.HeelStackMM); seen {
			s := lookSD
			if in.BesideFresh {
				s = lookFreshSD
			}
			take(c, s, fmt.Sprintf("%.0f %% used.", 100*c))
		}
		if in.Aches == AchesUnexplained {
			take(achesC, achesSD, "aches on easy runs that nothing else explains.")
		}
	}
	return b
}

// effectiveOn is the wear-adjusted km counted up to and including a day; lifting counts whole.
func (p *Pair) effectiveOn(d time.Time) float64 {
	e := p.LiftingHours * house.Or(p.House).LiftingKMPH
	if p.logsNothing() {
		if span := p.today.Sub(p.first).Hours(); span > 0 {
			e += span / (24 * 7) * *p.Runner.UsualWeeklyKM * d.Sub(p.first).Hours() / span
		}
		return e
	}
	for i, r := range p.Runs {
		if !p.runDays[i].After(d) {
			e += Load(r, p.Surface, p.RestHours, p.House)
		}
	}
	return e
}

// UsedFraction is the share of a pair's life that an inspection sees gone, of a pair with so much
// under the heel, mm (nil: not known); ok is false where nothing was graded.
func (in Inspection) UsedFraction(heelStackMM *float64) (c float64, ok bool) {
	sum, weights, worst := 0.0, 0.0, 0.0
	for _, part := range in.parts() {
		if part.v == nil {
			continue
		}
		w := part.weight
		if part.name == "bounce" && heelStackMM != nil && *heelStackMM < thinHeelMM {
			w = thinBounce
		}
		sum += w * *part.v
		weights += w
		if part.name == "tread" || part.name == "bounce" {
			worst = max(worst, *part.v)
		}
	}
	if weights == 0 {
		return 0, false
	}
	return min(1, max(0.02, max(sum/weights, 0.9*worst))), true
}

// weekly is the plan's wear-adjusted km in week w from today (0 the first).
func (p *Pair) weekly(w int) float64 {
	if len(p.PlanWeeklyKM) == 0 {
		return 0
	}
	return p.PlanWeeklyKM[min(w, len(p.PlanWeeklyKM)-1)]
}

// dateAt is the day by whose end the plan has covered km wear-adjusted km.
func (p *Pair) dateAt(km float64) (time.Time, bool) {
	if len(p.PlanWeeklyKM) == 0 {
		return time.Time{}, false
	}
	done := 0.0
	for w := range HorizonWeeks {
		week := p.weekly(w)
		if done+week >= km-1e-9 {
			days := 7 * w
			if week > 0 && km > done {
				days += int(math.Ceil(7*(km-done)/week - 1e-9))
			}
			return p.today.AddDate(0, 0, days), true
		}
		done += week
	}
	return time.Time{}, false
}

// plannedTo is the plan's wear-adjusted km from today until a day.
func (p *Pair) plannedTo(d time.Time) float64 {
	days := int(math.Round(d.Sub(p.today).Hours() / 24))
	sum := 0.0
	for w := 0; 7*w < days; w++ {
		sum += p.weekly(w) * float64(min(7, days-7*w)) / 7
	}
	return sum
}

// lead is how many days before a pair is needed it is ordered: delivery, and the days in which
// its break-in distance is run at half of the plan's first week (none where that is zero).
func (p *Pair) lead() int {
	delivery, breakIn := house.Or(p.House).DeliveryDays, house.Or(p.House).BreakInKM
	if p.DeliveryDays != nil {
		delivery = *p.DeliveryDays
	}
	if p.BreakInKM != nil {
		breakIn = *p.BreakInKM
	}
	back := delivery
	if first := p.weekly(0); first > 0 {
		back += 7 * breakIn / (first / 2)
	}
	return int(math.Ceil(back - 1e-9))
}

func (p *Pair) orderBy(a *Answer) {
	if a.Dates.P20 == nil {
		return
	}
	d, _ := time.Parse(DateLayout, *a.Dates.P20) // written above
	s := d.AddDate(0, 0, -p.lead()).Format(DateLayout)
	a.OrderBy = &s
}

// cost is the price over the real km: those that were run, and the even chance of those to come
// by the plan's load. Lifting is no distance.
func (p *Pair) cost(a *Answer) {
	load := 1.0
	if p.PlanLoad != nil {
		load = *p.PlanLoad
	}
	if total := a.KM + a.RemainingKM.P50/load; p.Price != nil && total > 0 {
		c := units.Round(*p.Price/total, 4)
		a.CostPerKM = &c
	}
}

func (p *Pair) schools(a *Answer, ownKM float64, date func(float64) *string) {
	fixed := house.Or(p.House).FixedLifeKM
	if p.FixedKM != nil {
		fixed = *p.FixedKM
	}
	left := max(0, fixed-a.KM)
	by := date(left)
	text := fmt.Sprintf("%.0f km, or six months.", fixed)
	if !p.first.IsZero() {
		half := p.first.AddDate(0, LookMonths, 0)
		if half.Before(p.today) {
			half = p.today
		}
		if s := half.Format(DateLayout); by == nil || s < *by {
			by = &s
			text += " The six months come first."
		}
	}
	a.Schools.ByDistance = SchoolAnswer{&left, by, text}
	if ownKM > 0 {
		left := max(0, ownKM-a.EffectiveKM)
		a.Schools.ByOwnHistory = SchoolAnswer{&left, date(left), fmt.Sprintf("This runner's own usual figure, %.0f wear-adjusted km.", ownKM)}
	} else {
		a.Schools.ByOwnHistory = SchoolAnswer{Text: "No pair of this runner has been worn out yet."}
	}
	p50 := a.RemainingKM.P50
	a.Schools.ByCondition = SchoolAnswer{&p50, a.Dates.P50, "Load, history and what checks found; the likely distance."}
}

// races tells of each race how likely the pair is worn out before its end. One at risk moves the
// day to order by.
func (p *Pair) races(a *Answer, ahead outlook, over bool) {
	for i, r := range p.Races {
		fails := ahead.ends(p.plannedTo(p.raceDays[i]) + r.KM)
		out := RaceAnswer{Date: r.Date, PFail: units.Round(fails, 6), AtRisk: fails > atRisk, Text: "Should last through the race."}
		if out.AtRisk || over {
			ready := p.raceDays[i].AddDate(0, 0, -readyDays)
			by, order := ready.Format(DateLayout), ready.AddDate(0, 0, -p.lead()).Format(DateLayout)
			out.BrokenInBy, out.OrderBy = &by, &order
			if order < p.Today {
				out.Text = fmt.Sprintf("Order the next pair now, or run it in another that is broken in by %s; never begin one in race week.", by)
			} else {
				out.Text = fmt.Sprintf("Have another pair ordered by %s and broken in by %s; never begin one in race week.", order, by)
			}
			if !over && (a.OrderBy == nil || order < *a.OrderBy) {
				a.OrderBy = &order
			}
		}
		a.Races = append(a.Races, out)
	}
}

// hardFault names a fault that sets a pair aside whatever the model says.
func (p *Pair) hardFault() string {
	rough := false
	for _, r := range p.Runs {
		switch r.Ground {
		case term.GroundTrail, term.GroundMud, term.GroundSnow, term.GroundIce:
			rough = true
		}
	}
	uneven := 0.8
	if p.HeelStackMM != nil && *p.HeelStackMM >= tallHeelMM {
		uneven = 0.6
	}
	over := func(v *float64, limit float64) bool { return v != nil && *v >= limit-1e-9 }
	for _, in := range p.Inspections {
		switch {
		case slices.Contains(in.Faults, "upper_hole"):
			return "the upper has a hole"
		case slices.Contains(in.Faults, "sole_through"):
			return "the sole is through to the midsole"
		case over(in.Upper, 0.9):
			return "the upper is gone"
		case over(in.Tread, 0.9):
			return "the tread is gone"
		case over(in.Bounce, 0.9):
			return "the bounce is gone"
		case over(in.Evenness, uneven):
			return "the sole is so uneven that it tips the runner"
		case rough && over(in.Tread, 0.8):
			return "the tread is too worn for trail, mud, snow or ice"
		}
	}
	return ""
}

func (p *Pair) state(a *Answer, over bool) {
	f := a.UsedProbability
	counted := p.effectiveOn(p.today)
	last, lastE := p.first, math.Inf(-1)
	for _, d := range p.inspectedDays {
		if d.After(last) {
			last = d
		}
		lastE = max(lastE, p.effectiveOn(d))
	}
	due := !last.IsZero() && !p.today.Before(last.AddDate(0, LookMonths, 0))
	holds := []struct {
		state State
		is    bool
	}{
		{SetAside, over},
		{LastRuns, f >= 0.75},
		{Order, a.OrderBy != nil && *a.OrderBy <= p.Today},
		{Look, f >= 0.25 && counted-lastE > lookEveryKM || due},
		{Fine, a.EffectiveKM < firstKM},
	}
	a.State = InUse
	for _, h := range holds {
		switch {
		case !h.is:
		case a.State == InUse:
			a.State = h.state
		default:
			a.Also = append(a.Also, h.state)
		}
	}
}

// round keeps answers to what is meaningful: metres, and six decimals of chance.
func (a *Answer) round() {
	for _, v := range []*float64{&a.KM, &a.EffectiveKM, &a.LifeKM.P10, &a.LifeKM.P50, &a.LifeKM.P90, &a.RemainingKM.P10, &a.RemainingKM.P20,
		&a.RemainingKM.P50, &a.RemainingKM.P90} {
		*v = units.Round(*v, 3)
	}
	for _, s := range []SchoolAnswer{a.Schools.ByDistance, a.Schools.ByOwnHistory, a.Schools.ByCondition} {
		if s.LeftKM != nil {
			*s.LeftKM = units.Round(*s.LeftKM, 3)
		}
	}
	a.UsedProbability = units.Round(a.UsedProbability, 6)
}
