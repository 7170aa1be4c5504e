// Package gait reads a filmed gait: dots on leg and heel are found in every frame
// and followed, contacts are told from their paths, and angles from the smoothed
// paths, each with its error.
//
//   - Follow turns frames into the paths of named dots, by the dots' own colour, or
//     from places marked by hand by matching the picture round them (zero-mean
//     normalised cross-correlation).
//   - Read turns paths into contacts, angles, curves and bands. It needs no picture,
//     so a dot that is dragged or a contact that is moved is answered at once.
//
// Pixels: the centre of the top-left pixel is (0, 0), x points right and y down.
// Angles are degrees: eversion, toe up, ankle ahead and knee inward are positive.
// Events come from unsmoothed paths; angles from paths through a second-order
// Butterworth low-pass run forward and backward (Winter 2009). The strike's limits
// are those of Altman and Davis (2012). docs/method.md gives every rule with its
// house value.
package gait
