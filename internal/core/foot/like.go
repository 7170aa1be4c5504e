package foot

import (
	"math"

	"trevik/internal/core/term"
)

// House values of like feet.
const (
	LikeLengthMM = 6.0 // about half a size and a half
	LikeBallMM   = 5.0 // about a width letter
)

// Kind is what of a runner's feet decides whether a shoe that suits another suits them:
// the longer foot's sizing length and the wider ball in mm, and volume and arch where
// they are known.
type Kind struct {
	LengthMM, BallMM float64
	Volume           term.Volume
	Arch             term.Arch
}

// Like says whether two runners have like feet: near in length and width, and of one
// volume and arch as far as both are known. Feet without a length are like none.
func (k Kind) Like(o Kind) bool {
	switch {
	case k.LengthMM <= 0 || o.LengthMM <= 0 || math.Abs(k.LengthMM-o.LengthMM) > LikeLengthMM:
		return false
	case k.BallMM > 0 && o.BallMM > 0 && math.Abs(k.BallMM-o.BallMM) > LikeBallMM:
		return false
	case k.Volume != "" && o.Volume != "" && k.Volume != o.Volume:
		return false
	}
	return k.Arch == "" || o.Arch == "" || k.Arch == o.Arch
}
