package cli

import (
	"context"
	"fmt"
	"os"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/spf13/cobra"

	"trevik/internal/app/prints"
	"trevik/internal/app/transfer"
	"trevik/internal/jobs"
	"trevik/internal/store"
)

// doctorIn is how long a node may take to be examined.
const doctorIn = 15 * time.Second

func (t *tool) doctorCmd() *cobra.Command {
	c := &cobra.Command{Use: "doctor", Short: "Look at a live set-up and say what to mend", Args: cobra.NoArgs,
		Long: "Looks at the database (at each node of a cluster), its settings, its schema, the owner's key and the jobs, and says\n" +
			"of each whether it is well and what to mend. Nothing is changed. Exits with 1 where something is to be mended."}
	dsn := dsnFlag(c)
	key := c.Flags().String("key", os.Getenv(keyFileVariable), keyHelp)
	c.RunE = func(c *cobra.Command, _ []string) error {
		s, err := open(*dsn)
		if err != nil {
			return err
		}
		defer s.Close()
		_ = mysql.SetLogger(mysql.Logger(&mysql.NopLogger{})) // what fails is told below
		hosts, err := store.Hosts(*dsn)
		if err != nil {
			return usageError{err}
		}
		mend := 0
		for _, host := range hosts {
			fmt.Fprintf(t.out, "database %s\n", host)
			mend += t.tell(examine(c.Context(), *dsn, host))
		}
		fmt.Fprintln(t.out, "Trevik")
		mend += t.tell(whole(c.Context(), s, *key))
		if mend > 0 {
			return fmt.Errorf("%d things are to be mended", mend)
		}
		_, err = fmt.Fprintln(t.out, "all is well")
		return err
	}
	return c
}

// tell writes what was found, and gives how much is to be mended.
func (t *tool) tell(found []store.Found) (mend int) {
	for _, f := range found {
		word := "well"
		if f.Mend != "" {
			mend++
			word = "mend"
		}
		fmt.Fprintf(t.out, "  %s  %-32s %s\n", word, f.What, f.Is)
		if f.Mend != "" {
			fmt.Fprintf(t.out, "        %s\n", f.Mend)
		}
	}
	return mend
}

// examine looks at one node.
func examine(ctx context.Context, dsn, host string) []store.Found {
	ctx, cancel := context.WithTimeout(ctx, doctorIn)
	defer cancel()
	one, err := store.OneOf(dsn, host)
	var s *store.Store
	if err == nil {
		s, err = store.Open(one)
	}
	var found []store.Found
	if err == nil {
		defer s.Close()
		found, err = s.Examine(ctx)
	}
	if err != nil {
		found = append(found, store.Found{What: "answer", Is: err.Error(), Mend: "start it, or correct the DSN"})
	}
	return found
}

// whole looks at what does not depend on a node: the key and the jobs.
func whole(ctx context.Context, s *store.Store, key string) []store.Found {
	ctx, cancel := context.WithTimeout(ctx, doctorIn)
	defer cancel()
	k := store.Found{What: "owner's key", Is: "opens what is sealed"}
	if key == "" {
		k.Is, k.Mend = "none", "without one, films, pictures and health answers stand in clear: trevik help key"
	}
	if s.NeedKey(ctx) == nil {
		k.Is = "nothing is sealed yet"
	} else if err := unlock(ctx, s, key); err != nil {
		k.Is, k.Mend = err.Error(), "give the key that sealed this database"
	}
	out := []store.Found{k}
	work, err := jobs.Look(ctx, s.Queries)
	j := store.Found{What: "jobs", Is: fmt.Sprintf("%d wait too long, %d silent, %d failed today", work.Waiting, work.Silent, work.Failed)}
	switch {
	case err != nil:
		j.Is, j.Mend = err.Error(), "run trevik migrate, or start the database"
	case work.Stuck():
		j.Mend = "start an instance: nobody does them"
	case work.Failed > 0:
		j.Mend = "their notes say why: SELECT kind, note FROM jobs WHERE state = 'failed'"
	}
	return append(out, j, overdue(ctx, s))
}

// overdue is what nobody agreed to keep and is still there long after its time.
func overdue(ctx context.Context, s *store.Store) store.Found {
	f := store.Found{What: "what may not stay", Is: "gone in time"}
	before := time.Now().Add(-prints.LooseTime - transfer.Late)
	pictures, err := s.LoosePictures(ctx, before)
	if err != nil {
		f.Is, f.Mend = err.Error(), "run trevik migrate, or start the database"
		return f
	}
	films, err := s.LooseRecordings(ctx, before)
	if err != nil {
		f.Is, f.Mend = err.Error(), "run trevik migrate, or start the database"
		return f
	}
	if len(pictures)+len(films) > 0 {
		f.Is, f.Mend = "pictures or films are there that nobody agreed to keep", "start an instance: its job lets go of them (trevik retention)"
	}
	return f
}
