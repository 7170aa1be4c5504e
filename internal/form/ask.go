package form

import (
	"regexp"
	"strings"
)

// The shapes of what a fault says of a field: what it is, and what it may be.
var (
	allowed  = regexp.MustCompile(`^(?:(is|has|holds) (.+?)|(was .+?)); allowed is (.+)$`)
	nothing  = regexp.MustCompile(`^(missing|""|empty)$`)
	measured = regexp.MustCompile(`^(\S+) (\S+) to (\S+) (\S+)(.*)$`)
	numbers  = regexp.MustCompile(`^([\d.,-]+) to ([\d.,-]+)( .*)?$`)
)

// called is what a number with a unit is.
var called = map[string]string{"km": "a distance", "mi": "a distance", "mm": "a length", "in": "a length", "kg": "a weight",
	"g": "a weight", "°C": "a temperature", "h": "a number of hours", "days": "a number of days"}

// Ask turns what a fault says of a field, "is 0 km; allowed is 0.1 km to 300 km", into what to do at a
// form: "enter a distance from 0.1 to 300 km, not 0 km". A fault of another shape stays as it is.
func Ask(text string) string {
	m := allowed.FindStringSubmatch(text)
	if m == nil {
		if text == "is missing" {
			return "fill this in"
		}
		return text
	}
	is, want := m[2], m[4]
	do := "enter "
	switch {
	case strings.HasPrefix(want, "one of ") || strings.HasPrefix(want, "any of "):
		do = "choose "
	case strings.HasPrefix(want, `"`): // a name that a file has to bear
		return text
	case strings.HasPrefix(want, "the "):
		do = "choose "
	case strings.Contains(want, "PNG"):
		do, want = "choose ", "a PNG or JPEG picture"
	case strings.HasPrefix(want, "a day"):
		want = "a date" + strings.TrimPrefix(want, "a day")
	case strings.HasSuffix(is, " letters long"):
		return "write " + strings.TrimSuffix(want, " letters") + " letters; this " + m[1] + " " + is
	case strings.HasSuffix(want, " letters") && strings.Contains(want, " to "):
		return "write something, " + strings.TrimSuffix(want[strings.LastIndex(want, " to ")+4:], " letters") + " letters at most"
	case strings.HasPrefix(want, "up to ") && strings.Count(want, "-") == 2, strings.HasPrefix(want, "from ") && strings.Count(want, "-") == 2:
		want = "a date " + want
	default:
		want = quantity(want)
	}
	if m[3] != "" {
		return do + want + ": it " + m[3]
	}
	if nothing.MatchString(is) {
		return do + want
	}
	if m[1] != "is" || strings.HasPrefix(is, "not ") || strings.HasPrefix(is, "after ") || strings.HasPrefix(is, "before ") ||
		strings.HasPrefix(is, "no ") || strings.Contains(is, " long") {
		return do + want + "; this " + m[1] + " " + is
	}
	return do + want + ", not " + is
}

// quantity is a span with the name of what it measures and its unit once.
func quantity(want string) string {
	if m := measured.FindStringSubmatch(want); m != nil && m[2] == m[4] {
		want = m[1] + " to " + m[3] + " " + m[4] + m[5]
	}
	m := numbers.FindStringSubmatch(want)
	if m == nil {
		return want
	}
	name := "a number"
	unit, _, _ := strings.Cut(strings.TrimSpace(m[3]), " ")
	if c, ok := called[unit]; ok {
		name = c
	}
	return name + " from " + want
}
