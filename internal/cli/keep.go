package cli

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"trevik/internal/app"
	"trevik/internal/app/suite"
	"trevik/internal/app/transfer"
	"trevik/internal/core/fault"
	"trevik/internal/store"
	"trevik/internal/store/privatedb"
)

func (t *tool) exportCmd() *cobra.Command {
	c := &cobra.Command{Use: "export", Short: "One runner, or the whole shop, as the documented JSON", Args: cobra.NoArgs,
		Long: "Writes to standard output, or to --out. Passwords, private addresses and the frames of films stay behind."}
	dsn := dsnFlag(c)
	shop := c.Flags().String("shop", "", "the shop's name")
	runner := c.Flags().Uint64("runner", 0, "one runner, by the number in the address of their page; else the whole shop")
	out := c.Flags().String("out", "", "the file to write; standard output when nothing is said")
	_ = c.MarkFlagRequired("shop") // the flag is there
	c.RunE = func(c *cobra.Command, _ []string) error {
		a, who, done, err := inShop(c.Context(), *dsn, *shop)
		if err != nil {
			return err
		}
		defer done()
		if err := a.Audit(c.Context(), who, app.Entry{Did: app.Exported, What: "trevik export", RunnerID: *runner}); err != nil {
			return err
		}
		// Written whole or not at all.
		var data bytes.Buffer
		if err := a.Transfer.Export(c.Context(), who.ShopID, *runner, &data); errors.Is(err, app.ErrNotFound) {
			return fault.List{{Field: "runner", Text: fmt.Sprintf("%d is not of this shop", *runner)}}
		} else if err != nil {
			return err
		}
		if *out == "" {
			_, err = t.out.Write(data.Bytes())
			return err
		}
		return writeWhole(*out, data.Bytes())
	}
	return c
}

// writeWhole writes a file so that it is there whole or not at all, and for its owner alone:
// it holds personal data.
func writeWhole(name string, data []byte) error {
	f, err := os.CreateTemp(filepath.Dir(name), ".trevik-*")
	if err != nil {
		return fault.List{{Field: "out", Text: "cannot be written: " + err.Error()}}
	}
	_, err = f.Write(data)
	if err == nil {
		err = f.Sync()
	}
	if closeErr := f.Close(); err == nil {
		err = closeErr
	}
	if err == nil {
		err = os.Rename(f.Name(), name)
	}
	if err != nil {
		_ = os.Remove(f.Name()) // what is half is of no use; the error tells why
	}
	return err
}

func (t *tool) importCmd() *cobra.Command {
	c := &cobra.Command{Use: "import FILE", Short: "Read a file of export back: all of it, or nothing", Args: cobra.ExactArgs(1),
		Long: "Reads into the shop of the person named by --as. What others did whom the shop does not have is entered as theirs."}
	dsn := dsnFlag(c)
	as := c.Flags().String("as", "", "what the person signs in with into whose shop it goes")
	_ = c.MarkFlagRequired("as") // the flag is there
	c.RunE = func(c *cobra.Command, args []string) error {
		s, err := opened(c.Context(), *dsn)
		if err != nil {
			return err
		}
		defer s.Close()
		a := suite.New(s, time.Now, slog.New(slog.DiscardHandler))
		who, err := a.People.ActorNamed(c.Context(), *as)
		if errors.Is(err, app.ErrNotFound) {
			return fault.List{{Field: "as", Text: fmt.Sprintf("%q is nobody's name here", *as)}}
		}
		if err != nil {
			return err
		}
		var data []byte
		if args[0] == "-" {
			data, err = io.ReadAll(io.LimitReader(t.in, transfer.MaxExport+1))
		} else {
			data, err = os.ReadFile(args[0])
		}
		if err != nil {
			return fault.List{{Field: "file", Text: "cannot be read: " + err.Error()}}
		}
		runners, err := a.Transfer.Import(c.Context(), who, data)
		if err != nil {
			return err
		}
		for _, id := range runners {
			if err := a.Audit(c.Context(), who, app.Entry{Did: app.Changed, What: "trevik import", RunnerID: id}); err != nil {
				return err
			}
			fmt.Fprintf(t.out, "runner %d\n", id)
		}
		return nil
	}
	return c
}

func (t *tool) backupCmd() *cobra.Command {
	c := &cobra.Command{Use: "backup", Short: "The whole database as one file, while it goes on being used, tried by restoring it",
		Args: cobra.NoArgs,
		Long: "Writes the database as it is at one moment, packed (SQL, gzip). Then the file is restored into a private\nserver of its own and " +
			"written out again: both must be the same to the byte, or the backup is not kept."}
	dsn := dsnFlag(c)
	out := c.Flags().String("out", "", "the file to write, such as trevik.sql.gz")
	trial := c.Flags().Bool("verify", true, "try the file by restoring it")
	_ = c.MarkFlagRequired("out") // the flag is there
	c.RunE = func(c *cobra.Command, _ []string) error {
		if *dsn == "" {
			return usageError{errors.New("dsn: is missing; give --dsn or TREVIK_DSN")}
		}
		var packed bytes.Buffer
		z := gzip.NewWriter(&packed)
		sum := sha256.New()
		if err := store.Backup(c.Context(), *dsn, io.MultiWriter(z, sum)); err != nil {
			return err
		}
		if err := z.Close(); err != nil {
			return err
		}
		if *trial {
			again, err := restoreDrill(c.Context(), packed.Bytes())
			if err != nil {
				return fmt.Errorf("the backup cannot be restored: %w", err)
			}
			if !bytes.Equal(again, sum.Sum(nil)) {
				return errors.New("the backup comes back otherwise than it went; it was not kept")
			}
		}
		if err := writeWhole(*out, packed.Bytes()); err != nil {
			return err
		}
		word := "tried: it comes back the same"
		if !*trial {
			word = "not tried"
		}
		_, err := fmt.Fprintf(t.out, "%s: %d bytes, %s\n", *out, packed.Len(), word)
		return err
	}
	return c
}

// restoreDrill restores a backup into a private server and gives the digest of what it
// writes out again.
func restoreDrill(ctx context.Context, packed []byte) ([]byte, error) {
	if err := os.MkdirAll(".trevik", 0o755); err != nil {
		return nil, err
	}
	dir, err := os.MkdirTemp(".trevik", "drill-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	server, err := privatedb.Start(ctx, filepath.Join(dir, "db"), privatedb.Options{})
	if err != nil {
		return nil, err
	}
	defer server.Stop()
	dsn, err := server.Create(ctx, "drill")
	if err != nil {
		return nil, err
	}
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, err
	}
	if err := store.Restore(ctx, dsn, z); err != nil {
		return nil, err
	}
	sum := sha256.New()
	if err := store.Backup(ctx, dsn, sum); err != nil {
		return nil, err
	}
	return sum.Sum(nil), nil
}

func (t *tool) restoreCmd() *cobra.Command {
	c := &cobra.Command{Use: "restore FILE", Short: "Read a backup into an empty database", Args: cobra.ExactArgs(1)}
	dsn := dsnFlag(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		if *dsn == "" {
			return usageError{errors.New("dsn: is missing; give --dsn or TREVIK_DSN")}
		}
		f, err := os.Open(args[0])
		if err != nil {
			return fault.List{{Field: "file", Text: "cannot be read: " + err.Error()}}
		}
		defer f.Close()
		z, err := gzip.NewReader(f)
		if err == nil {
			err = store.Whole(z)
		}
		if err != nil {
			return fault.List{{Field: "file", Text: "is no whole backup: " + err.Error()}}
		}
		// Whole it is: once more from the beginning, into the database.
		if _, err = f.Seek(0, io.SeekStart); err == nil {
			err = z.Reset(f)
		}
		if err != nil {
			return err
		}
		switch err := store.Restore(c.Context(), *dsn, z); {
		case errors.Is(err, store.ErrNotEmpty):
			return fault.List{{Field: "dsn", Text: "names a database that is not empty; restore into a new one"}}
		case err != nil:
			return err
		}
		s, err := open(*dsn)
		if err != nil {
			return err
		}
		defer s.Close()
		version, err := s.Migrate(c.Context()) // a backup of an earlier Trevik is brought up to this one
		if err == nil {
			_, err = fmt.Fprintln(t.out, "Restored; the database is at version", version)
		}
		return err
	}
	return c
}
