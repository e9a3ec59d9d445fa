package api

import (
	"time"
)

// Dataset is a named set of series, as of a revision.
type Dataset struct {
	Name       string      `json:"name"`
	Revision   int         `json:"revision"`
	Hash       string      `json:"hash" doc:"SHA-256 of the revision's content"`
	Cadence    string      `json:"cadence" example:"day"`
	Season     int         `json:"season" doc:"the cadence's shortest season, in periods"`
	Measure    string      `json:"measure"`
	Attributes []Attribute `json:"attributes"`
	Drivers    []Driver    `json:"drivers"`
	Events     int         `json:"events"`
	Floor      *float64    `json:"floor,omitempty" doc:"values can't lie below it"`
	Gaps       string      `json:"gaps" enum:"unknown,zero,carry,interpolate,closed"`
	Closed     []string    `json:"closed,omitempty" doc:"lines that say which periods are known not to happen"`
	Series     int         `json:"series"`
	Periods    int         `json:"periods"`
	Values     int         `json:"values" doc:"known values"`
	First      string      `json:"first" doc:"first period"`
	Last       string      `json:"last" doc:"last period"`
	Loaded     time.Time   `json:"loaded"`
	Revisions  []Revision  `json:"revisions,omitempty"`
	Bakeoffs   int         `json:"bakeoffs,omitempty" doc:"that stand on it; left out of lists"`
	Releases   int         `json:"releases,omitempty" doc:"that stand on it; left out of lists"`
}

// Attribute is a column that names the series.
type Attribute struct {
	Name   string   `json:"name"`
	Values []string `json:"values,omitempty" doc:"left out of lists"`
	Count  int      `json:"count"`
}

// Driver is an explanatory column.
type Driver struct {
	Name       string `json:"name"`
	KnownAhead bool   `json:"known_ahead"`
	Attached   bool   `json:"attached" doc:"it came from a table of its own"`
}

// Revision is one load of a dataset.
type Revision struct {
	Number  int       `json:"number"`
	Hash    string    `json:"hash"`
	Source  string    `json:"source"`
	Rows    int       `json:"rows"`
	Series  int       `json:"series"`
	Loaded  time.Time `json:"loaded"`
	Changes Changes   `json:"changes"`
}

// Changes says what a load did to the revision before it.
type Changes struct {
	NewSeries     int        `json:"new_series"`
	NewPeriods    int        `json:"new_periods"`
	NewValues     int        `json:"new_values"`
	RestatedCount int        `json:"restated_count"`
	Restated      []Restated `json:"restated,omitempty" doc:"the first hundred"`
}

// Restated is a value that a load replaced.
type Restated struct {
	Series string  `json:"series"`
	Period string  `json:"period"`
	Old    float64 `json:"old"`
	New    float64 `json:"new"`
}

// Loaded answers a load.
type Loaded struct {
	Dataset  Dataset  `json:"dataset"`
	Rows     int      `json:"rows"`
	Changes  Changes  `json:"changes"`
	Form     string   `json:"form" doc:"how the file was read"`
	AsBefore []string `json:"as_before,omitempty" doc:"what was taken from how the dataset was loaded before"`
	Cautions []string `json:"cautions,omitempty"`
}

// Difference is what tells two revisions of a dataset apart.
type Difference struct {
	Dataset string   `json:"dataset"`
	From    int      `json:"from"`
	To      int      `json:"to"`
	Changes          // from the one to the other
	Gone    int      `json:"gone_values" doc:"known values that are not there any more"`
	Lost    int      `json:"gone_series" doc:"series that are not there any more"`
	Added   []string `json:"added,omitempty" doc:"the first hundred new series"`
	Removed []string `json:"removed,omitempty" doc:"the first hundred series that are gone"`
}

// Arrived answers a load of actuals.
type Arrived struct {
	Loaded
	Release string     `json:"release,omitempty" doc:"the live release that was scored, if there is one"`
	Score   *LiveScore `json:"score,omitempty"`
	Flags   int        `json:"flags" doc:"open flags of that release"`
}

// Attached answers an attachment of drivers.
type Attached struct {
	Dataset  Dataset          `json:"dataset"`
	Drivers  []AttachedDriver `json:"drivers"`
	Form     string           `json:"form"`
	Cautions []string         `json:"cautions,omitempty"`
}

// AttachedDriver reports how one driver matched.
type AttachedDriver struct {
	Driver
	Matched   int      `json:"matched" doc:"series that found values"`
	Unmatched int      `json:"unmatched" doc:"series that found none"`
	Missing   []string `json:"missing,omitempty" doc:"the first few of them"`
	Covered   float64  `json:"covered" doc:"share of the matched series' periods with a value"`
	AheadFrom int      `json:"ahead_from" doc:"the fewest periods past the dataset's end that a matched series has a value for"`
	AheadTo   int      `json:"ahead_to" doc:"the most"`
	Unused    []string `json:"unused,omitempty" doc:"the first few keys of the table that no series has"`
	UnusedAll int      `json:"unused_count"`
}

// Inspected says how a file would be read, without loading it.
type Inspected struct {
	Form     string            `json:"form" doc:"how the file is written, in words"`
	Columns  []InspectedColumn `json:"columns"`
	Proposal LoadColumns       `json:"proposal" doc:"what was given, completed with what was found"`
	Rows     int               `json:"rows" doc:"rows read; 0 where the columns' parts are not settled yet"`
	Dataset  *Dataset          `json:"dataset,omitempty" doc:"what a load would give"`
	First    []InspectedRow    `json:"first,omitempty" doc:"the first values as understood"`
	Changes  *Changes          `json:"changes,omitempty" doc:"what a load would do to the dataset that was named"`
	AsBefore []string          `json:"as_before,omitempty" doc:"what would be taken from how that dataset was loaded before"`
	Checks   []Check           `json:"checks,omitempty"`
	Cautions []string          `json:"cautions,omitempty"`
	Readings []Reading         `json:"readings,omitempty" doc:"ways to read it between which an option chooses"`
	Problem  string            `json:"problem,omitempty" doc:"why a load would be refused"`
	Faults   []ProblemField    `json:"faults,omitempty"`
}

// Reading is a way to read a file, by the option that chooses it.
type Reading struct {
	Option string `json:"option" enum:"date_order,label,cadence,decimal"`
	Value  string `json:"value"`
	Text   string `json:"text" doc:"what it comes to"`
}

// InspectedColumn is a column with what it seems to hold.
type InspectedColumn struct {
	Name    string   `json:"name"`
	Kind    string   `json:"kind" enum:"time,number,text,empty"`
	Part    string   `json:"part" enum:"time,measure,attribute,driver,left out"`
	Samples []string `json:"samples"`
}

// InspectedRow is one value as understood.
type InspectedRow struct {
	Series string   `json:"series"`
	Period string   `json:"period"`
	Value  *float64 `json:"value"`
}

// SeriesRow is a series in a list.
type SeriesRow struct {
	Key    string            `json:"key"`
	Labels map[string]string `json:"labels"`
	First  string            `json:"first"`
	Last   string            `json:"last"`
	Known  int               `json:"known"`
	Mean   *float64          `json:"mean"`
	Zeros  *float64          `json:"zeros" doc:"share of known values that are zero"`
	Trend  *float64          `json:"trend,omitempty" doc:"strength of the trend, 0 to 1"`
	Season *float64          `json:"season,omitempty" doc:"strength of the season, 0 to 1"`
	Demand string            `json:"demand,omitempty" enum:"smooth,erratic,intermittent,lumpy"`
	Marks  []string          `json:"marks,omitempty" doc:"what the checks say of it, the worst first"`
	Weight *float64          `json:"weight,omitempty" doc:"its share of the listed series' weight"`
	Trace  []*float64        `json:"trace" doc:"the series in at most 48 means, for a small picture"`
}

// SeriesList is a page of series with counts to filter further.
type SeriesList struct {
	Page[SeriesRow]
	Facets  []Facet `json:"facets" doc:"counts of each attribute's values among what the other conditions keep"`
	Checked bool    `json:"checked" doc:"false while the checks of a large dataset still run: their columns are then left out"`
}

// Facet counts the values of one attribute.
type Facet struct {
	Attribute string       `json:"attribute"`
	Values    []FacetValue `json:"values"`
}

// FacetValue is one value with its number of series.
type FacetValue struct {
	Value string `json:"value"`
	Count int    `json:"count"`
}

// SeriesValues is one series in full.
type SeriesValues struct {
	Key     string         `json:"key"`
	Start   int            `json:"start" doc:"place of its first period on the dataset's axis"`
	Periods []string       `json:"periods"`
	Ahead   []string       `json:"ahead" doc:"later periods of which a driver or an event is known"`
	Values  []*float64     `json:"values"`
	Drivers []DriverValues `json:"drivers,omitempty"`
	Events  []SeriesEvent  `json:"events,omitempty" doc:"what touches these periods"`
	Facts   []Fact         `json:"facts"`
}

// Spread is the distribution over many series at each period.
type Spread struct {
	Series  int          `json:"series"`
	Scaled  bool         `json:"scaled" doc:"each series was divided by its mean"`
	Periods []string     `json:"periods"`
	Known   []int        `json:"known" doc:"series with a value"`
	Lines   []SpreadLine `json:"lines"`
}

// SpreadLine is the value below which a share of the series lies.
type SpreadLine struct {
	Share  float64    `json:"share"`
	Values []*float64 `json:"values"`
}

// SeriesProfile shows the seasons of one series.
type SeriesProfile struct {
	Key             string     `json:"key"`
	Cycles          []Cycle    `json:"cycles"`
	Autocorrelation []*float64 `json:"autocorrelation" doc:"from lag 1 on"`
	Bound           float64    `json:"bound" doc:"95 % of the autocorrelations of white noise lie within it"`
}

// Cycle is a seasonal profile.
type Cycle struct {
	By     string  `json:"by" enum:"time-of-day,weekday,month,quarter"`
	Places []Place `json:"places"`
}

// Place is one place of a cycle.
type Place struct {
	Name  string   `json:"name"`
	Mean  *float64 `json:"mean"`
	Low   *float64 `json:"low" doc:"a quarter of the values lies below"`
	High  *float64 `json:"high" doc:"a quarter of the values lies above"`
	Known int      `json:"known"`
}

// DriverValues is a driver beside a series; it may reach past the last period.
type DriverValues struct {
	Driver
	Periods []string   `json:"periods"`
	Values  []*float64 `json:"values"`
}

// Fact is a number worth knowing.
type Fact struct {
	Name  string  `json:"name"`
	Value float64 `json:"value"`
}

// Check is something in a dataset that deserves a look.
type Check struct {
	Kind    string   `json:"kind"`
	Grade   string   `json:"grade" enum:"serious,notable,minor"`
	Series  int      `json:"series" doc:"how many series it concerns"`
	Meaning string   `json:"meaning" doc:"why it matters and what can be done"`
	Example []string `json:"example" doc:"the first few series"`
}

// ClosedLines say which periods of a dataset are known not to happen.
type ClosedLines struct {
	Lines []string `json:"lines" maxItems:"50" doc:"each a weekday (sunday), months (november to march), event NAME, driver NAME=0, or gaps; none to lift them all"`
}

// ClosedReport is what the lines come to.
type ClosedReport struct {
	Dataset Dataset      `json:"dataset"`
	Lines   []ClosedLine `json:"lines"`
}

// ClosedLine is one, with the number of series for which it holds.
type ClosedLine struct {
	Line   string `json:"line"`
	Series int    `json:"series" doc:"those that hardly ever sold anything in its periods"`
	Of     int    `json:"of"`
}
