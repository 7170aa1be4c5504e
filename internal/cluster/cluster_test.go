package cluster

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"trevik/internal/demo"
	"trevik/internal/seal"
	"trevik/internal/store"
)

// standIn is an instance that can go down, die within a request, or lose its database.
type standIn struct {
	*httptest.Server
	sick, dies, away atomic.Bool
	asked            atomic.Int64
}

func newStandIn(t *testing.T, name string) *standIn {
	s := &standIn{}
	s.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path == "/health":
			if s.sick.Load() {
				w.WriteHeader(http.StatusServiceUnavailable)
			}
			return
		case s.dies.Load():
			panic(http.ErrAbortHandler)
		case s.away.Load():
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		s.asked.Add(1)
		body, _ := io.ReadAll(r.Body)
		fmt.Fprintf(w, "%s %s", name, body)
	}))
	t.Cleanup(s.Close)
	return s
}

// A request goes to an instance that is up; where that one dies within it, is without its database or goes
// down, another one is asked the same, body and all.
func TestProxy(t *testing.T) {
	one, two := newStandIn(t, "one"), newStandIn(t, "two")
	p, err := NewProxy(one.URL, two.URL)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(p.Close)
	front := httptest.NewServer(p)
	t.Cleanup(front.Close)
	ask := func(body string) (int, string) {
		t.Helper()
		answer, err := http.Post(front.URL+"/x", "text/plain", strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		defer answer.Body.Close()
		got, _ := io.ReadAll(answer.Body)
		return answer.StatusCode, string(got)
	}
	both := func() {
		for range 200 { // until both are known to be up
			a, b := one.asked.Load(), two.asked.Load()
			ask("")
			ask("")
			if one.asked.Load() > a && two.asked.Load() > b {
				return
			}
			time.Sleep(20 * time.Millisecond)
		}
		t.Fatal("one of them is not asked")
	}
	both()
	for name, fault := range map[string]*atomic.Bool{"dies": &one.dies, "without its database": &one.away, "down": &one.sick} {
		fault.Store(true)
		for n := range 6 {
			if code, got := ask(fmt.Sprintf("run %d", n)); code != http.StatusOK || got != fmt.Sprintf("two run %d", n) && name != "down" ||
				!strings.HasSuffix(got, fmt.Sprintf("run %d", n)) {
				t.Errorf("%s: %d %q", name, code, got)
			}
		}
		fault.Store(false)
		both()
	}
	// What is too large to be held is sent on whole.
	large := strings.Repeat("x", heldBytes+1)
	if code, got := ask(large); code != http.StatusOK || len(got) != len("one ")+len(large) {
		t.Errorf("a large one: %d, %d bytes", code, len(got))
	}
	one.sick.Store(true)
	two.sick.Store(true)
	time.Sleep(3 * askEvery)
	r, _ := http.NewRequest(http.MethodPost, front.URL, strings.NewReader(""))
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	if answer, err := http.DefaultClient.Do(r.WithContext(ctx)); err == nil && answer.StatusCode == http.StatusOK {
		t.Error("both are down, and it is answered")
	}
}

func TestLine(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() { _, _ = io.Copy(c, c) }() // an echo, until it is cut
		}
	}()
	line, err := NewLine(l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer line.Close()
	echo := func() (time.Duration, error) {
		c, err := net.Dial("tcp", line.Addr)
		if err != nil {
			return 0, err
		}
		defer c.Close()
		begun := time.Now()
		if _, err := c.Write([]byte("to and fro")); err != nil {
			return 0, err
		}
		_, err = io.ReadFull(c, make([]byte, 10))
		return time.Since(begun), err
	}
	if _, err := echo(); err != nil {
		t.Fatal(err)
	}
	line.Slow(100 * time.Millisecond)
	if took, err := echo(); err != nil || took < 200*time.Millisecond {
		t.Errorf("slow each way: %s, %v", took, err)
	}
	line.Slow(0)
	line.Cut(true)
	if _, err := echo(); err == nil {
		t.Error("it is cut, and something comes through")
	}
	line.Cut(false)
	if _, err := echo(); err != nil {
		t.Error(err)
	}
}

// world starts nodes with the demo's runners in them, and instances with a proxy before them, in a folder of the project's
// own.
func world(t *testing.T, o Options) (*Cluster, *store.Store, Options) {
	t.Helper()
	root, err := filepath.Abs(filepath.Join("..", ".."))
	if err != nil {
		t.Fatal(err)
	}
	if err := os.MkdirAll(filepath.Join(root, ".trevik"), 0o755); err != nil {
		t.Fatal(err)
	}
	if o.Dir, err = os.MkdirTemp(filepath.Join(root, ".trevik"), "test-"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(o.Dir) })
	o.Program, o.Addr, o.KeyFile, o.Few = filepath.Join(o.Dir, "trevik"), "127.0.0.1:0", filepath.Join(o.Dir, "key"), true
	build := exec.Command("go", "build", "-o", o.Program, "./cmd/trevik")
	build.Dir, build.Env = root, append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	key := seal.NewKey()
	if err := os.WriteFile(o.KeyFile, []byte(key.Text()), 0o600); err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	nodes, dsn, err := Database(ctx, o, DatabaseName)
	if err != nil {
		t.Fatal(err)
	}
	s, err := store.Open(dsn)
	if err != nil {
		stop(nodes)
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	if _, err = s.Migrate(ctx); err == nil {
		if err = s.Unlock(ctx, key, time.Now()); err == nil {
			err = demo.Fill(ctx, s, time.Now())
		}
	}
	if err != nil {
		stop(nodes)
		t.Fatal(err)
	}
	c, err := Start(ctx, o, nodes)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Stop)
	c.DSN = dsn
	return c, s, o
}

// Two instances on one database, killed in turn with it while people write: what was acknowledged is there
// once. make faults does the same at length, and to a cluster.
func TestFaults(t *testing.T) {
	c, _, o := world(t, Options{Nodes: 1, Instances: 2})
	survives(t, c, o, "| an instance was killed | 3 |", "| the database was killed | 2 |")
}

func survives(t *testing.T, c *Cluster, o Options, wants ...string) {
	t.Helper()
	var out bytes.Buffer
	if err := Faults(context.Background(), c, o, &out); err != nil {
		t.Errorf("%v\n%s", err, out.String())
	}
	for _, want := range wants {
		if !strings.Contains(out.String(), want) {
			t.Errorf("no %q in\n%s", want, out.String())
		}
	}
}
