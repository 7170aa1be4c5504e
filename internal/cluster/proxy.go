package cluster

import (
	"bytes"
	"context"
	"errors"
	"io"
	"log"
	"net/http"
	"net/http/httputil"
	"net/url"
	"sync"
	"sync/atomic"
	"time"
)

// Of the proxy: how often an instance's health is asked for, how long its answer may take, and what of a
// request is held so that another instance can be asked.
const (
	askEvery  = 400 * time.Millisecond
	answerIn  = 1500 * time.Millisecond
	heldBytes = 256 << 10
)

// backend is an instance behind the proxy.
type backend struct {
	url *url.URL
	mu  sync.Mutex
	up  bool
	end context.CancelFunc // of what is under way at it
	ctx context.Context
}

func (b *backend) set(up bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	switch {
	case up && !b.up:
		b.ctx, b.end = context.WithCancel(context.Background())
	case !up && b.up:
		b.end()
	}
	b.up = up
}

// take gives what ends when the instance goes down; ok is false where it is down.
func (b *backend) take() (ctx context.Context, ok bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.ctx, b.up
}

// Proxy sends each request to the next instance that is up. One that goes down is left: what it had not
// answered is asked of another, where that comes to the same: what only reads, and forms, which are done
// once by their token.
type Proxy struct {
	all  []*backend
	next atomic.Uint64
	rev  *httputil.ReverseProxy
	stop context.CancelFunc
	done sync.WaitGroup
}

// NewProxy stands before instances at these addresses, such as http://127.0.0.1:8481.
func NewProxy(addresses ...string) (*Proxy, error) {
	p := &Proxy{}
	for _, a := range addresses {
		u, err := url.Parse(a)
		if err != nil {
			return nil, err
		}
		p.all = append(p.all, &backend{url: u})
	}
	p.rev = &httputil.ReverseProxy{
		Rewrite:   func(r *httputil.ProxyRequest) { r.SetXForwarded() },
		Transport: &choosing{proxy: p, inner: &http.Transport{MaxIdleConnsPerHost: 64, IdleConnTimeout: 30 * time.Second}},
		ErrorLog:  log.New(io.Discard, "", 0), // who asked is told
		ErrorHandler: func(w http.ResponseWriter, _ *http.Request, _ error) {
			w.Header().Set("Retry-After", "2")
			http.Error(w, "No instance of Trevik answers. Try again in a moment.", http.StatusServiceUnavailable)
		},
	}
	ctx, stop := context.WithCancel(context.Background())
	p.stop = stop
	for _, b := range p.all {
		p.done.Go(func() { p.watch(ctx, b) })
	}
	return p, nil
}

// Close ends the watching.
func (p *Proxy) Close() {
	p.stop()
	p.done.Wait()
}

func (p *Proxy) ServeHTTP(w http.ResponseWriter, r *http.Request) { p.rev.ServeHTTP(w, r) }

// watch asks an instance for its health until it is told to stop.
func (p *Proxy) watch(ctx context.Context, b *backend) {
	client := &http.Client{Timeout: answerIn}
	for {
		r, err := http.NewRequestWithContext(ctx, http.MethodGet, b.url.String()+"/health", nil)
		if err == nil {
			var answer *http.Response
			if answer, err = client.Do(r); err == nil {
				b.set(answer.StatusCode == http.StatusOK)
				_ = answer.Body.Close() // only its status counts
			}
		}
		if err != nil {
			b.set(false)
		}
		select {
		case <-ctx.Done():
			b.set(false)
			return
		case <-time.After(askEvery):
		}
	}
}

// choosing sends a request to an instance that is up, and to the next where that one fails.
type choosing struct {
	proxy *Proxy
	inner http.RoundTripper
}

var errNone = errors.New("no instance is up")

func (c *choosing) RoundTrip(r *http.Request) (*http.Response, error) {
	held, again, err := hold(r)
	if err != nil {
		return nil, err
	}
	last := errNone
	until := time.Now().Add(10 * time.Second)
	for time.Now().Before(until) && r.Context().Err() == nil {
		tried := false
		for range c.proxy.all {
			b := c.proxy.all[c.proxy.next.Add(1)%uint64(len(c.proxy.all))]
			up, ok := b.take()
			if !ok {
				continue
			}
			tried = true
			answer, err := c.ask(r, b, up, held)
			if err == nil {
				return answer, nil
			}
			if last = err; !again {
				return nil, err
			}
		}
		if !tried || again {
			time.Sleep(askEvery / 2) // one comes back, or the next is found to be down
		}
	}
	return nil, last
}

// ask sends a request to one instance; it is given up where that one goes down before it answered.
func (c *choosing) ask(r *http.Request, b *backend, up context.Context, held []byte) (*http.Response, error) {
	ctx, cancel := context.WithCancel(r.Context())
	off := context.AfterFunc(up, cancel)
	to := r.Clone(ctx)
	to.URL.Scheme, to.URL.Host = b.url.Scheme, b.url.Host
	if held != nil {
		to.Body = io.NopCloser(bytes.NewReader(held))
	}
	answer, err := c.inner.RoundTrip(to)
	if err != nil {
		off()
		cancel()
		return nil, err
	}
	if answer.StatusCode == http.StatusServiceUnavailable && held != nil && len(c.proxy.all) > 1 {
		off()
		_ = answer.Body.Close() // another one is asked
		cancel()
		return nil, errors.New("the instance has no database")
	}
	off() // what has begun to answer is let finish
	answer.Body = &ended{answer.Body, cancel}
	return answer, nil
}

// hold keeps the body of a request that may be asked again.
func hold(r *http.Request) (held []byte, again bool, err error) {
	if r.Body == nil || r.Body == http.NoBody {
		return []byte{}, true, nil
	}
	if r.ContentLength < 0 || r.ContentLength > heldBytes {
		return nil, false, nil // it is sent on as it comes
	}
	held, err = io.ReadAll(io.LimitReader(r.Body, heldBytes))
	return held, true, err
}

// ended ends a request's context with its body.
type ended struct {
	io.ReadCloser
	cancel context.CancelFunc
}

func (e *ended) Close() error {
	defer e.cancel()
	return e.ReadCloser.Close()
}
