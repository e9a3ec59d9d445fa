package forecast

import (
	"encoding/binary"
	"errors"
	"math"
	"slices"
)

// A packed record is a byte that says what it is, and for each step two signed bytes j and k
// and (2+GridSize) little-endian int32, the point first, the mean second. These are their integers
// divided by 10^j, a quantile its own divided by 10^k: each power is the largest that fits, so that values
// keep nine digits, are short in decimal, and read back to the same float64 from text: exported
// points reproduce every score to the last bit. A quantile far out takes no digit from the
// mean, nor a far step from a near one.
//
// Records of earlier forms can still be read, RecordSize tells them apart: those without a mean beside
// the point, and those of one byte k for all and the integers.

const (
	packLimit = 2.1e9 // below the largest int32, with room for rounding
	maxPower  = 22    // the largest power of ten that float64 holds exactly
)

// The kinds of records; any other first byte is the power of one of the earlier form.
const (
	kindTwofold   = 124
	kindAbsent    = 123
	kindStepped   = 126 // without a mean
	steppedAbsent = 125
	earlierAbsent = 127
)

// closedStep stands in the place of a power where nothing happens on a step: no power is as
// large.
const closedStep = 100

// ErrAbsent says that a record stands for a series that has no forecast.
var ErrAbsent = errors.New("forecast: the series was left out")

// AppendAbsent appends a record that holds the place of a missing forecast.
func AppendAbsent(b []byte, horizon int) []byte {
	b = append(b, kindAbsent)
	return append(b, make([]byte, PackedSize(horizon)-1)...)
}

// PackedSize is the length in bytes of a record.
func PackedSize(horizon int) int { return 1 + horizon*(2+4*(2+GridSize)) }

func steppedSize(horizon int) int { return 1 + horizon*(2+4*(1+GridSize)) }

func earlierSize(horizon int) int { return 1 + 4*horizon*(1+GridSize) }

// RecordSize is the length of each of some records, which may be of the earlier form.
func RecordSize(records []byte, horizon int) int {
	if len(records) == 0 {
		return PackedSize(horizon)
	}
	switch records[0] {
	case kindTwofold, kindAbsent:
		return PackedSize(horizon)
	case kindStepped, steppedAbsent:
		return steppedSize(horizon)
	}
	return earlierSize(horizon)
}

// scales splits 10^k into a factor and a divisor, one of which is 1.
func scales(k int) (factor, divisor float64) {
	if k >= 0 {
		return math.Pow10(k), 1
	}
	return 1, math.Pow10(-k)
}

func descale(v float64, k int) float64 {
	factor, divisor := scales(k)
	return v / factor * divisor
}

// power is the largest that a size fits with. One that is likely is tried first, since a logarithm takes
// its time: it is the answer where it is not near another.
func power(top float64, likely int) int {
	if top == 0 {
		return 0
	}
	room := packLimit / top
	if likely >= 0 && likely < maxPower && room > tens[likely]*(1+1e-9) && room < tens[likely+1]*(1-1e-9) {
		return likely
	}
	k := min(int(math.Floor(math.Log10(room))), maxPower)
	return max(k, -128)
}

var tens = func() (out [maxPower + 1]float64) {
	for k := range out {
		out[k] = math.Pow10(k)
	}
	return out
}()

// rounder, added to a number of less than 2^51 in size, leaves no room for what is behind its point: taken
// away again it leaves the number rounded to even, and the lowest bits in between are its integer.
const rounder = 3 << 51

// put rounds values to what 10^k keeps of them, in place, and writes their integers.
func put(b []byte, values []float64, k int) {
	factor, divisor := scales(k)
	if divisor != 1 { // of huge values, and rare
		for i, v := range values {
			raised := v/divisor + rounder
			values[i] = (raised - rounder) * divisor
			binary.LittleEndian.PutUint32(b[4*i:], uint32(math.Float64bits(raised)))
		}
		return
	}
	for i, v := range values {
		raised := v*factor + rounder
		values[i] = (raised - rounder) / factor
		binary.LittleEndian.PutUint32(b[:4], uint32(math.Float64bits(raised)))
		b = b[4:]
	}
}

// Pack rounds a forecast to what its record holds, in place, and appends the record.
func (r Rows) Pack(b []byte) []byte {
	const step = 2 + 4*(2+GridSize)
	at, size := len(b), PackedSize(len(r.Mean))
	b = slices.Grow(b, size)[:at+size]
	b[at] = kindTwofold
	at++
	j, k := 0, 0
	for h := range r.Mean {
		record := b[at : at+step : at+step]
		at += step
		if r.IsClosed(h) {
			clear(record)
			record[0] = closedStep
			continue
		}
		q := r.At(h) // in order: the outermost are the largest
		means := [2]float64{r.Mean[h], r.Expected(h)}
		j = power(max(math.Abs(means[0]), math.Abs(means[1])), j)
		k = power(max(math.Abs(q[0]), math.Abs(q[GridSize-1])), k)
		record[0], record[1] = byte(int8(j)), byte(int8(k))
		put(record[2:10], means[:], j)
		r.Mean[h] = means[0]
		if h < len(r.Lean) {
			r.Lean[h] = means[1] - means[0]
		}
		put(record[10:], q, k)
	}
	return b
}

// Unpack reads a record into rows of the right horizon. The error is ErrAbsent where
// the record holds no forecast.
func (r *Rows) Unpack(b []byte) error {
	if len(b) == 0 || len(b) != RecordSize(b, len(r.Mean)) {
		return errors.New("forecast: a packed record has the wrong length")
	}
	kind := b[0]
	if kind == kindAbsent || kind == steppedAbsent || kind == earlierAbsent {
		return ErrAbsent
	}
	b, r.Closed = b[1:], nil
	get := func(k int) float64 {
		v := float64(int32(binary.LittleEndian.Uint32(b)))
		b = b[4:]
		return descale(v, k)
	}
	j, k := int(int8(kind)), int(int8(kind))
	for h := range r.Mean {
		if kind == kindStepped || kind == kindTwofold {
			j, k = int(int8(b[0])), int(int8(b[1]))
			b = b[2:]
			if j == closedStep {
				b = b[4*(1+GridSize):]
				if kind == kindTwofold {
					b = b[4:]
				}
				if r.Closed == nil {
					r.Closed = make([]bool, len(r.Mean))
				}
				r.Closed[h] = true
				r.Mean[h] = 0
				if h < len(r.Lean) {
					r.Lean[h] = 0
				}
				clear(r.At(h))
				continue
			}
		}
		r.Mean[h] = get(j)
		mean := r.Mean[h]
		if kind == kindTwofold {
			mean = get(j)
		}
		if h < len(r.Lean) {
			r.Lean[h] = mean - r.Mean[h]
		}
		q := r.At(h)
		for g := range q {
			q[g] = get(k)
		}
	}
	return nil
}
