package people

import (
	"cmp"
	"context"
	"database/sql"
	"slices"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/form"
	"trevik/internal/store"
	"trevik/internal/store/db"
)

// Person is somebody of the shop, as its owner sees them.
type Person struct {
	ID         uint64
	Name       string
	Login      string
	Role       app.Role
	MadeAt     time.Time
	DisabledAt time.Time // zero: they may sign in
	PasswordAt time.Time // zero: the one that they were added with
	Second     bool
	Sessions   int
	Links      int // open addresses that they gave
}

// All are the people of the shop, those who were disabled last.
func (p *People) All(ctx context.Context, who app.Actor) ([]Person, error) {
	if who.Role != app.Owner {
		return nil, app.ErrNotAllowed
	}
	rows, err := p.Store.PeopleOfShop(ctx, db.PeopleOfShopParams{After: p.Now().Add(-SessionTime), ShopID: who.ShopID})
	out := make([]Person, len(rows))
	for i, r := range rows {
		out[i] = Person{r.ID, r.Name, r.Login, app.Role(r.Role), who.In(r.CreatedAt), who.In(r.DisabledAt.Time), who.In(r.PasswordAt.Time),
			r.Second, int(r.Sessions), int(r.Links)}
	}
	return out, err
}

// AddUser adds a person to a shop. It fails with a fault.List when the name, the
// login, the password or the role is not allowed, or the login is taken.
func (p *People) AddUser(ctx context.Context, shopID uint64, name, login, password string, role app.Role) (app.Actor, error) {
	var l fault.List
	name, login = strings.TrimSpace(name), fold(login)
	form.Line(&l, "name", name, 1, 120)
	form.Line(&l, "login", login, 3, 120)
	checkPassword(&l, "password", password, name, login)
	fault.OneOf(&l, "role", role, app.Roles)
	if err := l.Err(); err != nil {
		return app.Actor{}, err
	}
	hash, err := hashOf(ctx, password)
	if err != nil {
		return app.Actor{}, err
	}
	id, err := p.Store.AddUser(ctx, db.AddUserParams{ShopID: shopID, Name: name, Login: login, PasswordHash: hash, Role: string(role),
		CreatedAt: p.Now()})
	if store.IsDuplicate(err) {
		return app.Actor{}, fault.List{{Field: "login", Text: "is taken; choose another"}}
	}
	if err != nil {
		return app.Actor{}, err
	}
	return p.Actor(ctx, uint64(id))
}

// Add adds a person to the owner's shop. It fails as AddUser does.
func (p *People) Add(ctx context.Context, who app.Actor, name, login, password string, role app.Role) error {
	if who.Role != app.Owner {
		return app.ErrNotAllowed
	}
	_, err := p.AddUser(ctx, who.ShopID, name, login, password, role)
	return err
}

// errOwn keeps what asks for one's own password from being done without it.
var errOwn = fault.List{{Field: "person", Text: "is yourself; do that at your account, where your password is asked for"}}

// SetPassword gives a person of the owner's shop a new password, which they should change: for who
// forgot theirs. Every session of theirs ends. It fails with a fault.List.
func (p *People) SetPassword(ctx context.Context, who app.Actor, userID uint64, password string) error {
	if who.Role != app.Owner {
		return app.ErrNotAllowed
	}
	if userID == who.UserID {
		return errOwn
	}
	u, err := p.Store.UserByID(ctx, userID)
	if err = app.Found(err); err != nil || u.ShopID != who.ShopID {
		return cmp.Or(err, app.ErrNotFound)
	}
	return p.setPassword(ctx, u, "new_password", password, 0)
}

// ChangePassword changes one's own, which is told once more. Every other session of theirs ends, and
// other browsers are strange to them again. It fails with a fault.List.
func (p *People) ChangePassword(ctx context.Context, who app.Actor, now, next string) error {
	if err := p.Ask(ctx, who, "password", now); err != nil {
		return err
	}
	u, err := p.Store.UserByID(ctx, who.UserID)
	if err != nil {
		return app.Found(err)
	}
	if now == next {
		return fault.List{{Field: "new_password", Text: "is the one that you have; choose another"}}
	}
	return p.setPassword(ctx, u, "new_password", next, who.Session)
}

// setPassword sets a password and ends all sessions but one.
func (p *People) setPassword(ctx context.Context, u db.UserByIDRow, at, password string, but uint64) error {
	var l fault.List
	if checkPassword(&l, at, password, u.Name, u.Login); len(l) > 0 {
		return l
	}
	hash, err := hashOf(ctx, password)
	if err != nil {
		return err
	}
	return p.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.SetPassword(ctx, db.SetPasswordParams{PasswordHash: hash, PasswordAt: app.NullTime(p.Now()), ID: u.ID}); err != nil {
			return err
		}
		if err := q.DropDevices(ctx, u.ID); err != nil {
			return err
		}
		return q.EndOtherSignedIn(ctx, db.EndOtherSignedInParams{UserID: u.ID, But: but})
	})
}

// Ask holds a person's password, told once more for something that matters, against theirs. It
// fails with a fault.List at the field, and with TooMany.
func (p *People) Ask(ctx context.Context, who app.Actor, at, password string) error {
	u, err := p.Store.UserByID(ctx, who.UserID)
	if err != nil {
		return app.Found(err)
	}
	counts := []count{{digestOf("ask", who.UserID), TriesHere}}
	if err := p.reserve(ctx, counts); err != nil {
		return tooMany(err, at)
	}
	same, err := matches(ctx, password, u.PasswordHash)
	if err != nil {
		p.release(ctx, counts)
		return err
	}
	if !same {
		return fault.List{{Field: at, Text: "is not your password"}}
	}
	p.release(ctx, counts)
	return p.Store.AskedSignedIn(ctx, db.AskedSignedInParams{AskedAt: p.Now(), ID: who.Session})
}

// tooMany says at a field that there were too many tries.
func tooMany(err error, at string) error {
	if t, ok := err.(TooMany); ok {
		return fault.List{{Field: at, Text: "was wrong too often: " + t.Error()}}
	}
	return err
}

// SetDisabled bars a person of the owner's shop from signing in, or lets them in again. Who is barred
// is out at once. A shop keeps an owner who can sign in.
func (p *People) SetDisabled(ctx context.Context, who app.Actor, userID uint64, off bool) error {
	return p.ofShop(ctx, who, userID, off, func(q *db.Queries) error {
		var at sql.NullTime
		if off {
			at = app.NullTime(p.Now())
		}
		if err := app.Some(q.SetDisabled(ctx, db.SetDisabledParams{DisabledAt: at, ID: userID, ShopID: who.ShopID})); err != nil || !off {
			return err
		}
		return endAll(ctx, q, userID)
	})
}

// SetRole gives a person of the owner's shop another role.
func (p *People) SetRole(ctx context.Context, who app.Actor, userID uint64, role app.Role) error {
	var l fault.List
	if !fault.OneOf(&l, "role", role, app.Roles) {
		return l
	}
	return p.ofShop(ctx, who, userID, role != app.Owner, func(q *db.Queries) error {
		_, err := q.SetRole(ctx, db.SetRoleParams{Role: string(role), ID: userID, ShopID: who.ShopID})
		return err
	})
}

// EndSessions ends every session of a person of the owner's shop.
func (p *People) EndSessions(ctx context.Context, who app.Actor, userID uint64) error {
	return p.ofShop(ctx, who, userID, false, func(q *db.Queries) error { return endAll(ctx, q, userID) })
}

// ResetSecond takes a person's second factor away: for who lost it and the codes.
func (p *People) ResetSecond(ctx context.Context, who app.Actor, userID uint64) error {
	if userID == who.UserID && who.Role == app.Owner {
		return errOwn
	}
	return p.ofShop(ctx, who, userID, false, func(q *db.Queries) error {
		if err := q.SetSecond(ctx, db.SetSecondParams{ID: userID}); err != nil {
			return err
		}
		if err := q.DropRecoveryCodes(ctx, userID); err != nil {
			return err
		}
		return endAll(ctx, q, userID)
	})
}

func endAll(ctx context.Context, q *db.Queries, userID uint64) error {
	if err := q.DropDevices(ctx, userID); err != nil {
		return err
	}
	return q.EndOtherSignedIn(ctx, db.EndOtherSignedInParams{UserID: userID})
}

// ofShop does something to a person of the owner's shop; without is whether they are no owner who
// can sign in any more after it.
func (p *People) ofShop(ctx context.Context, who app.Actor, userID uint64, without bool, do func(*db.Queries) error) error {
	if who.Role != app.Owner {
		return app.ErrNotAllowed
	}
	return p.Do(ctx, who, func(q *db.Queries) error {
		u, err := q.UserByID(ctx, userID)
		if err = app.Found(err); err != nil || u.ShopID != who.ShopID {
			return cmp.Or(err, app.ErrNotFound)
		}
		if without {
			owners, err := q.LockOwners(ctx, who.ShopID)
			if err != nil {
				return err
			}
			if slices.Equal(owners, []uint64{userID}) {
				return fault.List{{Field: "person", Text: "is the last owner who can sign in; make another one first"}}
			}
		}
		return do(q)
	})
}

// SessionLine is one session of a person.
type SessionLine struct {
	ID     uint64
	Agent  string
	MadeAt time.Time
	SeenAt time.Time
	Here   bool // it is the one that asks
}

// Sessions are one's own, the last used first.
func (p *People) Sessions(ctx context.Context, who app.Actor) ([]SessionLine, error) {
	rows, err := p.Store.SignedInOf(ctx, db.SignedInOfParams{UserID: who.UserID, After: p.Now().Add(-SessionTime)})
	out := make([]SessionLine, len(rows))
	for i, r := range rows {
		out[i] = SessionLine{r.ID, agentWords(r.Agent), who.In(r.MadeAt), who.In(r.SeenAt), r.ID == who.Session}
	}
	return out, err
}

// EndSession ends one of one's own sessions; 0 ends all but the one that asks.
func (p *People) EndSession(ctx context.Context, who app.Actor, id uint64) error {
	if id == 0 {
		return p.Store.EndOtherSignedIn(ctx, db.EndOtherSignedInParams{UserID: who.UserID, But: who.Session})
	}
	return app.Some(p.Store.EndSignedIn(ctx, db.EndSignedInParams{ID: id, UserID: who.UserID}))
}

// agentWords says in a few words what a browser calls itself.
func agentWords(agent string) string {
	var words []string
	for _, known := range [][2]string{{"Edg/", "Edge"}, {"Firefox/", "Firefox"}, {"Chrome/", "Chromium"}, {"Safari/", "Safari"}} {
		if strings.Contains(agent, known[0]) {
			words = append(words, known[1])
			break
		}
	}
	for _, known := range [][2]string{{"iPad", "iPad"}, {"iPhone", "iPhone"}, {"Android", "Android"}, {"Windows", "Windows"},
		{"Mac OS", "macOS"},
		{"Linux", "Linux"}} {
		if strings.Contains(agent, known[0]) {
			words = append(words, "on "+known[1])
			break
		}
	}
	if len(words) == 0 {
		return "another program"
	}
	return strings.Join(words, " ")
}
