// Package support weighs what is known of a runner's feet and gait into a level
// of support, by four schools side by side.
//
// Each foot is decided for itself: one rung apart, the higher counts for both;
// two or more apart, no level is given and the conflict feet_differ puts it to
// the fitter. The schools:
//
//   - pronation_matched, the traditional one: the band of rolling in gives the
//     level; without a gait, arch and worn sole do.
//   - least_correction: neutral unless much rolling in comes with signs.
//   - comfort_first: what felt right stays, else least_correction, and the
//     try-on reaches a rung to each side (Nigg and others 2015).
//   - natural_foot: the least shoe that the runner can take.
//
// Red flags stop the reasoning and refer to a clinician. docs/method.md gives
// every rule with its house values.
package support
