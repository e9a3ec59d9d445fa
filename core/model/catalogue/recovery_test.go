package catalogue_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// process is a known way to make series: n values with what an oracle, who knows process,
// parameters and state, forecasts, and what then comes.
type process struct {
	name    string
	cadence calendar.Cadence
	n, h    int
	draw    func(rnd *rand.Rand, n, h int) (past, oracle, future []float64)
}

var (
	daily   = calendar.Cadence{Unit: calendar.Day}
	weekly  = calendar.Cadence{Unit: calendar.Week, WeekStart: 1}
	monthly = calendar.Cadence{Unit: calendar.Month}
)

// damped makes a damped trend with an additive season.
func damped(season []float64, alpha, beta, gamma, phi, sigma float64) func(*rand.Rand, int, int) (past, oracle, future []float64) {
	return func(rnd *rand.Rand, n, h int) (past, oracle, future []float64) {
		s := append([]float64(nil), season...)
		m := len(s)
		l, b := 100.0, 0.5
		for i := range n + h {
			if i == n {
				bb, sum := b, 0.0
				for k := range h {
					bb *= phi
					sum += bb
					oracle = append(oracle, l+sum+s[(i+k)%m])
				}
			}
			e := sigma * rnd.NormFloat64()
			q := l + phi*b
			y := q + s[i%m] + e
			l, b = q+alpha*e, phi*b+beta*e
			s[i%m] += gamma * e
			if i < n {
				past = append(past, y)
			} else {
				future = append(future, y)
			}
		}
		return past, oracle, future
	}
}

// autoregression makes an AR(2) around a mean.
func autoregression(mean, a1, a2, sigma float64) func(*rand.Rand, int, int) (past, oracle, future []float64) {
	return func(rnd *rand.Rand, n, h int) (past, oracle, future []float64) {
		var x, y float64 // one and two periods before
		for range 100 {
			x, y = a1*x+a2*y+sigma*rnd.NormFloat64(), x
		}
		for i := range n + h {
			if i == n {
				u, v := x, y
				for range h {
					u, v = a1*u+a2*v, u
					oracle = append(oracle, mean+u)
				}
			}
			x, y = a1*x+a2*y+sigma*rnd.NormFloat64(), x
			if i < n {
				past = append(past, mean+x)
			} else {
				future = append(future, mean+x)
			}
		}
		return past, oracle, future
	}
}

// airline makes (0,1,1)(0,1,1)12 on the level.
func airline(theta, seasonal, sigma float64) func(*rand.Rand, int, int) (past, oracle, future []float64) {
	return func(rnd *rand.Rand, n, h int) (past, oracle, future []float64) {
		const m = 12
		y, e := make([]float64, m+1+n+h), make([]float64, m+1+n+h)
		for i := range m + 1 {
			y[i] = 200 + 20*math.Sin(2*math.Pi*float64(i)/m)
			e[i] = sigma * rnd.NormFloat64()
		}
		next := func(y, e []float64, t int) float64 {
			return y[t-1] + y[t-m] - y[t-m-1] + theta*e[t-1] + seasonal*e[t-m] + theta*seasonal*e[t-m-1]
		}
		start := m + 1
		for t := start; t < len(y); t++ {
			e[t] = sigma * rnd.NormFloat64()
			y[t] = next(y, e, t) + e[t]
		}
		ahead, quiet := append([]float64(nil), y...), append([]float64(nil), e...)
		for t := start + n; t < len(y); t++ {
			quiet[t] = 0
			ahead[t] = next(ahead, quiet, t)
		}
		return y[start : start+n], ahead[start+n:], y[start+n:]
	}
}

func processes() []process {
	week := []float64{-12, -6, 0, 4, 8, 12, -6}
	year := make([]float64, 12)
	for i := range year {
		year[i] = 15 * math.Sin(2*math.Pi*float64(i)/12)
	}
	return []process{
		{"damped daily with a week", daily, 730, 28, damped(week, 0.3, 0.03, 0.05, 0.95, 5)},
		{"damped monthly with a year", monthly, 240, 12, damped(year, 0.4, 0.05, 0.1, 0.9, 4)},
		{"AR(2) weekly", weekly, 260, 8, autoregression(300, 0.8, -0.3, 20)},
		{"airline monthly", monthly, 240, 12, airline(-0.4, -0.6, 4)},
	}
}

// panelOf puts single series of equal cadence side by side.
func panelOf(c calendar.Cadence, series [][]float64) *panel.Panel {
	p := &panel.Panel{Cadence: c, First: 600}
	for i, y := range series {
		p.Length = max(p.Length, len(y))
		p.Series = append(p.Series, panel.Series{Key: fmt.Sprint("s", i), Values: y})
	}
	return p
}

func all(p *panel.Panel) []int {
	out := make([]int, len(p.Series))
	for i := range out {
		out[i] = i
	}
	return out
}

func streams(seed uint64) func(string) *rand.Rand {
	return func(key string) *rand.Rand {
		h := seed
		for _, c := range key {
			h = h*31 + uint64(c)
		}
		return rand.New(rand.NewPCG(h, 1))
	}
}

// forecasts trains a family on a panel and continues its series.
func forecasts(t testing.TB, family string, settings model.Values, p *panel.Panel, h int) []forecast.Rows {
	t.Helper()
	m, _, err := whole().New(family, settings)
	require.NoError(t, err)
	v := panel.NewView(p, all(p), 0, p.Length-1)
	trained, err := m.Train(context.Background(), v, model.Env{Horizon: h, Workers: 2, Random: streams(1)})
	require.NoError(t, err)
	res, err := trained.Forecast(context.Background(), v, h)
	require.NoError(t, err)
	for i, e := range res.Err {
		require.NoError(t, e, p.Series[i].Key)
	}
	return res.Series
}

// recovered is how a family does on a process, next to the oracle.
type recovered struct{ ratio, cover80, cover95 float64 }

func recovery(t testing.TB, family string, settings model.Values, pr process, series int) recovered {
	var past, oracle, future [][]float64
	for i := range series {
		a, b, c := pr.draw(rand.New(rand.NewPCG(77, uint64(i))), pr.n, pr.h)
		past, oracle, future = append(past, a), append(oracle, b), append(future, c)
	}
	got := forecasts(t, family, settings, panelOf(pr.cadence, past), pr.h)
	var own, best, in80, in95, n float64
	for i, r := range got {
		for h, f := range r.Mean {
			y := future[i][h]
			own += (y - f) * (y - f)
			best += (y - oracle[i][h]) * (y - oracle[i][h])
			if low, high := forecast.Interval(r.At(h), 80); low <= y && y <= high {
				in80++
			}
			if low, high := forecast.Interval(r.At(h), 95); low <= y && y <= high {
				in95++
			}
			n++
		}
	}
	return recovered{math.Sqrt(own / best), in80 / n, in95 / n}
}

// What the families make of series whose process is known: nearly what the oracle knows,
// with intervals that hold as often as they say.
func TestRecovery(t *testing.T) {
	if racing {
		t.Skip("it is about numbers alone")
	}
	t.Parallel()
	for _, c := range []struct {
		process int
		family  string
		ratio   float64
	}{{0, "smoothing", 1.04}, {0, "automatic", 1.04}, {1, "smoothing", 1.04}, {1, "automatic", 1.04}, {2, "arima", 1.03},
		{2, "automatic", 1.03}, {3, "arima", 1.03}, {3, "automatic", 1.045}} {
		pr := processes()[c.process]
		series := 120
		if c.family == "automatic" {
			series = 80 // it tries all the others
		}
		r := recovery(t, c.family, nil, pr, series)
		t.Logf("%-28s %-10s RMSE %.3f of the oracle's, coverage %.1f and %.1f %%", pr.name, c.family, r.ratio, 100*r.cover80, 100*r.cover95)
		assert.Less(t, r.ratio, c.ratio, "%s on %s", c.family, pr.name)
		assert.InDelta(t, 0.80, r.cover80, 0.04, "%s on %s", c.family, pr.name)
		assert.InDelta(t, 0.95, r.cover95, 0.025, "%s on %s", c.family, pr.name)
	}
}

// Hours with a day and a week in them: what knows both does several times better than the
// day before.
func TestSeveralSeasons(t *testing.T) {
	t.Parallel()
	week := []float64{0, 5, 8, 6, 2, -15, -25}
	var past, future [][]float64
	for i := range 4 {
		rnd := rand.New(rand.NewPCG(9, uint64(i)))
		y := make([]float64, 24*7*5+48)
		for k := range y {
			y[k] = 100 + 30*math.Sin(2*math.Pi*float64(k%24)/24) + week[k/24%7] + 3*rnd.NormFloat64()
		}
		past, future = append(past, y[:24*7*5]), append(future, y[24*7*5:])
	}
	p := panelOf(calendar.Cadence{Unit: calendar.Hour}, past)
	miss := func(family string) (sum float64) {
		for i, r := range forecasts(t, family, nil, p, 48) {
			for h, m := range r.Mean {
				sum += math.Abs(m - future[i][h])
			}
		}
		return sum
	}
	naive := miss("seasonal-naive")
	for _, family := range []string{"smoothing", "decomposition", "automatic"} {
		assert.Less(t, 4*miss(family), naive, family)
	}
}

// Three weeks of hours whose weekends are other days: what is left of the day's season when the week is taken out by all is what
// regressions go on with, of one series and of several.
func TestAWeekWithinDaysOfFewWeeks(t *testing.T) {
	t.Parallel()
	for _, n := range []int{1, 6} {
		var past, future [][]float64
		for i := range n {
			rnd := rand.New(rand.NewPCG(4, uint64(i)))
			y := make([]float64, 24*23)
			for k := range y {
				hour, size := float64(k%24), 1.0
				if k/24%7 > 4 {
					hour, size = hour-3, 0.5 // later, and less
				}
				y[k] = 100 * size * math.Exp(-(hour-12)*(hour-12)/30) * math.Exp(0.1*rnd.NormFloat64())
			}
			past, future = append(past, y[:24*21]), append(future, y[24*21:])
		}
		for family, most := range map[string]float64{"smoothing": 0.12, "additive": 0.12, "linear": 0.12} {
			off, sum := 0.0, 0.0
			for i, r := range forecasts(t, family, nil, panelOf(calendar.Cadence{Unit: calendar.Hour}, past), 48) {
				for h, m := range r.Mean {
					off, sum = off+math.Abs(m-future[i][h]), sum+future[i][h]
				}
			}
			t.Logf("%s of %d: WAPE %.3f", family, n, off/sum)
			assert.Less(t, off/sum, most, "%s of %d", family, n)
		}
	}
}

// A yearly season in daily and weekly series is found, and none where there is none.
func TestYearInDaysAndWeeks(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		cadence calendar.Cadence
		year    float64
		n, h    int
	}{{daily, 365.25, 1100, 28}, {weekly, 365.25 / 7, 270, 8}} {
		for _, size := range []float64{0, 20} {
			rnd := rand.New(rand.NewPCG(4, uint64(c.n)))
			y := make([]float64, c.n)
			for k := range y {
				y[k] = 100 + size*math.Sin(2*math.Pi*float64(k)/c.year) + 4*rnd.NormFloat64()
			}
			for _, family := range []string{"smoothing", "arima"} {
				trained, _ := trainOn(t, family, nil, panelOf(c.cadence, [][]float64{y}), c.n-1, c.h)
				form := trained.Describe(0).Form
				found := strings.Contains(form, "harmonics of a season") || strings.Contains(form, "of what a season of")
				assert.Equal(t, size > 0, found, "%s by %s: %s", family, c.cadence, form)
			}
		}
	}
}

// Series too short to tell forms apart take the one that their group shows.
func TestTogether(t *testing.T) {
	t.Parallel()
	var values [][]float64
	for i := range 30 {
		past, _, _ := processes()[1].draw(rand.New(rand.NewPCG(5, uint64(i))), 30, 1)
		values = append(values, past)
	}
	p := panelOf(monthly, values)
	forms := func(settings model.Values) map[string]int {
		trained, _ := trainOn(t, "smoothing", settings, p, p.Length-1, 6)
		out := map[string]int{}
		for i := range values {
			out[strings.Fields(trained.Describe(i).Form)[2]]++
		}
		return out
	}
	assert.Greater(t, len(forms(model.Values{"choose": "lowest"})), 2, "alone they differ")
	assert.Len(t, forms(model.Values{"together": "all"}), 1)
	assert.True(t, whole().Across("smoothing", model.Values{"together": "all"}))
	assert.False(t, whole().Across("smoothing", nil))
}
