package app

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"time"
	"unicode/utf8"

	"trevik/internal/store/db"
)

// UploadState is how far a file has come that was sent to be put in.
type UploadState string

const (
	UploadArriving UploadState = "arriving"
	UploadReading  UploadState = "reading"
	UploadWaiting  UploadState = "waiting" // to be put in
	UploadApplying UploadState = "applying"
	UploadDone     UploadState = "done"
	UploadFailed   UploadState = "failed"
)

// UploadKept is how long a file waits to be put in before it is let go of.
const UploadKept = 48 * time.Hour

// pieceBytes is how much of a file one row holds.
const pieceBytes = 2 << 20

// Upload is a file, or several sent at once, that was sent to be put in: rows that any
// instance reads, until it is put in, let go of, or its time is over.
type Upload struct {
	ID       uint64
	ShopID   uint64
	RunnerID uint64
	Kind     string
	Name     string
	How      string
	State    UploadState
	Asked    json.RawMessage // what was said of it
	Found    []byte          // what was read of it, packed
	By       uint64
	ByLink   bool
	MadeAt   time.Time
}

// Subject names an upload's job.
func (u Upload) Subject() string { return strconv.FormatUint(u.ID, 10) }

// UploadOf is a row as an upload.
func UploadOf(r db.Upload) Upload {
	return Upload{r.ID, r.ShopID, uint64(r.RunnerID.Int64), r.Kind, r.Name, r.How, UploadState(r.State), r.Asked, r.Found, r.MadeBy, r.ByLink,
		r.MadeAt}
}

// Mine says whether an upload is the person's, or the runner's who comes by their own page.
func (u Upload) Mine(who Actor) bool {
	return u.ShopID == who.ShopID && u.ByLink == who.ByLink && (u.By == who.UserID || who.ByLink)
}

// Keep writes a file of an upload in pieces, as it is read.
func Keep(ctx context.Context, q *db.Queries, upload uint64, number int, name string, from io.Reader) error {
	buf := make([]byte, pieceBytes)
	for piece := 0; ; piece++ {
		n, err := io.ReadFull(from, buf)
		if err != nil && err != io.EOF && err != io.ErrUnexpectedEOF {
			return err
		}
		if n > 0 || piece == 0 {
			if wrong := q.AddUploadPiece(ctx, db.AddUploadPieceParams{UploadID: upload, Number: int32(number), Piece: int32(piece),
				Name: FileName(name), Data: buf[:n]}); wrong != nil {
				return wrong
			}
		}
		if err != nil {
			return nil
		}
	}
}

// Sent is one file of an upload, read piece by piece.
type Sent struct {
	Number int
	Name   string
	pieces int
}

// Files lists the files of an upload.
func Files(ctx context.Context, q *db.Queries, upload uint64) ([]Sent, error) {
	rows, err := q.UploadPieces(ctx, upload)
	var out []Sent
	for _, r := range rows {
		if len(out) == 0 || out[len(out)-1].Number != int(r.Number) {
			out = append(out, Sent{Number: int(r.Number), Name: r.Name})
		}
		out[len(out)-1].pieces++
	}
	return out, err
}

// Write writes a file of an upload out.
func (s Sent) Write(ctx context.Context, q *db.Queries, upload uint64, to io.Writer) error {
	for piece := range s.pieces {
		data, err := q.UploadPiece(ctx, db.UploadPieceParams{UploadID: upload, Number: int32(s.Number), Piece: int32(piece)})
		if err != nil {
			return err
		}
		if _, err := to.Write(data); err != nil {
			return err
		}
	}
	return nil
}

// FileName is a file's name as it is kept: its ending stays where it is too long.
func FileName(name string) string {
	const most, ending = 240, 12
	runes := []rune(name)
	if !utf8.ValidString(name) {
		runes = []rune(string(bytes.ToValidUTF8([]byte(name), []byte("_"))))
	}
	if len(runes) <= most {
		return string(runes)
	}
	return string(runes[:most-ending-1]) + "…" + string(runes[len(runes)-ending:])
}

// Pack packs a value as JSON.
func Pack(v any) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	err := json.NewEncoder(z).Encode(v)
	if closeErr := z.Close(); err == nil {
		err = closeErr
	}
	return b.Bytes(), err
}

// Unpack reads what Pack packed.
func Unpack(data []byte, into any) error {
	z, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		return fmt.Errorf("what was kept of a file: %w", err)
	}
	return json.NewDecoder(z).Decode(into)
}
