// Package draw makes Trevik's own drawings as SVG, to scale, from the numbers: feet, legs, shoes and
// soles from a few points each, charts of the week, of wear and of support, and the tiny ones of the
// rail. A drawing is as wide as its numbers say in px, so that its words are as large as the page's.
// Left is indigo and a solid line, right is amber and a broken line: the classes left and right carry
// both, on screen and in print. Colours and line weights are the style sheet's.
package draw
