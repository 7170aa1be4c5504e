package footprint

// mostPoints is how many points an outline is told with.
const mostPoints = 400

// trace is a mask's outer edge as points of the picture, at most mostPoints.
func (f *foot) trace(m *mask, pic func(Point) Point) []Point {
	_, parts := pieces(m)
	var out []Point
	for _, p := range parts {
		if line := contour(m, p); len(line) > len(out) {
			out = line
		}
	}
	step := max(1, len(out)/mostPoints)
	var short []Point
	for i := 0; i < len(out); i += step {
		short = append(short, pic(out[i]))
	}
	return short
}

// contour follows a piece's outer edge, clockwise (Moore neighbours), until it
// leaves its first pixel the same way again.
func contour(m *mask, p piece) []Point {
	x, y := p.x0, p.y0
	for !m.get(x, y) {
		x++
	}
	around := [8][2]int{{1, 0}, {1, 1}, {0, 1}, {-1, 1}, {-1, 0}, {-1, -1}, {0, -1}, {1, -1}}
	startX, startY, first, d := x, y, -1, 0
	var out []Point
	for range 8 * (m.w + m.h) {
		next := -1
		for k := range 8 {
			if n := (d + 5 + k) % 8; m.get(x+around[n][0], y+around[n][1]) {
				next = n
				break
			}
		}
		if next < 0 || x == startX && y == startY && next == first {
			break
		}
		if first < 0 {
			first = next
		}
		out = append(out, Point{float64(x), float64(y)})
		x, y, d = x+around[next][0], y+around[next][1], next
	}
	if out == nil {
		out = []Point{{float64(x), float64(y)}}
	}
	return out
}
