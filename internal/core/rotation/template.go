package rotation

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"trevik/internal/core/term"
	"trevik/internal/core/units"
)

// layout is where a week's runs go on the board (house): hard days apart, the long run on Sunday, and days
// that follow each other at one hour, so that a pair has its rest between them.
var layout = map[term.Kind]string{
	term.Long: "sun 09:00", term.Race: "sat 09:00", term.Tempo: "thu 18:30", term.Threshold: "thu 18:30", term.Intervals: "tue 18:30",
}

// easyDays take the runs that have no day of their own, in turn; where they are all taken there is room in
// the afternoon and the early morning.
var easyDays = []string{"wed 18:30", "sat 09:00", "mon 18:30", "fri 18:30", "thu 07:00", "tue 07:00"}

// usualRun is the length, km, of an easy run where nothing is told of days (house).
const usualRun = 10.0

// Lay puts the kinds of a week on days and hours, an easy distance over as many days as are left of days,
// shorter distances over fewer; days 0 is not told. Lifting is no run and is left out. Each part is a run of
// its own.
func Lay(week []Part, days int) []WeekPart {
	var out []WeekPart
	put := func(at string, p Part, km float64) {
		day, start, _ := strings.Cut(at, " ")
		n := len(out) + 1
		out = append(out, WeekPart{ID: fmt.Sprintf("run %d", n), Day: day, Start: start, KM: units.Round(km, 3), Kind: p.Kind, Ground: p.Ground})
	}
	taken := map[string]bool{}
	var easy []Part
	for _, p := range week {
		if p.Kind == term.Gym || p.KM <= 0 {
			continue
		}
		if at, own := layout[p.Kind]; own && !taken[at] {
			put(at, p, p.KM)
			taken[at] = true
		} else {
			easy = append(easy, p)
		}
	}
	// What is easy is run on the days that are left, and on a hard day only at its other end.
	var free, shared []string
	for _, at := range easyDays {
		same := false
		for t := range taken {
			same = same || t[:3] == at[:3]
		}
		switch {
		case !same:
			free = append(free, at)
		case at[:3] != "sat":
			shared = append(shared, at)
		}
	}
	slots := append(free, shared...)
	for _, hour := range []string{" 16:00", " 05:00"} {
		for _, d := range Days {
			slots = append(slots, d+hour)
		}
	}
	for i, n := range share(easy, days-len(out), days > 0) {
		for range n {
			if len(out) < mostRuns {
				put(slots[0], easy[i], easy[i].KM/float64(n))
				slots = slots[1:]
			}
		}
	}
	return out
}

// mostRuns are as many as a week that is laid out holds: one a day, and one more.
const mostRuns = 14

// share gives each part so many of the runs that are left: one at least, the next always to the part whose
// runs are the longest. Where no days are told a run is about as long as usual.
func share(parts []Part, left int, told bool) []int {
	n := make([]int, len(parts))
	sum := 0.0
	for i, p := range parts {
		n[i] = 1
		sum += p.KM
	}
	if !told {
		left = min(left+7, int(math.Ceil(sum/usualRun)))
	}
	for left -= len(parts); left > 0 && len(parts) > 0; left-- {
		longest := 0
		for i, p := range parts {
			if p.KM/float64(n[i]) > parts[longest].KM/float64(n[longest])+1e-9 {
				longest = i
			}
		}
		n[longest]++
	}
	return n
}

// templates are what a week is made of for each goal (house), as shares of its km from so
// many days on; the rest is easy.
var templates = map[Goal][]struct {
	kind  term.Kind
	share float64
	days  int
}{
	Health:  {},
	Faster:  {{term.Intervals, 0.18, 3}, {term.Tempo, 0.18, 4}, {term.Long, 0.28, 4}},
	Farther: {{term.Long, 0.38, 2}, {term.Middle, 0.25, 4}},
	ARace:   {{term.Long, 0.32, 3}, {term.Tempo, 0.18, 3}, {term.Intervals, 0.14, 5}},
}

// splitFrom is the shortest hard run, km, that a template splits.
const splitFrom = 5.0

// DaysFor is on how many days a template runs a weekly distance, km (house).
func DaysFor(km float64) int {
	for i, to := range []float64{9, 20, 35, 55, 80} {
		if km < to {
			return i + 2
		}
	}
	return 7
}

// Template sketches a plain week of km for a goal on a ground, on so many days (house):
// its hard runs come with warm-up, repetitions and cool-down.
func Template(goal Goal, km float64, days int, ground term.Ground) []WeekPart {
	days = min(7, max(1, days))
	left := km
	var week []Part
	for _, t := range templates[goal] {
		if days >= t.days {
			d := units.Round(t.share*km, 1)
			left -= d
			week = append(week, Part{t.kind, ground, d})
		}
	}
	if left > 0 {
		week = append(week, Part{term.Easy, ground, units.Round(left, 3)})
	}
	var out []WeekPart
	for _, p := range Lay(week, days) {
		if hard(p.Kind) && p.KM >= splitFrom {
			out = append(out, p.Split()...)
		} else {
			out = append(out, p)
		}
	}
	return out
}

func hard(k term.Kind) bool {
	return slices.Contains([]term.Kind{term.Tempo, term.Threshold, term.Intervals, term.Race}, k)
}

// House values of a run that is split.
const (
	warmUp, warmUpMost     = 0.25, 2.5 // of its km, and km
	coolDown, coolDownMost = 0.20, 2.0
)

// Split parts a run into warm-up, repetitions and cool-down: its km and minutes stay, one
// part begins where the other ends, and all are parts of the same run.
func (p WeekPart) Split() []WeekPart {
	begin, end := p.Times()
	a := units.Round(math.Min(warmUp*p.KM, warmUpMost), 1)
	c := units.Round(math.Min(coolDown*p.KM, coolDownMost), 1)
	a, c = math.Max(a, 0.1), math.Max(c, 0.1)
	if p.KM <= a+c+0.1 {
		return []WeekPart{p}
	}
	run := p.Run
	if run == "" {
		run = p.ID
	}
	var out []WeekPart
	at := begin
	for i, km := range []float64{a, units.Round(p.KM-a-c, 3), c} {
		part := p
		part.ID, part.Run, part.KM = fmt.Sprintf("%s.%d", p.ID, i+1), run, km
		if i != 1 {
			part.Kind = term.Easy
		}
		part.Day, part.Start = At(at)
		at += (end - begin) * km / p.KM
		// Whole minutes, so that parts touch where they are shown.
		at = math.Round(at)
		from, _ := WeekPart{Day: part.Day, Start: part.Start}.Times()
		if i == 2 {
			at = math.Round(end)
		}
		minutes := math.Max(1, math.Mod(at-from+weekMinutes, weekMinutes))
		part.Minutes = &minutes
		at = from + minutes
		out = append(out, part)
	}
	return out
}

// At is the day and time of day of a minute of the week.
func At(minute float64) (day, start string) {
	m := int(math.Round(minute)) % weekMinutes
	return Days[m/1440], fmt.Sprintf("%02d:%02d", m%1440/60, m%60)
}
