package own

import (
	"net/url"
	"slices"
	"strconv"
	"strings"

	"trevik/internal/app/wardrobe"
	"trevik/internal/core/care"
	"trevik/internal/core/foot"
	"trevik/internal/core/term"
	"trevik/internal/record"
	"trevik/internal/web/desk"
	"trevik/internal/web/kit"
	"trevik/internal/web/stations/distance"
)

func (o *Own) report(c *visitor) (url.Values, string, error) {
	pair, err := kit.RowID(c.Req, "pair")
	if err != nil {
		return nil, "", err
	}
	sent, v, err := kit.Decode(c.Req, wardrobe.ReportFields)
	if err == nil {
		err = o.App.Wardrobe.AddReport(c.Ctx(), c.Who, c.runner, pair, v["report_comfort"].Ptr(), v["report_note"].Text)
	}
	return sent, "report", err
}

func (o *Own) look(c *visitor) (url.Values, string, error) {
	pair, err := kit.RowID(c.Req, "pair")
	if err != nil {
		return nil, "", err
	}
	sent, n, err := distance.ReadLook(c.Req)
	if err == nil {
		err = o.App.Wardrobe.AddLook(c.Ctx(), c.Who, c.runner, pair, n)
	}
	return sent, "look", err
}

// signs says what a runner told besides of a place that rubs.
func signs(k *care.Known, told []string) {
	k.Broken = k.Broken || slices.Contains(told, "skin_is_broken")
	k.Numb = k.Numb || slices.Contains(told, "it_is_numb")
	if slices.Contains(told, "for_over_two_weeks") {
		k.Weeks = 3
	}
}

// when is a word of when a place rubs, empty where it is none.
func when(text string) care.When {
	if w := care.When(text); slices.Contains(care.Whens, w) {
		return w
	}
	return ""
}

// rub keeps that a pair rubs, and goes on to what it may be.
func (o *Own) rub(c *visitor) (url.Values, string, error) {
	pair, err := kit.RowID(c.Req, "pair")
	if err != nil {
		return nil, "", err
	}
	sent, v, err := kit.Decode(c.Req, append(slices.Clone(wardrobe.RubFields), wardrobe.RubSigns))
	if err != nil {
		return sent, "", err
	}
	var k care.Known
	signs(&k, strings.Split(v["rub_signs"].Text, ","))
	r := record.RubReport{PairID: pair, Side: term.Side(v["rub_side"].Text), Place: term.Place(v["rub_place"].Text),
		When: when(v["rub_when"].Text), Tried: v["rub_tried"].Text}
	r.Referred = slices.Contains(care.RubPlaces, r.Place) && care.Rub(r.Place, r.When, k).Refer != ""
	note := url.Values{"in": {strconv.FormatUint(pair, 10)}, "rub": {string(r.Place)}, "when": {string(r.When)},
		"signs": {v["rub_signs"].Text}}
	return sent, "rub&" + note.Encode() + "#rub", o.App.Wardrobe.AddRub(c.Ctx(), c.Who, c.runner, r)
}

func (o *Own) lifting(c *visitor) (url.Values, string, error) {
	pair, err := kit.RowID(c.Req, "pair")
	if err != nil {
		return nil, "", err
	}
	sent, v, err := kit.Decode(c.Req, wardrobe.LiftingFields)
	if err == nil {
		err = o.App.Wardrobe.AddLifting(c.Ctx(), c.Who, c.runner, pair, v["lifting_hours"].Number)
	}
	return sent, "lifted", err
}

// addPair puts down a pair that the runner has.
func (o *Own) addPair(c *visitor) (url.Values, string, error) {
	sent, v, err := kit.Decode(c.Req, wardrobe.OwnedPairFields)
	if err == nil {
		_, err = o.App.Wardrobe.Add(c.Ctx(), c.Who, c.runner, wardrobe.Owned{Code: v["model"].Text, UK: foot.Figure(v["uk"].Number),
			Width: strings.ToUpper(v["width"].Text), Price: int64(v["price"].Number), Since: v["since"].Text, BeforeKM: v["before_km"].Ptr(),
			BeforeSure: v["before_sure"].Text, Called: v["called"].Text,
			MadeFor: term.Class(v["made_for"].Text)})
	}
	return sent, "pair", err
}

func (o *Own) addRace(c *visitor) (url.Values, string, error) {
	sent, v, err := kit.Decode(c.Req, wardrobe.RaceFields)
	if err == nil {
		err = o.App.Wardrobe.AddRace(c.Ctx(), c.Who, c.runner, v["race_name"].Text, v["race_day"].Text, v["race_length"].Number,
			uint64(v["race_pair"].Number))
	}
	return sent, "race", err
}

func (o *Own) endRace(c *visitor) (url.Values, string, error) {
	id, err := kit.RowID(c.Req, "race")
	if err != nil {
		return nil, "", err
	}
	sent, err := kit.Form(c.Req, kit.Known())
	if err == nil {
		err = o.App.Wardrobe.TakeRaceBack(c.Ctx(), c.Who, c.runner, id)
	}
	return sent, "norace", err
}

// sore tells the plan of changing over how the week went.
func (o *Own) sore(c *visitor) (url.Values, string, error) {
	id, err := kit.RowID(c.Req, "change")
	if err != nil {
		return nil, "", err
	}
	sent, v, err := kit.Decode(c.Req, wardrobe.SoreFields)
	if err != nil {
		return sent, "", err
	}
	r, err := desk.Sore(v)
	if err == nil {
		err = o.App.Wardrobe.ReportSore(c.Ctx(), c.Who, c.runner, id, r)
	}
	return sent, "sore", err
}
