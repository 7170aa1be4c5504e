package record

import (
	"fmt"

	"trevik/internal/core/foot"
	"trevik/internal/core/match"
	"trevik/internal/core/shoe"
	"trevik/internal/core/units"
)

// InHand is a box whose barcode was scanned: a model in a size and width, and what that is for the runner.
type InHand struct {
	M      *shoe.Model
	UK     foot.Figure
	Width  string
	RoomMM float64
	Error  float64 // SD mm
	Known  bool    // that room: a foot was measured
	Sells  bool    // it can be sold: it is offered to the runner in this size
	Why    string  // why not
}

// Room is the room in words, in the reader's units; empty where no foot was measured.
func (h InHand) Room(u units.System) string {
	switch {
	case !h.Known:
		return ""
	case h.RoomMM < 0:
		return fmt.Sprintf("%s too short, ± %s", u.Length(-h.RoomMM), u.Length(h.Error))
	}
	return fmt.Sprintf("%s ± %s of room", u.Length(h.RoomMM), u.Length(h.Error))
}

// UKFigure is the size's running figure.
func (h InHand) UKFigure() float64 { return float64(h.UK) }

// Label is what stands on the box.
func (h InHand) Label() string { return h.M.Label(h.UK, h.Width) }

// InHand is what a box is for the runner; nil where the model is not of the shop.
func (c *Conclusions) InHand(model uint64, size foot.Figure, width string) (*InHand, error) {
	m := c.Shop.Catalogue.ByID(model)
	if m == nil {
		return nil, nil
	}
	h := &InHand{M: m, UK: size, Width: width, Error: c.RoomError(m)}
	h.RoomMM, h.Known = c.RoomIn(m, size)
	x, ok, err := c.Offered(m.ID)
	if err != nil {
		return nil, err
	}
	switch _, fits := x.Size.Take(size); {
	case h.Known && h.RoomMM < match.LeastRoomMM:
		h.Why = fmt.Sprintf("A size that leaves under %g mm is never offered.", match.LeastRoomMM)
	case !ok:
		h.Why = "This model is not offered to this runner."
		if answer, ready, err := c.Match(); err == nil && ready {
			for _, o := range answer.RuledOut {
				if o.Model == m.ID {
					h.Why = o.Text
				}
			}
		}
	case !fits:
		h.Why = "In this size it is not offered: " + x.Size.Label + " is."
	case width != x.Size.Width:
		h.Why = "The width that fits is " + x.Size.Width + "."
	default:
		h.Sells = true
	}
	return h, nil
}
