package desk

import (
	"strconv"

	"trevik/internal/web/kit"
)

// pager leads to the pages before and after; 0 is none.
type pager struct {
	At, Prev, Next int
	URL            string // to which the number is added
}

// only says whether the whole list is on this page.
func (p pager) only() bool { return p.Prev == 0 && p.Next == 0 }

// pageOf is which page of a list the address asks for, by its name there.
func pageOf(c *kit.Req, name string) int {
	n, _ := strconv.Atoi(c.Query(name)) // what is no number is the first
	return min(max(n, 1), mostPages)
}

// mostPages bounds how far a list is looked into.
const mostPages = 100_000

func pagerOf(c *kit.Req, name string, more bool) pager {
	q := c.Request.URL.Query()
	q.Del(name)
	p := pager{At: pageOf(c, name), URL: "?" + q.Encode() + "&" + name + "="}
	if p.At > 1 {
		p.Prev = p.At - 1
	}
	if more {
		p.Next = p.At + 1
	}
	return p
}
