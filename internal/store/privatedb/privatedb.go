// Package privatedb runs a MariaDB server of Trevik's own: in a folder of the
// project's, on loopback, on a free port, and only as long as it is wanted.
package privatedb

import (
	"bytes"
	"cmp"
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// maxSocketPath is what a Unix socket's address can hold.
const maxSocketPath = 100

// Server is a running private mariadbd.
type Server struct {
	dir      string
	password string
	port     int
	socket   string
	lock     *os.File
	log      string // its own log's file
	mu       sync.Mutex
	cmd      *exec.Cmd
	stopping bool
	done     chan struct{}
}

// Options of a start.
type Options struct {
	// Throwaway gives durability up for speed: for tests alone.
	Throwaway bool
	// Again starts a server anew that ended without being told to.
	Again bool
	// PoolMiB is what a server that is alone keeps of its data in memory; 0 is 64.
	PoolMiB int
	// Logs keeps a binary log in the data's folder, by which a backup can be brought forward to a moment.
	Logs bool
	// Member makes it a node of a Galera cluster; nil is alone.
	Member *Member
}

// Start begins a server whose data is in dir, which is made when it is missing,
// and waits until it answers. Data from an earlier start is kept.
func Start(ctx context.Context, dir string, opt Options) (_ *Server, err error) {
	if dir, err = filepath.Abs(dir); err != nil {
		return nil, err
	}
	lock, err := own(dir)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			lock.Close()
		}
	}()
	data := filepath.Join(dir, "data")
	mariadbd, err := program("mariadbd", "/usr/sbin/mariadbd")
	if err != nil {
		return nil, err
	}
	if err := endStale(ctx, dir); err != nil {
		return nil, err
	}
	// A folder for temporary files of its own: a server that starts clears the names of
	// all servers' temporary tables in the folder that it uses.
	temp := filepath.Join(dir, "tmp")
	if err := os.MkdirAll(temp, 0o700); err != nil {
		return nil, err
	}
	if err := initialise(ctx, data, temp); err != nil {
		return nil, err
	}
	s := &Server{dir: dir, lock: lock, password: rand.Text(), socket: filepath.Join(dir, "mariadb.sock"), done: make(chan struct{})}
	if opt.Member == nil {
		if s.port, err = FreePort(); err != nil {
			return nil, err
		}
	}
	s.log = filepath.Join(dir, "mariadb.log")
	if opt.Member != nil {
		s.port, s.password = opt.Member.Port, opt.Member.Password
	}
	initFile := filepath.Join(dir, "init.sql")
	initSQL := fmt.Sprintf("CREATE OR REPLACE USER 'trevik'@'127.0.0.1' IDENTIFIED BY '%s';\nGRANT ALL ON *.* TO "+
		"'trevik'@'127.0.0.1';\nCREATE OR REPLACE USER 'trevik'@'localhost' IDENTIFIED BY '%s';\nGRANT ALL ON *.* TO "+
		"'trevik'@'localhost';\n", s.password, s.password)
	if err := os.WriteFile(initFile, []byte(initSQL), 0o600); err != nil {
		return nil, err
	}
	args := []string{
		"--no-defaults", "--datadir=" + data, "--tmpdir=" + temp, "--bind-address=127.0.0.1", "--port=" + strconv.Itoa(s.port), "--pid-file=" +
			s.pidFile(),
		"--log-error=" + s.log, "--skip-name-resolve", "--local-infile=0",
		"--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_ci", "--default-time-zone=+00:00",
		"--sql-mode=STRICT_ALL_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_ZERO_DATE,NO_ZERO_IN_DATE,NO_ENGINE_SUBSTITUTION",
		"--innodb-log-file-size=32M", "--performance-schema=OFF",
	}
	if opt.Logs {
		args = append(args, "--log-bin=binlog", "--binlog-format=ROW", "--log-slave-updates=ON", "--server-id=1")
	} else {
		args = append(args, "--skip-log-bin")
	}
	if opt.Member == nil {
		// The nodes of a cluster have their people in common; and what copies a node to another does not bear
		// the size of the pool among its arguments.
		args = append(args, "--init-file="+initFile, fmt.Sprintf("--innodb-buffer-pool-size=%dM", cmp.Or(opt.PoolMiB, 64)))
	}
	if len(s.socket) > maxSocketPath {
		s.socket = ""
		args = append(args, "--socket=") // too long an address for a socket: the port alone
	} else {
		args = append(args, "--socket="+s.socket)
	}
	if opt.Throwaway {
		args = append(args, "--innodb-flush-log-at-trx-commit=0", "--innodb-doublewrite=OFF", "--innodb-flush-method=nosync")
	}
	if me, err := user.Current(); err == nil && me.Uid == "0" {
		args = append(args, "--user=root") // the folder is ours alone
	}
	first, later, after := args, args, again
	if m := opt.Member; m != nil {
		later, after = append(slices.Clone(args), m.args()...), nodeAgain
		if first = later; m.Begins {
			first = append(slices.Clone(later), "--wsrep-new-cluster")
		}
	}
	if err := s.run(mariadbd, first, later, opt.Again, after); err != nil {
		return nil, err
	}
	if err = s.people(ctx, opt.Member); err == nil {
		err = s.wait(ctx)
	}
	if err != nil {
		log, _ := os.ReadFile(s.log)
		s.Stop()
		return nil, fmt.Errorf("the private MariaDB did not answer: %w\n%s", err, tail(log))
	}
	return s, nil
}

// own makes the folder this process's alone, for as long as the lock is open.
func own(dir string) (*os.File, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	lock, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		lock.Close()
		return nil, fmt.Errorf("another Trevik runs on %s; stop it first, or use another folder", dir)
	}
	return lock, nil
}

// How long after its end a server is started anew; a node of a cluster once the others have let it go, so that
// its coming back is not in the way of that.
const (
	again     = 500 * time.Millisecond
	nodeAgain = 4 * time.Second
)

// run starts the server so that it is told to stop when this process dies,
// however it dies. The kernel ties that promise to the thread that started it,
// so the thread is kept. Where it is to run again, it is started with the later arguments.
func (s *Server) run(program string, first, later []string, anew bool, after time.Duration) error {
	started := make(chan error)
	go func() {
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		defer close(s.done)
		for args := first; ; args = later {
			cmd := exec.Command(program, args...)
			cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM, Setpgid: true}
			s.mu.Lock()
			err := errors.New("it is to stop")
			if !s.stopping {
				if err = cmd.Start(); err == nil {
					s.cmd = cmd
				}
			}
			s.mu.Unlock()
			if started != nil {
				started <- err
				started = nil
			}
			if err != nil {
				return
			}
			_ = cmd.Wait() // its end is what matters; its log says why
			s.mu.Lock()
			end := s.stopping || !anew
			s.mu.Unlock()
			if end {
				return
			}
			time.Sleep(after)
		}
	}()
	return <-started
}

// PID is the process of the server at present.
func (s *Server) PID() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.cmd == nil {
		return 0
	}
	return s.cmd.Process.Pid
}

func (s *Server) wait(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	db, err := sql.Open("mysql", s.DSN("", nil))
	if err != nil {
		return err
	}
	defer db.Close()
	for {
		if err = db.PingContext(ctx); err == nil {
			return nil
		}
		select {
		case <-s.done:
			return errors.New("it ended while starting")
		case <-ctx.Done():
			return err
		case <-time.After(40 * time.Millisecond):
		}
	}
}

// DSN is how to reach a database of the server; "" is none in particular. UTC,
// strict mode; params may add to the connection's settings.
func (s *Server) DSN(database string, params map[string]string) string {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.DBName = "trevik", s.password, database
	c.Net, c.Addr = "tcp", s.Addr()
	c.Params = params
	return c.FormatDSN()
}

// Addr is where it listens.
func (s *Server) Addr() string { return net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port)) }

// Takes says whether it takes what is written, as one of so many nodes that all know one another; 1 is alone.
func (s *Server) Takes(ctx context.Context, nodes int) bool {
	db, err := sql.Open("mysql", s.DSN("", map[string]string{"timeout": "2s"}))
	if err != nil {
		return false
	}
	defer db.Close()
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	if nodes == 1 {
		_, err = db.ExecContext(ctx, "DO (SELECT 1)")
		return err == nil
	}
	var is string
	err = db.QueryRowContext(ctx, `SELECT GROUP_CONCAT(variable_value ORDER BY variable_name) FROM information_schema.global_status
WHERE variable_name IN ('wsrep_cluster_size', 'wsrep_cluster_status', 'wsrep_local_state_comment')`).Scan(&is)
	return err == nil && is == fmt.Sprintf("%d,Primary,Synced", nodes)
}

// Create makes an empty database, unless it is there, and gives its DSN.
func (s *Server) Create(ctx context.Context, name string) (string, error) {
	return s.DSN(name, nil), s.exec(ctx, "CREATE DATABASE IF NOT EXISTS "+quoted(name)+" CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci")
}

// Drop removes a database with all that is in it, if it is there.
func (s *Server) Drop(ctx context.Context, name string) error {
	return s.exec(ctx, "DROP DATABASE IF EXISTS "+quoted(name))
}

func quoted(name string) string { return "`" + strings.ReplaceAll(name, "`", "``") + "`" }

func (s *Server) exec(ctx context.Context, statement string) error {
	db, err := sql.Open("mysql", s.DSN("", nil))
	if err != nil {
		return err
	}
	defer db.Close()
	_, err = db.ExecContext(ctx, statement)
	return err
}

// Stop ends the server cleanly and waits for it.
func (s *Server) Stop() {
	s.mu.Lock()
	s.stopping = true
	cmd := s.cmd
	s.mu.Unlock()
	if cmd == nil {
		return
	}
	defer s.lock.Close()
	_ = cmd.Process.Signal(syscall.SIGTERM)
	select {
	case <-s.done:
	case <-time.After(30 * time.Second):
		_ = cmd.Process.Kill()
		<-s.done
	}
}

func (s *Server) pidFile() string { return filepath.Join(s.dir, "mariadb.pid") }

func program(name, usual string) (string, error) {
	if p, err := exec.LookPath(name); err == nil {
		return p, nil
	}
	if _, err := os.Stat(usual); err == nil {
		return usual, nil
	}
	return "", fmt.Errorf("%s is not installed; on Debian: apt-get install mariadb-server", name)
}

func initialise(ctx context.Context, data, temp string) error {
	if _, err := os.Stat(filepath.Join(data, "mysql")); err == nil {
		return nil
	}
	install, err := program("mariadb-install-db", "/usr/bin/mariadb-install-db")
	if err != nil {
		return err
	}
	// Installed beside and renamed when whole, so that an install that was cut
	// off leaves nothing that looks like one.
	fresh := data + ".new"
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	args := []string{"--no-defaults", "--datadir=" + fresh, "--skip-test-db", "--auth-root-authentication-method=normal",
		"--innodb-log-file-size=32M"}
	if me, err := user.Current(); err == nil && me.Uid == "0" {
		args = append(args, "--user=root")
	}
	cmd := exec.CommandContext(ctx, install, args...)
	cmd.Env = append(os.Environ(), "TMPDIR="+temp)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("mariadb-install-db: %w\n%s", err, tail(out))
	}
	return os.Rename(fresh, data)
}

// endStale stops a server that an earlier owner of this folder, which was killed,
// left running. The folder is ours by its lock, so nobody else wants it.
func endStale(ctx context.Context, dir string) error {
	raw, err := os.ReadFile(filepath.Join(dir, "mariadb.pid"))
	if err != nil {
		return nil
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(raw)))
	if err != nil {
		return nil
	}
	ours := func() bool {
		cmdline, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
		return err == nil && bytes.Contains(cmdline, []byte("--datadir="+filepath.Join(dir, "data")+"\x00"))
	}
	for i := 0; ours(); i++ {
		if i == 0 {
			_ = syscall.Kill(pid, syscall.SIGTERM)
		}
		if i == 400 {
			return fmt.Errorf("a MariaDB (process %d) runs on %s and does not stop", pid, dir)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
	}
	return nil
}

// FreePort is a port of loopback that nobody listens at.
func FreePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func tail(b []byte) []byte {
	if len(b) > 2000 {
		return b[len(b)-2000:]
	}
	return b
}

// Remove deletes a server's data; it fails while another process owns the folder.
func Remove(ctx context.Context, dir string) error {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return err
	}
	lock, err := own(dir)
	if err != nil {
		return err
	}
	defer lock.Close()
	if err := endStale(ctx, dir); err != nil {
		return err
	}
	for _, name := range []string{"filled", "data", "data.new", "init.sql", "mariadb.log", "mariadb.pid", "mariadb.sock"} {
		if err := os.RemoveAll(filepath.Join(dir, name)); err != nil {
			return err
		}
	}
	return nil
}
