package app

import (
	"context"
	"crypto/sha256"
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"

	"trevik/internal/core/fault"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/store"
	"trevik/internal/store/db"
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

// AddShop makes a shop.
func (a *App) AddShop(ctx context.Context, name, currency string) (uint64, error) {
	id, err := a.store.AddShop(ctx, db.AddShopParams{Name: name, Currency: currency, CreatedAt: a.Now()})
	return uint64(id), err
}

// ShopNamed finds a shop by its name.
func (a *App) ShopNamed(ctx context.Context, name string) (uint64, error) {
	s, err := a.store.ShopByName(ctx, name)
	return s.ID, found(err)
}

// AddUser adds a person to a shop. It fails with a fault.List when the name, the
// login, the password or the role is not allowed, or the login is taken.
func (a *App) AddUser(ctx context.Context, shopID uint64, name, login, password string, role Role) (Actor, error) {
	var l fault.List
	name, login = strings.TrimSpace(name), normalLogin(login)
	text(&l, "name", name, 1, 120)
	text(&l, "login", login, 3, 120)
	if n := utf8.RuneCountInString(password); n < LeastPassword || n > 200 {
		l.Add("password", "is %d letters long; allowed is %d to 200", n, LeastPassword)
	}
	fault.OneOf(&l, "role", role, Roles)
	if err := l.Err(); err != nil {
		return Actor{}, err
	}
	hash, err := argon2id.CreateHash(password, hashParams)
	if err != nil {
		return Actor{}, err
	}
	id, err := a.store.AddUser(ctx, db.AddUserParams{ShopID: shopID, Name: name, Login: login, PasswordHash: hash, Role: string(role), CreatedAt: a.Now()})
	if store.IsDuplicate(err) {
		return Actor{}, fault.List{{Field: "login", Text: "is taken; choose another"}}
	}
	if err != nil {
		return Actor{}, err
	}
	return a.Actor(ctx, uint64(id))
}

func normalLogin(s string) string { return strings.ToLower(strings.TrimSpace(s)) }

func text(l *fault.List, field, s string, lo, hi int) {
	switch n := utf8.RuneCountInString(s); {
	case !utf8.ValidString(s) || strings.ContainsRune(s, 0):
		l.Add(field, "holds bytes that are not text")
	case n < lo && n == 0:
		l.Add(field, "is missing; allowed is %d to %d letters", lo, hi)
	case n < lo || n > hi:
		l.Add(field, "is %d letters long; allowed is %d to %d", n, lo, hi)
	}
}

// Actor loads a person; one who was disabled is not found.
func (a *App) Actor(ctx context.Context, userID uint64) (Actor, error) {
	u, err := a.store.UserByID(ctx, userID)
	if err != nil {
		return Actor{}, found(err)
	}
	if u.DisabledAt.Valid {
		return Actor{}, ErrNotFound
	}
	s, err := a.store.ShopByID(ctx, u.ShopID)
	if err != nil {
		return Actor{}, found(err)
	}
	return Actor{UserID: u.ID, ShopID: u.ShopID, Name: u.Name, Shop: s.Name, Currency: s.Currency, Role: Role(u.Role), Units: units.System(u.Units), Theme: u.Theme}, nil
}

// decoy is what a password is held against when the login is unknown, so that
// the answer takes as long and tells nothing.
var decoy, _ = argon2id.CreateHash("nobody has this password", hashParams)

// SignIn checks a login and password; address is where the try comes from.
func (a *App) SignIn(ctx context.Context, login, password, address string) (Actor, error) {
	login = normalLogin(login)
	h := sha256.Sum256([]byte(login))
	now := a.Now()
	tries, err := a.store.CountSignInTries(ctx, db.CountSignInTriesParams{LoginHash: h[:], Address: address, Since: now.Add(-SignInWindow)})
	if err != nil {
		return Actor{}, err
	}
	if tries.ByLogin >= TriesByLogin || tries.ByAddress >= TriesByAddress {
		return Actor{}, ErrTooMany
	}
	hash := decoy
	u, err := a.store.UserByLogin(ctx, login)
	known := err == nil && !u.DisabledAt.Valid
	if known {
		hash = u.PasswordHash
	} else if err = found(err); err != nil && err != ErrNotFound {
		return Actor{}, err
	}
	// A password of any size costs the same; a huge one is not worth hashing.
	match := false
	if len(password) <= 800 {
		if match, err = argon2id.ComparePasswordAndHash(password, hash); err != nil {
			return Actor{}, err
		}
	}
	if !known || !match {
		if err := a.store.AddSignInTry(ctx, db.AddSignInTryParams{LoginHash: h[:], Address: address, TriedAt: now}); err != nil {
			return Actor{}, err
		}
		return Actor{}, ErrSignIn
	}
	if err := a.store.ClearSignInTries(ctx, db.ClearSignInTriesParams{LoginHash: h[:], Before: now.Add(-24 * time.Hour)}); err != nil {
		return Actor{}, err
	}
	return a.Actor(ctx, u.ID)
}

// SetUnits changes how a person reads lengths and distances.
func (a *App) SetUnits(ctx context.Context, who Actor, u units.System) error {
	if u != units.Metric && u != units.Imperial {
		return fault.List{{Field: "units", Text: "allowed is metric or imperial"}}
	}
	return a.store.SetUserUnits(ctx, db.SetUserUnitsParams{Units: string(u), ID: who.UserID})
}

// SetTheme changes between the light and the dim room.
func (a *App) SetTheme(ctx context.Context, who Actor, theme string) error {
	if theme != "light" && theme != "dim" {
		return fault.List{{Field: "theme", Text: "allowed is light or dim"}}
	}
	return a.store.SetUserTheme(ctx, db.SetUserThemeParams{Theme: theme, ID: who.UserID})
}

// FoundRunner is a runner in a search.
type FoundRunner struct {
	Runner
	Fits, Pairs int64
}

// SearchRunners finds the shop's runners whose name holds the words, at most 60.
func (a *App) SearchRunners(ctx context.Context, who Actor, words string) ([]FoundRunner, error) {
	words = strings.TrimSpace(words)
	if utf8.RuneCountInString(words) > 120 || !utf8.ValidString(words) {
		return nil, fault.List{{Field: "q", Text: "is too long; allowed is up to 120 letters"}}
	}
	like := "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(words) + "%"
	rows, err := a.store.SearchRunners(ctx, db.SearchRunnersParams{ShopID: who.ShopID, Name: like, Limit: 60})
	out := make([]FoundRunner, len(rows))
	for i, r := range rows {
		out[i] = FoundRunner{Runner{ID: r.ID, Name: r.Name, Contact: r.Contact, Chart: term.Chart(r.Chart)}, r.Fits, r.Pairs}
	}
	return out, err
}

func checkRunner(r *Runner) error {
	var l fault.List
	r.Name, r.Contact = strings.TrimSpace(r.Name), strings.TrimSpace(r.Contact)
	text(&l, "name", r.Name, 1, 120)
	text(&l, "contact", r.Contact, 0, 200)
	fault.OneOf(&l, "chart", r.Chart, term.Charts)
	return l.Err()
}

// Runner loads one of the shop's runners.
func (a *App) Runner(ctx context.Context, who Actor, id uint64) (Runner, error) {
	r, err := a.store.RunnerByID(ctx, db.RunnerByIDParams{ID: id, ShopID: who.ShopID})
	out := Runner{ID: r.ID, Name: r.Name, Contact: r.Contact, Chart: term.Chart(r.Chart)}
	if r.PracticeSeed.Valid {
		seed := uint64(r.PracticeSeed.Int64)
		out.Practice = &seed
	}
	return out, found(err)
}

// ChangeRunner corrects a runner's name, contact and usual chart.
func (a *App) ChangeRunner(ctx context.Context, who Actor, r Runner) error {
	if _, err := a.Runner(ctx, who, r.ID); err != nil {
		return err
	}
	if err := checkRunner(&r); err != nil {
		return err
	}
	return a.store.UpdateRunner(ctx, db.UpdateRunnerParams{Name: r.Name, Contact: r.Contact, Chart: string(r.Chart), ID: r.ID, ShopID: who.ShopID})
}
