package app

import (
	"context"
	"time"

	"trevik/internal/core/foot"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

// Visit is an earlier measuring of the same feet.
type Visit struct {
	FitID uint64
	On    time.Time
	Feet  foot.Feet
}

// mostVisits is how many earlier visits stand behind the present one.
const mostVisits = 8

// EarlierFeet lists the runner's earlier visits at which a foot was measured, the
// earliest first.
func (a *App) EarlierFeet(ctx context.Context, who Actor, fit *Fit) ([]Visit, error) {
	rows, err := a.FitsOfRunner(ctx, who, fit.Runner.ID)
	if err != nil {
		return nil, err
	}
	var out []Visit
	for _, r := range rows {
		if r.ID == fit.ID || r.StartedAt.After(fit.StartedAt) || len(out) == mostVisits {
			continue
		}
		f, err := a.Fit(ctx, who, r.ID)
		if err != nil {
			return nil, err
		}
		if f.Measured() {
			out = append([]Visit{{r.ID, r.StartedAt, f.Feet()}}, out...)
		}
	}
	return out, nil
}

// Growing says whether the feet still grow, and when to measure them again.
func (f *Fit) Growing() (growing bool, again time.Time) {
	growing = f.Runner.Chart == term.Youth
	for _, flag := range f.Flags() {
		growing = growing || flag == support.ChildGrowing
	}
	return growing, f.StartedAt.AddDate(0, foot.RemeasureMonths, 0)
}
