package care

// House values of following a pair up after the sale.
const (
	// ComfortOpenDays is how long after its day a question of comfort is still asked.
	ComfortOpenDays = 60
)

// ComfortDays are when a pair's comfort is asked for after the sale (house): when it is
// broken in, and when first impressions have turned.
var ComfortDays = []int{14, 30}
