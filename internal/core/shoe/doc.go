// Package shoe describes a running shoe model: its attributes, the label that
// its maker prints, how little shoe it is (bareness), the life that is expected
// of its class, and how well it suits a kind of run on a ground.
//
// The suitability table (base by class and kind, corrected by attributes and
// ground) is a table of house values in suitability.go; docs/method.md gives it
// with its reasons.
package shoe
