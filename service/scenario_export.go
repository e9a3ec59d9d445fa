package service

import (
	"bufio"
	"context"
	"errors"
	"fmt"

	"paperkettle/core/bakeoff"
	"paperkettle/core/panel"
	"paperkettle/export"
	"paperkettle/store"
)

// exportScenario streams every series, case and step.
func (s *Server) exportScenario(ctx context.Context, in *struct {
	ScenarioPath
	Format string `query:"format" enum:"csv,csv-text,json,jsonl,xlsx,parquet" default:"csv"`
}) (stream, error) {
	sc, err := s.findScenario(ctx, in.Scenario)
	if err != nil {
		return stream{}, err
	}
	format, mediaType, err := asFormat(in.Format)
	if err != nil {
		return stream{}, err
	}
	about, err := s.scenarioOf(ctx, sc, false)
	if err != nil {
		return stream{}, err
	}
	if sc.State != store.ScenarioReady {
		return stream{}, conflict("%s is %s: there is nothing to export", about.ID, sc.State)
	}
	p, err := s.store.Panel(ctx, sc.RevisionID)
	if err != nil {
		return stream{}, err
	}
	return stream{name: about.ID + export.Extension(format), mediaType: mediaType, write: func(w *bufio.Writer) error {
		t, err := export.NewTable(w, format, scenarioColumns(p, about.Levels))
		if err != nil {
			return err
		}
		err = s.results.EachScenario(s.ctx, sc.ID, func(x *bakeoff.ScenarioSeries) error {
			for k := range x.Outcomes {
				for h := range x.Outcomes[k].Mean {
					if err := t.Row(scenarioRow(p, x, caseName(about.Cases, k), k, h)); err != nil {
						return err
					}
				}
			}
			return nil
		})
		return errors.Join(err, t.Close())
	}}, nil
}

func scenarioColumns(p *panel.Panel, levels []float64) []export.Column {
	var out []export.Column
	for _, a := range p.Attributes {
		out = append(out, export.Column{Name: a.Name, Kind: export.Text})
	}
	out = append(out, export.Column{Name: "case", Kind: export.Text}, export.Column{Name: "contender", Kind: export.Text},
		export.Column{Name: "step", Kind: export.Whole}, export.Column{Name: "period", Kind: export.Text},
		export.Column{Name: "forecast", Kind: export.Number})
	for _, l := range levels {
		out = append(out, export.Column{Name: fmt.Sprintf("low%v", l), Kind: export.Number},
			export.Column{Name: fmt.Sprintf("high%v", l), Kind: export.Number})
	}
	out = append(out, export.Column{Name: "change", Kind: export.Number})
	for _, l := range levels {
		out = append(out, export.Column{Name: fmt.Sprintf("change_low%v", l), Kind: export.Number},
			export.Column{Name: fmt.Sprintf("change_high%v", l), Kind: export.Number})
	}
	return out
}

func scenarioRow(p *panel.Panel, x *bakeoff.ScenarioSeries, name string, k, h int) []export.Cell {
	var row []export.Cell
	for _, label := range p.Labels(p.Find(x.Series)) {
		row = append(row, export.Cell{Text: label})
	}
	o := &x.Outcomes[k]
	row = append(row, export.Cell{Text: name}, export.Cell{Text: x.Contender}, export.Cell{Number: float64(h + 1)},
		export.Cell{Text: p.Period(p.Length + h)}, export.Cell{Number: o.Mean[h]})
	for l := range o.Low {
		row = append(row, export.Cell{Number: o.Low[l][h]}, export.Cell{Number: o.High[l][h]})
	}
	row = append(row, export.Cell{Number: o.Change[h]})
	for l := range o.Low {
		row = append(row, export.Cell{Number: o.ChangeLow[l][h]}, export.Cell{Number: o.ChangeHi[l][h]})
	}
	return row
}
