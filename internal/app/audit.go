package app

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"trevik/internal/store"
	"trevik/internal/store/db"
)

// Did is a kind of what is put down of who touches people's data.
type Did string

// Kinds of entries.
const (
	Saw       Did = "saw" // once an hour, a person, a runner and a page
	Changed   Did = "changed"
	Exported  Did = "exported"
	Erased    Did = "erased"
	Overruled Did = "overruled"
	Opened    Did = "opened" // an address without a password
	OfAccount Did = "account"
)

// Dids are all kinds, in the order in which a page offers them.
var Dids = []Did{Saw, Changed, Exported, Erased, Overruled, Opened, OfAccount}

// sawEvery is how long seeing the same again is one entry.
const sawEvery = time.Hour

// Entry is one line of the audit log: what was done, as the table of routes or the command line calls
// it, at what address, and of whom (0: nobody in particular).
type Entry struct {
	Did      Did
	What     string
	Subject  string
	RunnerID uint64
}

// Audit puts an entry down in the log of the person's shop. Entries are only added; each is sealed by
// a hash over it and the seal before, so that one that is changed or taken out shows (CheckAudit).
func (c *Core) Audit(ctx context.Context, who Actor, e Entry) error {
	who.Form.logged()
	return c.Store.Tx(ctx, func(q *db.Queries) error { return c.audit(ctx, q, who, e) })
}

// Seen is Audit of somebody who saw a page, unless it was put down within the hour.
func (c *Core) Seen(ctx context.Context, who Actor, e Entry) error {
	e.Did = Saw
	n, err := c.Store.SawLately(ctx, db.SawLatelyParams{ShopID: who.ShopID, RunnerID: NullID(e.RunnerID), UserID: NullID(who.UserID),
		What: e.What, Since: c.Now().Add(-sawEvery)})
	if err != nil || n > 0 {
		return err
	}
	return c.Audit(ctx, who, e)
}

// audit adds an entry at the end of its transaction: the head of the shop's log is locked to its end.
func (c *Core) audit(ctx context.Context, q *db.Queries, who Actor, e Entry) error {
	head, err := q.AuditHead(ctx, who.ShopID)
	if store.IsNoRows(err) {
		if err := q.FirstAuditHead(ctx, db.FirstAuditHeadParams{ShopID: who.ShopID, Seal: make([]byte, sha256.Size)}); err != nil {
			return err
		}
		head, err = q.AuditHead(ctx, who.ShopID)
	}
	if err != nil {
		return err
	}
	name := who.Name
	if who.ByLink {
		name = "a runner, by their address"
	}
	a := db.AddAuditParams{ShopID: who.ShopID, Number: head.Number + 1, MadeAt: c.Now(), UserID: NullID(who.UserID), Who: clip(name),
		Did: string(e.Did), What: clip(e.What), RunnerID: NullID(e.RunnerID), Subject: clip(e.Subject)}
	a.Seal = sealEntry(head.Seal, a)
	if err := q.AddAudit(ctx, a); err != nil {
		return err
	}
	return q.SetAuditHead(ctx, db.SetAuditHeadParams{Number: a.Number, Seal: a.Seal, ShopID: who.ShopID})
}

func clip(s string) string {
	r := []rune(s)
	return string(r[:min(len(r), 120)])
}

// sealEntry is an entry's own: over the one before and everything that it says.
func sealEntry(before []byte, a db.AddAuditParams) []byte {
	h := sha256.Sum256(fmt.Appendf(nil, "%x %d %d %d %d %q %q %q %d %q", before, a.ShopID, a.Number, a.MadeAt.UnixMicro(), a.UserID.Int64,
		a.Who, a.Did, a.What, a.RunnerID.Int64, a.Subject))
	return h[:]
}

// auditForm puts down what a form did, by the line of the table that it came to.
func (c *Core) auditForm(ctx context.Context, q *db.Queries, who Actor) error {
	e := Entry{Did: didOf(who.Form.Name), What: who.Form.Name, Subject: who.Form.Path, RunnerID: who.Runner}
	parts := strings.Split(strings.TrimPrefix(who.Form.Path, "/"), "/")
	if len(parts) > 1 && e.RunnerID == 0 {
		id, err := strconv.ParseUint(parts[1], 10, 63)
		switch {
		case err != nil:
		case parts[0] == "runners":
			e.RunnerID = id
		case parts[0] == "fits":
			e.RunnerID, err = q.RunnerOfFit(ctx, db.RunnerOfFitParams{ID: id, ShopID: who.ShopID})
			if err != nil && !store.IsNoRows(err) {
				return err
			}
		}
	}
	if who.ByLink { // its address opens it: it stands nowhere
		e.Subject = fmt.Sprintf("address %d", who.Link)
	}
	who.Form.logged()
	return c.audit(ctx, q, who, e)
}

// LogForm puts down what a form did that no verb put down in its own transaction: what was taken out of
// files and pictures, say.
func (c *Core) LogForm(ctx context.Context, who Actor) error {
	return c.Store.Tx(ctx, func(q *db.Queries) error { return c.auditForm(ctx, q, who) })
}

// RunnerAt is the runner of an address, by their id or by that of a fit of theirs; 0 where it names
// neither. It fails with ErrNotFound.
func (c *Core) RunnerAt(ctx context.Context, who Actor, runner, fit string) (uint64, error) {
	at := runner + fit
	if at == "" {
		return 0, nil
	}
	id, err := strconv.ParseUint(at, 10, 63)
	if err != nil {
		return 0, ErrNotFound
	}
	if fit == "" {
		id, err = c.Store.RunnerOfShop(ctx, db.RunnerOfShopParams{ID: id, ShopID: who.ShopID})
		return id, Found(err)
	}
	id, err = c.Store.RunnerOfFit(ctx, db.RunnerOfFitParams{ID: id, ShopID: who.ShopID})
	return id, Found(err)
}

// didOf is what a line of the table does.
func didOf(route string) Did {
	last := route[strings.LastIndexByte(route, '/')+1:]
	switch {
	case last == "erase":
		return Erased
	case last == "overrule", last == "level", last == "let-in":
		return Overruled
	case last == "link", last == "calendar":
		return Opened
	case strings.HasPrefix(route, "/people"), strings.HasPrefix(route, "/account"):
		return OfAccount
	}
	return Changed
}

// AuditLine is an entry as it was put down.
type AuditLine struct {
	Number uint64
	At     time.Time
	UserID uint64
	Who    string
	Entry
}

// AuditFilter is what of the log is asked for; zero is all of it.
type AuditFilter struct {
	Did      Did
	RunnerID uint64
	UserID   uint64
	From, To time.Time // days, both included
}

// AuditLog is a part of the shop's log, the latest first.
func (c *Core) AuditLog(ctx context.Context, who Actor, f AuditFilter, most, skip int) ([]AuditLine, error) {
	if who.Role != Owner {
		return nil, ErrNotAllowed
	}
	last := c.Now().AddDate(1, 0, 0)
	if !f.To.IsZero() {
		last = f.To.AddDate(0, 0, 1)
	}
	first := f.From
	if first.IsZero() {
		first = time.Unix(0, 0).UTC()
	}
	rows, err := c.Store.AuditLines(ctx, db.AuditLinesParams{ShopID: who.ShopID, Did: string(f.Did), Runner: NullInt(int64(f.RunnerID)),
		Person: NullInt(int64(f.UserID)), First: first, Last: last, Limit: int32(most), Offset: int32(skip)})
	out := make([]AuditLine, len(rows))
	for i, r := range rows {
		out[i] = AuditLine{r.Number, who.In(r.MadeAt), uint64(r.UserID.Int64), r.Who,
			Entry{Did(r.Did), r.What, r.Subject, uint64(r.RunnerID.Int64)}}
	}
	return out, err
}

// ErrAudit is a log that was touched: where its seals do not hold.
var ErrAudit = errors.New("the audit log was touched")

// CheckAudit goes through a shop's log and holds every seal against its entry and the one before, and
// gives how many entries there are. It fails with ErrAudit at the first that does not hold.
func (c *Core) CheckAudit(ctx context.Context, shopID uint64) (entries uint64, err error) {
	before := make([]byte, sha256.Size)
	for {
		rows, err := c.Store.AuditChain(ctx, db.AuditChainParams{ShopID: shopID, Number: entries})
		if err != nil {
			return entries, err
		}
		for _, r := range rows {
			want := sealEntry(before, db.AddAuditParams{ShopID: shopID, Number: r.Number, MadeAt: r.MadeAt, UserID: r.UserID, Who: r.Who, Did: r.Did,
				What: r.What, RunnerID: r.RunnerID, Subject: r.Subject})
			if r.Number != entries+1 || string(want) != string(r.Seal) {
				return entries, fmt.Errorf("%w: entry %d is not the one that followed entry %d", ErrAudit, r.Number, entries)
			}
			before, entries = r.Seal, r.Number
		}
		if len(rows) == 0 {
			break
		}
	}
	head, err := c.Store.AuditHeadOf(ctx, shopID)
	switch {
	case store.IsNoRows(err) && entries == 0:
		return 0, nil
	case err != nil:
		return entries, err
	case head.Number != entries || string(head.Seal) != string(before):
		return entries, fmt.Errorf("%w: %d entries are there, %d were written", ErrAudit, entries, head.Number)
	}
	return entries, nil
}
