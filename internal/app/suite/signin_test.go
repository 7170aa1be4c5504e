package suite_test

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/pquerna/otp/totp"

	"trevik/internal/app"
	"trevik/internal/app/people"
	"trevik/internal/core/fault"
	"trevik/internal/record"
)

const right = "a long password"

func from(address string) people.From {
	return people.From{Address: address, Agent: "Mozilla/5.0 (X11; Linux) Firefox/140.0"}
}

// tooMany says whether an error is too many tries.
func tooMany(err error) bool {
	var t people.TooMany
	return errors.As(err, &t) && t.After > 0 && t.After <= people.SignInWindow
}

func TestSignIn(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	in, err := b.People.SignIn(ctx, " LOFT-owner ", right, from("127.0.0.1"))
	if err != nil || in.Role != app.Owner || in.Session == "" || in.Device == "" {
		t.Fatal(in, err)
	}
	who, err := b.People.Session(ctx, in.Session)
	if err != nil || who.UserID != in.UserID || who.Name != in.Name || who.Session == 0 {
		t.Fatalf("%+v %v", who, err)
	}
	if _, err := b.People.Session(ctx, in.Session+"x"); err != app.ErrNotFound {
		t.Errorf("another's secret: %v", err)
	}
	for i := range people.TriesHere {
		if _, err := b.People.SignIn(ctx, "loft-fitter", "wrong", from("127.0.0.1")); err != people.ErrSignIn {
			t.Fatalf("try %d: %v", i, err)
		}
	}
	if _, err := b.People.SignIn(ctx, "loft-fitter", right, from("127.0.0.1")); !tooMany(err) {
		t.Errorf("after %d tries: %v", people.TriesHere, err)
	}
	if _, err := b.People.SignIn(ctx, "loft-owner", right, from("127.0.0.1")); err != nil {
		t.Errorf("somebody else is kept out too: %v", err)
	}
	if _, err := b.People.SignIn(ctx, "nobody", "x", from("10.0.0.1")); err != people.ErrSignIn {
		t.Errorf("an unknown login: %v", err)
	}
	// What goes on trying does not make the wait longer.
	b.now = b.now.Add(people.SignInWindow - time.Minute)
	_, err = b.People.SignIn(ctx, "loft-fitter", right, from("127.0.0.1"))
	if !tooMany(err) || strings.Contains(err.Error(), "15 minutes") {
		t.Errorf("a minute before the end: %v", err)
	}
	b.now = b.now.Add(2 * time.Minute)
	if _, err := b.People.SignIn(ctx, "loft-fitter", right, from("127.0.0.1")); err != nil {
		t.Errorf("after the wait: %v", err)
	}
	b.now = b.now.Add(people.SessionTime)
	if _, err := b.People.Session(ctx, in.Session); err != app.ErrNotFound {
		t.Errorf("a session without end: %v", err)
	}
	must(t, b.People.Tidy(ctx))
	for field, bad := range map[string][3]string{"name": {"", "abcd", "a long password"}, "login": {"A", "ab", "a long password"},
		"password": {"A", "abcd", "short"}} {
		_, err := b.People.AddUser(ctx, b.owner.ShopID, bad[0], bad[1], bad[2], app.Fitter)
		if l, ok := fault.As(err); !ok || l[0].Field != field {
			t.Errorf("%v, want a fault at %s", err, field)
		}
	}
	if _, err := b.People.AddUser(ctx, b.owner.ShopID, "A", "loft-owner", "a long password", app.Fitter); err == nil {
		t.Error("a login is given twice")
	}
}

// Every try is counted before its password is looked at, however many come at once.
func TestTriesAtOnce(t *testing.T) {
	b := newBench(t)
	var looked, refused atomic.Int64
	var all sync.WaitGroup
	for range 30 {
		all.Go(func() {
			switch _, err := b.People.SignIn(context.Background(), "loft-fitter", "wrong", from("127.0.0.1")); {
			case err == people.ErrSignIn:
				looked.Add(1)
			case tooMany(err):
				refused.Add(1)
			default:
				t.Errorf("%v", err)
			}
		})
	}
	all.Wait()
	if looked.Load() != people.TriesHere || refused.Load() != 30-people.TriesHere {
		t.Errorf("%d passwords were looked at, %d refused", looked.Load(), refused.Load())
	}
}

// A login is one however it is spelled, and so are its tries.
func TestSpellings(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	spellings := []string{"loft-owner", "LOFT-OWNER", "Loft-Owner", " loft-owner ", "lo\u200bft-owner", "loft-own\u00ader", "l\u00f6ft-owner",
		"lo\u0308ft-owner", "\uff4c\uff4f\uff46\uff54-owner", "loft-owner\ufeff", "\u202eloft-owner", "lo\u200dft-owner", "ｌｏft-OWNER",
		"lôft-öwnêr",
		"loft-owner\u2060", "\tloft-owner", "loft-owner\n", "𝓁oft-owner", "ⓛoft-owner", "loft-owneｒ"}
	for i, s := range spellings {
		_, err := b.People.SignIn(ctx, s, "wrong", from("10.0.0.1"))
		if i < people.TriesHere && err != people.ErrSignIn || i >= people.TriesHere && !tooMany(err) {
			t.Errorf("%q, try %d: %v", s, i, err)
		}
	}
	for i, s := range spellings {
		if in, err := b.People.SignIn(ctx, s, right, from(fmt.Sprintf("10.0.1.%d", i))); err != nil || in.UserID != b.owner.UserID {
			t.Errorf("%q is somebody else: %v", s, err)
		}
	}
	if _, err := b.People.AddUser(ctx, b.owner.ShopID, "Somebody", "löft-OWNER", "six old rowing boats", app.Fitter); err == nil {
		t.Error("the same login twice, spelled otherwise")
	}
	for _, other := range []string{"loftowner", "loft-owner2", "loft owner", ""} {
		if _, err := b.People.SignIn(ctx, other, right, from("10.0.2.1")); err != people.ErrSignIn {
			t.Errorf("%q signs in: %v", other, err)
		}
	}
}

// Nobody's wrong tries keep another out for long: not at another address, and not in a browser in
// which they signed in before, wherever the tries come from.
func TestNobodyIsLockedOut(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	in, err := b.People.SignIn(ctx, "loft-owner", right, from("10.0.0.1"))
	must(t, err)
	for i := range people.TriesByAddress + 20 {
		_, _ = b.People.SignIn(ctx, fmt.Sprintf("made up %d", i%7), "wrong", from("10.0.0.1"))
	}
	if _, err := b.People.SignIn(ctx, "loft-fitter", right, from("10.0.0.1")); !tooMany(err) {
		t.Fatalf("the address goes on: %v", err)
	}
	for range people.TriesHere + 5 {
		_, _ = b.People.SignIn(ctx, "loft-owner", "wrong", from("10.0.0.2"))
	}
	known := from("10.0.0.1")
	known.Device = in.Device
	if _, err := b.People.SignIn(ctx, "loft-owner", right, known); err != nil {
		t.Errorf("in the browser that they know: %v", err)
	}
	if _, err := b.People.SignIn(ctx, "loft-owner", right, from("10.0.0.3")); err != nil {
		t.Errorf("at another address: %v", err)
	}
	// A browser is known for its own person alone, and no more tries come with it.
	if _, err := b.People.SignIn(ctx, "loft-fitter", right, known); !tooMany(err) {
		t.Errorf("another person in that browser: %v", err)
	}
	for i := range people.TriesHere + 1 {
		if _, err := b.People.SignIn(ctx, "loft-owner", "wrong", known); i == people.TriesHere && !tooMany(err) {
			t.Errorf("try %d in the known browser: %v", i, err)
		}
	}
	// All of an IPv6 network is one address.
	for i := range people.TriesHere {
		_, _ = b.People.SignIn(ctx, "loft-trainee", "wrong", from(fmt.Sprintf("2001:db8::%x", i+1)))
	}
	if _, err := b.People.SignIn(ctx, "loft-trainee", right, from("2001:db8::ffff")); !tooMany(err) {
		t.Errorf("at the next address of the same network: %v", err)
	}
}

// However many sign in at once, few passwords are hashed at a time: the rest wait, and are told so
// where it takes too long.
func TestSigningInTakesLittleMemory(t *testing.T) {
	cheap := people.HashParams
	people.HashParams = &argon2id.Params{Memory: 64 * 1024, Iterations: 3, Parallelism: 2, SaltLength: 16, KeyLength: 32}
	t.Cleanup(func() { people.HashParams = cheap })
	b := newBench(t)
	stop, most := make(chan struct{}), uint64(0)
	var watch sync.WaitGroup
	watch.Go(func() {
		for {
			var m runtime.MemStats
			runtime.ReadMemStats(&m)
			most = max(most, m.HeapInuse)
			select {
			case <-stop:
				return
			case <-time.After(5 * time.Millisecond):
			}
		}
	})
	var all sync.WaitGroup
	var in atomic.Int64
	for i := range 64 {
		all.Go(func() {
			_, err := b.People.SignIn(context.Background(), "loft-owner", right, from(fmt.Sprintf("10.1.0.%d", i)))
			if err == nil {
				in.Add(1)
			} else if err != app.ErrBusy {
				t.Error(err)
			}
		})
	}
	all.Wait()
	close(stop)
	watch.Wait()
	t.Logf("%d of 64 came in at once, at most %d MiB of heap", in.Load(), most>>20)
	if most > 700<<20 || in.Load() == 0 {
		t.Errorf("%d MiB of heap, %d came in", most>>20, in.Load())
	}
}

// One's own password, sessions and second factor; the owner's hand on those of others.
func TestAccounts(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	signIn := func(login, password string) (app.Actor, people.SignedIn) {
		t.Helper()
		in, err := b.People.SignIn(ctx, login, password, from("10.0.0.1"))
		must(t, err)
		who, err := b.People.Session(ctx, in.Session)
		must(t, err)
		return who, in
	}
	gone := func(in people.SignedIn) bool {
		_, err := b.People.Session(ctx, in.Session)
		return err == app.ErrNotFound
	}
	owner, ownerIn := signIn("loft-owner", right)
	fitter, first := signIn("loft-fitter", right)
	_, second := signIn("loft-fitter", right)
	list, err := b.People.Sessions(ctx, fitter)
	if err != nil || len(list) != 2 || !list[1].Here && !list[0].Here || list[0].Agent != "Firefox on Linux" {
		t.Fatalf("%+v %v", list, err)
	}
	faultAt(t, b.People.ChangePassword(ctx, fitter, "not it", "six old rowing boats"), "password", "not your password")
	for _, bad := range []string{"short", "password123", "aaaaaaaaaaaa", "loft-fitter1", right, "1234567890"} {
		if err := b.People.ChangePassword(ctx, fitter, right, bad); err == nil {
			t.Errorf("%q is taken", bad)
		}
	}
	must(t, b.People.ChangePassword(ctx, fitter, right, "six old rowing boats"))
	if gone(first) || !gone(second) {
		t.Error("a changed password ends the other sessions, and not the one that changed it")
	}
	if _, err := b.People.SignIn(ctx, "loft-fitter", right, from("10.0.0.9")); err != people.ErrSignIn {
		t.Errorf("the old password: %v", err)
	}
	// The second factor: told once, held once; without it nobody is quite in.
	key, err := b.People.Key(fitter)
	must(t, err)
	code := func() string {
		c, err := totp.GenerateCode(key.Secret(), b.now)
		must(t, err)
		return c
	}
	if _, err := b.People.StartSecond(ctx, fitter, key.Secret(), "000000"); err == nil {
		t.Error("a second factor by a wrong code")
	}
	codes, err := b.People.StartSecond(ctx, fitter, key.Secret(), code())
	if err != nil || len(codes) != 10 {
		t.Fatal(codes, err)
	}
	if other, err := b.People.Key(fitter); err != nil {
		t.Fatal(err)
	} else if c, err := totp.GenerateCode(other.Secret(), b.now); err != nil {
		t.Fatal(err)
	} else {
		_, err := b.People.StartSecond(ctx, fitter, other.Secret(), c)
		faultAt(t, err, "code", "take that away first")
	}
	half, in := signIn("loft-fitter", "six old rowing boats")
	if !in.Second || !half.SecondDue || !half.Second {
		t.Fatalf("%+v", half)
	}
	faultAt(t, b.People.TellSecond(ctx, half, code(), in.Device), "code", "not the one of this moment") // it was used
	b.now = b.now.Add(30 * time.Second)
	must(t, b.People.TellSecond(ctx, half, code(), in.Device))
	if who, err := b.People.Session(ctx, in.Session); err != nil || who.SecondDue {
		t.Errorf("%+v %v", who, err)
	}
	again, in := signIn("loft-fitter", "six old rowing boats")
	must(t, b.People.TellSecond(ctx, again, strings.ToUpper(codes[3]), in.Device))
	again, in = signIn("loft-fitter", "six old rowing boats")
	faultAt(t, b.People.TellSecond(ctx, again, codes[3], in.Device), "code", "unused")
	for range people.TriesHere {
		_ = b.People.TellSecond(ctx, again, "123456", in.Device)
	}
	faultAt(t, b.People.TellSecond(ctx, again, codes[4], in.Device), "code", "too often")
	if left, err := b.People.RecoveryLeft(ctx, fitter); err != nil || left != 9 {
		t.Errorf("%d codes left, %v", left, err)
	}
	// The owner's hand.
	for name, err := range map[string]error{
		"list":     func() error { _, err := b.People.All(ctx, fitter); return err }(),
		"bar":      b.People.SetDisabled(ctx, fitter, owner.UserID, true),
		"role":     b.People.SetRole(ctx, fitter, fitter.UserID, app.Owner),
		"password": b.People.SetPassword(ctx, fitter, owner.UserID, "six old rowing boats"),
		"second":   b.People.ResetSecond(ctx, fitter, fitter.UserID),
		"add":      b.People.Add(ctx, fitter, "A", "abcd", "six old rowing boats", app.Owner),
	} {
		if !errors.Is(err, app.ErrNotAllowed) {
			t.Errorf("a fitter may %s: %v", name, err)
		}
	}
	for name, err := range map[string]error{"bar": b.People.SetDisabled(ctx, owner, b.other.UserID, true),
		"password": b.People.SetPassword(ctx, owner, b.other.UserID, "six old rowing boats")} {
		if !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s of another shop's: %v", name, err)
		}
	}
	faultAt(t, b.People.SetDisabled(ctx, owner, owner.UserID, true), "person", "last owner")
	faultAt(t, b.People.SetRole(ctx, owner, owner.UserID, app.Fitter), "person", "last owner")
	faultAt(t, b.People.SetPassword(ctx, owner, owner.UserID, "six old rowing boats"), "person", "at your account")
	faultAt(t, b.People.ResetSecond(ctx, owner, owner.UserID), "person", "at your account")
	must(t, b.People.ResetSecond(ctx, owner, fitter.UserID))
	if who, _ := signIn("loft-fitter", "six old rowing boats"); who.Second {
		t.Error("the second factor is still there")
	}
	must(t, b.People.SetPassword(ctx, owner, fitter.UserID, "another six rowing boats"))
	_, third := signIn("loft-fitter", "another six rowing boats")
	must(t, b.People.SetDisabled(ctx, owner, fitter.UserID, true))
	if _, err := b.People.SignIn(ctx, "loft-fitter", "another six rowing boats", from("10.0.0.8")); err != people.ErrSignIn || !gone(third) {
		t.Errorf("barred, and yet in: %v", err)
	}
	all, err := b.People.All(ctx, owner)
	if err != nil || all[len(all)-1].ID != fitter.UserID || all[len(all)-1].DisabledAt.IsZero() || all[len(all)-1].PasswordAt.IsZero() {
		t.Errorf("%+v %v", all, err)
	}
	must(t, b.People.SetDisabled(ctx, owner, fitter.UserID, false))
	signIn("loft-fitter", "another six rowing boats")
	// The shop may ask everybody for a second factor.
	must(t, b.People.ChangeSettings(ctx, owner, map[string]string{record.SecondFactor: record.SecondRequired}))
	if who, err := b.People.Session(ctx, ownerIn.Session); err != nil || !who.SecondAsked || who.Second {
		t.Errorf("%+v %v", who, err)
	}
	must(t, b.People.SignOut(ctx, owner))
	if !gone(ownerIn) {
		t.Error("signed out, and yet in")
	}
	if _, ok := fault.As(b.People.ChangePassword(ctx, fitter, "x", "y")); !ok {
		t.Error("no fault")
	}
}

// What is open for a runner is one list: closing a page closes what was made through it; there are
// never many; who gave it and was barred since is told.
func TestAddresses(t *testing.T) {
	b := newBench(t)
	ctx := context.Background()
	runner := b.load(t, b.ready(t)).Runner.ID
	secret, err := b.People.NewLink(ctx, b.fitter, people.RunnerLink, runner)
	must(t, err)
	who, _, err := b.People.ByLink(ctx, people.RunnerLink, secret)
	must(t, err)
	var feeds []string
	for {
		feed, err := b.People.NewLink(ctx, who, people.RunnerCalendarLink, runner)
		if err != nil {
			faultAt(t, err, "link", "close one first")
			break
		}
		if feeds = append(feeds, feed); len(feeds) > 20 {
			t.Fatal("calendars without end")
		}
	}
	links, err := b.People.Links(ctx, b.fitter, runner)
	if err != nil || len(links) != len(feeds)+1 || links[1].Through != links[0].ID {
		t.Fatalf("%+v %v", links, err)
	}
	must(t, b.People.RevokeLink(ctx, b.fitter, links[0].ID))
	for _, feed := range feeds {
		if _, _, err := b.People.ByLink(ctx, people.RunnerCalendarLink, feed); err != app.ErrNotFound {
			t.Errorf("a calendar outlives the page that it was made through: %v", err)
		}
	}
	for range 3 {
		_, err := b.People.NewLink(ctx, b.fitter, people.RunnerLink, runner)
		must(t, err)
	}
	if err := b.People.RevokeLinks(ctx, b.trainee, runner); !errors.Is(err, app.ErrNotAllowed) {
		t.Errorf("a trainee closes all: %v", err)
	}
	if err := b.People.RevokeLinks(ctx, b.other, runner); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("another shop closes all: %v", err)
	}
	must(t, b.People.SetDisabled(ctx, b.owner, b.fitter.UserID, true))
	links, err = b.People.Links(ctx, b.owner, runner)
	if err != nil || len(links) != 3 || !links[0].MakerGone {
		t.Fatalf("%+v %v", links, err)
	}
	must(t, b.People.RevokeLinks(ctx, b.owner, runner))
	if links, err = b.People.Links(ctx, b.owner, runner); err != nil || len(links) != 0 {
		t.Errorf("%+v %v", links, err)
	}
	if err := b.People.RevokeLinks(ctx, b.owner, runner); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("closing what is not there: %v", err)
	}
}
