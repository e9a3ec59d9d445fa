// Package bakeoff turns a plan and a panel into tasks, runs each as a pure
// function, and ranks what came of them.
package bakeoff

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
	"paperkettle/core/split"
)

// Plan is all that a bake-off depends on besides the panel.
type Plan struct {
	Split      split.Spec        `json:"split"`
	Contenders []Contender       `json:"contenders"`
	Baseline   string            `json:"baseline"` // a contender's name
	Metric     string            `json:"metric"`   // the one that ranks
	Levels     []float64         `json:"levels"`   // of the intervals, per cent
	ScaleLag   int               `json:"scale_lag"`
	Seed       uint64            `json:"seed"`
	Where      map[string]string `json:"where,omitempty"`
	Weights    string            `json:"weights,omitempty"`  // of series, as panel.ParseWeights reads
	Fallback   string            `json:"fallback,omitempty"` // a family, or LeaveOut
	// Ahead says what becomes of drivers that are not known ahead; those it does not name
	// are dropped.
	Ahead map[string]panel.Ahead `json:"ahead,omitempty"`
	// Gaps says what stands for unknown values of drivers, as panel.ParseFilling reads it;
	// those of drivers that it does not name are filled as their own values have it.
	Gaps map[string]string `json:"driver_gaps,omitempty"`
	// Past says what families learn from; empty is Mended.
	Past string `json:"past,omitempty"`
	// Neighbours says whose drivers contenders see beside a series' own, as panel.ParseNeighbours reads it; left out, it is
	// found from the data up to the first origin, and written down.
	Neighbours string `json:"neighbours,omitempty"`
	// CarryOver says which drivers' values of before they see, as panel.ParseCarried reads it; left out, it is found too.
	CarryOver string `json:"carry_over,omitempty"`
}

// What of the past families learn from: the series without what looks like mistakes, pauses and zeros before the
// first sale, as if they had always had their present unit and level; or every value as it was loaded.
const (
	Mended   = "mended"
	AsLoaded = "as-loaded"
)

// seen is a panel as the plan's contenders see it, where the first origin is given.
func (p Plan) seen(of *panel.Panel, origin int) *panel.Panel {
	if of = of.WithClosed(origin); p.Past == AsLoaded {
		return of.WithPastBelieved()
	}
	return of
}

// neighboursOn are the neighbours on a panel, next to what was usual up to an axis index; nil for none.
func (p Plan) neighboursOn(of *panel.Panel, f panel.Fillings, upTo int) (*panel.Neighbours, error) {
	by, err := panel.ParseNeighbours(of, p.Neighbours)
	if by == nil || err != nil {
		return nil, err
	}
	return of.NeighboursBy(by, f, upTo), nil
}

// LeaveOut is the fallback that leaves a series out where a contender fails on it.
const LeaveOut = "leave-out"

// DefaultFallback stands in where a contender fails and the plan names none.
const DefaultFallback = "naive"

// Contender is a family with its settings under a name.
type Contender struct {
	Name     string       `json:"name"`
	Family   string       `json:"family"`
	Settings model.Values `json:"settings,omitempty"`
	// Defaults are what settings that are not given were when the plan was made: a default that
	// changes later changes no rerun.
	Defaults model.Values `json:"defaults,omitempty"`
	Tune     *Tune        `json:"tune,omitempty"`
}

// Given are the settings that a contender has: those given, over the defaults of its time.
func (c Contender) Given() model.Values {
	out := maps.Clone(c.Defaults)
	if out == nil {
		out = model.Values{}
	}
	for name, v := range c.Settings {
		if v != nil && v != "" {
			out[name] = v
		}
	}
	return out
}

// DefaultMetric ranks where the plan names none.
const DefaultMetric = "mase"

// Complete fills in what a plan leaves out and checks the rest. It reports the
// field at fault.
func (p *Plan) Complete(cat model.Catalogue) error {
	if p.Split.Windows == 0 {
		p.Split.Windows = 1
	}
	if p.Split.Stride == 0 {
		p.Split.Stride = p.Split.Horizon
	}
	if p.Metric == "" {
		p.Metric = DefaultMetric
	}
	p.Metric = strings.ToLower(p.Metric)
	if len(p.Levels) == 0 {
		p.Levels = []float64{80, 95}
	}
	p.Levels = slices.Clone(p.Levels)
	slices.Sort(p.Levels)
	p.Levels = slices.Compact(p.Levels)
	for _, l := range p.Levels {
		if err := forecast.CheckLevel(l); err != nil {
			return &FieldError{"levels", err}
		}
	}
	if p.ScaleLag < 0 {
		return &FieldError{"scale_lag", errors.New("the scale lag must be at least 1, or 0 for the cadence's shortest season")}
	}
	if _, err := FindRanking(p.Metric, p); err != nil {
		return &FieldError{"metric", err}
	}
	if _, err := panel.ParseWeights(p.Weights); err != nil {
		return &FieldError{"weights", err}
	}
	switch p.Past {
	case Mended: // the default, which plans leave out
		p.Past = ""
	case "", AsLoaded:
	default:
		return &FieldError{"past", fmt.Errorf("%q is no way to take the past: say %s or %s", p.Past, Mended, AsLoaded)}
	}
	if p.Fallback == "" {
		p.Fallback = DefaultFallback
	}
	if p.Fallback != LeaveOut {
		if f, err := cat.Find(p.Fallback); err != nil || f.Combine != nil {
			return &FieldError{"fallback", fmt.Errorf("the fallback %q is no family that can stand in: name one such as naive, or %s", p.Fallback, LeaveOut)}
		}
	}
	if len(p.Contenders) == 0 {
		return &FieldError{"contenders", errors.New("there are no contenders: enter at least one, such as naive")}
	}
	p.Contenders = slices.Clone(p.Contenders) // the caller's own stay as they are
	for i := range p.Contenders {
		if err := p.completeContender(cat, i); err != nil {
			return ofContender(i, err)
		}
	}
	if p.Baseline == "" {
		p.Baseline = p.defaultBaseline()
	}
	if p.Contender(p.Baseline) < 0 {
		return &FieldError{"baseline", fmt.Errorf("the baseline %q is not among the contenders", p.Baseline)}
	}
	return nil
}

func (p *Plan) completeContender(cat model.Catalogue, i int) error {
	c := &p.Contenders[i]
	if c.Name == "" {
		c.Name = c.Family
	}
	if c.Family == "" {
		c.Family = c.Name
	}
	if slices.ContainsFunc(p.Contenders[:i], func(other Contender) bool { return other.Name == c.Name }) {
		return fmt.Errorf("two contenders are called %q: give each its own name", c.Name)
	}
	if _, _, err := cat.New(c.Family, c.Settings); err != nil {
		return fmt.Errorf("contender %q: %w", c.Name, err)
	}
	if err := p.nameMembers(cat, c); err != nil {
		return fmt.Errorf("contender %q: %w", c.Name, err)
	}
	c.pin(cat)
	if c.Tune != nil {
		if err := c.Tune.complete(cat, *c); err != nil {
			return fmt.Errorf("contender %q: tune: %w", c.Name, err)
		}
	}
	return nil
}

// pin writes down the defaults of settings that are not given, and lets go of those of settings
// that the family no longer has.
func (c *Contender) pin(cat model.Catalogue) {
	f, err := cat.Find(c.Family)
	if err != nil {
		return
	}
	now := model.Defaults(f.Settings)
	if c.Defaults == nil {
		c.Defaults = now
	}
	kept := model.Values{}
	for name, v := range c.Defaults {
		_, given := c.Settings[name]
		if _, known := now[name]; known && !given {
			kept[name] = v
		}
	}
	c.Defaults = kept
}

// ofContender points at what of a contender is wrong: its family, a setting, or it as a whole.
func ofContender(i int, err error) error {
	field := fmt.Sprintf("contenders[%d]", i)
	var family *model.FamilyError
	var setting *model.SettingError
	switch {
	case errors.As(err, &setting):
		field += ".settings." + setting.Setting
	case errors.As(err, &family):
		field += ".family"
	}
	return &FieldError{field, err}
}

// nameMembers writes down whom a contender that names no members combines: all that make
// their own forecasts. Contenders that are entered later then change nothing.
func (p *Plan) nameMembers(cat model.Catalogue, c *Contender) error {
	combiner, err := cat.NewCombiner(c.Family, c.Settings)
	if err != nil || combiner == nil || combiner.Members() != nil {
		return err
	}
	var names []string
	for _, other := range p.Contenders {
		family := other.Family
		if family == "" {
			family = other.Name
		}
		f, err := cat.Find(family)
		if err != nil || f.Combine != nil {
			continue
		}
		name := other.Name
		if name == "" {
			name = family
		}
		names = append(names, name)
	}
	settings := model.Values{"members": strings.Join(names, ",")}
	if f, err := cat.Find(c.Family); err == nil && slices.ContainsFunc(f.Settings, func(s model.Setting) bool { return s.Name == "take" }) &&
		c.Settings["take"] == nil {
		settings["take"] = "ahead" // of members that nobody named
	}
	if slices.ContainsFunc(names, func(n string) bool { return strings.Contains(n, ",") }) {
		settings["members"] = names
	}
	for k, v := range c.Settings {
		if k != "members" {
			settings[k] = v
		}
	}
	c.Settings = settings
	return nil
}

// defaultBaseline is the seasonal naive if it runs, else the naive, else the first.
func (p *Plan) defaultBaseline() string {
	for _, family := range []string{"seasonal-naive", "naive"} {
		if i := slices.IndexFunc(p.Contenders, func(c Contender) bool { return c.Family == family }); i >= 0 {
			return p.Contenders[i].Name
		}
	}
	return p.Contenders[0].Name
}

// Contender gives the index of a contender's name, or -1.
func (p *Plan) Contender(name string) int {
	return slices.IndexFunc(p.Contenders, func(c Contender) bool { return c.Name == name })
}

// FieldError says which part of a plan is wrong.
type FieldError struct {
	Field string
	Err   error
}

func (e *FieldError) Error() string { return e.Err.Error() }
func (e *FieldError) Unwrap() error { return e.Err }

// AskError says which part of a question about results is wrong: any other error is not the
// asker's fault.
type AskError struct {
	Field string // contender, a or b of a duel, series, metric or per
	Err   error
}

func (e *AskError) Error() string { return e.Err.Error() }
func (e *AskError) Unwrap() error { return e.Err }

// asked makes an error one of the asker's.
func asked(field string, err error) error {
	if err == nil {
		return nil
	}
	return &AskError{field, err}
}
