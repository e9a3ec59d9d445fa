package baseline

import (
	"errors"
	"fmt"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
)

const reference = "Hyndman and Athanasopoulos, Forecasting: Principles and Practice, 3rd ed. 2021, section 5.2"

var one = 1.0

const longest = 100_000

func lengthSetting(meaning, auto string) model.Setting {
	top := float64(longest)
	return model.Setting{Name: "length", Kind: model.Whole, Min: &one, Max: &top, Meaning: meaning, Auto: auto}
}

// Families are the baselines.
func Families() model.Catalogue {
	top := float64(longest)
	list := model.Catalogue{
		{Name: "naive", Summary: "Repeats the last known value."},
		{Name: "seasonal-naive", Summary: "Repeats the last known value of the same place in the season.",
			Settings: []model.Setting{{Name: "season", Kind: model.Whole, Min: &one, Max: &top, Meaning: "periods in a season",
				Auto: "a season that the series shows, or the shortest of the cadence: 24 for hours, 7 for days, 52 for weeks, 12 for months, 4 for quarters"}}},
		{Name: "drift", Summary: "Continues the straight line from the first to the last known value."},
		{Name: "mean", Summary: "Repeats the mean of all known values."},
		{Name: "moving-average", Summary: "Repeats the mean of the last few periods.",
			Settings: []model.Setting{lengthSetting("periods averaged", "one shortest season of the cadence, or 4 where it has none")}},
		{Name: "calendar-mean", Summary: "Repeats the mean of the same weekday, month or time of day over the last periods.",
			Settings: calendarSettings("periods averaged over")},
		{Name: "calendar-median", Summary: "Repeats the median of the same weekday, month or time of day over the last periods, whatever a few " +
			"odd ones were.", Settings: calendarSettings("periods that the median is of")},
	}
	for i := range list {
		name := list[i].Name
		list[i].Reference = reference
		list[i].New = func(v model.Values) (model.Model, error) {
			return model.PerSeries(seriesModel{spec{
				Family: name, Length: v.Int("season", v.Int("length", 0)), By: calendar.Position(v.Text("by", "")),
			}}), nil
		}
		list[i].Fits = func(v model.Values, c calendar.Cadence) error {
			_, err := newRule(spec{Family: name, Cadence: c, Length: 1, By: calendar.Position(v.Text("by", ""))})
			return err
		}
		list[i].Quick = true
		list[i].Read = func(p model.Parts) (model.Trained, error) { return model.ReadPerSeries(p, readFit) }
	}
	return list
}

func calendarSettings(meaning string) []model.Setting {
	return []model.Setting{
		lengthSetting(meaning, "four weeks of days or shorter, three years of weeks, months or quarters"),
		{Name: "by", Kind: model.Choice, Meaning: "which periods are alike",
			Auto:    "time of day below a day, weekday for days, month for weeks and months, quarter for quarters",
			Choices: []string{string(calendar.ByTimeOfDay), string(calendar.ByWeekday), string(calendar.ByMonth), string(calendar.ByQuarter)}},
	}
}

// newRule makes the rule of a spec, with the defaults that hang on the cadence.
func newRule(sp spec) (rule, error) {
	season := sp.Cadence.Season()
	switch sp.Family {
	case "naive":
		return &lastValue{}, nil
	case "seasonal-naive":
		return newLastSeason(orElse(sp.Length, season)), nil
	case "drift":
		return &straight{}, nil
	case "mean":
		return &average{steady: season}, nil
	case "moving-average":
		if season == 1 {
			season = 4
		}
		return newRecent(orElse(sp.Length, season)), nil
	case "calendar-mean", "calendar-median":
		return sameInCalendar(sp)
	}
	return nil, fmt.Errorf("no baseline is called %q", sp.Family)
}

func sameInCalendar(sp spec) (rule, error) {
	if sp.By == "" {
		by, err := sp.Cadence.DefaultPosition()
		if err != nil {
			return nil, errors.New(err.Error() + ": use moving-average")
		}
		sp.By = by
	}
	sp.Length = orElse(sp.Length, usualLength(sp.Cadence))
	r, err := newSamePlace(sp)
	if err != nil {
		return nil, err
	}
	return r, nil
}

// usualLength is four weeks for days and finer, three years for coarser cadences.
func usualLength(c calendar.Cadence) int {
	switch c.Unit {
	case calendar.Day:
		return 28
	case calendar.Quarterhour, calendar.Halfhour, calendar.Hour:
		return 28 * c.Season()
	}
	return 3 * c.Season()
}

func orElse(v, fallback int) int {
	if v > 0 {
		return v
	}
	return fallback
}
