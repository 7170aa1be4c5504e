package wear

import "time"

// LookMonths is how long after a look, or after it was first worn, a pair is looked at again
// (house).
const LookMonths = 6

// NextLook is the day on which a pair is looked at again that was last looked at, or first
// worn, on a day; zero where that is not known.
func NextLook(last time.Time) time.Time {
	if last.IsZero() {
		return last
	}
	return last.AddDate(0, LookMonths, 0)
}
