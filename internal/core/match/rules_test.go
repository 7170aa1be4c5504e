package match

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/support"
	"trevik/internal/core/term"
)

// What follows is the rules of shoes.md written down a second time, from the text, and
// held against Rank over random runners and catalogues: each offer's size, room and
// marks, and each model that is not offered with its first reason.

// again is one request in plain values.
type again struct {
	length, ball          float64 // of the longer foot
	sock                  float64
	lo, hi                float64 // wanted room
	soft, bounce          float64
	drop                  float64 // now
	strike                string
	mass                  float64
	isNew                 bool
	spread                []int
	level                 int
	shape, volume         int
	firm                  int64 // 0: no limit
	achilles, asked       bool
	easyShare, tempoShare float64
	disliked              string
	conditions            []term.Condition
	cushion               string
	lifted, natural       bool
	stack                 float64 // now
}

func (g again) request(models []shoe.Model) Request {
	level := term.Levels[g.level]
	var spread []term.Level
	for _, l := range g.spread {
		spread = append(spread, term.Levels[l])
	}
	q := request(models...)
	q.Feet.Left = &Foot{LengthMM: g.length, BallMM: num(g.ball), Shape: term.Shapes[g.shape], Volume: term.Volumes[g.volume]}
	q.Feet.Right = &Foot{LengthMM: g.length - 2, BallMM: num(g.ball - 1), Shape: term.Shapes[g.shape], Volume: term.Volumes[g.volume]}
	q.Sock = map[float64]term.Sock{0: "thin", 1: "medium", 2: "thick"}[g.sock]
	q.Settings.Room = map[float64]string{9: "thumbnail", 12: "finger", 14: "finger", 16: "thumb", 20: "several_days"}[g.lo]
	q.Likes = &Likes{Softness: num(g.soft), Bounce: num(g.bounce), Cushion: g.cushion}
	q.Present = &Present{DropMM: num(g.drop), StackMM: num(g.stack)}
	q.Conditions = g.conditions
	if g.lifted {
		q.HeelLifted = &g.lifted
	}
	if g.natural {
		q.Lead = term.NaturalFoot
	}
	q.Strike, q.MassKg = term.Strike(g.strike), num(g.mass)
	if g.isNew {
		q.Experience = "new"
	}
	q.Level, q.Spread = &level, spread
	q.Kinds = []KindShare{{Kind: term.Easy, Ground: term.GroundRoad, Share: g.easyShare}, {Kind: term.Tempo, Ground: term.GroundRoad,
		Share: g.tempoShare}}
	if g.firm > 0 {
		q.Budget = &Budget{g.firm, "EUR", true}
	}
	if g.asked {
		place := term.Place("knee_inner")
		if g.achilles {
			place = "achilles"
		}
		q.Complaints = &[]support.Complaint{{Place: place, MonthsAgo: num(3)}}
	}
	if g.disliked != "" {
		q.Disliked = []string{g.disliked}
	}
	return q
}

const barley = 25.4 / 3

// room of a UK size on the men's chart: last = (UK + 25) barleycorns, inner = last − 5 +
// offset, less foot and sock.
func (g again) room(m *shoe.Model, uk float64) float64 {
	return (uk+25)*barley - 5 + m.InnerOffsetMM - g.length - g.sock
}

// outside is by how much a room lies outside what is wanted, in half sizes.
func (g again) outside(room float64) float64 {
	return math.Max(0, math.Max(g.lo-room, room-g.hi)) / (12.7 / 3)
}

// size takes the made size nearest the middle, a tie up, none under 8 mm, none farther than half a
// size outside.
func (g again) size(m *shoe.Model) (uk float64, ok bool) {
	lo, hi := g.lo, g.hi
	best := math.Inf(1)
	for _, s := range m.SizesUK {
		r := g.room(m, float64(s))
		if r < 8-1e-6 {
			continue
		}
		if off := math.Abs(r - (lo+hi)/2); off <= best+1e-6 {
			best, uk, ok = off, float64(s), true
		}
	}
	return uk, ok && g.outside(g.room(m, uk)) <= 1+1e-9
}

var lettersMen = []string{"AAAA", "AAA", "AA", "A", "B", "C", "D", "E", "EE", "EEE", "EEEE"}

// letter is a ball's width on the longer foot: 4 mm a letter from 0.381 × length at D, a tie wider,
// and on beyond the letters.
func (g again) letter(ball float64) int {
	return 6 + int(math.Floor((ball-0.381*g.length)/4+0.5+1e-9))
}

// width is the made one nearest the wider foot, and how far it is from that: downhill the narrower of
// two, else the wider.
func (g again) width(m *shoe.Model) (made, off int) {
	made, off = -1, 99
	for at := range lettersMen {
		if !slices.Contains(m.Widths, lettersMen[at]) {
			continue
		}
		n := abs(at - g.letter(g.ball))
		if n < off || n == off && !slices.Contains(g.conditions, term.Descents) {
			made, off = at, n
		}
	}
	return made, off
}

func clamp(v float64) float64 { return math.Min(1, math.Max(0, v)) }

// bare is the sum of the seven bars.
func bare(m *shoe.Model) float64 {
	b := func(v, full, none float64) float64 { return 5 * clamp((none-v)/(none-full)) }
	level := []float64{5, 5, 3, 1, 0}[slices.Index(term.Levels, m.Level)]
	toe := map[term.LastShape]float64{"wide_toe": 5, "standard": 3}[m.LastShape]
	upper := map[string]float64{"light": 5, "standard": 3}[m.Upper]
	return b(m.WeightG, 170, 310) + b(m.StackHeelMM, 8, 32) + b(m.StackHeelMM-m.StackForefootMM, 0, 10) + level + toe + upper + m.Flexibility
}

// marks by name, use and money aside.
func (g again) marks(m *shoe.Model) map[string]float64 {
	drop := m.StackHeelMM - m.StackForefootMM
	change := drop - g.drop
	counts := math.Abs(change)
	if change < 0 {
		counts *= 1.5
	}
	habit := 1 - math.Max(0, counts-4)/6
	if g.natural {
		habit = 1 - math.Abs(drop-math.Max(0, g.drop-4))/6
	}
	band := map[string][2]float64{"forefoot": {0, 4}, "midfoot": {5, 8}, "heel": {9, 12}}[g.strike]
	strike := 1 - 0.15*math.Max(0, math.Max(band[0]-drop, drop-band[1]))
	made, _ := g.width(m)
	last := []int{0, 2, 1}[g.shape] // tapered, square, round on tapered, standard, wide_toe
	worst := 1.0
	for _, ball := range []float64{g.ball, g.ball - 1} {
		worst = math.Min(worst, clamp(1-0.25*float64(abs(last-slices.Index([]string{"tapered", "standard", "wide_toe"}, string(m.LastShape))))-
			0.25*float64(abs(g.volume-slices.Index(term.Volumes, m.Volume)))-0.25*float64(abs(made-g.letter(ball)))))
	}
	feel := (1 - math.Abs(m.Softness-g.soft)/4 + 1 - math.Abs(m.Bounce-g.bounce)/4)
	wanted := map[string]float64{"protective": 38, "balanced": 30, "ground_feel": 22}[g.cushion]
	switch {
	case g.cushion != "":
	case g.asked && !g.achilles: // the knee
		wanted = 38
	case g.natural:
		wanted = math.Max(15, g.stack-10)
	}
	if wanted > 0 {
		feel = (feel + clamp(1-math.Abs(m.StackHeelMM-wanted)/20)) / 3
	} else {
		feel /= 2
	}
	ground := 1.0
	if len(g.conditions) > 0 {
		ground = 0
		one := func(is bool, v float64) float64 {
			if is {
				return v
			}
			return 0
		}
		told := func(c term.Condition) bool { return slices.Contains(g.conditions, c) }
		for _, c := range g.conditions {
			ground += map[term.Condition]float64{
				term.Rocks:     one(m.RockPlate, 0.4) + one(m.ToeBumper, 0.3) + one(m.StackHeelMM <= 30, 0.3),
				term.Descents:  one(m.LugDepthMM >= 4, 0.5) + one(m.HeelCounter == "sculpted", 0.5),
				term.LongGrass: one(!m.Liner, 0.7) + one(m.Upper != "reinforced", 0.3),
				term.Wet: one(m.RubberSoftness >= 4, 0.3) + one(m.RubberSoftness >= 3, 0.3) + 0.3 +
					one(m.Liner && told(term.Cold) && !told(term.LongGrass), 0.1),
				term.Cold: 0.7 + one(m.Liner || m.Upper == "reinforced", 0.3),
				term.Grit: 0.7 + one(m.ToeBumper || m.Upper == "reinforced", 0.3),
			}[c] / float64(len(g.conditions))
		}
	}
	hold := 0.8
	if g.lifted {
		hold = map[string]float64{"sculpted": 1, "flat": 0.4}[m.HeelCounter]
	}
	if g.mass >= 85 && m.UpperFirmness >= 4 {
		hold = math.Min(1, hold+0.1)
	}
	uk, _ := g.size(m)
	out := map[string]float64{
		"shape": worst, "feel": feel, "ground": ground, "hold": hold, "room": clamp(1 - g.outside(g.room(m, uk))),
		"drop":   (clamp(habit) + clamp(strike)) / 2,
		"weight": 1 - clamp((m.WeightG-220)/120)*(1-0.5*g.easyShare/(g.easyShare+g.tempoShare)),
		"body":   1, "level": clamp(1 - 0.4*float64(abs(slices.Index(term.Levels, m.Level)-g.level))), "first": 1, "disliked": 1,
	}
	if g.mass >= 85 {
		out["body"] = clamp(1 - 0.2*math.Max(0, m.Softness-3) - 0.1*math.Max(0, m.Bounce-4))
	}
	if g.isNew && (m.Plate == "carbon" || m.StackHeelMM >= 40 || bare(m) >= 25) {
		out["first"] = 0
	}
	if g.disliked == m.ID {
		out["disliked"] = 0
	}
	return out
}

// why is the first reason that rules a model out; empty where it is offered.
func (g again) why(m *shoe.Model) string {
	_, fits := g.size(m)
	_, off := g.width(m)
	switch {
	case m.Surface != term.Road:
		return "surface"
	case !slices.Contains(g.spread, slices.Index(term.Levels, m.Level)):
		return "level"
	case !fits:
		return "size"
	case off > 1:
		return "width"
	case g.firm > 0 && m.ListPrice > g.firm:
		return "budget"
	case g.asked && g.achilles && g.drop-(m.StackHeelMM-m.StackForefootMM) >= 3-1e-9:
		return "caution"
	}
	return ""
}

func TestEveryRule(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	reasons := map[string]int{}
	offers := 0
	for n := range 160 {
		g := again{length: 245 + math.Round(400*r.Float64())/10, sock: float64(r.IntN(3)), soft: float64(1 + r.IntN(5)),
			bounce: float64(1 + r.IntN(5)), drop: float64(r.IntN(13)),
			strike: []string{"heel", "midfoot", "forefoot"}[r.IntN(3)], mass: 55 + float64(r.IntN(50)), isNew: r.IntN(2) == 0, level: r.IntN(3),
			shape: r.IntN(3), volume: r.IntN(3),
			asked: r.IntN(2) == 0, achilles: r.IntN(2) == 0, easyShare: 0.2 + 0.6*r.Float64(), tempoShare: 0.1 + 0.3*r.Float64()}
		g.ball = 0.381*g.length + math.Round(160*r.Float64()-80)/10
		g.stack, g.lifted, g.natural = 20+float64(r.IntN(20)), r.IntN(2) == 0, r.IntN(3) == 0
		g.cushion = []string{"", "", "protective", "balanced", "ground_feel"}[r.IntN(5)]
		window := [][2]float64{{9, 13}, {12, 17}, {16, 22}, {20, 29}}[r.IntN(4)]
		g.lo, g.hi = window[0], window[1]
		g.spread = [][]int{{g.level}, {0, 1, 2}, {1, 2, 3}}[r.IntN(3)]
		if r.IntN(3) == 0 {
			g.firm = 9000 + int64(r.IntN(12000))
		}
		if g.lo == 12 { // descents ask for a room of their own, and heat too
			for _, c := range []term.Condition{term.Rocks, term.LongGrass, term.Wet, term.Cold, term.Grit} {
				if r.IntN(3) == 0 {
					g.conditions = append(g.conditions, c)
				}
			}
			if r.IntN(3) == 0 {
				g.conditions, g.lo, g.hi = append(g.conditions, term.Descents), 14, 19
			}
		}
		models := catalogue(r, 25)
		for i := range models {
			m := &models[i]
			m.LastShape, m.Volume = term.LastShapes[r.IntN(3)], term.Volumes[r.IntN(3)]
			m.Plate = []string{"none", "carbon"}[r.IntN(2)]
			if r.IntN(8) == 0 {
				m.Surface = term.Trail
			}
			m.Upper, m.Flexibility = []string{"light", "standard", "reinforced"}[r.IntN(3)], 3
			m.UpperFirmness, m.RubberSoftness, m.LugDepthMM = float64(1+r.IntN(5)), float64(1+r.IntN(5)), float64(r.IntN(7))
			m.Liner, m.RockPlate, m.ToeBumper = r.IntN(2) == 0, r.IntN(2) == 0, r.IntN(2) == 0
			m.HeelCounter = []string{"flat", "sculpted"}[r.IntN(2)]
		}
		if r.IntN(2) == 0 {
			g.disliked = models[r.IntN(len(models))].ID
		}
		a := rank(t, g.request(models))
		byID := map[string]*shoe.Model{}
		for i := range models {
			byID[models[i].ID] = &models[i]
		}
		cheapest := math.Inf(1)
		for _, x := range a.Ranked {
			cheapest = math.Min(cheapest, float64(byID[x.Model].ListPrice)/620)
		}
		for _, x := range a.Ranked {
			m := byID[x.Model]
			offers++
			at := fmt.Sprintf("%d, %s, %+v", n, x.Model, g)
			if why := g.why(m); why != "" {
				t.Fatalf("%s: offered, want it ruled out by %s", at, why)
			}
			uk, _ := g.size(m)
			if x.Size.UK != uk || math.Abs(x.Size.RoomMM-g.room(m, uk)) > 0.006 || math.Abs(*x.Size.Room.Right-g.room(m, uk)-2) > 0.006 {
				t.Fatalf("%s: UK %g with %g mm, want UK %g with %g", at, x.Size.UK, x.Size.RoomMM, uk, g.room(m, uk))
			}
			want := g.marks(m)
			want["money"] = clamp(1 - (float64(m.ListPrice)/620/cheapest-1)/2)
			score := 0.0
			for _, mark := range x.Marks {
				if v, told := want[mark.Mark]; told && math.Abs(v-mark.Value) > 2e-6 {
					t.Fatalf("%s: %s %g, want %g", at, mark.Mark, mark.Value, v)
				}
				score += mark.Value * mark.Weight
			}
			if math.Abs(score-x.Score) > 1e-5 {
				t.Fatalf("%s: score %g, its marks give %g", at, x.Score, score)
			}
		}
		for _, o := range a.RuledOut {
			reasons[o.Reason]++
			if why := g.why(byID[o.Model]); why != o.Reason {
				t.Fatalf("%d, %s, %+v: ruled out by %s, want %q", n, o.Model, g, o.Reason, why)
			}
		}
		if len(a.Ranked)+len(a.RuledOut) != len(models) {
			t.Fatalf("%d of %d models are told", len(a.Ranked)+len(a.RuledOut), len(models))
		}
	}
	for _, reason := range []string{"surface", "level", "size", "width", "budget", "caution"} {
		if reasons[reason] < 5 {
			t.Errorf("%s ruled out %d times: the test does not reach it", reason, reasons[reason])
		}
	}
	if offers < 300 {
		t.Errorf("only %d offers were held against the rules", offers)
	}
}

// A foot of 262.5 mm in a plain US 9 in a medium sock has 10.9 mm of room and in a 9.5 15.1.
func TestPublishedRoom(t *testing.T) {
	m := model("plain", nil)
	for uk, want := range map[foot.Figure]float64{8: 10.9 + 1e-9, 8.5: 15.133} {
		if got := m.InnerLength(uk, nil) - 262.5 - 1; math.Abs(got-want) > 0.034 {
			t.Errorf("UK %g: %g mm, want %g", float64(uk), got, want)
		}
	}
}
