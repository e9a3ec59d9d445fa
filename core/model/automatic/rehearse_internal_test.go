package automatic

import (
	"context"
	"errors"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// always forecasts the same of every series, and counts how many it was asked of.
type always struct {
	value  float64
	fails  bool // on odd places
	asked  *int
	series int
}

func (a always) Train(_ context.Context, v panel.View, _ model.Env) (model.Trained, error) {
	if a.asked != nil {
		*a.asked = max(*a.asked, v.Len())
	}
	a.series = v.Len()
	return a, nil
}

func (a always) Forecast(_ context.Context, v panel.View, horizon int) (model.Result, error) {
	out := model.Result{Series: make([]forecast.Rows, v.Len()), Err: make([]error, v.Len())}
	for i := range out.Series {
		if a.fails && i%2 == 1 {
			out.Err[i] = errors.New("it cannot")
			continue
		}
		out.Series[i] = forecast.NewRows(horizon)
		for h := range horizon {
			out.Series[i].Mean[h] = a.value
			for g := range out.Series[i].At(h) {
				out.Series[i].At(h)[g] = a.value
			}
		}
	}
	return out, nil
}

func (a always) Advance(context.Context, panel.View) error { return nil }
func (a always) Fitted(int, int) []float64                 { return nil }
func (a always) Describe(int) model.Description            { return model.Description{} }
func (a always) Len() int                                  { return a.series }
func (a always) Shared() ([]byte, error)                   { return nil, nil }
func (a always) Part(int) ([]byte, error)                  { return nil, nil }

// hundreds is series that alternate around a hundred, one after another 1 apart.
func hundreds(series, length int) panel.View {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Year}, Length: length}
	for i := range series {
		values := make([]float64, length)
		for t := range values {
			values[t] = 100 + float64((t+i)%3) - 1
		}
		p.Series = append(p.Series, panel.Series{Key: string(rune('a' + i)), Values: values})
	}
	var all []int
	for i := range series {
		all = append(all, i)
	}
	return panel.NewView(p, all, 0, length-1)
}

func rehearsed(t *testing.T, v panel.View, list []form) *evidence {
	t.Helper()
	e, err := rehearse(context.Background(), v, model.Env{Horizon: 4, Workers: 2, Judge: model.AbsoluteErrors}, list)
	require.NoError(t, err)
	return e
}

// What forecasts best on the inner windows has the lowest loss; what fails on a series is worst there.
func TestFormsAreToldApart(t *testing.T) {
	e := rehearsed(t, hundreds(6, 40), []form{{name: "right", model: always{value: 100}}, {name: "wrong", model: always{value: 120}},
		{name: "lame", model: always{value: 100, fails: true}}})
	w := e.weigh(false)
	for i := range w {
		assert.Equal(t, 1.0, w[i][0])
		assert.Zero(t, w[i][1], "thirty times the error")
		assert.Greater(t, e.score(i, 1), e.score(i, 0))
	}
	assert.True(t, math.IsNaN(e.own[1][2]), "it could not forecast this one")
	assert.Zero(t, w[1][2])
}

// Goods of ten kinds follow each other in the order of a panel: the series that forms are tried on are of all kinds.
func TestSeriesAskedAreOfAllKinds(t *testing.T) {
	v := hundreds(900, 40)
	_, places := inner(v, 4)
	require.Len(t, places, sampled.Most)
	var seen [10]int
	for _, i := range places {
		seen[i%10]++
	}
	for kind, n := range seen {
		assert.InDelta(t, len(places)/10, n, 12, "kind %d", kind)
	}
}

// A form that is hopelessly behind on a few series is not asked of the rest.
func TestHopelessFormsAreSpared(t *testing.T) {
	var asked, askedFar int
	list := []form{{name: "right", model: always{value: 100, asked: &asked}}, {name: "far", model: always{value: 500, asked: &askedFar}}}
	const many = 60
	e := rehearsed(t, hundreds(many, 40), list)
	assert.Equal(t, many-firstAsked, asked, "the rest, after the first ones")
	assert.Equal(t, firstAsked, askedFar)
	w := e.weigh(false)
	for i := range w {
		assert.Zero(t, w[i][1])
	}
}

// One mistake in an inner window says nothing of the forms: with it or without, they are weighed alike.
func TestAMistakeSaysNothingOfTheForms(t *testing.T) {
	list := func() []form {
		return []form{{name: "right", model: always{value: 100}}, {name: "off", model: always{value: 101}}}
	}
	v := hundreds(1, 60)
	before := rehearsed(t, v, list())
	values, _ := v.Values(0)
	values[54] = 5000
	after := rehearsed(t, v, list())
	assert.InDelta(t, before.score(0, 1)-before.score(0, 0), after.score(0, 1)-after.score(0, 0), 0.1)
	tally := after.widen(after.weigh(false), model.AbsoluteErrors)
	require.Len(t, tally, 1)
}

// A level that moved between the inner windows says nothing of the forms either; what knows nothing of it and
// takes old values as they are does not take part.
func TestAMovedLevelSaysNothingOfTheForms(t *testing.T) {
	list := []form{{name: "right", model: always{value: 100}}, {name: "off", model: always{value: 101}}, {name: "old", model: always{value: 100}, plain: true}}
	v := hundreds(1, 60)
	before := rehearsed(t, v, list)
	assert.Empty(t, before.moved)
	values, _ := v.Values(0)
	for i := range 50 {
		values[i] /= 10
	}
	after := rehearsed(t, v, list)
	assert.True(t, after.moved[0])
	assert.InDelta(t, before.score(0, 1)-before.score(0, 0), after.score(0, 1)-after.score(0, 0), 0.02)
	w := after.weigh(false)[0]
	assert.Zero(t, w[2], "as good in the last window, but it is not to be trusted")
	assert.Positive(t, before.weigh(false)[0][2])
}

// Trees start from what did best, and are asked last; what pools is asked first.
func TestTheOrderOfAsking(t *testing.T) {
	list := []form{{name: "smoothing"}, {name: "boosting", pools: true}, {name: "linear", pools: true, settled: always{}}, {name: "additive"}}
	assert.Equal(t, []int{2, 0, 3, 1}, poolsFirst(list))
	of := func(x float64) []loss { return []loss{{abs: x, squared: x * x, n: 1}} }
	e := &evidence{forms: list}
	base := func(sums [][]loss) string {
		name, settled := e.bestBase(sums, model.BothErrors)
		assert.Equal(t, name == "linear", settled != nil, "what was chosen is kept")
		return name
	}
	assert.Equal(t, "linear", base([][]loss{of(2), nil, of(1), of(3)}))
	smoothed := [][]loss{of(1), nil, {{failed: true}}, of(3)}
	assert.Equal(t, "smoothing", base(smoothed))
	assert.Equal(t, "additive", base(make([][]loss, 4)), "where nothing tells")
	e.rest = &outlook.Rest{}
	assert.Equal(t, "explained-smoothing", base(smoothed), "of what drivers and events leave")
}

// Where absolute errors rank, a form is judged by its medians where they do better, for it is they that are
// published then; by all other judges by its means.
func TestFormsAreJudgedByWhatIsPublished(t *testing.T) {
	values := []float64{5, 5, 0, 0, 9, 0, 0, 0}
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Month}, Length: len(values), Series: []panel.Series{{Key: "a", Values: values}}}
	rows := forecast.NewRows(6)
	for h := range rows.Mean {
		rows.Mean[h] = 1.5
		for g := range rows.At(h) {
			rows.At(h)[g] = max(0, float64(g-forecast.Median))
		}
	}
	var l loss
	l.take(panel.NewView(p, []int{0}, 0, len(values)-1), 0, 2, rows, 2, 1)
	assert.InDelta(t, math.Log(9.0/2/6), l.log(model.AbsoluteErrors), 1e-12, "medians miss the one order alone")
	squares := math.Sqrt((5*1.5*1.5 + 7.5*7.5) / 4 / 6)
	assert.InDelta(t, math.Log(squares), l.log(model.SquaredErrors), 1e-12)
	assert.InDelta(t, (math.Log(squares)+math.Log((5*1.5+7.5)/2/6))/2, l.log(model.BothErrors), 1e-12)

	for h := range rows.Mean { // medians that do worse count for nothing
		for g := range rows.At(h) {
			rows.At(h)[g] += 40
		}
	}
	var other loss
	other.take(panel.NewView(p, []int{0}, 0, len(values)-1), 0, 2, rows, 2, 1)
	assert.InDelta(t, math.Log((5*1.5+7.5)/2/6), other.log(model.AbsoluteErrors), 1e-12)
}

func TestWindowWords(t *testing.T) {
	months, weeks := calendar.Cadence{Unit: calendar.Month}, calendar.Cadence{Unit: calendar.Week}
	assert.Equal(t, "1 inner window of 1 month, of 46 series", windowWords(single.Trial{Windows: 1, Horizon: 1}, 46, months))
	assert.Equal(t, "6 inner windows of 8 weeks", windowWords(single.Trial{Windows: 6, Horizon: 8}, 1, weeks))
}
