package cli

import (
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"trevik/internal/core/fault"
	"trevik/internal/core/learn"
	"trevik/internal/device"
	"trevik/internal/practice"
)

func (t *tool) learnLifeCmd() *cobra.Command {
	return t.byHouse(t.asJSON(&cobra.Command{Use: "learn-life PAIRS.json",
		Short: "How long a shop's own pairs last, by class, model and runner",
		Args:  cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			var l learn.Lives
			if err := t.read(args[0], &l); err != nil {
				return err
			}
			a, err := l.Learn(t.house)
			if err != nil {
				return err
			}
			return t.answer(a, func(out io.Writer) { lifeTable(out, a) })
		}}))
}

func lifeTable(w io.Writer, a learn.LifeAnswer) {
	tw := tabwriter.NewWriter(w, 0, 8, 2, ' ', 0)
	row := func(kind, name string, s learn.Span, format string, c learn.Counts) {
		fmt.Fprintf(tw, "%s\t%s\t"+format+"\t"+format+"\t"+format+"\t%d\t%d\t%d\t%.0f %%\n", kind, name, s.P10, s.P50, s.P90, c.WornOut, c.InUse,
			c.Other, 100*c.Prior)
	}
	fmt.Fprintln(tw, "\t\tP10\tP50\tP90\tWORN OUT\tIN USE\tOTHER\tOF THE PRIOR")
	for _, c := range a.Classes {
		row("class", string(c.Class), c.Median, "%.0f", c.Counts)
	}
	for _, m := range a.Models {
		row("model", m.Model, m.Median, "%.0f", m.Counts)
	}
	for _, r := range a.Runners {
		row("runner", r.Runner, r.Factor, "%.2f", r.Counts)
	}
	tw.Flush()
	fmt.Fprintf(w, "From %d pairs, %d worn out, %d set apart.\n", a.Pairs, a.Ended, a.SetApart)
	warnings(w, a.Warnings)
}

func (t *tool) learnLikingCmd() *cobra.Command {
	return t.byHouse(t.asJSON(&cobra.Command{Use: "learn-liking TRYONS.json",
		Short: "Which marks a shop's runners care about, beside the house's",
		Args:  cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			var l learn.TryOns
			if err := t.read(args[0], &l); err != nil {
				return err
			}
			a, err := l.Learn(t.house)
			if err != nil {
				return err
			}
			return t.answer(a, func(out io.Writer) { likingTable(out, a) })
		}}))
}

func likingTable(w io.Writer, a learn.LikingAnswer) {
	tw := tabwriter.NewWriter(w, 0, 8, 2, ' ', 0)
	fmt.Fprintln(tw, "MARK\tHOUSE\tLEARNED\t±")
	for _, x := range a.Weights {
		fmt.Fprintf(tw, "%s\t%.3f\t%.3f\t%.3f\n", x.Mark, x.House, x.Learned, x.SD)
	}
	tw.Flush()
	better := "no better than the house's so far"
	if a.Better {
		better = "better than the house's"
	}
	fmt.Fprintf(w, "From %d try-ons, %d with two pairs or more; decided by %.2f. Loss %.4f by the house's, %.4f learned (%.4f ± %.4f): %s.\n",
		a.TryOns, a.WithTwo, a.Scale, a.Loss.House, a.Loss.Learned, a.Loss.Difference, a.Loss.SE, better)
	fmt.Fprintf(w, "The chosen pair came first in %d and %d of %d, among three in %d and %d of %d.\n", a.Hits.House.First,
		a.Hits.Learned.First, a.Hits.House.OfFirst, a.Hits.House.Three, a.Hits.Learned.Three, a.Hits.House.OfThree)
	warnings(w, a.Warnings)
}

func (t *tool) simulateShop() *cobra.Command {
	c := &cobra.Command{Use: "shop", Short: "An invented shop: pairs.json, tryons.json, promises.json, truth.json", Args: cobra.NoArgs,
		Long: "An invented shop's pairs, try-ons, and what was promised and came, with the truth beside them. With --check so many\nshops are " +
			"invented and learned from instead, and it is printed how well that goes."}
	var o device.ShopOptions
	f := c.Flags()
	out := f.String("out", "", "the folder to write into")
	f.Uint64Var(&o.Seed, "seed", 1, "the same seed gives the same shop")
	f.IntVar(&o.Pairs, "pairs", 400, "how many pairs")
	f.IntVar(&o.TryOns, "tryons", 0, "how many try-ons; half as many as pairs when 0")
	f.BoolVar(&o.AsTold, "as-told", false, "its truth is exactly what the house figures say")
	check := f.Int("check", 0, "learn from so many invented shops instead, of 30 to 480 pairs where --pairs is not given")
	c.RunE = func(*cobra.Command, []string) error {
		if *check > 0 {
			sizes := []int{30, 60, 120, 240, 480}
			if f.Changed("pairs") {
				sizes = []int{o.Pairs}
			}
			return t.checkLearning(*check, sizes, o.Seed)
		}
		if *out == "" {
			return fault.List{{Field: "out", Text: "is missing; give the folder to write into"}}
		}
		s, err := device.NewShop(o)
		if err != nil {
			return err
		}
		if err := os.MkdirAll(*out, 0o755); err != nil {
			return fault.List{{Field: "out", Text: "cannot be made: " + err.Error()}}
		}
		for _, x := range []struct {
			name string
			v    any
		}{{"pairs.json", s.Lives}, {"tryons.json", s.TryOns}, {"promises.json", s.Promises}, {"truth.json", s.Truth}} {
			if err := writeJSON(filepath.Join(*out, x.name), x.v); err != nil {
				return err
			}
		}
		_, err = fmt.Fprintf(t.out, "%s: %d pairs, %d try-ons, %d promises, truth.json\n", *out, len(s.Lives.Pairs), len(s.TryOns.TryOns),
			len(s.Promises))
		return err
	}
	return c
}

func (t *tool) checkLearning(shops int, pairs []int, seed uint64) error {
	l, err := practice.CheckLearning(shops, pairs, seed, nil)
	if err != nil {
		return err
	}
	fmt.Fprintf(t.out, `%d shops: 80 %% intervals hold %.1f %%
of the gap in log loss %.0f %% closed by %d try-ons
'better' where the truth is the house's in %.1f %%
log score of unseen pairs less than the house's:
`, shops, 100*float64(l.Held)/float64(l.Intervals), 100*l.Closed/l.Gap, practice.ShopTryOns, 100*float64(l.FalseBetter)/float64(shops))
	tw := tabwriter.NewWriter(t.out, 0, 8, 2, ' ', 0)
	fmt.Fprintln(tw, "WORN OUT\tSHOPS\tBY\tWHERE THE TRUTH IS THE HOUSE'S")
	for at, from := range endedFrom {
		to := math.MaxInt
		if at+1 < len(endedFrom) {
			to = endedFrom[at+1]
		}
		n, gain, told := 0.0, 0.0, 0.0
		for i, ended := range l.Ended {
			if ended >= from && ended < to {
				n, gain, told = n+1, gain+l.Gain[i], told+l.GainAsTold[i]
			}
		}
		if n > 0 {
			fmt.Fprintf(tw, "from %d\t%.0f\t%.3f\t%.3f\n", from, n, gain/n, told/n)
		}
	}
	return tw.Flush()
}

// endedFrom are the numbers of pairs worn out from which shops are told apart.
var endedFrom = []int{0, 15, 30, 60, 120, 240}
