package record

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"trevik/internal/core/gait"
	"trevik/internal/core/house"
	"trevik/internal/core/match"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

// Visit is one fit: its findings and decisions, decoded.
type Visit struct {
	ID        uint64
	RunnerID  uint64
	Fitter    string
	StartedAt time.Time // in the shop's time zone, like every moment here
	ClosedAt  time.Time // zero while it is open
	Settings  Settings  // those that it is decided under: a closed fit keeps its own
	found     map[Key]Finding
	choices   []Choice
	overrule  *Decision
	level     *Decision
}

// Finding is the value that counts for a key, with who found it, when and how.
type Finding struct {
	Stored
	value any
}

// Kinds of decision. An empty value takes the decision back.
const (
	Chosen        = "choice"
	ReferOverride = "refer_override"
	LevelOverrule = "level"
)

// Decision is what somebody decided in a fit.
type Decision struct {
	ID     uint64
	Kind   string
	Value  string
	Reason string
	Maker  string
	MadeAt time.Time
}

// Basis is what a choice was decided on, kept with it so that an old card can be explained.
type Basis struct {
	Settings Settings       `json:"settings"`
	Support  support.Answer `json:"support"`
	Ranked   match.Ranked   `json:"ranked"`
	Name     string         `json:"name"`
	PairID   uint64         `json:"pair_id"`
	Price    int64          `json:"price"`
}

// Choice is the pair that was chosen.
type Choice struct {
	Decision
	Basis Basis
}

// Decode fills a visit with the findings that count, each by its declaration. It fails on
// one that is not declared or does not decode.
func (v *Visit) Decode(stored []Stored) error {
	v.found = make(map[Key]Finding, len(stored))
	for _, s := range stored {
		d := byName(s.Key.Name)
		if d == nil {
			return fmt.Errorf("fit %d: a finding %q is not declared", v.ID, s.Key.Name)
		}
		err := d.check(s)
		var value any
		if err == nil {
			value, err = d.decode(d, s)
		}
		if err != nil {
			return fmt.Errorf("fit %d: finding %d, %s: %w", v.ID, s.ID, s.Key.Input(), err)
		}
		v.found[s.Key] = Finding{s, value}
	}
	return nil
}

// Decide adds a decision that holds; basis is what it was decided on, as JSON. It fails on a
// kind that is not known and on a choice whose basis does not decode.
func (v *Visit) Decide(d Decision, basis []byte) error {
	if d.Value == "" { // taken back
		if d.Kind == Chosen {
			var of struct {
				PairID uint64 `json:"pair_id"` // 0: whatever was chosen
			}
			if len(basis) > 0 {
				if err := json.Unmarshal(basis, &of); err != nil {
					return fmt.Errorf("fit %d: decision %d, what it takes back: %w", v.ID, d.ID, err)
				}
			}
			v.choices = slices.DeleteFunc(v.choices, func(c Choice) bool { return of.PairID == 0 || c.Basis.PairID == of.PairID })
		}
		return nil
	}
	switch d.Kind {
	case Chosen:
		c := Choice{Decision: d}
		if err := json.Unmarshal(basis, &c.Basis); err != nil {
			return fmt.Errorf("fit %d: decision %d, what it was decided on: %w", v.ID, d.ID, err)
		}
		v.choices = append(v.choices, c)
	case ReferOverride:
		v.overrule = &d
	case LevelOverrule:
		v.level = &d
	default:
		return fmt.Errorf("fit %d: decision %d is of the kind %q, which is not known", v.ID, d.ID, d.Kind)
	}
	return nil
}

// CheckStored says what of a finding from outside its declaration does not allow: its name,
// its key, its kind or its limits.
func CheckStored(s Stored) error {
	d := byName(s.Key.Name)
	if d == nil {
		return fmt.Errorf("a finding %q is not known", s.Key.Name)
	}
	if err := d.check(s); err != nil {
		return err
	}
	if s.Number != nil && d.Hi > d.Lo && !(*s.Number >= d.Lo-1e-6 && *s.Number <= d.Hi+1e-6) {
		return fmt.Errorf("it is %g; allowed is %g to %g", *s.Number, d.Lo, d.Hi)
	}
	_, err := d.decode(d, s)
	return err
}

// Open says whether the fit can be changed.
func (v *Visit) Open() bool { return v.ClosedAt.IsZero() }

// Has says whether there is a value for a key.
func (v *Visit) Has(k Key) bool { _, ok := v.found[k]; return ok }

// Empty says whether nothing was found yet.
func (v *Visit) Empty() bool { return len(v.found) == 0 }

// Finding is what was found for a key, zero where there is nothing.
func (v *Visit) Finding(k Key) Finding { return v.found[k] }

// Named are the findings of a declaration, in the order of their rows and models.
func (v *Visit) Named(d *Decl) []Finding {
	var out []Finding
	for k, f := range v.found {
		if k.Name == d.Name {
			out = append(out, f)
		}
	}
	slices.SortFunc(out, func(x, y Finding) int {
		a, b := x.Key, y.Key
		return cmp.Or(cmp.Compare(a.Row, b.Row), cmp.Compare(a.Model, b.Model), cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Ground, b.Ground),
			cmp.Compare(a.Side, b.Side))
	})
	return out
}

// House is the house values that the fit is decided under.
func (v *Visit) House() *house.Values { return &v.Settings.House }

// Choice is the fit's first choice with what it was decided on, nil while there is none.
func (v *Visit) Choice() (*Decision, *Basis) {
	if len(v.choices) == 0 {
		return nil, nil
	}
	return &v.choices[0].Decision, &v.choices[0].Basis
}

// Choices are all pairs that were chosen in the fit, in the order in which they were.
func (v *Visit) Choices() []Choice { return v.choices }

// Overruled is the decision to go on in spite of a caution, nil without one.
func (v *Visit) Overruled() *Decision { return v.overrule }

// LevelChosen is the decision for a level over the schools, nil without one.
func (v *Visit) LevelChosen() *Decision { return v.level }

// Suited is how well a model suits a kind of run, as a fitter set it, and why.
type Suited struct {
	Value float64
	Why   string
}

func suited(d *Decl, s Stored) (any, error) {
	v, err := figure(d, s)
	if err != nil {
		return nil, err
	}
	if !slices.Contains(term.Kinds, s.Key.Kind) || !slices.Contains(term.Grounds, s.Key.Ground) {
		return nil, fmt.Errorf("its kind of run is %q on %q", s.Key.Kind, s.Key.Ground)
	}
	return Suited{v.(float64), s.Text}, nil
}

// SuitKey is the key of a suitability.
func SuitKey(model uint64, kind term.Kind, ground term.Ground) Key {
	return Key{Name: Suitability.Name, Model: model, Kind: kind, Ground: ground}
}

// ComparedKey is the key of a comparison: its number, and the models on the left foot and
// on the right.
func ComparedKey(n int, left, right uint64) Key {
	return Key{Name: Compared.Name, Row: n, Model: left, Other: right}
}

// FilmReading is what a film was read as, without steps, curves and paths.
type FilmReading struct {
	Number int
	gait.Answer
	Finding Finding
}

// FilmReadings are the readings of the fit's films, in their order.
func (v *Visit) FilmReadings() []FilmReading {
	var out []FilmReading
	for _, f := range v.Named(FilmRead.Decl) {
		out = append(out, FilmReading{f.Key.Row, f.value.(gait.Answer), f})
	}
	return out
}

// Newest is the id of the newest finding that counts, 0 without one.
func (v *Visit) Newest() uint64 {
	newest := uint64(0)
	for _, f := range v.found {
		newest = max(newest, f.ID)
	}
	return newest
}
