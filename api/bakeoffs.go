package api

import (
	"time"
)

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
	Kind    string   `json:"kind" enum:"whole,amount,choice,switch,list"`
	Meaning string   `json:"meaning"`
	Default any      `json:"default,omitempty"`
	Auto    string   `json:"auto,omitempty" doc:"how the default is found from the data"`
	Min     *float64 `json:"min,omitempty"`
	Max     *float64 `json:"max,omitempty"`
	Choices []string `json:"choices,omitempty"`
}

// Plan says what a bake-off compares and how.
type Plan struct {
	Name       string            `json:"name,omitempty" yaml:"name,omitempty" doc:"of the bake-off, for people"`
	Dataset    string            `json:"dataset" yaml:"dataset" doc:"its name"`
	Revision   int               `json:"revision,omitempty" yaml:"revision,omitempty" doc:"0 for the latest" minimum:"0"`
	Where      map[string]string `json:"where,omitempty" yaml:"where,omitempty" doc:"keep series with these attribute values"`
	Horizon    int               `json:"horizon" yaml:"horizon" doc:"periods to forecast" minimum:"1" maximum:"10000"`
	Windows    int               `json:"windows,omitempty" yaml:"windows,omitempty" doc:"1, the default, is a holdout" minimum:"0" maximum:"10000"`
	Gap        int               `json:"gap,omitempty" yaml:"gap,omitempty" doc:"periods between the origin and the first assessed one" minimum:"0" maximum:"10000"`
	Refit      string            `json:"refit,omitempty" yaml:"refit,omitempty" doc:"every window (every), every Nth (every:N), or once; in between models are advanced"`
	Stride     int               `json:"stride,omitempty" yaml:"stride,omitempty" doc:"periods between origins; the horizon where left out" minimum:"0" maximum:"1000000"`
	Ends       string            `json:"ends,omitempty" yaml:"ends,omitempty" doc:"what windows count back from: data, the end of the dataset, or own, the last known period of each series"`
	History    string            `json:"history,omitempty" yaml:"history,omitempty" doc:"expanding, or sliding:N for the last N periods"`
	Contenders []Contender       `json:"contenders" yaml:"contenders" doc:"what competes: families, each with settings of its own" maxItems:"200"`
	Baseline   string            `json:"baseline,omitempty" yaml:"baseline,omitempty" doc:"the contender that skill is measured against; a naive where left out"`
	Metric     string            `json:"metric,omitempty" yaml:"metric,omitempty" doc:"the metric that ranks; mase where left out; with weighted before it, by the weights"`
	Weights    string            `json:"weights,omitempty" yaml:"weights,omitempty" doc:"of series in weighted scores: volume:28, volume*price:28 or column:NAME"`
	Fallback   string            `json:"fallback,omitempty" yaml:"fallback,omitempty" doc:"the family that stands in where a contender fails, or leave-out; naive where left out"`
	Ahead      map[string]string `json:"drivers_ahead,omitempty" yaml:"drivers_ahead,omitempty" doc:"what becomes, past the origin, of drivers that are not known ahead: drop, the default, lag or forecast"`
	Gaps       map[string]string `json:"driver_gaps,omitempty" yaml:"driver_gaps,omitempty" doc:"what stands for values of a driver that are unknown or slips: hold (the last known value), usual (the median so far), a number, or refuse, which believes all; as the driver's own values have it where left out"`
	Past       string            `json:"past,omitempty" yaml:"past,omitempty" doc:"what families learn from: mended, the default, leaves out what looks like mistakes, pauses and zeros before the first sale and takes over changes of unit or level; as-loaded believes every value (additive and linear hold against outliers all the same, but for robust: false)"`
	Neighbours string            `json:"neighbours,omitempty" yaml:"neighbours,omitempty" doc:"whose drivers that are known ahead contenders see beside a series' own, in the mean: those of the series with the same value of some attributes (with commas between them), all or none; found from the data up to the first origin where left out"`
	CarryOver  string            `json:"carry_over,omitempty" yaml:"carry_over,omitempty" doc:"which drivers that are known ahead contenders see as they were some periods before, too, as price:1,price:2 (cupboards are full after a price cut); or none; found from the data up to the first origin where left out"`
	Levels     []float64         `json:"levels,omitempty" yaml:"levels,omitempty,flow" doc:"interval levels in per cent; 80 and 95 where left out" maxItems:"20"`
	ScaleLag   int               `json:"scale_lag,omitempty" yaml:"scale_lag,omitempty" doc:"lag of MASE; the shortest season where left out" minimum:"0" maximum:"1000000"`
	Seed       uint64            `json:"seed,omitempty" yaml:"seed,omitempty" doc:"of whatever is random" maximum:"9007199254740991"`
}

// Contender is a family with settings under a name.
type Contender struct {
	Name     string         `json:"name,omitempty" yaml:"name,omitempty" doc:"the family where left out"`
	Family   string         `json:"family" yaml:"family"`
	Settings map[string]any `json:"settings,omitempty" yaml:"settings,omitempty,flow"`
	Tune     *Tune          `json:"tune,omitempty" yaml:"tune,omitempty"`
}

// Tune asks for a search over settings, scored on inner windows of the training part.
type Tune struct {
	Settings map[string][]any `json:"settings" yaml:"settings,flow" doc:"the values to try of each setting"`
	Search   string           `json:"search,omitempty" yaml:"search,omitempty" doc:"grid, the default, or random"`
	Tries    int              `json:"tries,omitempty" yaml:"tries,omitempty" doc:"of a random search; 20 where left out" minimum:"0"`
	Windows  int              `json:"windows,omitempty" yaml:"windows,omitempty" doc:"inner windows, one horizon apart; 1 where left out" minimum:"0"`
	Per      string           `json:"per,omitempty" yaml:"per,omitempty" doc:"one choice for all series (all, the default) or one for each (series)"`
	Within   float64          `json:"within,omitempty" yaml:"within,omitempty" doc:"minutes after which no further combination is tried; no bound where left out" minimum:"0"`
}

// Tuning reports the searches of a contender, a line a window.
type Tuning struct {
	Contender string  `json:"contender"`
	Window    int     `json:"window"`
	Shard     int     `json:"shard" doc:"of searches per series; 0 where one choice serves all"`
	Metric    string  `json:"metric"`
	Trials    []Trial `json:"trials"`
	Matter    []struct {
		Setting string  `json:"setting"`
		Share   float64 `json:"share" doc:"of the scores' variance that the setting explains by itself"`
	} `json:"matter,omitempty"`
}

// Trial is a combination of settings that was tried.
type Trial struct {
	Settings map[string]any `json:"settings"`
	Score    *float64       `json:"score"`
	Chosen   int            `json:"chosen,omitempty" doc:"series that took it"`
	Problem  string         `json:"problem,omitempty"`
	// Values holds mape, mae, rmse and the coverage of each level.
	Values map[string]float64 `json:"values,omitempty" doc:"mape, mae, rmse and coverage on the inner windows"`
}

// Added asks for further contenders of a bake-off.
type Added struct {
	Contenders []Contender `json:"contenders" minItems:"1"`
	Resume     bool        `json:"resume,omitempty" doc:"what was cancelled or failed runs too"`
}

// Urgency sets a job's place in the queue.
type Urgency struct {
	Priority int `json:"priority" minimum:"-100" maximum:"100" doc:"higher first; 0 is usual"`
}

// Duel sets two contenders against each other, series by series.
type Duel struct {
	A      string      `json:"a"`
	B      string      `json:"b"`
	Metric string      `json:"metric"`
	Wins   int         `json:"wins" doc:"series on which a is better"`
	Losses int         `json:"losses"`
	Mean   *float64    `json:"mean" doc:"mean of a's value less b's"`
	Low    *float64    `json:"low" doc:"the 95 % interval of the difference in the whole, over series and windows"`
	High   *float64    `json:"high"`
	Series []DuelPoint `json:"series"`
}

// DuelPoint is one series of a duel. P is of a test on mean absolute errors of windows that do not overlap, six or more.
type DuelPoint struct {
	Series string   `json:"series"`
	A      *float64 `json:"a"`
	B      *float64 `json:"b"`
	P      *float64 `json:"p"`
}

// Residuals are one contender's errors, forecast less actual.
type Residuals struct {
	Contender       string        `json:"contender"`
	Series          string        `json:"series,omitempty" doc:"empty for the mean over all"`
	Points          int           `json:"points"`
	Mean            *float64      `json:"mean"`
	Deviation       *float64      `json:"deviation"`
	Periods         []string      `json:"periods"`
	Values          []*float64    `json:"values" doc:"by period; where windows overlap, or for all series, their mean"`
	Bins            []ResidualBin `json:"bins" doc:"their distribution"`
	Autocorrelation []*float64    `json:"autocorrelation" doc:"of the values by period, from lag 1 on"`
	Bound           float64       `json:"bound"`
	Cycles          []Cycle       `json:"cycles" doc:"by weekday, month or time of day"`
}

// ResidualBin counts errors from Low up to High.
type ResidualBin struct {
	Low   float64 `json:"low"`
	High  float64 `json:"high"`
	Count int     `json:"count"`
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
	Cautions []string   `json:"cautions,omitempty"`
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
	Window int    `json:"window" doc:"0 for every one"`
	Reason string `json:"reason"`
}

// Job is a piece of long work.
type Job struct {
	ID       string      `json:"id" example:"job-4"`
	Kind     string      `json:"kind" enum:"bake-off,release,scenario"`
	About    string      `json:"about" doc:"the bake-off or release it works for"`
	State    string      `json:"state" enum:"queued,running,paused,done,failed,cancelled"`
	Priority int         `json:"priority"`
	Done     int         `json:"done"`
	Total    int         `json:"total"`
	Rate     float64     `json:"rate" doc:"tasks a second"`
	Share    float64     `json:"share" doc:"how much is done, from 0 to 1, with what is half done"`
	Note     string      `json:"note,omitempty" doc:"what is being done"`
	Learning []LossCurve `json:"learning,omitempty" doc:"how the losses of a network that is being trained went so far"`
	Left     float64     `json:"left" doc:"seconds left, 0 where unknown"`
	Error    string      `json:"error,omitempty"`
	Created  time.Time   `json:"created"`
	Started  *time.Time  `json:"started,omitempty"`
	Finished *time.Time  `json:"finished,omitempty"`
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
	By       string           `json:"by" doc:"what ranks: the metric, with 'weighted' before it where the plan's weights count"`
	Baseline string           `json:"baseline"`
	Per      string           `json:"per,omitempty"`
	Metrics  []Metric         `json:"metrics"`
	Slices   []StandingsSlice `json:"slices"`
	Filled   []Filled         `json:"filled,omitempty" doc:"the first hundred"`
	Cautions []string         `json:"cautions,omitempty" doc:"why the figures deserve less trust: what stood in for a contender, what was filled in drivers"`
	Sentence string           `json:"sentence" doc:"who leads, by how much, whether it may be chance, and what it costs"`
	// Of the whole alone.
	Series           int        `json:"series,omitempty" doc:"series that were scored"`
	Weights          string     `json:"weights,omitempty"`
	Hindsight        *float64   `json:"hindsight,omitempty" doc:"what choosing each series' best contender afterwards would score: no one can"`
	CriticalDistance *float64   `json:"critical_distance,omitempty" doc:"mean ranks farther apart differ at 5 %"`
	Newcomers        *Newcomers `json:"newcomers,omitempty" doc:"series with too few values before an origin, assessed apart; left out where there are none, and where brief"`
}

// Newcomers tell how series without a past were forecast from their likes.
type Newcomers struct {
	Series  []string      `json:"series" doc:"the first hundred"`
	Count   int           `json:"count" doc:"of all of them"`
	Places  int           `json:"places" doc:"series in a window"`
	Metrics []string      `json:"metrics" doc:"those that tell of them: nothing that is scaled"`
	Rows    []NewcomerRow `json:"rows" doc:"the least WAPE first"`
	Meaning string        `json:"meaning" doc:"how to read them"`
}

// NewcomerRow is how one contender forecast newcomers, or the reference 'all others': what all series with a
// past sold last, taken for any newcomer's.
type NewcomerRow struct {
	Contender string              `json:"contender"`
	Reference bool                `json:"reference,omitempty"`
	Points    int                 `json:"points"`
	Failed    int                 `json:"failed" doc:"places without a forecast, which are left out"`
	Why       string              `json:"why,omitempty" doc:"the reason of the first place without a forecast"`
	Values    map[string]*float64 `json:"values" doc:"by metric; null where unknown, as all that is scaled is"`
}

// Metric says what a column of the standings is.
type Metric struct {
	Name    string `json:"name"`
	Label   string `json:"label" doc:"as the trade spells it"`
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
	Rank      int                 `json:"rank" doc:"0 for a contender that failed on most places: its figures are mostly the fallback's"`
	Contender string              `json:"contender"`
	Points    int                 `json:"points"`
	Filled    int                 `json:"filled" doc:"series and windows on which it failed and the naive stood in"`
	Skill     *float64            `json:"skill" doc:"1 - error / the baseline's error, on the ranking metric"`
	Values    map[string]*float64 `json:"values" doc:"by metric; null where unknown"`
	Weighted  map[string]*float64 `json:"weighted,omitempty" doc:"means over series and windows, by the plan's weights"`
	Train     map[string]*float64 `json:"train,omitempty" doc:"within the training parts, one step ahead"`
	Over      *OverSeries         `json:"over,omitempty" doc:"on the ranking metric; of the whole alone"`
	Found     string              `json:"found,omitempty" doc:"what it found for the series when it was trained last, in a few words; where cut by series"`
	Seconds   float64             `json:"seconds,omitempty" doc:"of a worker's time"`
	Bytes     int64               `json:"bytes,omitempty" doc:"size of its fits to all series of a window, as they are kept"`
}

// OverSeries tells how a contender does over the series.
type OverSeries struct {
	Mean       *float64 `json:"mean"`
	Median     *float64 `json:"median"`
	MeanRank   *float64 `json:"mean_rank"`
	Won        *float64 `json:"won" doc:"share of series on which none is better"`
	Beats      *float64 `json:"beats" doc:"share of series on which it beats the baseline"`
	BehindLow  *float64 `json:"behind_low" doc:"95 % interval of its metric less the leader's, over series and windows"`
	BehindHigh *float64 `json:"behind_high"`
	P          *float64 `json:"p,omitempty" doc:"of a test on the mean errors of windows that do not overlap, six or more, against the leader, where series are few"`
	LikeLeader bool     `json:"like_leader" doc:"it can't be told from the leader"`
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
	Closed    []int       `json:"closed,omitempty" doc:"steps, counted from 0, on which nothing happens: the forecast is 0 and no forecast"`
	Newcomer  bool        `json:"newcomer,omitempty" doc:"the series was too new to be trained on, and is forecast from its likes"`
}
