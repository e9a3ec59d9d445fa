package export_test

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/export"
)

const hostile = `<script>alert("x")</script> & 'tea'`

// A report shows what names hold as text, in the page and in its pictures, and asks for nothing from elsewhere.
func TestReportsShowNamesAsText(t *testing.T) {
	picture, err := export.Picture(hostile, hostile, []string{hostile, "b"}, []export.Curve{{Name: hostile, Values: []float64{1, 2}}})
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, export.WriteReport(&b, export.Report{Title: hostile, Lead: hostile, Facts: [][2]string{{hostile, hostile}},
		Sections: []export.Section{{Title: hostile, Note: hostile, Head: []string{hostile}, Rows: [][]string{{hostile}}}, {Title: "Curves"}}}))
	for _, text := range []string{b.String(), string(picture)} {
		assert.NotContains(t, text, "<script")
		assert.Contains(t, text, "&lt;script&gt;")
	}
	page := b.String()
	assert.Equal(t, 8, strings.Count(page, "&lt;script&gt;"), "each is shown where it was put")
	for _, from := range []string{"http://", "https://", "src=", "@import", "url("} {
		assert.NotContains(t, page, from)
	}
}

// drawn counts the elements of an SVG, which must be whole.
func drawn(t *testing.T, curves ...export.Curve) map[string]int {
	t.Helper()
	picture, err := export.Picture("sold of cups", "sold", []string{"1", "2", "3", "4", "5", "6"}, curves)
	require.NoError(t, err)
	_, svg, found := strings.Cut(string(picture), "</figcaption>")
	require.True(t, found)
	assert.NotContains(t, svg, "NaN")
	assert.NotContains(t, svg, "Inf")
	d := xml.NewDecoder(strings.NewReader(svg))
	d.Strict = true
	out := map[string]int{}
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return out
		}
		require.NoError(t, err)
		if e, ok := token.(xml.StartElement); ok {
			out[e.Name.Local]++
		}
	}
}

// A line breaks where nothing is known, a band where a step has none; what is all unknown, or all the same, is
// drawn without fault.
func TestPicturesBreakWhereNothingIsKnown(t *testing.T) {
	unknown := math.NaN()
	whole := drawn(t, export.Curve{Name: "a", Values: []float64{1, 2, 3, 4, 5, 6}})
	broken := drawn(t, export.Curve{Name: "a", Values: []float64{1, 2, unknown, 4, 5, 6}})
	assert.Equal(t, whole["path"]+1, broken["path"])
	band := func(low ...float64) export.Curve {
		high := make([]float64, len(low))
		for i, v := range low {
			high[i] = v + 2
		}
		return export.Curve{Name: "b", Start: 2, Values: []float64{2, 2, 2}, Band: [2][]float64{low, high}}
	}
	one, two := drawn(t, band(1, 1, 1)), drawn(t, band(1, unknown, 1))
	assert.Equal(t, one["path"]+1, two["path"], "two bands")
	assert.Equal(t, one["path"]-1, drawn(t, band(unknown, unknown, unknown))["path"], "no band")
	for _, values := range [][]float64{{unknown, unknown}, {}, {0, 0, 0}, {7}, {1e15, -1e15}, {1e-12, 2e-12}} {
		assert.Positive(t, drawn(t, export.Curve{Name: "c", Values: values, Ink: true})["svg"], "%v", values)
	}
	assert.Positive(t, drawn(t)["svg"], "no curve at all")
}
