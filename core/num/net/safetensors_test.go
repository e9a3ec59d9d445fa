package net

import (
	"bytes"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func small(seed uint64) *Store[float32] {
	s := NewStore[float32](rand.New(rand.NewPCG(seed, 1)))
	s.Matrix("dense", 7, 5, 1)
	s.Vector("offset", 5, 0.25)
	return s
}

// Weights come back as they were written: to the bit, or as half precision has them.
func TestWeightsComeBack(t *testing.T) {
	for p, tolerance := range map[Precision]float64{Single: 0, Half: 1. / 2048, Brain: 1. / 256} {
		from, to := small(1), small(2)
		var b bytes.Buffer
		require.NoError(t, WriteWeights(&b, from, p, map[string]string{"seed": "1"}))
		about, err := ReadWeights(b.Bytes(), to)
		require.NoError(t, err)
		assert.Equal(t, map[string]string{"seed": "1"}, about)
		for i, v := range from.Values() {
			assert.InDelta(t, v, to.Values()[i], tolerance*math.Abs(float64(v))+1e-30, p)
		}
	}
}

// Every half-precision number is itself again, and rounding goes to the nearest.
func TestHalfPrecision(t *testing.T) {
	for h := range 1 << 16 {
		v := ofHalf(uint16(h))
		if v != v {
			continue
		}
		require.Equal(t, uint16(h), halfOf(v), "%x", h)
		if next := ofHalf(uint16(h + 1)); h < 0x7bff {
			near := v + (next-v)*0.49
			require.Equal(t, uint16(h), halfOf(near), "%g", near)
		}
	}
	assert.Equal(t, uint16(0x7c00), halfOf(70000))
	assert.Equal(t, uint16(0x3555), halfOf(1./3))
}

// Hostile files are refused in a sentence, and leave the weights as they were.
func TestHostileWeights(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, WriteWeights(&b, small(1), Single, nil))
	good := b.Bytes()
	with := func(from, to string) []byte {
		require.Contains(t, string(good), from)
		return []byte(strings.Replace(string(good), from, to, 1))
	}
	altered := bytes.Clone(good)
	altered[len(altered)-1], altered[len(altered)-2] = 0x7f, 0xc0
	for want, file := range map[string][]byte{
		"ends after 3 bytes": good[:3],
		"does not fit":       append([]byte{255, 255, 255, 255, 255, 255, 255, 127}, good[8:]...),
		"cut short":          good[:len(good)-4],
		"belong to no":       append(bytes.Clone(good), 0, 0, 0, 0),
		"no JSON":            with(`{"dense"`, `["dense"`),
		"missing":            with(`"offset"`, `"offzet"`),
		"shape":              with(`[7,5]`, `[5,7]`),
		"are read":           with(`F32`, `I64`),
		"lies at":            with(`[0,140]`, `[-4,36]`),
		"no number":          altered,
	} {
		s := small(2)
		_, err := ReadWeights(file, s)
		assert.ErrorContains(t, err, want)
		assert.Equal(t, small(2).Values(), s.Values(), want)
	}
}

func FuzzReadWeights(f *testing.F) {
	var b bytes.Buffer
	_ = WriteWeights(&b, small(1), Half, map[string]string{"a": "b"})
	f.Add(b.Bytes())
	f.Fuzz(func(t *testing.T, file []byte) {
		s := small(2)
		if _, err := ReadWeights(file, s); err != nil {
			assert.Equal(t, small(2).Values(), s.Values())
		}
	})
}
