// Package wear tells how much life is left in a pair of running shoes.
//
// Load: the wear-adjusted km of a run is its km times the factors that apply.
// Life: L, in wear-adjusted km, is log-normal; its median is the class's median
// times a runner factor. The runner's own history and inspections of the pair
// are conjugate normal observations of ln L. Remaining distance is given that
// the pair has lasted until now: quantiles of L − E given L > E. The runner's
// plan turns kilometres into dates.
//
// Sources: the usual 480 to 800 km rule for the range of the class medians; the
// factors and variances are house values, all of them in docs/method.md.
package wear
