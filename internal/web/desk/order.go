package desk

import (
	"cmp"
	"slices"
	"strings"

	"trevik/internal/web/kit"
)

// column is one of a table that can be put in order by it.
type column[T any] struct {
	Key, Name string
	less      func(a, b T) int
}

// by is the order of a column of words, without regard to capitals.
func by[T any](word func(T) string) func(a, b T) int {
	return func(a, b T) int { return strings.Compare(strings.ToLower(word(a)), strings.ToLower(word(b))) }
}

// size is the order of a column of numbers.
func size[T any, N cmp.Ordered](number func(T) N) func(a, b T) int {
	return func(a, b T) int { return cmp.Compare(number(a), number(b)) }
}

// head is a column's heading: its name, where a tap on it leads, and how the list is in order by it.
type head struct {
	Name, URL string // none where the list is not ordered by it
	Sorted    string // ascending, descending, or none
}

// order puts a list in the order that the address asks for, by a column's key, with a minus before it
// backwards, and gives the headings; an address that asks for none leaves the list as it is. A list of
// which only a part is here stays in its own order: a part in another order would tell nothing.
func order[T any](c *kit.Req, list []T, whole bool, columns []column[T]) []head {
	asked, back := strings.CutPrefix(c.Query("sort"), "-")
	var heads []head
	for _, col := range columns {
		q := c.Request.URL.Query()
		q.Set("sort", col.Key)
		h := head{Name: col.Name, Sorted: "none"}
		if !whole || col.less == nil {
			heads = append(heads, h)
			continue
		}
		if col.Key == asked {
			h.Sorted = "ascending"
			slices.SortStableFunc(list, col.less)
			if back {
				h.Sorted = "descending"
				slices.Reverse(list)
			} else {
				q.Set("sort", "-"+col.Key)
			}
		}
		h.URL = "?" + q.Encode()
		heads = append(heads, h)
	}
	return heads
}
