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

	// HorizonWeeks is how far ahead a date is told.
	HorizonWeeks = 260
)

// Quantiles in effective km.
type Quantiles struct {
	P10 float64 `json:"p10"`
	P20 float64 `json:"p20"`
	P50 float64 `json:"p50"`
	P90 float64 `json:"p90"`
}

// Life is the unconditioned quantiles of L in effective km.
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

// normal is a belief about ln L.
type normal struct{ mean, variance float64 }

// observe is the conjugate update with a value that was seen with an SD.
func (n normal) observe(value, sd float64) normal {
	v := 1 / (1/n.variance + 1/(sd*sd))
	return normal{v * (n.mean/n.variance + value/(sd*sd)), v}
}

// survival is P(L > x).
func (n normal) survival(x float64) float64 {
	if x <= 0 {
		return 1
	}
	return 0.5 * math.Erfc((math.Log(x)-n.mean)/math.Sqrt(2*n.variance))
}

// whereSurvival gives the x with P(L > x) = s. Working with the survival keeps
// the far tail exact.
func (n normal) whereSurvival(s float64) float64 {
	return math.Exp(n.mean + math.Sqrt(2*n.variance)*math.Erfcinv(2*s))
}

// remaining is the q-quantile of L − e given L > e.
func (n normal) remaining(e, q float64) float64 {
	s := n.survival(e) * (1 - q)
	if s <= 0 {
		return 0
	}
	return max(0, n.whereSurvival(s)-e)
}

// Assess tells how much of a pair is left. It fails with a fault.List when the
// pair holds a value that is not allowed.
func Assess(p Pair) (Answer, error) {
	if err := p.check(); err != nil {
		return Answer{}, err
	}
	a := Answer{Schema: AnswerSchema, Also: []State{}, Races: []RaceAnswer{}, Why: []string{}, Warnings: []fault.Warning{}}
	if p.first.IsZero() && len(p.runDays) > 0 {
		p.first = slices.MinFunc(p.runDays, time.Time.Compare)
	}
	p.distances(&a)
	e := a.EffectiveKM
	life, own := p.life(&a)
	sd := math.Sqrt(life.variance)
	a.LnLife = LnLife{units.Round(life.mean, 6), units.Round(sd, 6)}
	a.LifeKM = Life{life.whereSurvival(0.9), life.whereSurvival(0.5), life.whereSurvival(0.1)}
	a.UsedProbability = 1 - life.survival(e)
	a.RemainingKM = Quantiles{life.remaining(e, 0.1), life.remaining(e, 0.2), life.remaining(e, 0.5), life.remaining(e, 0.9)}
	a.Why = append(a.Why, fmt.Sprintf("%.0f km run count as %.0f effective km.", a.KM, e),
		fmt.Sprintf("Half of such pairs last beyond %.0f effective km; eight in ten last %.0f to %.0f effective km.", a.LifeKM.P50, a.LifeKM.P10,
			a.LifeKM.P90))

	if len(p.PlanWeeklyKM) == 0 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "no_plan", Text: "No weekly plan is given, so there are no dates."})
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
	a.Dates = Dates{date(a.RemainingKM.P10), date(a.RemainingKM.P20), date(a.RemainingKM.P50), date(a.RemainingKM.P90)}
	p.orderBy(&a)
	p.schools(&a, own, date)
	if beyond {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "beyond_plan", Text: fmt.Sprintf("A date lies past %d weeks and is not given.",
			HorizonWeeks)})
	}
	if p.Price != nil {
		if total := e + a.RemainingKM.P50; total > 0 {
			c := units.Round(*p.Price/total, 4)
			a.CostPerKM = &c
		}
	}
	p.races(&a, life)
	p.state(&a)
	a.round()
	return a, nil
}

// distances sums the runs, or estimates them where none were logged.
func (p *Pair) distances(a *Answer) {
	for _, r := range p.Runs {
		a.KM += r.KM
		a.EffectiveKM += Load(r, p.Surface, p.RestHours, p.House)
	}
	if len(p.Runs) == 0 && !p.first.IsZero() && p.Runner.UsualWeeklyKM != nil {
		weeks := p.today.Sub(p.first).Hours() / (24 * 7)
		a.KM = weeks * *p.Runner.UsualWeeklyKM
		a.EffectiveKM, a.Estimated = a.KM, true
		a.Warnings = append(a.Warnings, fault.Warning{Code: "estimated",
			Text: fmt.Sprintf("No run is logged: %.1f weeks since first worn × %g km a week is an estimate.", weeks, *p.Runner.UsualWeeklyKM)})
	}
	a.EffectiveKM += p.LiftingHours * house.Or(p.House).LiftingKMPH
	if p.LiftingHours > 0 {
		a.Warnings = append(a.Warnings, fault.Warning{Code: "lifting", Text: "Lifting crushes foam: a firm, flat pair is better for it."})
	}
}

// life is the belief about ln L after history and inspections, and the runner's
// own usual figure for this class in effective km (0 without history).
func (p *Pair) life(a *Answer) (life normal, ownKM float64) {
	factor := RunnerFactor(p.Runner.MassKg, p.Runner.Strike)
	own := normal{0, ownSD * ownSD}
	sum := 0.0
	for _, h := range p.Runner.History {
		r := math.Log(h.EffectiveKM / (house.Or(p.House).MedianLife(h.Class) * factor))
		own = own.observe(r, historySD)
		sum += r
	}
	m := p.medianKM() * factor
	if n := len(p.Runner.History); n > 0 {
		ownKM = m * math.Exp(sum/float64(n))
		a.Why = append(a.Why, fmt.Sprintf("%d earlier pairs: this runner's pairs last × %.2f the usual.", n, math.Exp(own.mean)))
	}
	if factor != 1 {
		a.Why = append(a.Why, fmt.Sprintf("Mass and strike: × %.3f.", factor))
	}
	life = normal{math.Log(m) + own.mean, lifeSD*lifeSD + own.variance}

	order := make([]int, len(p.Inspections))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int { return p.inspectedDays[i].Compare(p.inspectedDays[j]) })
	for _, i := range order {
		c, seen := p.usedFraction(p.Inspections[i])
		if !seen {
			continue
		}
		on := p.effectiveOn(a, p.inspectedDays[i])
		if on <= 0 {
			a.Warnings = append(a.Warnings, fault.Warning{Code: "looked_at_unworn",
				Text: fmt.Sprintf("The look of %s was before any distance and moves nothing.", p.Inspections[i].Date)})
			continue
		}
		s := lookSD
		if p.Inspections[i].BesideFresh {
			s = lookFreshSD
		}
		life = life.observe(math.Log(on/c), max(s, lookShareSD/c))
		a.Why = append(a.Why, fmt.Sprintf("Looked at on %s after %.0f effective km: %.0f %% used.", p.Inspections[i].Date, on, 100*c))
	}
	return life, ownKM
}

// effectiveOn is the effective km up to and including a day; lifting counts whole.
func (p *Pair) effectiveOn(a *Answer, d time.Time) float64 {
	if a.Estimated {
		span := p.today.Sub(p.first).Hours()
		if span <= 0 {
			return 0
		}
		return a.KM*d.Sub(p.first).Hours()/span + p.LiftingHours*house.Or(p.House).LiftingKMPH
	}
	e := p.LiftingHours * house.Or(p.House).LiftingKMPH
	for i, r := range p.Runs {
		if !p.runDays[i].After(d) {
			e += Load(r, p.Surface, p.RestHours, p.House)
		}
	}
	return e
}

// usedFraction is the share of a pair's life that an inspection sees gone.
func (p *Pair) usedFraction(in Inspection) (float64, bool) {
	sum, weights, worst := 0.0, 0.0, 0.0
	for _, part := range in.parts() {
		if part.v == nil {
			continue
		}
		w := part.weight
		if part.name == "bounce" && p.HeelStackMM != nil && *p.HeelStackMM < thinHeelMM {
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

// weekly is the plan's effective km in week w from today (0 the first).
func (p *Pair) weekly(w int) float64 {
	if len(p.PlanWeeklyKM) == 0 {
		return 0
	}
	return p.PlanWeeklyKM[min(w, len(p.PlanWeeklyKM)-1)]
}

// dateAt is the day by whose end the plan has covered km effective km.
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

// plannedTo is the plan's effective km from today until a day.
func (p *Pair) plannedTo(d time.Time) float64 {
	days := int(math.Round(d.Sub(p.today).Hours() / 24))
	sum := 0.0
	for w := 0; 7*w < days; w++ {
		sum += p.weekly(w) * float64(min(7, days-7*w)) / 7
	}
	return sum
}

func (p *Pair) orderBy(a *Answer) {
	if a.Dates.P20 == nil {
		return
	}
	d, _ := time.Parse(DateLayout, *a.Dates.P20)
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
	s := d.AddDate(0, 0, -int(math.Ceil(back-1e-9))).Format(DateLayout)
	a.OrderBy = &s
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
		a.Schools.ByOwnHistory = SchoolAnswer{&left, date(left), fmt.Sprintf("This runner's own usual figure, %.0f effective km.", ownKM)}
	} else {
		a.Schools.ByOwnHistory = SchoolAnswer{Text: "No pair of this runner's was set aside for wear yet."}
	}
	p50 := a.RemainingKM.P50
	a.Schools.ByCondition = SchoolAnswer{&p50, a.Dates.P50, "Load, history and what looking found; the even chance."}
}

func (p *Pair) races(a *Answer, life normal) {
	now := life.survival(a.EffectiveKM)
	for i, r := range p.Races {
		need := a.EffectiveKM + p.plannedTo(p.raceDays[i]) + r.KM
		out := RaceAnswer{Date: r.Date}
		if now > 0 {
			out.PFail = units.Round(min(1, max(0, 1-life.survival(need)/now)), 6)
		} else {
			out.PFail = 1
		}
		out.AtRisk = out.PFail > atRisk
		out.Text = "This pair should see the race."
		if out.AtRisk {
			by := p.raceDays[i].AddDate(0, 0, -14)
			if by.Before(p.today) {
				by = p.today
			}
			out.Text = fmt.Sprintf("Have another pair broken in by %s; never begin one in race week.", by.Format(DateLayout))
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

func (p *Pair) state(a *Answer) {
	f := a.UsedProbability
	hard := p.hardFault()
	if hard != "" {
		a.Why = append(a.Why, "Set it aside for running: "+hard+".")
	}
	last, lastE := p.first, math.Inf(-1)
	for _, d := range p.inspectedDays {
		if d.After(last) {
			last = d
		}
		lastE = max(lastE, p.effectiveOn(a, d))
	}
	due := !last.IsZero() && !p.today.Before(last.AddDate(0, LookMonths, 0))
	holds := []struct {
		state State
		is    bool
	}{
		{SetAside, hard != "" || f >= 0.95},
		{LastRuns, f >= 0.75},
		{Order, a.OrderBy != nil && *a.OrderBy <= p.Today},
		{Look, f >= 0.25 && a.EffectiveKM-lastE > lookEveryKM || due},
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
