package desk

import (
	"html/template"

	"trevik/internal/web/draw"
	"trevik/internal/web/kit"
)

// entry is a word of the trade.
type entry struct {
	Word    string
	Picture template.HTML
	Means   string
}

// words of the trade, in the order in which a fit meets them.
var words = []entry{
	{"Heel to ball", draw.Term("heel_to_ball"),
		"From the heel to the big toe's joint. The shoe has to bend there, so the longer of foot and heel-to-ball decides the size."},
	{"Ball width", draw.Term("ball"),
		"Across the foot at its widest, from the big toe's joint to the little toe's. It gives the width letter."},
	{"Instep and volume", draw.Term("instep"), "How high the foot is over its middle. A full foot needs depth, a slim one is lost in it."},
	{"Arch index", draw.Term("arch_index"),
		"The share of the print, without toes, that lies in its middle third. Under 0.21 the arch is high, over 0.26 low."},
	{"Navicular drop", draw.Term("navicular"), "How far the arch's keystone sinks from sitting to standing."},
	{"Pronation", draw.Term("pronation"),
		"The roll of the foot inward after it lands, which takes up the shock. Everyone rolls in; the question is how much, how fast and when."},
	{"Peak eversion", draw.Term("eversion"),
		"The largest tilt of the heel against the shin while the foot carries, in degrees, inward positive."},
	{"Strike", draw.Term("strike"), "Which part lands first: heel, midfoot or forefoot. It is not right or wrong; a shoe can suit it or not."},
	{"Drop", draw.Term("drop"), "How much higher the heel stands than the forefoot. Going lower loads calf and Achilles."},
	{"Stack", draw.Term("stack"), "How much shoe is under the foot, at the heel and at the forefoot."},
	{"Room", draw.Term("room"), "What is left before the longest toe, standing. A finger on the road, by the shop's choice."},
	{"Neutral, guidance, stability, motion control", draw.Term("ladder"),
		"The ladder of support: nothing added; a base or walls that steer; a firmer inner side; stiff and broad."},
	{"Bareness", draw.Term("bareness"), "How little shoe a model is, of 35: low, flat, thin, light, bendable, without support."},
	{"Effective kilometres", draw.Term("effective"),
		"Kilometres weighted by what wears a shoe more or less: the wrong ground, wet, heat, too little rest."},
}

func (d *Desk) glossary(c *kit.Req) error { return d.page(c, "Words of the trade", "glossary", words) }

// learned is what the shop's reports say.
func (d *Desk) learned(c *kit.Req) error {
	l, err := d.App.Wardrobe.WhatWasLearned(c.Ctx(), c.Who)
	if err != nil {
		return err
	}
	return d.page(c, "What was learned", "learned", l)
}
