// Package prints is the pictures of wet prints on the bench: taken, read, put right by hand.
package prints

import (
	"bytes"
	"context"
	"encoding/json"
	"image"
	"image/jpeg"
	"time"

	"trevik/internal/app"
	"trevik/internal/app/visit"
	"trevik/internal/core/fault"
	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/store/db"
)

// House values of pictures of prints.
const (
	printLong = 1400          // px, the longest side that is worked on
	LooseTime = 2 * time.Hour // how long a picture that is not kept stays on the bench
	Kind      = "print"       // of a print among the pictures
	mostDrawn = 200           // strokes by hand
)

// Prints is that concern.
type Prints struct {
	*app.Core
	Visits *visit.Visits
	images imageCache
}

// Options is what was put right by hand on a print's picture; points are
// pixels of it.
type Options struct {
	MMPerPx float64             `json:"mm_per_px,omitempty"`
	Paper   footprint.Paper     `json:"paper,omitempty"`
	Corners *[4]footprint.Point `json:"corners,omitempty"`
	Level   float64             `json:"level,omitempty"`
	Axis    *footprint.Axis     `json:"axis,omitempty"`
	ToeLine *[2]footprint.Point `json:"toe_line,omitempty"`
	Strokes []footprint.Stroke  `json:"strokes,omitempty"`
	Cuts    *[2]float64         `json:"cuts,omitempty"`
}

func (o Options) reader(side term.Side) footprint.Options {
	return footprint.Options{Foot: side, MMPerPx: o.MMPerPx, Corners: o.Corners, Paper: o.Paper, Level: o.Level, Axis: o.Axis,
		ToeLine: o.ToeLine, Strokes: o.Strokes, Cuts: o.Cuts}
}

// Picture is one side's picture on the bench.
type Picture struct {
	ID            uint64
	Side          term.Side
	Width, Height int
	Options       Options
	Kept          bool
	MadeAt        time.Time
}

// Pictures are the fit's pictures of prints, by side.
func (p *Prints) Pictures(ctx context.Context, who app.Actor, fitID uint64) (map[term.Side]Picture, error) {
	rows, err := p.Store.PicturesOf(ctx, db.PicturesOfParams{FitID: fitID, ShopID: who.ShopID, Kind: Kind})
	out := map[term.Side]Picture{}
	for _, r := range rows {
		x := Picture{ID: r.ID, Side: term.Side(r.Side), Width: int(r.Width), Height: int(r.Height), Kept: r.Kept, MadeAt: who.In(r.MadeAt)}
		if err := json.Unmarshal(r.Options, &x.Options); err != nil {
			return nil, err
		}
		out[x.Side] = x
	}
	return out, err
}

// Data is a picture's file (JPEG).
func (p *Prints) Data(ctx context.Context, who app.Actor, fitID uint64, side term.Side) ([]byte, uint64, error) {
	r, err := p.Store.PictureData(ctx, db.PictureDataParams{FitID: fitID, ShopID: who.ShopID, Kind: Kind, Side: string(side)})
	return r.Data, r.ID, app.Found(err)
}

// Add takes a picture of a print in place of the side's earlier one, reads it and records the
// reading. It fails with a fault.List, and changes nothing, when the file is no picture or
// holds no print.
func (p *Prints) Add(ctx context.Context, who app.Actor, fitID uint64, side term.Side, file []byte, opt Options,
	keep bool) (footprint.Answer, error) {
	// A picture that cannot be kept is not read for seconds first; what is written asks again.
	fit, err := p.Visits.Fit(ctx, who, fitID)
	if err == nil && !fit.Open() {
		err = app.ErrClosed
	}
	if err == nil {
		err = fit.Runner.MayKeep("keep", keep)
	}
	if err != nil {
		return footprint.Answer{}, err
	}
	img, shrunk, err := app.Upright(ctx, "photo", file, printLong)
	if err != nil {
		return footprint.Answer{}, err
	}
	opt.MMPerPx *= shrunk
	img, data, err := asKept(img)
	if err != nil {
		return footprint.Answer{}, err
	}
	answer, err := readPrint(img, side, opt)
	if err != nil {
		return answer, err
	}
	options, values, err := toKeep(side, opt, answer)
	if err != nil {
		return answer, err
	}
	b := img.Bounds()
	return answer, p.Do(ctx, who, func(q *db.Queries) error {
		fit, err := p.Visits.Open(ctx, q, who, fitID)
		if err == nil {
			err = fit.Runner.MayKeep("keep", keep)
		}
		if err == nil {
			err = q.DeletePictures(ctx, db.DeletePicturesParams{FitID: fitID, ShopID: who.ShopID, Kind: Kind, Side: string(side)})
		}
		if err == nil {
			_, err = q.AddPicture(ctx, db.AddPictureParams{ShopID: who.ShopID, FitID: fitID, Kind: Kind, Side: string(side), Width: int32(b.Dx()),
				Height: int32(b.Dy()), Data: data,
				Options: options, Kept: keep, MadeBy: who.UserID, MadeAt: p.Now()})
		}
		if err == nil {
			_, err = p.Visits.Put(ctx, q, who, fitID, values)
		}
		return err
	})
}

// asKept is a picture as its file (JPEG) keeps it: what is read of that is the same when it is read again.
func asKept(img image.Image) (image.Image, []byte, error) {
	var data bytes.Buffer
	if err := jpeg.Encode(&data, img, &jpeg.Options{Quality: 95}); err != nil {
		return nil, nil, err
	}
	kept, err := jpeg.Decode(bytes.NewReader(data.Bytes()))
	return kept, data.Bytes(), err
}

// Adjust reads a side's picture again with what was put right by hand, and records the new
// reading. It fails with a fault.List, and changes nothing, when that leaves no print.
func (p *Prints) Adjust(ctx context.Context, who app.Actor, fitID uint64, side term.Side, opt Options) (footprint.Answer, error) {
	if len(opt.Strokes) > mostDrawn {
		return footprint.Answer{}, fault.List{{Field: "strokes", Text: "are more than 200; begin anew from the picture"}}
	}
	img, id, err := p.image(ctx, who, fitID, side)
	if err != nil {
		return footprint.Answer{}, err
	}
	answer, err := p.images.read(id, img, side, opt)
	if err != nil {
		return answer, err
	}
	options, values, err := toKeep(side, opt, answer)
	if err != nil {
		return answer, err
	}
	return answer, p.Do(ctx, who, func(q *db.Queries) error {
		if _, err := p.Visits.Put(ctx, q, who, fitID, values); err != nil {
			return err
		}
		return q.SetPictureOptions(ctx, db.SetPictureOptionsParams{Options: options, ID: id, ShopID: who.ShopID})
	})
}

// Read is the whole reading of a side's picture, with its lines.
func (p *Prints) Read(ctx context.Context, who app.Actor, fitID uint64, pic Picture) (footprint.Answer, error) {
	if answer, ok := p.images.answer(pic.ID, pic.Options); ok {
		return answer, nil
	}
	img, id, err := p.image(ctx, who, fitID, pic.Side)
	if err != nil {
		return footprint.Answer{}, err
	}
	return p.images.read(id, img, pic.Side, pic.Options)
}

// Delete removes a side's picture alone: the reading stays.
func (p *Prints) Delete(ctx context.Context, who app.Actor, fitID uint64, side term.Side) error {
	_, id, err := p.Data(ctx, who, fitID, side)
	if err != nil {
		return err
	}
	p.images.drop(id)
	return p.Do(ctx, who, func(q *db.Queries) error {
		return q.DeletePictures(ctx, db.DeletePicturesParams{FitID: fitID, ShopID: who.ShopID, Kind: Kind, Side: string(side)})
	})
}

func readPrint(img image.Image, side term.Side, opt Options) (footprint.Answer, error) {
	r, err := footprint.Read(img, opt.reader(side))
	if err != nil {
		return footprint.Answer{}, err
	}
	return r.Answer(), nil
}

// toKeep is what a reading leaves behind: the options as JSON, and a finding without
// the lines, which the picture has.
func toKeep(side term.Side, opt Options, a footprint.Answer) (options []byte, values []record.Value, err error) {
	if options, err = json.Marshal(opt); err != nil {
		return nil, nil, err
	}
	a.Outline, a.Toes = [][2]float64{}, [][][2]float64{}
	data, err := json.Marshal(a)
	return options, []record.Value{{Key: record.PrintRead.Key(side), Decl: record.PrintRead.Decl, Text: string(data)}}, err
}
