package arima

// still runs over the rest of a series once the filter's gain no longer changes. An innovation is then the value less
// the weights of the past values and innovations at the few lags that have any:
//
//	e(t) = w(t) - sum phi(i) w(t-i) - sum theta(j) e(t-j)
//
// It keeps its working space.
type still struct {
	lags []lag
	fore []float64 // what was foretold of each value
}

// lag is what the value and what was foretold of it, one and i periods ago, add to what is foretold.
type lag struct {
	i           int
	value, fore float64
}

// run takes the filter's state, one zero more than it has parts, and the rest of a column, leaves the innovations times
// root in white and the state at the end in a.
func (k *still) run(s *shape, a, column, white []float64, root float64) {
	k.lags = k.lags[:0]
	for i := range s.r {
		if phi, theta := s.phiAt(i), s.thetaAt(i+1); phi != 0 || theta != 0 {
			// K = phi + theta, of an error that is the value less what was foretold.
			k.lags = append(k.lags, lag{i: i, value: phi + theta, fore: -theta})
		}
	}
	n := len(column)
	if cap(k.fore) < n {
		k.fore = make([]float64, n)
	}
	fore := k.fore[:n]
	early := min(n, s.r)
	for t := range early {
		v := a[t]
		for _, l := range k.lags {
			if l.i >= t {
				break
			}
			v += l.value*column[t-1-l.i] + l.fore*fore[t-1-l.i]
		}
		fore[t] = v
		white[t] = (column[t] - v) * root
	}
	for t := early; t < n; t++ {
		v := 0.0
		for _, l := range k.lags {
			v += l.value*column[t-1-l.i] + l.fore*fore[t-1-l.i]
		}
		fore[t] = v
		white[t] = (column[t] - v) * root
	}
	k.end(a[:s.r], column, fore)
}

// end moves the state past the column: part i holds what is known of the value i + 1 periods ahead.
func (k *still) end(a, column, fore []float64) {
	n := len(column)
	for i := range a {
		v := 0.0
		if i+n < len(a) {
			v = a[i+n]
		}
		for _, l := range k.lags {
			if at := n - 1 - (l.i - i); l.i >= i && at >= 0 {
				v += l.value*column[at] + l.fore*fore[at]
			}
		}
		a[i] = v
	}
}
