package cli

import (
	"fmt"
	"io"
	"math"
	"sort"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/demo"
	"trevik/internal/device"
	"trevik/internal/practice"
)

// practiceAnswer is how the core itself does on invented runners.
type practiceAnswer struct {
	Schema      string             `json:"schema"`
	Runners     int                `json:"runners"`
	MeanError   map[string]float64 `json:"mean_error"` // of each reading, absolute
	WorstError  map[string]float64 `json:"worst_error"`
	LevelsRight float64            `json:"levels_right"` // share
	RoomWithin  float64            `json:"room_within"`  // share of the pairs that were found
	NoPair      int                `json:"no_pair"`
	Points      float64            `json:"points"` // mean, of 100
	Warnings    []fault.Warning    `json:"warnings"`
}

func (t *tool) practiceCmd() *cobra.Command {
	c := &cobra.Command{Use: "practice", Short: "How the core itself does on invented runners, against their truth", Args: cobra.NoArgs}
	n := c.Flags().Int("runners", 100, "how many")
	first := c.Flags().Uint64("seed", 1, "the first one's seed; the others follow")
	c.RunE = func(*cobra.Command, []string) error {
		if *n < 1 || *n > 1000 {
			return fault.List{{Field: "runners", Text: fmt.Sprintf("are %d; allowed are 1 to 1000", *n)}}
		}
		a, err := practiceAll(*n, *first)
		if err != nil {
			return err
		}
		return t.answer(a, func(w io.Writer) { practiceTable(w, a) })
	}
	return t.asJSON(c)
}

func practiceAll(n int, first uint64) (practiceAnswer, error) {
	a := practiceAnswer{Schema: "trevik.practice/v1", Runners: n, MeanError: map[string]float64{}, WorstError: map[string]float64{},
		Warnings: []fault.Warning{}}
	until, _ := time.Parse(time.DateOnly, lastDay) // a constant
	models := demo.Catalogue()
	count := map[string]int{}
	levels, rooms, pairs := 0, 0, 0
	for i := range n {
		x, err := device.NewRunner(first+uint64(i), until, device.TreadmillOptions{FPS: 120, Seconds: 3, Width: 400, Height: 300,
			Near: term.Left, Gait: "run"})
		if err != nil {
			return a, err
		}
		found, err := practice.ByCore(x, models)
		if err != nil {
			return a, fmt.Errorf("runner %d: %w", first+uint64(i), err)
		}
		s, err := practice.Against(x, found)
		if err != nil {
			return a, err
		}
		a.Points += s.Points / float64(n)
		for _, l := range s.Lines {
			switch {
			case l.What == "level of support":
				levels += int(l.Points)
			case found.RoomMM != nil && l.Unit == "mm" && l.Error == nil:
				pairs++
				rooms += int(l.Points)
			}
			if l.Error == nil {
				continue
			}
			what := l.What
			for _, side := range term.Sides {
				if len(what) > len(side) && what[:len(side)] == string(side) {
					what = what[len(side)+1:]
				}
			}
			count[what]++
			a.MeanError[what] += math.Abs(*l.Error)
			a.WorstError[what] = math.Max(a.WorstError[what], math.Abs(*l.Error))
		}
	}
	for what, k := range count {
		a.MeanError[what] = units.Round(a.MeanError[what]/float64(k), 4)
	}
	a.LevelsRight, a.Points, a.NoPair = units.Round(float64(levels)/float64(n), 3), units.Round(a.Points, 1), n-pairs
	if pairs > 0 {
		a.RoomWithin = units.Round(float64(rooms)/float64(pairs), 3)
	}
	return a, nil
}

func practiceTable(w io.Writer, a practiceAnswer) {
	tw := tabwriter.NewWriter(w, 0, 8, 2, ' ', 0)
	fmt.Fprintln(tw, "READING\tMEAN ERROR\tWORST")
	var names []string
	for what := range a.MeanError {
		names = append(names, what)
	}
	sort.Strings(names)
	for _, what := range names {
		fmt.Fprintf(tw, "%s\t%.4g\t%.4g\n", what, a.MeanError[what], a.WorstError[what])
	}
	tw.Flush()
	fmt.Fprintf(w, "%d runners: levels right %.0f %%, room within the window %.0f %% (%d without a pair), %.1f of 100 points\n", a.Runners,
		100*a.LevelsRight, 100*a.RoomWithin, a.NoPair, a.Points)
}
