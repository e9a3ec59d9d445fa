package service

import (
	"context"

	"paperkettle/api"
	"paperkettle/core/model"
)

func (s *Server) registerFamilies() {
	handle(s, api.ListFamilies, func(context.Context, *struct{}) (api.Page[api.Family], error) {
		out := api.Page[api.Family]{Total: len(s.catalogue)}
		for i := range s.catalogue {
			out.Items = append(out.Items, familyOf(&s.catalogue[i]))
		}
		return out, nil
	})
	handle(s, api.GetFamily, func(_ context.Context, in *struct {
		Family string `path:"family"`
	}) (api.Family, error) {
		f, err := s.catalogue.Find(in.Family)
		if err != nil {
			return api.Family{}, notFound("%v", err)
		}
		return familyOf(f), nil
	})
}

func familyOf(f *model.Family) api.Family {
	out := api.Family{Name: f.Name, Summary: f.Summary, Reference: f.Reference, AcrossSeries: f.AcrossSeries, Settings: []api.Setting{}}
	for _, x := range f.Settings {
		out.Settings = append(out.Settings, api.Setting{Name: x.Name, Kind: string(x.Kind), Meaning: x.Meaning, Default: x.Default, Auto: x.Auto, Min: x.Min, Max: x.Max, Choices: x.Choices})
	}
	return out
}
