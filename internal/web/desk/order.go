package desk

import (
	"slices"
	"strings"

	"trevik/internal/web/kit"
)

// column is one of a table that can be put in order by it.
type column[T any] struct {
	Key, Name string
	less      func(a, b T) int
}

// head is a column's heading: its name, where a tap on it leads, and how the list is in order by it.
type head struct {
	Name, URL string
	Sorted    string // ascending, descending, or none
}

// order puts a list in the order that the address asks for, by a column's key, with a minus before it
// backwards, and gives the headings; an address that asks for none leaves the list as it is.
func order[T any](c *kit.Req, list []T, columns []column[T]) []head {
	asked, back := strings.CutPrefix(c.Query("sort"), "-")
	var heads []head
	for _, col := range columns {
		q := c.Request.URL.Query()
		q.Set("sort", col.Key)
		h := head{Name: col.Name, Sorted: "none"}
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
