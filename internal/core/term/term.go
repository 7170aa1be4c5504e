// Package term holds the words of the job, one list each. Every file, table,
// form and command uses these and no others.
package term

import "slices"

type (
	Side      string // left, right
	Chart     string // which sizes a runner is used to: men, women, youth
	Ground    string // what a part of a run is on
	Condition string // of a runner's usual ground or of a day
	Kind      string // of a part of a run
	Surface   string // what a model is made for
	Class     string // what a model is for; gives its expected life
	Level     string // of support
	Means     string // how support is done
	Band      string // of rolling in
	Arch      string
	Strike    string // which part of the foot lands first
	Sock      string
	Shape     string // of a foot's toes
	LastShape string // of a shoe's toe box
	Volume    string
	Place     string // of a complaint
	Source    string // how a gait was seen
	Certainty string // how sure an observation by eye is
	School    string // of how much support is right
	TrailRule string
)

const (
	Left  Side = "left"
	Right Side = "right"

	Men   Chart = "men"
	Women Chart = "women"
	Youth Chart = "youth"

	GroundRoad      Ground = "road"
	GroundTrail     Ground = "trail"
	GroundMud       Ground = "mud"
	GroundTrack     Ground = "track"
	GroundTreadmill Ground = "treadmill"
	GroundSnow      Ground = "snow"
	GroundIce       Ground = "ice"

	Rocks     Condition = "rocks"
	Descents  Condition = "descents"
	LongGrass Condition = "long_grass"
	Heat      Condition = "heat"
	Cold      Condition = "cold"
	Wet       Condition = "wet"
	Grit      Condition = "grit"
	BlackIce  Condition = "black_ice"

	Easy      Kind = "easy"
	Recovery  Kind = "recovery"
	Middle    Kind = "middle"
	Long      Kind = "long"
	Tempo     Kind = "tempo"
	Threshold Kind = "threshold"
	Intervals Kind = "intervals"
	Race      Kind = "race"
	Walk      Kind = "walk"
	Hike      Kind = "hike"
	Gym       Kind = "gym"

	Road       Surface = "road"
	Trail      Surface = "trail"
	Link       Surface = "link"
	Track      Surface = "track"
	GymSurface Surface = "gym"

	Daily         Class = "daily"
	MaxCushion    Class = "max_cushion"
	TempoClass    Class = "tempo"
	RacePlated    Class = "race_plated"
	RaceFlat      Class = "race_flat"
	TrailClass    Class = "trail"
	Ultra         Class = "ultra"
	Mud           Class = "mud"
	LinkClass     Class = "link"
	Spikes        Class = "spikes"
	Winter        Class = "winter"
	Minimal       Class = "minimal"
	CrossTraining Class = "cross_training"

	NeutralSoft   Level = "neutral_soft"
	Neutral       Level = "neutral"
	Guidance      Level = "guidance"
	Stability     Level = "stability"
	MotionControl Level = "motion_control"

	BandUnder   Band = "under"
	BandNeutral Band = "neutral"
	BandMild    Band = "mild"
	BandMarked  Band = "marked"
	BandSevere  Band = "severe"

	ArchHigh   Arch = "high"
	ArchMedium Arch = "medium"
	ArchLow    Arch = "low"

	HeelStrike     Strike = "heel"
	MidfootStrike  Strike = "midfoot"
	ForefootStrike Strike = "forefoot"

	FilmedRun  Source = "run"
	FilmedWalk Source = "walk"
	ByEye      Source = "by_eye"

	Sure   Certainty = "sure"
	Fairly Certainty = "fairly"
	Unsure Certainty = "unsure"

	PronationMatched School = "pronation_matched"
	LeastCorrection  School = "least_correction"
	ComfortFirst     School = "comfort_first"
	NaturalFoot      School = "natural_foot"

	PlatformOnly TrailRule = "platform_only"
	SameLadder   TrailRule = "same_ladder"
)

// The lists, each in the order in which it is shown. Levels and Bands are in
// order of rising amount, and their index is their rung.
var (
	Sides      = []Side{Left, Right}
	Charts     = []Chart{Men, Women, Youth}
	Grounds    = []Ground{GroundRoad, GroundTrail, GroundMud, GroundTrack, GroundTreadmill, GroundSnow, GroundIce}
	Conditions = []Condition{Rocks, Descents, LongGrass, Heat, Cold, Wet, Grit, BlackIce}
	Kinds      = []Kind{Easy, Recovery, Middle, Long, Tempo, Threshold, Intervals, Race, Walk, Hike, Gym}
	Surfaces   = []Surface{Road, Trail, Link, Track, GymSurface}
	Classes    = []Class{Daily, MaxCushion, TempoClass, RacePlated, RaceFlat, TrailClass, Ultra, Mud, LinkClass, Spikes, Winter, Minimal,
		CrossTraining}
	Levels     = []Level{NeutralSoft, Neutral, Guidance, Stability, MotionControl}
	AllMeans   = []Means{"none", "side_walls", "wide_base", "dense_inner_side", "shaped_insert"}
	Bands      = []Band{BandUnder, BandNeutral, BandMild, BandMarked, BandSevere}
	Arches     = []Arch{ArchHigh, ArchMedium, ArchLow}
	Strikes    = []Strike{HeelStrike, MidfootStrike, ForefootStrike}
	Socks      = []Sock{"thin", "medium", "thick"}
	Shapes     = []Shape{"tapered", "square", "round"}
	LastShapes = []LastShape{"tapered", "standard", "wide_toe"}
	Volumes    = []Volume{"slim", "medium", "full"}
	Places     = []Place{"toe_tips", "toe_tops", "between_toes", "ball", "arch_plantar", "heel", "achilles", "calf", "shin", "knee_inner",
		"knee_outer", "hip", "top_of_foot", "other"}
	Sources     = []Source{FilmedRun, FilmedWalk, ByEye}
	Certainties = []Certainty{Sure, Fairly, Unsure}
	Schools     = []School{PronationMatched, LeastCorrection, ComfortFirst, NaturalFoot}
	TrailRules  = []TrailRule{PlatformOnly, SameLadder}
)

// Rung gives the level's number on the ladder, 0 to 4, or -1 for an unknown word.
func (l Level) Rung() int { return slices.Index(Levels, l) }

// Index gives the band's place from under (0) to severe (4), or -1.
func (b Band) Index() int { return slices.Index(Bands, b) }
