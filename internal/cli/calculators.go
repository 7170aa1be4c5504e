package cli

import (
	"cmp"
	"fmt"
	"io"
	"strconv"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"trevik/internal/core/care"
	"trevik/internal/core/fault"
	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/rotation"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/core/tryon"
	"trevik/internal/core/wear"
)

func (t *tool) sizeCmd() *cobra.Command {
	var length, ball, htb, chart string
	c := &cobra.Command{Use: "size", Short: "A foot's size on every scale, from its millimetres", Args: cobra.NoArgs,
		Long: "Size one standing foot: Mondopoint, US, UK, EU, cm, width letter and last length.\nThe larger of the foot length and " +
			"heel-to-ball ÷ 0.73 decides.",
		Example: "  trevik size --foot-mm 262.5 --ball-mm 100 --chart men --json",
		RunE: func(c *cobra.Command, _ []string) error {
			var l fault.List
			number := func(flag, s string) *float64 {
				if !c.Flags().Changed(flag) {
					return nil
				}
				v, err := strconv.ParseFloat(s, 64)
				if err != nil {
					l.Add(strings.ReplaceAll(flag, "-", "_"), "is %q; allowed is a number of mm", s)
				}
				return &v
			}
			lengthMM, ballMM, htbMM := number("foot-mm", length), number("ball-mm", ball), number("heel-to-ball-mm", htb)
			if lengthMM == nil {
				l.Add("foot_mm", "is missing; give --foot-mm, %g to %g mm", foot.MinLengthMM, foot.MaxLengthMM)
			}
			if chart == "" {
				l.Add("chart", "is missing; give --chart men, women or youth")
			}
			if err := l.Err(); err != nil {
				return err
			}
			s, err := foot.SizeOf(term.Chart(chart), *lengthMM, ballMM, htbMM, t.house)
			if err != nil {
				return err
			}
			return t.answer(s, func(w io.Writer) { sizeTable(w, s) })
		}}
	c.Flags().StringVar(&length, "foot-mm", "", "standing foot length, mm")
	c.Flags().StringVar(&ball, "ball-mm", "", "ball width, mm")
	c.Flags().StringVar(&htb, "heel-to-ball-mm", "", "heel-to-ball length, mm")
	c.Flags().StringVar(&chart, "chart", "", "men, women or youth")
	return t.byHouse(t.asJSON(c))
}

func sizeTable(w io.Writer, s foot.Size) {
	width := "not measured"
	if s.Width != nil {
		width = *s.Width
	}
	table(w, [][2]string{
		{"US (" + string(s.Chart) + ")", fmt.Sprintf("%g", s.US)}, {"UK", fmt.Sprintf("%g", s.UK)}, {"EU", fmt.Sprintf("%g", s.EU)},
		{"Mondopoint", fmt.Sprintf("%g mm (%g cm)", s.MondopointMM, s.CM)}, {"Width", width}, {"Last", fmt.Sprintf("%.1f mm", s.LastMM)},
		{"Decided by", support.Words(s.DecidedBy)},
	})
	warnings(w, s.Warnings)
}

func (t *tool) supportCmd() *cobra.Command {
	return t.asJSON(&cobra.Command{Use: "support EVIDENCE.json", Short: "How much support, by four schools, from the evidence",
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			var e support.Evidence
			if err := t.read(args[0], &e); err != nil {
				return err
			}
			a, err := support.Decide(e)
			if err != nil {
				return err
			}
			return t.answer(a, func(w io.Writer) { supportTable(w, a) })
		}})
}

func supportTable(w io.Writer, a support.Answer) {
	if a.Refer {
		fmt.Fprintln(w, "For a clinician first; no level of support is given.")
	} else {
		rows := [][2]string{}
		for _, s := range term.Schools {
			rows = append(rows, [2]string{support.Words(string(s)), levelWords(a.Schools.Of(s).Level)})
		}
		rows = append(rows, [2]string{"Level (" + support.Words(string(a.Lead)) + " leads)", levelWords(a.Level)},
			[2]string{"To try", strings.Join(support.WordsOf(a.Spread), ", ")})
		table(w, rows)
		for _, s := range term.Schools {
			for _, r := range a.Schools.Of(s).Why {
				fmt.Fprintf(w, "  %s: %s\n", support.Words(string(s)), r.Text)
			}
		}
	}
	for _, r := range a.Why {
		fmt.Fprintln(w, " ", r.Text)
	}
	for _, c := range a.Conflicts {
		fmt.Fprintln(w, "Conflict:", c.Text)
	}
	fmt.Fprintf(w, "Confidence %.2f", a.Confidence)
	if len(a.Missing) > 0 {
		fmt.Fprintf(w, "; missing: %s", strings.Join(support.WordsOf(a.Missing), ", "))
	}
	fmt.Fprintln(w)
	warnings(w, a.Warnings)
}

func levelWords(l *term.Level) string {
	if l == nil {
		return "none given"
	}
	return support.Words(string(*l))
}

func (t *tool) matchCmd() *cobra.Command {
	return t.byHouse(t.asJSON(&cobra.Command{Use: "match REQUEST.json", Short: "Rank models for a runner, each with its size and room in mm",
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			var r match.Request
			if err := t.read(args[0], &r); err != nil {
				return err
			}
			r.House = t.house
			a, err := match.Rank(r)
			if err != nil {
				return err
			}
			return t.answer(a, func(w io.Writer) { matchTable(w, a) })
		}}))
}

func matchTable(w io.Writer, a match.Answer) {
	tw := tabwriter.NewWriter(w, 0, 8, 2, ' ', 0)
	fmt.Fprintln(tw, "MODEL\tSCORE\tLABEL\tROOM\tLEAST FOR")
	for _, r := range a.Ranked {
		fmt.Fprintf(tw, "%s\t%.3f\t%s\t%.1f mm\t%s\n", r.Model, r.Score, r.Size.Label, r.Size.RoomMM, support.Words(string(r.WorstKind)))
	}
	tw.Flush()
	for _, o := range a.RuledOut {
		fmt.Fprintf(w, "Ruled out: %s (%s). %s\n", o.Model, o.Reason, o.Text)
	}
	if len(a.TryOn) > 0 {
		fmt.Fprintln(w, "To try:", strings.Join(a.TryOn, ", "))
	}
	warnings(w, a.Warnings)
}

func (t *tool) tryonCmd() *cobra.Command {
	return t.asJSON(&cobra.Command{Use: "tryon COMPARISONS.json", Short: "Who leads a try-on, with what chance, and what to compare next",
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			var c tryon.Comparisons
			if err := t.read(args[0], &c); err != nil {
				return err
			}
			a, err := tryon.Compare(c)
			if err != nil {
				return err
			}
			return t.answer(a, func(w io.Writer) { tryonTable(w, a) })
		}})
}

func tryonTable(w io.Writer, a tryon.Answer) {
	tw := tabwriter.NewWriter(w, 0, 8, 2, ' ', 0)
	fmt.Fprintln(tw, "PAIR\tLOG STRENGTH\tCHANCE TO BE THE BEST")
	for _, r := range a.Ranked {
		fmt.Fprintf(tw, "%s\t%.2f ± %.2f\t%.0f %%\n", r.Pair, r.LogStrength, r.SD, 100*a.PBest[r.Pair])
	}
	tw.Flush()
	fmt.Fprintln(w, a.Why)
	if len(a.Next) == 2 && !a.Stop {
		fmt.Fprintf(w, "Next: %s against %s\n", a.Next[0], a.Next[1])
	}
	warnings(w, a.Warnings)
}

func (t *tool) rotateCmd() *cobra.Command {
	return t.asJSON(&cobra.Command{Use: "rotate WEEK.json", Short: "The best set of pairs for a week of runs, proven",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			var w rotation.Week
			if err := t.read(args[0], &w); err != nil {
				return err
			}
			if err := w.Named(); err != nil {
				return err
			}
			a, err := rotation.Solve(c.Context(), w)
			if err != nil {
				return err
			}
			return t.answer(a, func(out io.Writer) { rotateTable(out, w, a) })
		}})
}

func rotateTable(w io.Writer, week rotation.Week, a rotation.Answer) {
	tw := tabwriter.NewWriter(w, 0, 8, 2, ' ', 0)
	fmt.Fprintln(tw, "PART\tDAY\tKM\tPAIR")
	for _, p := range week.Parts {
		pair := a.Assign[p.ID]
		if pair == "" {
			pair = "not covered"
		}
		fmt.Fprintf(tw, "%s\t%s %s\t%.1f\t%s\n", p.ID, p.Day, p.Start, p.KM, pair)
	}
	tw.Flush()
	fmt.Fprintf(w, "%s: %.1f km covered, %d spent; buy %s\n", support.Words(a.Status), a.CoveredKM, a.Spent,
		cmp.Or(strings.Join(a.Buy, ", "), "nothing"))
	for _, p := range a.Curve {
		fmt.Fprintf(w, "With up to %d: %.1f km covered, %d spent\n", p.Pairs, p.CoveredKM, p.Spent)
	}
	for _, y := range a.Why {
		fmt.Fprintln(w, y)
	}
	warnings(w, a.Warnings)
}

func (t *tool) wearCmd() *cobra.Command {
	return t.byHouse(t.asJSON(&cobra.Command{Use: "wear PAIR.json", Short: "What is left of a pair, and when to order the next",
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			var p wear.Pair
			if err := t.read(args[0], &p); err != nil {
				return err
			}
			p.House = t.house
			a, err := wear.Assess(p)
			if err != nil {
				return err
			}
			return t.answer(a, func(w io.Writer) { wearTable(w, a) })
		}}))
}

func wearTable(w io.Writer, a wear.Answer) {
	when := func(s *string) string {
		if s == nil {
			return "no date"
		}
		return *s
	}
	table(w, [][2]string{
		{"State", support.Words(string(a.State))}, {"Run", fmt.Sprintf("%.1f km (%.1f wear-adjusted)", a.KM, a.EffectiveKM)},
		{"Earliest likely", fmt.Sprintf("%.0f km, %s", a.RemainingKM.P10, when(a.Dates.P10))},
		{"Left, even", fmt.Sprintf("%.0f km, %s", a.RemainingKM.P50, when(a.Dates.P50))},
		{"Latest likely", fmt.Sprintf("%.0f km, %s", a.RemainingKM.P90, when(a.Dates.P90))}, {"Order by", when(a.OrderBy)},
	})
	for _, y := range a.Why {
		fmt.Fprintln(w, " ", y)
	}
	warnings(w, a.Warnings)
}

func (t *tool) transitionCmd() *cobra.Command {
	return t.asJSON(&cobra.Command{Use: "transition CHANGE.json", Short: "Changing over to a very different shoe, week by week",
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			var c care.Change
			if err := t.read(args[0], &c); err != nil {
				return err
			}
			a, err := care.Plan(c)
			if err != nil {
				return err
			}
			return t.answer(a, func(w io.Writer) { transitionTable(w, a) })
		}})
}

func transitionTable(w io.Writer, a care.Transition) {
	switch {
	case a.Refused != nil:
		fmt.Fprintln(w, "Refused:", *a.Refused)
	case !a.Needed:
		fmt.Fprintf(w, "Size %.2f: no plan is needed\n", a.Size)
	default:
		tw := tabwriter.NewWriter(w, 0, 8, 2, ' ', 0)
		fmt.Fprintln(tw, "WEEK FROM\tPLAN'S WEEK\tSHARE\tNEW KM\tOLD KM")
		for _, x := range a.Weeks {
			again := ""
			if x.Repeat {
				again = " again"
			}
			fmt.Fprintf(tw, "%s\t%d%s\t%.0f %%\t%.1f\t%.1f\n", x.Starts, x.Step, again, 100*x.Share, x.KMNew, x.KMOld)
		}
		tw.Flush()
		if a.Ends != nil {
			fmt.Fprintln(w, "Ends", *a.Ends)
		}
		for _, r := range a.Rules {
			fmt.Fprintln(w, r)
		}
	}
	warnings(w, a.Warnings)
}

func table(w io.Writer, rows [][2]string) {
	tw := tabwriter.NewWriter(w, 0, 8, 2, ' ', 0)
	for _, r := range rows {
		fmt.Fprintf(tw, "%s\t%s\n", r[0], r[1])
	}
	tw.Flush()
}

func warnings(w io.Writer, list []fault.Warning) {
	for _, x := range list {
		fmt.Fprintf(w, "Note (%s): %s\n", x.Code, x.Text)
	}
}
