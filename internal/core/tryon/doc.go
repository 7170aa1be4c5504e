// Package tryon keeps a try-on honest: the order in which pairs are tried, and who
// leads after comparisons with one pair on each foot.
//
// Strengths are those of Bradley and Terry (1952): the chance that pair i is preferred
// over pair j is p_i ÷ (p_i + p_j). Each pair has half a win and half a loss against an
// imagined middle one of strength 1, which keeps strengths finite and gives them their
// zero. They are found by the usual fixed-point iteration (Hunter 2004); their errors
// from the inverse of the Hessian of the log posterior in the log-strengths; the chance
// that a pair is the best from seeded draws of that normal distribution.
package tryon
