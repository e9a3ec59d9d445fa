package main

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model/pretrained"
)

// The same plan gives the same file, whatever the number of workers, and after any number of stops.
func TestATrainingIsTheSameToTheByte(t *testing.T) {
	p := plan{Steps: 40, Batch: 16, Rate: 1e-3, Seed: 3, Units: 16, Decoder: 16}
	dir := t.TempDir()
	train := func(name string, workers int, each time.Duration) []byte {
		out := filepath.Join(dir, name)
		stops := 0
		for {
			ctx, cancel := context.WithTimeout(context.Background(), each)
			err := run(ctx, p, workers, out, out+".state")
			cancel()
			if err == nil {
				break
			}
			require.ErrorIs(t, err, context.DeadlineExceeded)
			stops++
			require.Less(t, stops, 1000)
			each += 50 * time.Millisecond // so that it ends on a busy machine
		}
		b, err := os.ReadFile(out)
		require.NoError(t, err)
		_, err = os.Stat(out + ".state")
		assert.ErrorIs(t, err, os.ErrNotExist, "nothing is left behind")
		return b
	}
	whole := train("whole", 1, time.Hour)
	w, err := pretrained.ReadWeights(whole)
	require.NoError(t, err)
	assert.Equal(t, "40", w.About[0]["steps"])
	assert.Equal(t, whole, train("stopped", 2, 100*time.Millisecond))
}

func TestAStateOfAnotherTrainingIsRefused(t *testing.T) {
	dir := t.TempDir()
	state := filepath.Join(dir, "state")
	p := plan{Steps: 40, Batch: 16, Rate: 1e-3, Seed: 3, Units: 16, Decoder: 16}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	require.Error(t, run(ctx, p, 1, filepath.Join(dir, "out"), state))
	p.Seed = 4
	assert.ErrorContains(t, run(context.Background(), p, 1, filepath.Join(dir, "out"), state), "is of another training")
	require.NoError(t, os.WriteFile(state, []byte("nonsense"), 0o600))
	assert.ErrorContains(t, run(context.Background(), p, 1, filepath.Join(dir, "out"), state), "remove it to start anew")
}
