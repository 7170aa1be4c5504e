package people

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/subtle"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/seal"
	"trevik/internal/store/db"
)

// The second factor is a time-based code of six digits (RFC 6238), which any authenticator gives.
const (
	codeStep      = 30 // seconds
	codeSkew      = 1  // steps before and after that still hold
	recoveryCodes = 10
)

// Key is a new secret, for the page that shows it once as text and as a picture to be filmed.
func (p *People) Key(who app.Actor) (*otp.Key, error) {
	return totp.Generate(totp.GenerateOpts{Issuer: "Trevik", AccountName: who.Name + ", " + who.Shop, SecretSize: 20})
}

// stepOf is the step whose code it is, after the last one that was used; ok is false for a wrong
// code. A code holds once.
func stepOf(code, secret string, now time.Time, last int64) (step int64, ok bool) {
	code = strings.ReplaceAll(strings.TrimSpace(code), " ", "")
	for off := int64(-codeSkew); off <= codeSkew; off++ {
		at := now.Unix()/codeStep + off
		want, err := totp.GenerateCode(secret, time.Unix(at*codeStep, 0))
		if err == nil && at > last && subtle.ConstantTimeCompare([]byte(want), []byte(code)) == 1 {
			return at, true
		}
	}
	return 0, false
}

// StartSecond gives a person their second factor, once they have told a code of it, and the codes for
// when it is lost, which are told this once. It fails with a fault.List.
func (p *People) StartSecond(ctx context.Context, who app.Actor, secret, code string) ([]string, error) {
	step, ok := stepOf(code, secret, p.Now(), 0)
	if !ok {
		return nil, fault.List{{Field: "code", Text: "is not the one of this moment; look at the authenticator again"}}
	}
	var codes []string
	return codes, p.Store.Tx(ctx, func(q *db.Queries) error {
		codes = nil
		if u, err := q.SecondOf(ctx, who.UserID); err != nil {
			return app.Found(err)
		} else if u.SecondSecret != "" { // another one in its place would need no password
			return fault.List{{Field: "code", Text: "is of another second factor than the one that is on; take that away first"}}
		}
		if err := q.SetSecond(ctx, db.SetSecondParams{SecondSecret: seal.Text(secret), SecondStep: step,
			ID: who.UserID}); err != nil {
			return err
		}
		if err := q.DropRecoveryCodes(ctx, who.UserID); err != nil {
			return err
		}
		for range recoveryCodes {
			text := strings.ToLower(rand.Text())
			c := text[:5] + "-" + text[5:10] + "-" + text[10:15]
			codes = append(codes, c)
			if err := q.AddRecoveryCode(ctx, db.AddRecoveryCodeParams{UserID: who.UserID, Digest: digestOf("recovery", who.UserID, c)}); err != nil {
				return err
			}
		}
		return q.EndOtherSignedIn(ctx, db.EndOtherSignedInParams{UserID: who.UserID, But: who.Session})
	})
}

// EndSecond takes one's own second factor away. The password is asked for before.
func (p *People) EndSecond(ctx context.Context, who app.Actor) error {
	return p.Store.Tx(ctx, func(q *db.Queries) error {
		if err := q.SetSecond(ctx, db.SetSecondParams{ID: who.UserID}); err != nil {
			return err
		}
		return q.DropRecoveryCodes(ctx, who.UserID)
	})
}

// TellSecond finishes signing in by a code of the moment, or by one of those for when it is lost,
// which holds once; device is the browser's secret. It fails with a fault.List.
func (p *People) TellSecond(ctx context.Context, who app.Actor, code, device string) error {
	counts := []count{{digestOf("second", who.UserID, device), TriesHere}, {digestOf("second", who.UserID), TriesByAddress}}
	if err := p.reserve(ctx, counts); err != nil {
		return tooMany(err, "code")
	}
	right := false
	err := p.Store.Tx(ctx, func(q *db.Queries) error {
		right = false
		u, err := q.SecondOf(ctx, who.UserID)
		if err != nil || u.SecondSecret == "" {
			return cmp.Or(app.Found(err), app.ErrNotFound)
		}
		now := p.Now()
		if step, ok := stepOf(code, string(u.SecondSecret), now, u.SecondStep); ok {
			right = true
			err = q.SetSecondStep(ctx, db.SetSecondStepParams{SecondStep: step, ID: who.UserID})
		} else {
			used := strings.ToLower(strings.TrimSpace(code))
			n, wrong := q.UseRecoveryCode(ctx, db.UseRecoveryCodeParams{UsedAt: app.NullTime(now), UserID: who.UserID,
				Digest: digestOf("recovery", who.UserID, used)})
			right, err = n > 0, wrong
		}
		if err != nil || !right {
			return err
		}
		if err := q.AskedSignedIn(ctx, db.AskedSignedInParams{AskedAt: now, ID: who.Session}); err != nil {
			return err
		}
		return q.AddDevice(ctx, db.AddDeviceParams{UserID: who.UserID, Digest: digestOf("device", device), MadeAt: now})
	})
	if err != nil {
		p.release(ctx, counts)
		return err
	}
	if !right {
		return fault.List{{Field: "code", Text: "is not the one of this moment, nor an unused one of those on paper"}}
	}
	p.release(ctx, counts)
	return nil
}

// RecoveryLeft is how many codes are left for when the second factor is lost.
func (p *People) RecoveryLeft(ctx context.Context, who app.Actor) (int, error) {
	n, err := p.Store.RecoveryCodesLeft(ctx, who.UserID)
	return int(n), err
}
