package model

import (
	"fmt"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// Family is a kind of model in the catalogue.
type Family struct {
	Name      string
	Summary   string // one sentence on how it forecasts
	Reference string // where the method is published
	Settings  []Setting
	// AcrossSeries says that one fit learns from all series, so that a task must
	// hold them all.
	AcrossSeries bool
	// Pools says the same of some settings; nil where of none.
	Pools func(Values) bool
	New   func(Values) (Model, error)
	// Combine is there in place of New where the family makes its forecasts of other
	// contenders' forecasts.
	Combine func(Values) (Combiner, error)
	// Fits says why settings can't serve a cadence; nil where every one will do.
	Fits func(Values, calendar.Cadence) error
	// Suits says why settings can't serve a dataset: they name what it lacks; nil where none
	// name anything.
	Suits func(Values, panel.View, int) error
	// Welcomes says that it forecasts series without a past too, from their likes.
	Welcomes bool
	// Quick says that a fit is made anew faster than it is read: it is not kept.
	Quick bool
	// Version is raised when the same settings come to fit differently, or to be written
	// differently: what was kept before is made again.
	Version int
	// Read reads what a Trained of the family wrote. Parts are asked for when they are needed.
	// A model that was read learns of its series by being advanced to where it stands.
	Read func(Parts) (Trained, error)
}

// Catalogue is a list of families in the order in which they are shown.
type Catalogue []Family

// Find gives the family of a name.
func (c Catalogue) Find(name string) (*Family, error) {
	names := make([]string, len(c))
	for i := range c {
		if c[i].Name == name {
			return &c[i], nil
		}
		names[i] = c[i].Name
	}
	return nil, &FamilyError{name, names}
}

// CheckCadence says why a family with settings as given can't serve a cadence.
func (c Catalogue) CheckCadence(family string, given Values, cadence calendar.Cadence) error {
	f, err := c.Find(family)
	if err != nil || f.Fits == nil {
		return err
	}
	values, err := Resolve(f.Settings, given)
	if err != nil {
		return err
	}
	return f.Fits(values, cadence)
}

// CheckData says why a family with settings as given can't serve a dataset over a horizon.
func (c Catalogue) CheckData(family string, given Values, v panel.View, horizon int) error {
	f, err := c.Find(family)
	if err != nil || f.Suits == nil {
		return err
	}
	values, err := Resolve(f.Settings, given)
	if err != nil {
		return err
	}
	return f.Suits(values, v, horizon)
}

// Across says whether one fit of a family with settings as given learns from all series.
func (c Catalogue) Across(family string, given Values) bool {
	f, err := c.Find(family)
	if err != nil || f.Pools == nil {
		return err == nil && f.AcrossSeries
	}
	values, err := Resolve(f.Settings, given)
	return err == nil && (f.AcrossSeries || f.Pools(values))
}

// Combines says whether a family makes its forecasts of other contenders'.
func (c Catalogue) Combines(family string) bool {
	f, err := c.Find(family)
	return err == nil && f.Combine != nil
}

// New makes a model of a family with settings as given.
func (c Catalogue) New(family string, given Values) (Model, *Family, error) {
	f, err := c.Find(family)
	if err != nil {
		return nil, nil, err
	}
	values, err := Resolve(f.Settings, given)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", family, err)
	}
	if f.Combine != nil {
		if _, err := f.Combine(values); err != nil {
			return nil, nil, fmt.Errorf("%s: %w", family, err)
		}
		return nil, f, nil
	}
	m, err := f.New(values)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", family, err)
	}
	return m, f, nil
}

// NewCombiner makes the combiner of a family; nil where it is none.
func (c Catalogue) NewCombiner(family string, given Values) (Combiner, error) {
	f, err := c.Find(family)
	if err != nil || f.Combine == nil {
		return nil, err
	}
	values, err := Resolve(f.Settings, given)
	if err != nil {
		return nil, err
	}
	return f.Combine(values)
}
