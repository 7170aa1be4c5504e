// Package barcode reads the number on a box: GTIN-8, 12, 13 or 14, with its check digit verified.
package barcode

import (
	"errors"
	"strings"
)

// Errors of a number.
var (
	ErrLength = errors.New("has not 8, 12, 13 or 14 digits")
	ErrCheck  = errors.New("does not hold together: its last digit is not the one that the others give; scan or type it again")
)

// Read gives a number as fourteen digits: shorter ones begin with zeros, so that one number has one
// form. Spaces and hyphens between digits are passed over. It fails with ErrLength and ErrCheck. Source:
// the check digit of GTINs, weights 3 and 1 in turn from the right.
func Read(typed string) (string, error) {
	code := strings.NewReplacer(" ", "", "-", "").Replace(strings.TrimSpace(typed))
	switch len(code) {
	case 8, 12, 13, 14:
	default:
		return "", ErrLength
	}
	sum := 0
	for i := range len(code) {
		d := code[len(code)-1-i]
		if d < '0' || d > '9' {
			return "", ErrLength
		}
		weight := 1
		if i%2 == 1 {
			weight = 3
		}
		sum += weight * int(d-'0')
	}
	if sum%10 != 0 {
		return "", ErrCheck
	}
	return strings.Repeat("0", 14-len(code)) + code, nil
}

// Shown is a number of fourteen digits without the zeros that fill it: the shortest form that it has.
func Shown(code string) string {
	for _, n := range []int{8, 12, 13} {
		if len(code) == 14 && strings.Trim(code[:14-n], "0") == "" {
			return code[14-n:]
		}
	}
	return code
}
