package record

import (
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/form"
)

// Cautions are those that were told.
func (v *Visit) Cautions() []support.Flag { return Flags.Of(v) }

// CautionsAsked says whether the cautions were asked.
func (v *Visit) CautionsAsked() bool { return Flags.Known(v) }

// Complaints are what was told: nil when it was not asked. half counts rows that lack their
// place or their months and do not count yet.
func (v *Visit) Complaints() (list *[]support.Complaint, half int) {
	rows := []support.Complaint{}
	for i := range ComplaintRows {
		place, months := ComplaintPlace.Of(v, i+1), ComplaintMonths.Ptr(v, i+1)
		switch {
		case place != "" && months != nil:
			side := term.Side(ComplaintSide.Of(v, i+1))
			if side == "both" {
				side = ""
			}
			rows = append(rows, support.Complaint{Place: place, Side: side, MonthsAgo: months})
		case place != "" || months != nil:
			half++
		}
	}
	// Not asked, or something hurts, and what is not told yet.
	if said := Complains.Of(v); (said == "" || said == "some") && len(rows) == 0 {
		return nil, half
	}
	return &rows, half
}

// ComplaintWhenOf is when a complaint comes; empty where it was not told.
func (v *Visit) ComplaintWhenOf(place term.Place) string {
	for i := range ComplaintRows {
		if ComplaintPlace.Of(v, i+1) == place {
			return ComplaintWhen.Of(v, i+1)
		}
	}
	return ""
}

// HasHealth says whether the fit holds health answers that need a consent to stay: 'asked,
// none' tells of nobody.
func (v *Visit) HasHealth() bool {
	list, half := v.Complaints()
	return len(v.Cautions()) > 0 || list != nil && len(*list) > 0 || half > 0 || Complains.Of(v) == "some" || Treated.Of(v)
}

// Kinds of consent.
const (
	FilmConsent   = "film"   // films and pictures of the feet
	HealthConsent = "health" // cautions, complaints and treatment
)

// Answers to a question of consent.
const (
	ConsentNo             = "no"
	ConsentYes            = "yes"      // a film, for the shop's days
	ConsentYear           = "one_year" // health answers
	ConsentUntilWithdrawn = "until_withdrawn"
	ConsentWithdrawn      = "withdrawn"
)

// ConsentFields are asked of every runner once; the answer holds for later visits.
var ConsentFields = []form.Field{
	{Name: FilmConsent, Label: "May we keep films and pictures of the feet?", Kind: form.Choice, Choices: []string{ConsentYes, ConsentNo}},
	{Name: HealthConsent, Label: "May we keep the health answers?", Kind: form.Choice, Choices: []string{ConsentYear, ConsentUntilWithdrawn,
		ConsentNo}},
}

// Consent is what a runner said of keeping, when and to whom.
type Consent struct {
	Answer string
	Maker  string
	MadeAt time.Time
}

// Agreed says whether something may be kept at a time.
func (c Consent) Agreed(now time.Time) bool {
	switch c.Answer {
	case ConsentYes, ConsentUntilWithdrawn:
		return true
	case ConsentYear:
		return now.Before(c.Until())
	}
	return false
}

// Until is the last day of a consent that has one; zero otherwise.
func (c Consent) Until() time.Time {
	if c.Answer == ConsentYear {
		return c.MadeAt.AddDate(1, 0, 0)
	}
	return time.Time{}
}

// Refused says whether the runner said no, or took a yes back.
func (c Consent) Refused() bool { return c.Answer == ConsentNo || c.Answer == ConsentWithdrawn }

// MayKeep refuses to keep a film or a picture that the runner said no to: a fault.List at
// the field.
func (r *Runner) MayKeep(field string, keep bool) error {
	if c := r.Consents[FilmConsent]; keep && c.Refused() {
		return fault.List{{Field: field, Text: "is yes, which contradicts the runner's no of " + c.MadeAt.Format("2 January 2006") +
			"; take no, or change that answer at Hello first"}}
	}
	return nil
}

// KeepAnswer is what the question of keeping a film begins with: what the runner said at
// Hello, empty where nothing was.
func (r *Runner) KeepAnswer() string {
	c, asked := r.Consents[FilmConsent]
	switch {
	case !asked:
		return ""
	case c.Refused():
		return "no"
	}
	return "yes"
}
