package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"net/netip"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/units"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// Limits on failed tries within SignInWindow, which begins with the first of them.
const (
	TriesHere      = 8   // for a login from an address, or from a browser that signed in before
	TriesByLogin   = 100 // for a login from browsers that did not
	TriesByAddress = 40  // from an address by such browsers
	SignInWindow   = 15 * time.Minute
)

// SessionTime is how long somebody stays signed in.
const SessionTime = 14 * time.Hour

// askedTime is how long a password that was told stands for what asks for it again.
const askedTime = 10 * time.Minute

// seenEvery is how exactly it is kept when a session was last used.
const seenEvery = 5 * time.Minute

// ErrSignIn is a login or a password that is not right; it does not say which.
var ErrSignIn = errors.New("the name or the password is not right")

// TooMany is too many failed tries, and when they are forgotten.
type TooMany struct{ After time.Duration }

func (t TooMany) Error() string {
	return fmt.Sprintf("too many tries; wait %d minutes", max(1, int((t.After+time.Minute-1)/time.Minute)))
}

// From is where somebody signs in: the address, what the browser says it is, and the secret that it
// was given when somebody signed in there before.
type From struct{ Address, Agent, Device string }

// SignedIn is somebody who has signed in: the secrets of the session and of the browser.
type SignedIn struct {
	app.Actor
	Session string
	Device  string
	Second  bool // the second factor is still to come
}

func digestOf(kind string, of ...any) []byte {
	h := sha256.Sum256(fmt.Appendf(nil, "%s %q", kind, of))
	return h[:]
}

// SignIn checks a login and password. Every try is counted before its password is looked at; those
// that succeed are taken out again. Who signed in with a browser before is counted by it alone, so
// that nobody else's tries keep them out. It fails with ErrSignIn, TooMany or ErrBusy.
func (p *People) SignIn(ctx context.Context, login, password string, from From) (SignedIn, error) {
	login = fold(login)
	u, err := p.Store.UserByLogin(ctx, login)
	if err = app.Found(err); err != nil && err != app.ErrNotFound {
		return SignedIn{}, err
	}
	known := err == nil && !u.DisabledAt.Valid && fold(u.Login) == login
	trusted := false
	if known && from.Device != "" {
		n, err := p.Store.HasDevice(ctx, db.HasDeviceParams{UserID: u.ID, Digest: digestOf("device", from.Device)})
		if err != nil {
			return SignedIn{}, err
		}
		trusted = n > 0
	}
	address := network(from.Address)
	counts := []count{{digestOf("address", address), TriesByAddress}, {digestOf("login", login), TriesByLogin},
		{digestOf("here", login, address), TriesHere}}
	if trusted {
		counts = []count{{digestOf("device", login, from.Device), TriesHere}}
	}
	if err := p.reserve(ctx, counts); err != nil {
		return SignedIn{}, err
	}
	hash := ""
	if known {
		hash = u.PasswordHash
	}
	match, err := matches(ctx, password, hash)
	if err != nil {
		p.release(ctx, counts)
		return SignedIn{}, err
	}
	if !match {
		return SignedIn{}, ErrSignIn
	}
	p.release(ctx, counts)
	return p.begin(ctx, u.ID, from, u.SecondSecret != "")
}

// network is what of an address is one place: who has an IPv6 address has 2^64 of them.
func network(address string) string {
	a, err := netip.ParseAddr(address)
	if err != nil || !a.Is6() || a.Is4In6() {
		return address
	}
	p, err := a.WithZone("").Prefix(64)
	if err != nil {
		return address
	}
	return p.String()
}

// begin makes the session of somebody whose password was right.
func (p *People) begin(ctx context.Context, userID uint64, from From, second bool) (s SignedIn, err error) {
	if s.Actor, err = p.Actor(ctx, userID); err != nil {
		return s, err
	}
	s.Second, s.Session, s.Device = second, rand.Text(), from.Device
	if s.Device == "" {
		s.Device = rand.Text()
	}
	agent := []rune(from.Agent)
	now := p.Now()
	return s, p.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.AddSignedIn(ctx, db.AddSignedInParams{UserID: userID, Digest: digestOf("session", s.Session),
			Agent: string(agent[:min(len(agent), 120)]), SecondDue: second, AskedAt: now, MadeAt: now, SeenAt: now}); err != nil {
			return err
		}
		if second {
			return nil // a browser is known once all was told
		}
		return q.AddDevice(ctx, db.AddDeviceParams{UserID: userID, Digest: digestOf("device", s.Device), MadeAt: now})
	})
}

// count is a key of tries, and how many it may have.
type count struct {
	key  []byte
	most int64
}

// reserve counts a try at all its keys. Where one has too many, it is counted nowhere, so that going
// on trying does not make the wait longer.
func (p *People) reserve(ctx context.Context, counts []count) error {
	now := p.Now()
	for i, c := range counts {
		n, err := p.Store.CountTry(ctx, db.CountTryParams{Counted: c.key, Now: now, Begun: now.Add(-SignInWindow)})
		if err != nil {
			return err
		}
		if n <= c.most {
			continue
		}
		p.release(ctx, counts[:i+1])
		since, err := p.Store.TriesSince(ctx, c.key)
		if err != nil {
			return app.Found(err)
		}
		return TooMany{since.Add(SignInWindow).Sub(now)}
	}
	return nil
}

// release takes a try out again. What fails here is forgotten with the window.
func (p *People) release(ctx context.Context, counts []count) {
	for _, c := range counts {
		_ = p.Store.UncountTry(context.WithoutCancel(ctx), c.key)
	}
}

// Session is who is signed in by a session's secret. It fails with app.ErrNotFound where the session
// is over, or the person was disabled.
func (p *People) Session(ctx context.Context, secret string) (app.Actor, error) {
	now := p.Now()
	s, err := p.Store.SignedInBy(ctx, db.SignedInByParams{Digest: digestOf("session", secret), After: now.Add(-SessionTime)})
	if err != nil {
		return app.Actor{}, app.Found(err)
	}
	zone, err := p.zone(ctx, s.ShopID)
	if err != nil {
		return app.Actor{}, err
	}
	if now.Sub(s.SeenAt) > seenEvery {
		if err := p.Store.SawSignedIn(ctx, db.SawSignedInParams{SeenAt: now, ID: s.ID}); err != nil {
			return app.Actor{}, err
		}
	}
	return app.Actor{UserID: s.UserID, ShopID: s.ShopID, Name: s.Name, Shop: s.Shop, Currency: s.Currency, Role: app.Role(s.Role),
		Units: units.System(s.Units), Theme: s.Theme, Zone: zone, Session: s.ID, SecondDue: s.SecondDue, Second: s.Second,
		SecondAsked: s.SecondRule > 0,
		Asked:       now.Sub(s.AskedAt) < askedTime}, nil
}

// SignOut ends a session.
func (p *People) SignOut(ctx context.Context, who app.Actor) error {
	_, err := p.Store.EndSignedIn(ctx, db.EndSignedInParams{ID: who.Session, UserID: who.UserID})
	return err
}

// Actor loads a person; one who was disabled is not found.
func (p *People) Actor(ctx context.Context, userID uint64) (app.Actor, error) {
	u, err := p.Store.UserByID(ctx, userID)
	if err != nil {
		return app.Actor{}, app.Found(err)
	}
	if u.DisabledAt.Valid {
		return app.Actor{}, app.ErrNotFound
	}
	who, err := p.OfShop(ctx, u.ShopID)
	who.UserID, who.Name, who.Role, who.Units, who.Theme = u.ID, u.Name, app.Role(u.Role), units.System(u.Units), u.Theme
	return who, err
}

// ActorNamed is the person who signs in so.
func (p *People) ActorNamed(ctx context.Context, login string) (app.Actor, error) {
	row, err := p.Store.UserByLogin(ctx, fold(login))
	if err != nil {
		return app.Actor{}, app.Found(err)
	}
	return p.Actor(ctx, row.ID)
}

// Hand is the command line's own hand in a shop: it may do what an owner may.
func (p *People) Hand(ctx context.Context, shopID uint64) (app.Actor, error) {
	who, err := p.OfShop(ctx, shopID)
	who.Role, who.Name = app.Owner, "the command line"
	return who, err
}

// ByLogin is a person however they sign in, barred ones included, with the command line's hand in
// their shop.
func (p *People) ByLogin(ctx context.Context, login string) (uint64, app.Actor, error) {
	u, err := p.Store.UserByLogin(ctx, fold(login))
	if err != nil {
		return 0, app.Actor{}, app.Found(err)
	}
	who, err := p.Hand(ctx, u.ShopID)
	return u.ID, who, err
}

// zone is a shop's time zone: the machine's until one is set.
func (p *People) zone(ctx context.Context, shopID uint64) (*time.Location, error) {
	name, err := p.Store.ZoneOf(ctx, shopID)
	if err = app.Found(err); err == app.ErrNotFound {
		return time.Local, nil
	}
	if err != nil {
		return nil, err
	}
	return record.ZoneOf(name)
}

// OfShop is nobody in particular of a shop, for what is done without a person.
func (p *People) OfShop(ctx context.Context, shopID uint64) (app.Actor, error) {
	s, err := p.Store.ShopByID(ctx, shopID)
	if err != nil {
		return app.Actor{}, app.Found(err)
	}
	zone, err := p.zone(ctx, shopID)
	return app.Actor{ShopID: shopID, Shop: s.Name, Currency: s.Currency, Units: units.Metric, Zone: zone}, err
}

// Tidy forgets tries whose window is over, and sessions that are.
func (p *People) Tidy(ctx context.Context) error {
	now := p.Now()
	return errors.Join(p.Store.DropTries(ctx, now.Add(-SignInWindow)), p.Store.DropSignedIn(ctx, now.Add(-SessionTime)))
}
