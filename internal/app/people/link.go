package people

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
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
	MakerGone bool   // who gave it was barred since
	Through   uint64 // the address that it was made through, 0 for none
}

// mostAsked is how often an address may be asked within SignInWindow: more than any runner or
// calendar asks.
const mostAsked = 300

// mostLinks is how many addresses of a kind may be open for a runner, or for the shop.
const mostLinks = 5

// NewLink makes an address of a kind, for a runner where it is theirs, and gives its
// secret. Those of the same kind go on; revoking ends them.
func (p *People) NewLink(ctx context.Context, who app.Actor, kind string, runnerID uint64) (string, error) {
	if who.Role == app.Trainee || who.ByLink && kind != RunnerCalendarLink {
		return "", app.ErrNotAllowed
	}
	if !slices.Contains([]string{RunnerLink, RunnerCalendarLink, ShopCalendarLink}, kind) || (kind == ShopCalendarLink) != (runnerID == 0) {
		return "", app.ErrNotFound
	}
	if runnerID != 0 {
		if _, err := p.Runner(ctx, who, runnerID); err != nil {
			return "", err
		}
	}
	var raw [24]byte
	rand.Read(raw[:])
	secret := base64.RawURLEncoding.EncodeToString(raw[:])
	digest := sha256.Sum256([]byte(secret))
	var expires time.Time
	if kind == RunnerLink {
		expires = p.Now().AddDate(0, 0, linkDays)
	}
	// A form that is sent twice makes one address: the secret of the second is nobody's.
	made := ""
	err := p.Do(ctx, who, func(q *db.Queries) error {
		made = secret
		if runnerID != 0 {
			if err := p.LockRunner(ctx, q, who, runnerID); err != nil {
				return err
			}
		}
		open, err := q.OpenLinks(ctx, db.OpenLinksParams{ShopID: who.ShopID, RunnerID: app.NullID(runnerID), Kind: kind,
			Now: app.NullTime(p.Now())})
		if err != nil {
			return err
		}
		if open >= mostLinks {
			return fault.List{{Field: "link", Text: fmt.Sprintf("would be the %dth that is open; close one first", mostLinks+1)}}
		}
		return q.AddLink(ctx, db.AddLinkParams{ShopID: who.ShopID, Kind: kind, RunnerID: app.NullID(runnerID), Digest: digest[:],
			ExpiresAt: app.NullTime(expires), Units: string(cmp.Or(who.Units, units.Metric)),
			Through: app.NullID(who.Link), MadeBy: who.UserID, MadeAt: p.Now()})
	})
	return made, err
}

// Links are the addresses that are open for a runner, or for the shop (0).
func (p *People) Links(ctx context.Context, who app.Actor, runnerID uint64) ([]Link, error) {
	rows, err := p.Store.LinksOf(ctx, db.LinksOfParams{ShopID: who.ShopID, RunnerID: app.NullID(runnerID)})
	var out []Link
	for _, r := range rows {
		if !r.ExpiresAt.Valid || r.ExpiresAt.Time.After(p.Now()) {
			out = append(out, Link{r.ID, r.Kind, uint64(r.RunnerID.Int64), who.In(r.ExpiresAt.Time), who.In(r.UsedAt.Time), who.In(r.MadeAt),
				r.Maker, r.MakerGone, uint64(r.Through.Int64)})
		}
	}
	return out, err
}

// RevokeLink ends an address at once, and those that were made through it.
func (p *People) RevokeLink(ctx context.Context, who app.Actor, id uint64) error {
	if who.Role == app.Trainee || who.ByLink {
		return app.ErrNotAllowed
	}
	return p.Do(ctx, who, func(q *db.Queries) error {
		at := app.NullTime(p.Now())
		if err := app.Some(q.RevokeLink(ctx, db.RevokeLinkParams{RevokedAt: at, ID: id, ShopID: who.ShopID})); err != nil {
			return err
		}
		return q.RevokeLinksThrough(ctx, db.RevokeLinksThroughParams{RevokedAt: at, Through: app.NullID(id), ShopID: who.ShopID})
	})
}

// RevokeLinks ends every address that is open for a runner, or for the shop (0).
func (p *People) RevokeLinks(ctx context.Context, who app.Actor, runnerID uint64) error {
	if who.Role == app.Trainee || who.ByLink {
		return app.ErrNotAllowed
	}
	return p.Do(ctx, who, func(q *db.Queries) error {
		return app.Some(q.RevokeLinksOf(ctx, db.RevokeLinksOfParams{RevokedAt: app.NullTime(p.Now()), ShopID: who.ShopID,
			RunnerID: app.NullID(runnerID)}))
	})
}

// RevokeLinksBy ends every address that a person of the owner's shop gave.
func (p *People) RevokeLinksBy(ctx context.Context, who app.Actor, userID uint64) error {
	return p.ofShop(ctx, who, userID, false, func(q *db.Queries) error {
		return q.RevokeLinksBy(ctx, db.RevokeLinksByParams{RevokedAt: app.NullTime(p.Now()), MadeBy: userID, ShopID: who.ShopID})
	})
}

// ByLink is who comes by an address of a kind: the shop's person who made it, with no role
// of theirs, and the runner whose it is. It fails with app.ErrNotFound where there is no such
// address, or it was revoked or has expired; the three are not told apart; and with TooMany.
func (p *People) ByLink(ctx context.Context, kind, secret string) (app.Actor, uint64, error) {
	digest := sha256.Sum256([]byte(secret))
	l, err := p.Store.LinkByDigest(ctx, digest[:])
	if err != nil {
		return app.Actor{}, 0, app.Found(err)
	}
	if l.Kind != kind || l.ExpiresAt.Valid && !l.ExpiresAt.Time.After(p.Now()) {
		return app.Actor{}, 0, app.ErrNotFound
	}
	if err := p.reserve(ctx, []count{{digestOf("link", l.ID), mostAsked}}); err != nil {
		return app.Actor{}, 0, err
	}
	zone, err := p.zone(ctx, l.ShopID)
	if err != nil {
		return app.Actor{}, 0, err
	}
	who := app.Actor{UserID: l.MadeBy, ShopID: l.ShopID, Shop: l.Shop, Currency: l.Currency, Units: units.System(l.Units), Zone: zone,
		ByLink: true, Link: l.ID, Runner: uint64(l.RunnerID.Int64)}
	return who, uint64(l.RunnerID.Int64), p.Store.TouchLink(ctx, db.TouchLinkParams{UsedAt: app.NullTime(p.Now()), ID: l.ID})
}

// SetLinkUnits changes how who comes by an address reads lengths and distances.
func (p *People) SetLinkUnits(ctx context.Context, secret string, u units.System) error {
	if u != units.Metric && u != units.Imperial {
		return fault.List{{Field: "units", Text: "is not known; allowed is metric or imperial"}}
	}
	digest := sha256.Sum256([]byte(secret))
	return p.Store.SetLinkUnits(ctx, db.SetLinkUnitsParams{Units: string(u), Digest: digest[:]})
}
