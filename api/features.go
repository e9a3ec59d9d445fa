package api

// Feature is a column that regressions learn from.
type Feature struct {
	Name    string `json:"name"`
	Line    string `json:"line" doc:"that declares it"`
	Meaning string `json:"meaning"`
	Known   string `json:"known" enum:"ahead,at the origin,before the step,fixed" doc:"what it rests on; none reads past the origin"`
}

// FeatureList is what declared lines stand for in a dataset.
type FeatureList struct {
	Lines    []string  `json:"lines"`
	Features []Feature `json:"features"`
	Notes    []string  `json:"notes" doc:"lines that stand for nothing here, and why"`
}
