package cluster

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"syscall"
	"time"

	"trevik/internal/store/privatedb"
)

// Options of a cluster for trying.
type Options struct {
	Dir       string
	Program   string // the trevik that instances run
	Older     string // another one that the first of them runs: an upgrade half done; the same where it is empty
	Nodes     int    // 1 is a single MariaDB
	Instances int
	Addr      string // where the proxy listens
	KeyFile   string
	Few       bool // faults: the first two kinds, a few times each
	PoolMiB   int  // what a single database keeps in memory; a small one's where it is 0
	Logs      bool // each node keeps a binary log
	SmallDisk bool // the first node's folder is a disk of its own, to be filled
}

// Cluster is a running one.
type Cluster struct {
	Nodes     []*privatedb.Server
	Instances []*Instance
	URL       string
	DSN       string // of all nodes
	Proxy     *Proxy
	server    *http.Server
	lines     []*Line // from each instance to each node, the instances in turn
	small     bool    // the database lies on a small disk of its own
}

func (c *Cluster) linesOf(instance int) []*Line {
	n := len(c.Nodes)
	return c.lines[instance*n : (instance+1)*n]
}

// password is what the nodes of a cluster on loopback share, made with its first start.
func password(dir string) (string, error) {
	path := filepath.Join(dir, "password")
	if had, err := os.ReadFile(path); err == nil {
		return string(had), nil
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", err
	}
	p := rand.Text()
	return p, os.WriteFile(path, []byte(p), 0o600)
}

// Database starts the nodes, or the single server, with a database of the name, and gives a DSN of all
// of them.
func Database(ctx context.Context, o Options, name string) (nodes []*privatedb.Server, dsn string, err error) {
	defer func() {
		if err != nil {
			stop(nodes)
		}
	}()
	if o.Nodes < 2 {
		s, err := privatedb.Start(ctx, filepath.Join(o.Dir, "n1"), privatedb.Options{Again: true, PoolMiB: o.PoolMiB, Logs: o.Logs})
		if err != nil {
			return nil, "", err
		}
		nodes = append(nodes, s)
		dsn, err = s.Create(ctx, name)
		return nodes, dsn, err
	}
	if err := privatedb.HasGalera(); err != nil {
		return nil, "", err
	}
	secret, err := password(o.Dir)
	if err != nil {
		return nil, "", err
	}
	members, err := membersOf(o, secret)
	if err != nil {
		return nil, "", err
	}
	begins := begin(ctx, o)
	if err := privatedb.MayBegin(dirOf(o, begins)); err != nil {
		return nil, "", err
	}
	members[begins].Begins = true
	order := []int{begins}
	for i := range members {
		if i != begins {
			order = append(order, i)
		}
	}
	nodes = make([]*privatedb.Server, len(members))
	for _, i := range order {
		if nodes[i], err = privatedb.Start(ctx, dirOf(o, i), privatedb.Options{Again: true, Member: &members[i], Logs: o.Logs}); err != nil {
			return nodes, "", fmt.Errorf("node %d: %w", i+1, err)
		}
	}
	if _, err := nodes[begins].Create(ctx, name); err != nil {
		return nodes, "", err
	}
	return nodes, dsnOf(nodes, begins, name), nil
}

// dsnOf names all nodes for an instance by its number: each asks another one first.
func dsnOf(nodes []*privatedb.Server, instance int, name string) string {
	var hosts []string
	for i := range nodes {
		hosts = append(hosts, nodes[(i+instance)%len(nodes)].Addr())
	}
	first := nodes[instance%len(nodes)]
	return strings.Replace(first.DSN(name, nil), "tcp("+first.Addr()+")", "tcp("+strings.Join(hosts, ",")+")", 1)
}

func dirOf(o Options, node int) string { return filepath.Join(o.Dir, fmt.Sprintf("n%d", node+1)) }

// membersOf gives each node its ports.
func membersOf(o Options, secret string) ([]privatedb.Member, error) {
	out := make([]privatedb.Member, o.Nodes)
	var peers []int
	for i := range out {
		m := &out[i]
		m.Name, m.Cluster, m.Password = fmt.Sprintf("n%d", i+1), "trevik-"+filepath.Base(o.Dir), secret
		for _, port := range []*int{&m.Port, &m.Group, &m.Catch, &m.Copy} {
			var err error
			if *port, err = privatedb.FreePort(); err != nil {
				return nil, err
			}
		}
		peers = append(peers, m.Group)
	}
	for i := range out {
		out[i].Peers = peers
	}
	return out, nil
}

// begin is the node that begins the cluster: the one whose data had come farthest.
func begin(ctx context.Context, o Options) int {
	best, most := 0, int64(-1)
	for i := range o.Nodes {
		if n := privatedb.Reached(ctx, dirOf(o, i)); n > most {
			best, most = i, n
		}
	}
	return best
}

func stop(nodes []*privatedb.Server) {
	for _, n := range nodes {
		if n != nil {
			n.Stop()
		}
	}
}

// DatabaseName is that of what the instances serve.
const DatabaseName = "trevik"

// Start starts instances on nodes that are there already, and the proxy before them.
func Start(ctx context.Context, o Options, nodes []*privatedb.Server) (c *Cluster, err error) {
	c = &Cluster{Nodes: nodes, small: o.SmallDisk}
	defer func() {
		if err != nil {
			c.Stop()
		}
	}()
	var addresses []string
	for i := range o.Instances {
		dsn := dsnOf(nodes, i, DatabaseName)
		for _, n := range nodes {
			l, err := NewLine(n.Addr())
			if err != nil {
				return c, err
			}
			c.lines = append(c.lines, l)
			dsn = strings.Replace(dsn, n.Addr(), l.Addr, 1)
		}
		in, err := newInstance(o, i, dsn)
		if err != nil {
			return c, err
		}
		c.Instances = append(c.Instances, in)
		addresses = append(addresses, in.URL)
	}
	if c.Proxy, err = NewProxy(addresses...); err != nil {
		return c, err
	}
	l, err := net.Listen("tcp", o.Addr)
	if errors.Is(err, syscall.EADDRINUSE) {
		l, err = net.Listen("tcp", "127.0.0.1:0")
	}
	if err != nil {
		return c, err
	}
	c.URL = "http://" + l.Addr().String()
	c.server = &http.Server{Handler: c.Proxy, ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = c.server.Serve(l) }() // it ends with Stop
	return c, c.wait(ctx)
}

// wait waits until the proxy answers.
func (c *Cluster) wait(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	for {
		r, err := http.NewRequestWithContext(ctx, http.MethodGet, c.URL+"/health", nil)
		if err != nil {
			return err
		}
		answer, err := http.DefaultClient.Do(r)
		if err == nil {
			_ = answer.Body.Close() // only its status counts
			if answer.StatusCode == http.StatusOK {
				return nil
			}
		}
		select {
		case <-ctx.Done():
			return errors.New("no instance came up; their logs are in the folder")
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// Stop ends all of it, the nodes last.
func (c *Cluster) Stop() {
	if c.server != nil {
		_ = c.server.Close() // nobody is served any more
	}
	if c.Proxy != nil {
		c.Proxy.Close()
	}
	for _, in := range c.Instances {
		in.Stop()
	}
	for _, l := range c.lines {
		l.Close()
	}
	stop(c.Nodes)
}

// Instance is a process that serves Trevik; one that ends is started again.
type Instance struct {
	URL      string
	mu       sync.Mutex
	cmd      *exec.Cmd
	stopping bool
	done     chan struct{}
}

func newInstance(o Options, n int, dsn string) (*Instance, error) {
	port, err := privatedb.FreePort()
	if err != nil {
		return nil, err
	}
	addr := fmt.Sprintf("127.0.0.1:%d", port)
	logs, err := os.OpenFile(filepath.Join(o.Dir, fmt.Sprintf("instance%d.log", n+1)), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, err
	}
	in := &Instance{URL: "http://" + addr, done: make(chan struct{})}
	go func() {
		// The kernel ends the process with the thread that started it, so the thread is kept.
		runtime.LockOSThread()
		defer runtime.UnlockOSThread()
		defer close(in.done)
		defer logs.Close()
		program := o.Program
		if n == 0 && o.Older != "" {
			program = o.Older
		}
		for {
			cmd := exec.Command(program, "serve", "--addr", addr, "--plain-http", "--trusted-proxies", "127.0.0.1", "--key", o.KeyFile)
			cmd.Env = append(os.Environ(), "TREVIK_DSN="+dsn) // not among the arguments, which others can list
			cmd.Stdout, cmd.Stderr = logs, logs
			cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM, Setpgid: true}
			in.mu.Lock()
			if in.stopping || cmd.Start() != nil {
				in.mu.Unlock()
				return
			}
			in.cmd = cmd
			in.mu.Unlock()
			_ = cmd.Wait() // its log says why it ended
			in.mu.Lock()
			end := in.stopping
			in.mu.Unlock()
			if end {
				return
			}
			time.Sleep(300 * time.Millisecond)
		}
	}()
	return in, nil
}

// PID is its process at present, 0 without one.
func (in *Instance) PID() int {
	in.mu.Lock()
	defer in.mu.Unlock()
	if in.cmd == nil {
		return 0
	}
	return in.cmd.Process.Pid
}

// Stop ends it.
func (in *Instance) Stop() {
	in.mu.Lock()
	in.stopping = true
	cmd := in.cmd
	in.mu.Unlock()
	if cmd != nil {
		_ = cmd.Process.Signal(syscall.SIGTERM) // it may have ended
		select {
		case <-in.done:
		case <-time.After(25 * time.Second):
			_ = cmd.Process.Kill()
			<-in.done
		}
	}
}
