package model

import "paperkettle/core/panel"

// Outside is what drivers and events bring to a series, in every period of a view and past it.
type Outside struct {
	// Take takes it out of a value of a period, Put puts it back.
	Take, Put func(t int, y float64) float64
	// Doubt moves the values of count futures, step by step from 0, by what is not known of it.
	Doubt func(count int) func(p, step int, y float64) float64
}

// Outsider is a model that knows what drivers and events bring.
type Outsider interface {
	// Outside tells it over the values of the i-th series of a view and a horizon past them; nil
	// where there is nothing to tell.
	Outside(v panel.View, i, horizon int) (*Outside, error)
}
