package app

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/store/db"
)

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
var ConsentFields = []Field{
	{Name: FilmConsent, Label: "May we keep films and pictures of the feet?", Kind: Choice, Choices: []string{ConsentYes, ConsentNo}, How: "told"},
	{Name: HealthConsent, Label: "May we keep the health answers?", Kind: Choice, Choices: []string{ConsentYear, ConsentUntilWithdrawn, ConsentNo}, How: "told"},
}

// healthNames are the findings that tell of a runner's health.
var healthNames = []string{"flags", "treated", "complaints", "complaint_place", "complaint_side", "complaint_months", "complaint_when"}

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

// Consents are a runner's answers that hold, by kind.
func (a *App) Consents(ctx context.Context, who Actor, runnerID uint64) (map[string]Consent, error) {
	rows, err := a.store.ConsentsOf(ctx, db.ConsentsOfParams{RunnerID: runnerID, ShopID: who.ShopID})
	out := map[string]Consent{}
	for _, r := range rows {
		out[r.Kind] = Consent{r.Answer, r.Maker, r.MadeAt}
	}
	return out, err
}

// SetConsent records what a runner said of keeping a kind of thing. 'no' and
// 'withdrawn' delete what was kept: frames and pictures, their numbers stay; the
// health answers of closed fits, and when withdrawn those of the fit under way, too.
// It fails with a fault.List.
func (a *App) SetConsent(ctx context.Context, who Actor, runnerID uint64, kind, answer string) error {
	if _, err := a.Runner(ctx, who, runnerID); err != nil {
		return err
	}
	var l fault.List
	at := slices.IndexFunc(ConsentFields, func(f Field) bool { return f.Name == kind })
	if at < 0 {
		l.Add("kind", "is %q; allowed is film or health", clip(kind))
	} else {
		fault.OneOf(&l, kind, answer, append(slices.Clone(ConsentFields[at].Choices), ConsentWithdrawn))
	}
	if err := l.Err(); err != nil {
		return err
	}
	err := a.store.Tx(ctx, func(q *db.Queries) error {
		if err := q.AddConsent(ctx, db.AddConsentParams{ShopID: who.ShopID, RunnerID: runnerID, Kind: kind, Answer: answer, MadeBy: who.UserID, MadeAt: a.Now()}); err != nil {
			return err
		}
		if kind == HealthConsent && (answer == ConsentNo || answer == ConsentWithdrawn) {
			return forgetHealth(ctx, q, who.ShopID, runnerID, answer == ConsentWithdrawn)
		}
		return nil
	})
	if err == nil && kind == FilmConsent && (answer == ConsentNo || answer == ConsentWithdrawn) {
		err = a.forgetFilms(ctx, who.ShopID, runnerID)
	}
	return err
}

// forgetHealth deletes a runner's health answers, and what decisions say of them.
func forgetHealth(ctx context.Context, q *db.Queries, shopID, runnerID uint64, openToo bool) error {
	if err := q.DeleteFindingsOfRunner(ctx, db.DeleteFindingsOfRunnerParams{RunnerID: runnerID, ShopID: shopID, OpenToo: openToo, Names: healthNames}); err != nil {
		return err
	}
	rows, err := q.DecisionsOfRunner(ctx, db.DecisionsOfRunnerParams{RunnerID: runnerID, ShopID: shopID, OpenToo: openToo})
	if err != nil {
		return err
	}
	for _, d := range rows {
		p := db.RewriteDecisionParams{Basis: []byte("{}"), Reason: d.Reason, ID: d.ID, ShopID: shopID}
		switch {
		case d.Kind == ReferOverride && d.Reason != "":
			p.Reason = "deleted with the health answers"
		case d.Kind == Chosen && d.Value != "":
			var b Basis
			if err := json.Unmarshal(d.Basis, &b); err != nil {
				return err
			}
			b.Support.ForgetHealth()
			if p.Basis, err = json.Marshal(b); err != nil {
				return err
			}
		}
		if err := q.RewriteDecision(ctx, p); err != nil {
			return err
		}
	}
	return nil
}

// forgetFilms deletes a runner's frames, stills and pictures of prints.
func (a *App) forgetFilms(ctx context.Context, shopID, runnerID uint64) error {
	films, err := a.store.FramesOfRunner(ctx, db.FramesOfRunnerParams{RunnerID: runnerID, ShopID: shopID})
	if err != nil {
		return err
	}
	for _, id := range films {
		if err := a.dropFrames(ctx, id); err != nil {
			return err
		}
	}
	kinds := []string{printKind, stillKind}
	pictures, err := a.store.PicturesOfRunner(ctx, db.PicturesOfRunnerParams{RunnerID: runnerID, ShopID: shopID, Kinds: kinds})
	if err != nil {
		return err
	}
	for _, id := range pictures {
		a.images.drop(id)
	}
	return a.store.DeletePicturesOfRunner(ctx, db.DeletePicturesOfRunnerParams{RunnerID: runnerID, ShopID: shopID, Kinds: kinds})
}

// tidyHealth deletes the health answers whose year is over.
func (a *App) tidyHealth(ctx context.Context) error {
	rows, err := a.store.RunOutConsents(ctx, a.Now().AddDate(-1, 0, 0))
	if err != nil {
		return err
	}
	for _, r := range rows {
		if err := a.store.Tx(ctx, func(q *db.Queries) error { return forgetHealth(ctx, q, r.ShopID, r.RunnerID, false) }); err != nil {
			return err
		}
	}
	return nil
}

// checkKeep refuses to keep a film or a picture that the runner said no to.
func (f *Fit) checkKeep(field string, keep bool) error {
	if c := f.Consents[FilmConsent]; keep && c.Refused() {
		return fault.List{{Field: field, Text: "is yes, which contradicts the runner's no of " + c.MadeAt.Local().Format("2 January 2006") + "; take no, or change that answer at Hello first"}}
	}
	return nil
}

// KeepAnswer is what the question of keeping a film begins with: what the runner said
// at Hello, empty where nothing was.
func (f *Fit) KeepAnswer() string {
	c, asked := f.Consents[FilmConsent]
	switch {
	case !asked:
		return ""
	case c.Refused():
		return "no"
	}
	return "yes"
}

// HasHealth says whether the fit holds health answers that need a consent to stay:
// 'asked, none' tells of nobody.
func (f *Fit) HasHealth() bool {
	list, half := f.Complaints()
	return len(f.Flags()) > 0 || list != nil && len(*list) > 0 || half > 0 || f.Text("complaints", "", 0) == "some" || f.Text("treated", "", 0) == "yes"
}

// ComplaintWhen is when a complaint comes, by its row; empty where it was not told.
func (f *Fit) ComplaintWhen(place term.Place) string {
	for i := 1; i <= ComplaintRows; i++ {
		if term.Place(f.Text("complaint_place", "", i)) == place {
			return f.Text("complaint_when", "", i)
		}
	}
	return ""
}
