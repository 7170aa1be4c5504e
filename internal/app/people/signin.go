package people

import (
	"context"
	"crypto/sha256"
	"errors"
	"strings"
	"sync"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/units"
	"trevik/internal/record"
	"trevik/internal/store/db"

	"github.com/alexedwards/argon2id"
)

// Limits on sign-in within SignInWindow.
const (
	TriesByLogin   = 8
	TriesByAddress = 40
	SignInWindow   = 15 * time.Minute
	LeastPassword  = 10
)

var (
	// ErrSignIn is a login or a password that is not right; it does not say which.
	ErrSignIn = errors.New("the name or the password is not right")
	// ErrTooMany is too many failed tries.
	ErrTooMany = errors.New("too many tries; wait a quarter of an hour")
)

// hashParams follow the recommendation of the Argon2 RFC's second choice (64 MiB,
// three passes), sized for a shop's small machine.
var hashParams = &argon2id.Params{Memory: 64 * 1024, Iterations: 3, Parallelism: 2, SaltLength: 16, KeyLength: 32}

// decoy is what a password is held against when the login is unknown, so that
// the answer takes as long and tells nothing.
var decoy = sync.OnceValues(func() (string, error) { return argon2id.CreateHash("nobody has this password", hashParams) })

func normalLogin(s string) string { return strings.ToLower(strings.TrimSpace(s)) }

// SignIn checks a login and password; address is where the try comes from.
func (p *People) SignIn(ctx context.Context, login, password, address string) (app.Actor, error) {
	login = normalLogin(login)
	h := sha256.Sum256([]byte(login))
	now := p.Now()
	tries, err := p.Store.CountSignInTries(ctx, db.CountSignInTriesParams{LoginHash: h[:], Address: address, Since: now.Add(-SignInWindow)})
	if err != nil {
		return app.Actor{}, err
	}
	if tries.ByLogin >= TriesByLogin || tries.ByAddress >= TriesByAddress {
		return app.Actor{}, ErrTooMany
	}
	hash, err := decoy()
	if err != nil {
		return app.Actor{}, err
	}
	u, err := p.Store.UserByLogin(ctx, login)
	known := err == nil && !u.DisabledAt.Valid
	if known {
		hash = u.PasswordHash
	} else if err = app.Found(err); err != nil && err != app.ErrNotFound {
		return app.Actor{}, err
	}
	// A password of any size costs the same; a huge one is not worth hashing.
	match := false
	if len(password) <= 800 {
		if match, err = argon2id.ComparePasswordAndHash(password, hash); err != nil {
			return app.Actor{}, err
		}
	}
	if !known || !match {
		if err := p.Store.AddSignInTry(ctx, db.AddSignInTryParams{LoginHash: h[:], Address: address, TriedAt: now}); err != nil {
			return app.Actor{}, err
		}
		return app.Actor{}, ErrSignIn
	}
	if err := p.Store.ClearSignInTries(ctx, db.ClearSignInTriesParams{LoginHash: h[:], Before: now.Add(-24 * time.Hour)}); err != nil {
		return app.Actor{}, err
	}
	return p.Actor(ctx, u.ID)
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
	row, err := p.Store.UserByLogin(ctx, normalLogin(login))
	if err != nil {
		return app.Actor{}, app.Found(err)
	}
	return p.Actor(ctx, row.ID)
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
