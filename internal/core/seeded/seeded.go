// Package seeded gives rows of numbers that follow from a seed alone, the same on every machine and with every release of the
// language (SplitMix64; Steele, Lea and Flood 2014).
package seeded

import "math"

// Stream is such a row; its value is the seed.
type Stream uint64

// Next is the next number, of all 64 bits.
func (s *Stream) Next() uint64 {
	*s += 0x9e3779b97f4a7c15
	z := uint64(*s)
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return z ^ z>>31
}

// Unit is the next number as one between 0 and 1, neither of them among it.
func (s *Stream) Unit() float64 { return (float64(s.Next()>>11) + 0.5) / (1 << 53) }

// Normal is the next number as one of the standard normal distribution.
func (s *Stream) Normal() float64 { return math.Sqrt2 * math.Erfinv(2*s.Unit()-1) }
