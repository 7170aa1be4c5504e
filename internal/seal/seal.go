// Package seal keeps films, pictures and health answers unreadable to whoever gets at the
// database without the owner's key. It is an envelope: a row is sealed by a data key
// (AES-256-GCM, NIST SP 800-38D, a random nonce of 96 bits each time), and the data key lies in
// the database sealed by the owner's key, which does not. A change of the owner's key seals the
// data keys anew and touches no row.
package seal

import (
	"bytes"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
)

const (
	keyBytes   = 32
	idBytes    = 8
	nonceBytes = 12
	tagBytes   = 16
)

var (
	// ErrLocked is something sealed by a key that is not here.
	ErrLocked = errors.New("it is sealed by a key that is not here")
	// ErrBroken is something sealed that was changed since.
	ErrBroken = errors.New("it was changed since it was sealed")
	// ErrKey is a file that holds no key.
	ErrKey = errors.New("holds no key of Trevik's; make one with: trevik key new")
)

// Key is the owner's.
type Key struct{ secret [keyBytes]byte }

// keyWord begins the line of a key's file.
const keyWord = "trevik-key-v1"

// NewKey makes a key at random.
func NewKey() Key {
	var k Key
	_, _ = rand.Read(k.secret[:]) // never fails
	return k
}

// ID tells a key from another and nothing of what it is.
func (k Key) ID() string {
	sum := sha256.Sum256(append([]byte("trevik key id "), k.secret[:]...))
	return hex.EncodeToString(sum[:6])
}

// Text is the key as its file holds it: one line.
func (k Key) Text() string {
	return keyWord + " " + k.ID() + " " + base64.StdEncoding.EncodeToString(k.secret[:]) + "\n"
}

// ParseKey reads what Text writes. It fails with ErrKey.
func ParseKey(text string) (Key, error) {
	var k Key
	words := strings.Fields(text)
	if len(words) != 3 || words[0] != keyWord {
		return k, ErrKey
	}
	secret, err := base64.StdEncoding.DecodeString(words[2])
	if err != nil || len(secret) != keyBytes {
		return k, ErrKey
	}
	copy(k.secret[:], secret)
	if k.ID() != words[1] {
		return k, ErrKey
	}
	return k, nil
}

// mostKeyFile is more than a key's file has.
const mostKeyFile = 4096

// ReadKey reads a key's file. It fails with ErrKey, and where the file cannot be read or others
// than its owner may read it.
func ReadKey(name string) (Key, error) {
	info, err := os.Stat(name)
	if err != nil {
		return Key{}, err
	}
	if info.Mode().Perm()&0o077 != 0 {
		return Key{}, fmt.Errorf("%s may be read by others; let its owner alone read it: chmod 600", name)
	}
	if info.Size() > mostKeyFile {
		return Key{}, ErrKey
	}
	text, err := os.ReadFile(name)
	if err != nil {
		return Key{}, err
	}
	return ParseKey(string(text))
}

// DataKey seals rows. Wrapped, it lies in the database.
type DataKey struct {
	ID     [idBytes]byte
	secret [keyBytes]byte
}

// NewDataKey makes a data key at random.
func NewDataKey() DataKey {
	var d DataKey
	_, _ = rand.Read(d.ID[:]) // never fails
	_, _ = rand.Read(d.secret[:])
	return d
}

// Wrap seals a data key by the owner's.
func (k Key) Wrap(d DataKey) []byte {
	nonce := make([]byte, nonceBytes, nonceBytes+keyBytes+tagBytes)
	_, _ = rand.Read(nonce)
	return gcm(k.secret).Seal(nonce, nonce, d.secret[:], d.ID[:])
}

// Unwrap opens a data key. It fails with ErrLocked where another key than this sealed it.
func (k Key) Unwrap(id, wrapped []byte) (DataKey, error) {
	var d DataKey
	if len(id) != idBytes || len(wrapped) != nonceBytes+keyBytes+tagBytes {
		return d, ErrBroken
	}
	secret, err := gcm(k.secret).Open(nil, wrapped[:nonceBytes], wrapped[nonceBytes:], id)
	if err != nil {
		return d, ErrLocked
	}
	copy(d.ID[:], id)
	copy(d.secret[:], secret)
	return d, nil
}

func gcm(secret [keyBytes]byte) cipher.AEAD {
	block, err := aes.NewCipher(secret[:])
	if err != nil {
		panic(err) // 32 bytes are a key
	}
	a, err := cipher.NewGCM(block)
	if err != nil {
		panic(err)
	}
	return a
}

// Ring holds the data keys of one database. Without one, what is written stays in clear. It may
// be used by many at once.
type Ring struct {
	mu     sync.RWMutex
	keys   map[[idBytes]byte]cipher.AEAD
	newest [idBytes]byte
	fetch  func(id []byte) (DataKey, error)
	held   bool
}

// Hold refuses to seal while it is true: the keys are still to come, and nothing is to be
// written in clear meanwhile.
func (r *Ring) Hold(held bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.held = held
}

// holds says whether keys are still to come.
func (r *Ring) holds() bool {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return r.held
}

// Add puts a data key on the ring; the last one added seals what is written from then on.
func (r *Ring) Add(d DataKey) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.keys == nil {
		r.keys = map[[idBytes]byte]cipher.AEAD{}
	}
	r.keys[d.ID] = gcm(d.secret)
	r.newest = d.ID
}

// Fetch says where data keys are to be had that another instance made since.
func (r *Ring) Fetch(f func(id []byte) (DataKey, error)) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.fetch = f
}

// Seals says whether what is written is sealed, and by which data key.
func (r *Ring) Seals() (id [idBytes]byte, ok bool) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	return r.newest, len(r.keys) > 0
}

// begins stands before what is sealed. No picture, archive or JSON begins with a zero.
const begins = "\x00trevik1"

// textBegins stands before what is sealed in a column of text.
const textBegins = "sealed:"

// Begins is how a sealed column of bytes begins, and one of text.
func Begins() (data, text string) { return begins, textBegins }

// seal seals bytes; without a key on the ring it gives them as they are.
func (r *Ring) seal(plain []byte) []byte {
	r.mu.RLock()
	a := r.keys[r.newest]
	head := append([]byte(begins), r.newest[:]...)
	r.mu.RUnlock()
	if a == nil {
		return plain
	}
	out := make([]byte, len(head)+nonceBytes, len(head)+nonceBytes+len(plain)+tagBytes)
	copy(out, head)
	nonce := out[len(head):]
	_, _ = rand.Read(nonce) // never fails
	return a.Seal(out, nonce, plain, head)
}

// open gives what was sealed; what was not is given as it is. It fails with ErrLocked and
// ErrBroken.
func (r *Ring) open(sealed []byte) ([]byte, error) {
	if !bytes.HasPrefix(sealed, []byte(begins)) {
		return sealed, nil
	}
	const head = len(begins) + idBytes
	if len(sealed) < head+nonceBytes+tagBytes {
		return nil, ErrBroken
	}
	a, err := r.key([idBytes]byte(sealed[len(begins):head]))
	if err != nil {
		return nil, err
	}
	plain, err := a.Open(nil, sealed[head:head+nonceBytes], sealed[head+nonceBytes:], sealed[:head])
	if err != nil {
		return nil, ErrBroken
	}
	return plain, nil
}

func (r *Ring) key(id [idBytes]byte) (cipher.AEAD, error) {
	r.mu.RLock()
	a, fetch := r.keys[id], r.fetch
	r.mu.RUnlock()
	if a != nil {
		return a, nil
	}
	if fetch == nil {
		return nil, ErrLocked
	}
	d, err := fetch(id[:])
	if err != nil {
		return nil, err
	}
	a = gcm(d.secret)
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.keys == nil {
		r.keys = map[[idBytes]byte]cipher.AEAD{}
	}
	r.keys[id] = a
	return a, nil
}

func (r *Ring) sealText(plain string) string {
	if _, ok := r.Seals(); !ok {
		return plain
	}
	return textBegins + base64.StdEncoding.EncodeToString(r.seal([]byte(plain)))
}

func (r *Ring) openText(sealed []byte) ([]byte, error) {
	coded, ok := bytes.CutPrefix(sealed, []byte(textBegins))
	if !ok {
		return sealed, nil
	}
	data := make([]byte, base64.StdEncoding.DecodedLen(len(coded)))
	n, err := base64.StdEncoding.Decode(data, coded)
	if err != nil || !bytes.HasPrefix(data[:n], []byte(begins)) {
		return nil, ErrBroken
	}
	return r.open(data[:n])
}
