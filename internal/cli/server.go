package cli

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"runtime/debug"
	"strings"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/spf13/cobra"

	"trevik/internal/app"
	"trevik/internal/app/suite"
	"trevik/internal/cluster"
	"trevik/internal/core/fault"
	"trevik/internal/demo"
	"trevik/internal/store"
	"trevik/internal/store/privatedb"
	"trevik/internal/web"
)

const dsnHelp = "MariaDB DSN, user:password@tcp(host:port)/database; TREVIK_DSN stands in for it"

func dsnFlag(c *cobra.Command) *string {
	return c.Flags().String("dsn", os.Getenv("TREVIK_DSN"), dsnHelp)
}

func open(dsn string) (*store.Store, error) {
	if dsn == "" {
		return nil, usageError{errors.New("dsn: is missing; give --dsn or TREVIK_DSN")}
	}
	s, err := store.Open(dsn)
	if err != nil {
		return nil, usageError{err}
	}
	return s, nil
}

// opened opens a migrated database with the owner's key, where there is one. It fails where the
// database was sealed and the key is missing or another one.
func opened(ctx context.Context, dsn string) (*store.Store, error) {
	s, err := open(dsn)
	if err != nil {
		return nil, err
	}
	if err := unlock(ctx, s, os.Getenv(keyFileVariable)); err != nil {
		_ = s.Close() // what went wrong is told already
		return nil, err
	}
	return s, nil
}

// inShop opens a database and gives the command line's hand in a shop of it; done closes it again.
func inShop(ctx context.Context, dsn, shop string) (a *suite.Suite, who app.Actor, done func(), err error) {
	s, err := opened(ctx, dsn)
	if err != nil {
		return nil, who, nil, err
	}
	a = suite.New(s, time.Now, slog.New(slog.DiscardHandler))
	id, err := a.People.ShopNamed(ctx, shop)
	if errors.Is(err, app.ErrNotFound) {
		err = fault.List{{Field: "shop", Text: fmt.Sprintf("%q is not here", shop)}}
	}
	if err == nil {
		who, err = a.People.Hand(ctx, id)
	}
	if err != nil {
		_ = s.Close() // what went wrong is told already
		return nil, who, nil, err
	}
	return a, who, func() { _ = s.Close() }, nil // it was only read, or is committed
}

func (t *tool) migrateCmd() *cobra.Command {
	c := &cobra.Command{Use: "migrate", Short: "Bring the database to this program's state", Args: cobra.NoArgs}
	dsn := dsnFlag(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		s, err := open(*dsn)
		if err != nil {
			return err
		}
		defer s.Close()
		version, err := s.Migrate(c.Context())
		if err == nil {
			fmt.Fprintln(t.out, "The database is at version", version)
		}
		return err
	}
	return c
}

func (t *tool) serveCmd() *cobra.Command {
	c := &cobra.Command{Use: "serve", Short: "Serve Trevik from a database", Args: cobra.NoArgs,
		Long: "Serve Trevik from a migrated database. It starts and recovers while the database is away.\nBehind a proxy that ends TLS, leave " +
			"the cookie's Secure flag as it is."}
	dsn := dsnFlag(c)
	addr := c.Flags().String("addr", "127.0.0.1:8480", "where to listen")
	plain := c.Flags().Bool("plain-http", false, "let the session's cookie travel without TLS")
	proxies := c.Flags().StringSlice("trusted-proxies", splitList(os.Getenv("TREVIK_TRUSTED_PROXIES")),
		"addresses or networks whose X-Forwarded-For counts; none without it")
	key := c.Flags().String("key", os.Getenv(keyFileVariable), keyHelp)
	c.RunE = func(c *cobra.Command, _ []string) error {
		s, err := open(*dsn)
		if err != nil {
			return err
		}
		defer s.Close()
		ctx, stop := context.WithCancelCause(c.Context())
		defer stop(nil)
		if err := unlockSoon(ctx, s, *key, stop); err != nil {
			return err
		}
		if *key == "" {
			fmt.Fprintln(t.err, "No key was given: films, pictures and health answers stand in the database in clear (trevik help key).")
		}
		l, err := net.Listen("tcp", *addr)
		if err != nil {
			return usageError{fmt.Errorf("addr: %w", err)}
		}
		if err := web.CheckProxies(*proxies); err != nil {
			return usageError{fmt.Errorf("trusted-proxies: %w", err)}
		}
		fmt.Fprintf(t.out, "Trevik is at http://%s\n", l.Addr())
		err = t.serve(ctx, l, web.Config{Store: s, Log: slog.New(slog.NewJSONHandler(t.err, nil)), Secure: !*plain, Proxies: *proxies,
			MetricsToken: os.Getenv("TREVIK_METRICS_TOKEN")})
		if cause := context.Cause(ctx); c.Context().Err() == nil && cause != nil {
			return cause
		}
		return err
	}
	return c
}

func splitList(s string) []string {
	return strings.FieldsFunc(s, func(r rune) bool { return r == ',' || r == ' ' })
}

// memoryLimit is from how much on the garbage is cleared away more often: a small machine's.
const memoryLimit = 640 << 20

// garbage is how much of it may lie beside what is in use before it is cleared away, in hundredths: a server's own is a
// few tens of MB, and clearing it as often as Go does by itself takes a fifth of a page's time.
const garbage = 400

// shutdownTime is how long requests under way may still take at the end.
const shutdownTime = 20 * time.Second

// serve answers until it is told to stop, and then lets requests finish.
func (t *tool) serve(ctx context.Context, l net.Listener, cfg web.Config) error {
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
	defer stop()
	// The driver's own log repeats what every failed request tells.
	_ = mysql.SetLogger(mysql.Logger(&mysql.NopLogger{}))
	cfg.Clock = time.Now
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(memoryLimit)
	}
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(garbage)
	}
	w := web.New(cfg)
	defer w.Close()
	server := &http.Server{Handler: w.Handler, ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 60 * time.Second,
		WriteTimeout: 60 * time.Second, IdleTimeout: 2 * time.Minute,
		MaxHeaderBytes: 64 << 10, ErrorLog: slog.NewLogLogger(cfg.Log.Handler(), slog.LevelWarn)}
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(l) }()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	end, cancel := context.WithTimeout(context.Background(), shutdownTime)
	defer cancel()
	return server.Shutdown(end)
}

// filled says whether a folder's database holds the demo world: a start that was cut off while it filled
// it left no mark.
func worldFilled(dir string) bool {
	_, err := os.Stat(filepath.Join(dir, "filled"))
	return err == nil
}

// demoWorld opens a database that is migrated and holds the demo world.
func demoWorld(ctx context.Context, dsn, dir string) (s *store.Store, err error) {
	if s, err = store.Open(dsn); err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			_ = s.Close() // what went wrong is told already
		}
	}()
	if _, err := s.Migrate(ctx); err != nil {
		return nil, err
	}
	if err := demoKey(ctx, s, keyFile(dir)); err != nil {
		return nil, err
	}
	if !worldFilled(dir) {
		if err := demo.FillAll(ctx, s, time.Now()); err != nil {
			return nil, err
		}
		if err := os.WriteFile(filepath.Join(dir, "filled"), nil, 0o600); err != nil {
			return nil, err
		}
	}
	return s, nil
}

func keyFile(dir string) string { return filepath.Join(dir, "owner.key") }

// welcome says where the demo is and how to sign in.
func (t *tool) welcome(url string) {
	fmt.Fprintf(t.out, "Trevik is at %s\n\nSign in to %s with the password %s as\n", url, demo.Shop, demo.Password)
	for _, p := range demo.Staff {
		fmt.Fprintf(t.out, "  %-8s %s, %s\n", p.Login, p.Name, p.Role)
	}
	fmt.Fprintln(t.out, "\nStop it with Ctrl-C; what you enter is kept. --fresh begins anew.")
}

func (t *tool) demoCmd() *cobra.Command {
	c := &cobra.Command{Use: "demo", Short: "Start Trevik with the demo world, on a private MariaDB", Args: cobra.NoArgs,
		Long: "Start a private MariaDB on loopback in the project's own folder, migrate it, fill it with the demo\nworld when it is new, and " +
			"serve Trevik on it. What is entered is kept for the next start."}
	dir := c.Flags().String("dir", filepath.Join(".trevik", "demo"), "the folder of the demo's database")
	addr := c.Flags().String("addr", "127.0.0.1:8480", "where to listen; another free port is taken when it is in use")
	fresh := c.Flags().Bool("fresh", false, "throw the demo's data away and begin anew")
	c.RunE = func(c *cobra.Command, _ []string) error {
		ctx, stop := signal.NotifyContext(c.Context(), os.Interrupt, syscall.SIGTERM)
		defer stop()
		if *fresh {
			if err := privatedb.Remove(ctx, *dir); err != nil {
				return err
			}
		}
		server, err := privatedb.Start(ctx, *dir, privatedb.Options{Again: true})
		if err != nil {
			return err
		}
		defer server.Stop()
		if worldFilled(*dir) {
			_, err = server.Create(ctx, cluster.DatabaseName)
		} else if err = server.Drop(ctx, cluster.DatabaseName); err == nil {
			_, err = server.Create(ctx, cluster.DatabaseName)
		}
		if err != nil {
			return err
		}
		s, err := demoWorld(ctx, server.DSN(cluster.DatabaseName, nil), *dir)
		if err != nil {
			return err
		}
		defer s.Close()
		l, err := net.Listen("tcp", *addr)
		if errors.Is(err, syscall.EADDRINUSE) {
			l, err = net.Listen("tcp", "127.0.0.1:0")
		}
		if err != nil {
			return err
		}
		log, err := os.OpenFile(filepath.Join(*dir, "trevik.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
		if err != nil {
			return err
		}
		defer log.Close()
		t.welcome("http://" + l.Addr().String())
		return t.serve(ctx, l, web.Config{Store: s, Log: slog.New(slog.NewJSONHandler(log, nil))})
	}
	return c
}
