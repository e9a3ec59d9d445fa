// Command pretrain trains the weights of the family pretrained on made-up series, and writes them as
// safetensors in half precision. It saves where it is every minute, and goes on from there.
package main

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"flag"
	"fmt"
	"log"
	"math/rand/v2"
	"os"
	"os/signal"
	"path/filepath"
	"time"

	"paperkettle/core/model/pretrained"
	"paperkettle/core/num/net"
	"paperkettle/core/synth"
)

func main() {
	log.SetFlags(log.Ltime)
	var p plan
	flag.IntVar(&p.Steps, "steps", 8000, "batches to train on")
	flag.IntVar(&p.Batch, "batch", 256, "series in a batch")
	flag.Float64Var(&p.Rate, "rate", 1.5e-3, "rate of learning, at its highest")
	flag.Uint64Var(&p.Seed, "seed", 1, "of the series and the first weights")
	flag.IntVar(&p.Units, "units", pretrained.Usual.Units, "units of the blocks that read the past")
	flag.IntVar(&p.Decoder, "decoder", pretrained.Usual.Decoder, "units of the blocks that forecast a step")
	workers := flag.Int("workers", 2, "goroutines")
	out := flag.String("out", "pretrain/weights/pretrained.safetensors", "file to write")
	state := flag.String("state", "", "file to go on from (beside the file to write where empty)")
	flag.Parse()
	if *state == "" {
		*state = *out + ".state"
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := run(ctx, p, *workers, *out, *state); err != nil {
		log.Fatal(err)
	}
}

// plan is all that the weights follow from.
type plan struct {
	Steps, Batch   int
	Rate           float64
	Seed           uint64
	Units, Decoder int
}

func (p plan) shape() pretrained.Shape {
	sh := pretrained.Usual
	sh.Units, sh.Decoder = p.Units, p.Decoder
	return sh
}

// saved is a training as a stop left it.
type saved struct {
	Plan    plan
	Trainer []byte
	Spent   time.Duration
	Curve   []float64
}

const (
	// checks is the seed of the series that the training is judged by, which it never learns from.
	checks, checkedSeries = 0xc0ffee, 2000
	checkEvery            = 500
)

func lesson(seed, number uint64) pretrained.Lesson {
	s := synth.Make(seed, number)
	return pretrained.Lesson{Values: s.Values, Known: s.Known, Season: s.Season, Longer: s.Longer}
}

func run(ctx context.Context, p plan, workers int, out, state string) error {
	network := pretrained.New(p.shape(), rand.New(rand.NewPCG(p.Seed, 1)))
	learner := pretrained.NewLearner(network, net.Settings{Rate: p.Rate, Steps: p.Steps, Warm: min(200, p.Steps/10), Decay: 0.02, Clip: 1,
		Average: 0.998, Seed: p.Seed})
	s := saved{Plan: p}
	if b, err := os.ReadFile(state); err == nil {
		if err := gob.NewDecoder(bytes.NewReader(b)).Decode(&s); err != nil {
			return fmt.Errorf("%s: %w: remove it to start anew", state, err)
		}
		if s.Plan != p {
			return fmt.Errorf("%s is of another training (%+v): remove it to start anew", state, s.Plan)
		}
		if err := learner.UnmarshalBinary(s.Trainer); err != nil {
			return fmt.Errorf("%s: %w", state, err)
		}
	}
	var judged []pretrained.Lesson
	for i := range uint64(checkedSeries) {
		judged = append(judged, lesson(checks, i))
	}
	log.Printf("%d weights, from batch %d of %d", network.Size(), learner.Steps(), p.Steps)
	start, kept, sum := time.Now(), time.Now(), 0.0
	before := s.Spent
	for learner.Steps() < p.Steps {
		first := uint64(learner.Steps()) * uint64(p.Batch)
		loss, err := learner.Learn(ctx, workers, p.Batch, func(i int) pretrained.Lesson { return lesson(p.Seed, first+uint64(i)) })
		if err != nil {
			return errors.Join(err, s.keep(state, learner)) // a stop goes on where it was
		}
		sum += loss
		s.Spent = before + time.Since(start)
		if learner.Steps()%checkEvery == 0 || learner.Steps() == p.Steps {
			own, err := judge(ctx, workers, p, learner, judged)
			if err != nil {
				return err
			}
			s.Curve = append(s.Curve, own)
			log.Printf("batch %d of %d, %v, loss %.4f, on series held out %.4f", learner.Steps(), p.Steps, s.Spent.Round(time.Second), sum/checkEvery, own)
			sum = 0
		}
		if time.Since(kept) > time.Minute {
			if err := s.keep(state, learner); err != nil {
				return err
			}
			kept = time.Now()
		}
	}
	if err := learner.Settle(); err != nil {
		return err
	}
	about := map[string]string{
		"steps": fmt.Sprint(p.Steps), "series": fmt.Sprint(p.Steps * p.Batch), "seed": fmt.Sprint(p.Seed),
		"loss": fmt.Sprintf("%.4f", s.Curve[len(s.Curve)-1]), "curve": fmt.Sprintf("%.4f", s.Curve),
	}
	var b bytes.Buffer
	if err := network.Write(&b, net.Half, about); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(out), 0o755); err != nil {
		return err
	}
	if err := os.WriteFile(out, b.Bytes(), 0o644); err != nil {
		return err
	}
	log.Printf("%s: %d bytes, %.2f hours", out, b.Len(), s.Spent.Hours())
	return removed(state)
}

// judge gives the loss of the averaged weights on series held out.
func judge(ctx context.Context, workers int, p plan, learner *pretrained.Learner, judged []pretrained.Lesson) (float64, error) {
	other := pretrained.New(p.shape(), nil)
	if err := other.Set(learner.Averaged()); err != nil {
		return 0, err
	}
	return other.Check(ctx, workers, judged)
}

// keep saves the training, whole or not at all.
func (s *saved) keep(file string, learner *pretrained.Learner) error {
	var err error
	if s.Trainer, err = learner.MarshalBinary(); err != nil {
		return err
	}
	var b bytes.Buffer
	if err := gob.NewEncoder(&b).Encode(s); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return err
	}
	if err := os.WriteFile(file+".new", b.Bytes(), 0o644); err != nil {
		return err
	}
	return os.Rename(file+".new", file)
}

// removed removes a file that may not be there.
func removed(file string) error {
	if err := os.Remove(file); err != nil && !os.IsNotExist(err) {
		return err
	}
	return nil
}
