package bakeoff

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"

	"paperkettle/core/score"
)

// Record is a TaskResult as bytes, part by part, so that a store can keep and read them apart.
type Record struct {
	Window, Shard int
	Scores        []byte // of training, of each step, of each series
	Errors        []byte
	Forecasts     []byte
	Filled        []byte // JSON; empty where nothing failed
	Tuned         []byte // JSON, of contenders that are tuned
	Found         []byte // JSON, a text a series; empty where nothing was found
	Newcomers     []byte // JSON; empty where there are none
	Took          int64  // nanoseconds of a worker's time
	Held          int64  // bytes that the trained contender takes, 0 where that is not known
}

// Record writes a result.
func (r *TaskResult) Record() (*Record, error) {
	out := &Record{Window: r.Window, Shard: r.Shard, Scores: packScores(r), Errors: packFloats(r.Errors), Forecasts: r.Packed, Held: r.Held}
	var err error
	if len(r.Filled) > 0 {
		if out.Filled, err = json.Marshal(r.Filled); err != nil {
			return nil, err
		}
	}
	if slices.ContainsFunc(r.Found, func(text string) bool { return text != "" }) {
		if out.Found, err = json.Marshal(r.Found); err != nil {
			return nil, err
		}
	}
	if out.Newcomers, err = packNewcomers(r.Newcomers); err != nil {
		return nil, err
	}
	if r.Tuned != nil {
		out.Tuned, err = json.Marshal(r.Tuned)
	}
	return out, err
}

// Result reads the scores, errors and forecasts of a record, of an engine's plan.
func (r *Record) Result(plan *Plan) (*TaskResult, error) {
	steps, levels := plan.Split.Horizon, len(plan.Levels)
	size := score.PackedSize(levels)
	n := len(r.Scores) / size
	if n <= steps || n*size != len(r.Scores) {
		return nil, errDamaged
	}
	all := make([]score.Acc, n)
	room := make([]score.LevelAcc, n*levels) // one piece of memory for all
	for i := range all {
		all[i].Levels = room[i*levels : (i+1)*levels : (i+1)*levels]
		if err := all[i].Unpack(r.Scores[i*size : (i+1)*size]); err != nil {
			return nil, err
		}
	}
	out := &TaskResult{Window: r.Window, Shard: r.Shard, Packed: r.Forecasts, Train: all[0], Steps: all[1 : 1+steps], Series: all[1+steps:],
		Errors: unpackFloats(r.Errors)}
	if len(out.Errors) != len(out.Series)*steps {
		return nil, errDamaged
	}
	return out, nil
}

var errDamaged = errors.New("stored scores are damaged")

// packScores writes the sums of training, then of each step, then of each series.
func packScores(r *TaskResult) []byte {
	b := make([]byte, 0, (1+len(r.Steps)+len(r.Series))*score.PackedSize(len(r.Train.Levels)))
	b = r.Train.AppendPacked(b)
	for _, accs := range [][]score.Acc{r.Steps, r.Series} {
		for i := range accs {
			b = accs[i].AppendPacked(b)
		}
	}
	return b
}

func packFloats(values []float64) []byte {
	b := make([]byte, 0, 8*len(values))
	for _, v := range values {
		b = binary.LittleEndian.AppendUint64(b, math.Float64bits(v))
	}
	return b
}

func unpackFloats(b []byte) []float64 {
	out := make([]float64, len(b)/8)
	for i := range out {
		out[i] = math.Float64frombits(binary.LittleEndian.Uint64(b[8*i:]))
	}
	return out
}

// recordFormat is the first byte of a written record.
const recordFormat = 3

// MarshalBinary writes a record as one piece, to be sent.
func (r *Record) MarshalBinary() ([]byte, error) {
	parts := r.parts()
	size := 32
	for _, p := range parts {
		size += len(*p) + 8
	}
	b := append(make([]byte, 0, size), recordFormat)
	for _, v := range []int64{int64(r.Window), int64(r.Shard), r.Took, r.Held} {
		b = binary.AppendVarint(b, v)
	}
	for _, p := range parts {
		b = binary.AppendUvarint(b, uint64(len(*p)))
		b = append(b, *p...)
	}
	return b, nil
}

// UnmarshalBinary reads what MarshalBinary wrote. The record's parts are the bytes' own.
func (r *Record) UnmarshalBinary(b []byte) error {
	if len(b) == 0 || b[0] != recordFormat {
		return errors.New("a result is of another format than this program's")
	}
	b = b[1:]
	var numbers [4]int64
	for i := range numbers {
		v, n := binary.Varint(b)
		if n <= 0 {
			return fmt.Errorf("a result is cut short")
		}
		numbers[i], b = v, b[n:]
	}
	r.Window, r.Shard, r.Took, r.Held = int(numbers[0]), int(numbers[1]), numbers[2], numbers[3]
	for _, p := range r.parts() {
		size, n := binary.Uvarint(b)
		if n <= 0 || size > uint64(len(b)-n) {
			return fmt.Errorf("a result is cut short")
		}
		*p, b = b[n:n+int(size):n+int(size)], b[n+int(size):]
	}
	return nil
}

func (r *Record) parts() []*[]byte {
	return []*[]byte{&r.Scores, &r.Errors, &r.Forecasts, &r.Filled, &r.Tuned, &r.Found, &r.Newcomers}
}
