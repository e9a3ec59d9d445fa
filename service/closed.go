package service

import (
	"context"
	"slices"
	"strings"

	"paperkettle/api"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
)

func (s *Server) getClosed(ctx context.Context, in *RevisionPath) (api.ClosedReport, error) {
	p, err := s.panelOf(ctx, in.Dataset, in.Revision)
	if err != nil {
		return api.ClosedReport{}, err
	}
	shown, err := s.showDataset(ctx, in.Dataset, in.Revision)
	return closedReport(shown, p), err
}

// setClosed writes the next revision of a dataset with other lines.
func (s *Server) setClosed(ctx context.Context, in *struct {
	DatasetPath
	Body api.ClosedLines
}) (api.ClosedReport, error) {
	var lines []string
	for _, line := range in.Body.Lines {
		if line = strings.Join(strings.Fields(line), " "); !slices.Contains(lines, line) {
			lines = append(lines, line)
		}
	}
	var shown api.Dataset
	next, err := s.changeEvents(ctx, in.Dataset, "set closed", closedText(lines), func(p *panel.Panel) (*panel.Panel, error) {
		if err := panel.ParseClosed(p, lines); err != nil {
			return nil, invalid("body.lines", "%v", err)
		}
		out := *p
		out.Closed = lines
		return &out, nil
	}, &shown)
	if err != nil {
		return api.ClosedReport{}, err
	}
	return closedReport(shown, next), nil
}

func closedReport(shown api.Dataset, p *panel.Panel) api.ClosedReport {
	out := api.ClosedReport{Dataset: shown, Lines: []api.ClosedLine{}}
	held := p.WithClosed(p.Length - 1).ClosedSeries()
	for _, line := range p.Closed {
		out.Lines = append(out.Lines, api.ClosedLine{Line: line, Series: held[line], Of: len(p.Series)})
	}
	return out
}

// closedSteps are the steps of a forecast on which nothing happens.
func closedSteps(rows forecast.Rows) (out []int) {
	for h := range rows.Mean {
		if rows.IsClosed(h) {
			out = append(out, h)
		}
	}
	return out
}

// gapsOf is what a gap means once the lines of closed periods have their say.
func gapsOf(before panel.Gaps, p *panel.Panel) panel.Gaps {
	switch closed := slices.Contains(p.Closed, panel.ClosedGaps); {
	case closed:
		return panel.GapsClosed
	case before == panel.GapsClosed:
		return panel.GapsUnknown
	}
	return before
}

func closedText(lines []string) string {
	if len(lines) == 0 {
		return "nothing is closed"
	}
	return "closed: " + strings.Join(lines, ", ")
}
