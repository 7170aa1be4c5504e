package gait

import (
	"math"
	"testing"
)

// A heel on a belt seen through a lens: its floor sinks faster the nearer it comes, and its two dots move apart.
func TestHeelThatSinksAsItComesNearer(t *testing.T) {
	const fps, stride, stands, frames = 60.0, 42, 9, 200
	heel := func(grows bool) (low, top *path, first []int) {
		var lows, tops []Mark
		for i := range frames {
			part := (i + 20) % stride
			near, high := 1/(2.2-2.8*float64(min(part, stands)-4)/fps), 0.0 // of a metre's height, what one is at 1 m
			if part == 0 {
				first = append(first, i)
			}
			if part >= stands { // back through the air
				u := float64(part-stands+1) / float64(stride-stands+1)
				near = 1 / (2.2 - 2.8*float64(stands-5)/fps*(1-2*u))
				high = 0.35 * math.Pow(math.Sin(math.Pi*u), 0.8)
			}
			y := 250 + 900*(0.3-high)*near
			size := 900 * 0.045 * near
			if !grows {
				size = 20
			}
			lows, tops = append(lows, Mark{i, Point{300, y}, Found}), append(tops, Mark{i, Point{300, y - size}, Found})
		}
		return newPath(lows, frames, 0), newPath(tops, frames, 0), first
	}
	low, top, truth := heel(true)
	list := whole(contacts(levelled(low, top, fps), low.known, fps, floorKind{0, usualSlope}), frames, fps)
	for _, c := range list {
		near := math.Inf(1)
		for _, f := range truth {
			near = min(near, max(math.Abs(float64(c.on-f)), math.Abs(float64(c.off-f-stands+1))))
		}
		if near > 1 || c.neverDown {
			t.Errorf("a contact from %d to %d (never down %t), landings %v", c.on, c.off, c.neverDown, truth)
		}
	}
	if len(list) != 4 {
		t.Errorf("%d contacts of 4 that are whole: %v", len(list), list)
	}
	low, top, _ = heel(false)
	for i, y := range levelled(low, top, fps) {
		if y != low.y[i] {
			t.Fatalf("a heel that does not grow was moved in frame %d from %g to %g", i, low.y[i], y)
		}
	}
}

// Places on a belt lie where a lens has them: their distance from where it ends far off goes with one over theirs from the camera.
func TestNearing(t *testing.T) {
	n := nearing{rate: 0.02, to: Point{320, 200}}
	for _, frames := range []float64{-12, 0, 5, 14} {
		got := n.seen(Point{260, 400}, frames)
		if k := 1 / (1 - 0.02*frames); math.Abs(got.X-320+60*k) > 1e-9 || math.Abs(got.Y-200-200*k) > 1e-9 {
			t.Errorf("%g frames after, (260, 400) lies at %v", frames, got)
		}
	}
	if got := (nearing{}).seen(Point{1, 2}, 30); got != (Point{1, 2}) {
		t.Errorf("what does not come nearer moved to %v", got)
	}
	if k := n.times(1000); k != largestTimes {
		t.Errorf("after 1000 frames it is %g times as large", k)
	}
}
