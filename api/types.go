package api

import "time"

// Page is a part of a list. Cursor is empty on the last page.
type Page[T any] struct {
	Items  []T    `json:"items"`
	Cursor string `json:"cursor,omitempty" doc:"give it back to read the next page"`
	Total  int    `json:"total"`
}

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
	Floor      *float64    `json:"floor,omitempty" doc:"values can't lie below it"`
	Gaps       string      `json:"gaps" enum:"unknown,zero,carry,interpolate"`
	Series     int         `json:"series"`
	Periods    int         `json:"periods"`
	Values     int         `json:"values" doc:"known values"`
	First      string      `json:"first" doc:"first period"`
	Last       string      `json:"last" doc:"last period"`
	Loaded     time.Time   `json:"loaded"`
	Revisions  []Revision  `json:"revisions,omitempty"`
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
	Cautions []string `json:"cautions,omitempty"`
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

// LoadColumns says how a file is written, which column is what, and how rows become
// a panel. What is left out is found from the file where it can be.
type LoadColumns struct {
	Time       string   `query:"time" json:"time,omitempty" doc:"column of the period"`
	Measure    string   `query:"measure" json:"measure,omitempty" doc:"column to forecast; several, apart by commas, each become series of their own; in a wide table the name of the values"`
	By         []string `query:"by" json:"by,omitempty" doc:"columns that name the series"`
	Drivers    []string `query:"driver" json:"drivers,omitempty" doc:"explanatory columns"`
	KnownAhead []string `query:"known_ahead" json:"known_ahead,omitempty" doc:"drivers whose future is known"`
	Wide       bool     `query:"wide" json:"wide,omitempty" doc:"the table has a column a period"`
	Cadence    string   `query:"cadence" json:"cadence,omitempty" doc:"found from the times where left out"`
	DateOrder  string   `query:"date_order" json:"date_order,omitempty" doc:"day-first or month-first, where dates fit both"`
	Label      string   `query:"label" json:"label,omitempty" doc:"start or end: what a time names of its period"`
	Zone       string   `query:"zone" json:"zone,omitempty" doc:"where instants with an offset go: UTC or an area's name"`
	Aggregate  string   `query:"aggregate" json:"aggregate,omitempty" doc:"to the given cadence: sum, mean, last, max or min"`
	Duplicates string   `query:"duplicates" json:"duplicates,omitempty" doc:"rows with the same series and period: refuse, sum, mean, last, max or min"`
	KeepPart   bool     `query:"keep_part" json:"keep_part,omitempty" doc:"keep a last aggregated period that is only partly over"`
	Gaps       string   `query:"gaps" json:"gaps,omitempty" doc:"what a period without a row means: unknown, zero, carry or interpolate"`
	Floor      string   `query:"floor" json:"floor,omitempty" doc:"a number below which values can't lie; forecasts keep to it"`
	Where      []string `query:"where,explode" json:"where,omitempty" doc:"column=value: keep rows with it; several narrow further"`
	From       string   `query:"from" json:"from,omitempty" doc:"leave out earlier periods"`
	To         string   `query:"to" json:"to,omitempty" doc:"leave out later periods"`
	Format     string   `query:"format" json:"format,omitempty" doc:"csv, jsonl, xlsx or parquet; gzip and zstd are undone"`
	Encoding   string   `query:"encoding" json:"encoding,omitempty" doc:"utf-8, utf-16 or latin-1"`
	Delimiter  string   `query:"delimiter" json:"delimiter,omitempty" doc:"comma, semicolon, tab or pipe"`
	Decimal    string   `query:"decimal" json:"decimal,omitempty" doc:"point or comma"`
	Sheet      string   `query:"sheet" json:"sheet,omitempty" doc:"of a workbook; the first where left out"`
	HeaderRow  int      `query:"header_row" json:"header_row,omitempty" doc:"of a workbook, counted from 1" minimum:"0"`
	File       string   `query:"file" json:"file,omitempty" doc:"the file's name, for messages"`
}

// Inspected says how a file would be read, without loading it.
type Inspected struct {
	Form     string            `json:"form" doc:"how the file is written, in words"`
	Columns  []InspectedColumn `json:"columns"`
	Proposal LoadColumns       `json:"proposal" doc:"what was given, completed with what was found"`
	Rows     int               `json:"rows" doc:"rows read; 0 where the columns' parts are not settled yet"`
	Dataset  *Dataset          `json:"dataset,omitempty" doc:"what a load would give"`
	First    []InspectedRow    `json:"first,omitempty" doc:"the first values as understood"`
	Checks   []Check           `json:"checks,omitempty"`
	Cautions []string          `json:"cautions,omitempty"`
	Problem  string            `json:"problem,omitempty" doc:"why a load would be refused"`
	Faults   []ProblemField    `json:"faults,omitempty"`
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
	Trace  []*float64        `json:"trace" doc:"the series in at most 48 means, for a small picture"`
}

// SeriesList is a page of series with the counts of each attribute's values among
// all that the filter keeps.
type SeriesList struct {
	Page[SeriesRow]
	Facets []Facet `json:"facets"`
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
	Periods []string       `json:"periods"`
	Values  []*float64     `json:"values"`
	Drivers []DriverValues `json:"drivers,omitempty"`
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

// Family is a model family of the catalogue.
type Family struct {
	Name         string    `json:"name"`
	Summary      string    `json:"summary"`
	Reference    string    `json:"reference"`
	AcrossSeries bool      `json:"across_series" doc:"one fit learns from all series"`
	Settings     []Setting `json:"settings"`
}

// Setting is one knob of a family.
type Setting struct {
	Name    string   `json:"name"`
	Kind    string   `json:"kind" enum:"whole,amount,choice,switch"`
	Meaning string   `json:"meaning"`
	Default any      `json:"default,omitempty"`
	Auto    string   `json:"auto,omitempty" doc:"how the default is found from the data"`
	Min     *float64 `json:"min,omitempty"`
	Max     *float64 `json:"max,omitempty"`
	Choices []string `json:"choices,omitempty"`
}

// Plan says what a bake-off compares and how.
type Plan struct {
	Name       string            `json:"name,omitempty" yaml:"name,omitempty"`
	Dataset    string            `json:"dataset" yaml:"dataset"`
	Revision   int               `json:"revision,omitempty" yaml:"revision,omitempty" doc:"0 for the latest" minimum:"0"`
	Where      map[string]string `json:"where,omitempty" yaml:"where,omitempty" doc:"keep series with these attribute values"`
	Horizon    int               `json:"horizon" yaml:"horizon" minimum:"1" maximum:"100000"`
	Windows    int               `json:"windows,omitempty" yaml:"windows,omitempty" doc:"1, the default, is a holdout" minimum:"0" maximum:"100000"`
	Stride     int               `json:"stride,omitempty" yaml:"stride,omitempty" doc:"periods between origins; the horizon where left out" minimum:"0" maximum:"1000000"`
	History    string            `json:"history,omitempty" yaml:"history,omitempty" doc:"expanding, or sliding:N for the last N periods"`
	Contenders []Contender       `json:"contenders" yaml:"contenders"`
	Baseline   string            `json:"baseline,omitempty" yaml:"baseline,omitempty" doc:"the contender that skill is measured against; a naive where left out"`
	Metric     string            `json:"metric,omitempty" yaml:"metric,omitempty" doc:"the metric that ranks; mase where left out"`
	Levels     []float64         `json:"levels,omitempty" yaml:"levels,omitempty,flow" doc:"interval levels in per cent; 80 and 95 where left out"`
	ScaleLag   int               `json:"scale_lag,omitempty" yaml:"scale_lag,omitempty" doc:"lag of MASE and RMSSE; the shortest season where left out" minimum:"0" maximum:"1000000"`
	Seed       uint64            `json:"seed,omitempty" yaml:"seed,omitempty" maximum:"9007199254740991"`
}

// Contender is a family with settings under a name.
type Contender struct {
	Name     string         `json:"name,omitempty" yaml:"name,omitempty" doc:"the family where left out"`
	Family   string         `json:"family" yaml:"family"`
	Settings map[string]any `json:"settings,omitempty" yaml:"settings,omitempty,flow"`
}

// Split is a plan's windows, drawn on a dataset.
type Split struct {
	Periods  int        `json:"periods"`
	First    string     `json:"first"`
	Last     string     `json:"last"`
	Series   int        `json:"series" doc:"series that the filter keeps"`
	Windows  []Window   `json:"windows"`
	SetAside []SetAside `json:"set_aside" doc:"the first hundred"`
	Aside    int        `json:"set_aside_count"`
	Tasks    int        `json:"tasks"`
	Fits     int        `json:"fits" doc:"models to train"`
}

// Window is one training part with its assessed part. Indices count periods from 0.
type Window struct {
	Window      int    `json:"window"`
	TrainFirst  string `json:"train_first"`
	Origin      string `json:"origin"`
	AssessFirst string `json:"assess_first"`
	AssessLast  string `json:"assess_last"`
	TrainIndex  int    `json:"train_index"`
	OriginIndex int    `json:"origin_index"`
	LastIndex   int    `json:"last_index"`
	Series      int    `json:"series" doc:"series that take part"`
}

// SetAside is a series that takes no part in a window.
type SetAside struct {
	Series string `json:"series"`
	Window int    `json:"window"`
	Reason string `json:"reason"`
}

// Job is a piece of long work.
type Job struct {
	ID       string     `json:"id" example:"job-4"`
	Kind     string     `json:"kind" enum:"bake-off,release"`
	About    string     `json:"about" doc:"the bake-off or release it works for"`
	State    string     `json:"state" enum:"queued,running,done,failed,cancelled"`
	Done     int        `json:"done"`
	Total    int        `json:"total"`
	Rate     float64    `json:"rate" doc:"tasks a second"`
	Left     float64    `json:"left" doc:"seconds left, 0 where unknown"`
	Error    string     `json:"error,omitempty"`
	Created  time.Time  `json:"created"`
	Started  *time.Time `json:"started,omitempty"`
	Finished *time.Time `json:"finished,omitempty"`
}

// Over says whether the job will do no more.
func (j Job) Over() bool { return j.State == "done" || j.State == "failed" || j.State == "cancelled" }

// Bakeoff is a comparison.
type Bakeoff struct {
	ID      string    `json:"id" example:"bake-3"`
	Name    string    `json:"name"`
	Plan    Plan      `json:"plan" doc:"complete, so that it reruns exactly"`
	Cadence string    `json:"cadence"`
	Measure string    `json:"measure"`
	Job     Job       `json:"job"`
	Created time.Time `json:"created"`
	Leader  string    `json:"leader,omitempty"`
	Skill   *float64  `json:"skill,omitempty" doc:"the leader's, over the baseline"`
	Split   *Split    `json:"split,omitempty" doc:"left out of lists"`
}

// Standings are the ranked result of a bake-off.
type Standings struct {
	Bakeoff  string           `json:"bakeoff"`
	Complete bool             `json:"complete" doc:"false while the bake-off runs: only what all contenders have finished counts"`
	Metric   string           `json:"metric"`
	Baseline string           `json:"baseline"`
	Per      string           `json:"per,omitempty"`
	Metrics  []Metric         `json:"metrics"`
	Slices   []StandingsSlice `json:"slices"`
	Filled   []Filled         `json:"filled,omitempty" doc:"the first hundred"`
	Sentence string           `json:"sentence" doc:"who leads, and by how much"`
}

// Metric says what a column of the standings is.
type Metric struct {
	Name    string `json:"name"`
	Meaning string `json:"meaning"`
	Share   bool   `json:"share" doc:"a share of one, to be shown in per cent"`
	Unit    bool   `json:"unit" doc:"in the unit of the measure"`
}

// StandingsSlice is a part of the assessed points with its own ranking.
type StandingsSlice struct {
	Name string        `json:"name,omitempty" doc:"empty for the whole"`
	Rows []StandingRow `json:"rows"`
}

// StandingRow is one contender's line.
type StandingRow struct {
	Rank      int                 `json:"rank"`
	Contender string              `json:"contender"`
	Points    int                 `json:"points"`
	Filled    int                 `json:"filled" doc:"series and windows on which it failed and the naive stood in"`
	Skill     *float64            `json:"skill" doc:"1 - error / the baseline's error, on the ranking metric"`
	Values    map[string]*float64 `json:"values" doc:"by metric; null where unknown"`
}

// Filled is a series on which a contender failed.
type Filled struct {
	Contender string `json:"contender"`
	Window    int    `json:"window"`
	Series    string `json:"series"`
	Reason    string `json:"reason"`
}

// Curves are one series' actuals and every contender's forecasts.
type Curves struct {
	Series  string     `json:"series"`
	Levels  []float64  `json:"levels"`
	Periods []string   `json:"periods"`
	Actual  []*float64 `json:"actual"`
	Curves  []Curve    `json:"curves"`
}

// Curve is one contender in one window. Start is the index in Periods of its first
// step; Low and High hold a row for each level.
type Curve struct {
	Contender string      `json:"contender"`
	Window    int         `json:"window"`
	Start     int         `json:"start"`
	Forecast  []float64   `json:"forecast"`
	Low       [][]float64 `json:"low"`
	High      [][]float64 `json:"high"`
}

// PublishRequest asks for a release.
type PublishRequest struct {
	Bakeoff   string    `json:"bakeoff"`
	Contender string    `json:"contender,omitempty" doc:"a contender's name, best (the default) or best-per-series"`
	Horizon   int       `json:"horizon,omitempty" doc:"the bake-off's where left out" minimum:"0" maximum:"100000"`
	Levels    []float64 `json:"levels,omitempty" doc:"80 and 95 where left out"`
}

// Release is a published interval forecast.
type Release struct {
	ID        string     `json:"id" example:"rel-2"`
	Dataset   string     `json:"dataset"`
	Revision  int        `json:"revision"`
	Bakeoff   string     `json:"bakeoff"`
	Contender string     `json:"contender"`
	Horizon   int        `json:"horizon"`
	Levels    []float64  `json:"levels"`
	State     string     `json:"state" enum:"preparing,live,superseded,withdrawn,failed"`
	Origin    string     `json:"origin" doc:"the last period it was trained on"`
	First     string     `json:"first"`
	Last      string     `json:"last"`
	Cadence   string     `json:"cadence"`
	Measure   string     `json:"measure"`
	Job       Job        `json:"job"`
	Created   time.Time  `json:"created"`
	Score     *LiveScore `json:"score,omitempty" doc:"how it has done on the actuals since"`
	OpenFlags int        `json:"open_flags"`
	Series    int        `json:"series,omitempty" doc:"series with a forecast; left out of lists"`
	LeftOut   []LeftOut  `json:"left_out,omitempty"`
	Used      []Used     `json:"used,omitempty" doc:"how many series each contender forecasts"`
	Cautions  []string   `json:"cautions,omitempty"`
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
	Flags     []Flag      `json:"flags"`
	Fit       *Fit        `json:"fit,omitempty" doc:"how the forecast was made"`
	Keys      []string    `json:"keys,omitempty" doc:"all series of the release"`
}

// Fit explains a fitted contender in plain words.
type Fit struct {
	Form       string      `json:"form" doc:"one sentence on how the forecast is made"`
	From       string      `json:"from" doc:"first period used"`
	To         string      `json:"to" doc:"the origin"`
	Known      int         `json:"known" doc:"known values used"`
	Parameters []Parameter `json:"parameters"`
	Cautions   []string    `json:"cautions"`
}

// Parameter is a number that a fit rests on.
type Parameter struct {
	Name    string  `json:"name"`
	Value   float64 `json:"value"`
	Meaning string  `json:"meaning"`
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

// SettleRequest says what a flag was.
type SettleRequest struct {
	As   string `json:"as" enum:"expected,data-error,real-change,chance"`
	Note string `json:"note,omitempty" maxLength:"2000"`
}

// Token lets someone in.
type Token struct {
	Name    string    `json:"name"`
	Role    Role      `json:"role" enum:"reader,analyst,publisher,admin"`
	Created time.Time `json:"created"`
	Secret  string    `json:"secret,omitempty" doc:"shown once, at creation"`
}

// TokenRequest asks for a token.
type TokenRequest struct {
	Name string `json:"name" minLength:"1" maxLength:"100"`
	Role Role   `json:"role" enum:"reader,analyst,publisher,admin"`
}

// AuditLine says who did what.
type AuditLine struct {
	At     time.Time `json:"at"`
	Who    string    `json:"who"`
	Action string    `json:"action"`
	Object string    `json:"object"`
	Detail string    `json:"detail,omitempty"`
}

// Problem is an RFC 9457 problem detail.
type Problem struct {
	Type   string         `json:"type,omitempty"`
	Title  string         `json:"title"`
	Status int            `json:"status"`
	Detail string         `json:"detail"`
	Errors []ProblemField `json:"errors,omitempty"`
}

// ProblemField points at one thing wrong.
type ProblemField struct {
	Message  string `json:"message"`
	Location string `json:"location,omitempty" doc:"the field, as body.levels, or the place in a file"`
	Value    any    `json:"value,omitempty"`
}

func (p *Problem) Error() string { return p.Detail }
