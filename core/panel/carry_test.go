package panel_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/panel"
)

func TestWhatWasBeforeIsShown(t *testing.T) {
	p := counter()
	p.Series[1].Drivers[0] = []float64{1, 2, 3, 4, 5, 6, 7, 8, 9, 10} // known two weeks ahead
	list, err := panel.ParseCarried(p, "price:2, leaflet:1,price:2")
	require.NoError(t, err)
	assert.Equal(t, []panel.Carried{{Driver: "price", Back: 2}, {Driver: "leaflet", Back: 1}}, list)
	assert.Equal(t, "price:2,leaflet:1", panel.CarriedText(list))
	assert.Equal(t, "none", panel.CarriedText(nil))

	n := p.NeighboursBy([]string{"shop"}, nil, 7)
	v := panel.NewView(p, []int{1}, 0, 7).WithNeighbours(n).WithCarried(list)
	names := make([]string, 0, 8)
	for _, d := range v.Drivers() {
		names = append(names, d.Name)
		assert.Equal(t, d.Name != "visits", d.KnownAhead, d.Name)
	}
	assert.Equal(t, []string{"price", "leaflet", "warmth", "visits", "price of neighbours", "leaflet of neighbours", "price 2 weeks before",
		"leaflet 1 week before"}, names)
	assert.Equal(t, []float64{1, 1, 1, 2, 3, 4, 5, 6, 7, 8}, v.Series(0).Driver(6, 10))
	assert.Equal(t, []float64{0, 0, 0, 0, 0, 1, 0, 0}, v.Series(0).Driver(7, 8))

	// Drivers that are hidden move those beside them up; what is carried is found by its name.
	hidden := v.WithAhead(nil, 2)
	assert.Equal(t, "price 2 weeks before", hidden.Drivers()[5].Name)
	assert.Equal(t, []float64{1, 1, 1, 2, 3, 4, 5, 6}, hidden.Series(0).Driver(5, 8))
	assert.NotEqual(t, hidden.Fingerprint(), hidden.WithCarried(list[:1]).Fingerprint())

	// From an earlier origin the same is seen, for what is known ahead.
	assert.Equal(t, []float64{1, 1, 1, 2, 3, 4}, hidden.Series(0).Before(3).Driver(5, 6))
}

func TestWhatIsNotCarriedOverIsRefused(t *testing.T) {
	p := counter()
	for text, want := range map[string]string{
		"price":       `"price" is no driver with the periods that it is carried over: say price:1, from 1 to 1000, or none`,
		"price:0":     `"price:0" is no driver with`,
		"price:x":     `"price:x" is no driver with`,
		"pricing:1":   `the dataset has no driver "pricing": it has price, leaflet, warmth, visits`,
		"visits:1":    `the driver "visits" is not known ahead: drivers_ahead can have it lagged instead`,
		"price:1,,":   `"" is no driver with`,
		"price:99999": `"price:99999" is no driver with`,
	} {
		_, err := panel.ParseCarried(p, text)
		assert.ErrorContains(t, err, want, text)
	}
	for _, text := range []string{"", "none"} {
		list, err := panel.ParseCarried(p, text)
		require.NoError(t, err)
		assert.Empty(t, list)
	}
}
