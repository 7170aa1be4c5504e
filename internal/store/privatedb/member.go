package privatedb

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Member is a node of a Galera cluster on loopback.
type Member struct {
	Name     string
	Cluster  string
	Port     int // for statements
	Group    int // for the other nodes
	Catch    int // where it catches up on what it missed
	Copy     int // where it is given a whole copy
	Peers    []int
	Password string // the same of every node
	Begins   bool   // it begins the cluster
}

// provider is Debian's Galera library.
const provider = "/usr/lib/galera/libgalera_smm.so"

// HasGalera says what a cluster needs that is not installed; nil is nothing.
func HasGalera() error {
	if _, err := os.Stat(provider); err != nil {
		return fmt.Errorf("galera-4 is not installed; on Debian: apt-get install galera-4 mariadb-backup socat")
	}
	for _, name := range []string{"mariabackup", "socat"} {
		if _, err := exec.LookPath(name); err != nil {
			return fmt.Errorf("%s is not installed; on Debian: apt-get install galera-4 mariadb-backup socat", name)
		}
	}
	return nil
}

// Impatience lets the other nodes go on after 2 to 3 s where one is silent; by Galera's own values they wait
// for up to 15 s. The nodes agree on who is there by messages that are sent again after join_retrans_period: at
// Galera's own 1 s, and this little patience, a node that wakes up holds the others up for ten seconds.
const Impatience = "evs.keepalive_period=PT0.3S;evs.inactive_check_period=PT0.2S;evs.join_retrans_period=PT0.3S;" +
	"evs.suspect_timeout=PT1.8S;evs.inactive_timeout=PT2.4S;evs.install_timeout=PT2.4S"

func (m *Member) args() []string {
	var peers []string
	for _, p := range m.Peers {
		peers = append(peers, fmt.Sprintf("127.0.0.1:%d", p))
	}
	return []string{
		"--binlog-format=ROW", "--default-storage-engine=InnoDB", "--innodb-autoinc-lock-mode=2", "--wsrep-on=ON",
		"--wsrep-provider=" + provider, "--wsrep-cluster-name=" + m.Cluster, "--wsrep-node-name=" + m.Name,
		"--wsrep-cluster-address=gcomm://" + strings.Join(peers, ","), fmt.Sprintf("--wsrep-node-address=127.0.0.1:%d", m.Group),
		"--wsrep-sst-method=mariabackup", "--wsrep-sst-auth=root:", fmt.Sprintf("--wsrep-sst-receive-address=127.0.0.1:%d", m.Copy),
		"--wsrep-retry-autocommit=4",
		fmt.Sprintf("--wsrep-provider-options=gmcast.listen_addr=tcp://127.0.0.1:%d;ist.recv_addr=127.0.0.1:%d;gcache.size=64M;", m.Group,
			m.Catch) + Impatience,
	}
}

// people makes the application's own, on the node that begins a cluster: the others have them from there.
func (s *Server) people(ctx context.Context, m *Member) error {
	if m == nil || !m.Begins {
		return nil
	}
	c := mysql.NewConfig()
	c.User, c.Net, c.Addr = "root", "unix", s.socket
	db, err := sql.Open("mysql", c.FormatDSN())
	if err != nil {
		return err
	}
	defer db.Close()
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	for {
		_, err = db.ExecContext(ctx, "CREATE OR REPLACE USER 'trevik'@'127.0.0.1' IDENTIFIED BY '"+m.Password+"'")
		if err == nil {
			_, err = db.ExecContext(ctx, "GRANT ALL ON *.* TO 'trevik'@'127.0.0.1'")
		}
		if err == nil {
			return nil
		}
		select {
		case <-s.done:
			return fmt.Errorf("it ended while starting")
		case <-ctx.Done():
			return err
		case <-time.After(100 * time.Millisecond):
		}
	}
}

var recovered = regexp.MustCompile(`[Rr]ecovered position:? *[0-9a-f-]+:(-?\d+)`)

// Reached is how far the data of a stopped node in a folder had come; -1 is nothing.
func Reached(ctx context.Context, dir string) int64 {
	data := filepath.Join(dir, "data")
	if _, err := os.Stat(filepath.Join(data, "grastate.dat")); err != nil {
		return -1
	}
	mariadbd, err := program("mariadbd", "/usr/sbin/mariadbd")
	if err != nil {
		return -1
	}
	out, _ := exec.CommandContext(ctx, mariadbd, "--no-defaults", "--user=root", "--datadir="+data, "--tmpdir="+filepath.Join(dir, "tmp"),
		"--wsrep-on=ON", "--wsrep-provider="+provider, "--wsrep-recover", "--bind-address=127.0.0.1", "--skip-networking",
		"--socket="+filepath.Join(dir, "r.sock")).CombinedOutput() // its output tells all that counts
	found := recovered.FindSubmatch(out)
	if found == nil {
		return -1
	}
	n, err := strconv.ParseInt(string(found[1]), 10, 64)
	if err != nil {
		return -1
	}
	return n
}

// MayBegin lets a stopped node begin its cluster again: the one that had come farthest.
func MayBegin(dir string) error {
	path := filepath.Join(dir, "data", "grastate.dat")
	state, err := os.ReadFile(path)
	if os.IsNotExist(err) {
		return nil // a new one
	}
	if err != nil {
		return err
	}
	return os.WriteFile(path, []byte(strings.Replace(string(state), "safe_to_bootstrap: 0", "safe_to_bootstrap: 1", 1)), 0o600)
}
