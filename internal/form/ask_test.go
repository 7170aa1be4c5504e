package form

import "testing"

func TestAsk(t *testing.T) {
	for said, want := range map[string]string{
		"is 0 km; allowed is 0.1 km to 300 km":                       "enter a distance from 0.1 to 300 km, not 0 km",
		"is missing; allowed is 0.1 km to 300 km":                    "enter a distance from 0.1 to 300 km",
		`is ""; allowed is a day up to today, such as 2026-11-28`:    "enter a date up to today, such as 2026-11-28",
		`is "soon"; allowed is a day such as 2026-11-24`:             `enter a date such as 2026-11-24, not "soon"`,
		"is not a number; allowed is 180 mm to 340 mm":               "enter a length from 180 to 340 mm; this is not a number",
		"is missing; allowed is 0 to 10":                             "enter a number from 0 to 10",
		"is 2 letters long; allowed is 10 to 1000":                   "write 10 to 1000 letters; this is 2 letters long",
		`is "wild"; allowed is one of under, neutral`:                `choose one of under, neutral, not "wild"`,
		"is missing; allowed is one of men, women, youth":            "choose one of men, women, youth",
		"is after today; allowed is up to 2026-11-28":                "enter a date up to 2026-11-28; this is after today",
		"was set aside for running on 2026-01-02; choose one in use": "was set aside for running on 2026-01-02; choose one in use",
		"is missing; allowed is 1 to 120 letters":                    "write something, 120 letters at most",
		"is 300 km; allowed is 0.1 km to 7.3 km of this run":         "enter a distance from 0.1 to 7.3 km of this run, not 300 km",
		"is missing": "fill this in",
	} {
		if got := Ask(said); got != want {
			t.Errorf("%q: %q, want %q", said, got, want)
		}
	}
}
