package api

// Fit explains a fitted contender in plain words and numbers. Components run over Periods:
// those used, then the steps ahead.
type Fit struct {
	Contender  string        `json:"contender,omitempty"`
	Series     string        `json:"series,omitempty"`
	Window     int           `json:"window,omitempty"`
	Form       string        `json:"form" doc:"one sentence on how the forecast is made"`
	From       string        `json:"from" doc:"first period used"`
	To         string        `json:"to" doc:"the origin"`
	Known      int           `json:"known" doc:"known values used"`
	LeftOut    []Stretch     `json:"left_out" doc:"periods between first and last that were not used"`
	Why        string        `json:"why,omitempty" doc:"why this form was chosen"`
	Criterion  string        `json:"criterion,omitempty" doc:"what choices are compared by; lower is better"`
	Choices    []FitChoice   `json:"choices,omitempty" doc:"the form chosen and the runners-up"`
	Parameters []Parameter   `json:"parameters"`
	States     []Parameter   `json:"states,omitempty" doc:"what the recursion starts from"`
	Sigma      *float64      `json:"sigma,omitempty" doc:"standard deviation of the errors, one step ahead"`
	Training   []Parameter   `json:"training,omitempty" doc:"scores within the training part, one step ahead"`
	Tests      []FitTest     `json:"tests,omitempty" doc:"of the residuals; a small p speaks against what is tested"`
	Periods    []string      `json:"periods,omitempty"`
	Components []Component   `json:"components,omitempty"`
	Effects    []Effect      `json:"effects,omitempty" doc:"what each event and driver changes at the usual level"`
	Bends      []Bend        `json:"bends,omitempty" doc:"where the trend's slope changes, the largest first"`
	Shares     []Parameter   `json:"shares,omitempty" doc:"how much of the forecast each part is"`
	Worths     []Worth       `json:"worths,omitempty" doc:"what the columns are worth, the one that matters most first"`
	Curves     []EffectCurve `json:"effect_curves,omitempty" doc:"how what the model learnt from rows moves with the columns that matter most"`
	Reasons    []Reason      `json:"reasons,omitempty" doc:"parts of the forecast; they add up to it"`
	Learning   []LossCurve   `json:"learning,omitempty" doc:"how the loss went while it learnt"`
	Line       *StraightLine `json:"line,omitempty" doc:"the forecast as a straight line over its steps"`
	Cautions   []string      `json:"cautions"`
}

// Worth is what a column is worth to a model that learnt from rows.
type Worth struct {
	Name    string   `json:"name"`
	Meaning string   `json:"meaning"`
	Share   float64  `json:"share" doc:"of what all columns explain"`
	Rise    *float64 `json:"rise" doc:"by how much the error of held-out rows rises where the column's values change places, as a share of it"`
	Low     *float64 `json:"low" doc:"of a 95 % interval of the rise"`
	High    *float64 `json:"high"`
}

// EffectCurve is how a forecast moves with a column of a model that learnt from rows, in shares of a
// series' recent size, counted from its mean over the places.
type EffectCurve struct {
	Name    string     `json:"name"`
	Meaning string     `json:"meaning"`
	Places  []string   `json:"places" doc:"values of the column, rising, or names"`
	Ordered bool       `json:"ordered" doc:"the places are numbers"`
	Mean    []*float64 `json:"mean" doc:"over held-out rows"`
	Low     []*float64 `json:"low" doc:"of where the middle 80 % of rows lie"`
	High    []*float64 `json:"high"`
}

// Reason is a part of the forecast, step by step, in the measure's unit.
type Reason struct {
	Name  string     `json:"name"`
	Steps []*float64 `json:"steps"`
}

// LossCurve is how a loss went.
type LossCurve struct {
	Name   string     `json:"name"`
	Of     string     `json:"of" doc:"what is counted along it: trees, or batches of windows"`
	Every  int        `json:"every" doc:"how many of these lie between two values"`
	Values []*float64 `json:"values"`
}

// Stretch is what was left out, from a period to another, both included, and why.
type Stretch struct {
	From string `json:"from"`
	To   string `json:"to"`
	Why  string `json:"why"`
}

// Parameter is a number that a fit rests on.
type Parameter struct {
	Name    string  `json:"name"`
	Value   float64 `json:"value"`
	Meaning string  `json:"meaning"`
}

// FitChoice is a form that was tried.
type FitChoice struct {
	Form  string   `json:"form"`
	Value *float64 `json:"value"`
}

// FitTest is a test of the residuals.
type FitTest struct {
	Name      string   `json:"name"`
	Statistic *float64 `json:"statistic"`
	P         *float64 `json:"p"`
	Meaning   string   `json:"meaning"`
}

// Component is a part of the series; a factor multiplies, others add.
type Component struct {
	Name   string     `json:"name"`
	Factor bool       `json:"factor,omitempty"`
	Past   []*float64 `json:"past"`
	Ahead  []*float64 `json:"ahead"`
	Low    []*float64 `json:"low,omitempty" doc:"80 % interval of what the coefficients leave open, past and ahead"`
	High   []*float64 `json:"high,omitempty"`
}

// Effect is what an event, or a step of a driver, changes at the usual level, with 95 %
// intervals.
type Effect struct {
	Name        string   `json:"name"`
	Kind        string   `json:"kind" enum:"event,driver"`
	Per         string   `json:"per" doc:"what it is the effect of, as 10 % more"`
	Units       *float64 `json:"units" doc:"in the measure's unit"`
	Low         *float64 `json:"low"`
	High        *float64 `json:"high"`
	Percent     *float64 `json:"percent"`
	PercentLow  *float64 `json:"percent_low"`
	PercentHigh *float64 `json:"percent_high"`
}

// Bend is a change of the trend's slope.
type Bend struct {
	Period  string   `json:"period"`
	Change  *float64 `json:"change" doc:"of the slope, a period, in the measure's unit"`
	Percent *float64 `json:"percent" doc:"of the usual level, a period"`
}

// StraightLine is start + slope times the step; r2 says how straight the forecast is.
type StraightLine struct {
	Start float64 `json:"start"`
	Slope float64 `json:"slope"`
	R2    float64 `json:"r2"`
}
