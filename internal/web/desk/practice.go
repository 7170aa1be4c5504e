package desk

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"trevik/internal/app/practice"
	"trevik/internal/core/units"
	truth "trevik/internal/practice"
	"trevik/internal/web/kit"
)

func (d *Desk) practice(c *kit.Req) error {
	fits, err := d.App.Practice.Fits(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	scores, err := d.App.Practice.Scores(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	mean := 0.0
	for _, s := range scores {
		mean += s.Points / float64(len(scores))
	}
	return d.page(c, "Practice", "practice", map[string]any{"Fits": fits, "Scores": scores, "Mean": mean})
}

func (d *Desk) startPractice(c *kit.Req) error {
	if _, err := kit.Form(c, kit.Known()); err != nil {
		return err
	}
	fit, err := d.App.Practice.Start(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	return kit.Go(c, fmt.Sprintf("/practice/%d", fit))
}

func (d *Desk) resetPractice(c *kit.Req) error {
	if _, err := kit.Form(c, kit.Known()); err != nil {
		return err
	}
	if err := d.App.Practice.Reset(c.Ctx(), c.Who); err != nil {
		return err
	}
	return kit.Go(c, "/practice")
}

func (d *Desk) practiceFit(c *kit.Req) error { return d.showPractice(c, nil) }

func (d *Desk) showPractice(c *kit.Req, score *truth.Score) error {
	id, err := kit.RowID(c, "fit")
	if err != nil {
		return err
	}
	fit, _, err := d.App.Practice.Of(c.Ctx(), c.Who, id)
	if err != nil {
		return err
	}
	return d.page(c, "Practice", "practice-fit", map[string]any{"Fit": fit, "Files": practice.Files, "Score": score,
		"Lines": scoreLines(c.Who.Units, score)})
}

// scoreLine is a line of a score as the page says it, figures with their units.
type scoreLine struct{ What, Found, Truth, Off string }

func scoreLines(u units.System, score *truth.Score) []scoreLine {
	if score == nil {
		return nil
	}
	out := make([]scoreLine, len(score.Lines))
	for i, l := range score.Lines {
		with := func(figure string) string {
			if _, err := strconv.ParseFloat(figure, 64); err != nil || l.Unit == "" {
				return figure
			}
			return u.Say(figure + " " + l.Unit)
		}
		out[i] = scoreLine{What: l.What, Found: with(l.Found), Truth: with(l.Truth)}
		if l.Error != nil {
			out[i].Off = with(fmt.Sprintf("%+.3g", *l.Error))
		}
	}
	return out
}

// practiceOf is the practice fit of a form's address.
func practiceOf(c *kit.Req) (uint64, error) {
	id, err := kit.RowID(c, "fit")
	if err == nil && c.Request.Method == http.MethodPost {
		_, err = kit.Form(c, kit.Known())
	}
	return id, err
}

func (d *Desk) practiceScan(c *kit.Req) error {
	id, err := practiceOf(c)
	if err == nil {
		err = d.App.Practice.Scan(c.Ctx(), c.Who, id)
	}
	if err != nil {
		return err
	}
	return kit.Go(c, fmt.Sprintf("/fits/%d/feet", id))
}

// practiceScore shows what was found beside the truth, and keeps the score.
func (d *Desk) practiceScore(c *kit.Req) error {
	id, err := practiceOf(c)
	if err != nil {
		return err
	}
	score, err := d.App.Practice.Score(c.Ctx(), c.Who, id, true)
	if err != nil {
		return err
	}
	return d.showPractice(c, &score)
}

// practiceFile gives a print, or a film as the camera would hand it over. A film that is still
// being made is waited for on a page that asks again by itself.
func (d *Desk) practiceFile(c *kit.Req) error {
	id, err := practiceOf(c)
	if err != nil {
		return err
	}
	name := c.Param("file")
	data, err := d.App.Practice.File(c.Ctx(), c.Who, id, name)
	if err != nil {
		return err
	}
	if data == nil {
		c.Header("Refresh", "2")
		return d.pageWith(c, http.StatusAccepted, "Practice", "practice-file",
			map[string]any{"Name": name, "Back": fmt.Sprintf("/practice/%d", id)}, "")
	}
	kind := "image/png"
	if strings.HasSuffix(name, ".zip") {
		kind = "application/zip"
	}
	c.File(name, kind)
	return c.Data(http.StatusOK, kind, data)
}
