package kit

import (
	"fmt"
	"net/url"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/support"
	"trevik/internal/record"
)

// ConsentLine is one kind of thing that may be kept, with what was said of it.
type ConsentLine struct {
	Kind   string
	Label  string
	Answer string // that holds; empty when it was not asked
	Said   string // in words, with its date and hand
	Agreed bool
}

// ConsentLines are a runner's answers for people.
func ConsentLines(consents map[string]record.Consent, now time.Time) []ConsentLine {
	var out []ConsentLine
	for _, f := range record.ConsentFields {
		x := ConsentLine{Kind: f.Name, Label: f.Label}
		if c, asked := consents[f.Name]; asked {
			x.Answer, x.Agreed = c.Answer, c.Agreed(now)
			x.Said = fmt.Sprintf("%s: %s, to %s", LongDay(c.MadeAt), support.Words(c.Answer), c.Maker)
			if until := c.Until(); !until.IsZero() {
				x.Said += ", until " + LongDay(until)
			}
		}
		out = append(out, x)
	}
	return out
}

// SetConsents records the consents that a form answers. It fails with a fault.List.
func SetConsents(r *Req, e *Env, runner uint64) (url.Values, error) {
	sent, values, err := Decode(r, record.ConsentFields, "withdraw")
	if err != nil {
		return sent, err
	}
	answers := map[string]string{}
	for _, f := range record.ConsentFields {
		if v := values[f.Name]; !v.Empty {
			answers[f.Name] = v.Text
		}
	}
	if withdraw := sent.Get("withdraw"); withdraw != "" {
		if said, given := answers[withdraw]; given && said != record.ConsentNo {
			return sent, fault.List{{Field: withdraw, Text: "is agreed to and taken back at once, which contradict each other; send one of them"}}
		}
		answers = map[string]string{withdraw: record.ConsentWithdrawn}
	}
	return sent, e.App.Transfer.SetConsents(r.Ctx(), r.Who, runner, answers)
}
