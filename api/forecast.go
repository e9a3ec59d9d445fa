package api

// ForecastAsk says what is to be forecast of a table; the table's columns are found where they are
// left out.
type ForecastAsk struct {
	Horizon int       `query:"horizon" default:"12" minimum:"1" maximum:"1000" doc:"periods to forecast"`
	Levels  []float64 `query:"level" doc:"of the intervals, in per cent: 80,95 where left out"`
	Family  string    `query:"family" doc:"a family of the catalogue, with its settings as they come; pretrained where left out"`
	History int       `query:"history" minimum:"0" maximum:"10000" doc:"how many of the last values to give back too"`
	Flag    bool      `query:"flag" doc:"also say which of the last values lie outside the interval of one step ahead of them, at the highest level"`
}

// Forecast is a table's forecast; nothing of it is kept.
type Forecast struct {
	Family   string           `json:"family"`
	Time     string           `json:"time,omitempty" doc:"column that the periods were read from"`
	Measure  string           `json:"measure"`
	Cadence  string           `json:"cadence"`
	Rows     int              `json:"rows" doc:"rows read"`
	First    string           `json:"first"`
	Origin   string           `json:"origin" doc:"last period that was known"`
	Levels   []float64        `json:"levels"`
	Periods  []string         `json:"periods" doc:"of the steps"`
	Past     []string         `json:"past,omitempty" doc:"periods of the last values, where they are asked for"`
	Series   []ForecastSeries `json:"series"`
	Tried    int              `json:"tried,omitempty" doc:"past values that were held against an interval of one step ahead"`
	Flags    []ForecastFlag   `json:"flags,omitempty" doc:"those that lie outside, in the order of their periods"`
	Cautions []string         `json:"cautions,omitempty"`
}

// ForecastSeries is one series' forecast; Low and High have a list a level.
type ForecastSeries struct {
	Series   string      `json:"series"`
	LeftOut  string      `json:"left_out,omitempty" doc:"why it has no forecast"`
	Actual   []*float64  `json:"actual,omitempty" doc:"of the past periods; null where unknown"`
	Forecast []float64   `json:"forecast,omitempty"`
	Low      [][]float64 `json:"low,omitempty"`
	High     [][]float64 `json:"high,omitempty"`
}

// ForecastFlag is a past value outside the interval of one step ahead of it.
type ForecastFlag struct {
	Series   string  `json:"series"`
	Period   string  `json:"period"`
	Actual   float64 `json:"actual"`
	Forecast float64 `json:"forecast" doc:"the median"`
	Low      float64 `json:"low"`
	High     float64 `json:"high"`
	Severity float64 `json:"severity" doc:"how far out, signed: the interval's end is at the normal quantile of the level (1.96 at 95 %)"`
}
