package bakeoff_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/bakeoff"
	"paperkettle/core/model/catalogue"
)

// What is sent of a task comes back the same, and what is cut short or altered at its head is an
// error, never a panic.
func TestRecordsAsBytes(t *testing.T) {
	bytes := rapid.SliceOfN(rapid.Byte(), 0, 40)
	rapid.Check(t, func(t *rapid.T) {
		r := bakeoff.Record{Window: rapid.IntRange(0, 1000).Draw(t, "window"), Shard: rapid.IntRange(0, 1000).Draw(t, "shard"),
			Scores: bytes.Draw(t, "scores"), Errors: bytes.Draw(t, "errors"), Forecasts: bytes.Draw(t, "forecasts"), Filled: bytes.Draw(t, "filled"),
			Tuned: bytes.Draw(t, "tuned"), Found: bytes.Draw(t, "found"), Newcomers: bytes.Draw(t, "newcomers"),
			Took: rapid.Int64().Draw(t, "took"), Held: rapid.Int64().Draw(t, "held")}
		b, err := r.MarshalBinary()
		require.NoError(t, err)
		var back bakeoff.Record
		require.NoError(t, back.UnmarshalBinary(b))
		assert.Equal(t, r, back)
		var cut bakeoff.Record
		assert.Error(t, cut.UnmarshalBinary(b[:rapid.IntRange(0, len(b)-1).Draw(t, "cut")]))
		_ = cut.UnmarshalBinary(rapid.SliceOf(rapid.Byte()).Draw(t, "noise"))
	})
}

// A result that was sent and read scores the same.
func TestResultsThroughTheirRecord(t *testing.T) {
	e, err := bakeoff.Prepare(dailyPanel(70, 60), learning(), catalogue.Standard())
	require.NoError(t, err)
	for _, task := range e.Tasks()[:3] {
		list, err := run(e, task, nil)
		require.NoError(t, err)
		for _, want := range list {
			r, err := want.Record()
			require.NoError(t, err)
			b, err := r.MarshalBinary()
			require.NoError(t, err)
			var back bakeoff.Record
			require.NoError(t, back.UnmarshalBinary(b))
			got, err := back.Result(&e.Plan)
			require.NoError(t, err)
			got.Held, got.Filled, got.Tuned, got.Found = want.Held, want.Filled, want.Tuned, want.Found
			assert.Equal(t, text(want), text(got))
			back.Scores = back.Scores[:len(back.Scores)-3]
			_, err = back.Result(&e.Plan)
			assert.ErrorContains(t, err, "damaged")
		}
	}
}

// Tasks keep their names.
func TestTasksByName(t *testing.T) {
	for _, task := range []bakeoff.Task{{}, {Window: 3, Contender: 1, Shard: 400}} {
		back, err := bakeoff.ParseTask(task.String())
		require.NoError(t, err)
		assert.Equal(t, task, back)
	}
	_, err := bakeoff.ParseTask("everything")
	assert.ErrorContains(t, err, `no task is called "everything"`)
}

// Whatever bytes come for a record, they are read or refused; what is read is written back the same.
func FuzzRecord(f *testing.F) {
	b, _ := (&bakeoff.Record{Window: 2, Shard: 1, Scores: []byte("abc"), Filled: []byte("[]"), Took: 7}).MarshalBinary()
	f.Add(b)
	f.Fuzz(func(t *testing.T, b []byte) {
		var r, back bakeoff.Record
		if r.UnmarshalBinary(b) != nil {
			return
		}
		again, err := r.MarshalBinary()
		if err != nil || back.UnmarshalBinary(again) != nil {
			t.Fatalf("what was read can't be written: %v", err)
		}
		assert.Equal(t, r, back)
	})
}
