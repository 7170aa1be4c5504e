package units

import (
	"regexp"
	"strconv"
	"strings"
)

const number = `([+\-−]?\d+(?:\.\d+)?)`

var (
	span      = regexp.MustCompile(number + ` (to|and|or|±|of) ` + number + ` (wear-adjusted )?(mm|cm|km)\b`)
	quantity  = regexp.MustCompile(number + ` (wear-adjusted )?(mm|cm|km/h|km)\b`)
	price     = regexp.MustCompile(number + ` ([A-Z]{3}|cents) (an? |per )km\b`)
	quoted    = regexp.MustCompile("\"[^\"]*\"|“[^”]*”")
	bareMetre = regexp.MustCompile(`\b(mm|km/h|km)\b`)
)

// perUnit are a unit's other name, and how many of it are one of the other.
var perUnit = map[string]struct {
	name string
	of   float64
}{"mm": {"in", MMPerInch}, "cm": {"in", MMPerInch / 10}, "km": {"mi", KmPerMile}, "km/h": {"mph", KmPerMile}}

// Say writes a sentence that was computed in mm, cm and km for the reader: in miles and inches
// every figure with such a unit is converted, lengths to a hundredth and distances to a tenth, and
// so is a price for a km. What stands in quotation marks was typed by somebody and stays.
func (s System) Say(text string) string {
	if s != Imperial {
		return text
	}
	var out strings.Builder
	for text != "" {
		at := quoted.FindStringIndex(text)
		if at == nil {
			at = []int{len(text), len(text)}
		}
		out.WriteString(say(text[:at[0]]))
		out.WriteString(text[at[0]:at[1]])
		text = text[at[1]:]
	}
	return out.String()
}

func say(text string) string {
	text = price.ReplaceAllStringFunc(text, func(x string) string {
		m := price.FindStringSubmatch(x)
		decimals := len(m[1]) - 1 - strings.IndexByte(m[1]+".", '.')
		return convert(m[1], 1/KmPerMile, max(decimals, 0)) + " " + m[2] + " " + m[3] + "mi"
	})
	text = span.ReplaceAllStringFunc(text, func(x string) string {
		m := span.FindStringSubmatch(x)
		u := perUnit[m[5]]
		return convert(m[1], u.of, digits(u.name)) + " " + m[2] + " " + convert(m[3], u.of, digits(u.name)) + " " + m[4] + u.name
	})
	text = quantity.ReplaceAllStringFunc(text, func(x string) string {
		m := quantity.FindStringSubmatch(x)
		u := perUnit[m[3]]
		return convert(m[1], u.of, digits(u.name)) + " " + m[2] + u.name
	})
	return bareMetre.ReplaceAllStringFunc(text, func(unit string) string { return perUnit[unit].name })
}

func digits(unit string) int {
	if unit == "in" {
		return 2
	}
	return 1
}

// convert writes a figure as so many of another unit, with its sign where it has one.
func convert(figure string, of float64, decimals int) string {
	v, err := strconv.ParseFloat(strings.Replace(figure, "−", "-", 1), 64)
	if err != nil {
		return figure // no figure that Go reads: its pattern lets none through
	}
	sign := ""
	if figure[0] == '+' {
		sign = "+"
	}
	if decimals == 2 && of >= 1 {
		return sign + strconv.FormatFloat(Round(v/of, decimals), 'f', decimals, 64)
	}
	return sign + strconv.FormatFloat(Round(v/of, min(decimals, 9)), 'f', -1, 64)
}
