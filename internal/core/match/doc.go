// Package match rules models out and ranks the rest for a runner, sizes each in
// millimetres of room, and proposes a try-on set that differs.
//
// A model is ruled out by surface, class, level, size, width, budget (when
// firm), stock (when asked for today) or caution. The rest are ranked by a
// weighted sum of marks 0 to 1, each with its reason. Room is the model's inner
// length less the longer foot less the sock. docs/method.md gives every mark.
package match
