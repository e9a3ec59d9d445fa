package model

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// Kind is the type of a setting's value.
type Kind string

// The kinds of settings.
const (
	Whole  Kind = "whole"  // a whole number
	Amount Kind = "amount" // any number
	Choice Kind = "choice" // one of Choices
	Switch Kind = "switch" // true or false
	List   Kind = "list"   // names apart by commas
)

// Setting is one knob of a family: from it come the catalogue's pages, the API's
// schema and the console's form.
type Setting struct {
	Name    string   `json:"name"`
	Kind    Kind     `json:"kind" enum:"whole,amount,choice,switch,list"`
	Meaning string   `json:"meaning"`
	Default any      `json:"default,omitempty" doc:"left out where the default depends on the data"`
	Auto    string   `json:"auto,omitempty" doc:"how the default is found from the data"`
	Min     *float64 `json:"min,omitempty"`
	Max     *float64 `json:"max,omitempty"`
	Choices []string `json:"choices,omitempty"`
}

// Values are the settings as given, by name. Those left out take their default.
type Values map[string]any

// SettingError says which setting can't be had as it was given.
type SettingError struct {
	Setting string
	Err     error
}

func (e *SettingError) Error() string { return e.Err.Error() }
func (e *SettingError) Unwrap() error { return e.Err }

// FamilyError says that no family has a name.
type FamilyError struct {
	Family string
	Known  []string
}

func (e *FamilyError) Error() string {
	return fmt.Sprintf("no family is called %q: the catalogue has %s", e.Family, strings.Join(e.Known, ", "))
}

// Defaults are the settings' defaults, of those that have one that depends on no data.
func Defaults(settings []Setting) Values {
	out := Values{}
	for _, s := range settings {
		if s.Default != nil {
			out[s.Name] = s.Default
		}
	}
	return out
}

// Resolve checks values against the settings and gives each its right Go type
// (int, float64, string, bool). Settings whose default depends on the data stay
// out.
func Resolve(settings []Setting, given Values) (Values, error) {
	out := Values{}
	for name := range given {
		if !slices.ContainsFunc(settings, func(s Setting) bool { return s.Name == name }) {
			return nil, &SettingError{name, fmt.Errorf("no setting is called %q: %s", name, listSettings(settings))}
		}
	}
	for _, s := range settings {
		v, ok := given[s.Name]
		if !ok || v == nil || v == "" {
			if v = s.Default; v == nil {
				continue
			}
		}
		value, err := s.parse(v)
		if err != nil {
			return nil, &SettingError{s.Name, fmt.Errorf("setting %s: %w", s.Name, err)}
		}
		out[s.Name] = value
	}
	return out, nil
}

func listSettings(settings []Setting) string {
	if len(settings) == 0 {
		return "this family has none"
	}
	names := make([]string, len(settings))
	for i, s := range settings {
		names[i] = s.Name
	}
	return "this family has " + strings.Join(names, ", ")
}

func (s Setting) parse(v any) (any, error) {
	text := strings.TrimSpace(fmt.Sprint(v))
	switch s.Kind {
	case Whole, Amount:
		x, err := strconv.ParseFloat(text, 64)
		if err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
			return nil, fmt.Errorf("%q is not a number", text)
		}
		if s.Kind == Whole && x != math.Trunc(x) {
			return nil, fmt.Errorf("%q is not a whole number", text)
		}
		if s.Min != nil && x < *s.Min || s.Max != nil && x > *s.Max {
			return nil, fmt.Errorf("%s is out of range: %s", text, s.rangeText())
		}
		if s.Kind == Whole {
			return int(x), nil
		}
		return x, nil
	case Choice:
		if !slices.Contains(s.Choices, text) {
			return nil, fmt.Errorf("%q is not one of %s", text, strings.Join(s.Choices, ", "))
		}
		return text, nil
	case List:
		if list, ok := listed(v); ok {
			return list, nil
		}
		var names []string
		for _, n := range strings.Split(strings.Trim(text, "[]"), ",") {
			if n = strings.TrimSpace(n); n != "" {
				names = append(names, n)
			}
		}
		return names, nil
	}
	b, err := strconv.ParseBool(text)
	if err != nil {
		return nil, fmt.Errorf("%q is neither true nor false", text)
	}
	return b, nil
}

// listed is a list that came as one, so that its names may hold commas.
func listed(v any) (names []string, ok bool) {
	switch list := v.(type) {
	case []string:
		return list, true
	case []any:
		for _, x := range list {
			names = append(names, strings.TrimSpace(fmt.Sprint(x)))
		}
		return names, true
	}
	return nil, false
}

func (s Setting) rangeText() string {
	switch {
	case s.Max == nil:
		return fmt.Sprintf("at least %v", *s.Min)
	case s.Min == nil:
		return fmt.Sprintf("at most %v", *s.Max)
	}
	return fmt.Sprintf("from %v to %v", *s.Min, *s.Max)
}

// Int is a whole setting, or fallback where it was left out.
func (v Values) Int(name string, fallback int) int {
	if x, ok := v[name].(int); ok {
		return x
	}
	return fallback
}

// Names is a list, or nil where it was left out.
func (v Values) Names(name string) []string {
	x, _ := v[name].([]string)
	return x
}

// Text is a choice, or fallback where it was left out.
func (v Values) Text(name, fallback string) string {
	if x, ok := v[name].(string); ok {
		return x
	}
	return fallback
}
