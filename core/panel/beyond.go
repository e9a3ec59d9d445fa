package panel

import (
	"fmt"
	"math"
)

// Beyond says how far a driver goes ahead beyond what it was before, in the series in which it goes farthest.
type Beyond struct {
	Driver    string
	Series    int // in which it does
	Of        int // the farthest one
	Value     float64
	Low, High float64 // that it was
	Share     float64 // by how many times that range it is beyond it
}

// FindBeyond looks for drivers that are known ahead and go, over a horizon past the panel's end, beyond what
// they were by more than a share of its range, or of a twentieth of its size where that is more. What is not
// believed is left out, and so is a driver that never changed where changing says so.
func FindBeyond(p *Panel, series []int, horizon int, f Fillings, share float64, changing bool) (out []Beyond) {
	for d, driver := range p.Drivers {
		if !driver.KnownAhead {
			continue
		}
		b := Beyond{Driver: driver.Name}
		for _, s := range series {
			x := &p.Series[s]
			if d >= len(x.Drivers) {
				continue
			}
			end := max(0, min(len(x.Drivers[d]), p.Length-x.First))
			believed := f[driver.Name].Reach(x.Drivers[d], end)
			low, high := rangeWithin(x.Drivers[d][:end], believed)
			if changing && !(low < high) {
				continue
			}
			size := max(high-low, 0.05*math.Abs(high))
			far, value := 0.0, 0.0
			for _, v := range x.Drivers[d][end:min(len(x.Drivers[d]), end+horizon)] {
				if over := max(v-high, low-v); believed.Believes(v) && over > far {
					far, value = over, v
				}
			}
			if !(far > share*size) {
				continue
			}
			if b.Series++; far/size > b.Share {
				b.Of, b.Value, b.Low, b.High, b.Share = s, value, low, high, far/size
			}
		}
		if b.Series > 0 {
			out = append(out, b)
		}
	}
	return out
}

// Words say how far that is.
func (b Beyond) Words(p *Panel) string {
	return fmt.Sprintf("%.4g for %s, where training saw %.4g to %.4g, %.0f %% of that range beyond it. Such effects are extrapolated.",
		b.Value, p.Series[b.Of].Key, b.Low, b.High, 100*b.Share)
}
