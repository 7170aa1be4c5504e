// Package units holds the exact constants of shoe sizing and the one place in
// which lengths and distances are converted and written for people.
//
// Sources: ISO 9407 (Mondopoint), ISO/TS 19407 (size conversion).
package units

import (
	"fmt"
	"math"
	"strconv"
)

const (
	// MMPerInch is exact by definition.
	MMPerInch = 25.4
	// KmPerMile is exact by definition.
	KmPerMile = 1.609344
	// Barleycorn is a third of an inch, one whole UK or US size, in mm.
	Barleycorn = MMPerInch / 3
	// ParisPoint is two thirds of a centimetre, one whole EU size, in mm.
	ParisPoint = 20.0 / 3
)

// eps absorbs the rounding of binary fractions, far below what can be measured.
const eps = 1e-9

// tens are the powers that Round takes.
var tens = [...]float64{1, 10, 100, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9}

// NearestHalf rounds to the nearest half; a tie goes up.
func NearestHalf(x float64) float64 { return math.Floor(2*x+0.5+eps) / 2 }

// UpTo rounds up to a multiple of step; a multiple stays as it is.
func UpTo(x, step float64) float64 { return math.Ceil(x/step-eps) * step }

// Round rounds half away from zero to so many decimals.
func Round(x float64, decimals int) float64 {
	p := tens[decimals]
	r := math.Round(x*p) / p
	if r == 0 {
		return 0 // never a negative zero
	}
	return r
}

// System is how a person reads lengths and distances.
type System string

const (
	Metric   System = "metric"
	Imperial System = "imperial"
)

// Length writes a length given in mm: "262.5 mm", or "10.33 in".
func (s System) Length(mm float64) string {
	if s == Imperial {
		return strconv.FormatFloat(mm/MMPerInch, 'f', 2, 64) + " in"
	}
	return trim(mm, 1) + " mm"
}

// Distance writes a distance given in km: "42.2 km", or "26.2 mi".
func (s System) Distance(km float64) string {
	return fmt.Sprintf("%s %s", trim(s.FromKm(km), 1), s.DistanceUnit())
}

// DistanceUnit is the unit in which distances are typed and shown.
func (s System) DistanceUnit() string {
	if s == Imperial {
		return "mi"
	}
	return "km"
}

// LengthUnit is the unit in which lengths are typed and shown.
func (s System) LengthUnit() string {
	if s == Imperial {
		return "in"
	}
	return "mm"
}

// ToMM converts a typed length into mm.
func (s System) ToMM(v float64) float64 {
	if s == Imperial {
		return v * MMPerInch
	}
	return v
}

// FromMM converts mm into what is typed and shown.
func (s System) FromMM(mm float64) float64 {
	if s == Imperial {
		return mm / MMPerInch
	}
	return mm
}

// ToKm converts a typed distance into km.
func (s System) ToKm(v float64) float64 {
	if s == Imperial {
		return v * KmPerMile
	}
	return v
}

// FromKm converts km into what is typed and shown.
func (s System) FromKm(km float64) float64 {
	if s == Imperial {
		return km / KmPerMile
	}
	return km
}

func trim(v float64, decimals int) string {
	return strconv.FormatFloat(Round(v, decimals), 'f', -1, 64)
}
