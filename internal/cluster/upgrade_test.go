package cluster

import (
	"context"
	"crypto/rand"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"trevik/internal/demo"
)

const migrations = "internal/store/migrations"

// olderProgram builds the last program before the newest migration, from the project's history.
func olderProgram(t *testing.T, root string) string {
	t.Helper()
	git := func(args ...string) (string, error) {
		out, err := exec.Command("git", append([]string{"-C", root}, args...)...).Output()
		return strings.TrimSpace(string(out)), err
	}
	count := func(text string) int { return strings.Count(text, ".sql") }
	files, err := filepath.Glob(filepath.Join(root, migrations, "*.sql"))
	must(t, err)
	history, err := git("log", "--format=%H^", "--", migrations)
	if err != nil {
		t.Skip("there is no history here to build an older program from")
	}
	older := ""
	for _, at := range append([]string{"HEAD"}, strings.Fields(history)...) {
		if tree, err := git("ls-tree", "--name-only", at, migrations+"/"); err == nil && count(tree) > 0 && count(tree) < len(files) {
			older = at
			break
		}
	}
	if older == "" {
		t.Skip("the history here does not reach to before the newest migration")
	}
	dir := filepath.Join(t.TempDir(), "older")
	must(t, os.MkdirAll(dir, 0o755))
	unpack := exec.Command("sh", "-c", `git -C "$1" archive "$2" | tar -x -C "$3"`, "sh", root, older, dir)
	if out, err := unpack.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	// Styles, fonts and scripts are built, not kept in the history.
	static := filepath.Join("internal", "web", "static")
	must(t, filepath.WalkDir(filepath.Join(root, static), func(path string, d os.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(root, path)
		if err != nil {
			return err
		}
		to := filepath.Join(dir, rel)
		if d.IsDir() {
			return os.MkdirAll(to, 0o755)
		}
		if _, err := os.Stat(to); err == nil {
			return nil
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		return os.WriteFile(to, data, 0o644)
	}))
	program := filepath.Join(dir, "trevik")
	build := exec.Command("go", "build", "-o", program, "./cmd/trevik")
	build.Dir, build.Env = dir, append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("the older program: %v\n%s", err, out)
	}
	return program
}

// Half of an upgrade: the database is the new program's already, one instance is still the version before. Both show every
// page and take what is written, while either is killed.
func TestUpgradeHalfDone(t *testing.T) {
	root, err := filepath.Abs(filepath.Join("..", ".."))
	must(t, err)
	c, s, o := world(t, Options{Nodes: 1, Instances: 2, Older: olderProgram(t, root)})
	ctx := context.Background()
	var fit, runner uint64
	must(t, s.DB.QueryRow("SELECT id, runner_id FROM fits WHERE closed_at IS NULL ORDER BY id LIMIT 1").Scan(&fit, &runner))
	pages := []string{"/", "/due", "/runners", "/shoes", "/shop", "/people", "/audit", "/practice", "/learned", "/search?q=a",
		fmt.Sprintf("/runners/%d", runner), fmt.Sprintf("/runners/%d/season", runner)}
	for _, station := range []string{"hello", "old-pair", "feet", "print", "gait", "support", "shoes", "try-on", "rotation",
		"distance", "card"} {
		pages = append(pages, fmt.Sprintf("/fits/%d/%s", fit, station))
	}
	for i, in := range c.Instances {
		p, err := signIn(ctx, in.URL, demo.Staff[0].Login)
		must(t, err)
		for _, page := range pages {
			answer, err := p.client.Get(in.URL + page)
			must(t, err)
			body, err := io.ReadAll(answer.Body)
			must(t, err)
			must(t, answer.Body.Close())
			if answer.StatusCode != http.StatusOK {
				t.Errorf("instance %d: %s: %d %.300s", i+1, page, answer.StatusCode, body)
			}
		}
		for path, form := range map[string]url.Values{
			fmt.Sprintf("/fits/%d/hello", fit):         {"surface": {"road"}},
			fmt.Sprintf("/runners/%d/consent", runner): {"film": {"yes"}},
			"/shop": {"film_days": {[]string{"7", "90"}[i]}},
		} {
			form.Set("token", rand.Text())
			if code := p.send(ctx, path, form); code >= 400 || code == 0 {
				t.Errorf("instance %d: %s is answered with %d", i+1, path, code)
			}
		}
	}
	survives(t, c, o, "| an instance was killed | 3 |")
}
