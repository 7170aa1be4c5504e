package match

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/house"
	"trevik/internal/core/limits"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

const (
	RequestSchema = "trevik.request/v1"
	AnswerSchema  = "trevik.match/v1"
)

// Foot is one standing foot, in mm; BallMM and HeelToBallMM may be nil, Shape
// and Volume empty: not known.
type Foot struct {
	LengthMM     float64     `json:"length_mm"`
	BallMM       *float64    `json:"ball_mm"`
	HeelToBallMM *float64    `json:"heel_to_ball_mm"`
	Shape        term.Shape  `json:"shape" strict:"word"`
	Volume       term.Volume `json:"volume" strict:"word"`
}

// Sizing is the length in mm that decides this foot's size.
func (f Foot) Sizing(h *house.Values) float64 {
	htb := 0.0
	if f.HeelToBallMM != nil {
		htb = *f.HeelToBallMM
	}
	s, _ := foot.SizingLength(f.LengthMM, htb, h)
	return s
}

// KindShare is how much of the runner's week is of a kind on a ground; KM of one session of it, nil
// where it is not told.
type KindShare struct {
	Kind   term.Kind   `json:"kind"`
	Ground term.Ground `json:"ground"`
	Share  float64     `json:"share"`
	KM     *float64    `json:"km"`
}

// Present is what the runner wears now; nil or empty is not known.
type Present struct {
	DropMM  *float64   `json:"drop_mm"`
	StackMM *float64   `json:"stack_mm"`
	Level   term.Level `json:"level" strict:"word"`
}

// Likes are wishes: for the foam's softness and bounce, 1 to 5, and how much of it stands under the
// foot, one of Cushions. Nil and empty are no wish.
type Likes struct {
	Softness *float64 `json:"softness"`
	Bounce   *float64 `json:"bounce"`
	Cushion  string   `json:"cushion" strict:"word"`
}

// Budget is in minor units; firm means 'not above'.
type Budget struct {
	Amount   int64  `json:"amount" strict:"needed"`
	Currency string `json:"currency"`
	Firm     bool   `json:"firm"`
}

// Settings are the shop's choices where fitters differ.
type Settings struct {
	Room    string `json:"room" strict:"word"` // thumbnail, finger, thumb, several_days
	Drop    string `json:"drop" strict:"word"` // habit_and_strike, habit_only
	InStock bool   `json:"in_stock_today"`
}

// Words of the settings.
var (
	Rooms       = []string{"thumbnail", "finger", "thumb", "several_days"}
	DropRules   = []string{"habit_and_strike", "habit_only"}
	Experiences = []string{"new", "regular", "long"}
	// Cushions are how much a runner wants under the foot.
	Cushions = []string{"protective", "balanced", "ground_feel"}
)

// Request is a runner's feet, use and wishes, and the models to choose from.
type Request struct {
	Schema     string               `json:"schema"`
	Feet       support.Both[Foot]   `json:"feet"`
	Chart      term.Chart           `json:"chart"`
	Sock       term.Sock            `json:"sock" strict:"word"`
	Kinds      []KindShare          `json:"kinds"`
	Surface    term.Surface         `json:"surface" strict:"word"`
	Conditions []term.Condition     `json:"conditions"`
	RaceKM     *float64             `json:"race_km"`
	Level      *term.Level          `json:"level"`
	Spread     []term.Level         `json:"spread"`
	Lead       term.School          `json:"lead" strict:"word"`
	Strike     term.Strike          `json:"strike" strict:"word"`
	Present    *Present             `json:"present"`
	Likes      *Likes               `json:"likes"`
	HeelLifted *bool                `json:"heel_lifted"` // of the present pair, or at the try-on
	MassKg     *float64             `json:"mass_kg"`
	Experience string               `json:"experience" strict:"word"`
	Complaints *[]support.Complaint `json:"complaints"`
	Budget     *Budget              `json:"budget"`
	Disliked   []string             `json:"disliked"`
	Weights    map[string]float64   `json:"weights"`
	// Life is how long a model lasts, wear-adjusted km, where a shop learned it; nil, or 0, is as told of it.
	Life      func(*shoe.Model) float64 `json:"-"`
	Settings  Settings                  `json:"settings"`
	Models    []shoe.Model              `json:"models"`
	House     *house.Values             `json:"-"` // nil is as shipped
	Overruled []string                  `json:"-"` // models that a fitter lets in all the same
	Tried     map[string]Tried          `json:"-"` // what the try-on found, by model
	Leader    string                    `json:"-"` // of the comparisons, empty before there are two
	longest   float64                   // mm, the longer foot's sizing length
	widest    float64                   // mm, the wider ball; 0 when not measured
	length    float64                   // mm, the longer foot's length
	weights   map[string]float64        // scaled to sum 1
	share     [13]float64               // the same, in the order of MarkNames
	sock      float64                   // mm
	byID      map[string]*shoe.Model
	twins     map[twinKey][]*shoe.Model
	grounds   map[term.Surface]float64 // share of the week's km by what models are made for
	youthSize bool                     // a youth model has a youth's size
}

// MarkNames are the marks in the order in which they are shown.
var MarkNames = house.Marks

// check validates the request and resolves defaults.
func (r *Request) check() error {
	var l fault.List
	if r.Schema != "" && r.Schema != RequestSchema {
		l.Add("schema", "is %q; allowed is %q", r.Schema, RequestSchema)
	}
	r.defaults()
	fault.OneOf(&l, "chart", r.Chart, term.Charts)
	fault.OneOf(&l, "sock", r.Sock, term.Socks)
	if r.Surface != "" {
		fault.OneOf(&l, "surface", r.Surface, term.Surfaces)
	}
	fault.OneOf(&l, "lead", r.Lead, term.Schools)
	fault.OneOf(&l, "settings.room", r.Settings.Room, Rooms)
	fault.OneOf(&l, "settings.drop", r.Settings.Drop, DropRules)
	fault.OneOf(&l, "experience", r.Experience, Experiences)
	if r.Strike != "" {
		fault.OneOf(&l, "strike", r.Strike, term.Strikes)
	}
	for i, c := range r.Conditions {
		fault.OneOf(&l, fmt.Sprintf("conditions[%d]", i), c, term.Conditions)
	}
	if r.Level != nil {
		fault.OneOf(&l, "level", *r.Level, term.Levels)
	}
	for i, s := range r.Spread {
		fault.OneOf(&l, fmt.Sprintf("spread[%d]", i), s, term.Levels)
	}
	r.sock = SockMM[r.Sock]
	r.checkFeet(&l)
	r.checkRunner(&l)
	r.checkWeights(&l)
	r.byID = make(map[string]*shoe.Model, len(r.Models))
	if len(r.Models) == 0 {
		l.Add("models", "is empty; give the models to choose from")
	}
	for i := range r.Models {
		m := &r.Models[i]
		*m = m.WithDefaults()
		if !slices.IsSorted(m.SizesUK) {
			m.SizesUK = slices.Sorted(slices.Values(m.SizesUK)) // the caller's stay as they were
		}
		var own fault.List
		m.Check(&own, "models")
		if r.byID[m.ID] != nil {
			own.Add("models.id", "is %q, which an earlier model has; each model needs its own", m.ID)
		}
		r.byID[m.ID] = m
		if m.Currency != r.Models[0].Currency {
			own.Add("models.currency", "is %q; allowed is one currency for all models, here %q", m.Currency, r.Models[0].Currency)
		}
		for _, f := range own {
			l.Add(fmt.Sprintf("models[%d]%s", i, strings.TrimPrefix(f.Field, "models")), "%s", f.Text)
		}
	}
	replaces := map[string]string{}
	for _, m := range r.Models {
		replaces[m.ID] = m.Replaces
	}
	if round := shoe.Circles(replaces); len(round) > 0 {
		for i, m := range r.Models {
			if _, in := slices.BinarySearch(round, m.ID); in {
				l.Add(fmt.Sprintf("models[%d].replaces", i), "goes round in a circle: %q comes from itself", m.ID)
			}
		}
	}
	if len(l) == 0 {
		r.relate()
	}
	if r.Budget != nil && len(r.Models) > 0 && r.Budget.Currency != r.Models[0].Currency {
		l.Add("budget.currency", "is %q; allowed is the models' currency %q", r.Budget.Currency, r.Models[0].Currency)
	}
	return l.Err()
}

func (r *Request) defaults() {
	str := func(s *string, d string) {
		if *s == "" {
			*s = d
		}
	}
	if r.Sock == "" {
		r.Sock = "medium"
	}
	if r.Lead == "" {
		r.Lead = term.ComfortFirst
	}
	str(&r.Settings.Room, "finger")
	str(&r.Settings.Drop, "habit_and_strike")
	str(&r.Experience, "regular")
}

func (r *Request) checkFeet(l *fault.List) {
	if r.Feet.Left == nil && r.Feet.Right == nil {
		l.Add("feet", "is missing; give left, right or both")
	}
	for _, s := range term.Sides {
		f := r.Feet.Of(s)
		if f == nil {
			continue
		}
		at := "feet." + string(s)
		l.Range(at+".length_mm", f.LengthMM, foot.MinLengthMM, foot.MaxLengthMM, "mm")
		if f.BallMM != nil && l.Range(at+".ball_mm", *f.BallMM, foot.MinBallMM, foot.MaxBallMM, "mm") {
			r.widest = max(r.widest, *f.BallMM)
		}
		if f.HeelToBallMM != nil && !foot.BallHolds(*f.HeelToBallMM, f.LengthMM) {
			l.Add(at+".heel_to_ball_mm", "is %g mm; allowed is 60 to 80 %% of the foot length", *f.HeelToBallMM)
		}
		if f.Shape != "" {
			fault.OneOf(l, at+".shape", f.Shape, term.Shapes)
		}
		if f.Volume != "" {
			fault.OneOf(l, at+".volume", f.Volume, term.Volumes)
		}
		if f.Sizing(r.House) > r.longest {
			r.longest, r.length = f.Sizing(r.House), f.LengthMM
		}
	}
}

func (r *Request) checkRunner(l *fault.List) {
	if len(r.Kinds) == 0 {
		l.Add("kinds", "is missing; give at least one kind of run with its ground and share")
	}
	sum := 0.0
	for i, k := range r.Kinds {
		at := fmt.Sprintf("kinds[%d]", i)
		fault.OneOf(l, at+".kind", k.Kind, term.Kinds)
		fault.OneOf(l, at+".ground", k.Ground, term.Grounds)
		l.Range(at+".share", k.Share, 0, 1000, "")
		if k.KM != nil {
			l.Range(at+".km", *k.KM, 0.001, 1000, "km")
		}
		sum += k.Share
	}
	if len(r.Kinds) > 0 && sum <= 0 {
		l.Add("kinds", "has shares that add up to 0; at least one share must be above 0")
	}
	if r.RaceKM != nil {
		l.Range("race_km", *r.RaceKM, 0.1, 1000, "km")
	}
	if p := r.Present; p != nil {
		if p.DropMM != nil {
			limits.DropMM.Check(l, "present.drop_mm", *p.DropMM)
		}
		if p.StackMM != nil {
			limits.StackMM.Check(l, "present.stack_mm", *p.StackMM)
		}
		if p.Level != "" {
			fault.OneOf(l, "present.level", p.Level, term.Levels)
		}
	}
	if r.Likes != nil {
		if r.Likes.Softness != nil {
			l.Range("likes.softness", *r.Likes.Softness, 1, 5, "")
		}
		if r.Likes.Bounce != nil {
			l.Range("likes.bounce", *r.Likes.Bounce, 1, 5, "")
		}
		if r.Likes.Cushion != "" {
			fault.OneOf(l, "likes.cushion", r.Likes.Cushion, Cushions)
		}
	}
	if r.MassKg != nil {
		limits.MassKg.Check(l, "mass_kg", *r.MassKg)
	}
	if r.Complaints != nil {
		support.CheckComplaints(l, "complaints", *r.Complaints)
	}
	if r.Budget != nil {
		l.Range("budget.amount", float64(r.Budget.Amount), 0, 1e8, "cents")
	}
}

// checkWeights lays the given weights over the house's and scales them to sum 1.
func (r *Request) checkWeights(l *fault.List) {
	r.weights = map[string]float64{}
	for i, name := range MarkNames {
		r.weights[name] = house.Or(r.House).Weights[i]
	}
	for _, name := range slices.Sorted(maps.Keys(r.Weights)) {
		if _, known := r.weights[name]; !known {
			l.Add("weights."+name, "is not a mark; allowed is one of %s", strings.Join(MarkNames, ", "))
			continue
		}
		if l.Range("weights."+name, r.Weights[name], 0, 1000, "") {
			r.weights[name] = r.Weights[name]
		}
	}
	sum := 0.0
	for _, name := range MarkNames {
		sum += r.weights[name]
	}
	if sum <= 0 || math.IsNaN(sum) {
		l.Add("weights", "add up to 0; at least one must be above 0")
		return
	}
	for name := range r.weights {
		r.weights[name] /= sum
	}
	for i, name := range MarkNames {
		r.share[i] = r.weights[name]
	}
}

func (r *Request) tendon() bool {
	return r.Complaints != nil && slices.ContainsFunc(*r.Complaints, support.TendonComplaint)
}

// ultraKM is a marathon; beyond it a race is an ultra.
const ultraKM = 42.3

func (r *Request) ultra(m *shoe.Model) bool {
	return m.Class == term.Ultra || r.RaceKM != nil && *r.RaceKM > ultraKM
}
