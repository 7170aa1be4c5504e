package prints

import (
	"bytes"
	"context"
	"encoding/json"
	"image"
	"image/jpeg"
	"slices"
	"sync"
	"time"

	"trevik/internal/app"
	"trevik/internal/core/footprint"
	"trevik/internal/core/term"
)

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
func (c *imageCache) answer(id uint64, opt Options) (footprint.Answer, bool) {
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
func (c *imageCache) prepared(id uint64, img image.Image, opt Options) (*footprint.Prepared, error) {
	scale, err := json.Marshal(Options{MMPerPx: opt.MMPerPx, Corners: opt.Corners, Paper: opt.Paper})
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

func (c *imageCache) read(id uint64, img image.Image, side term.Side, opt Options) (footprint.Answer, error) {
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

func (p *Prints) image(ctx context.Context, who app.Actor, fitID uint64, side term.Side) (image.Image, uint64, error) {
	data, id, err := p.Data(ctx, who, fitID, side)
	if err != nil {
		return nil, 0, err
	}
	if img := p.images.get(id); img != nil {
		return img, id, nil
	}
	img, err := jpeg.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, 0, err
	}
	p.images.put(id, img, p.Now())
	return img, id, nil
}

// Tidy forgets decoded pictures that were taken up long ago.
func (p *Prints) Tidy() { p.images.keepSince(p.Now().Add(-LooseTime)) }
