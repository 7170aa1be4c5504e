package app

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"slices"
	"time"

	"trevik/internal/core/units"
	"trevik/internal/store/db"
)

// Kinds of addresses that need no password.
const (
	RunnerLink         = "runner"
	RunnerCalendarLink = "runner_calendar"
	ShopCalendarLink   = "shop_calendar"
)

// linkDays is how long a runner's own pages stay open without being renewed; a calendar
// stays until it is revoked.
const linkDays = 400

// Link is an address without a password, as the shop sees it; the secret itself is told
// once, when it is made.
type Link struct {
	ID        uint64
	Kind      string
	RunnerID  uint64
	ExpiresAt time.Time // zero: until it is revoked
	UsedAt    time.Time
	MadeAt    time.Time
	Maker     string
}

// NewLink makes an address of a kind, for a runner where it is theirs, and gives its
// secret. Those of the same kind go on; revoking ends them.
func (a *App) NewLink(ctx context.Context, who Actor, kind string, runnerID uint64) (string, error) {
	if who.Role == Trainee || who.ByLink && kind != RunnerCalendarLink {
		return "", ErrNotAllowed
	}
	if !slices.Contains([]string{RunnerLink, RunnerCalendarLink, ShopCalendarLink}, kind) || (kind == ShopCalendarLink) != (runnerID == 0) {
		return "", ErrNotFound
	}
	if runnerID != 0 {
		if _, err := a.Runner(ctx, who, runnerID); err != nil {
			return "", err
		}
	}
	var raw [24]byte
	rand.Read(raw[:])
	secret := base64.RawURLEncoding.EncodeToString(raw[:])
	digest := sha256.Sum256([]byte(secret))
	var expires time.Time
	if kind == RunnerLink {
		expires = a.Now().AddDate(0, 0, linkDays)
	}
	return secret, a.store.AddLink(ctx, db.AddLinkParams{ShopID: who.ShopID, Kind: kind, RunnerID: nullID(runnerID), Digest: digest[:], ExpiresAt: nullTime(expires), MadeBy: who.UserID, MadeAt: a.Now()})
}

// Links are the addresses that are open for a runner, or for the shop (0).
func (a *App) Links(ctx context.Context, who Actor, runnerID uint64) ([]Link, error) {
	rows, err := a.store.LinksOf(ctx, db.LinksOfParams{ShopID: who.ShopID, RunnerID: nullID(runnerID)})
	var out []Link
	for _, r := range rows {
		if !r.ExpiresAt.Valid || r.ExpiresAt.Time.After(a.Now()) {
			out = append(out, Link{r.ID, r.Kind, uint64(r.RunnerID.Int64), r.ExpiresAt.Time, r.UsedAt.Time, r.MadeAt, r.Maker})
		}
	}
	return out, err
}

// RevokeLink ends an address at once.
func (a *App) RevokeLink(ctx context.Context, who Actor, id uint64) error {
	if who.Role == Trainee || who.ByLink {
		return ErrNotAllowed
	}
	n, err := a.store.RevokeLink(ctx, db.RevokeLinkParams{RevokedAt: nullTime(a.Now()), ID: id, ShopID: who.ShopID})
	if err == nil && n == 0 {
		return ErrNotFound
	}
	return err
}

// ByLink is who comes by an address of a kind: the shop's person who made it, with no role
// of theirs, and the runner whose it is. It fails with ErrNotFound where there is no such
// address, or it was revoked or has expired; the three are not told apart.
func (a *App) ByLink(ctx context.Context, kind, secret string) (Actor, uint64, error) {
	digest := sha256.Sum256([]byte(secret))
	l, err := a.store.LinkByDigest(ctx, digest[:])
	if err != nil {
		return Actor{}, 0, found(err)
	}
	if l.Kind != kind || l.ExpiresAt.Valid && !l.ExpiresAt.Time.After(a.Now()) {
		return Actor{}, 0, ErrNotFound
	}
	who := Actor{UserID: l.MadeBy, ShopID: l.ShopID, Shop: l.Shop, Currency: l.Currency, Units: units.Metric, ByLink: true}
	return who, uint64(l.RunnerID.Int64), a.store.TouchLink(ctx, db.TouchLinkParams{UsedAt: nullTime(a.Now()), ID: l.ID})
}

// RunnersOwn is what a runner sees of themself: their pairs in use with what is left.
type RunnersOwn struct {
	Runner Runner
	Pairs  []Worn
	Loose  int
	Last   []Run // the latest runs
}

// RunnersOwn loads a runner's own page.
func (a *App) RunnersOwn(ctx context.Context, who Actor, runnerID uint64) (RunnersOwn, error) {
	r, err := a.Runner(ctx, who, runnerID)
	if err != nil {
		return RunnersOwn{}, err
	}
	out := RunnersOwn{Runner: r}
	_, pairs, worn, err := a.wornOf(ctx, who, runnerID)
	if err != nil && err != ErrNotFound {
		return out, err
	}
	out.Pairs = worn
	loose, err := a.LooseRuns(ctx, who, runnerID)
	if err != nil {
		return out, err
	}
	out.Loose = len(loose)
	all := slices.Clone(loose)
	for _, p := range pairs {
		all = append(all, p.Runs...)
	}
	slices.SortStableFunc(all, func(x, y Run) int { return y.moment().Compare(x.moment()) })
	out.Last = all[:min(8, len(all))]
	return out, nil
}
