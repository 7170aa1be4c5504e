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
	"trevik/internal/form"
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

func (t *tool) retentionCmd() *cobra.Command {
	c := &cobra.Command{Use: "retention", Short: "What a shop keeps of what may not stay, when it goes, and what went", Args: cobra.NoArgs,
		Long: "Pictures and films that nobody agreed to keep, films by the shop's days, health answers agreed to for a year, files\n" +
			"that wait and runners to be erased: counts by day, nothing of whose it was (trevik.retention/v1)."}
	dsn := dsnFlag(c)
	shop := c.Flags().String("shop", "", "the shop's name")
	days := c.Flags().Int("days", transfer.RetentionDays, "how far to look back; 1 to 3650")
	_ = c.MarkFlagRequired("shop") // the flag is there
	c.RunE = func(c *cobra.Command, _ []string) error {
		if *days < 1 || *days > 3650 {
			return usageError{fmt.Errorf("days: is %d; allowed is 1 to 3650", *days)}
		}
		a, who, done, err := inShop(c.Context(), *dsn, *shop)
		if err != nil {
			return err
		}
		defer done()
		who.Role = app.Owner // who has the database may see its counts
		r, err := a.Transfer.Retention(c.Context(), who, *days)
		if err != nil {
			return err
		}
		return t.answer(r, func(w io.Writer) { retentionTable(w, r) })
	}
	return t.asJSON(c)
}

func retentionTable(w io.Writer, r *transfer.Retention) {
	fmt.Fprintf(w, "%-10s  %-14s  %6s  %-16s  %-16s  gone in %d days\n", "what", "stays", "kept", "oldest", "goes", r.Days)
	at := func(t *time.Time) string {
		if t == nil {
			return "-"
		}
		return t.Local().Format("2006-01-02 15:04")
	}
	for _, k := range r.Kept {
		word := ""
		if k.Late {
			word = "  should have gone"
		}
		fmt.Fprintf(w, "%-10s  %-14s  %6d  %-16s  %-16s  %d%s\n", k.Sort, k.Rule, k.Now, at(k.Oldest), at(k.Goes), k.Gone, word)
	}
	for _, g := range r.Gone {
		fmt.Fprintf(w, "%s  %-10s  %d, the oldest of %s\n", g.Day, g.Sort, g.Number, at(&g.Oldest))
	}
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
		// Written beside its place first, so that it is there whole or not at all: a chain's does not fit into memory.
		f, err := os.CreateTemp(filepath.Dir(*out), ".trevik-*")
		if err != nil {
			return fault.List{{Field: "out", Text: "cannot be written: " + err.Error()}}
		}
		defer os.Remove(f.Name()) // once it has its name, there is nothing to remove
		defer f.Close()           // a second close changes nothing
		sum := sha256.New()
		point, err := packBackup(c.Context(), *dsn, f, sum)
		if err != nil {
			return err
		}
		word := "not tried"
		if *trial {
			again, err := restoreDrill(c.Context(), f)
			if err != nil {
				return fmt.Errorf("the backup cannot be restored: %w", err)
			}
			if !bytes.Equal(again, sum.Sum(nil)) {
				return errors.New("the backup comes back otherwise than it went; it was not kept")
			}
			word = "tried: it comes back the same"
		}
		size, err := f.Seek(0, io.SeekEnd)
		if err == nil {
			err = f.Sync()
		}
		if err == nil {
			err = f.Close()
		}
		if err == nil {
			err = os.Rename(f.Name(), *out)
		}
		if err != nil {
			return err
		}
		if _, err := fmt.Fprintf(t.out, "%s: %d bytes, %s\n", *out, size, word); err != nil {
			return err
		}
		from := "no binary log is kept there: it cannot be brought forward to a later moment"
		if point != nil {
			from = fmt.Sprintf("it goes on from %s, position %d: keep that log and the later ones", point.Log, point.Position)
		}
		_, err = fmt.Fprintln(t.out, from)
		return err
	}
	return c
}

// packBackup writes a backup packed, with its point in its last line; sum takes the rest in, unpacked.
func packBackup(ctx context.Context, dsn string, out, sum io.Writer) (*store.Point, error) {
	z := gzip.NewWriter(out)
	point, err := store.Backup(ctx, dsn, io.MultiWriter(z, sum))
	if err != nil {
		return nil, err
	}
	line, err := point.Line()
	if err != nil {
		return nil, err
	}
	if _, err := io.WriteString(z, line); err != nil {
		return nil, err
	}
	return point, z.Close()
}

// restoreDrill restores a backup into a private server and gives the digest of what it
// writes out again.
func restoreDrill(ctx context.Context, packed io.ReadSeeker) ([]byte, error) {
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
	if _, err := packed.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	z, err := gzip.NewReader(packed)
	if err != nil {
		return nil, err
	}
	if err := store.Restore(ctx, dsn, z); err != nil {
		return nil, err
	}
	sum := sha256.New()
	if _, err := store.Backup(ctx, dsn, sum); err != nil {
		return nil, err
	}
	return sum.Sum(nil), nil
}

func (t *tool) restoreCmd() *cobra.Command {
	c := &cobra.Command{Use: "restore FILE", Short: "Read a backup into an empty database, as it was or brought forward to a moment",
		Args: cobra.ExactArgs(1),
		Long: "With --logs what the server's binary logs hold since the backup is done again, until before --until: the state\n" +
			"of a moment, such as the one before somebody erased the wrong runner. The logs are those of the node that the\n" +
			"backup was taken from."}
	dsn := dsnFlag(c)
	logs := c.Flags().String("logs", "", "the folder with the server's binary logs, copied there; --until then, or all")
	until := c.Flags().String("until", "",
		`the moment, by the second, such as "2026-11-28 14:30:00" (this machine's time) or 2026-11-28T14:30:00Z`)
	c.RunE = func(c *cobra.Command, args []string) error {
		if *dsn == "" {
			return usageError{errors.New("dsn: is missing; give --dsn or TREVIK_DSN")}
		}
		moment, err := momentOf(*until)
		if err != nil {
			return err
		}
		if *until != "" && *logs == "" {
			return fault.List{{Field: "logs", Text: "is missing: a moment after the backup is in the binary logs"}}
		}
		f, err := os.Open(args[0])
		if err != nil {
			return fault.List{{Field: "file", Text: "cannot be read: " + err.Error()}}
		}
		defer f.Close()
		var point *store.Point
		z, err := gzip.NewReader(f)
		if err == nil {
			point, err = store.Whole(z)
		}
		if err != nil {
			return fault.List{{Field: "file", Text: "is no whole backup: " + err.Error()}}
		}
		var files []string
		if *logs != "" {
			if files, err = forwardBy(point, *logs, moment); err != nil {
				return err
			}
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
		if *logs != "" {
			if err := t.forward(c.Context(), *dsn, *point, files, moment); err != nil {
				return fmt.Errorf("the backup was restored, but not brought forward; throw that database away: %w", err)
			}
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

// momentOf reads a moment, in the machine's time where it names no other; nothing is none.
func momentOf(text string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	if at, err := time.Parse(time.RFC3339, text); err == nil {
		return at, nil
	}
	at, err := time.ParseInLocation(time.DateTime, text, time.Local)
	if err != nil {
		return at, fault.List{{Field: "until", Text: fmt.Sprintf("is %q; allowed is such as \"2026-11-28 14:30:00\" or 2026-11-28T14:30:00Z",
			form.Clip(text))}}
	}
	return at, nil
}

// forwardBy finds the logs by which a backup comes to a moment.
func forwardBy(point *store.Point, dir string, moment time.Time) ([]string, error) {
	if point == nil {
		return nil, fault.List{{Field: "file", Text: "was taken where no binary log was kept; it cannot be brought forward"}}
	}
	if !moment.IsZero() && moment.Before(point.At) {
		return nil, fault.List{{Field: "until", Text: fmt.Sprintf("lies before the backup, which is of %s; take an earlier one",
			point.At.Local().Format(time.DateTime))}}
	}
	files, err := store.LogsFrom(dir, *point)
	if err != nil {
		return nil, fault.List{{Field: "logs", Text: err.Error()}}
	}
	return files, nil
}

// forward brings a restored database to a moment, and tells how far it came.
func (t *tool) forward(ctx context.Context, dsn string, point store.Point, files []string, moment time.Time) error {
	got, err := store.Forward(ctx, dsn, point, files, moment)
	if err != nil {
		return err
	}
	last := "none"
	if !got.Last.IsZero() {
		last = "the last of " + got.Last.Local().Format(time.DateTime)
	}
	if _, err := fmt.Fprintf(t.out, "Brought forward by %d transactions, %s.\n", got.Transactions, last); err != nil {
		return err
	}
	if !got.Beyond {
		_, err = fmt.Fprintln(t.out, "The logs end before that moment: what was written between their end and it, if anything, is missing.")
	}
	return err
}
