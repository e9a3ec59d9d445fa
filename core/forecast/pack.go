package forecast

import (
	"encoding/binary"
	"errors"
	"math"
)

// A packed record is a signed byte k and (1+GridSize) little-endian int32 for each
// step, the mean first; a value is its integer divided by 10^k. The power is the
// largest that fits the record, so values keep nine digits of the largest, are
// short in decimal, and read back to the same float64 from text: exported points
// reproduce every score to the last bit.

const (
	packLimit = 2.1e9 // below the largest int32, with room for rounding
	maxPower  = 22    // the largest power of ten that float64 holds exactly
)

// PackedSize is the length in bytes of a record.
func PackedSize(horizon int) int { return 1 + 4*horizon*(1+GridSize) }

// Round brings a forecast to the values that its packed form holds, in place, and
// returns the power of ten.
func (r Rows) Round() int {
	k := r.power()
	factor, divisor := scales(k)
	round := func(values []float64) {
		for i, v := range values {
			values[i] = descale(math.Round(v*factor/divisor), k)
		}
	}
	round(r.Mean)
	round(r.Quantiles)
	return k
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

func (r Rows) power() int {
	top := 0.0
	for _, v := range r.Mean {
		top = max(top, math.Abs(v))
	}
	for _, v := range r.Quantiles {
		top = max(top, math.Abs(v))
	}
	if top == 0 {
		return 0
	}
	k := min(int(math.Floor(math.Log10(packLimit/top))), maxPower)
	return max(k, -128)
}

// AppendPacked appends the record of a rounded forecast.
func (r Rows) AppendPacked(b []byte, k int) []byte {
	factor, divisor := scales(k)
	put := func(v float64) {
		b = binary.LittleEndian.AppendUint32(b, uint32(int32(math.Round(v*factor/divisor))))
	}
	b = append(b, byte(int8(k)))
	for h, m := range r.Mean {
		put(m)
		for _, q := range r.At(h) {
			put(q)
		}
	}
	return b
}

// Unpack reads a record into rows of the right horizon.
func (r Rows) Unpack(b []byte) error {
	if len(b) != PackedSize(len(r.Mean)) {
		return errors.New("forecast: a packed record has the wrong length")
	}
	k := int(int8(b[0]))
	b = b[1:]
	get := func() float64 {
		v := float64(int32(binary.LittleEndian.Uint32(b)))
		b = b[4:]
		return descale(v, k)
	}
	for h := range r.Mean {
		r.Mean[h] = get()
		q := r.At(h)
		for g := range q {
			q[g] = get()
		}
	}
	return nil
}
