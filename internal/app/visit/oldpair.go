package visit

import (
	"bytes"
	"context"
	"image/jpeg"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// soleKind are photos of old soles. They show no person and stay until they are
// deleted.
const soleKind = "sole"

// SoleLong is the longest side of a photo that is kept, px (house).
const SoleLong = 1400

// SolePhoto is a photo of an old sole.
type SolePhoto struct {
	ID     uint64
	Side   term.Side
	MadeAt time.Time
}

// SolePhotos of a fit, the earliest first.
func (v *Visits) SolePhotos(ctx context.Context, who app.Actor, fitID uint64) ([]SolePhoto, error) {
	rows, err := v.Store.PicturesOf(ctx, db.PicturesOfParams{FitID: fitID, ShopID: who.ShopID, Kind: soleKind})
	var out []SolePhoto
	for _, r := range rows {
		out = append(out, SolePhoto{r.ID, term.Side(r.Side), who.In(r.MadeAt)})
	}
	return out, err
}

// AddSolePhoto keeps a photo of an old sole in place of the side's earlier one. It
// fails with a fault.List at photo when the file is no picture.
func (v *Visits) AddSolePhoto(ctx context.Context, who app.Actor, fitID uint64, side term.Side, file []byte) error {
	img, _, err := app.Upright(ctx, "photo", file, SoleLong)
	if err != nil {
		return err
	}
	var data bytes.Buffer
	if err := jpeg.Encode(&data, img, &jpeg.Options{Quality: 85}); err != nil {
		return err
	}
	b := img.Bounds()
	return v.Do(ctx, who, func(q *db.Queries) error {
		if _, err := v.LockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		if err := q.DeletePictures(ctx, db.DeletePicturesParams{FitID: fitID, ShopID: who.ShopID, Kind: soleKind,
			Side: string(side)}); err != nil {
			return err
		}
		_, err := q.AddPicture(ctx, db.AddPictureParams{ShopID: who.ShopID, FitID: fitID, Kind: soleKind, Side: string(side),
			Width: int32(b.Dx()), Height: int32(b.Dy()), Data: data.Bytes(),
			Options: []byte("{}"), Kept: true, MadeBy: who.UserID, MadeAt: v.Now()})
		return err
	})
}

// SolePhotoData is a sole's photo (JPEG).
func (v *Visits) SolePhotoData(ctx context.Context, who app.Actor, fitID, id uint64) ([]byte, error) {
	r, err := v.Store.PictureByID(ctx, db.PictureByIDParams{ID: id, FitID: fitID, ShopID: who.ShopID, Kind: soleKind})
	return r.Data, app.Found(err)
}

// DeleteSolePhoto deletes a sole's photo.
func (v *Visits) DeleteSolePhoto(ctx context.Context, who app.Actor, fitID, id uint64) error {
	if _, err := v.SolePhotoData(ctx, who, fitID, id); err != nil {
		return err
	}
	return v.Store.DeletePicture(ctx, db.DeletePictureParams{ID: id, FitID: fitID, ShopID: who.ShopID, Kind: soleKind})
}

// SetCameIn says which of the runner's own pairs they came in: its name, size, drop, stack and
// support are taken over as findings, and what is seen on its soles counts for its wear. Zero
// takes that back; what was taken over stays. It fails with app.ErrNotFound on a pair that is
// not the runner's.
func (v *Visits) SetCameIn(ctx context.Context, who app.Actor, fitID, pairID uint64) (Saved, error) {
	return v.change(ctx, who, fitID, func(_ *db.Queries, fit *record.Conclusions) ([]record.Value, error) {
		own := record.Value{Key: record.CameInPair.Key(), Decl: record.CameInPair.Decl, Empty: pairID == 0, Number: float64(pairID)}
		if pairID == 0 {
			return []record.Value{own}, nil
		}
		p := fit.Runner.Pair(pairID)
		if p == nil {
			return nil, app.ErrNotFound
		}
		values := []record.Value{own,
			{Key: record.PresentPair.Key(), Decl: record.PresentPair.Decl, Text: p.Name()},
			{Key: record.PresentSize.Key(), Decl: record.PresentSize.Decl, Text: p.Label()},
			{Key: record.PresentLevel.Key(), Decl: record.PresentLevel.Decl, Text: string(p.Model.Level)},
			{Key: record.PresentDrop.Key(), Decl: record.PresentDrop.Decl, Number: p.Model.Drop()},
			{Key: record.PresentStack.Key(), Decl: record.PresentStack.Decl, Number: p.Model.StackHeelMM}}
		for i := range values[1:] {
			values[i+1].How = "had from here"
		}
		return values, nil
	})
}
