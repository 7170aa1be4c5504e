package desk

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"image/jpeg"
	"image/png"
	"net/http"
	"net/url"
	"slices"

	"github.com/gin-gonic/gin"

	"trevik/internal/app"
	"trevik/internal/core/term"
	"trevik/internal/device"
	"trevik/internal/practice"
	"trevik/internal/recording"
	"trevik/internal/web/kit"
)

func (d *Desk) practice(c *gin.Context) {
	who := kit.MustWho(c)
	fits, err := d.App.PracticeFits(c, who)
	if err != nil {
		d.Fail(c, err)
		return
	}
	scores, err := d.App.PracticeScores(c, who)
	if err != nil {
		d.Fail(c, err)
		return
	}
	mean := 0.0
	for _, s := range scores {
		mean += s.Points / float64(len(scores))
	}
	d.page(c, "Practice", "practice", map[string]any{"Fits": fits, "Scores": scores, "Mean": mean})
}

func (d *Desk) startPractice(c *gin.Context) {
	form, err := kit.Form(c, kit.Known())
	var token string
	if err == nil {
		token, err = kit.Token(form)
	}
	var fit uint64
	if err == nil {
		fit, err = d.App.StartPractice(c, kit.MustWho(c), token)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, fmt.Sprintf("/practice/%d", fit))
}

func (d *Desk) resetPractice(c *gin.Context) {
	_, err := kit.Form(c, kit.Known())
	if err == nil {
		err = d.App.ResetPractice(c, kit.MustWho(c))
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, "/practice")
}

// practiceFiles are what the devices hand over for a practice fit.
var practiceFiles = []string{"left.png", "right.png", "rear.zip", "side.zip"}

func (d *Desk) practiceFit(c *gin.Context) { d.showPractice(c, nil) }

func (d *Desk) showPractice(c *gin.Context, score *practice.Score) {
	id, err := kit.ID(c, "fit")
	var fit *app.Fit
	if err == nil {
		_, err = d.App.PracticeRunner(c, kit.MustWho(c), id)
	}
	if err == nil {
		fit, err = d.App.Fit(c, kit.MustWho(c), id)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	d.page(c, "Practice", "practice-fit", map[string]any{"Fit": fit, "Files": practiceFiles, "Score": score})
}

func (d *Desk) practiceScan(c *gin.Context) {
	id, err := kit.ID(c, "fit")
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	if err == nil {
		err = d.App.ScanPractice(c, kit.MustWho(c), id)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	kit.Go(c, fmt.Sprintf("/fits/%d/feet", id))
}

// practiceScore shows what was found beside the truth, and keeps the score.
func (d *Desk) practiceScore(c *gin.Context) {
	id, err := kit.ID(c, "fit")
	if err == nil {
		_, err = kit.Form(c, kit.Known())
	}
	var score practice.Score
	if err == nil {
		score, err = d.App.ScorePractice(c, kit.MustWho(c), id, true)
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	d.showPractice(c, &score)
}

// practiceFile gives a print, or a film as the camera would hand it over.
func (d *Desk) practiceFile(c *gin.Context) {
	id, err := kit.ID(c, "fit")
	var x *device.InventedRunner
	if err == nil {
		x, err = d.App.PracticeRunner(c, kit.MustWho(c), id)
	}
	name := c.Param("file")
	if err == nil && !slices.Contains(practiceFiles, name) {
		err = app.ErrNotFound
	}
	var data bytes.Buffer
	kind := "image/png"
	if err == nil {
		switch name {
		case "left.png":
			err = png.Encode(&data, practice.Photo(x.Scanner, x.Truth.Seed, term.Left))
		case "right.png":
			err = png.Encode(&data, practice.Photo(x.Scanner, x.Truth.Seed, term.Right))
		case "rear.zip":
			kind, err = "application/zip", filmZip(&data, x.Rear)
		default:
			kind, err = "application/zip", filmZip(&data, x.Side)
		}
	}
	if err != nil {
		d.Fail(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="`+url.PathEscape(name)+`"`)
	c.Data(http.StatusOK, kind, data.Bytes())
}

// filmZip packs a film with its recording.json.
func filmZip(to *bytes.Buffer, m *device.Treadmill) error {
	z := zip.NewWriter(to)
	w, err := z.Create(recording.File)
	if err == nil {
		err = json.NewEncoder(w).Encode(m.Recording())
	}
	for i := 0; err == nil && i < m.Len(); i++ {
		img, frameErr := m.Frame(i)
		if frameErr != nil {
			return frameErr
		}
		if w, err = z.Create(fmt.Sprintf("%04d.jpg", i)); err == nil {
			err = jpeg.Encode(w, img, &jpeg.Options{Quality: 88})
		}
	}
	if closeErr := z.Close(); err == nil {
		err = closeErr
	}
	return err
}
