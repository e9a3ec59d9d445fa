package feature

import (
	"fmt"
	"math"
	"slices"
	"strconv"

	"paperkettle/core/panel"
)

type calendarDriver = panel.Driver

// transform is one thing that is done to a driver.
type transform struct {
	Kind   string
	Width  int
	Amount float64
}

// transforms reads "log", "log 1" (of one more), "change", "lag 2", "carry 0.6", "saturate 3", one after another.
func transforms(words []string) (out []transform, err error) {
	for i := 0; i < len(words); i++ {
		t := transform{Kind: words[i]}
		switch words[i] {
		case "change":
		case "log":
			if i+1 < len(words) {
				if shift, err := strconv.ParseFloat(words[i+1], 64); err == nil {
					if i++; shift < 0 {
						return nil, fmt.Errorf("what is added before a log is taken is 0 or more")
					}
					t.Amount = shift
				}
			}
		case "lag", "carry", "saturate":
			if i++; i == len(words) {
				return nil, fmt.Errorf("%s needs a number", t.Kind)
			}
			if t.Amount, err = strconv.ParseFloat(words[i], 64); err != nil {
				return nil, fmt.Errorf("%s needs a number, not %q", t.Kind, words[i])
			}
			if err := t.check(); err != nil {
				return nil, err
			}
		default:
			return nil, fmt.Errorf("%q is nothing that can be done to a driver: there are log, change, lag 2, carry 0.6, saturate 3", words[i])
		}
		out = append(out, t)
	}
	return out, nil
}

func (t *transform) check() error {
	switch t.Kind {
	case "lag":
		if t.Width = int(t.Amount); float64(t.Width) != t.Amount || t.Width < 1 {
			return fmt.Errorf("a lag is a whole number from 1 on: what comes later is not known")
		}
	case "carry":
		if t.Amount <= 0 || t.Amount >= 1 {
			return fmt.Errorf("what is carried over from a period to the next is a share between 0 and 1")
		}
	default:
		if t.Amount <= 0 {
			return fmt.Errorf("the value that reaches half of the saturated effect is above 0")
		}
	}
	return nil
}

func stepWords(steps []transform) (out string) {
	for _, t := range steps {
		switch t.Kind {
		case "change":
			out += " " + t.Kind
		case "log":
			if out += " log"; t.Amount > 0 {
				out += fmt.Sprintf(" %g", t.Amount)
			}
		case "lag", "carry", "saturate":
			out += fmt.Sprintf(" %s %g", t.Kind, t.Amount)
		case "window quantile":
			out += fmt.Sprintf(" quantile %g over %d", 100*t.Amount, t.Width)
		default:
			out += fmt.Sprintf(" %s %d", t.Kind[len("window "):], t.Width)
		}
	}
	return out
}

// apply runs over a driver's values, in place or anew.
//
// Source of carry-over (a geometric distributed lag): Koyck, Distributed Lags and Investment
// Analysis (1954); of saturation (x over x and a half-way value): Michaelis and Menten,
// Biochemische Zeitschrift 49 (1913).
func (t transform) apply(x []float64) []float64 {
	out := make([]float64, len(x))
	switch t.Kind {
	case "log":
		for i, v := range x {
			if out[i] = panel.Unknown; v+t.Amount > 0 {
				out[i] = math.Log(v + t.Amount)
			}
		}
	case "change", "lag":
		lag := max(1, t.Width)
		for i := range x {
			out[i] = panel.Unknown
			if i >= lag {
				out[i] = x[i-lag]
			}
			if t.Kind == "change" {
				out[i] = x[i] - out[i]
			}
		}
	case "carry":
		sum := 0.0
		for i, v := range x {
			if panel.Known(v) {
				sum = v + t.Amount*sum
			} else {
				sum *= t.Amount
			}
			out[i] = sum
		}
	case "saturate":
		for i, v := range x {
			out[i] = v / (math.Abs(v) + t.Amount)
		}
	default:
		for i := range x {
			out[i] = panel.Unknown
			if i+1 >= t.Width {
				out[i] = windowed(t.Kind[len("window "):], x[i+1-t.Width:i+1], t.Width, t.Amount)
			}
		}
	}
	return out
}

// windowed is the mean, spread or quantile of the known values of a window of so many periods, unknown
// where fewer than half of them are known.
func windowed(what string, x []float64, width int, share float64) float64 {
	middle := mean(x, width)
	if what == "mean" || !panel.Known(middle) {
		return middle
	}
	if what == "spread" {
		return spread(x, middle)
	}
	known := make([]float64, 0, len(x))
	for _, v := range x {
		if panel.Known(v) {
			known = append(known, v)
		}
	}
	slices.Sort(known)
	at := share * float64(len(known)-1)
	k := int(at)
	if k+1 >= len(known) {
		return known[len(known)-1]
	}
	return known[k] + (at-float64(k))*(known[k+1]-known[k])
}

// spread is the standard deviation of the known values around their mean.
func spread(x []float64, mean float64) float64 {
	n, ss := 0.0, 0.0
	for _, v := range x {
		if panel.Known(v) {
			n, ss = n+1, ss+(v-mean)*(v-mean)
		}
	}
	return math.Sqrt(ss / n)
}
