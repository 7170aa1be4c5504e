package desk

import (
	"html/template"

	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// entry is a word of the trade. Key is its place on the page and its drawing's name.
type entry struct {
	Key, Word, Means string
}

// Picture is its drawing.
func (e entry) Picture() template.HTML { return draw.Term(e.Key) }

// words of the trade, in the order in which a fit meets them.
var words = []entry{
	{"heel_to_ball", "Heel to ball",
		"From the heel to the big toe's joint. The shoe has to bend there, so the longer of foot and heel-to-ball decides the size."},
	{"ball", "Ball width",
		"Across the foot at its widest, from the big toe's joint to the little toe's. It gives the width letter."},
	{"instep", "Instep and volume", "How high the foot is over its middle. A full foot needs depth, a slim one is lost in it."},
	{"arch_index", "Arch index",
		"The share of the print, without toes, that lies in its middle third. Under 0.21 the arch is high, over 0.26 low."},
	{"navicular", "Navicular drop", "How far the arch's keystone sinks from sitting to standing."},
	{"pronation", "Pronation",
		"The roll of the foot inward after it lands, which takes up the shock. Everyone pronates; the question is how much, how fast and when."},
	{"eversion", "Peak eversion", "The largest tilt of the heel against the shin while the foot carries, in degrees, inward positive."},
	{"strike", "Strike", "Which part lands first: heel, midfoot or forefoot. It is not right or wrong; a shoe can suit it or not."},
	{"ladder", "Neutral, guidance, stability, motion control",
		"The ladder of support: nothing added; a base or walls that steer; a firmer inner side; stiff and broad."},
	{"schools", "School", "A way of choosing the level. Four are shown side by side where practitioners differ; the shop says which leads."},
	{"drop", "Drop", "How much higher the heel stands than the forefoot. Going lower loads calf and Achilles."},
	{"stack", "Stack", "How much shoe is under the foot, at the heel and at the forefoot."},
	{"rocker", "Rocker and plate",
		"A sole that is curved up towards the toes rolls the foot on; a plate of nylon or carbon in it keeps its curve and springs back."},
	{"lugs", "Lugs", "The knobs of an outsole. Deep and far apart they bite into mud and let it go; short and close they run well on " +
		"firm ground."},
	{"last", "Last and toe box", "The form that a shoe is built on. Its toe box is tapered, standard or wide; toes should lie in it as " +
		"they stand."},
	{"room", "Toe room", "What is left before the longest toe, standing: about a finger's breadth on the road, more for long descents."},
	{"lockdown", "Lockdown and heel lock",
		"How firmly heel and midfoot are held. A heel lock is a way to lace that holds the heel without pressing."},
	{"bareness", "Bareness", "How little shoe a model is, of 35: low, flat, thin, light, bendable, without support."},
	{"rotation", "Rotation", "Several pairs in turn, each for the runs that it suits. Foam recovers in 24 to 48 hours, so each lasts longer."},
	{"suitability", "Suitability", "How well a model suits a kind of run on a ground, 0 to 1, from its numbers or as the shop sets it."},
	{"effective", "Wear-adjusted kilometres",
		"Kilometres weighted by what wears a shoe more or less: the wrong ground, wet, heat, too little rest."},
	{"left", "Likely distance left",
		"Nobody knows when a pair is done. It is said as the likely day, with the earliest and the latest: eight pairs in ten lie between them."},
	{"press", "Press test", "A thumb pressed hard into the midsole. New foam gives and comes back; worn foam stays creased or is hard."},
}

func (d *Desk) glossary(c *kit.Req) error { return d.page(c, "Words of the trade", "glossary", words) }
