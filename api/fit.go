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
	Shares     []Parameter   `json:"shares,omitempty" doc:"how much of the forecast each part is"`
	Line       *StraightLine `json:"line,omitempty" doc:"the forecast as a straight line over its steps"`
	Cautions   []string      `json:"cautions"`
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
}

// StraightLine is start + slope times the step; r2 says how straight the forecast is.
type StraightLine struct {
	Start float64 `json:"start"`
	Slope float64 `json:"slope"`
	R2    float64 `json:"r2"`
}
