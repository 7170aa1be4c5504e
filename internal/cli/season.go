package cli

import (
	"cmp"
	"fmt"
	"io"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"trevik/internal/core/season"
)

func (t *tool) seasonCmd() *cobra.Command {
	return t.asJSON(&cobra.Command{Use: "season PLAN.json", Args: cobra.ExactArgs(1),
		Short: "From this week to the race: which pair when, what to order by when, the chance",
		RunE: func(c *cobra.Command, args []string) error {
			var p season.Plan
			if err := t.read(args[0], &p); err != nil {
				return err
			}
			a, err := season.Look(c.Context(), p, nil)
			if err != nil {
				return err
			}
			return t.answer(a, func(out io.Writer) { seasonTable(out, a) })
		}})
}

// weekWords are a quantile's three weeks.
func weekWords(w season.Weeks) string {
	words := make([]string, 0, 3)
	for _, v := range []*int{w.P10, w.P50, w.P90} {
		if v == nil {
			words = append(words, "after")
		} else {
			words = append(words, fmt.Sprint(*v))
		}
	}
	return strings.Join(words, " / ")
}

func seasonTable(w io.Writer, a season.Answer) {
	tw := tabwriter.NewWriter(w, 0, 8, 2, ' ', 0)
	fmt.Fprintln(tw, "WEEK\tSTARTS\tKM\tCOVERED\tSPENT")
	for i, k := range a.Weeks {
		fmt.Fprintf(tw, "%d\t%s\t%.1f\t%.1f %%\t%.0f\n", k.Week, k.Starts, k.KM, 100*k.Covered, a.SpentByWeek[i])
	}
	fmt.Fprintln(tw, "\nPAIR\tCOPY\tORDERED IN WEEK\tENDS IN WEEK\tKM")
	for _, p := range a.Pairs {
		orders := map[int]season.Order{}
		for _, o := range p.Orders {
			orders[o.Copy] = o
		}
		for _, c := range p.Copies {
			ordered := ""
			if o, ok := orders[c.Copy]; ok {
				ordered = fmt.Sprintf("%d / %d / %d (%.0f %%)", o.P10, o.P50, o.P90, 100*o.Chance)
			}
			fmt.Fprintf(tw, "%s\t%d\t%s\t%s\t%.1f\n", p.ID, c.Copy, ordered, weekWords(c.Ends), c.KM)
		}
	}
	tw.Flush()
	for _, r := range a.Races {
		pair := "no pair"
		if r.Pair != nil {
			pair = *r.Pair
		}
		fmt.Fprintf(w, "Race of %s: ready with %.1f %% ± %.1f, mostly in %s (%.0f %%). %s\n", r.Date, 100*r.Ready, 100*r.ReadySE, pair,
			100*r.PairChance, strings.Join(r.Why, " "))
	}
	fmt.Fprintf(w, "Spent %d / %d / %d; %s; %.1f %% of the km covered.\n", a.Spent.P10, a.Spent.P50, a.Spent.P90,
		cmp.Or(shortWords(a.Short), "money enough"), 100*a.Covered)
	warnings(w, a.Warnings)
}

func shortWords(short float64) string {
	if short == 0 {
		return ""
	}
	return fmt.Sprintf("%.2f copies that the money is not there for", short)
}
