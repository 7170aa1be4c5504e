package prints

import (
	"context"
	"encoding/json"
	"image"
	"math"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
	"trevik/internal/core/units"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// OutlineKind is of a traced foot among the pictures.
const OutlineKind = "outline"

const (
	outlineLong = 2400 // px, the longest side that is kept: a pen's line is thin
	outlineDots = 160  // of the outline, kept with the picture
)

// OutlineOptions is what is told of a traced foot's picture, and what was put right by hand on it: points are
// pixels of it.
type OutlineOptions struct {
	Side    term.Side                `json:"side,omitempty"` // as it was given; empty is told from the outline
	PenMM   float64                  `json:"pen_mm"`
	Axis    *footprint.Axis          `json:"axis,omitempty"`
	Through []footprint.Point        `json:"through,omitempty"` // places that the drawn line goes through
	Read    *footprint.OutlineAnswer `json:"read,omitempty"`    // with its outline thinned
	Drawn   []footprint.Point        `json:"drawn,omitempty"`   // the drawn line as it was found, thinned
}

func (o OutlineOptions) reader() footprint.OutlineOptions {
	return footprint.OutlineOptions{Foot: o.Side, PenMM: &o.PenMM, Axis: o.Axis, Through: o.Through}
}

// Outline is one side's traced foot on the bench.
type Outline struct {
	ID            uint64
	Side          term.Side
	Width, Height int
	Options       OutlineOptions
	Kept          bool
	MadeAt        time.Time
}

// Outlines are the fit's traced feet, by side.
func (p *Prints) Outlines(ctx context.Context, who app.Actor, fitID uint64) (map[term.Side]Outline, error) {
	rows, err := p.Store.PicturesOf(ctx, db.PicturesOfParams{FitID: fitID, ShopID: who.ShopID, Kind: OutlineKind})
	out := map[term.Side]Outline{}
	for _, r := range rows {
		x := Outline{ID: r.ID, Side: term.Side(r.Side), Width: int(r.Width), Height: int(r.Height), Kept: r.Kept, MadeAt: who.In(r.MadeAt)}
		if err := json.Unmarshal(r.Options, &x.Options); err != nil {
			return nil, err
		}
		out[x.Side] = x
	}
	return out, err
}

// OutlineData is the picture of a traced foot (JPEG).
func (p *Prints) OutlineData(ctx context.Context, who app.Actor, fitID uint64, side term.Side) ([]byte, uint64, error) {
	r, err := p.Store.PictureData(ctx, db.PictureDataParams{FitID: fitID, ShopID: who.ShopID, Kind: OutlineKind, Side: string(side)})
	return r.Data, r.ID, app.Found(err)
}

// AddOutline takes the picture of a traced foot in place of that side's earlier one, reads it and records its
// length and widths as readings of their own. It fails with a fault.List, and changes nothing, where there is no
// traced foot.
func (p *Prints) AddOutline(ctx context.Context, who app.Actor, fitID uint64, file []byte, opt OutlineOptions, keep bool) (term.Side,
	error) {
	fit, err := p.Visits.Fit(ctx, who, fitID)
	if err == nil && !fit.Open() {
		err = app.ErrClosed
	}
	if err == nil {
		err = fit.Runner.MayKeep("keep", keep)
	}
	if err != nil {
		return "", err
	}
	img, _, err := app.Upright(ctx, "photo", file, outlineLong)
	if err != nil {
		return "", err
	}
	img, data, err := asKept(img)
	if err != nil {
		return "", err
	}
	values, err := opt.read(img)
	if err != nil {
		return "", err
	}
	options, err := json.Marshal(opt)
	if err != nil {
		return "", err
	}
	b, side := img.Bounds(), opt.Read.Foot
	return side, p.Do(ctx, who, func(q *db.Queries) error {
		fit, err := p.Visits.Open(ctx, q, who, fitID)
		if err == nil {
			err = fit.Runner.MayKeep("keep", keep)
		}
		if err == nil {
			err = q.DeletePictures(ctx, db.DeletePicturesParams{FitID: fitID, ShopID: who.ShopID, Kind: OutlineKind, Side: string(side)})
		}
		if err == nil {
			_, err = q.AddPicture(ctx, db.AddPictureParams{ShopID: who.ShopID, FitID: fitID, Kind: OutlineKind, Side: string(side),
				Width: int32(b.Dx()), Height: int32(b.Dy()), Data: data, Options: options, Kept: keep, MadeBy: who.UserID, MadeAt: p.Now()})
		}
		if err == nil {
			_, err = p.Visits.Put(ctx, q, who, fitID, values)
		}
		return err
	})
}

// nearPlace is how near a later place by hand lies to an earlier one that it replaces, as a share of the picture's
// longer side.
const nearPlace = 0.012

// LeadThrough adds a place that the drawn line goes through; one next to it gives way.
func (o *Outline) LeadThrough(p footprint.Point) {
	near := nearPlace * float64(max(o.Width, o.Height))
	o.Options.Through = append(slices.DeleteFunc(slices.Clone(o.Options.Through), func(q footprint.Point) bool {
		return math.Hypot(p.X-q.X, p.Y-q.Y) < near
	}), p)
}

// AdjustOutline reads a traced foot again with what was put right by hand. It fails with a fault.List.
func (p *Prints) AdjustOutline(ctx context.Context, who app.Actor, fitID uint64, side term.Side, opt OutlineOptions) error {
	data, id, err := p.OutlineData(ctx, who, fitID, side)
	if err != nil {
		return err
	}
	img, _, err := app.Upright(ctx, "photo", data, outlineLong)
	if err != nil {
		return err
	}
	opt.Side = side // the picture stands on this side
	values, err := opt.read(img)
	if err != nil {
		return err
	}
	options, err := json.Marshal(opt)
	if err != nil {
		return err
	}
	return p.Do(ctx, who, func(q *db.Queries) error {
		if _, err := p.Visits.Put(ctx, q, who, fitID, values); err != nil {
			return err
		}
		return q.SetPictureOptions(ctx, db.SetPictureOptionsParams{Options: options, ID: id, ShopID: who.ShopID})
	})
}

// DeleteOutline removes a side's picture and takes its readings away.
func (p *Prints) DeleteOutline(ctx context.Context, who app.Actor, fitID uint64, side term.Side) error {
	if _, _, err := p.OutlineData(ctx, who, fitID, side); err != nil {
		return err
	}
	return p.Do(ctx, who, func(q *db.Queries) error {
		var values []record.Value
		for _, m := range record.SizeMeasures {
			if m.Trace != nil {
				values = append(values, record.Value{Key: m.Trace.Key(side), Decl: m.Trace.Decl, Empty: true})
			}
		}
		values = append(values, record.Value{Key: record.TraceShape.Key(side), Decl: record.TraceShape.Decl, Empty: true})
		if _, err := p.Visits.Put(ctx, q, who, fitID, values); err != nil {
			return err
		}
		return q.DeletePictures(ctx, db.DeletePicturesParams{FitID: fitID, ShopID: who.ShopID, Kind: OutlineKind, Side: string(side)})
	})
}

// read reads a picture into the options, and gives what is to be recorded.
func (o *OutlineOptions) read(img image.Image) ([]record.Value, error) {
	if !(o.PenMM >= 0 && o.PenMM <= 20) {
		return nil, fault.List{{Field: "pen_mm", Text: "is not from 0 to 20 mm"}}
	}
	r, err := footprint.ReadOutline(img, o.reader())
	if err != nil {
		return nil, err
	}
	a := r.Answer()
	step := max(1, len(a.Outline)/outlineDots)
	var thin [][2]float64
	for i := 0; i < len(a.Outline); i += step {
		thin = append(thin, a.Outline[i])
	}
	a.Outline, o.Read = thin, &a
	o.Drawn = nil
	for i := 0; i < len(r.Line); i += max(1, len(r.Line)/outlineDots) {
		o.Drawn = append(o.Drawn, footprint.Point{X: units.Round(r.Line[i].X, 1), Y: units.Round(r.Line[i].Y, 1)})
	}
	var values []record.Value
	sd := footprint.OutlineSD(a.Quality.Score)
	for m, v := range map[*record.Sided[float64]]float64{record.LengthMeasure.Trace: a.LengthMM, record.BallMeasure.Trace: a.BallMM,
		record.HeelMeasure.Trace: a.HeelMM} {
		values = append(values, record.Value{Key: m.Key(a.Foot), Decl: m.Decl, Number: v, Error: sd})
	}
	shape := record.TraceShape
	return append(values, record.Value{Key: shape.Key(a.Foot), Decl: shape.Decl, Text: string(a.ToeShape)}), nil
}
