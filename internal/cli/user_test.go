package cli

import (
	"strings"
	"testing"

	"trevik/internal/store/storetest"
)

// The people of a shop from the command line: for an owner who is locked out, and for a machine
// without a browser.
func TestUserCommands(t *testing.T) {
	dsn := storetest.DSN(t)
	run := func(in string, args ...string) (int, string, string) {
		t.Helper()
		return call(in, append(args, "--dsn", dsn)...)
	}
	run("", "migrate")
	for login, role := range map[string]string{"isolde": "owner", "teal": "fitter"} {
		if code, _, errs := run("six old rowing boats\n", "user", "add", "--shop", "Loft", "--name", login, "--login", login, "--role",
			role); code != Answered {
			t.Fatalf("%d %q", code, errs)
		}
	}
	for _, c := range []struct {
		in   string
		args []string
		code int
		says string
	}{
		{"", []string{"disable", "--login", "TEAL"}, Answered, ""},
		{"", []string{"disable", "--login", "isolde"}, AtFault, "last owner"},
		{"", []string{"role", "--login", "isolde", "--role", "fitter"}, AtFault, "last owner"},
		{"", []string{"role", "--login", "teal", "--role", "emperor"}, AtFault, "role"},
		{"password123\n", []string{"password", "--login", "teal"}, AtFault, "guessed first"},
		{"another six rowing boats\n", []string{"password", "--login", "teal"}, Answered, ""},
		{"", []string{"end-sessions", "--login", "teal"}, Answered, ""},
		{"", []string{"reset-second", "--login", "teal"}, Answered, ""},
	} {
		if code, _, errs := run(c.in, append([]string{"user"}, c.args...)...); code != c.code || !strings.Contains(errs, c.says) {
			t.Errorf("%v: %d %q", c.args, code, errs)
		}
	}
	if code, out, _ := run("", "user", "list", "--shop", "Loft"); code != Answered || !strings.Contains(out, "teal") ||
		!strings.Contains(out, "202") {
		t.Errorf("%d %q", code, out)
	}
	if code, out, errs := run("", "check", "--shop", "Loft"); code != Answered ||
		!strings.Contains(out, "4 entries of the audit log, all seals hold") {
		t.Errorf("%d %q %q", code, out, errs)
	}
	run("", "user", "enable", "--login", "teal")
	if _, out, _ := run("", "user", "list", "--shop", "Loft"); strings.Contains(out, "202") {
		t.Errorf("still barred: %q", out)
	}
	if code, _, _ := run("", "user", "disable", "--login", "nobody"); code == Answered {
		t.Error("nobody is barred")
	}
}
