package people

import (
	"bytes"
	"context"
	"crypto/sha256"
	_ "embed"
	"runtime"
	"sort"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"

	"trevik/internal/app"
	"trevik/internal/core/fault"
)

// Limits on passwords, letters.
const (
	LeastPassword = 10
	mostPassword  = 200
)

// HashParams follow the recommendation of the Argon2 RFC's second choice (64 MiB, three passes), sized
// for a shop's small machine. Tests that sign in by the hundred set cheaper ones.
var HashParams = &argon2id.Params{Memory: 64 * 1024, Iterations: 3, Parallelism: 2, SaltLength: 16, KeyLength: 32}

// House values of hashing: each takes 64 MiB, so few go on at a time, and few wait.
const (
	hashAtOnce = 2
	hashQueue  = 100
	hashWait   = 20 * time.Second
)

var hashing = app.NewGate(int64(min(hashAtOnce, runtime.NumCPU())), hashQueue, hashWait)

// decoy is what a password is held against when the login is unknown, so that
// the answer takes as long and tells nothing.
var decoy = sync.OnceValues(func() (string, error) { return argon2id.CreateHash("nobody has this password", HashParams) })

// hashOf hashes a new password.
func hashOf(ctx context.Context, password string) (string, error) {
	leave, err := hashing.Enter(ctx, 1)
	if err != nil {
		return "", err
	}
	defer leave()
	return argon2id.CreateHash(password, HashParams)
}

// matches holds a password against a hash, an empty one against a decoy. One of any size costs the
// same; a huge one is not worth hashing.
func matches(ctx context.Context, password, hash string) (bool, error) {
	leave, err := hashing.Enter(ctx, 1)
	if err != nil {
		return false, err
	}
	defer leave()
	known := hash != "" && len(password) <= 4*mostPassword
	if !known {
		if hash, err = decoy(); err != nil {
			return false, err
		}
		password = "is not looked at"
	}
	same, err := argon2id.ComparePasswordAndHash(password, hash)
	return same && known, err
}

// fold is a login however it is spelled: one for all widths, accents, cases and letters that are not
// seen.
func fold(login string) string {
	var b strings.Builder
	for _, r := range norm.NFKD.String(login) {
		switch {
		case unicode.Is(unicode.Mn, r), unicode.Is(unicode.Cf, r), unicode.Is(unicode.Me, r):
		case unicode.IsSpace(r):
			b.WriteByte(' ')
		default:
			b.WriteRune(r)
		}
	}
	return norm.NFC.String(strings.Join(strings.Fields(cases.Fold().String(b.String())), " "))
}

// common are the first eight bytes of the SHA-256 of passwords that are tried first, in order: the
// 30,000 most common ones of a public frequency list (MIT) that are long enough to be chosen, and a
// shop's own likely ones. Hashes, so that the list need not be read.
//
//go:embed common.bin
var common []byte

func isCommon(password string) bool {
	h := sha256.Sum256([]byte(strings.ToLower(password)))
	n := len(common) / 8
	at := sort.Search(n, func(i int) bool { return bytes.Compare(common[8*i:8*i+8], h[:8]) >= 0 })
	return at < n && bytes.Equal(common[8*at:8*at+8], h[:8])
}

// checkPassword notes what speaks against a new password at a field; names are what it may not hold.
func checkPassword(l *fault.List, at, password string, names ...string) {
	n := utf8.RuneCountInString(password)
	switch {
	case !utf8.ValidString(password):
		l.Add(at, "holds bytes that are not text")
		return
	case n < LeastPassword || n > mostPassword:
		l.Add(at, "is %d letters long; allowed is %d to %d", n, LeastPassword, mostPassword)
		return
	case isCommon(password) || isCommon(strings.TrimRight(password, "0123456789!.?")):
		l.Add(at, "is among those that are guessed first; choose another, several words for instance")
		return
	}
	folded := fold(password)
	for _, name := range names {
		if name = fold(name); len(name) >= 4 && strings.Contains(folded, name) && len(folded) < len(name)+6 {
			l.Add(at, "is little more than a name; choose another, several words for instance")
			return
		}
	}
	distinct := map[rune]bool{}
	for _, r := range password {
		distinct[r] = true
	}
	if len(distinct) < 4 {
		l.Add(at, "is the same few letters again and again; choose another, several words for instance")
	}
}
