package api

import "time"

// ScenarioRequest asks what a forecast would be under other drivers and events.
type ScenarioRequest struct {
	Name      string         `json:"name,omitempty"`
	Release   string         `json:"release,omitempty" doc:"the release whose forecast is taken for the base; or a bake-off"`
	Bakeoff   string         `json:"bakeoff,omitempty" doc:"the bake-off whose contender is refitted on all data"`
	Contender string         `json:"contender,omitempty" doc:"of the bake-off; its leader where left out"`
	Horizon   int            `json:"horizon,omitempty" doc:"the release's or bake-off's where left out" minimum:"0" maximum:"10000"`
	Levels    []float64      `json:"levels,omitempty" doc:"80 and 95 where left out"`
	Fill      string         `json:"fill,omitempty" enum:"last,season,mean" doc:"how drivers ahead that nobody gave are filled; where left out they are refused"`
	Cases     []ScenarioCase `json:"cases" minItems:"1" maxItems:"20"`
}

// ScenarioCase is one set of changes, set beside the base and the other cases.
type ScenarioCase struct {
	Name    string          `json:"name,omitempty"`
	Changes []string        `json:"changes,omitempty" doc:"lines, as \"price +10 % from 2026-03-01\", \"price = 3.2 in week 12 where region=North\", \"no promotion in March\", \"event Fair on 2026-04-12\""`
	Values  []ScenarioValue `json:"values,omitempty" doc:"single values, after the lines"`
}

// ScenarioValue is a driver's value in a period.
type ScenarioValue struct {
	Series string  `json:"series,omitempty" doc:"all series where left out"`
	Period string  `json:"period"`
	Driver string  `json:"driver"`
	Value  float64 `json:"value"`
}

// Scenario is a forecast under other drivers and events.
type Scenario struct {
	ID        string          `json:"id" example:"scen-1"`
	Name      string          `json:"name"`
	Dataset   string          `json:"dataset"`
	Release   string          `json:"release,omitempty"`
	Bakeoff   string          `json:"bakeoff"`
	Contender string          `json:"contender"`
	Measure   string          `json:"measure"`
	Horizon   int             `json:"horizon"`
	Levels    []float64       `json:"levels"`
	Fill      string          `json:"fill,omitempty"`
	State     string          `json:"state" enum:"preparing,ready,failed"`
	First     string          `json:"first"`
	Last      string          `json:"last"`
	Job       Job             `json:"job"`
	Created   time.Time       `json:"created"`
	Cases     []ScenarioCase  `json:"cases"`
	Series    int             `json:"series,omitempty" doc:"with a forecast; left out of lists"`
	LeftOut   []LeftOut       `json:"left_out,omitempty"`
	Totals    []ScenarioTotal `json:"totals,omitempty" doc:"over all series and steps: the base first, then each case"`
	Cautions  []string        `json:"cautions"`
}

// ScenarioTotal is the sum over the horizon of the base or a case.
type ScenarioTotal struct {
	Case        string    `json:"case" doc:"base, or the case's name"`
	Total       float64   `json:"total"`
	Low         []float64 `json:"low" doc:"by level"`
	High        []float64 `json:"high"`
	Change      float64   `json:"change" doc:"against the base"`
	ChangeLow   []float64 `json:"change_low"`
	ChangeHigh  []float64 `json:"change_high"`
	ChangeShare *float64  `json:"change_share" doc:"of the base's total"`
	Neighbours  *float64  `json:"neighbours,omitempty" doc:"the part of the change that is of series whose own drivers and events the case leaves as they are: what neighbours lose or gain; left out where that is nothing"`
}

// ScenarioCurve is one series under the base and each case, or the sum of all.
type ScenarioCurve struct {
	Series    string          `json:"series" doc:"empty for the sum over all"`
	Contender string          `json:"contender,omitempty"`
	LeftOut   string          `json:"left_out,omitempty"`
	Levels    []float64       `json:"levels"`
	Periods   []string        `json:"periods"`
	Start     int             `json:"start" doc:"index in periods of the first step"`
	Actual    []*float64      `json:"actual"`
	Cases     []ScenarioLine  `json:"cases" doc:"the base first"`
	Totals    []ScenarioTotal `json:"totals"`
	Keys      []string        `json:"keys,omitempty" doc:"all series of the scenario"`
}

// ScenarioLine is a forecast with its intervals, and its difference from the base with those
// of the same random futures.
type ScenarioLine struct {
	Case       string      `json:"case"`
	Forecast   []float64   `json:"forecast"`
	Low        [][]float64 `json:"low" doc:"by level, then by step"`
	High       [][]float64 `json:"high"`
	Change     []float64   `json:"change"`
	ChangeLow  [][]float64 `json:"change_low"`
	ChangeHigh [][]float64 `json:"change_high"`
}

// DriversAhead is what a release knows of drivers and events past its origin, for one series:
// what a scenario starts from.
type DriversAhead struct {
	Series  string        `json:"series"`
	Periods []string      `json:"periods"`
	Drivers []DriverAhead `json:"drivers"`
	Events  []EventAhead  `json:"events"`
	Keys    []string      `json:"keys"`
}

// DriverAhead is one driver with the range that training saw.
type DriverAhead struct {
	Name   string     `json:"name"`
	Values []*float64 `json:"values"`
	Low    *float64   `json:"low"`
	High   *float64   `json:"high"`
}

// EventAhead is an event in the periods ahead.
type EventAhead struct {
	Name    string   `json:"name"`
	Periods []string `json:"periods"`
}
