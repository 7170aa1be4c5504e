package cluster

import (
	"bytes"
	"context"
	"crypto/rand"
	"fmt"
	"io"
	"log/slog"
	mrand "math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"
	"sync"
	"text/tabwriter"
	"time"

	"trevik/internal/app/suite"
	"trevik/internal/core/term"
	"trevik/internal/demo"
	"trevik/internal/store"
)

// Size is how much a database under load holds.
type Size struct {
	Shops  int
	Models int // of all shops together
	Times  int // how many more of each of the demo's runners
	Runs   int // of all runners together, about
}

// Chain makes the data of a chain of shops of the demo's: its shop carried over into others, larger catalogues, more runners, and
// their runs of years. A database that holds as many shops is one that was made before: it is left as it is.
func Chain(ctx context.Context, s *store.Store, size Size, out io.Writer) error {
	var there int
	if err := s.DB.QueryRowContext(ctx, "SELECT COUNT(*) FROM shops").Scan(&there); err != nil || there >= max(2, size.Shops) {
		return err
	}
	a := suite.New(s, time.Now, slog.New(slog.DiscardHandler))
	first, err := a.People.ShopNamed(ctx, demo.Shop)
	if err != nil {
		return err
	}
	var copied bytes.Buffer
	if err := a.Transfer.Export(ctx, first, 0, &copied); err != nil {
		return err
	}
	shops := []uint64{first}
	for n := 2; n <= size.Shops; n++ {
		shop, err := a.People.AddShop(ctx, fmt.Sprintf("%s %d", demo.Shop, n), demo.Currency)
		if err != nil {
			return err
		}
		who, err := a.People.AddUser(ctx, shop, fmt.Sprintf("Owner %d", n), loginOf(n), demo.Password, demo.Staff[0].Role)
		if err != nil {
			return err
		}
		if _, err := a.Transfer.Import(ctx, who, copied.Bytes()); err != nil {
			return fmt.Errorf("shop %d: %w", n, err)
		}
		shops = append(shops, shop)
	}
	base := demo.Catalogue()
	for _, shop := range shops {
		list := slices.Clone(base)
		for i := len(base); i < size.Models/len(shops); i++ {
			m := base[i%len(base)]
			m.ID, m.Replaces, m.Change, m.WeightG = fmt.Sprintf("m%d", i), "", "", m.WeightG+float64(i%40)
			list = append(list, m)
		}
		if err := a.Shelf.Add(ctx, shop, list[len(base):]); err != nil {
			return err
		}
	}
	if err := s.Multiply(ctx, size.Times); err != nil {
		return err
	}
	return runsOfYears(ctx, s, size.Runs, out)
}

func loginOf(shop int) string {
	if shop == 1 {
		return demo.Staff[0].Login
	}
	return fmt.Sprintf("owner%d", shop)
}

// runsOfYears gives every runner a pair that was given away a year ago, with their runs of the years before.
func runsOfYears(ctx context.Context, s *store.Store, runs int, out io.Writer) error {
	var runners int
	if err := s.DB.QueryRowContext(ctx, "SELECT COUNT(*) FROM runners").Scan(&runners); err != nil {
		return err
	}
	each := min(2000, runs/max(1, runners))
	if each < 1 {
		return nil
	}
	if _, err := s.DB.ExecContext(ctx, `INSERT INTO pairs (shop_id, runner_id, model_id, uk_half, width, price, bought_on, set_aside_on,
		aside_reason, made_by, made_at) SELECT r.shop_id, r.id, (SELECT MIN(m.id) FROM models m WHERE m.shop_id = r.shop_id), 16, 'D', 14000,
		DATE_SUB(CURDATE(), INTERVAL 2600 DAY), DATE_SUB(CURDATE(), INTERVAL 400 DAY), 'given_away', r.made_by, r.made_at
		FROM runners r`); err != nil {
		return err
	}
	begun := time.Now()
	for from := 1; from <= each; from += 20 { // in parts: a transaction of millions of rows stands in its own way
		to := min(each, from+19)
		if _, err := s.DB.ExecContext(ctx, fmt.Sprintf(`INSERT INTO runs (shop_id, runner_id, pair_id, run_on, km, ground, kind, how, made_by,
			made_at) SELECT p.shop_id, p.runner_id, p.id, DATE_SUB(CURDATE(), INTERVAL 401 + seq DAY), 3 + MOD(seq * 7, 11), 'road', 'easy', 'typed',
			p.made_by, p.made_at FROM pairs p JOIN seq_%d_to_%d WHERE p.aside_reason = 'given_away'
			AND p.bought_on = DATE_SUB(CURDATE(), INTERVAL 2600 DAY)`, from, to)); err != nil {
			return err
		}
	}
	fmt.Fprintf(out, "%d runs of years were put in in %.0f s.\n", each*runners, time.Since(begun).Seconds())
	return nil
}

// kinds of request and how often each is asked for, of a hundred.
var mix = []struct {
	name string
	part int
}{{"Today", 14}, {"Due", 10}, {"Runners", 8}, {"Shoes of the shop", 8}, {"search", 6}, {"a runner", 10}, {"a season", 2}, {"Feet", 8},
	{"Shoes of a fit", 8}, {"Rotation", 4}, {"Distance", 10}, {"a run logged", 12}}

// taken is what one kind of request took.
type taken struct {
	ms     []float64
	errors int
}

// fitOf is a fit of a shop, and its runner.
type fitOf struct{ fit, runner uint64 }

// Work is how many people work at once and for how long, and how long each looks at a page before the next, in the mean.
type Work struct {
	Connections int
	Span, Think time.Duration
}

// Load lets people of all shops work for some time, and prints what each kind of request took. It first waits until no verdict is
// stale.
func Load(ctx context.Context, c *Cluster, s *store.Store, shops int, w Work, out io.Writer) error {
	begun := time.Now()
	if err := settled(ctx, c, s, shops); err != nil {
		return err
	}
	fmt.Fprintf(out, "All verdicts were computed after %.0f s.\n", time.Since(begun).Seconds())
	if err := counts(ctx, s, out); err != nil {
		return err
	}
	people := make([]*person, w.Connections)
	fits := make([][]fitOf, w.Connections)
	for i := range people {
		shop := i%shops + 1
		var err error
		if people[i], err = signIn(ctx, c.URL, loginOf(shop)); err != nil {
			return err
		}
		if fits[i], err = someFits(ctx, s, loginOf(shop)); err != nil {
			return err
		}
	}
	fmt.Fprintf(out, "%d connections for %.1f min, %.0f s at a page in the mean; an instance holds %s before,\n", w.Connections,
		w.Span.Minutes(), w.Think.Seconds(), memoryOf(c))
	by := map[string]*taken{}
	var lock sync.Mutex
	var all sync.WaitGroup
	end, cancel := context.WithTimeout(ctx, w.Span)
	defer cancel()
	for i, p := range people {
		all.Go(func() {
			r := mrand.New(mrand.NewPCG(uint64(i), 3))
			for end.Err() == nil {
				rest(end, time.Duration(r.ExpFloat64()*float64(w.Think)))
				kind := kindOf(r.IntN(100))
				at := fits[i][r.IntN(len(fits[i]))]
				from := time.Now()
				code := p.ask(end, kind, at, r)
				if end.Err() != nil {
					return
				}
				lock.Lock()
				if by[kind] == nil {
					by[kind] = &taken{}
				}
				by[kind].ms = append(by[kind].ms, time.Since(from).Seconds()*1000)
				if code != http.StatusOK && code != http.StatusSeeOther {
					by[kind].errors++
				}
				lock.Unlock()
			}
		})
	}
	all.Wait()
	fmt.Fprintf(out, "and %s after.\n", memoryOf(c))
	return table(by, w.Span, out)
}

func kindOf(n int) string {
	for _, m := range mix {
		if n -= m.part; n < 0 {
			return m.name
		}
	}
	return mix[0].name
}

// ask is one request of a kind, and its answer's status.
func (p *person) ask(ctx context.Context, kind string, at fitOf, r *mrand.Rand) int {
	path := ""
	switch kind {
	case "Today":
		path = "/"
	case "Due":
		path = "/due"
	case "Runners":
		path = "/runners"
	case "Shoes of the shop":
		path = "/shoes"
	case "search":
		path = "/search?q=" + string(rune('a'+r.IntN(26)))
	case "a runner":
		path = fmt.Sprintf("/runners/%d", at.runner)
	case "a season":
		path = fmt.Sprintf("/runners/%d/season", at.runner)
	case "Feet":
		path = fmt.Sprintf("/fits/%d/feet", at.fit)
	case "Shoes of a fit":
		path = fmt.Sprintf("/fits/%d/shoes", at.fit)
	case "Rotation":
		path = fmt.Sprintf("/fits/%d/rotation", at.fit)
	case "Distance":
		path = fmt.Sprintf("/fits/%d/distance", at.fit)
	default:
		return p.send(ctx, fmt.Sprintf("/fits/%d/runs", at.fit), url.Values{"token": {rand.Text()}, "pair": {""},
			"on": {time.Now().AddDate(0, 0, -1).Format(time.DateOnly)}, "km": {fmt.Sprintf("%.1f", 4+8*r.Float64())},
			"kind": {string(term.Easy)}, "ground": {string(term.GroundRoad)}})
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, p.url+path, nil)
	if err != nil {
		return 0
	}
	answer, err := p.client.Do(request)
	if err != nil {
		return 0
	}
	defer answer.Body.Close()
	if _, err := io.Copy(io.Discard, answer.Body); err != nil {
		return 0
	}
	return answer.StatusCode
}

func table(by map[string]*taken, span time.Duration, out io.Writer) error {
	tw := tabwriter.NewWriter(out, 0, 8, 2, ' ', 0)
	fmt.Fprintln(tw, "REQUEST\tTIMES\tMIDDLE\t95 %\t99 %\tSLOWEST\tERRORS")
	whole := &taken{}
	line := func(name string, t *taken) {
		slices.Sort(t.ms)
		at := func(q float64) float64 { return t.ms[min(len(t.ms)-1, int(q*float64(len(t.ms))))] }
		fmt.Fprintf(tw, "%s\t%d\t%.0f ms\t%.0f ms\t%.0f ms\t%.0f ms\t%d\n", name, len(t.ms), at(0.5), at(0.95), at(0.99),
			t.ms[len(t.ms)-1], t.errors)
	}
	for _, m := range mix {
		if t := by[m.name]; t != nil {
			line(m.name, t)
			whole.ms, whole.errors = append(whole.ms, t.ms...), whole.errors+t.errors
		}
	}
	if len(whole.ms) > 0 {
		line("all", whole)
	}
	if err := tw.Flush(); err != nil {
		return err
	}
	_, err := fmt.Fprintf(out, "%.0f requests a second.\n", float64(len(whole.ms))/span.Seconds())
	return err
}

// settled waits until no verdict is stale; a list that is asked for has those of its shop computed.
func settled(ctx context.Context, c *Cluster, s *store.Store, shops int) error {
	owners := make([]*person, shops)
	for i := range owners {
		var err error
		if owners[i], err = signIn(ctx, c.URL, loginOf(i+1)); err != nil {
			return err
		}
	}
	for {
		for _, p := range owners {
			p.ask(ctx, "Due", fitOf{}, nil)
		}
		var stale int
		if err := s.DB.QueryRowContext(ctx, "SELECT COUNT(*) FROM verdicts WHERE stale").Scan(&stale); err != nil || stale == 0 {
			return err
		}
		rest(ctx, 2*time.Second)
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
}

// counts prints how much the database holds.
func counts(ctx context.Context, s *store.Store, out io.Writer) error {
	var said []string
	for _, x := range []struct{ what, query string }{{"shops", "SELECT COUNT(*) FROM shops"}, {"models", "SELECT COUNT(*) FROM models"},
		{"runners", "SELECT COUNT(*) FROM runners"}, {"pairs in use", "SELECT COUNT(*) FROM pairs WHERE set_aside_on IS NULL"},
		{"runs", "SELECT COUNT(*) FROM runs"}, {"findings", "SELECT COUNT(*) FROM findings"},
		{"MiB", "SELECT ROUND(SUM(data_length + index_length) / 1048576) FROM information_schema.tables WHERE table_schema = DATABASE()"}} {
		var n int
		if err := s.DB.QueryRowContext(ctx, x.query).Scan(&n); err != nil {
			return err
		}
		said = append(said, fmt.Sprintf("%d %s", n, x.what))
	}
	_, err := fmt.Fprintln(out, strings.Join(said, ", ")+".")
	return err
}

// someFits are fits of a person's shop, from all over it.
func someFits(ctx context.Context, s *store.Store, login string) (out []fitOf, err error) {
	rows, err := s.DB.QueryContext(ctx, `SELECT MAX(f.id), f.runner_id FROM fits f JOIN users u ON u.shop_id = f.shop_id WHERE u.login = ?
		GROUP BY f.runner_id ORDER BY CRC32(f.runner_id) LIMIT 200`, login)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var f fitOf
		if err := rows.Scan(&f.fit, &f.runner); err != nil {
			return nil, err
		}
		out = append(out, f)
	}
	if len(out) == 0 && rows.Err() == nil {
		return nil, fmt.Errorf("%s has no fit", login)
	}
	return out, rows.Err()
}

// memoryOf is what the first instance holds.
func memoryOf(c *Cluster) string {
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", c.Instances[0].PID()))
	if err != nil {
		return "an unknown sum"
	}
	for line := range strings.Lines(string(data)) {
		if kb := 0; strings.HasPrefix(line, "VmRSS:") {
			if _, err := fmt.Sscanf(line, "VmRSS: %d kB", &kb); err == nil {
				return fmt.Sprintf("%d MiB", kb>>10)
			}
		}
	}
	return "an unknown sum"
}
