package app

import (
	"bytes"
	"context"
	"image/jpeg"
	"math"
	"strconv"
	"time"

	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/picture"
	"trevik/internal/store/db"
)

// soleKind are photos of old soles. They show no person and stay until they are
// deleted.
const soleKind = "sole"

// ownPairField names the pair of the runner's own, had from the shop, that they came in.
var ownPairField = Field{Name: "own_pair", Label: "Came in", Kind: Number, Lo: 1, Hi: 1 << 53, How: "told"}

// CameIn is the runner's own pair that they came in; ok is false where it is another.
func (f *Fit) CameIn() (pairID uint64, ok bool) {
	if v := f.Num(ownPairField.Name, "", 0); v != nil {
		return uint64(*v), true
	}
	return 0, false
}

// SetCameIn says which of the runner's own pairs they came in: its name, size, drop,
// stack and support are taken over as findings, and what is seen on its soles counts
// for its wear. Zero takes that back; what was taken over stays. It fails with
// ErrNotFound on a pair that is not the runner's.
func (a *App) SetCameIn(ctx context.Context, who Actor, fitID, pairID uint64) (Saved, error) {
	fit, err := a.Fit(ctx, who, fitID)
	if err != nil {
		return Saved{}, err
	}
	own := Value{Key: Key{Name: ownPairField.Name}, Field: ownPairField, Empty: pairID == 0, Number: float64(pairID)}
	if pairID == 0 {
		return a.Record(ctx, who, fitID, []Value{own})
	}
	pairs, err := a.Pairs(ctx, who, fit.Runner.ID)
	if err != nil {
		return Saved{}, err
	}
	for i := range pairs {
		p := &pairs[i]
		if p.ID != pairID {
			continue
		}
		values := []Value{own}
		for _, v := range []struct {
			name   string
			text   string
			number float64
		}{{"present_pair", p.Name(), 0}, {"present_size", p.Label(), 0}, {"present_level", string(p.Model.Level), 0}, {"present_drop_mm", "", p.Model.Drop()}, {"present_stack_mm", "", p.Model.StackHeelMM}} {
			field, key, _ := FieldOf("old-pair", v.name)
			field.How = "had from here"
			values = append(values, Value{Key: key, Field: field, Text: v.text, Number: v.number})
		}
		return a.Record(ctx, who, fitID, values)
	}
	return Saved{}, ErrNotFound
}

// SoleLook is what was seen of a pair's soles at a visit, each 0 as new to 1 gone: the
// worse of both sides.
type SoleLook struct {
	On       time.Time
	Tread    float64
	Evenness float64
}

// LookOf is what the soles tell of a pair's wear; ok is false until a zone was tapped.
func (f *Fit) LookOf() (SoleLook, bool) {
	look, seen := SoleLook{On: f.StartedAt}, false
	for _, s := range term.Sides {
		if sole, ok := f.Sole(s); ok {
			look.add(sole)
			seen = true
		}
	}
	return look, seen
}

func (l *SoleLook) add(s support.Sole) {
	tread, evenness := s.Wear()
	l.Tread, l.Evenness = math.Max(l.Tread, tread), math.Max(l.Evenness, evenness)
}

// soleLooks are the looks at each of a runner's pairs, by pair, the earliest first.
func (a *App) soleLooks(ctx context.Context, who Actor, runnerID uint64) (map[uint64][]SoleLook, error) {
	rows, err := a.store.SoleLooks(ctx, db.SoleLooksParams{RunnerID: runnerID, ShopID: who.ShopID})
	if err != nil {
		return nil, err
	}
	out := map[uint64][]SoleLook{}
	for i := 0; i < len(rows); {
		fit, look, pair := rows[i].FitID, SoleLook{On: rows[i].StartedAt}, uint64(0)
		soles := map[string]*support.Sole{}
		for ; i < len(rows) && rows[i].FitID == fit; i++ {
			r := rows[i]
			if r.Name == ownPairField.Name {
				pair = uint64(r.NumberValue.Float64)
				continue
			}
			if soles[r.Side] == nil {
				soles[r.Side] = &support.Sole{}
			}
			if n := int(r.RepeatNo); n >= 1 && n <= len(support.Zones) {
				soles[r.Side][n-1], _ = strconv.Atoi(r.TextValue.String) // one of the field's choices
			}
		}
		if pair == 0 || len(soles) == 0 {
			continue
		}
		for _, s := range soles {
			look.add(*s)
		}
		out[pair] = append(out[pair], look)
	}
	return out, nil
}

// SolePhoto is a photo of an old sole.
type SolePhoto struct {
	ID     uint64
	Side   term.Side
	MadeAt time.Time
}

// SolePhotos of a fit, the earliest first.
func (a *App) SolePhotos(ctx context.Context, who Actor, fitID uint64) ([]SolePhoto, error) {
	rows, err := a.store.PicturesOf(ctx, db.PicturesOfParams{FitID: fitID, ShopID: who.ShopID, Kind: soleKind})
	var out []SolePhoto
	for _, r := range rows {
		out = append(out, SolePhoto{r.ID, term.Side(r.Side), r.MadeAt})
	}
	return out, err
}

// AddSolePhoto keeps a photo of an old sole in place of the side's earlier one. It
// fails with a fault.List at photo when the file is no picture.
func (a *App) AddSolePhoto(ctx context.Context, who Actor, fitID uint64, side term.Side, file []byte) error {
	pic, err := picture.Open("photo", file)
	if err != nil {
		return err
	}
	img, _ := upright(pic)
	var data bytes.Buffer
	if err := jpeg.Encode(&data, img, &jpeg.Options{Quality: 85}); err != nil {
		return err
	}
	b := img.Bounds()
	return a.store.Tx(ctx, func(q *db.Queries) error {
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		if err := q.DeletePictures(ctx, db.DeletePicturesParams{FitID: fitID, ShopID: who.ShopID, Kind: soleKind, Side: string(side)}); err != nil {
			return err
		}
		_, err := q.AddPicture(ctx, db.AddPictureParams{ShopID: who.ShopID, FitID: fitID, Kind: soleKind, Side: string(side), Width: int32(b.Dx()), Height: int32(b.Dy()), Data: data.Bytes(),
			Options: []byte("{}"), Kept: true, MadeBy: who.UserID, MadeAt: a.Now()})
		return err
	})
}

// SolePhotoData is a sole's photo (JPEG).
func (a *App) SolePhotoData(ctx context.Context, who Actor, fitID, id uint64) ([]byte, error) {
	r, err := a.store.PictureByID(ctx, db.PictureByIDParams{ID: id, FitID: fitID, ShopID: who.ShopID, Kind: soleKind})
	return r.Data, found(err)
}

// DeleteSolePhoto deletes a sole's photo.
func (a *App) DeleteSolePhoto(ctx context.Context, who Actor, fitID, id uint64) error {
	if _, err := a.SolePhotoData(ctx, who, fitID, id); err != nil {
		return err
	}
	return a.store.DeletePicture(ctx, db.DeletePictureParams{ID: id, FitID: fitID, ShopID: who.ShopID, Kind: soleKind})
}
