package kit

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"hash"
	"io"
	"maps"
	"net/http"
	"net/url"
	"os"
	"regexp"
	"slices"
	"strings"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/units"
	"trevik/internal/form"
)

// maxForm is the largest form, in bytes.
const maxForm = 1 << 20

var tokenForm = regexp.MustCompile(`^[A-Z2-7]{26}$`)

var errTooLarge = errors.New("what was sent is larger than 1 MiB")

// Receive reads the form of a request and holds its token to the route, before its handler is
// called. What is sent as files is read by the handler (Files).
func (r *Req) Receive() error {
	if r.Request.Method == http.MethodPost {
		r.Who.Form = app.Form{Name: r.Route.Path, Path: r.Request.URL.Path, Logged: new(bool)}
	}
	if r.Request.Method != http.MethodPost || strings.HasPrefix(r.GetHeader("Content-Type"), "multipart/") {
		return nil
	}
	r.Request.Body = http.MaxBytesReader(r.Writer, r.Request.Body, maxForm)
	if err := r.Request.ParseForm(); err != nil {
		var tooBig *http.MaxBytesError
		if errors.As(err, &tooBig) {
			return errTooLarge
		}
		if errors.Is(err, os.ErrDeadlineExceeded) {
			r.revive()
			return fault.List{{Field: "form", Text: "came too slowly; send it once more"}}
		}
		return fault.List{{Field: "form", Text: "cannot be read; it is not a form"}}
	}
	r.form, r.sent = r.Request.PostForm, true
	h := sha256.New()
	digestForm(h, r.form)
	return r.ticket(h)
}

func digestForm(h hash.Hash, form url.Values) {
	for _, name := range slices.Sorted(maps.Keys(form)) {
		if name != "token" {
			fmt.Fprintf(h, "%q=%q\n", name, form[name])
		}
	}
}

// ticket gives what is asked for by a form its token, so that it is done once.
func (r *Req) ticket(h hash.Hash) error {
	if r.Route.Free {
		return nil
	}
	token := r.form.Get("token")
	if !tokenForm.MatchString(token) {
		return fault.List{{Field: "form", Text: "is out of date; load the page again and send it once more"}}
	}
	fmt.Fprintf(h, "%s\n", r.Request.URL.Path)
	r.Who.Form.Token = token
	h.Sum(r.Who.Form.Digest[:0])
	return nil
}

// Form is the posted form. Fields that the handler does not know are a fault; the token belongs
// to every form.
func Form(r *Req, known func(name string) bool) (url.Values, error) {
	var l fault.List
	for _, name := range slices.Sorted(maps.Keys(r.form)) {
		if name != "token" && !known(name) {
			l.Add("form", "holds a field %q that is not known here", form.Clip(name))
		}
	}
	if !r.sent {
		return r.form, fault.List{{Field: "form", Text: "cannot be read; it is not a form"}}
	}
	return r.form, l.Err()
}

// Known allows the names given.
func Known(names ...string) func(string) bool {
	return func(n string) bool { return slices.Contains(names, n) }
}

// Values are what a form's fields came to, by name.
type Values map[string]form.Value

// Decode reads a posted form by its fields: what is not known, not allowed or of the wrong kind
// is a fault at its field. extra are names that the handler reads itself.
func Decode(r *Req, fields []form.Field, extra ...string) (url.Values, Values, error) {
	sent, err := Form(r, func(name string) bool {
		return slices.Contains(extra, name) || slices.ContainsFunc(fields, func(f form.Field) bool { return f.Name == name })
	})
	if err != nil {
		return sent, nil, err
	}
	var l fault.List
	values := Values{}
	for _, f := range fields {
		if v, ok := f.Read(&l, f.Name, sent[f.Name], r.Who.Units); ok {
			values[f.Name] = v
		}
	}
	return sent, values, l.Err()
}

// Controls draws a form's fields, with what was typed and the faults at them.
func Controls(fields []form.Field, u units.System, sent url.Values, faults map[string]string) map[string]Control {
	out := map[string]Control{}
	for _, f := range fields {
		typed, there := sent[f.Name]
		if !there {
			typed = nil
		}
		out[f.Name] = ControlOf(f, f.Name, u, Held{}, typed, faults[f.Name])
	}
	return out
}

// How long files may take to arrive: all of them, and without a byte in between.
var (
	UploadTime = 15 * time.Minute
	QuietTime  = 30 * time.Second
)

// LeastPace is how fast files come in the mean at least, bytes a second, once QuietTime is over.
const LeastPace = 8 << 10

func words(d time.Duration) string {
	if d >= time.Minute {
		return fmt.Sprintf("%d minutes", int(d.Minutes()))
	}
	return fmt.Sprintf("%d seconds", int(d.Seconds()))
}

// mostFields is how many bytes the fields beside files may have together.
const mostFields = 1 << 20

// Files goes through the files of a posted form in the order in which they come, without keeping
// them anywhere: next gives the field, the file's name and its bytes, io.EOF after the last.
// Fields that come before a file are read by then, the token first. limit is of all of it, in
// bytes.
type Files struct {
	r     *Req
	parts interface {
		next() (field, name string, data io.Reader, err error)
	}
}

// Upload begins to read a form that holds files. It fails with a fault.List at a field.
func Upload(r *Req, at string, limit int64) (*Files, error) {
	if r.Request.ContentLength > limit+mostFields {
		return nil, fault.List{{Field: at, Text: fmt.Sprintf("is larger than %d MiB; send less at once", limit>>20)}}
	}
	r.Request.Body = http.MaxBytesReader(r.Writer, r.Request.Body, limit+mostFields)
	m, err := r.Request.MultipartReader()
	if err != nil {
		return nil, fault.List{{Field: at, Text: "cannot be read: it was not sent as a file"}}
	}
	r.form, r.sent = url.Values{}, true
	left := int64(mostFields)
	f := &Files{r: r}
	f.parts = partsFunc(func() (string, string, io.Reader, error) {
		for {
			p, err := m.NextPart()
			if err != nil {
				return "", "", nil, f.wrong(at, limit, err)
			}
			if p.FileName() != "" {
				return p.FormName(), p.FileName(), limited{p, func(err error) error { return f.wrong(at, limit, err) }}, nil
			}
			data, err := io.ReadAll(io.LimitReader(p, left+1))
			if left -= int64(len(data)); err == nil && left < 0 {
				err = errTooLarge
			}
			if err != nil {
				return "", "", nil, f.wrong(at, limit, err)
			}
			r.form.Add(p.FormName(), string(data))
		}
	})
	return f, nil
}

type partsFunc func() (string, string, io.Reader, error)

func (p partsFunc) next() (string, string, io.Reader, error) { return p() }

// limited reads a file of a form and says its errors at their field.
type limited struct {
	io.Reader
	say func(error) error
}

func (l limited) Read(p []byte) (int, error) {
	n, err := l.Reader.Read(p)
	if err != nil && err != io.EOF {
		err = l.say(err)
	}
	return n, err
}

// wrong says in words why a file did not arrive.
func (f *Files) wrong(at string, limit int64, err error) error {
	var tooBig *http.MaxBytesError
	switch {
	case err == io.EOF, errors.Is(err, errTooLarge):
		return err
	case errors.As(err, &tooBig):
		return fault.List{{Field: at, Text: fmt.Sprintf("is larger than %d MiB; send less at once", limit>>20)}}
	case errors.Is(err, os.ErrDeadlineExceeded), errors.Is(f.r.Ctx().Err(), context.DeadlineExceeded):
		f.r.revive()
		return fault.List{{Field: at, Text: fmt.Sprintf(
			"came too slowly: nothing for %s, under %d KiB a second, or not all of it within %s; send it once more",
			words(QuietTime), LeastPace>>10, words(UploadTime))}}
	}
	return fault.List{{Field: at, Text: "broke off on the way; send it once more"}}
}

// Next gives the next file.
func (f *Files) Next() (field, name string, data io.Reader, err error) { return f.parts.next() }

// One reads the one file of a field of a posted form, and gives the form its token: what is
// asked for with the same token and another file is another content. It fails with a fault.List
// at the field, also where the file is missing.
func One(r *Req, at string, limit int64, missing string) (name string, data []byte, err error) {
	if err := r.Hold(limit); err != nil {
		return "", nil, err
	}
	files, err := Upload(r, at, limit)
	if err != nil {
		return "", nil, err
	}
	for {
		field, file, in, err := files.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return "", nil, err
		}
		if field != at || data != nil {
			continue // its bytes are passed over with the next part
		}
		if data, err = readAll(in, min(max(r.Request.ContentLength, 512), limit)); err != nil {
			return "", nil, err
		}
		name = file
	}
	h := sha256.New()
	digestForm(h, r.form)
	fmt.Fprintf(h, "%q %x\n", name, sha256.Sum256(data))
	if err := r.ticket(h); err != nil {
		return name, nil, err
	}
	switch {
	case data == nil:
		return name, nil, fault.List{{Field: at, Text: missing}}
	case len(data) == 0:
		return name, nil, fault.List{{Field: at, Text: "is empty; choose another file"}}
	}
	return name, data, nil
}

// holding is the room that files have together which are held in memory while they are read, and
// holdingSent that of what runners send by their addresses, so that they are not in the shop's way.
var (
	holding     = app.NewGate(192<<20, 100, 30*time.Second)
	holdingSent = app.NewGate(48<<20, 16, 30*time.Second)
)

// Hold waits for room for a file that is held in memory until the request is answered, up to a limit;
// the request says how long it is, or it may be of all of it. It fails with app.ErrBusy.
func (r *Req) Hold(limit int64) error {
	takes := limit
	if n := r.Request.ContentLength; n >= 0 {
		takes = min(n, limit)
	}
	gate := holding
	if r.Who.ByLink {
		gate = holdingSent
	}
	leave, err := gate.Enter(r.Ctx(), takes)
	if err == nil {
		r.after = append(r.after, leave)
	}
	return err
}

// answerTime is how long saying what went wrong may take once the request's own time is over.
const answerTime = 20 * time.Second

// revive gives the request a little time of its own again: the server takes its context away when
// nothing more arrives, and the person still waits to be told so.
func (r *Req) revive() {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(r.Ctx()), answerTime)
	r.after = append(r.after, cancel)
	r.Request = r.Request.WithContext(ctx)
	r.gin.Request = r.Request
}

// Close gives back what the request held.
func (r *Req) Close() {
	for _, leave := range r.after {
		leave()
	}
}

// OneStored is One of a file that is too large to be held in memory: it lies in a file without a name,
// which is gone when the request is answered, whatever ends the program.
func OneStored(r *Req, at string, limit int64, missing string) (file *os.File, size int64, err error) {
	files, err := Upload(r, at, limit)
	if err != nil {
		return nil, 0, err
	}
	if file, err = os.CreateTemp("", "trevik-sent-"); err != nil {
		return nil, 0, err
	}
	r.after = append(r.after, func() { _ = file.Close() }) // it was read, or is let go of
	if err := os.Remove(file.Name()); err != nil {
		return nil, 0, err
	}
	name, digest := "", sha256.New()
	for {
		field, sent, in, err := files.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, 0, err
		}
		if field != at || name != "" {
			continue
		}
		if size, err = io.Copy(io.MultiWriter(file, digest), in); err != nil {
			return nil, 0, err
		}
		name = sent
	}
	h := sha256.New()
	digestForm(h, r.form)
	fmt.Fprintf(h, "%q %x\n", name, digest.Sum(nil))
	if err := r.ticket(h); err != nil {
		return nil, 0, err
	}
	switch {
	case name == "":
		return nil, 0, fault.List{{Field: at, Text: missing}}
	case size == 0:
		return nil, 0, fault.List{{Field: at, Text: "is empty; choose another file"}}
	}
	return file, size, nil
}

// readAll reads all of a file that is likely so long, without growing on the way.
func readAll(in io.Reader, likely int64) ([]byte, error) {
	b := bytes.NewBuffer(make([]byte, 0, likely+bytes.MinRead))
	_, err := b.ReadFrom(in)
	return b.Bytes(), err
}

// Ticket gives a form of files its token once all its fields are read; digest tells its files.
func (r *Req) Ticket(digest [32]byte) error {
	h := sha256.New()
	digestForm(h, r.form)
	h.Write(digest[:])
	return r.ticket(h)
}

// tokens gives every form of a page that is posted a token of its own, and a station's form what
// its page showed (0: nothing).
func tokens(page []byte, seen uint64) []byte {
	out := make([]byte, 0, len(page)+len(page)/20)
	for {
		at := bytes.Index(page, []byte("<form"))
		if at < 0 {
			return append(out, page...)
		}
		end := at + bytes.IndexByte(page[at:], '>') + 1
		if end <= at {
			return append(out, page...)
		}
		tag := page[at:end]
		out, page = append(out, page[:end]...), page[end:]
		if !bytes.Contains(tag, []byte(`method="post"`)) {
			continue
		}
		out = fmt.Appendf(out, `<input type="hidden" name="token" value="%s">`, rand.Text())
		if bytes.Contains(tag, []byte(`class="station`)) {
			out = fmt.Appendf(out, `<input type="hidden" name="seen" value="%d">`, seen)
		}
	}
}
