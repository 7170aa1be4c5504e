package demo

import (
	"fmt"
	"strings"

	"trevik/internal/core/foot"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
)

// kindOf is what models of one kind share; the catalogue names what differs.
type kindOf struct {
	chart   term.Chart
	surface term.Surface
	class   term.Class
}

// row is one model of the demo catalogue. Stack in mm, weight in g, price in
// minor units.
type row struct {
	maker, name    string
	version        int
	of             kindOf
	level          term.Level
	heel, fore     float64
	weight         float64
	soft, bounce   float64
	last           term.LastShape
	volume         term.Volume
	widths         string
	offset         float64
	price, sale    int64
	purpose        string
	change         string // since the version before; empty when there is none here
	plate          string
	rocker         int
	lugs           float64
	spacing, upper string
	tips           bool
	flex           float64
}

var (
	menRoad   = kindOf{term.Men, term.Road, term.Daily}
	womenRoad = kindOf{term.Women, term.Road, term.Daily}
)

func (k kindOf) as(class term.Class) kindOf { k.class = class; return k }
func (k kindOf) on(s term.Surface, class term.Class) kindOf {
	k.surface, k.class = s, class
	return k
}

// rows are the shop's models. Every maker and model is invented.
var rows = []row{
	{maker: "Norrbeck", name: "Skua", version: 3, of: menRoad, level: term.Neutral, heel: 34, fore: 24, weight: 268, soft: 3, bounce: 3,
		last: "standard", volume: "medium", widths: "D E EE", price: 13900, sale: 10900, purpose: "Daily miles without fuss"},
	{maker: "Norrbeck", name: "Skua", version: 4, of: menRoad, level: term.Neutral, heel: 34, fore: 24, weight: 262, soft: 3, bounce: 3,
		last: "standard", volume: "medium", widths: "D E EE", price: 14900, purpose: "Daily miles without fuss", change: "upper"},
	{maker: "Norrbeck", name: "Skua", version: 4, of: womenRoad, level: term.Neutral, heel: 34, fore: 24, weight: 226, soft: 3, bounce: 3,
		last: "standard", volume: "medium", widths: "B C D", price: 14900, purpose: "Daily miles without fuss"},
	{maker: "Norrbeck", name: "Fulmar", version: 2, of: menRoad.as(term.MaxCushion), level: term.Neutral, heel: 40, fore: 32, weight: 292,
		soft: 5, bounce: 3, last: "standard", volume: "full", widths: "D E", price: 16900, purpose: "Long easy hours on tarmac", rocker: 2},
	{maker: "Norrbeck", name: "Bowline", version: 5, of: menRoad, level: term.Stability, heel: 33, fore: 23, weight: 305, soft: 3, bounce: 2,
		last: "standard", volume: "medium", widths: "D E", price: 15500, purpose: "Daily, with a dense inner side"},
	{maker: "Ishkel", name: "Dunlin", version: 1, of: menRoad, level: term.NeutralSoft, heel: 36, fore: 28, weight: 258, soft: 5, bounce: 4,
		last: "wide_toe", volume: "medium", widths: "D E", price: 15900, purpose: "Soft and flexible, for a foot that hardly pronates",
		rocker: 1},
	{maker: "Ishkel", name: "Dunlin", version: 1, of: womenRoad, level: term.NeutralSoft, heel: 36, fore: 28, weight: 222, soft: 5, bounce: 4,
		last: "wide_toe", volume: "medium", widths: "B C D", price: 15900, purpose: "Soft and flexible, for a foot that hardly pronates",
		rocker: 1},
	{maker: "Ishkel", name: "Whimbrel", version: 7, of: menRoad, level: term.Guidance, heel: 35, fore: 25, weight: 282, soft: 3, bounce: 3,
		last: "standard", volume: "medium", widths: "D E EE", price: 15400, purpose: "Daily, steered by walls beside the heel"},
	{maker: "Ishkel", name: "Whimbrel", version: 7, of: womenRoad, level: term.Guidance, heel: 35, fore: 25, weight: 244, soft: 3, bounce: 3,
		last: "standard", volume: "medium", widths: "B C D", price: 15400, purpose: "Daily, steered by walls beside the heel"},
	{maker: "Pelmar", name: "Turnstone", version: 2, of: menRoad.as(term.TempoClass), level: term.Neutral, heel: 32, fore: 25, weight: 232,
		soft: 3, bounce: 4, last: "tapered", volume: "slim", widths: "D", price: 15900, purpose: "Tempo days and faster long runs",
		plate: "nylon", rocker: 2, upper: "light"},
	{maker: "Pelmar", name: "Turnstone", version: 2, of: womenRoad.as(term.TempoClass), level: term.Neutral, heel: 32, fore: 25, weight: 204,
		soft: 3, bounce: 4, last: "tapered", volume: "slim", widths: "B", price: 15900, purpose: "Tempo days and faster long runs",
		plate: "nylon", rocker: 2, upper: "light"},
	{maker: "Pelmar", name: "Gannet", version: 1, of: menRoad.as(term.RacePlated), level: term.Neutral, heel: 38, fore: 31, weight: 214,
		soft: 4, bounce: 5, last: "tapered", volume: "slim", widths: "D", price: 23900, purpose: "Races from ten kilometres to the marathon",
		plate: "carbon", rocker: 3, upper: "light"},
	{maker: "Pelmar", name: "Sheepshank", version: 3, of: womenRoad, level: term.Stability, heel: 33, fore: 24, weight: 262, soft: 3,
		bounce: 2, last: "standard", volume: "medium", widths: "B C D", price: 15200, purpose: "Daily, built up on the inner side"},
	{maker: "Aurvik", name: "Sanderling", version: 2, of: womenRoad, level: term.Neutral, heel: 33, fore: 25, weight: 232, soft: 4, bounce: 3,
		last: "wide_toe", volume: "full", widths: "B C D E", price: 14500, sale: 11900, purpose: "Room for a broad forefoot"},
	{maker: "Aurvik", name: "Sanderling", version: 3, of: womenRoad, level: term.Neutral, heel: 35, fore: 27, weight: 238, soft: 4, bounce: 4,
		last: "wide_toe", volume: "full", widths: "B C D E", price: 15500, purpose: "Room for a broad forefoot", change: "midsole"},
	{maker: "Aurvik", name: "Sanderling", version: 3, of: menRoad, level: term.Neutral, heel: 35, fore: 27, weight: 272, soft: 4, bounce: 4,
		last: "wide_toe", volume: "full", widths: "D E EE EEE", price: 15500, purpose: "Room for a broad forefoot"},
	{maker: "Aurvik", name: "Clove Hitch", version: 1, of: menRoad, level: term.MotionControl, heel: 32, fore: 22, weight: 338, soft: 2,
		bounce: 1, last: "standard", volume: "full", widths: "D E EE", price: 14900, purpose: "Firm and stiff, for severe pronation"},
	{maker: "Quillon", name: "Godwit", version: 4, of: menRoad.on(term.Trail, term.TrailClass), level: term.Neutral, heel: 31, fore: 25,
		weight: 288, soft: 3, bounce: 3, last: "standard", volume: "medium", widths: "D E", price: 14900,
		purpose: "Forest paths in every season", lugs: 4, spacing: "medium", upper: "reinforced"},
	{maker: "Quillon", name: "Godwit", version: 4, of: womenRoad.on(term.Trail, term.TrailClass), level: term.Neutral, heel: 31, fore: 25,
		weight: 250, soft: 3, bounce: 3, last: "standard", volume: "medium", widths: "B C", price: 14900,
		purpose: "Forest paths in every season", lugs: 4, spacing: "medium", upper: "reinforced"},
	{maker: "Quillon", name: "Oxbow", version: 2, of: menRoad.on(term.Trail, term.Mud), level: term.Neutral, heel: 24, fore: 20, weight: 262,
		soft: 2, bounce: 2, last: "tapered", volume: "slim", widths: "D", price: 13900, purpose: "Bog and moor, held close", lugs: 7,
		spacing: "wide", upper: "reinforced"},
	{maker: "Sundrey", name: "Rolling Hitch", version: 1, of: menRoad.on(term.Link, term.LinkClass), level: term.Neutral, heel: 33, fore: 26,
		weight: 284, soft: 3, bounce: 3, last: "standard", volume: "medium", widths: "D E", price: 14200,
		purpose: "From the door over tarmac to the wood and back", lugs: 3, spacing: "close"},
	{maker: "Sundrey", name: "Plover", version: 2, of: menRoad.as(term.Minimal), level: term.Neutral, heel: 14, fore: 12, weight: 190,
		soft: 2, bounce: 2, last: "wide_toe", volume: "medium", widths: "D E", price: 12500,
		purpose: "Little shoe, for feet that are used to it", upper: "light", flex: 5},
	{maker: "Sundrey", name: "Icebreak", version: 1, of: menRoad.on(term.Road, term.Winter), level: term.Neutral, heel: 31, fore: 23,
		weight: 312, soft: 3, bounce: 2, last: "standard", volume: "medium", widths: "D E", price: 16900, purpose: "The causeway on ice",
		lugs: 4, spacing: "medium", tips: true, upper: "reinforced"},
	{maker: "Sundrey", name: "Wherry", version: 1, of: kindOf{term.Youth, term.Road, term.Daily}, level: term.Neutral, heel: 28, fore: 21,
		weight: 198, soft: 3, bounce: 3, last: "standard", volume: "medium", widths: "N M W", price: 7900,
		purpose: "Light and plain, for feet that still grow", flex: 4},
	{maker: "Norrbeck", name: "Skua", version: 3, of: womenRoad, level: term.Neutral, heel: 34, fore: 24, weight: 232, soft: 3, bounce: 3,
		last: "standard", volume: "medium", widths: "B C D", price: 13900, sale: 10900, purpose: "Daily miles without fuss"},
	{maker: "Norrbeck", name: "Fulmar", version: 2, of: womenRoad.as(term.MaxCushion), level: term.Neutral, heel: 40, fore: 32, weight: 252,
		soft: 5, bounce: 3, last: "standard", volume: "full", widths: "B C D", price: 16900, purpose: "Long easy hours on tarmac", rocker: 2},
	{maker: "Norrbeck", name: "Bowline", version: 5, of: womenRoad, level: term.Stability, heel: 33, fore: 23, weight: 264, soft: 3,
		bounce: 2, last: "standard", volume: "medium", widths: "B C D", price: 15500, purpose: "Daily, with a dense inner side"},
	{maker: "Norrbeck", name: "Redshank", version: 2, of: menRoad.as(term.RaceFlat), level: term.Neutral, heel: 26, fore: 20, weight: 186,
		soft: 2, bounce: 3, last: "tapered", volume: "slim", widths: "D", price: 13900,
		purpose: "Short races and repetitions, close to the ground", upper: "light", flex: 4},
	{maker: "Norrbeck", name: "Redshank", version: 2, of: womenRoad.as(term.RaceFlat), level: term.Neutral, heel: 26, fore: 20, weight: 164,
		soft: 2, bounce: 3, last: "tapered", volume: "slim", widths: "B", price: 13900,
		purpose: "Short races and repetitions, close to the ground", upper: "light", flex: 4},
	{maker: "Ishkel", name: "Razorbill", version: 4, of: menRoad.as(term.TempoClass), level: term.Neutral, heel: 33, fore: 25, weight: 240,
		soft: 4, bounce: 4, last: "standard", volume: "medium", widths: "D E", price: 14900, purpose: "Quick days without a plate", rocker: 1,
		upper: "light"},
	{maker: "Ishkel", name: "Razorbill", version: 4, of: womenRoad.as(term.TempoClass), level: term.Neutral, heel: 33, fore: 25, weight: 210,
		soft: 4, bounce: 4, last: "standard", volume: "medium", widths: "B C", price: 14900, purpose: "Quick days without a plate", rocker: 1,
		upper: "light"},
	{maker: "Ishkel", name: "Carrick Bend", version: 2, of: menRoad, level: term.Stability, heel: 36, fore: 28, weight: 298, soft: 4,
		bounce: 3, last: "wide_toe", volume: "full", widths: "D E EE", price: 16200, purpose: "Soft underfoot and steady on the inner side"},
	{maker: "Ishkel", name: "Carrick Bend", version: 2, of: womenRoad, level: term.Stability, heel: 36, fore: 28, weight: 258, soft: 4,
		bounce: 3, last: "wide_toe", volume: "full", widths: "B C D", price: 16200, purpose: "Soft underfoot and steady on the inner side"},
	{maker: "Pelmar", name: "Gannet", version: 1, of: womenRoad.as(term.RacePlated), level: term.Neutral, heel: 38, fore: 31, weight: 186,
		soft: 4, bounce: 5, last: "tapered", volume: "slim", widths: "B", price: 23900, purpose: "Races from ten kilometres to the marathon",
		plate: "carbon", rocker: 3, upper: "light"},
	{maker: "Pelmar", name: "Kittiwake", version: 1, of: menRoad.as(term.RacePlated), level: term.Neutral, heel: 36, fore: 29, weight: 228,
		soft: 3, bounce: 4, last: "standard", volume: "medium", widths: "D E", price: 21900, purpose: "Steadier plated racing, for heel landers",
		plate: "carbon", rocker: 2, upper: "light"},
	{maker: "Pelmar", name: "Sheepshank", version: 3, of: menRoad, level: term.Stability, heel: 33, fore: 24, weight: 300, soft: 3, bounce: 2,
		last: "standard", volume: "medium", widths: "D E", price: 15200, purpose: "Daily, built up on the inner side"},
	{maker: "Pelmar", name: "Becket", version: 1, of: menRoad.on(term.GymSurface, term.CrossTraining), level: term.Neutral, heel: 16,
		fore: 12, weight: 318, soft: 1, bounce: 1, last: "wide_toe", volume: "medium", widths: "D E", price: 11900,
		purpose: "Flat and firm for lifting and the gym", flex: 3},
	{maker: "Pelmar", name: "Becket", version: 1, of: womenRoad.on(term.GymSurface, term.CrossTraining), level: term.Neutral, heel: 16,
		fore: 12, weight: 272, soft: 1, bounce: 1, last: "wide_toe", volume: "medium", widths: "B C", price: 11900,
		purpose: "Flat and firm for lifting and the gym", flex: 3},
	{maker: "Aurvik", name: "Reef Knot", version: 2, of: menRoad.on(term.GymSurface, term.CrossTraining), level: term.Neutral, heel: 20,
		fore: 14, weight: 302, soft: 2, bounce: 1, last: "standard", volume: "medium", widths: "D E", price: 10900,
		purpose: "The gym floor, short runs between", flex: 3},
	{maker: "Aurvik", name: "Reef Knot", version: 2, of: womenRoad.on(term.GymSurface, term.CrossTraining), level: term.Neutral, heel: 20,
		fore: 14, weight: 258, soft: 2, bounce: 1, last: "standard", volume: "medium", widths: "B C", price: 10900,
		purpose: "The gym floor, short runs between", flex: 3},
	{maker: "Aurvik", name: "Clove Hitch", version: 1, of: womenRoad, level: term.MotionControl, heel: 32, fore: 22, weight: 292, soft: 2,
		bounce: 1, last: "standard", volume: "full", widths: "B C D", price: 14900, purpose: "Firm and stiff, for severe pronation"},
	{maker: "Aurvik", name: "Guillemot", version: 3, of: menRoad, level: term.Guidance, heel: 36, fore: 27, weight: 276, soft: 4, bounce: 3,
		last: "standard", volume: "medium", widths: "D E EE", price: 15900, purpose: "A broad base that steers without a post"},
	{maker: "Aurvik", name: "Guillemot", version: 3, of: womenRoad, level: term.Guidance, heel: 36, fore: 27, weight: 240, soft: 4, bounce: 3,
		last: "standard", volume: "medium", widths: "B C D", price: 15900, purpose: "A broad base that steers without a post"},
	{maker: "Quillon", name: "Oxbow", version: 2, of: womenRoad.on(term.Trail, term.Mud), level: term.Neutral, heel: 24, fore: 20,
		weight: 228, soft: 2, bounce: 2, last: "tapered", volume: "slim", widths: "B", price: 13900, purpose: "Bog and moor, held close",
		lugs: 7, spacing: "wide", upper: "reinforced"},
	{maker: "Quillon", name: "Lapwing", version: 1, of: menRoad.on(term.Trail, term.Ultra), level: term.Neutral, heel: 35, fore: 29,
		weight: 304, soft: 4, bounce: 3, last: "wide_toe", volume: "full", widths: "D E EE", price: 17900, purpose: "Whole days on the hill",
		lugs: 4, spacing: "medium", upper: "reinforced", rocker: 1},
	{maker: "Quillon", name: "Lapwing", version: 1, of: womenRoad.on(term.Trail, term.Ultra), level: term.Neutral, heel: 35, fore: 29,
		weight: 264, soft: 4, bounce: 3, last: "wide_toe", volume: "full", widths: "B C D", price: 17900, purpose: "Whole days on the hill",
		lugs: 4, spacing: "medium", upper: "reinforced", rocker: 1},
	{maker: "Quillon", name: "Snipe", version: 2, of: menRoad.on(term.Track, term.Spikes), level: term.Neutral, heel: 18, fore: 16,
		weight: 158, soft: 1, bounce: 3, last: "tapered", volume: "slim", widths: "D", price: 11900,
		purpose: "The cinder track, middle distances", upper: "light"},
	{maker: "Quillon", name: "Snipe", version: 2, of: womenRoad.on(term.Track, term.Spikes), level: term.Neutral, heel: 18, fore: 16,
		weight: 138, soft: 1, bounce: 3, last: "tapered", volume: "slim", widths: "B", price: 11900,
		purpose: "The cinder track, middle distances", upper: "light"},
	{maker: "Sundrey", name: "Rolling Hitch", version: 1, of: womenRoad.on(term.Link, term.LinkClass), level: term.Neutral, heel: 33,
		fore: 26, weight: 246, soft: 3, bounce: 3, last: "standard", volume: "medium", widths: "B C", price: 14200,
		purpose: "From the door over tarmac to the wood and back", lugs: 3, spacing: "close"},
	{maker: "Sundrey", name: "Plover", version: 2, of: womenRoad.as(term.Minimal), level: term.Neutral, heel: 14, fore: 12, weight: 164,
		soft: 2, bounce: 2, last: "wide_toe", volume: "medium", widths: "B C", price: 12500,
		purpose: "Little shoe, for feet that are used to it", upper: "light", flex: 5},
	{maker: "Sundrey", name: "Icebreak", version: 1, of: womenRoad.on(term.Road, term.Winter), level: term.Neutral, heel: 31, fore: 23,
		weight: 270, soft: 3, bounce: 2, last: "standard", volume: "medium", widths: "B C", price: 16900, purpose: "The causeway on ice",
		lugs: 4, spacing: "medium", tips: true, upper: "reinforced"},
	{maker: "Sundrey", name: "Avocet", version: 6, of: menRoad, level: term.Neutral, heel: 30, fore: 24, weight: 246, soft: 2, bounce: 3,
		last: "standard", volume: "medium", widths: "D E", price: 12900, purpose: "Lower and firmer, for those who like the road under them"},
	{maker: "Sundrey", name: "Avocet", version: 6, of: womenRoad, level: term.Neutral, heel: 30, fore: 24, weight: 214, soft: 2, bounce: 3,
		last: "standard", volume: "medium", widths: "B C", price: 12900, purpose: "Lower and firmer, for those who like the road under them"},
	{maker: "Norrbeck", name: "Halyard", version: 1, of: menRoad.on(term.Trail, term.TrailClass), level: term.Neutral, heel: 29, fore: 24,
		weight: 276, soft: 3, bounce: 3, last: "wide_toe", volume: "medium", widths: "D E EE", price: 13900,
		purpose: "Rock and root, with room for the toes", lugs: 5, spacing: "medium", upper: "reinforced"},
	{maker: "Norrbeck", name: "Halyard", version: 1, of: womenRoad.on(term.Trail, term.TrailClass), level: term.Neutral, heel: 29, fore: 24,
		weight: 240, soft: 3, bounce: 3, last: "wide_toe", volume: "medium", widths: "B C D", price: 13900,
		purpose: "Rock and root, with room for the toes", lugs: 5, spacing: "medium", upper: "reinforced"},
}

// sizesMade are the smallest and largest running UK figures of a chart.
var sizesMade = map[term.Chart][2]float64{term.Men: {5, 13}, term.Women: {3, 9}, term.Youth: {10, 19}}

// Catalogue gives the demo's models, their sizes and stock.
func Catalogue() []shoe.Model {
	known := map[string]bool{}
	var out []shoe.Model
	for i, r := range rows {
		m := shoe.Model{
			ID: slug(r, r.version), Maker: r.maker, Name: r.name, Version: r.version, Year: 2026, Chart: r.of.chart, Surface: r.of.surface,
			Class: r.of.class, Level: r.level,
			StackHeelMM: r.heel, StackForefootMM: r.fore, StackMeasuredFrom: "the maker", WeightG: r.weight, Softness: r.soft, Bounce: r.bounce,
			Plate: r.plate, Rocker: r.rocker,
			HeelBevel: r.rocker > 1, Flexibility: r.flex, LastShape: r.last, Volume: r.volume, Widths: strings.Fields(r.widths),
			InnerOffsetMM: r.offset, LugDepthMM: r.lugs,
			LugSpacing: r.spacing, RubberSoftness: 3, MetalTips: r.tips, Upper: r.upper, ListPrice: r.price, Currency: Currency, Purpose: r.purpose,
			SupportBy: map[term.Level][]term.Means{term.Guidance: {"side_walls"}, term.Stability: {"dense_inner_side"},
				term.MotionControl: {"dense_inner_side", "wide_base"}}[r.level],
		}
		if r.sale > 0 {
			m.SalePrice = &r.sale
		}
		if before := slug(r, r.version-1); r.change != "" && known[before] {
			m.Replaces, m.Change = before, r.change
		}
		if r.maker == "Pelmar" && r.of.chart == term.Women {
			m.LabelChart = &shoe.LabelChart{USOverUK: 2}
		}
		made := sizesMade[r.of.chart]
		for s := made[0]; s <= made[1]; s += 0.5 {
			m.SizesUK = append(m.SizesUK, foot.Figure(s))
			// Some sizes are on the shelf and some are not, the same at every start.
			if n := (int(2*s)*7 + i*3) % 5; n < 3 {
				m.Stock = append(m.Stock, shoe.Stock{UK: foot.Figure(s), Width: m.Widths[0], Count: n + 1})
			}
		}
		known[m.ID] = true
		out = append(out, m)
	}
	return out
}

func slug(r row, version int) string {
	return fmt.Sprintf("%s-%s-%d-%s", strings.ToLower(r.maker), strings.ReplaceAll(strings.ToLower(r.name), " ", "-"), version, r.of.chart)
}
