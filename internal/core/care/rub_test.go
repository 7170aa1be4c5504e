package care

import (
	"slices"
	"strings"
	"testing"

	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

func TestRub(t *testing.T) {
	for name, c := range map[string]struct {
		place term.Place
		when  When
		k     Known
		first string
		lace  string
	}{
		"short": {"toe_tips", "", Known{RoomMM: num(7), LeastMM: 12, MostMM: 17}, "The shoe is short", ""},
		"long": {"toe_tips", "", Known{RoomMM: num(22), LeastMM: 12, MostMM: 17}, "The shoe is long and the foot slides",
			"heel_lock"},
		"downhill": {"toe_tips", "downhill", Known{RoomMM: num(14), LeastMM: 12, MostMM: 17}, "The shoe is long and the foot slides",
			"heel_lock"},
		"nothing known":      {"toe_tips", "", Known{LeastMM: 12, MostMM: 17}, "The shoe is short", ""},
		"narrow":             {"ball", "", Known{BallMM: num(-3)}, "Too narrow across the ball", "wide_forefoot"},
		"wide":               {"ball", "", Known{BallMM: num(6)}, "Too wide, and the foot slides", "heel_lock"},
		"the heel slips":     {"achilles", "", Known{HeelSlips: true}, "The heel lifts", "heel_lock"},
		"laces":              {"top_of_foot", "next_day", Known{}, "The laces press", "window"},
		"long runs":          {"top_of_foot", "after_some_km", Known{}, "Damp feet, or poor socks", ""},
		"tight at the sides": {"sides", "", Known{Held: "tight"}, "Too narrow at the sides", "wide_forefoot"},
		"loose at the sides": {"sides", "", Known{Held: "loose"}, "Too wide, and the foot slides from side to side", "heel_lock"},
		"felt short":         {"toe_tips", "", Known{Toes: "short"}, "The shoe is short", ""},
		"felt long":          {"toe_tips", "", Known{Toes: "long"}, "The shoe is long and the foot slides", "heel_lock"},
		"hot runs, anywhere": {"achilles", "in_heat", Known{}, "Damp feet, or poor socks", ""},
		"thick socks":        {"top_of_foot", "", Known{ThickSock: true}, "The instep is higher than the shoe", "high_instep"},
		"damp":               {"between_toes", "in_heat", Known{}, "Damp feet, or poor socks", ""},
		"a low toe box":      {"toe_tops", "", Known{}, "The toe box is low", "toe_lift"},
		"under the arch":     {"arch_plantar", "", Known{}, "The insole's edge or a lump", ""},
		"the heel, unknown":  {"heel", "", Known{}, "The heel lifts", "heel_lock"},
	} {
		r := Rub(c.place, c.when, c.k)
		if len(r.Causes) < 2 || r.Causes[0].Cause != c.first || r.Causes[0].Lace != c.lace || r.Refer != "" {
			t.Errorf("%s: %+v", name, r)
		}
	}
	if r := Rub("heel", "", Known{HeelSlips: true, Laced: []string{"heel_lock"}}); r.Causes[0].Own !=
		"the heel lifted at the try-on; that lacing was tried at the fit" {
		t.Errorf("what the fit found is not said: %+v", r.Causes[0])
	}
	for _, p := range RubPlaces {
		if !slices.ContainsFunc(Rub(p, "", Known{}).Causes, func(c Cause) bool { return strings.HasPrefix(c.Cause, "Damp") }) {
			t.Errorf("damp feet are no cause at %s", p)
		}
		for _, w := range append(Whens, "") {
			for _, x := range Rub(p, w, Known{TrailRunner: true}).Causes {
				if x.Cause == "" || x.Check == "" || x.Fix == "" {
					t.Errorf("%s %s: %+v", p, w, x)
				}
			}
		}
	}
	for word, k := range map[string]Known{"diabetes": {Diabetes: true}, "Numbness": {Numb: true}, "broken": {Broken: true},
		"two weeks": {Weeks: 2}} {
		if r := Rub("heel", "", k); !strings.Contains(r.Refer, word) {
			t.Errorf("%s: %q", word, r.Refer)
		}
	}
	if r := Rub("heel", "", Known{Weeks: 1.9}); r.Refer != "" {
		t.Error(r.Refer)
	}
}

func TestSeason(t *testing.T) {
	road := shoe.Model{Surface: term.Road, Class: term.Daily, StackHeelMM: 34, StackForefootMM: 24, Softness: 3, RubberSoftness: 3,
		WeightG: 260, Plate: "none", LugSpacing: "close"}
	mud := road
	mud.Surface, mud.Class, mud.LugDepthMM, mud.LugSpacing, mud.StackHeelMM = term.Trail, term.Mud, 7, "wide", 24
	tips := road
	tips.Class, tips.MetalTips, tips.LugDepthMM = term.Winter, true, 4
	liner := road
	liner.Surface, liner.Class, liner.Liner, liner.LugDepthMM = term.Trail, term.TrailClass, true, 4
	hard := road
	hard.RubberSoftness = 1
	rocks := liner
	rocks.Liner, rocks.RockPlate, rocks.StackHeelMM = false, true, 28
	for name, c := range map[string]struct {
		day    Day
		m      shoe.Model
		serves bool
	}{
		"a dry road":               {Day{Ground: term.GroundRoad}, road, true},
		"a dry road in tips":       {Day{Ground: term.GroundRoad}, tips, false},
		"black ice in road shoes":  {Day{Ground: term.GroundRoad, Conditions: []term.Condition{term.BlackIce}}, road, false},
		"black ice in tips":        {Day{Ground: term.GroundRoad, Conditions: []term.Condition{term.BlackIce}}, tips, true},
		"ice in tips":              {Day{Ground: term.GroundIce}, tips, true},
		"mud in mud shoes":         {Day{Ground: term.GroundMud}, mud, true},
		"mud in road shoes":        {Day{Ground: term.GroundMud}, road, false},
		"cold and wet":             {Day{Ground: term.GroundRoad, Conditions: []term.Condition{term.Cold, term.Wet}}, road, true},
		"cold and wet, hard":       {Day{Ground: term.GroundRoad, Conditions: []term.Condition{term.Cold, term.Wet}}, hard, false},
		"long grass with a liner":  {Day{Ground: term.GroundTrail, Conditions: []term.Condition{term.LongGrass}}, liner, false},
		"a path with a liner":      {Day{Ground: term.GroundTrail}, liner, true},
		"rocks with a plate":       {Day{Ground: term.GroundTrail, Conditions: []term.Condition{term.Rocks}}, rocks, true},
		"rocks without, and liner": {Day{Ground: term.GroundTrail, Conditions: []term.Condition{term.Rocks}}, liner, false},
	} {
		serves, suit, missing := c.day.Suits(&c.m, shoe.Wearer{})
		if serves != c.serves || suit < 0 || suit > 1 {
			t.Errorf("%s: %t (%g), missing %v", name, serves, suit, missing)
		}
	}
	if _, indoors := (Day{Ground: term.GroundIce}).Needs(); !indoors {
		t.Error("ice is no day to stay in")
	}
	for _, g := range term.Grounds {
		for _, k := range term.Conditions {
			d := Day{Ground: g, Conditions: []term.Condition{k}}
			if needs, _ := d.Needs(); len(needs) == 0 && g != term.GroundSnow || len(d.Cautions()) == 0 {
				t.Errorf("%s in %s asks for nothing", k, g)
			}
		}
	}
}
