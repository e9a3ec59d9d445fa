package export

import (
	"bytes"
	"fmt"
	"html/template"
	"image/color"
	"io"
	"math"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	vgdraw "gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgsvg"
)

// Report is a page that stands by itself: no file of it lies elsewhere.
type Report struct {
	Title    string
	Lead     string
	Facts    [][2]string
	Sections []Section
}

// Section is a part of a report: a table, pictures or both.
type Section struct {
	Title    string
	Note     string
	Head     []string
	Rows     [][]string
	Pictures []template.HTML
}

// Curve is a line of a picture, at x = 1, 2, ... from Start on.
type Curve struct {
	Name   string
	Start  int
	Values []float64
	Band   [2][]float64 // its interval, where there is one
	Ink    bool         // of actuals
}

// hues are a colour-blind-safe set in a fixed order, those of the console.
var hues = []color.RGBA{{0x00, 0x4f, 0x94, 255}, {0xb3, 0x4e, 0x06, 255}, {0x00, 0x75, 0x5a, 255}, {0x9a, 0x3d, 0x80, 255},
	{0x5f, 0x5a, 0x00, 255}, {0x1f, 0x6f, 0xa8, 255}, {0x8a, 0x2b, 0x2b, 255}, {0x55, 0x55, 0x77, 255}}

var ink = color.RGBA{0x1d, 0x1b, 0x18, 255}

// Picture draws curves as an SVG.
func Picture(title, unit string, names []string, curves []Curve) (template.HTML, error) {
	p := plot.New()
	p.Title.Text, p.Y.Label.Text = title, unit
	p.Title.TextStyle.Font = font.Font{Typeface: "Liberation", Variant: "Sans", Size: 11}
	p.BackgroundColor = color.Transparent
	p.X.Tick.Marker = named(names)
	legend := ""
	for i, c := range curves {
		hue := hues[i%len(hues)]
		if c.Ink {
			hue = ink
		}
		if err := draw(p, c, hue); err != nil {
			return "", err
		}
		if c.Name != "" {
			legend += fmt.Sprintf(`<span><i style="background:#%02x%02x%02x"></i>%s</span> `, hue.R, hue.G, hue.B, template.HTMLEscapeString(c.Name))
		}
	}
	canvas := vgsvg.New(22*vg.Centimeter, 7*vg.Centimeter)
	p.Draw(vgdraw.New(canvas))
	var b bytes.Buffer
	if _, err := canvas.WriteTo(&b); err != nil {
		return "", err
	}
	// The SVG is the page's own: what names could hold is escaped by its writer.
	_, body, _ := bytes.Cut(b.Bytes(), []byte("<svg"))
	return template.HTML("<figcaption>" + legend + "</figcaption><svg" + string(body)), nil //nolint:gosec // made by the plotter and escaped above
}

func draw(p *plot.Plot, c Curve, hue color.RGBA) error {
	for from := 0; from < len(c.Band[0]); from++ {
		to := from // steps side by side that have an interval
		for to < len(c.Band[0]) && !math.IsNaN(c.Band[0][to]) {
			to++
		}
		if to > from {
			if err := fill(p, c, from, to, hue); err != nil {
				return err
			}
		}
		from = to
	}
	var run plotter.XYs
	flush := func() error {
		if len(run) > 0 {
			line, err := plotter.NewLine(run)
			if err != nil {
				return err
			}
			line.Color, line.Width = hue, vg.Points(1.2)
			p.Add(line)
		}
		run = nil
		return nil
	}
	for i, v := range c.Values {
		if math.IsNaN(v) {
			if err := flush(); err != nil {
				return err
			}
			continue
		}
		run = append(run, plotter.XY{X: float64(c.Start + i), Y: v})
	}
	return flush()
}

// fill draws the band of the steps from..to-1.
func fill(p *plot.Plot, c Curve, from, to int, hue color.RGBA) error {
	var ring plotter.XYs
	for i := from; i < to; i++ {
		ring = append(ring, plotter.XY{X: float64(c.Start + i), Y: c.Band[1][i]})
	}
	for i := to - 1; i >= from; i-- {
		ring = append(ring, plotter.XY{X: float64(c.Start + i), Y: c.Band[0][i]})
	}
	band, err := plotter.NewPolygon(ring)
	if err != nil {
		return err
	}
	band.Color = color.NRGBA{hue.R, hue.G, hue.B, 40}
	band.LineStyle.Width = 0
	p.Add(band)
	return nil
}

// named marks an axis with a few of its names.
type named []string

func (n named) Ticks(low, high float64) []plot.Tick {
	var out []plot.Tick
	every := max(1, int(high-low)/8)
	for i := max(0, int(math.Ceil(low))); i <= int(high) && i < len(n); i++ {
		if i%every == 0 {
			out = append(out, plot.Tick{Value: float64(i), Label: n[i]})
		}
	}
	return out
}

// WriteReport writes the page.
func WriteReport(w io.Writer, r Report) error {
	if err := page.Execute(w, r); err != nil {
		return fmt.Errorf("writing the report: %w", err)
	}
	return nil
}

var page = template.Must(template.New("report").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{{.Title}}</title>
<style>
body{font:14px/1.45 Inter,system-ui,sans-serif;color:#1d1b18;background:#fbf8f1;max-width:1100px;margin:2rem auto;padding:0 1rem}
h1{font-size:19px;font-weight:500}h2{font-size:15px;border-bottom:1px solid #d9d2c3;padding-bottom:3px;margin-top:2rem}
table{border-collapse:collapse;font-size:13px;font-variant-numeric:tabular-nums}th,td{padding:3px 14px 3px 0;text-align:right;border-bottom:1px solid #e6e0d3;white-space:nowrap}
th:first-child,td:first-child{text-align:left}th{color:#6b655a;font-weight:500}
dl{display:grid;grid-template-columns:max-content 1fr;gap:2px 18px;font-size:13px}dt{color:#6b655a}dd{margin:0}p.note{color:#6b655a;font-size:13px}
figure{margin:10px 0}figcaption{font-size:13px}figcaption i{display:inline-block;width:16px;height:2px;vertical-align:middle;margin:0 5px 0 0}figcaption span{margin-right:14px}
svg text{font-family:Inter,system-ui,sans-serif!important}.scroll{overflow-x:auto}svg{max-width:100%;height:auto;margin:6px 0}
</style></head><body>
<h1>{{.Lead}}</h1>
<dl>{{range .Facts}}<dt>{{index . 0}}</dt><dd>{{index . 1}}</dd>{{end}}</dl>
{{range .Sections}}<h2>{{.Title}}</h2>
{{if .Note}}<p class="note">{{.Note}}</p>{{end}}
{{if .Rows}}<div class="scroll"><table><thead><tr>{{range .Head}}<th>{{.}}</th>{{end}}</tr></thead><tbody>
{{range .Rows}}<tr>{{range .}}<td>{{.}}</td>{{end}}</tr>
{{end}}</tbody></table></div>{{end}}
{{range .Pictures}}<figure>{{.}}</figure>{{end}}
{{end}}</body></html>
`))
