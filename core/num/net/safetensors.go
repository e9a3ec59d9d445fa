package net

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"slices"
)

// Precision is how weights are written.
type Precision string

const (
	Single Precision = "F32"
	Half   Precision = "F16"
	Brain  Precision = "BF16"
)

func (p Precision) bytes() int {
	switch p {
	case Single:
		return 4
	case Half, Brain:
		return 2
	}
	return 0
}

const (
	mostHeader = 1 << 20
	// metadata is the header's entry that is no weight.
	metadata = "__metadata__"
)

// entry is what the header says of a weight.
type entry struct {
	Kind    Precision `json:"dtype"`
	Shape   []int     `json:"shape"`
	Offsets [2]int    `json:"data_offsets"`
}

// WriteWeights writes a store as safetensors: the length of a JSON header, the header, and the
// numbers, little-endian.
func WriteWeights(w io.Writer, s *Store[float32], p Precision, about map[string]string) error {
	header := map[string]any{}
	if len(about) > 0 {
		header[metadata] = about
	}
	at := 0
	for _, m := range s.list {
		n := len(m.Data) * p.bytes()
		header[m.name] = entry{p, []int{m.Rows, m.Cols}, [2]int{at, at + n}}
		at += n
	}
	head, err := json.Marshal(header) // whose keys are in order
	if err != nil {
		return err
	}
	for len(head)%8 != 0 {
		head = append(head, ' ')
	}
	out := binary.LittleEndian.AppendUint64(nil, uint64(len(head)))
	out = append(out, head...)
	for _, m := range s.list {
		for _, v := range m.Data {
			out = p.append(out, v)
		}
	}
	_, err = w.Write(out)
	return err
}

func (p Precision) append(out []byte, v float32) []byte {
	switch p {
	case Half:
		return binary.LittleEndian.AppendUint16(out, halfOf(v))
	case Brain:
		bits := math.Float32bits(v)
		if v != v {
			return binary.LittleEndian.AppendUint16(out, 0x7fc0)
		}
		return binary.LittleEndian.AppendUint16(out, uint16((bits+0x7fff+bits>>16&1)>>16))
	}
	return binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
}

func (p Precision) value(b []byte) float32 {
	switch p {
	case Half:
		return ofHalf(binary.LittleEndian.Uint16(b))
	case Brain:
		return math.Float32frombits(uint32(binary.LittleEndian.Uint16(b)) << 16)
	}
	return math.Float32frombits(binary.LittleEndian.Uint32(b))
}

// halfOf rounds to half precision, to even; what is too large is infinite.
func halfOf(v float32) uint16 {
	bits := math.Float32bits(v)
	sign := uint16(bits >> 16 & 0x8000)
	size := math.Float32frombits(bits & 0x7fffffff)
	switch {
	case v != v:
		return sign | 0x7e00
	case size >= 65520:
		return sign | 0x7c00
	case size < 1.0/(1<<14): // a multiple of 2^-24
		return sign | uint16(math.RoundToEven(float64(size)*(1<<24)))
	}
	rounded := bits&0x7fffffff + 0xfff + bits>>13&1
	return sign | uint16((rounded-(112<<23))>>13)
}

func ofHalf(h uint16) float32 {
	sign, size := uint32(h&0x8000)<<16, uint32(h&0x7fff)
	switch {
	case size >= 0x7c00:
		return math.Float32frombits(sign | 0x7f800000 | size<<13&0x7fffff)
	case size < 0x400:
		return math.Float32frombits(math.Float32bits(float32(size)/(1<<24)) | sign)
	}
	return math.Float32frombits(sign | (size<<13 + 112<<23))
}

// broken is what is wrong with a file of weights.
func broken(format string, of ...any) error { return fmt.Errorf("reading weights: "+format, of...) }

// header splits safetensors into the descriptions of the weights, what is said besides, and the
// numbers.
func header(b []byte) (raw map[string]json.RawMessage, about map[string]string, data []byte, err error) {
	if len(b) < 8 {
		return nil, nil, nil, broken("the file ends after %d bytes", len(b))
	}
	n := binary.LittleEndian.Uint64(b)
	if n > mostHeader || n > uint64(len(b)-8) {
		return nil, nil, nil, broken("its header of %d bytes does not fit the file of %d", n, len(b))
	}
	if err := json.Unmarshal(b[8:8+n], &raw); err != nil {
		return nil, nil, nil, broken("its header is no JSON: %w", err)
	}
	if m, ok := raw[metadata]; ok {
		if err := json.Unmarshal(m, &about); err != nil {
			return nil, nil, nil, broken("its metadata are no texts by name")
		}
		delete(raw, metadata)
	}
	return raw, about, b[8+n:], nil
}

// ReadAbout reads what the header of safetensors says besides the weights.
func ReadAbout(b []byte) (map[string]string, error) {
	_, about, _, err := header(b)
	return about, err
}

// ReadWeights fills a store that has the same weights from safetensors, and gives what the header
// says besides. What is cut short, altered in its shape, or another network's is refused.
func ReadWeights(b []byte, s *Store[float32]) (about map[string]string, err error) {
	raw, about, data, err := header(b)
	if err != nil {
		return nil, err
	}
	if len(raw) != len(s.list) {
		return nil, broken("it has %d weights, and the network %d", len(raw), len(s.list))
	}
	filled := make([][]float32, len(s.list))
	total := 0
	for i, w := range s.list {
		var e entry
		if err := json.Unmarshal(raw[w.name], &e); err != nil {
			return nil, broken("the weight %q is missing or not described", w.name)
		}
		if !slices.Equal(e.Shape, []int{w.Rows, w.Cols}) {
			return nil, broken("the weight %q is of shape %v, and the network's of [%d %d]", w.name, e.Shape, w.Rows, w.Cols)
		}
		from, to := e.Offsets[0], e.Offsets[1]
		size := e.Kind.bytes()
		if size == 0 {
			return nil, broken("the weight %q is of %q: F32, F16 and BF16 are read", w.name, e.Kind)
		}
		if from < 0 || to > len(data) || to-from != size*len(w.Data) {
			return nil, broken("the weight %q lies at bytes %d to %d of %d: the file is cut short or altered", w.name, from, to, len(data))
		}
		total += to - from
		filled[i] = make([]float32, len(w.Data))
		for k := range filled[i] {
			v := e.Kind.value(data[from+k*size:])
			if v != v || math.IsInf(float64(v), 0) {
				return nil, broken("the weight %q holds what is no number", w.name)
			}
			filled[i][k] = v
		}
	}
	if total != len(data) {
		return nil, broken("%d bytes belong to no weight", len(data)-total)
	}
	for i, w := range s.list {
		copy(w.Data, filled[i])
	}
	return about, nil
}

// Clone is a store of the same weights, to be moved on its own.
func (s *Store[T]) Clone() *Store[T] {
	out := NewStore[T](nil)
	for _, w := range s.list {
		k := out.add(w.name, w.Rows, w.Cols, w.free, func() float64 { return 0 })
		copy(out.list[k].Data, w.Data)
	}
	return out
}
