package service

import (
	"encoding/json"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
)

func TestAListIsNeverNull(t *testing.T) {
	curve := api.ScenarioCurve{}
	fillLists(reflect.ValueOf(&curve).Elem())
	b, err := json.Marshal(curve)
	require.NoError(t, err)
	assert.NotContains(t, string(b), "null", "%s", b)
	page := api.Page[api.Bakeoff]{}
	fillLists(reflect.ValueOf(&page).Elem())
	assert.NotNil(t, page.Items)
	forecast := api.Forecast{}
	fillLists(reflect.ValueOf(&forecast).Elem())
	assert.Nil(t, forecast.Flags, "what may be left out is")
	assert.NotNil(t, forecast.Series)
}
