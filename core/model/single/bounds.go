package single

import (
	"math"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
)

// Bounds keep a forecast to what a measure can be.
type Bounds struct {
	Lowest *float64
	Whole  bool
	Bare   bool // intervals are not widened by inner windows: the caller does that
	// KeepDays leaves what the calendar's days do in the series.
	KeepDays bool
}

// UsualSettings are the settings of families that may be fitted to what the calendar's days leave.
func UsualSettings() []model.Setting {
	return append([]model.Setting{{Name: "days", Kind: model.Switch, Default: true,
		Meaning: "what days of the month, days and weeks of the year, or the weekdays of which a month consists do is taken out and put back " +
			"where all series together show it"}},
		BoundSettings()...)
}

// BoundSettings are the settings that every family of single series has.
func BoundSettings() []model.Setting {
	return []model.Setting{
		{Name: "lowest", Kind: model.Amount, Meaning: "no forecast or interval lies below", Auto: "the dataset's floor, where it has one"},
		{Name: "whole", Kind: model.Switch, Default: false, Meaning: "interval ends are whole numbers"},
	}
}

// BoundsOf reads them.
func BoundsOf(v model.Values) (b Bounds) {
	if low, ok := v["lowest"].(float64); ok {
		b.Lowest = &low
	}
	b.Whole, _ = v["whole"].(bool)
	days, set := v["days"].(bool)
	b.KeepDays = set && !days
	return b
}

// Keep holds a forecast to the bounds.
func (b Bounds) Keep(out forecast.Rows) {
	if b.Whole {
		for i, q := range out.Quantiles {
			out.Quantiles[i] = math.Round(q)
		}
	}
	if b.Lowest != nil {
		out.Clip(*b.Lowest)
	}
}

// Clip holds values to the bounds.
func (b Bounds) Clip(x []float64) {
	for i, v := range x {
		if b.Whole {
			v = math.Round(v)
		}
		if b.Lowest != nil {
			v = math.Max(v, *b.Lowest)
		}
		x[i] = v
	}
}
