// Package limits is what Trevik takes to be possible: what a form accepts, the computation
// accepts. Each limit that both hold to stands here once, in its canonical unit. They are wide
// (house): a world record lies within, a slip of the hand mostly does not.
package limits

import "trevik/internal/core/fault"

// Range is what is allowed, both ends included, in a unit.
type Range struct {
	Lo, Hi float64
	Unit   string
}

// Check notes a fault at a field unless a value is within the range.
func (r Range) Check(l *fault.List, field string, v float64) bool {
	return l.Range(field, v, r.Lo, r.Hi, r.Unit)
}

// Holds says whether a value is within the range.
func (r Range) Holds(v float64) bool { return v >= r.Lo && v <= r.Hi }

var (
	RunKM        = Range{0.1, 300, "km"}     // a run that is put down
	UsualKM      = Range{0.1, 100, "km"}     // a usual run
	WeekKM       = Range{0, 300, "km"}       // a week, told or on the board, in all
	LoadKM       = Range{0, 1500, "km"}      // wear-adjusted km of a week: the hardest ground and kind on all of it
	PairKM       = Range{1, 20000, "km"}     // wear-adjusted km of a pair in all
	RaceKM       = Range{0.1, 400, "km"}     //
	ChangeKM     = Range{1, 300, "km"}       // a week, while changing over
	KMBefore     = Range{0, 20000, "km"}     // what a pair ran before anybody counted
	SDLn         = Range{0, 2, ""}           // of ln of a distance
	Share        = Range{0, 1, ""}           //
	MedianLifeKM = Range{50, 5000, "km"}     //
	LiftingHours = Range{0.1, 2000, "hours"} // told at once
	LiftingSum   = Range{0, 20000, "hours"}  // of a pair in all
	Minutes      = Range{1, 1440, "minutes"} // of a run on the board
	RestHours    = Range{0, 168, "hours"}    // of a pair between two runs
	MassKg       = Range{20, 250, "kg"}      //
	MonthsAgo    = Range{0, 600, "months"}   // of a complaint
	TemperatureC = Range{-60, 60, "°C"}      //
	DropMM       = Range{-5, 20, "mm"}       // of the pair that is worn now
	StackMM      = Range{0, 70, "mm"}        //
	Navicular    = Range{-20, 40, "mm"}      // drop of the navicular
	RaceInDays   = Range{0, 3660, "days"}    //
	MoneyMinor   = Range{0, 1e7, "cents"}
	LabelUS      = Range{-3, 6, "sizes"} // what a maker's label adds to the UK figure for US
	LabelEU      = Range{-5, 5, "sizes"} // and to the chart's EU figure
)
