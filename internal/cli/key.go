package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"time"

	"github.com/spf13/cobra"

	"trevik/internal/app/suite"
	"trevik/internal/core/fault"
	"trevik/internal/seal"
	"trevik/internal/store"
)

// keyFileVariable names the file of the owner's key.
const keyFileVariable = "TREVIK_KEY_FILE"

const keyHelp = "the file of the owner's key; " + keyFileVariable + " stands in for it"

// readKey reads the owner's key; a fault at the field otherwise.
func readKey(field, name string) (seal.Key, error) {
	k, err := seal.ReadKey(name)
	if err != nil {
		return k, fault.List{{Field: field, Text: err.Error()}}
	}
	return k, nil
}

// unlock opens what is sealed in a database by the key in a file. Without a file it fails where
// something is sealed.
func unlock(ctx context.Context, s *store.Store, file string) error {
	var err error
	if file == "" {
		err = s.NeedKey(ctx)
	} else {
		var k seal.Key
		if k, err = readKey("key", file); err == nil {
			err = s.Unlock(ctx, k, time.Now())
		}
	}
	if errors.Is(err, store.ErrNoKey) || errors.Is(err, store.ErrOtherKey) {
		return fault.List{{Field: "key", Text: err.Error()}}
	}
	return err
}

// unlockAgain is how often a database that is away is asked for its keys.
const unlockAgain = time.Second

// unlockSoon is unlock for a server, which starts while the database is away: until it answers,
// nothing is sealed or opened. What is wrong with the key then ends the server by stop.
func unlockSoon(ctx context.Context, s *store.Store, file string, stop context.CancelCauseFunc) error {
	err := unlock(ctx, s, file)
	if !store.IsAway(err) {
		return err
	}
	s.Wait()
	go func() {
		for store.IsAway(err) {
			select {
			case <-ctx.Done():
				return
			case <-time.After(unlockAgain):
			}
			err = unlock(ctx, s, file)
		}
		if err != nil {
			stop(err)
			return
		}
		s.Go()
	}()
	return nil
}

// demoKey opens the demo's database by a key of its own, made the first time.
func demoKey(ctx context.Context, s *store.Store, file string) error {
	_, err := os.Stat(file)
	if errors.Is(err, fs.ErrNotExist) {
		if err := s.NeedKey(ctx); err != nil {
			return fmt.Errorf("the demo's key, %s, %w", file, err)
		}
		err = writeNew(file, seal.NewKey().Text())
	}
	if err != nil {
		return err
	}
	return unlock(ctx, s, file)
}

// writeNew writes a file that its owner alone may read, and never over one that is there.
func writeNew(name, text string) error {
	f, err := os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = f.WriteString(text)
	if err == nil {
		err = f.Sync()
	}
	if closeErr := f.Close(); err == nil {
		err = closeErr
	}
	return err
}

func (t *tool) keyCmd() *cobra.Command {
	c := &cobra.Command{Use: "key", Short: "The owner's key, which seals films, pictures and health answers in the database",
		Long: "Films, pictures, tracks and health answers lie in the database sealed (AES-256-GCM) by keys that the owner's key seals.\n" +
			"The owner's key lies in a file, never in the database or in a backup: keep a copy of it apart. Without it what was\n" +
			"sealed is lost, and only that. Trevik reads the file that " + keyFileVariable + " names."}
	c.AddCommand(t.keyNewCmd(), t.keyRotateCmd(), t.keySealCmd(), t.keyForgetCmd(), t.keyStateCmd())
	return c
}

func (t *tool) keyNewCmd() *cobra.Command {
	c := &cobra.Command{Use: "new", Short: "Make a key, in a file of its own", Args: cobra.NoArgs}
	out := c.Flags().String("out", "", "the file to write; it must not be there yet")
	_ = c.MarkFlagRequired("out") // the flag is there
	c.RunE = func(*cobra.Command, []string) error {
		k := seal.NewKey()
		if err := writeNew(*out, k.Text()); err != nil {
			return fault.List{{Field: "out", Text: "cannot be written: " + err.Error()}}
		}
		_, err := fmt.Fprintf(t.out, "Key %s is in %s. Keep a copy apart from the database and its backups.\n", k.ID(), *out)
		return err
	}
	return c
}

// onDatabase gives a command a database that is at this program's state.
func (t *tool) onDatabase(c *cobra.Command, do func(context.Context, *store.Store) error) {
	dsn := dsnFlag(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		s, err := open(*dsn)
		if err != nil {
			return err
		}
		defer s.Close()
		return do(c.Context(), s)
	}
}

func (t *tool) keyRotateCmd() *cobra.Command {
	c := &cobra.Command{Use: "rotate", Short: "Put a new owner's key in the place of the one in use", Args: cobra.NoArgs,
		Long: "Seals the keys of the data by a new key, in one transaction; no row is touched. Servers that run go on with the keys\n" +
			"that they hold: start them again with the new file. With --fresh a new key of the data is made too, and everything is\n" +
			"sealed by it: for when the old key may have been seen. Stop the servers for that."}
	before := c.Flags().String("key", os.Getenv(keyFileVariable), "the file of the key in use; "+keyFileVariable+" stands in for it")
	after := c.Flags().String("new", "", "the file of the new key")
	fresh := c.Flags().Bool("fresh", false, "make a new key of the data too, and seal everything by it")
	_ = c.MarkFlagRequired("new") // the flag is there
	t.onDatabase(c, func(ctx context.Context, s *store.Store) error {
		was, err := readKey("key", *before)
		if err != nil {
			return err
		}
		k, err := readKey("new", *after)
		if err != nil {
			return err
		}
		n, err := s.Rekey(ctx, was, k)
		if errors.Is(err, store.ErrOtherKey) {
			return fault.List{{Field: "key", Text: err.Error()}}
		}
		if err != nil {
			return err
		}
		fmt.Fprintf(t.out, "%d keys of the data are sealed by key %s now.\n", n, k.ID())
		if !*fresh {
			return nil
		}
		if err := s.Unlock(ctx, k, time.Now()); err != nil {
			return err
		}
		if err := s.FreshDataKey(ctx, k, time.Now()); err != nil {
			return err
		}
		done, err := s.SealAll(ctx)
		fmt.Fprintf(t.out, "%d values were sealed by a new key of the data.\n", done)
		return err
	})
	return c
}

func (t *tool) keySealCmd() *cobra.Command {
	c := &cobra.Command{Use: "seal", Short: "Seal what stands in clear from before there was a key", Args: cobra.NoArgs,
		Long: "Seals, a few values at a time and while Trevik is used, what was written before there was a key."}
	file := c.Flags().String("key", os.Getenv(keyFileVariable), keyHelp)
	t.onDatabase(c, func(ctx context.Context, s *store.Store) error {
		k, err := readKey("key", *file)
		if err != nil {
			return err
		}
		if err := s.Unlock(ctx, k, time.Now()); err != nil {
			return fault.List{{Field: "key", Text: err.Error()}}
		}
		moved, err := suite.New(s, time.Now, slog.New(slog.DiscardHandler)).Transfer.HideAll(ctx)
		if err != nil {
			return err
		}
		n, err := s.SealAll(ctx)
		if err != nil {
			return err
		}
		_, err = fmt.Fprintf(t.out, "%d values were sealed.\n", n+moved)
		return err
	})
	return c
}

func (t *tool) keyForgetCmd() *cobra.Command {
	c := &cobra.Command{Use: "forget", Short: "Give up what is sealed by a key that was lost for good", Args: cobra.NoArgs,
		Long: "Deletes what is sealed: films, pictures, tracks and health answers. Everything else stays, and Trevik can be used\nagain. " +
			"There is no way back: make a backup first."}
	really := c.Flags().Bool("really", false, "the key is lost, and what it sealed shall go")
	t.onDatabase(c, func(ctx context.Context, s *store.Store) error {
		if !*really {
			return fault.List{{Field: "really", Text: "is missing; what is sealed is deleted by this, for good"}}
		}
		was, err := s.Forget(ctx, time.Now())
		if err != nil {
			return err
		}
		for _, x := range was {
			if x.Sealed > 0 {
				fmt.Fprintf(t.out, "%-18s %d gone\n", x.Table, x.Sealed)
			}
		}
		_, err = fmt.Fprintln(t.out, "Everything else is as it was. Make a new key before you go on.")
		return err
	})
	return c
}

func (t *tool) keyStateCmd() *cobra.Command {
	c := &cobra.Command{Use: "state", Short: "How much is sealed, by which key, and how much stands in clear", Args: cobra.NoArgs}
	t.onDatabase(c, func(ctx context.Context, s *store.Store) error {
		keys, err := s.DataKeys(ctx)
		if err != nil {
			return err
		}
		for _, k := range keys {
			fmt.Fprintf(t.out, "Key of the data of %s, sealed by key %s\n", k.MadeAt.Format("2 January 2006"), k.OwnerKey)
		}
		if len(keys) == 0 {
			fmt.Fprintln(t.out, "No key: what is written stands in clear.")
		}
		all, err := s.CountSealed(ctx)
		if err != nil {
			return err
		}
		for _, x := range all {
			fmt.Fprintf(t.out, "%-18s %8d sealed %8d in clear\n", x.Table, x.Sealed, x.Clear)
		}
		return nil
	})
	return c
}
