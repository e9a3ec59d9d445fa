package model

import (
	"context"
	"math/rand/v2"
	"sync/atomic"
	"time"
)

// Judge is the kind of error that forecasts will be ranked by, for models that choose.
type Judge int

const (
	// BothErrors is where neither kind alone ranks: intervals, or shares of points.
	BothErrors Judge = iota
	AbsoluteErrors
	SquaredErrors
)

// Env is what training gets besides the data. What is trained depends on Horizon, Judge,
// Random and Earlier alone.
type Env struct {
	Horizon int // the longest horizon that will be asked for
	Workers int // how many goroutines may be used; the result must not depend on it
	Judge   Judge
	// Random gives the stream that belongs to a series (or to "" for the whole).
	Random func(series string) *rand.Rand
	// Report is told how much of the training is done, from 0 to 1, and what is being done; nil
	// where nobody asks. It may be called from several goroutines.
	Report func(done float64, note string)
	// Show is given how losses went so far, each time that they are looked at; nil where nobody looks.
	// It may be called from several goroutines, and keep the curves.
	Show func(curves []Curve)
	// Clock tells the time that has passed since some moment, for training that is given a time;
	// nil where none is kept, and training takes as long as it needs.
	Clock func() time.Duration
	// Checkpoint keeps what long training needs to go on after a stop; nil where nothing does.
	Checkpoint Checkpoint
	// Earlier gives what was trained before on less of the same data, for models that can go on from
	// it (see Continuing); nil where nothing was. What is trained depends on it then. Where it has to be
	// trained again, it tells and keeps its progress as the environment it is given does.
	Earlier func(ctx context.Context, env Env) (Trained, error)
}

// Continuing is a model whose training can go on from an earlier one on newer data.
type Continuing interface {
	GoesOn() bool // with the settings that it has
}

// Checkpoint keeps the last state of one training that was saved.
type Checkpoint interface {
	// Load gives what was saved last, or nil.
	Load() ([]byte, error)
	Save([]byte) error
}

// Divided is a checkpoint with parts that are kept apart: what is done need not be written each time.
type Divided interface {
	Checkpoint
	// Part is the part of that name; nil where none can be kept.
	Part(name string) Checkpoint
}

// PartOf is a part of a checkpoint, or nil where it has none.
func PartOf(c Checkpoint, name string) Checkpoint {
	if d, ok := c.(Divided); ok {
		return d.Part(name)
	}
	return nil
}

// Tell reports how much is done.
func (e Env) Tell(done float64, note string) {
	if e.Report != nil {
		e.Report(done, note)
	}
}

// Within is the environment of a part of the training, that reaches from one share of the whole
// to another. Checkpoints are the whole's.
func (e Env) Within(from, to float64, note string) Env {
	if report := e.Report; report != nil {
		e.Report = func(done float64, inner string) {
			if inner != "" && note != "" {
				inner = note + ": " + inner
			} else if inner == "" {
				inner = note
			}
			report(from+done*(to-from), inner)
		}
		e.Report(0, "")
	}
	e.Checkpoint = nil
	return e
}

// Piece is Within of a piece that keeps its state in a part of the checkpoint.
func (e Env) Piece(from, to float64, note, name string) Env {
	part := PartOf(e.Checkpoint, name)
	e = e.Within(from, to, note)
	e.Checkpoint = part
	return e
}

// counting gives what is to be called whenever one of n series is done.
func (e Env) counting(n int) func() {
	if e.Report == nil {
		return func() {}
	}
	var done atomic.Int64
	return func() { e.Report(float64(done.Add(1))/float64(n), "") }
}
