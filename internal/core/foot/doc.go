// Package foot turns measured feet into sizes and shapes.
//
// The common measure is the standard last length, so that every scale converts
// through millimetres (ISO 9407, ISO/TS 19407): last = foot + 2 barleycorns.
//
//	UK adult   3 × last inches − 25        US men = UK + 1, US women = UK + 2.5
//	EU         last ÷ (20/3 mm)
//	UK youth   3 × last inches − 12 up to 13½; from 14 on 13 is taken off
//	US youth   the child's figure + 1, restarted the same way
//	Mondopoint the foot's length up to the next 5 mm
//
// Sizes are to the nearest half, a tie goes up. Width letters are house values:
// the standard ball width is a share of the foot's length and a letter is 4 mm.
package foot
