package api

import (
	"time"
)

// PublishRequest asks for a release.
type PublishRequest struct {
	Bakeoff   string    `json:"bakeoff"`
	Contender string    `json:"contender,omitempty" doc:"a contender's name, best (the default) or best-per-series"`
	Horizon   int       `json:"horizon,omitempty" doc:"the bake-off's where left out" minimum:"0" maximum:"10000"`
	Levels    []float64 `json:"levels,omitempty" doc:"80 and 95 where left out"`
	Consent   []Consent `json:"consent,omitempty" enum:"longer-horizon,fewer-series" doc:"what is agreed to, of what the preview asks for"`
}

// Consent is a word that lets a release go live in spite of something.
type Consent string

// The words of consent.
const (
	LongerHorizon Consent = "longer-horizon" // than was assessed
	FewerSeries   Consent = "fewer-series"   // than the live release has
)

// Preview says what publishing would give, without doing it.
type Preview struct {
	Dataset   string     `json:"dataset"`
	Revision  int        `json:"revision" doc:"the newest, which it would be trained on"`
	Contender string     `json:"contender"`
	Horizon   int        `json:"horizon"`
	Origin    string     `json:"origin" doc:"the last period it would be trained on"`
	First     string     `json:"first"`
	Last      string     `json:"last"`
	Series    int        `json:"series" doc:"series with enough history for a forecast"`
	Replaces  string     `json:"replaces,omitempty" doc:"the live release"`
	Asks      []Question `json:"asks" doc:"what it would need consent for"`
	Cautions  []string   `json:"cautions,omitempty"`
}

// Question is something that needs a word of consent.
type Question struct {
	Consent Consent `json:"consent" enum:"longer-horizon,fewer-series"`
	Why     string  `json:"why"`
}

// Withdrawn answers a withdrawal.
type Withdrawn struct {
	Release
	Back string `json:"back,omitempty" doc:"the release that is live again"`
}

// Release is a published interval forecast.
type Release struct {
	ID            string     `json:"id" example:"rel-2"`
	Dataset       string     `json:"dataset"`
	Revision      int        `json:"revision"`
	Bakeoff       string     `json:"bakeoff"`
	Contender     string     `json:"contender"`
	Horizon       int        `json:"horizon"`
	Levels        []float64  `json:"levels"`
	State         string     `json:"state" enum:"preparing,held,live,superseded,withdrawn,failed"`
	Held          string     `json:"held,omitempty" doc:"why it is ready but not live"`
	Origin        string     `json:"origin" doc:"the last period it was trained on"`
	First         string     `json:"first"`
	Last          string     `json:"last"`
	Cadence       string     `json:"cadence"`
	Measure       string     `json:"measure"`
	Job           Job        `json:"job"`
	Created       time.Time  `json:"created"`
	Score         *LiveScore `json:"score,omitempty" doc:"how it has done on the actuals since"`
	ClosedPeriods int        `json:"closed_periods,omitempty" doc:"forecast periods, of all series, on which nothing happens"`
	OpenFlags     int        `json:"open_flags"`
	Series        int        `json:"series,omitempty" doc:"series with a forecast; left out of lists"`
	LeftOut       []LeftOut  `json:"left_out,omitempty"`
	Used          []Used     `json:"used,omitempty" doc:"how many series each contender forecasts"`
	Cautions      []string   `json:"cautions,omitempty"`
}

// LeftOut is a series without a forecast.
type LeftOut struct {
	Series string `json:"series"`
	Reason string `json:"reason"`
}

// Used counts a contender's series in a release.
type Used struct {
	Contender string `json:"contender"`
	Series    int    `json:"series"`
}

// LiveScore is how a release has done on the actuals since.
type LiveScore struct {
	Points  int                 `json:"points"`
	Outside int                 `json:"outside"`
	Level   float64             `json:"level" doc:"of the interval that flags"`
	Through string              `json:"through,omitempty" doc:"the last period with an actual"`
	Metrics map[string]*float64 `json:"metrics"`
	Skill   *float64            `json:"skill,omitempty" doc:"1 - MASE / that of a seasonal naive forecast from the same origin"`
}

// ReleaseCurve is one series of a release with its history.
type ReleaseCurve struct {
	Series    string      `json:"series"`
	Contender string      `json:"contender,omitempty"`
	LeftOut   string      `json:"left_out,omitempty"`
	Levels    []float64   `json:"levels"`
	Periods   []string    `json:"periods"`
	Actual    []*float64  `json:"actual" doc:"with the actuals that arrived since"`
	Start     int         `json:"start" doc:"index in periods of the first step"`
	Forecast  []float64   `json:"forecast"`
	Low       [][]float64 `json:"low"`
	High      [][]float64 `json:"high"`
	Closed    []int       `json:"closed,omitempty" doc:"steps, counted from 0, on which nothing happens: the forecast is 0 and no forecast"`
	Flags     []Flag      `json:"flags"`
	Fit       *Fit        `json:"fit,omitempty" doc:"how the forecast was made, where it is asked for"`
	Keys      []string    `json:"keys,omitempty" doc:"all series of the release"`
}

// ReleaseTotals are sums of a release.
type ReleaseTotals struct {
	By     string         `json:"by,omitempty" doc:"the attribute whose values make the groups"`
	Levels []float64      `json:"levels"`
	First  string         `json:"first"`
	Last   string         `json:"last"`
	Ties   Ties           `json:"ties" doc:"how far past errors went together, by which the intervals of sums are made wide"`
	Groups []ReleaseTotal `json:"groups" doc:"the largest first"`
}

// Ties are correlations of forecast errors in the bake-off's windows, among series of a group.
type Ties struct {
	Series  float64 `json:"series" doc:"of different series at one step"`
	Steps   float64 `json:"steps" doc:"of one series at different steps"`
	Across  float64 `json:"across" doc:"of different series at different steps"`
	Windows int     `json:"windows" doc:"that told"`
}

// ReleaseTotal is the sum of a group's forecasts.
type ReleaseTotal struct {
	Group   string       `json:"group" doc:"a value of the attribute, or all"`
	Series  int          `json:"series" doc:"series with a forecast"`
	LeftOut int          `json:"left_out,omitempty" doc:"series without one, which the sum lacks"`
	Total   float64      `json:"total" doc:"over all steps"`
	Low     []float64    `json:"low" doc:"of the total, a level each"`
	High    []float64    `json:"high"`
	Actual  *float64     `json:"actual" doc:"over all steps, once the actuals of every series and step have arrived"`
	Curve   ReleaseCurve `json:"curve" doc:"the sum step by step, with its history: what is known of the series then; after the origin a sum is known where all its series are"`
}

// Flag is an actual outside a release's interval.
type Flag struct {
	ID        string     `json:"id" example:"flag-12"`
	Release   string     `json:"release"`
	Dataset   string     `json:"dataset"`
	Series    string     `json:"series"`
	Period    string     `json:"period"`
	Step      int        `json:"step"`
	Actual    float64    `json:"actual"`
	Forecast  float64    `json:"forecast"`
	Low       float64    `json:"low"`
	High      float64    `json:"high"`
	Level     float64    `json:"level"`
	Severity  float64    `json:"severity" doc:"how far out, signed: the interval's end is at the normal quantile of the level (1.96 at 95 %)"`
	State     string     `json:"state" enum:"open,settled,restated"`
	SettledAs string     `json:"settled_as,omitempty" enum:"expected,data-error,real-change,chance,"`
	Note      string     `json:"note,omitempty"`
	SettledBy string     `json:"settled_by,omitempty"`
	Settled   *time.Time `json:"settled,omitempty"`
}

// SettleManyRequest says of several flags what they were.
type SettleManyRequest struct {
	Flags []string `json:"flags" minItems:"1" maxItems:"10000" doc:"their IDs"`
	SettleRequest
}

// SettleRequest says what a flag was.
type SettleRequest struct {
	As   string `json:"as" enum:"expected,data-error,real-change,chance"`
	Note string `json:"note,omitempty" maxLength:"2000"`
}
