package service

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestOfWhichSeriesLittleIsKnown(t *testing.T) {
	assert.Equal(t, "fewer than 16 values are known of tea: its forecasts go by little", fewValues([]string{"tea"}))
	assert.Equal(t, "fewer than 16 values are known of 2 series (tea, ink): their forecasts go by little", fewValues([]string{"tea", "ink"}))
	assert.Equal(t, "fewer than 16 values are known of 5 series (a, b, c and 2 more): their forecasts go by little",
		fewValues([]string{"a", "b", "c", "d", "e"}))
}
