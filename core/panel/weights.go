package panel

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
)

// Weights say how much each series counts in a weighted score: by its volume or its
// revenue over the last periods, or by a column.
type Weights struct {
	Column string // a driver's last value, or an attribute that is a number
	Times  string // with Over: the measure times this driver
	Over   int    // periods up to the origin
}

var errWeights = errors.New(`write weights as volume:28 (the measure over the last 28 periods), volume*price:28 (times a driver) or column:NAME`)

// ParseWeights reads volume:28, volume*price:28 or column:size. Empty text means that
// all series count the same.
func ParseWeights(s string) (Weights, error) {
	if s == "" {
		return Weights{}, nil
	}
	what, arg, ok := strings.Cut(s, ":")
	if !ok || arg == "" {
		return Weights{}, errWeights
	}
	if what == "column" {
		return Weights{Column: arg}, nil
	}
	base, times, _ := strings.Cut(what, "*")
	n, err := strconv.Atoi(arg)
	if base != "volume" || err != nil || n < 1 || strings.HasSuffix(what, "*") {
		return Weights{}, errWeights
	}
	return Weights{Times: times, Over: n}, nil
}

// String is the text that ParseWeights reads.
func (w Weights) String() string {
	switch {
	case w.Column != "":
		return "column:" + w.Column
	case w.Times != "":
		return fmt.Sprintf("volume*%s:%d", w.Times, w.Over)
	case w.Over > 0:
		return fmt.Sprintf("volume:%d", w.Over)
	}
	return ""
}

// Check says what keeps the weights from fitting a panel.
func (w Weights) Check(p *Panel) error {
	if w.Column != "" {
		if driverIndex(p, w.Column) >= 0 {
			return nil
		}
		if a, err := p.AttributeIndex(w.Column); err == nil {
			for _, v := range p.Attributes[a].Values {
				if _, err := strconv.ParseFloat(v, 64); err != nil {
					return fmt.Errorf("the attribute %q can't weigh series: its value %q is not a number", w.Column, v)
				}
			}
			return nil
		}
		return fmt.Errorf("the dataset has no column %q to weigh by: name a driver, or an attribute that is a number", w.Column)
	}
	if w.Times != "" && driverIndex(p, w.Times) < 0 {
		return fmt.Errorf("the dataset has no driver %q to multiply the measure by", w.Times)
	}
	return nil
}

func driverIndex(p *Panel, name string) int {
	for d := range p.Drivers {
		if p.Drivers[d].Name == name {
			return d
		}
	}
	return -1
}

// Of gives each of the given series its weight as seen at an origin: nothing later
// counts. They are not negative and add up to 1; where nothing tells them apart, all
// are the same.
func (w Weights) Of(p *Panel, series []int, origin int) []float64 {
	out := make([]float64, len(series))
	sum := 0.0
	for k, i := range series {
		if v := w.one(p, i, origin); v > 0 {
			out[k] = v
			sum += v
		}
	}
	for k := range out {
		if sum > 0 {
			out[k] /= sum
		} else {
			out[k] = 1 / float64(len(out))
		}
	}
	return out
}

func (w Weights) one(p *Panel, i, origin int) float64 {
	s := &p.Series[i]
	switch {
	case w.Column != "":
		if d := driverIndex(p, w.Column); d >= 0 {
			return lastKnown(s.Drivers[d], origin-s.First)
		}
		a, err := p.AttributeIndex(w.Column)
		if err != nil {
			return 0
		}
		v, _ := strconv.ParseFloat(p.Label(a, i), 64)
		return finite(v)
	case w.Over == 0:
		return 1
	}
	var times []float64
	if w.Times != "" {
		d := driverIndex(p, w.Times)
		if d < 0 {
			return 0
		}
		times = s.Drivers[d]
	}
	total := 0.0
	for t := max(origin-w.Over+1, s.First); t <= min(origin, s.End()-1); t++ {
		v := s.At(t)
		if w.Times != "" {
			v *= lastKnown(times, t-s.First)
		}
		if Known(v) {
			total += v
		}
	}
	return total
}

// lastKnown is the last known value up to an index; unknown where there is none.
func lastKnown(values []float64, at int) float64 {
	for i := min(at, len(values)-1); i >= 0; i-- {
		if Known(values[i]) {
			return values[i]
		}
	}
	return Unknown
}
