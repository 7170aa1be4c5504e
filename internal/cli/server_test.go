package cli

import (
	"bytes"
	"net/http"
	"os"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"trevik/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// output is written by one goroutine and read by another.
type output struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (o *output) Write(p []byte) (int, error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.b.Write(p)
}

func (o *output) String() string {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.b.String()
}

// A shop from nothing: migrate, add its owner, serve, and stop when told.
func TestForReal(t *testing.T) {
	dsn := storetest.DSN(t)
	for range 2 { // a second time changes nothing
		if code, out, errOut := call("", "migrate", "--dsn", dsn); code != Answered ||
			!strings.Contains(out, "version 24") {
			t.Fatalf("migrate: %d %q %q", code, out, errOut)
		}
	}
	add := []string{"user", "add", "--dsn", dsn, "--shop", "Loft", "--name", "Isolde", "--login", "isolde", "--role", "owner"}
	if code, out, errOut := call("a long password\n", add...); code != Answered ||
		!strings.Contains(out, "owner of Loft") {
		t.Fatalf("user add: %d %q %q", code, out, errOut)
	}
	if code, _, errOut := call("a long password\n", add...); code != AtFault || !strings.HasPrefix(errOut, "login: is taken") {
		t.Errorf("the same login again: %d %q", code, errOut)
	}
	if code, _, errOut := call("short\n", append(add, "--login", "other")...); code != AtFault || !strings.HasPrefix(errOut, "password") {
		t.Errorf("a short password: %d %q", code, errOut)
	}

	if code, out, errOut := call("", "check", "--dsn", dsn, "--shop", "Loft"); code != Answered ||
		!strings.HasPrefix(out, "0 runs, all sums agree; ") {
		t.Errorf("check: %d %q %q", code, out, errOut)
	}
	if code, _, errOut := call("", "check", "--dsn", dsn, "--shop", "Nowhere"); code == Answered || errOut == "" {
		t.Errorf("check of no shop: %d %q", code, errOut)
	}

	var out, errOut output
	ended := make(chan int)
	go func() {
		ended <- Run([]string{"serve", "--dsn", dsn, "--addr", "127.0.0.1:0", "--plain-http"}, strings.NewReader(""), &out, &errOut)
	}()
	var url string
	for i := 0; url == "" && i < 200; i++ {
		url = regexp.MustCompile(`http://\S+`).FindString(out.String())
		time.Sleep(20 * time.Millisecond)
	}
	res, err := http.Get(url + "/health")
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if res.StatusCode != http.StatusOK {
		t.Errorf("health: %d", res.StatusCode)
	}
	if err := syscall.Kill(os.Getpid(), syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	select {
	case code := <-ended:
		if code != Answered {
			t.Errorf("told to stop: exit %d, %s", code, errOut.String())
		}
	case <-time.After(30 * time.Second):
		t.Fatal("it does not stop")
	}
	if code, _, errOut := call("", "serve", "--dsn", dsn, "--addr", "nowhere:x"); code != AtFault || !strings.Contains(errOut, "addr") {
		t.Errorf("a bad address: %d %q", code, errOut)
	}
}

// A set-up is looked at: each thing is well or says what to do, and what cannot be reached is said.
func TestDoctor(t *testing.T) {
	dsn := storetest.DSN(t)
	code, out, _ := call("", "doctor", "--dsn", dsn)
	if code == Answered || !strings.Contains(out, "mend  schema") || !strings.Contains(out, "run trevik migrate") {
		t.Errorf("an empty database: %d %s", code, out)
	}
	if code, _, errOut := call("", "migrate", "--dsn", dsn); code != Answered {
		t.Fatal(errOut)
	}
	_, out, _ = call("", "doctor", "--dsn", dsn)
	for _, want := range []string{"well  schema", "well  tables", "well  jobs", "mend  owner's key"} {
		if !strings.Contains(out, want) {
			t.Errorf("no %q in %s", want, out)
		}
	}
	if code, out, _ := call("", "doctor", "--dsn", "x:y@tcp(127.0.0.1:1)/none"); code == Answered || !strings.Contains(out, "start it") {
		t.Errorf("nobody there: %d %s", code, out)
	}
	if code, _, errOut := call("", "doctor"); code != 2 || !strings.Contains(errOut, "dsn") {
		t.Errorf("%d %s", code, errOut)
	}
}
