package cli

import (
	"errors"
	"fmt"

	"trevik/internal/app"

	"github.com/spf13/cobra"
)

func (t *tool) checkCmd() *cobra.Command {
	c := &cobra.Command{Use: "check", Short: "Look through every runner's runs and the buying list for sums that cannot be",
		Args: cobra.NoArgs,
		Long: `Looks, for every runner of a shop, for a run that counts beside a part of it, parts that come to more than their whole,
a run in a pair that is not its runner's, and a run that is there twice; and for a buying list that is not what the orders add
up to; and for an audit log that was touched. Exits with 1 where something is wrong.`}
	dsn := dsnFlag(c)
	shop := c.Flags().String("shop", "", "the shop's name")
	_ = c.MarkFlagRequired("shop") // the flag is there
	c.RunE = func(c *cobra.Command, _ []string) error {
		a, who, done, err := inShop(c.Context(), *dsn, *shop)
		if err != nil {
			return err
		}
		defer done()
		id := who.ShopID
		n, wrong, err := a.Runs.Check(c.Context(), id)
		if err != nil {
			return err
		}
		sums, err := a.Due.Check(c.Context(), id)
		if err != nil {
			return err
		}
		wrong = append(wrong, sums...)
		entries, err := a.CheckAudit(c.Context(), id)
		if errors.Is(err, app.ErrAudit) {
			wrong = append(wrong, err.Error())
		} else if err != nil {
			return err
		}
		for _, text := range wrong {
			fmt.Fprintln(t.err, text)
		}
		if len(wrong) > 0 {
			return fmt.Errorf("%d things are not as they should be", len(wrong))
		}
		_, err = fmt.Fprintf(t.out, "%d runs, all sums agree; %d entries of the audit log, all seals hold\n", n, entries)
		return err
	}
	return c
}
