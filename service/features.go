package service

import (
	"context"

	"paperkettle/api"
	"paperkettle/core/feature"
	"paperkettle/core/panel"
)

// listFeatures says what declared lines stand for in a dataset.
func (s *Server) listFeatures(ctx context.Context, in *struct {
	DatasetPath
	Lines   []string `query:"line,explode" doc:"a declaration, as \"lag 1 to 4\"; those that suit the dataset where left out"`
	Horizon int      `query:"horizon" default:"1" minimum:"1" maximum:"10000"`
}) (api.FeatureList, error) {
	out := api.FeatureList{Lines: in.Lines, Features: []api.Feature{}, Notes: []string{}}
	_, rev, err := s.dataset(ctx, in.Dataset)
	if err != nil {
		return out, err
	}
	p, err := s.store.Panel(ctx, rev.ID)
	if err != nil {
		return out, err
	}
	series := make([]int, len(p.Series))
	for i := range series {
		series[i] = i
	}
	setting := feature.SettingOf(panel.NewView(p, series, 0, p.Length-1).WithAhead(nil, in.Horizon), in.Horizon)
	if len(out.Lines) == 0 {
		out.Lines = feature.Usual(setting, true, true)
	}
	recipe, err := feature.Parse(out.Lines, setting)
	if err != nil {
		return out, invalid("query.line", "%v", err)
	}
	for _, c := range recipe.Columns {
		out.Features = append(out.Features, api.Feature{Name: c.Name, Line: c.Line, Meaning: c.Meaning, Known: string(c.Known)})
	}
	out.Notes = append(out.Notes, recipe.Notes...)
	return out, nil
}
