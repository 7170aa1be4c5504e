package load

import (
	"strings"

	"trevik/internal/app"
	"trevik/internal/core/shoe"
	"trevik/internal/core/term"
	"trevik/internal/store/db"
)

// Model is a row of the catalogue as a model, without its sizes and stock.
func Model(r db.Model, currency string) shoe.Model {
	m := shoe.Model{
		ID: r.Code, Maker: r.Maker, Name: r.Name, Version: int(r.Version), Year: int(r.Year), Replaces: r.ReplacesCode, Change: r.ChangeKind,
		Chart: term.Chart(r.Chart), Surface: term.Surface(r.Surface), Class: term.Class(r.Class), Level: term.Level(r.Level),
		StackHeelMM: r.StackHeelMm, StackForefootMM: r.StackForefootMm, StackMeasuredFrom: r.StackMeasuredBy, WeightG: r.WeightG,
		Softness: r.Softness, Bounce: r.Bounce, Plate: r.Plate, Rocker: int(r.Rocker), HeelBevel: r.HeelBevel, Flexibility: r.Flexibility,
		LastShape: term.LastShape(r.LastShape), Volume: term.Volume(r.Volume), InnerOffsetMM: r.InnerOffsetMm, LugDepthMM: r.LugDepthMm,
		LugSpacing: r.LugSpacing, RubberSoftness: r.RubberSoftness, MetalTips: r.MetalTips, RockPlate: r.RockPlate, ToeBumper: r.ToeBumper,
		Liner: r.Liner, Upper: r.UpperKind, UpperFirmness: r.UpperFirmness, HeelCounter: r.HeelCounter, MedianLifeKM: app.FloatOf(r.MedianLifeKm),
		ListPrice: r.ListPrice, Currency: currency, Purpose: r.Purpose, Notes: r.Notes,
	}
	for _, s := range strings.Split(r.SupportBy, ",") {
		m.SupportBy = append(m.SupportBy, term.Means(s))
	}
	if r.SalePrice.Valid {
		m.SalePrice = &r.SalePrice.Int64
	}
	if r.LabelUsOverUk.Valid {
		m.LabelChart = &shoe.LabelChart{USOverUK: r.LabelUsOverUk.Float64, EUShift: r.LabelEuShift.Float64}
	}
	return m
}
