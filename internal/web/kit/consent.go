package kit

import (
	"fmt"
	"net/url"
	"time"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/support"
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
func ConsentLines(consents map[string]app.Consent, now time.Time) []ConsentLine {
	var out []ConsentLine
	for _, f := range app.ConsentFields {
		x := ConsentLine{Kind: f.Name, Label: f.Label}
		if c, asked := consents[f.Name]; asked {
			x.Answer, x.Agreed = c.Answer, c.Agreed(now)
			x.Said = fmt.Sprintf("%s: %s, to %s", LongDay(c.MadeAt.Local()), support.Words(c.Answer), c.Maker)
			if until := c.Until(); !until.IsZero() {
				x.Said += ", until " + LongDay(until.Local())
			}
		}
		out = append(out, x)
	}
	return out
}

// SetConsents records the consents that a form answers. It fails with a fault.List.
func SetConsents(c *gin.Context, e *Env, runner uint64) (url.Values, error) {
	form, values, err := Decode(c, app.ConsentFields, MustWho(c).Units, "withdraw")
	if err != nil {
		return form, err
	}
	withdraw := form.Get("withdraw")
	if v := values[withdraw]; withdraw != "" && !v.Empty && v.Text != app.ConsentNo {
		return form, fault.List{{Field: withdraw, Text: "is agreed to and taken back at once, which contradict each other; send one of them"}}
	}
	if withdraw != "" {
		return form, e.App.SetConsent(c, MustWho(c), runner, withdraw, app.ConsentWithdrawn)
	}
	for _, f := range app.ConsentFields {
		if v, given := values[f.Name]; given && !v.Empty {
			if err := e.App.SetConsent(c, MustWho(c), runner, f.Name, v.Text); err != nil {
				return form, err
			}
		}
	}
	return form, nil
}
