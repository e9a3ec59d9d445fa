// Package catalogue lists every family that a bake-off can enter.
package catalogue

import (
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/additive"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/automatic"
	"paperkettle/core/model/baseline"
	"paperkettle/core/model/boosting"
	"paperkettle/core/model/combine"
	"paperkettle/core/model/decomposition"
	"paperkettle/core/model/intermittent"
	"paperkettle/core/model/linear"
	"paperkettle/core/model/neural"
	"paperkettle/core/model/pretrained"
	"paperkettle/core/model/smoothing"
	"paperkettle/core/model/theta"
)

// Standard is the catalogue of what needs nothing but a series.
func Standard() model.Catalogue { return With(nil) }

// With is the whole catalogue, one line a package of families: pretrained is there with its weights
// alone.
func With(weights *pretrained.Weights) model.Catalogue {
	return slices.Concat(
		baseline.Families(),
		smoothing.Families(),
		theta.Families(),
		arima.Families(),
		intermittent.Families(),
		decomposition.Families(),
		automatic.Families(pretrained.Families(weights)),
		linear.Families(),
		additive.Families(),
		boosting.Families(),
		neural.Families(),
		pretrained.Families(weights),
		combine.Families(),
	)
}
