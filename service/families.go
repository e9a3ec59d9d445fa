package service

import (
	"context"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"paperkettle/api"
	"paperkettle/core/model"
	"paperkettle/core/score"
)

func (s *Server) registerFamilies() {
	handle(s, api.ListFeatures, s.listFeatures)
	handle(s, api.ForecastTable, s.forecastTable)
	s.takesFile(api.ForecastTable)
	handle(s, api.ListFamilies, func(context.Context, *struct{}) (api.Page[api.Family], error) {
		out := api.Page[api.Family]{Total: len(s.catalogue)}
		for i := range s.catalogue {
			out.Items = append(out.Items, familyOf(&s.catalogue[i], s.catalogue.Across(s.catalogue[i].Name, nil)))
		}
		return out, nil
	})
	handle(s, api.ListMetrics, func(context.Context, *struct{}) (api.Page[api.Metric], error) {
		var out api.Page[api.Metric]
		for _, m := range score.Metrics(usualLevels) {
			out.Items = append(out.Items, metricOf(m))
		}
		out.Total = len(out.Items)
		return out, nil
	})
	handle(s, api.GetFamily, func(_ context.Context, in *struct {
		Family string `path:"family"`
	}) (api.Family, error) {
		f, err := s.catalogue.Find(in.Family)
		if err != nil {
			return api.Family{}, notFound("%v", err)
		}
		return familyOf(f, s.catalogue.Across(f.Name, nil)), nil
	})
}

// describeSettings puts every family's settings into the contract's document, from
// the catalogue alone: one schema a family, and a list of them at a contender.
func (s *Server) describeSettings() {
	schemas := s.contract.OpenAPI().Components.Schemas
	byFamily := map[string]any{}
	for _, f := range s.catalogue {
		name := "Settings"
		for _, word := range strings.Split(f.Name, "-") {
			name += strings.ToUpper(word[:1]) + word[1:]
		}
		properties := map[string]*huma.Schema{}
		for _, x := range f.Settings {
			properties[x.Name] = settingSchema(x)
		}
		schemas.Map()[name] = &huma.Schema{Type: huma.TypeObject, Description: "Settings of " + f.Name + ". " + f.Summary, Properties: properties,
			AdditionalProperties: false}
		byFamily[f.Name] = map[string]string{"$ref": "#/components/schemas/" + name}
	}
	schemas.Map()["Contender"].Properties["settings"].Extensions = map[string]any{"x-by-family": byFamily}
}

func settingSchema(x model.Setting) *huma.Schema {
	out := &huma.Schema{Description: x.Meaning, Default: x.Default, Minimum: x.Min, Maximum: x.Max}
	if x.Auto != "" {
		out.Description += "; left out: " + x.Auto
	}
	switch x.Kind {
	case model.Whole:
		out.Type = huma.TypeInteger
	case model.Amount:
		out.Type = huma.TypeNumber
	case model.Switch:
		out.Type = huma.TypeBoolean
	default:
		out.Type = huma.TypeString
		for _, c := range x.Choices {
			out.Enum = append(out.Enum, c)
		}
	}
	return out
}

func familyOf(f *model.Family, across bool) api.Family {
	out := api.Family{Name: f.Name, Summary: f.Summary, Reference: f.Reference, AcrossSeries: across, Settings: []api.Setting{}}
	for _, x := range f.Settings {
		out.Settings = append(out.Settings, api.Setting{Name: x.Name, Kind: string(x.Kind), Meaning: x.Meaning, Default: x.Default, Auto: x.Auto,
			Min: x.Min, Max: x.Max, Choices: x.Choices})
	}
	return out
}
