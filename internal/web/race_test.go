package web_test

import (
	"context"
	"fmt"
	"net/http"
	"sync"
	"testing"
	"time"
)

// Pages are asked for, left before they come, and changed, all at once: nothing of a request is
// used after it, and no page fails.
func TestRaceOfRequests(t *testing.T) {
	s := newSite(t)
	var all sync.WaitGroup
	for w, login := range []string{"isolde", "teal", "corin", "wick"} {
		b := s.as(t, login)
		all.Go(func() {
			for n := range 12 {
				path := []string{"/", "/due?within=year", "/fits/4/shoes", "/fits/2/distance", "/fits/10/hello", "/runners/2/care"}[(n+w)%6]
				ctx, cancel := context.WithCancel(context.Background())
				if n%3 == 0 { // somebody who goes away
					go func() { time.Sleep(time.Duration(n) * time.Millisecond); cancel() }()
				}
				r, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+path, nil)
				if err != nil {
					t.Error(err)
				}
				if res, err := b.Do(r); err == nil {
					if res.StatusCode != http.StatusOK {
						t.Errorf("%s: %d", path, res.StatusCode)
					}
					res.Body.Close()
				}
				cancel()
				if p := b.htmx("/fits/4/feet", fmt.Sprintf("length_mm.left.%d", 1+n%3), fmt.Sprint(280+n%3)); p.code != http.StatusOK {
					t.Errorf("a finding: %d %.200s", p.code, p.body)
				}
			}
		})
	}
	all.Wait()
}
