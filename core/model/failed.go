package model

import (
	"context"
	"errors"

	"paperkettle/core/forecast"
	"paperkettle/core/panel"
)

// Failed is what there is of a model that could not be trained: each of n series has the reason in
// place of a forecast, and what stands beside goes on.
func Failed(n int, reason error) Trained { return failed{n, reason} }

// HasFailed says that a model is one that could not be trained: there is nothing to keep.
func HasFailed(t Trained) bool { _, ok := t.(failed); return ok }

type failed struct {
	n      int
	reason error
}

func (f failed) Forecast(context.Context, panel.View, int) (Result, error) {
	out := Result{Series: make([]forecast.Rows, f.n), Err: make([]error, f.n)}
	for i := range out.Err {
		out.Err[i] = f.reason
	}
	return out, nil
}

func (f failed) Advance(context.Context, panel.View) error { return nil }

func (f failed) Describe(int) Description {
	return Description{Form: "not fitted", Cautions: []string{f.reason.Error()}}
}

// What failed is not kept: it is tried again.
var errFailed = errors.New("a model that could not be trained is not written")

func (f failed) Len() int                 { return f.n }
func (f failed) Shared() ([]byte, error)  { return nil, errFailed }
func (f failed) Part(int) ([]byte, error) { return nil, errFailed }
