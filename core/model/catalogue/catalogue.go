// Package catalogue lists every family that a bake-off can enter.
package catalogue

import (
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/baseline"
	"paperkettle/core/model/combine"
	"paperkettle/core/model/smoothing"
)

// Standard is the whole catalogue: one line a package of families.
func Standard() model.Catalogue {
	return slices.Concat(
		baseline.Families(),
		smoothing.Families(),
		arima.Families(),
		combine.Families(),
	)
}
