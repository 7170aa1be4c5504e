package units_test

import (
	"regexp"
	"strings"
	"testing"

	"trevik/internal/core/units"
)

func TestSay(t *testing.T) {
	for text, want := range map[string]string{
		"Its drop is 4 mm lower than now.":                       "Its drop is 0.16 in lower than now.",
		"drop 9 mm: -1 mm against now, heel asks for 9 to 12 mm": "drop 0.35 in: -0.04 in against now, heel asks for 0.35 to 0.47 in",
		"+2.5 mm against now":                                    "+0.10 in against now",
		"503 km run count as 523 wear-adjusted km.":              "312.5 mi run count as 325 wear-adjusted mi.",
		"8 in ten last 396 to 819 wear-adjusted km.":             "8 in ten last 246.1 to 508.9 wear-adjusted mi.",
		"262.5 ± 0.7 mm, and 26.25 cm":                           "10.33 ± 0.03 in, and 10.33 in",
		"UK 9, leaves 7.6 mm; under 8 mm is never offered.":      "UK 9, leaves 0.30 in; under 0.31 in is never offered.",
		"0.265 EUR per km over its life; 12 cents a km":          "0.426 EUR per mi over its life; 19 cents a mi",
		"0.19 EUR per km over its life of some 620 km":           "0.31 EUR per mi over its life of some 385.3 mi",
		"Over 30 km a week 20 % at most. Effective km count.":    "Over 18.6 mi a week 20 % at most. Effective mi count.",
		"12 km/h, for km after km":                               "7.5 mph, for mi after mi",
		`is "5 km"; allowed is 1 to 3 km`:                        `is "5 km"; allowed is 0.6 to 1.9 mi`,
		"“my 10 km”, 10 km away":                                 "“my 10 km”, 6.2 mi away",
		"−3 mm":                                                  "-0.12 in",
		"nothing of all that, km2":                               "nothing of all that, km2",
		"a comma; 5 min and 3 weeks":                             "a comma; 5 min and 3 weeks",
	} {
		if got := units.Imperial.Say(text); got != want {
			t.Errorf("%q:\n is   %q\n want %q", text, got, want)
		}
		if got := units.Metric.Say(text); got != text {
			t.Errorf("%q becomes %q in mm", text, got)
		}
	}
}

// Whatever is said, no metric unit is left outside quotation marks, and saying it again changes
// nothing more.
func FuzzSay(f *testing.F) {
	f.Add("5 mm")
	f.Add("1 to 2 km of 3 km/h")
	f.Add("- 99999999999999999999999999 wear-adjusted km")
	left := regexp.MustCompile(`\b(mm|km)\b`)
	f.Fuzz(func(t *testing.T, text string) {
		once := units.Imperial.Say(text)
		if !strings.ContainsAny(text, "\"“”") && left.MatchString(once) || units.Imperial.Say(once) != once {
			t.Errorf("%q becomes %q", text, once)
		}
	})
}
