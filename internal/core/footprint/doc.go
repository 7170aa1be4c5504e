// Package footprint reads the print of a wet or inked foot from a picture.
//
//  1. The four marks of Trevik's print sheet, or corners by hand, straighten the
//     picture (homography) and give the scale.
//  2. Paper and light are modelled as a smooth surface, fitted robustly to the
//     logarithm of the brightness; the print is what lies far from it, darker or
//     lighter, cut half-way between paper and print.
//  3. Pieces that line up as a foot are kept, splashes dropped. The heel end is
//     the narrower; toes are small pieces ahead of the ball, cut off where joined.
//  4. Axis from the middle of the heel (centre of the largest circle in it) to the
//     tip of the second toe; the print without toes is cut along it in equal thirds.
//
// Arch index = middle third ÷ whole without toes (Cavanagh and Rodgers 1987).
// Second opinions: Chippaux–Šmirák, Staheli, Clarke. Class probabilities are those
// of a normal error with SD = 0.010 ÷ quality score. docs/method.md has the rest.
package footprint
