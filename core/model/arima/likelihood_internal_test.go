package arima

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// passengers are the international airline passengers of 1949 to 1960, in thousands: Box
// and Jenkins, Time Series Analysis: Forecasting and Control (1976), series G.
var passengers = []float64{
	112, 118, 132, 129, 121, 135, 148, 148, 136, 119, 104, 118,
	115, 126, 141, 135, 125, 149, 170, 170, 158, 133, 114, 140,
	145, 150, 178, 163, 172, 178, 199, 199, 184, 162, 146, 166,
	171, 180, 193, 181, 183, 218, 230, 242, 209, 191, 172, 194,
	196, 196, 236, 235, 229, 243, 264, 272, 237, 211, 180, 201,
	204, 188, 235, 227, 234, 264, 302, 293, 259, 229, 203, 229,
	242, 233, 267, 269, 270, 315, 364, 347, 312, 274, 237, 278,
	284, 277, 317, 313, 318, 374, 413, 405, 355, 306, 271, 306,
	315, 301, 356, 348, 355, 422, 465, 467, 404, 347, 305, 336,
	340, 318, 362, 348, 363, 435, 491, 505, 404, 359, 310, 337,
	360, 342, 406, 396, 420, 472, 548, 559, 463, 407, 362, 405,
	417, 391, 419, 461, 472, 535, 622, 606, 508, 461, 390, 432,
}

func logs(y []float64) []float64 {
	out := make([]float64, len(y))
	for i, v := range y {
		out[i] = math.Log(v)
	}
	return out
}

// The published fit of the logs: Box and Jenkins 1976, section 9.2; exact likelihood as in
// Brockwell and Davis 1991, section 9.6.
func TestAirlineModel(t *testing.T) {
	f := &fitter{y: logs(passengers)}
	e, ok := f.fit(Order{D: 1, Q: 1, SD: 1, SQ: 1, Season: 12}, nil, num.Stop{Steps: 100, Gain: 1e-12})
	require.True(t, ok)
	f.shape.set(e.o, e.x)
	assert.InDelta(t, -0.4018, f.shape.theta[1], 2e-4)
	assert.InDelta(t, -0.5569, f.shape.theta[12], 2e-4)
	assert.InDelta(t, 0.001348, e.sigma2, 1e-6)
	assert.InDelta(t, 244.6965, e.loglik, 1e-3)
}

// nile is the yearly flow of the Nile at Aswan, 1871 to 1970: Cobb, Biometrika 65 (1978).
var nile = []float64{
	1120, 1160, 963, 1210, 1160, 1160, 813, 1230, 1370, 1140, 995, 935, 1110, 994, 1020, 960, 1180, 799, 958, 1140,
	1100, 1210, 1150, 1250, 1260, 1220, 1030, 1100, 774, 840, 874, 694, 940, 833, 701, 916, 692, 1020, 1050, 969,
	831, 726, 456, 824, 702, 1120, 1100, 832, 764, 821, 768, 845, 864, 862, 698, 845, 744, 796, 1040, 759,
	781, 865, 845, 944, 984, 897, 822, 1010, 771, 676, 649, 846, 812, 742, 801, 1040, 860, 874, 848, 890,
	744, 749, 838, 1050, 918, 986, 797, 923, 975, 815, 1020, 906, 901, 1170, 912, 746, 919, 718, 714, 740,
}

// The local level of the Nile, whose variances 15099 and 1469.1 are published (Durbin and
// Koopman, Time Series Analysis by State Space Methods, 2001, section 2.10.3), is (0,1,1)
// with theta = -(q+2-sqrt(q^2+4q))/2, q their ratio, and variance 15099/-theta.
func TestLocalLevelOfTheNile(t *testing.T) {
	f := &fitter{y: nile}
	e, ok := f.fit(Order{D: 1, Q: 1}, nil, num.Stop{Steps: 100, Gain: 1e-12})
	require.True(t, ok)
	f.shape.set(e.o, e.x)
	q := 1469.1 / 15099
	theta := -(q + 2 - math.Sqrt(q*q+4*q)) / 2
	assert.InDelta(t, theta, f.shape.theta[1], 2e-3)
	assert.InEpsilon(t, 15099/-theta, e.sigma2, 3e-3)
}

// dense is the likelihood from the whole covariance matrix of the known values.
func dense(t *testing.T, s *shape, y []float64) float64 {
	f := &filter{}
	wide := *s
	wide.r = len(y) + 1
	require.True(t, f.autocovariances(&wide))
	var at []int
	for i, v := range y {
		if panel.Known(v) {
			at = append(at, i)
		}
	}
	k := len(at)
	a, b, x := make([]float64, k*k), make([]float64, k), make([]float64, k)
	for i, u := range at {
		b[i] = y[u]
		for j, v := range at[:i+1] {
			a[i*k+j] = f.gamma[u-v]
		}
	}
	require.True(t, cholesky(a, k))
	forward(a, b, x)
	sum := 0.0
	for i, v := range x {
		sum += v*v + 2*math.Log(a[i*k+i])
	}
	return sum
}

// Both filters give what the whole covariance matrix gives, for any orders, the one that
// skips with unknown values.
func TestLikelihoodIsExact(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 1))
	for _, o := range []Order{{P: 1}, {Q: 1}, {P: 2, Q: 1}, {P: 3, Q: 3}, {P: 1, Q: 1, SP: 1, SQ: 1, Season: 4},
		{P: 2, Q: 1, SP: 1, SQ: 2, Season: 4}, {SQ: 1, Season: 7}, {}} {
		x := make([]float64, o.weights())
		for i := range x {
			x[i] = 0.7 * rnd.NormFloat64()
		}
		y := make([]float64, 60)
		for i := range y {
			y[i] = rnd.NormFloat64()
		}
		s := &shape{}
		s.set(o, x)
		of := func(y []float64) float64 {
			f := &filter{}
			out := [][]float64{make([]float64, len(y))}
			if panel.CountKnown(y) == len(y) {
				require.True(t, f.run(s, [][]float64{y}, out))
			} else {
				_, ok := (&skipper{}).run(f, s, [][]float64{y}, out)
				require.True(t, ok)
			}
			sum := f.logF
			for _, e := range out[0] {
				sum += e * e
			}
			return sum
		}
		assert.InDelta(t, dense(t, s, y), of(y), 1e-4, "%s", o)
		y[3], y[20], y[21], y[59] = panel.Unknown, panel.Unknown, panel.Unknown, panel.Unknown
		assert.InDelta(t, dense(t, s, y), of(y), 1e-4, "%s with gaps", o)
	}
}

// The likelihood of the levels that are known, given the first ones, is what their whole
// covariance matrix gives: the levels are sums of the differenced process.
func TestSkippingIsExact(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 1))
	for _, o := range []Order{{P: 1, D: 1}, {Q: 1, D: 1}, {D: 2, Q: 2}, {P: 1, D: 1, Q: 1, SP: 1, SD: 1, SQ: 1, Season: 4}, {SD: 1, Season: 7, P: 2}} {
		x := make([]float64, o.weights())
		for i := range x {
			x[i] = 0.7 * rnd.NormFloat64()
		}
		s := &shape{}
		s.set(o, x)
		const n = 70
		lost := o.lost()
		y := make([]float64, n)
		for i := range y {
			y[i] = 3 * rnd.NormFloat64()
			if i >= lost && (i%7 == 5 || i > 40 && i < 47) {
				y[i] = panel.Unknown
			}
		}
		f := &filter{}
		out := [][]float64{make([]float64, n-lost)}
		_, ok := (&skipper{}).run(f, s, [][]float64{y}, out)
		require.True(t, ok)
		got := f.logF
		for _, e := range out[0] {
			got += e * e
		}
		assert.InDelta(t, denseLevels(t, s, y), got, 1e-4, "%s", o)
	}
}

// denseLevels is minus twice the log-likelihood, without its constant, of the known levels
// after the first ones.
func denseLevels(t *testing.T, s *shape, y []float64) float64 {
	lost, n := s.o.lost(), len(y)
	f := &filter{}
	wide := *s
	wide.r = n + 1
	require.True(t, f.autocovariances(&wide))
	k := &skipper{}
	k.set(s)
	// A level is its mean, by the first ones, and weights of the differenced values so far.
	mean := append([]float64(nil), y[:lost]...)
	by := make([][]float64, n)
	for i := lost; i < n; i++ {
		by[i] = make([]float64, n)
		by[i][i] = 1
		mean = append(mean, 0)
		for j, lag := range k.lags {
			mean[i] += k.weights[j] * mean[i-lag]
			for l, v := range by[i-lag] {
				by[i][l] += k.weights[j] * v
			}
		}
	}
	var at []int
	for i := lost; i < n; i++ {
		if panel.Known(y[i]) {
			at = append(at, i)
		}
	}
	cov := mat.NewSymDense(len(at), nil)
	b := mat.NewVecDense(len(at), nil)
	for i, u := range at {
		b.SetVec(i, y[u]-mean[u])
		for j, v := range at[:i+1] {
			sum := 0.0
			for p := lost; p <= u; p++ {
				for q := lost; q <= v; q++ {
					sum += by[u][p] * by[v][q] * f.gamma[max(p-q, q-p)]
				}
			}
			cov.SetSym(i, j, sum)
		}
	}
	var chol mat.Cholesky
	require.True(t, chol.Factorize(cov))
	var x mat.VecDense
	require.NoError(t, chol.SolveVecTo(&x, b))
	return chol.LogDet() + mat.Dot(b, &x)
}

func BenchmarkLikelihood(b *testing.B) {
	o := Order{P: 2, D: 1, Q: 1, SP: 1, SD: 1, SQ: 1, Season: 12}
	rnd := rand.New(rand.NewPCG(1, 1))
	f := &fitter{}
	for range 240 {
		f.y = append(f.y, rnd.NormFloat64())
	}
	f.lay(o)
	x := []float64{0.4, -0.2, 0.4, 0.3, 0.5}
	b.ReportAllocs()
	for b.Loop() {
		f.value(x)
	}
}

// Once its gain is steady the filter runs on by the few lags that count, and leaves the innovations and the state that
// it would have come to without.
func TestASteadyFilterGoesOnAsItWould(t *testing.T) {
	rnd := rand.New(rand.NewPCG(7, 1))
	turned := 0
	for _, o := range []Order{{P: 1}, {Q: 1}, {P: 2, Q: 1}, {P: 1, Q: 2, SP: 1, SQ: 1, Season: 7}, {SP: 2, Season: 12}, {P: 2, SQ: 1, Season: 24}} {
		for n := 60; n < 240; n += 7 {
			x := make([]float64, o.weights())
			for i := range x {
				x[i] = 0.5 * rnd.NormFloat64()
			}
			s := &shape{}
			s.set(o, x)
			columns, quick, slow := make([][]float64, 2), make([][]float64, 2), make([][]float64, 2)
			for c := range columns {
				columns[c], quick[c], slow[c] = make([]float64, n), make([]float64, n), make([]float64, n)
				for i := range columns[c] {
					columns[c][i] = rnd.NormFloat64()
				}
			}
			steady, never := &filter{}, &filter{held: true, turned: n + 1}
			require.True(t, steady.run(s, columns, quick))
			require.True(t, never.run(s, columns, slow))
			if steady.turned < n {
				turned++
			}
			assert.InDelta(t, never.logF, steady.logF, 1e-3, "%s of %d", o, n)
			for c := range columns {
				assert.InDeltaSlice(t, slow[c], quick[c], 1e-3, "%s of %d", o, n)
			}
			assert.InDeltaSlice(t, never.state, steady.state, 1e-3, "%s of %d", o, n)
			assert.InDeltaSlice(t, never.lastGain, steady.lastGain, 1e-4, "%s of %d", o, n)
		}
	}
	assert.Greater(t, turned, 100, "most become steady on the way")
}
