package ingest_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/ingest"
)

// An attribute with the name of an export's own column would give exports two of it.
func TestAttributesAreNotCalledAsExportsAre(t *testing.T) {
	for _, name := range []string{"origin", "step", "forecast", "low80", "high99.9"} {
		_, err := ingest.Columns{Time: "date", Measures: []string{"orders"}, By: []string{"town", name}}.Options()
		assert.ErrorContains(t, err, "rename the column", name)
	}
	for _, name := range []string{"town", "lowlands", "origin country"} {
		_, err := ingest.Columns{Time: "date", Measures: []string{"orders"}, By: []string{name}}.Options()
		assert.NoError(t, err, name)
	}
}
