package desk

import (
	"fmt"
	"time"

	"trevik/internal/app/transfer"
	"trevik/internal/web/kit"
)

// sortWords name what may not stay.
var sortWords = map[transfer.Sort]string{
	transfer.LoosePictures: "Pictures of prints that nobody agreed to keep",
	transfer.LooseFilms:    "Films that nobody agreed to keep",
	transfer.OldFilms:      "Films that are kept",
	transfer.OldStills:     "Stills from films",
	transfer.HealthYears:   "Health answers agreed to for a year",
	transfer.WaitingFiles:  "Files that wait to be put in",
	transfer.ErasedRunners: "Runners to be erased",
}

// ruleWords say how long they stay.
var ruleWords = map[string]string{
	"two_hours": "two hours", "until_deleted": "until somebody deletes them", "one_year": "a year", "two_days": "two days",
	"when_asked": "some minutes",
}

type keptLine struct {
	transfer.Kept
	What, Stays string
}

type goneLine struct {
	Day    time.Time
	What   string
	Number int
	Oldest time.Time
}

type retentionView struct {
	Days int
	Kept []keptLine
	Gone []goneLine
	Late bool
}

// retention is what a shop keeps of what may not stay, and what went.
func (d *Desk) retention(c *kit.Req) error {
	r, err := d.App.Transfer.Retention(c.Ctx(), c.Who, transfer.RetentionDays)
	if err != nil {
		return err
	}
	v := retentionView{Days: r.Days}
	for _, k := range r.Kept {
		stays, ok := ruleWords[k.Rule]
		if !ok {
			stays = fmt.Sprintf("%d days", r.Films)
		}
		for _, at := range []*time.Time{k.Oldest, k.Goes} {
			if at != nil {
				*at = c.Who.In(*at)
			}
		}
		v.Kept, v.Late = append(v.Kept, keptLine{k, sortWords[k.Sort], stays}), v.Late || k.Late
	}
	for _, g := range r.Gone {
		day, err := time.Parse(time.DateOnly, g.Day)
		if err != nil {
			return err
		}
		v.Gone = append(v.Gone, goneLine{day, sortWords[g.Sort], g.Number, c.Who.In(g.Oldest)})
	}
	return d.page(c, "What goes, and when", "retention", v)
}
