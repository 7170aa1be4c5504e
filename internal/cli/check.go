package cli

import (
	"fmt"
	"log/slog"
	"time"
	"trevik/internal/app/suite"

	"github.com/spf13/cobra"
)

func (t *tool) checkCmd() *cobra.Command {
	c := &cobra.Command{Use: "check", Short: "Add up every runner's runs and their pairs' runs; they must agree to the metre", Args: cobra.NoArgs,
		Long: "Adds up, for every runner of a shop, all runs and beside them those in pairs and without one. Exits with 1 where they differ."}
	dsn := dsnFlag(c)
	shop := c.Flags().String("shop", "", "the shop's name")
	_ = c.MarkFlagRequired("shop") // the flag is there
	c.RunE = func(c *cobra.Command, _ []string) error {
		s, err := open(*dsn)
		if err != nil {
			return err
		}
		defer s.Close()
		a := suite.New(s, time.Now, slog.New(slog.DiscardHandler))
		id, err := a.People.ShopNamed(c.Context(), *shop)
		if err != nil {
			return err
		}
		n, drifts, err := a.Runs.Check(c.Context(), id)
		if err != nil {
			return err
		}
		for _, d := range drifts {
			fmt.Fprintln(t.err, d.Text)
		}
		if len(drifts) > 0 {
			return fmt.Errorf("%d sums differ", len(drifts))
		}
		_, err = fmt.Fprintf(t.out, "%d runs; all sums agree\n", n)
		return err
	}
	return c
}
