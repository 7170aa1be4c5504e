package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"trevik/internal/app"
	"trevik/internal/app/suite"
)

func (t *tool) userCmd() *cobra.Command {
	parent := &cobra.Command{Use: "user", Short: "The people of a shop"}
	parent.AddCommand(t.userAddCmd(), t.userListCmd())
	for _, c := range []struct {
		use, short string
		role       bool
		stdin      bool
		do         func(ctx context.Context, a *suite.Suite, shop app.Actor, id uint64, typed string) error
	}{
		{use: "password", short: "Give a person a new password, read from standard input; every session of theirs ends", stdin: true,
			do: func(ctx context.Context, a *suite.Suite, shop app.Actor, id uint64, typed string) error {
				return a.People.SetPassword(ctx, shop, id, typed)
			}},
		{use: "role", short: "Give a person another role", role: true,
			do: func(ctx context.Context, a *suite.Suite, shop app.Actor, id uint64, typed string) error {
				return a.People.SetRole(ctx, shop, id, app.Role(typed))
			}},
		{use: "disable", short: "Bar a person from signing in; they are out at once",
			do: func(ctx context.Context, a *suite.Suite, shop app.Actor, id uint64, _ string) error {
				return a.People.SetDisabled(ctx, shop, id, true)
			}},
		{use: "enable", short: "Let a person sign in again",
			do: func(ctx context.Context, a *suite.Suite, shop app.Actor, id uint64, _ string) error {
				return a.People.SetDisabled(ctx, shop, id, false)
			}},
		{use: "end-sessions", short: "Sign a person out everywhere",
			do: func(ctx context.Context, a *suite.Suite, shop app.Actor, id uint64, _ string) error {
				return a.People.EndSessions(ctx, shop, id)
			}},
		{use: "reset-second", short: "Take a person's second factor away, for who lost it and the codes on paper",
			do: func(ctx context.Context, a *suite.Suite, shop app.Actor, id uint64, _ string) error {
				return a.People.ResetSecond(ctx, shop, id)
			}},
	} {
		cmd := &cobra.Command{Use: c.use, Short: c.short, Args: cobra.NoArgs}
		dsn := dsnFlag(cmd)
		login := cmd.Flags().String("login", "", "what they sign in with")
		_ = cmd.MarkFlagRequired("login") // the flag is there
		typed := new(string)
		if c.role {
			typed = cmd.Flags().String("role", "", "owner, fitter or trainee")
			_ = cmd.MarkFlagRequired("role") // the flag is there
		}
		cmd.RunE = func(cmd *cobra.Command, _ []string) error {
			s, err := open(*dsn)
			if err != nil {
				return err
			}
			defer s.Close()
			if c.stdin {
				if *typed, err = t.line(); err != nil {
					return err
				}
			}
			a := suite.New(s, time.Now, slog.New(slog.DiscardHandler))
			id, shop, err := a.People.ByLogin(cmd.Context(), *login)
			if err != nil {
				return err
			}
			if err := c.do(cmd.Context(), a, shop, id, *typed); err != nil {
				return err
			}
			if err := a.Audit(cmd.Context(), shop, app.Entry{Did: app.OfAccount, What: "trevik user " + c.use,
				Subject: fmt.Sprintf("person %d", id)}); err != nil {
				return err
			}
			_, err = fmt.Fprintln(t.out, "done")
			return err
		}
		parent.AddCommand(cmd)
	}
	return parent
}

// line reads one line of standard input, such as a password.
func (t *tool) line() (string, error) {
	line, err := bufio.NewReader(io.LimitReader(t.in, 1000)).ReadString('\n')
	if err != nil && err != io.EOF {
		return "", err
	}
	return strings.TrimRight(line, "\r\n"), nil
}

func (t *tool) userListCmd() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "List the people of a shop", Args: cobra.NoArgs}
	dsn := dsnFlag(c)
	shop := c.Flags().String("shop", "", "the shop's name")
	_ = c.MarkFlagRequired("shop") // the flag is there
	c.RunE = func(c *cobra.Command, _ []string) error {
		a, who, done, err := inShop(c.Context(), *dsn, *shop)
		if err != nil {
			return err
		}
		defer done()
		list, err := a.People.All(c.Context(), who)
		if err != nil {
			return err
		}
		w := tabwriter.NewWriter(t.out, 0, 4, 2, ' ', 0)
		fmt.Fprintln(w, "login\tname\trole\tsessions\taddresses\tsecond factor\tbarred")
		for _, p := range list {
			barred, second := "", ""
			if !p.DisabledAt.IsZero() {
				barred = p.DisabledAt.Format(time.DateOnly)
			}
			if p.Second {
				second = "yes"
			}
			fmt.Fprintf(w, "%s\t%s\t%s\t%d\t%d\t%s\t%s\n", p.Login, p.Name, p.Role, p.Sessions, p.Links, second, barred)
		}
		return w.Flush()
	}
	return c
}

func (t *tool) userAddCmd() *cobra.Command {
	c := &cobra.Command{Use: "add", Short: "Add a person to a shop; the password is read from standard input", Args: cobra.NoArgs,
		Example: "  trevik user add --shop 'The Fitting Loft' --name 'Teal Marsh' --login teal --role fitter < password.txt"}
	dsn := dsnFlag(c)
	shop := c.Flags().String("shop", "", "the shop's name; it is made when it is new")
	currency := c.Flags().String("currency", "EUR", "the currency of a new shop")
	name := c.Flags().String("name", "", "the person's name")
	login := c.Flags().String("login", "", "what they sign in with")
	role := c.Flags().String("role", "fitter", "owner, fitter or trainee")
	for _, f := range []string{"shop", "name", "login"} {
		_ = c.MarkFlagRequired(f) // the flags are there
	}
	c.RunE = func(c *cobra.Command, _ []string) error {
		s, err := open(*dsn)
		if err != nil {
			return err
		}
		defer s.Close()
		password, err := t.line()
		if err != nil {
			return err
		}
		a := suite.New(s, time.Now, slog.New(slog.DiscardHandler))
		id, err := a.People.ShopNamed(c.Context(), *shop)
		if errors.Is(err, app.ErrNotFound) {
			id, err = a.People.AddShop(c.Context(), *shop, *currency)
		}
		if err != nil {
			return err
		}
		who, err := a.People.AddUser(c.Context(), id, *name, *login, password, app.Role(*role))
		if err == nil {
			fmt.Fprintf(t.out, "%s is now %s of %s\n", who.Name, who.Role, who.Shop)
		}
		return err
	}
	return c
}
