package cli

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/spf13/cobra"

	"trevik/internal/cluster"
	"trevik/internal/store"
	"trevik/internal/store/privatedb"
)

func (t *tool) clusterCmd() *cobra.Command {
	c := &cobra.Command{Use: "cluster", Short: "Start the demo world on a cluster: three Galera nodes, two instances, a proxy",
		Args: cobra.NoArgs,
		Long: "Start Galera nodes and instances of Trevik on loopback, in the project's own folder, with a small proxy\n" +
			"before them. What is killed is started again. It is for trying and for tests; docs/operate.md tells how to\n" +
			"run them for real. It needs Debian's mariadb-server, galera-4, mariadb-backup and socat."}
	o := cluster.Options{}
	c.Flags().StringVar(&o.Dir, "dir", filepath.Join(".trevik", "cluster"), "the folder of the nodes' data")
	c.Flags().StringVar(&o.Addr, "addr", "127.0.0.1:8490", "where the proxy listens; another free port is taken when it is in use")
	c.Flags().IntVar(&o.Nodes, "nodes", 3, "Galera nodes; 1 is a single MariaDB")
	c.Flags().IntVar(&o.Instances, "instances", 2, "instances of Trevik")
	fresh := c.Flags().Bool("fresh", false, "throw its data away and begin anew")
	faults := c.Flags().Bool("faults", false, "do to it what happens to machines, say what was left, and end")
	load := c.Flags().Bool("load", false, "make it a chain of shops, let many work at it, say what it took, and end")
	size := cluster.Size{}
	c.Flags().IntVar(&size.Shops, "shops", 10, "load: shops")
	c.Flags().IntVar(&size.Models, "models", 20_000, "load: models of all shops")
	c.Flags().IntVar(&size.Times, "times", 125, "load: how many more of each of the demo's runners")
	c.Flags().IntVar(&size.Runs, "runs", 10_000_000, "load: runs of all runners")
	minutes := c.Flags().Float64("minutes", 10, "load: how long 64 connections work; 8 before them work a fifth of it")
	think := c.Flags().Duration("think", 5*time.Second, "load: how long each looks at a page before the next, in the mean")
	c.RunE = func(c *cobra.Command, _ []string) error {
		if o.Nodes < 1 || o.Nodes > 5 || o.Nodes == 2 {
			return usageError{fmt.Errorf("nodes: is %d; allowed is 1, or 3 to 5, since two lose their majority with either", o.Nodes)}
		}
		if o.Instances < 1 || o.Instances > 8 {
			return usageError{fmt.Errorf("instances: is %d; allowed is 1 to 8", o.Instances)}
		}
		ctx, stop := signal.NotifyContext(c.Context(), os.Interrupt, syscall.SIGTERM)
		defer stop()
		if *load {
			o.PoolMiB = loadPoolMiB
		}
		if *faults && o.Nodes == 1 {
			undo, err := smallDisk(o)
			if err != nil {
				return err
			}
			defer undo()
			o.SmallDisk = true
		}
		run, err := t.startCluster(ctx, o, *fresh)
		if err != nil {
			return err
		}
		defer run.Stop()
		if *load {
			return t.load(ctx, run, keyFile(o.Dir), size, time.Duration(*minutes*float64(time.Minute)), *think)
		}
		if *faults {
			return cluster.Faults(ctx, run, o, t.out)
		}
		t.welcome(run.URL)
		for i, in := range run.Instances {
			fmt.Fprintf(t.out, "instance %d: %s, process %d\n", i+1, in.URL, in.PID())
		}
		for i, n := range run.Nodes {
			fmt.Fprintf(t.out, "node %d: %s, process %d\n", i+1, n.Addr(), n.PID())
		}
		<-ctx.Done()
		return nil
	}
	return c
}

// loadPoolMiB is what a single database may keep in memory of a chain's data.
const loadPoolMiB = 1024

// load makes the chain and lets people work at it, few and then many.
func (t *tool) load(ctx context.Context, run *cluster.Cluster, key string, size cluster.Size, span, think time.Duration) error {
	dsn := run.DSN
	if one, err := mysql.ParseDSN(dsn); err == nil { // a single database
		one.ReadTimeout = time.Hour // many rows are put in by one statement
		dsn = one.FormatDSN()
	}
	s, err := store.Open(dsn)
	if err != nil {
		return err
	}
	defer s.Close()
	if err := unlock(ctx, s, key); err != nil {
		return err
	}
	if err := cluster.Chain(ctx, s, size, t.out); err != nil {
		return err
	}
	for _, w := range []cluster.Work{{Connections: 8, Span: span / 5, Think: think}, {Connections: 64, Span: span, Think: think}} {
		if err := cluster.Load(ctx, run, s, size.Shops, w, t.out); err != nil {
			return err
		}
	}
	return nil
}

// startCluster starts the nodes, fills them where they are new, and starts the instances.
func (t *tool) startCluster(ctx context.Context, o cluster.Options, fresh bool) (*cluster.Cluster, error) {
	var err error
	if o.Program, err = os.Executable(); err != nil {
		return nil, err
	}
	if fresh && !o.SmallDisk { // that one is new
		if err := clear(ctx, o); err != nil {
			return nil, err
		}
	}
	if err := os.MkdirAll(o.Dir, 0o700); err != nil {
		return nil, err
	}
	begun := time.Now()
	nodes, dsn, err := cluster.Database(ctx, o, cluster.DatabaseName)
	if err != nil {
		return nil, err
	}
	fmt.Fprintf(t.err, "The database is up after %.0f s.\n", time.Since(begun).Seconds())
	s, err := demoWorld(ctx, dsn, o.Dir)
	if err != nil {
		for _, n := range nodes {
			n.Stop()
		}
		return nil, err
	}
	if err := s.Close(); err != nil {
		return nil, err
	}
	o.KeyFile = keyFile(o.Dir)
	run, err := cluster.Start(ctx, o, nodes)
	if err == nil {
		run.DSN = dsn
	}
	return run, err
}

// diskSize is that of the small disk, enough for the demo world.
const diskSize = "size=700m"

// smallDisk puts a small disk in the place of the first node's folder; undo takes it away again.
func smallDisk(o cluster.Options) (undo func(), err error) {
	dir := filepath.Join(o.Dir, "n1")
	_ = syscall.Unmount(dir, 0) // that a start before, which was killed, left
	if err := os.RemoveAll(o.Dir); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, diskSize); err != nil {
		return nil, fmt.Errorf("a small disk to be filled needs the right to mount: %w", err)
	}
	return func() { _ = syscall.Unmount(dir, 0) }, nil // what is left goes with the machine
}

// clear removes the nodes' data, unless something runs on it.
func clear(ctx context.Context, o cluster.Options) error {
	list, err := fs.Glob(os.DirFS(o.Dir), "n[1-9]")
	if err != nil {
		return err
	}
	for _, n := range list {
		if err := privatedb.Remove(ctx, filepath.Join(o.Dir, n)); err != nil {
			return err
		}
	}
	return os.RemoveAll(o.Dir)
}
