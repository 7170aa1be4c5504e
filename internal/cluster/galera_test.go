package cluster

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/jpeg"
	"log/slog"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/films"
	"trevik/internal/app/suite"
	"trevik/internal/core/gait"
	"trevik/internal/demo"
	"trevik/internal/record"
	"trevik/internal/seal"
	"trevik/internal/store"
	"trevik/internal/store/privatedb"
)

// at opens the database by one node alone, as another machine's instance does.
func at(t *testing.T, c *Cluster, o Options, node int) (*suite.Suite, *store.Store) {
	t.Helper()
	s, err := store.Open(c.Nodes[node].DSN(DatabaseName, map[string]string{"wsrep_sync_wait": "1"}))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	key, err := seal.ReadKey(o.KeyFile)
	must(t, err)
	must(t, s.Unlock(context.Background(), key, time.Now()))
	return suite.New(s, time.Now, slog.New(slog.DiscardHandler)), s
}

func must(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// Three Galera nodes and two instances: what was acknowledged is there once when an instance and a node die; an export
// is the same at every node; who is erased at one is gone at all; a backup of one node is brought forward by its log over
// what was written at the others.
func TestGalera(t *testing.T) {
	if err := privatedb.HasGalera(); err != nil {
		t.Skip(err)
	}
	c, s, o := world(t, Options{Nodes: 3, Instances: 2, Logs: true})
	survives(t, c, o, "| an instance was killed | 2 |", "| a node was killed | 1 |")
	t.Run("export and erasure", func(t *testing.T) { leaves(t, c, o, s) })
	t.Run("a moment", func(t *testing.T) { comesBack(t, c, o) })
}

func leaves(t *testing.T, c *Cluster, o Options, s *store.Store) {
	ctx := context.Background()
	one, _ := at(t, c, o, 0)
	two, _ := at(t, c, o, 1)
	who, err := one.People.ActorNamed(ctx, demo.Staff[0].Login)
	must(t, err)
	var fit, runner uint64
	must(t, s.DB.QueryRow("SELECT id, runner_id FROM fits WHERE closed_at IS NULL ORDER BY id LIMIT 1").Scan(&fit, &runner))
	// A film whose frames come in by two nodes, as one that is sent in batches to any instance.
	must(t, one.Transfer.SetConsents(ctx, who, runner, map[string]string{"film": "yes", "health": "one_year"}))
	fps := 60.0
	film, err := one.Films.Begin(ctx, who, fit, gait.Recording{Schema: gait.RecordingSchema, View: gait.Rear, Gait: gait.Run,
		FPS: &fps, Shod: record.Barefoot, Markers: "auto"}, 3, true)
	must(t, err)
	var frame bytes.Buffer
	must(t, jpeg.Encode(&frame, image.NewGray(image.Rect(0, 0, 64, 48)), nil))
	for i, a := range []*suite.Suite{one, two} {
		must(t, a.Films.AddFrames(ctx, who, film, []films.Piece{{Number: i, Data: frame.Bytes()}}))
	}
	var exports []string
	for node := range c.Nodes {
		a, _ := at(t, c, o, node)
		var b strings.Builder
		must(t, a.Transfer.Export(ctx, who.ShopID, runner, &b))
		exports = append(exports, b.String())
	}
	if exports[0] != exports[1] || exports[0] != exports[2] {
		t.Errorf("the nodes export a runner otherwise: %d, %d and %d bytes", len(exports[0]), len(exports[1]), len(exports[2]))
	}
	for _, table := range []string{"findings", "consents", "recordings"} {
		if !strings.Contains(exports[0], `"`+table+`"`) {
			t.Errorf("the export has no %s", table)
		}
	}
	// Erased by two at once, at two nodes: once.
	answers := make(chan error, 2)
	for _, a := range []*suite.Suite{one, two} {
		go func() { answers <- a.Transfer.Erase(ctx, who, runner) }()
	}
	first, second := <-answers, <-answers
	if (first == nil) == (second == nil) || (first != nil && !errors.Is(first, app.ErrNotFound)) ||
		(second != nil && !errors.Is(second, app.ErrNotFound)) {
		t.Errorf("erased at two nodes at once: %v, %v", first, second)
	}
	for node := range c.Nodes {
		_, s := at(t, c, o, node)
		left := func() (list []string) {
			rows, err := s.DB.Query(`SELECT table_name FROM information_schema.columns WHERE table_schema = DATABASE()
				AND column_name = 'runner_id' AND table_name NOT IN ('audit', 'jobs', 'job_notes')`)
			must(t, err)
			var tables []string
			for rows.Next() {
				var name string
				must(t, rows.Scan(&name))
				tables = append(tables, name)
			}
			must(t, rows.Close())
			for _, name := range tables {
				var n int
				must(t, s.DB.QueryRow("SELECT COUNT(*) FROM "+name+" WHERE runner_id = ?", runner).Scan(&n))
				if n > 0 {
					list = append(list, name)
				}
			}
			for name, where := range map[string]string{"runners": "id = ?", "findings": "fit_id IN (SELECT id FROM fits WHERE runner_id = ?)",
				"recording_frames": "recording_id = ?"} {
				about := runner
				if name == "recording_frames" {
					about = film.ID
				}
				var n int
				must(t, s.DB.QueryRow("SELECT COUNT(*) FROM "+name+" WHERE "+where, about).Scan(&n))
				if n > 0 {
					list = append(list, name)
				}
			}
			return list
		}
		var list []string
		for end := time.Now().Add(30 * time.Second); time.Now().Before(end); time.Sleep(100 * time.Millisecond) {
			if list = left(); len(list) == 0 {
				break
			}
		}
		if len(list) > 0 {
			t.Errorf("node %d still holds of who was erased: %v", node+1, list)
		}
	}
	var b strings.Builder
	if err := one.Transfer.Export(ctx, who.ShopID, runner, &b); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("who is erased is exported: %v, %d bytes", err, b.Len())
	}
}

func comesBack(t *testing.T, c *Cluster, o Options) {
	ctx := context.Background()
	other, third := at(t, c, o, 2)
	var packed bytes.Buffer
	one := c.Nodes[0].DSN(DatabaseName, nil)
	point, err := store.Backup(ctx, one, &packed)
	must(t, err)
	if point == nil {
		t.Fatal("the node keeps no log")
	}
	// Written at another node, whose writes are in this one's log, too.
	who, err := other.People.ActorNamed(ctx, demo.Staff[0].Login)
	must(t, err)
	must(t, other.People.ChangeSettings(ctx, who, map[string]string{"film_days": "7"}))
	_, err = third.DB.Exec("UPDATE runners SET contact = 'by the third node' " +
		"WHERE id = (SELECT id FROM (SELECT MIN(id) AS id FROM runners) r)")
	must(t, err)
	time.Sleep(1100 * time.Millisecond)
	moment := time.Now().Truncate(time.Second)
	time.Sleep(1100 * time.Millisecond)
	_, err = third.DB.Exec("UPDATE runners SET contact = 'the mistake'")
	must(t, err)

	dir := filepath.Join(t.TempDir(), "db")
	apart, err := privatedb.Start(ctx, dir, privatedb.Options{Throwaway: true})
	must(t, err)
	defer apart.Stop()
	to, err := apart.Create(ctx, "restored")
	must(t, err)
	must(t, store.Restore(ctx, to, bytes.NewReader(packed.Bytes())))
	files, err := store.LogsFrom(filepath.Join(dirOf(o, 0), "data"), *point)
	must(t, err)
	got, err := store.Forward(ctx, to, *point, files, moment)
	must(t, err)
	if got.Transactions < 2 || !got.Beyond {
		t.Errorf("brought forward: %+v", got)
	}
	back, err := store.Open(to)
	must(t, err)
	defer back.Close()
	var contacts []string
	rows, err := back.DB.Query("SELECT contact FROM runners ORDER BY id")
	must(t, err)
	for rows.Next() {
		var text string
		must(t, rows.Scan(&text))
		contacts = append(contacts, text)
	}
	must(t, rows.Err())
	if contacts[0] != "by the third node" || slices.Contains(contacts, "the mistake") {
		t.Errorf("at the moment: %q", contacts)
	}
	var days string
	must(t, back.DB.QueryRow("SELECT value FROM settings WHERE name = 'film_days' ORDER BY id DESC LIMIT 1").Scan(&days))
	if days != "7" {
		t.Errorf("the other node's setting: %q", days)
	}
}
