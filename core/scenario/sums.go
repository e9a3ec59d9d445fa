package scenario

import (
	"math"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
)

// Sums adds outcomes up over series, whose futures are drawn apart from each other. Cases holds the
// sum of each case, the base first; Widen gives them intervals.
type Sums struct {
	Series int
	Cases  []Outcome
	// Beside is of each case what changes in series whose own drivers and events it leaves as they are.
	Beside []float64
	wide   []widths
}

// widths are sums of standard deviations over series: what the sum's would be if all erred alike.
type widths struct {
	steps []float64
	total float64
}

// Add takes one series' outcomes, the base first.
func (t *Sums) Add(list []Outcome) {
	t.Series++
	for k := range list {
		o := &list[k]
		if k == len(t.Cases) {
			h := len(o.Mean)
			t.wide = append(t.wide, widths{steps: make([]float64, h)})
			t.Beside = append(t.Beside, 0)
			t.Cases = append(t.Cases, Outcome{Mean: make([]float64, h), Change: make([]float64, h), StepVariance: make([]float64, h),
				ChangeVariance: make([]float64, h)})
		}
		sum := &t.Cases[k]
		for i := range o.Mean {
			if o.Expected != nil {
				sum.Mean[i] += o.Expected[i]
			} else {
				sum.Mean[i] += o.Mean[i]
			}
			sum.Change[i] += o.Change[i]
			sum.StepVariance[i] += o.StepVariance[i]
			sum.ChangeVariance[i] += o.ChangeVariance[i]
			t.wide[k].steps[i] += math.Sqrt(o.StepVariance[i])
		}
		sum.Total.Value += o.Total.Value
		sum.Total.Variance += o.Total.Variance
		t.wide[k].total += math.Sqrt(o.Total.Variance)
		sum.TotalChange.Value += o.TotalChange.Value
		sum.TotalChange.Variance += o.TotalChange.Variance
		if o.Beside {
			t.Beside[k] += o.TotalChange.Value
		}
	}
}

// Widen turns the sums' variances into normal intervals at levels in per cent, with errors of
// different series that go together as ties has it. Those of changes are taken for independent: what
// is not known of one series' effects says little of another's.
func (t *Sums) Widen(levels []float64, ties forecast.Ties) {
	for k := range t.Cases {
		o := &t.Cases[k]
		for i, wide := range t.wide[k].steps {
			o.StepVariance[i] += ties.Series * max(0, wide*wide-o.StepVariance[i])
		}
		o.Total.Variance += ties.OfTotals(len(o.Mean)) * max(0, t.wide[k].total*t.wide[k].total-o.Total.Variance)
		for _, level := range levels {
			z := num.NormalQuantile(0.5 + level/200)
			o.Low, o.High = append(o.Low, around(o.Mean, o.StepVariance, -z)), append(o.High, around(o.Mean, o.StepVariance, z))
			o.ChangeLow, o.ChangeHi = append(o.ChangeLow, around(o.Change, o.ChangeVariance, -z)), append(o.ChangeHi, around(o.Change, o.ChangeVariance, z))
			for _, sum := range []*Sum{&o.Total, &o.TotalChange} {
				wide := z * math.Sqrt(sum.Variance)
				sum.Low, sum.High = append(sum.Low, sum.Value-wide), append(sum.High, sum.Value+wide)
			}
		}
	}
}

// around is a number of standard deviations from each centre.
func around(center, variance []float64, z float64) []float64 {
	out := make([]float64, len(center))
	for i := range out {
		out[i] = center[i] + z*math.Sqrt(variance[i])
	}
	return out
}
