package smoothing

import (
	"fmt"
	"strings"
)

// Form is one of the exponential smoothing models in the trade's three letters: the
// error additive (A) or multiplicative (M); the trend none (N), additive (A) or damped
// (Ad); the season none (N), additive (A) or multiplicative (M).
type Form struct {
	Error, Season byte // 'A', 'M', and 'N' for no season
	Trend         Trend
}

// Trend is the kind of trend.
type Trend byte

// The kinds of trend.
const (
	NoTrend Trend = iota
	Straight
	Damped
)

func (f Form) String() string {
	return string(f.Error) + [...]string{"N", "A", "Ad"}[f.Trend] + string(f.Season)
}

// ParseForm reads the letters, as MAdM or A,Ad,N.
func ParseForm(text string) (Form, error) {
	plain := strings.NewReplacer(",", "", " ", "", "(", "", ")", "").Replace(text)
	for _, f := range Forms() {
		if strings.EqualFold(f.String(), plain) {
			return f, nil
		}
	}
	names := make([]string, 0, 15)
	for _, f := range Forms() {
		names = append(names, f.String())
	}
	return Form{}, fmt.Errorf("%q is no admissible form: use one of %s", text, strings.Join(names, ", "))
}

// Forms lists the admissible forms. Additive errors with a multiplicative season are
// not among them: their forecasts have no finite variance where a state nears zero.
func Forms() []Form {
	var out []Form
	for _, season := range []byte{'N', 'A', 'M'} {
		for _, trend := range []Trend{NoTrend, Straight, Damped} {
			for _, e := range []byte{'A', 'M'} {
				if e == 'M' || season != 'M' {
					out = append(out, Form{e, season, trend})
				}
			}
		}
	}
	return out
}

// Positive says that a form needs values above zero.
func (f Form) Positive() bool { return f.Error == 'M' || f.Season == 'M' }

// words says what a form with a season of m periods does.
func (f Form) words(m int) string {
	trend := [...]string{"a level", "a level and a straight trend", "a level and a damped trend"}[f.Trend]
	season := ""
	if f.Season != 'N' {
		season = fmt.Sprintf(" with %s season of %d", map[byte]string{'A': "an additive", 'M': "a multiplicative"}[f.Season], m)
	}
	err := map[byte]string{'A': "of constant size", 'M': "in proportion to the level"}[f.Error]
	return trend + season + ", errors " + err
}
