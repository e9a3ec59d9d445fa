package api_test

import (
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/api"
)

// Names survive being written as a list, whatever commas, quotes and blanks they hold within.
func TestListsOfNamesReadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		names := rapid.SliceOfN(rapid.StringMatching(`[a-zü,"';|=]([a-z ,"]{0,6}[a-z,"])?`), 1, 4).Draw(t, "names")
		got, err := api.SplitNames(api.JoinNames(names))
		require.NoError(t, err)
		assert.Equal(t, names, got)
	})
	got, err := api.SplitNames("town, channel ,line")
	require.NoError(t, err)
	assert.Equal(t, []string{"town", "channel", "line"}, got)
	_, err = api.SplitNames(`to"wn,"x`)
	assert.ErrorContains(t, err, "double quotes")
}

// Every option is declared once, and a request carries all that are given, and no other.
func TestColumnOptionsAreSpelledOnce(t *testing.T) {
	cols := api.LoadColumns{}
	seen := map[string]bool{}
	for o := range cols.Each() {
		assert.NotEmpty(t, o.Name)
		assert.NotEmpty(t, o.Doc, o.Name)
		assert.False(t, seen[o.Name], o.Name)
		assert.False(t, o.Given(), o.Name)
		seen[o.Name] = true
	}
	assert.Empty(t, cols.Query())
	cols = api.LoadColumns{Time: "day", By: []string{"town, part", "line"}, Wide: true, HeaderRow: 2, Where: []string{"a=1,2", "b=3"}}
	assert.Equal(t, url.Values{"time": {"day"}, "by": {`"town, part"`, "line"}, "wide": {"true"}, "header_row": {"2"},
		"where": {"a=1,2", "b=3"}}, cols.Query())
	back := api.LoadColumns{By: cols.Query()["by"]}
	require.NoError(t, back.Tidy())
	assert.Equal(t, cols.By, back.By)
}
