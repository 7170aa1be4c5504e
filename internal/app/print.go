package app

import (
	"bytes"
	"context"
	"encoding/json"
	"image"
	"image/color"
	"image/jpeg"
	"slices"
	"sync"
	"time"

	"golang.org/x/image/draw"

	"trevik/internal/core/fault"
	"trevik/internal/core/footprint"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
	"trevik/internal/picture"
	"trevik/internal/store/db"
)

// House values of pictures of prints.
const (
	printLong = 1400          // px, the longest side that is worked on
	looseTime = 2 * time.Hour // how long a picture that is not kept stays on the bench
	printKind = "print"
	mostDrawn = 200 // strokes by hand
)

// PrintOptions is what was put right by hand on a print's picture; points are
// pixels of it.
type PrintOptions struct {
	MMPerPx float64             `json:"mm_per_px,omitempty"`
	Paper   footprint.Paper     `json:"paper,omitempty"`
	Corners *[4]footprint.Point `json:"corners,omitempty"`
	Level   float64             `json:"level,omitempty"`
	Axis    *footprint.Axis     `json:"axis,omitempty"`
	ToeLine *[2]footprint.Point `json:"toe_line,omitempty"`
	Strokes []footprint.Stroke  `json:"strokes,omitempty"`
	Cuts    *[2]float64         `json:"cuts,omitempty"`
}

func (o PrintOptions) reader(side term.Side) footprint.Options {
	return footprint.Options{Foot: side, MMPerPx: o.MMPerPx, Corners: o.Corners, Paper: o.Paper, Level: o.Level, Axis: o.Axis, ToeLine: o.ToeLine, Strokes: o.Strokes, Cuts: o.Cuts}
}

// PrintPicture is one side's picture on the bench.
type PrintPicture struct {
	ID            uint64
	Side          term.Side
	Width, Height int
	Options       PrintOptions
	Kept          bool
	MadeAt        time.Time
}

// readingField is how a reading is kept: its summary as JSON.
var readingField = Field{Name: "print_reading", Label: "Print", Kind: Text, Max: 2000, Sides: true, How: "photo"}

// PrintReading is what a print's picture was read as; nil when there is none.
func (f *Fit) PrintReading(side term.Side) *footprint.Answer {
	t := f.Text(readingField.Name, side, 0)
	if t == "" {
		return nil
	}
	var a footprint.Answer
	if json.Unmarshal([]byte(t), &a) != nil {
		return nil
	}
	return &a
}

// ArchOf is the evidence of a side's arch: the print's reading before the eye.
func (f *Fit) ArchOf(side term.Side) *support.ArchProbability {
	if r := f.PrintReading(side); r != nil {
		return &support.ArchProbability{High: r.ArchProbability.High, Medium: r.ArchProbability.Medium, Low: r.ArchProbability.Low}
	}
	if ar, sure := f.Text("arch", side, 0), f.Text("arch_sure", side, 0); ar != "" && sure != "" {
		p := support.ArchByEye(term.Arch(ar), term.Certainty(sure))
		return &p
	}
	return nil
}

// PrintPictures are the fit's pictures of prints, by side.
func (a *App) PrintPictures(ctx context.Context, who Actor, fitID uint64) (map[term.Side]PrintPicture, error) {
	rows, err := a.store.PicturesOf(ctx, db.PicturesOfParams{FitID: fitID, ShopID: who.ShopID, Kind: printKind})
	out := map[term.Side]PrintPicture{}
	for _, r := range rows {
		p := PrintPicture{ID: r.ID, Side: term.Side(r.Side), Width: int(r.Width), Height: int(r.Height), Kept: r.Kept, MadeAt: r.MadeAt}
		if err := json.Unmarshal(r.Options, &p.Options); err != nil {
			return nil, err
		}
		out[p.Side] = p
	}
	return out, err
}

// PrintData is a picture's file (JPEG).
func (a *App) PrintData(ctx context.Context, who Actor, fitID uint64, side term.Side) ([]byte, uint64, error) {
	r, err := a.store.PictureData(ctx, db.PictureDataParams{FitID: fitID, ShopID: who.ShopID, Kind: printKind, Side: string(side)})
	return r.Data, r.ID, found(err)
}

// AddPrint takes a picture of a print in place of the side's earlier one, reads it
// and records the reading. It fails with a fault.List, and changes nothing, when
// the file is no picture or holds no print.
func (a *App) AddPrint(ctx context.Context, who Actor, fitID uint64, side term.Side, file []byte, opt PrintOptions, keep bool) (footprint.Answer, error) {
	fit, err := a.Fit(ctx, who, fitID)
	if err == nil {
		err = fit.checkKeep("keep", keep)
	}
	if err != nil {
		return footprint.Answer{}, err
	}
	pic, err := picture.Open("photo", file)
	if err != nil {
		return footprint.Answer{}, err
	}
	img, shrunk := upright(pic)
	opt.MMPerPx *= shrunk
	answer, err := readPrint(img, side, opt)
	if err != nil {
		return answer, err
	}
	var data bytes.Buffer
	if err := jpeg.Encode(&data, img, &jpeg.Options{Quality: 90}); err != nil {
		return answer, err
	}
	options, values, err := toKeep(side, opt, answer)
	if err != nil {
		return answer, err
	}
	b := img.Bounds()
	err = a.store.Tx(ctx, func(q *db.Queries) error {
		if err := a.lockOpen(ctx, q, who, fitID); err != nil {
			return err
		}
		if err := q.DeleteLoosePictures(ctx, a.Now().Add(-looseTime)); err != nil {
			return err
		}
		if err := q.DeletePictures(ctx, db.DeletePicturesParams{FitID: fitID, ShopID: who.ShopID, Kind: printKind, Side: string(side)}); err != nil {
			return err
		}
		_, err := q.AddPicture(ctx, db.AddPictureParams{ShopID: who.ShopID, FitID: fitID, Kind: printKind, Side: string(side), Width: int32(b.Dx()), Height: int32(b.Dy()), Data: data.Bytes(),
			Options: options, Kept: keep, MadeBy: who.UserID, MadeAt: a.Now()})
		return err
	})
	if err != nil {
		return answer, err
	}
	_, err = a.Record(ctx, who, fitID, values)
	return answer, err
}

// AdjustPrint reads a side's picture again with what was put right by hand, and
// records the new reading. It fails with a fault.List, and changes nothing, when
// that leaves no print.
func (a *App) AdjustPrint(ctx context.Context, who Actor, fitID uint64, side term.Side, opt PrintOptions) (footprint.Answer, error) {
	if len(opt.Strokes) > mostDrawn {
		return footprint.Answer{}, fault.List{{Field: "strokes", Text: "are more than 200; begin anew from the picture"}}
	}
	img, id, err := a.printImage(ctx, who, fitID, side)
	if err != nil {
		return footprint.Answer{}, err
	}
	answer, err := a.images.read(id, img, side, opt)
	if err != nil {
		return answer, err
	}
	options, values, err := toKeep(side, opt, answer)
	if err != nil {
		return answer, err
	}
	if _, err := a.Record(ctx, who, fitID, values); err != nil {
		return answer, err
	}
	return answer, a.store.SetPictureOptions(ctx, db.SetPictureOptionsParams{Options: options, ID: id, ShopID: who.ShopID})
}

// ReadPrint is the whole reading of a side's picture, with its lines.
func (a *App) ReadPrint(ctx context.Context, who Actor, fitID uint64, p PrintPicture) (footprint.Answer, error) {
	if answer, ok := a.images.answer(p.ID, p.Options); ok {
		return answer, nil
	}
	img, id, err := a.printImage(ctx, who, fitID, p.Side)
	if err != nil {
		return footprint.Answer{}, err
	}
	return a.images.read(id, img, p.Side, p.Options)
}

// DeletePrint removes a side's picture alone: the reading stays.
func (a *App) DeletePrint(ctx context.Context, who Actor, fitID uint64, side term.Side) error {
	_, id, err := a.PrintData(ctx, who, fitID, side)
	if err != nil {
		return err
	}
	a.images.drop(id)
	return a.store.DeletePictures(ctx, db.DeletePicturesParams{FitID: fitID, ShopID: who.ShopID, Kind: printKind, Side: string(side)})
}

// forgetForms is how long a form that was sent is remembered.
const forgetForms = 48 * time.Hour

// Tidy lets go of what may not stay: pictures and films that nobody agreed to keep,
// after two hours, films that are older than the shop keeps them, health answers whose
// year is over, and forms that were sent days ago. A server does it every few minutes.
func (a *App) Tidy(ctx context.Context) error {
	if err := a.store.DeleteLoosePictures(ctx, a.Now().Add(-looseTime)); err != nil {
		return err
	}
	a.images.keepSince(a.Now().Add(-looseTime))
	if err := a.tidyFilms(ctx); err != nil {
		return err
	}
	if err := a.tidyHealth(ctx); err != nil {
		return err
	}
	return a.store.ClearSubmissions(ctx, a.Now().Add(-forgetForms))
}

func readPrint(img image.Image, side term.Side, opt PrintOptions) (footprint.Answer, error) {
	r, err := footprint.Read(img, opt.reader(side))
	if err != nil {
		return footprint.Answer{}, err
	}
	return r.Answer(), nil
}

// toKeep is what a reading leaves behind: the options as JSON, and a finding without
// the lines, which the picture has.
func toKeep(side term.Side, opt PrintOptions, a footprint.Answer) (options []byte, values []Value, err error) {
	if options, err = json.Marshal(opt); err != nil {
		return nil, nil, err
	}
	a.Outline, a.Toes = [][2]float64{}, [][][2]float64{}
	data, err := json.Marshal(a)
	return options, []Value{{Key: Key{readingField.Name, side, 0}, Field: readingField, Text: string(data)}}, err
}

// upright is the picture as it is seen, at most printLong long, and how many of its
// own pixels one of the new ones is.
func upright(p picture.Picture) (image.Image, float64) {
	src := p.Image
	if p.Orientation > 1 {
		src = turned{p.Image, p.Orientation}
	}
	b := src.Bounds()
	shrink := max(1, float64(max(b.Dx(), b.Dy()))/printLong)
	out := image.NewRGBA(image.Rect(0, 0, int(float64(b.Dx())/shrink), int(float64(b.Dy())/shrink)))
	draw.Draw(out, out.Bounds(), image.White, image.Point{}, draw.Src)
	draw.ApproxBiLinear.Scale(out, out.Bounds(), src, b, draw.Over, nil)
	return out, shrink
}

// turned is a picture seen as its EXIF orientation asks.
type turned struct {
	image.Image
	orientation int
}

func (t turned) Bounds() image.Rectangle {
	b := t.Image.Bounds()
	if t.orientation >= 5 {
		return image.Rect(0, 0, b.Dy(), b.Dx())
	}
	return image.Rect(0, 0, b.Dx(), b.Dy())
}

func (t turned) At(x, y int) color.Color {
	b := t.Image.Bounds()
	if t.orientation >= 5 {
		x, y = y, x
	}
	switch t.orientation {
	case 2, 3, 7, 8:
		x = b.Dx() - 1 - x
	}
	switch t.orientation {
	case 3, 4, 6, 7:
		y = b.Dy() - 1 - y
	}
	return t.Image.At(b.Min.X+x, b.Min.Y+y)
}

// imageCache keeps the pictures that are worked on decoded, with their last
// reading, so that numbers follow a hand at once.
type imageCache struct {
	sync.Mutex
	byID  map[uint64]*worked
	order []uint64
}

type worked struct {
	image   image.Image
	since   time.Time
	scale   string // that the picture was prepared with
	ready   *footprint.Prepared
	options string // that the answer was read with
	result  footprint.Answer
}

const mostImages = 8

func (c *imageCache) get(id uint64) image.Image {
	c.Lock()
	defer c.Unlock()
	if w := c.byID[id]; w != nil {
		return w.image
	}
	return nil
}

func (c *imageCache) put(id uint64, img image.Image, now time.Time) {
	c.Lock()
	defer c.Unlock()
	if c.byID == nil {
		c.byID = map[uint64]*worked{}
	}
	if c.byID[id] != nil {
		return
	}
	c.byID[id] = &worked{image: img, since: now}
	c.order = append(c.order, id)
	if len(c.order) > mostImages {
		delete(c.byID, c.order[0])
		c.order = c.order[1:]
	}
}

// keepSince forgets what was taken up before a time: it is decoded again if it is
// still there.
func (c *imageCache) keepSince(t time.Time) {
	c.Lock()
	defer c.Unlock()
	c.order = slices.DeleteFunc(c.order, func(id uint64) bool {
		old := c.byID[id].since.Before(t)
		if old {
			delete(c.byID, id)
		}
		return old
	})
}

// drop forgets a picture.
func (c *imageCache) drop(id uint64) {
	c.Lock()
	defer c.Unlock()
	delete(c.byID, id)
	c.order = slices.DeleteFunc(c.order, func(o uint64) bool { return o == id })
}

// answer is the last reading of a picture, when it was made with these options.
func (c *imageCache) answer(id uint64, opt PrintOptions) (footprint.Answer, bool) {
	key, err := json.Marshal(opt)
	c.Lock()
	defer c.Unlock()
	w := c.byID[id]
	if err != nil || w == nil || w.options != string(key) {
		return footprint.Answer{}, false
	}
	return w.result, true
}

// prepared is the picture as it stands ready for a hand, made when it is not.
func (c *imageCache) prepared(id uint64, img image.Image, opt PrintOptions) (*footprint.Prepared, error) {
	scale, err := json.Marshal(PrintOptions{MMPerPx: opt.MMPerPx, Corners: opt.Corners, Paper: opt.Paper})
	if err != nil {
		return nil, err
	}
	c.Lock()
	if w := c.byID[id]; w != nil && w.scale == string(scale) {
		defer c.Unlock()
		return w.ready, nil
	}
	c.Unlock()
	p, err := footprint.Prepare(img, opt.reader(""))
	if err != nil {
		return nil, err
	}
	c.Lock()
	defer c.Unlock()
	if w := c.byID[id]; w != nil {
		w.scale, w.ready = string(scale), p
	}
	return p, nil
}

func (c *imageCache) read(id uint64, img image.Image, side term.Side, opt PrintOptions) (footprint.Answer, error) {
	p, err := c.prepared(id, img, opt)
	if err != nil {
		return footprint.Answer{}, err
	}
	r, err := p.Read(opt.reader(side))
	if err != nil {
		return footprint.Answer{}, err
	}
	answer := r.Answer()
	key, err := json.Marshal(opt)
	c.Lock()
	defer c.Unlock()
	if w := c.byID[id]; w != nil && err == nil {
		w.options, w.result = string(key), answer
	}
	return answer, err
}

func (a *App) printImage(ctx context.Context, who Actor, fitID uint64, side term.Side) (image.Image, uint64, error) {
	data, id, err := a.PrintData(ctx, who, fitID, side)
	if err != nil {
		return nil, 0, err
	}
	if img := a.images.get(id); img != nil {
		return img, id, nil
	}
	img, err := jpeg.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, 0, err
	}
	a.images.put(id, img, a.Now())
	return img, id, nil
}
