package films

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/fault"
	"trevik/internal/core/gait"
	"trevik/internal/core/term"
	"trevik/internal/store/db"
)

// Line is a drawn line of a still, px of its picture.
type Line struct {
	Side           term.Side `json:"side"`
	X1, Y1, X2, Y2 float64
}

// Still is one frame of a film with what is drawn over it.
type Still struct {
	ID            uint64    `json:"-"`
	Width, Height int       `json:"-"`
	MadeAt        time.Time `json:"-"`
	Caption       string    `json:"caption"`
	Lines         []Line    `json:"lines"`
	Labels        []Label   `json:"labels"`
}

// Label is a text of a still.
type Label struct {
	Side   term.Side `json:"side"`
	X, Y   float64
	Anchor string `json:"anchor"` // end or start: which end of the text stands at X
	Text   string `json:"text"`
}

// DrawFrame is what is drawn over a frame: each leg's segments and its angle.
func DrawFrame(film Film, r gait.Reading, frame int) Still {
	s := Still{Caption: fmt.Sprintf("%s, at %.2f s", film.Name(), float64(frame)/r.Answer.FPS)}
	for _, side := range term.Sides {
		dots := map[string]gait.Point{}
		for name, marks := range r.Answer.Markers[side] {
			if k, ok := slices.BinarySearchFunc(marks, frame, func(m gait.Mark, f int) int { return m.Frame - f }); ok {
				dots[name] = marks[k].Point
			}
		}
		for _, seg := range Segments[film.Recording.View] {
			p, okP := dots[seg[0]]
			q, okQ := dots[seg[1]]
			if okP && okQ {
				s.Lines = append(s.Lines, Line{side, p.X, p.Y, q.X, q.Y})
			}
		}
		names := gait.DotNames(film.Recording.View)
		if p, ok := dots[names[len(names)-1]]; ok && frame < len(r.Angles[side]) && !math.IsNaN(r.Angles[side][frame]) {
			// Outward of the leg, where it hides nothing.
			x, anchor := p.X+labelOff*float64(film.Width), "start"
			if p.X < float64(film.Width)/2 {
				x, anchor = p.X-labelOff*float64(film.Width), "end"
			}
			s.Labels = append(s.Labels, Label{side, x, p.Y, anchor, fmt.Sprintf("%.1f°", r.Angles[side][frame])})
		}
	}
	return s
}

// Segments are the lines that join a leg's dots, by view.
var Segments = map[gait.View][][2]string{
	gait.Rear:  {{"calf_top", "calf_low"}, {"heel_top", "heel_low"}},
	gait.Side:  {{"knee", "ankle"}, {"heel", "toe"}},
	gait.Front: {{"hip", "knee"}, {"knee", "ankle"}},
}

// Stills of a fit's card.
func (f *Films) Stills(ctx context.Context, who app.Actor, fitID uint64) ([]Still, error) {
	rows, err := f.Store.PicturesOf(ctx, db.PicturesOfParams{FitID: fitID, ShopID: who.ShopID, Kind: StillKind})
	var out []Still
	for _, r := range rows {
		s := Still{ID: r.ID, Width: int(r.Width), Height: int(r.Height), MadeAt: who.In(r.MadeAt)}
		if err := json.Unmarshal(r.Options, &s); err != nil {
			return nil, err
		}
		out = append(out, s)
	}
	return out, err
}

// StillData is a still's frame (JPEG).
func (f *Films) StillData(ctx context.Context, who app.Actor, fitID, id uint64) ([]byte, error) {
	r, err := f.Store.PictureByID(ctx, db.PictureByIDParams{ID: id, FitID: fitID, ShopID: who.ShopID, Kind: StillKind})
	return r.Data, app.Found(err)
}

// AddStill puts a frame with its drawing on the card. It fails with a fault.List where the card
// has no room.
func (f *Films) AddStill(ctx context.Context, who app.Actor, fitID, id uint64, frame int) error {
	film, err := f.Film(ctx, who, id)
	if err != nil {
		return err
	}
	data, err := f.FrameData(ctx, who, id, frame)
	if err != nil {
		return err
	}
	r, err := f.Reading(ctx, who, film)
	if err != nil {
		return err
	}
	options, err := json.Marshal(DrawFrame(film, r, frame))
	if err != nil {
		return err
	}
	return f.Do(ctx, who, func(q *db.Queries) error {
		if _, err := f.ofFit(ctx, q, who, fitID, id); err != nil {
			return err
		}
		stills, err := q.PicturesOf(ctx, db.PicturesOfParams{FitID: fitID, ShopID: who.ShopID, Kind: StillKind})
		if err != nil {
			return err
		}
		if len(stills) >= mostStills {
			return fault.List{{Field: "still", Text: fmt.Sprintf("would be the card's number %d; allowed are %d, take one off first", mostStills+1,
				mostStills)}}
		}
		_, err = q.AddPicture(ctx, db.AddPictureParams{ShopID: who.ShopID, FitID: fitID, Kind: StillKind, Side: string(term.Left),
			Width: int32(film.Width), Height: int32(film.Height), Data: data,
			Options: options, Kept: film.Kept, MadeBy: who.UserID, MadeAt: f.Now()})
		return err
	})
}

// DeleteStill takes a still off the card.
func (f *Films) DeleteStill(ctx context.Context, who app.Actor, fitID, id uint64) error {
	return f.Do(ctx, who, func(q *db.Queries) error {
		return q.DeletePicture(ctx, db.DeletePictureParams{ID: id, FitID: fitID, ShopID: who.ShopID, Kind: StillKind})
	})
}
