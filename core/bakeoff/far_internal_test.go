package bakeoff

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model/baseline"
	"paperkettle/core/panel"
	"paperkettle/core/split"
)

// atPrices is three series of days with prices of 2 to 4, and of each the price of the seven days to come.
func atPrices(ahead ...float64) *panel.Panel {
	p := ending(1, 1, 1)
	p.Drivers = []panel.Driver{{Name: "price", KnownAhead: true}}
	for i := range p.Series {
		prices := make([]float64, p.Length+7)
		for t := range prices {
			if prices[t] = 2 + 0.25*float64(t*5%9); t >= p.Length {
				prices[t] = ahead[i]
			}
		}
		p.Series[i].Drivers = [][]float64{prices}
	}
	return p
}

// Who publishes is told of prices far beyond those seen, and apart from these of slips, which are filled.
func TestDriversFarAheadAreTold(t *testing.T) {
	told := func(p *panel.Panel, plan Plan) []string {
		ahead, err := LookAhead(p, plan, 7, false)
		require.NoError(t, err)
		return ahead.Cautions
	}
	assert.Empty(t, told(atPrices(2, 4, 4.5), Plan{}), "half of the range beyond is no news")
	far := told(atPrices(3, 7, 6), Plan{})
	require.Len(t, far, 1)
	assert.Equal(t, "The driver price goes far beyond what training saw for 2 series: 7 for b, where training saw 2 to 4, 150 % of that range "+
		"beyond it. Such effects are extrapolated.", far[0])

	slipped := atPrices(3, 7, 40)
	slipped.Series[0].Drivers[0][50] = 0
	far = told(slipped, Plan{Gaps: map[string]string{"price": "hold"}})
	require.Len(t, far, 3)
	assert.Contains(t, far[0], "in 7 forecast periods of 1 series (40 in ")
	assert.Contains(t, far[0], "of c, against 2 to 4): taken for slips and filled by the last known value")
	assert.Contains(t, far[1], "in 1 period of training of 1 series (0 in ")
	assert.Contains(t, far[2], "for 1 series: 7 for b")
	far = told(slipped, Plan{Gaps: map[string]string{"price": "refuse"}})
	require.Len(t, far, 1, "all is believed")
	assert.Contains(t, far[0], "for 2 series: 40 for c")

	still := atPrices(3, 3, 9)
	for t := range still.Length {
		still.Series[2].Drivers[0][t] = 3.5
	}
	assert.Empty(t, told(still, Plan{}), "of a price that never changed nothing was learnt")
}

// Prices that come in cents from some day on are read as they were before, by bake-offs, refits and who looks ahead, and
// told; what is asked to be believed is.
func TestPricesThatBecomeCents(t *testing.T) {
	p := atPrices(3, 3.5, 3)
	whole := atPrices(3, 3.5, 3)
	for k := p.Length - 20; k < p.Length+7; k++ {
		p.Series[1].Drivers[0][k] *= 100
	}
	ahead, err := LookAhead(p, Plan{}, 7, false)
	require.NoError(t, err)
	require.Len(t, ahead.Cautions, 1)
	assert.Contains(t, ahead.Cautions[0], "The driver price is 100 times as large in 1 series, in b from ")
	plan := Plan{Split: split.Spec{Horizon: 7, Windows: 2}, Contenders: []Contender{{Name: "naive", Family: "naive"}}}
	e, err := Prepare(p, plan, baseline.Families())
	require.NoError(t, err)
	assert.InDeltaSlice(t, whole.Series[1].Drivers[0], e.Panel.Series[1].Drivers[0], 1e-9)
	assert.Contains(t, e.Cautions(), ahead.Cautions[0])
	r, err := NewRefit(p, plan, baseline.Families(), "naive", nil, 7)
	require.NoError(t, err)
	assert.InDeltaSlice(t, whole.Series[1].Drivers[0], r.Panel.Series[1].Drivers[0], 1e-9)
	plan.Gaps = map[string]string{"price": "refuse"}
	e, err = Prepare(p, plan, baseline.Families())
	require.NoError(t, err)
	assert.Same(t, &p.Series[1].Drivers[0][0], &e.Panel.Series[1].Drivers[0][0], "as it is")
}
