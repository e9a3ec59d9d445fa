package pretrained

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/panel"
)

// Lean is how far the networks' quantiles are moved towards a plain forecast: what held-out windows
// of all series have it, where they gain by it at every origin and beyond luck.
//
// Source: gains of combining even a good forecast with a plain one: Bates and Granger, Operational
// Research Quarterly 20 (1969).
type Lean struct {
	Anchor  int
	Share   float64 // 0 for not at all
	Gain    float64 // of the error of held-out windows, at the origin where it is least, or in the mean of several
	Origins int     // of how many origins it is the mean; 0 for the least
}

// leanShares are the shares that are tried.
var leanShares = [...]float64{0.25, 0.5, 0.75}

const (
	// surely is how many of its standard errors over series a gain has to be.
	surely = 2
	// fewestLeant is how many series have to tell, and fewestOrigins at how many origins: series share
	// what befalls all, and one time is no evidence of another.
	fewestLeant   = 5
	fewestOrigins = 3
	// leastLean is the least gain, at every origin, for which quantiles are moved: where less was asked, what had
	// held for four years of months did not hold in the fifth.
	leastLean = 0.1
	// leastUsual is the least gain in the mean of many origins.
	leastUsual = 0.03
)

// move moves a series' quantiles, step by step.
func (l Lean) move(s *sight, quantiles []float64) {
	if l.Share > 0 {
		l.moveTo(s.plainly(len(quantiles)/wide), quantiles)
	}
}

// moveTo moves quantiles towards one of plain forecasts.
func (l Lean) moveTo(plain [][anchors]float64, quantiles []float64) {
	for h := range plain {
		row := quantiles[h*wide : (h+1)*wide]
		by := l.Share * (plain[h][l.Anchor] - row[outlook.Middle])
		for j := range row {
			row[j] += by
		}
	}
}

// leant gathers errors of the networks, and by how much those of every plain forecast at every share are
// less, by series and by origin.
type leant struct {
	by             model.Judge
	series, origin map[int]*gains
}

// gains are sums over steps.
type gains struct {
	alone, count float64
	less         [anchors][len(leanShares)]float64
}

func newLeant(by model.Judge) *leant { return &leant{by, map[int]*gains{}, map[int]*gains{}} }

func (l *leant) loss(e, scale float64) float64 {
	e = math.Min(100, math.Abs(e)/scale)
	if l.by == model.SquaredErrors {
		return e * e
	}
	return e
}

// take takes a window of a series, before drivers and events are put back.
func (l *leant) take(series, origin int, plain [][anchors]float64, quantiles, actual []float64, scale float64) {
	if l.series[series] == nil {
		l.series[series] = &gains{}
	}
	if l.origin[origin] == nil {
		l.origin[origin] = &gains{}
	}
	of, at := l.series[series], l.origin[origin]
	for h, y := range actual {
		if !panel.Known(y) {
			continue
		}
		middle := quantiles[h*wide+outlook.Middle]
		alone := l.loss(y-middle, scale)
		of.alone, of.count = of.alone+alone, of.count+1
		at.alone, at.count = at.alone+alone, at.count+1
		for k, x := range plain[h] {
			for j, share := range leanShares {
				less := alone - l.loss(y-middle-share*(x-middle), scale)
				of.less[k][j] += less
				at.less[k][j] += less
			}
		}
	}
}

// lean is the plain forecast and the share whose least gain over the origins is the largest, where they
// surely do better than none.
func (l *leant) lean() (best Lean) {
	if len(l.series) < fewestLeant || len(l.origin) < fewestOrigins {
		return best
	}
	best.Gain = leastLean
	for k := range anchors {
		for j, share := range leanShares {
			least := math.Inf(1)
			for _, o := range l.origin {
				least = min(least, o.less[k][j]/max(o.alone, 1e-12))
			}
			if least > best.Gain && l.surely(k, j) {
				best = Lean{k, share, least, 0}
			}
		}
	}
	if best.Share == 0 {
		best.Gain = 0
	}
	return best
}

// usually is the plain forecast and the share whose mean gain over the origins is the largest, where that is beyond luck
// of times as of series.
func (l *leant) usually() (best Lean) {
	best.Gain = leastUsual
	for k := range anchors {
		for j, share := range leanShares {
			gain := func(g *gains) float64 { return g.less[k][j] / max(g.alone, 1e-12) }
			mean, sure := surelyMore(l.origin, gain)
			if sure && mean > best.Gain && l.surely(k, j) {
				best = Lean{k, share, mean, len(l.origin)}
			}
		}
	}
	if best.Share == 0 {
		return Lean{}
	}
	return best
}

// surely says whether the mean gain over series is beyond luck.
func (l *leant) surely(k, j int) bool {
	_, sure := surelyMore(l.series, func(g *gains) float64 { return g.less[k][j] / max(g.count, 1) })
	return sure
}

// surelyMore is the mean of what is gained, and whether it is more than nought by more than luck.
func surelyMore(of map[int]*gains, gain func(*gains) float64) (mean float64, sure bool) {
	n, squares := float64(len(of)), 0.0
	for _, i := range slices.Sorted(maps.Keys(of)) { // sums depend on their order
		d := gain(of[i])
		mean, squares = mean+d/n, squares+d*d/n
	}
	return mean, mean > surely*math.Sqrt(max(0, squares-mean*mean)/(n-1))
}

// leant is what leaning gains in the windows.
func (r *rehearsal) leant(said answers, by model.Judge) *leant {
	l := newLeant(by)
	seen := map[int]int{}
	for w, lesson := range r.lessons {
		i := r.windows[w].series
		l.take(i, seen[i], said.plain[w], said.quantiles[w], lesson.Values[lesson.Known:], r.scale[w])
		seen[i]++
	}
	return l
}

// tell says whether there are windows of enough series.
func (r *rehearsal) tell() bool {
	series := map[int]bool{}
	for _, w := range r.windows {
		series[w.series] = true
	}
	return len(series) >= fewestLeant
}

// plainWords name the plain forecasts, in their order; the rest are smoothed.
var plainWords = []string{
	"the last value", "the mean of the last whole seasons", "the mean of the last eight values",
	"the last value, moved on by what a season brought lately", "the season's last value", "the median of the last four of the season's place",
	"the median of the last 28 of the season's place", "the mean of the last eight of the season's place",
	"the recent level with the season's mean deviations", "the level of two seasons with the season's median deviations",
	"the last season's level with the season's median deviations", "the recent level times the season's mean ratios",
	"the season's last value, moved by how far the last value is from its own", "the season's last value, moved on by what a season brought lately",
	"the longer season's last value", "the median of the last four of the longer season's place",
	"the longer season's last value on the recent level", "the longer season's last value times the change of level",
	"the last value, moved on by the drift of half of the history", "the last value, grown as half of the history did",
	"the season's last value, moved on by the drift of half of the history", "the season's last value, grown as half of the history did",
	"the median of the last eight values", "the median of the last 26 values", "the mean of the last 52 values",
}

// words say towards what quantiles are moved, and what came of it.
func (l Lean) words() string {
	if l.Share == 0 {
		return ""
	}
	towards := "a smoothed value"
	if l.Anchor < len(plainWords) {
		towards = plainWords[l.Anchor]
	}
	fell := "and more at every origin"
	if l.Origins > 0 {
		fell = fmt.Sprintf("in the mean of %d origins", l.Origins)
	}
	return fmt.Sprintf("; moved by %.0f %% towards %s, by which the error of held-out windows fell by %.0f %% %s", 100*l.Share, towards,
		100*l.Gain, fell)
}
