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

// ErrAbsent says that a record stands for a series that has no forecast.
var ErrAbsent = errors.New("forecast: the series was left out")

// absent is the power of ten of a record without a forecast.
const absent = 127

// AppendAbsent appends a record that holds the place of a missing forecast.
func AppendAbsent(b []byte, horizon int) []byte {
	b = append(b, absent)
	return append(b, make([]byte, PackedSize(horizon)-1)...)
}

// PackedSize is the length in bytes of a record.
func PackedSize(horizon int) int { return 1 + 4*horizon*(1+GridSize) }

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
	for h := range r.Mean { // quantiles are in order: the outermost are the largest
		q := r.At(h)
		top = max(top, math.Abs(q[0]), math.Abs(q[GridSize-1]))
	}
	if top == 0 {
		return 0
	}
	k := min(int(math.Floor(math.Log10(packLimit/top))), maxPower)
	return max(k, -128)
}

// Pack rounds a forecast to what its record holds, in place, and appends the record.
func (r Rows) Pack(b []byte) []byte {
	k := r.power()
	factor, divisor := scales(k)
	at := len(b)
	b = append(b, make([]byte, PackedSize(len(r.Mean)))...)
	b[at] = byte(int8(k))
	at++
	put := func(v *float64) {
		n := math.RoundToEven(*v * factor)
		*v = n / factor
		binary.LittleEndian.PutUint32(b[at:], uint32(int32(n)))
		at += 4
	}
	if k < 0 {
		put = func(v *float64) {
			n := math.RoundToEven(*v / divisor)
			*v = n * divisor
			binary.LittleEndian.PutUint32(b[at:], uint32(int32(n)))
			at += 4
		}
	}
	for h := range r.Mean {
		put(&r.Mean[h])
		q := r.At(h)
		for g := range q {
			put(&q[g])
		}
	}
	return b
}

// Unpack reads a record into rows of the right horizon. The error is ErrAbsent where
// the record holds no forecast.
func (r Rows) Unpack(b []byte) error {
	if len(b) != PackedSize(len(r.Mean)) {
		return errors.New("forecast: a packed record has the wrong length")
	}
	if b[0] == absent {
		return ErrAbsent
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
