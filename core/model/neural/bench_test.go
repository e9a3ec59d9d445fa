package neural_test

import (
	"testing"

	"paperkettle/core/model"
)

// A thousand daily series of three years: the default training, and a forecast of four weeks.
func BenchmarkThousand(b *testing.B) {
	const n, h = 1095, 28
	v := viewOf(shops(1000, n, 0.1), n-1)
	for _, family := range families {
		var trained model.Trained
		b.Run("train/"+family, func(b *testing.B) {
			for b.Loop() {
				trained = train(b, family, nil, v, env(h, 2))
			}
		})
		b.Run("forecast/"+family, func(b *testing.B) {
			for b.Loop() {
				forecasts(b, trained, v, h)
			}
		})
	}
}
