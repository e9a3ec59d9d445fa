package jobs

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/gob"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"runtime"
	"slices"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/score"
	"paperkettle/store"
)

// KindBakeoff is the job kind of a bake-off.
const KindBakeoff = "bake-off"

// OpenEngine makes a stored bake-off's engine.
func OpenEngine(ctx context.Context, s *store.Store, cat model.Catalogue, b *store.Bakeoff) (*bakeoff.Engine, error) {
	var plan bakeoff.Plan
	if err := json.Unmarshal([]byte(b.Plan), &plan); err != nil {
		return nil, fmt.Errorf("reading the plan of bake-off %d: %w", b.ID, err)
	}
	p, err := s.Panel(ctx, b.RevisionID)
	if err != nil {
		return nil, err
	}
	e, err := bakeoff.Prepare(p, plan, cat)
	if err == nil {
		e.Workers = runtime.GOMAXPROCS(0)
	}
	return e, err
}

// Bakeoffs opens bake-off jobs.
func Bakeoffs(s *store.Store, cat model.Catalogue) Opener {
	return func(ctx context.Context, ref uint) (Work, error) {
		var b store.Bakeoff
		if err := s.Read(ctx).First(&b, ref).Error; err != nil {
			return nil, err
		}
		e, err := OpenEngine(ctx, s, cat, &b)
		if err != nil {
			return nil, err
		}
		return &bakeoffWork{store: s, e: e, id: b.ID, tasks: e.Tasks()}, nil
	}
}

type bakeoffWork struct {
	store *store.Store
	e     *bakeoff.Engine
	id    uint
	tasks []bakeoff.Task
	meter meter
	whole []byte // the standings, once all is done
}

func (w *bakeoffWork) Total() int { return len(w.tasks) }

// Stage puts contenders that combine others after those that they combine.
func (w *bakeoffWork) Stage(i int) int {
	if w.e.Combines(w.tasks[i]) {
		return 1
	}
	return 0
}

func (w *bakeoffWork) Pending(ctx context.Context) ([]int, error) {
	var stored []store.TaskFacts
	err := w.store.Read(ctx).Where("bakeoff_id = ?", w.id).Select("win", "contender", "shard").Find(&stored).Error
	if err != nil {
		return nil, err
	}
	have := make(map[bakeoff.Task]bool, len(stored))
	for _, r := range stored {
		have[bakeoff.Task{Window: r.Win, Contender: r.Contender, Shard: r.Shard}] = true
	}
	var out []int
	for i, t := range w.tasks {
		// All windows of a task are written at once: the first that it serves tells.
		t.Window = w.e.FirstWindow(t)
		if !have[t] {
			out = append(out, i)
		}
	}
	return out, nil
}

func (w *bakeoffWork) Do(ctx context.Context, i int) (func(tx *gorm.DB) error, error) {
	t := w.tasks[i]
	var list []*bakeoff.TaskResult
	took, bytes, err := w.meter.measure(t.Contender, func() (err error) {
		list, err = w.e.Run(ctx, t, StoredResults(ctx, w.store, w.e, w.id))
		return err
	})
	if err != nil {
		return nil, err
	}
	records, facts := make([]store.Result, len(list)), make([]store.TaskFacts, len(list))
	for k, r := range list {
		if records[k], facts[k], err = record(w.id, t, r); err != nil {
			return nil, err
		}
		facts[k].Took = int64(took) / int64(len(list))
	}
	facts[0].Bytes = bytes
	return func(tx *gorm.DB) error {
		again := tx.Clauses(clause.OnConflict{DoNothing: true})
		return errors.Join(again.CreateInBatches(&records, 50).Error, again.CreateInBatches(&facts, 200).Error)
	}, nil
}

func record(id uint, t bakeoff.Task, r *bakeoff.TaskResult) (store.Result, store.TaskFacts, error) {
	out := store.Result{BakeoffID: id, Win: r.Window, Contender: t.Contender, Shard: t.Shard, Scores: packScores(r), Forecasts: r.Packed, Errors: packFloats(r.Errors)}
	facts := store.TaskFacts{BakeoffID: id, Win: r.Window, Contender: t.Contender, Shard: t.Shard}
	if len(r.Filled) > 0 {
		filled, err := json.Marshal(r.Filled)
		if err != nil {
			return out, facts, err
		}
		facts.Filled = string(filled)
	}
	if r.Tuned != nil {
		tuned, err := json.Marshal(r.Tuned)
		if err != nil {
			return out, facts, err
		}
		facts.Tuned = string(tuned)
	}
	return out, facts, nil
}

// Close ranks what is done, so that the standings are at hand from then on.
func (w *bakeoffWork) Close(ctx context.Context) error {
	st, err := rankStored(ctx, w.store, w.e, w.id, "", "")
	if err == nil {
		w.whole, err = packStandings(st)
	}
	return err
}

// Finish drops what was ranked before contenders were added, however late it was kept.
func (w *bakeoffWork) Finish(tx *gorm.DB) error {
	if err := tx.Where("bakeoff_id = ?", w.id).Delete(&store.Summary{}).Error; err != nil {
		return err
	}
	return keepSummary(tx, w.id, cutName("", ""), w.whole)
}

func (w *bakeoffWork) Abandon(*gorm.DB) error { return nil }

// StoredResults reads what was kept of a bake-off's tasks.
func StoredResults(ctx context.Context, s *store.Store, e *bakeoff.Engine, id uint) bakeoff.Stored {
	return func(t bakeoff.Task) (*bakeoff.TaskResult, error) {
		var r store.Result
		err := s.Read(ctx).Where("bakeoff_id = ? AND win = ? AND contender = ? AND shard = ?", id, t.Window, t.Contender, t.Shard).First(&r).Error
		if err != nil {
			return nil, fmt.Errorf("reading what %s made in window %d: %w", e.Plan.Contenders[t.Contender].Name, e.Windows[t.Window].Index, err)
		}
		return unpackResult(e, r)
	}
}

// packScores lays the sums of the training parts before those of the steps and the
// series.
func packScores(r *bakeoff.TaskResult) []byte {
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

var errDamaged = errors.New("stored scores are damaged")

// unpackResult reads what a record holds; Packed is empty where it was not asked for.
func unpackResult(e *bakeoff.Engine, r store.Result) (*bakeoff.TaskResult, error) {
	steps, levels := e.Plan.Split.Horizon, len(e.Plan.Levels)
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
	out := &bakeoff.TaskResult{Window: r.Win, Packed: r.Forecasts, Train: all[0], Steps: all[1 : 1+steps], Series: all[1+steps:], Errors: unpackFloats(r.Errors)}
	if len(out.Errors) != len(out.Series)*steps {
		return nil, errDamaged
	}
	return out, nil
}

// Cost is what a contender took.
type Cost struct {
	Seconds float64 // of a worker's time
	Bytes   int64   // memory that its first task took, 0 where it was not measured
}

// ReadCosts adds up what each contender took.
func ReadCosts(ctx context.Context, s *store.Store, e *bakeoff.Engine, id uint) ([]Cost, error) {
	var rows []struct {
		Contender int
		Took      int64
		Bytes     int64
	}
	err := s.Read(ctx).Model(&store.TaskFacts{}).Where("bakeoff_id = ?", id).Group("contender").Select("contender, SUM(took) AS took, MAX(bytes) AS bytes").Scan(&rows).Error
	out := make([]Cost, len(e.Plan.Contenders))
	for _, r := range rows {
		out[r.Contender] = Cost{float64(r.Took) / 1e9, r.Bytes}
	}
	return out, err
}

func cutName(metric, per string) string { return metric + "|" + per }

func keepSummary(tx *gorm.DB, id uint, cut string, data []byte) error {
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&store.Summary{BakeoffID: id, Cut: cut, Data: data}).Error
}

func packStandings(st *bakeoff.Standings) ([]byte, error) {
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode(st)
	return b.Bytes(), err
}

// errOtherMetrics says that standings were kept under another list of metrics than the program
// has now: their figures would stand under wrong names.
var errOtherMetrics = errors.New("jobs: standings of another list of metrics")

func unpackStandings(b []byte, levels []float64) (*bakeoff.Standings, error) {
	var st bakeoff.Standings
	if err := gob.NewDecoder(bytes.NewReader(b)).Decode(&st); err != nil {
		return nil, err
	}
	now := score.Metrics(levels) // with their functions
	if !slices.EqualFunc(st.Metrics, now, func(a, b score.Metric) bool { return a.Name == b.Name }) {
		return nil, errOtherMetrics
	}
	st.Metrics = now
	return &st, nil
}

// ReadStandings ranks a bake-off from its stored scores. Only windows and shards
// that every contender has finished count, so that a running one is fair. The ranking of
// one that is done is kept and read again.
func ReadStandings(ctx context.Context, s *store.Store, e *bakeoff.Engine, id uint, metric, per string) (*bakeoff.Standings, error) {
	if metric == e.Plan.Metric {
		metric = ""
	}
	var kept store.Summary
	err := s.Read(ctx).Where("bakeoff_id = ? AND cut = ?", id, cutName(metric, per)).First(&kept).Error
	if err == nil {
		st, err := unpackStandings(kept.Data, e.Plan.Levels)
		if !errors.Is(err, errOtherMetrics) {
			return st, err
		}
	} else if !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	var done int64
	err = s.Read(ctx).Model(&store.Job{}).Where("id = (SELECT job_id FROM bakeoffs WHERE id = ?) AND state = ?", id, store.Done).Count(&done).Error
	if err != nil {
		return nil, err
	}
	st, err := rankStored(ctx, s, e, id, metric, per)
	if err != nil || done == 0 {
		return st, err
	}
	data, err := packStandings(st)
	if err != nil {
		return nil, err
	}
	return st, s.Write(ctx, func(tx *gorm.DB) error { return keepSummary(tx, id, cutName(metric, per), data) })
}

func rankStored(ctx context.Context, s *store.Store, e *bakeoff.Engine, id uint, metric, per string) (*bakeoff.Standings, error) {
	tally, err := bakeoff.NewTally(e, per)
	if err == nil {
		err = tally.By(metric)
	}
	if err != nil {
		return nil, err
	}
	if err := EachResult(ctx, s, e, id, Wanted{Forecasts: tally.NeedsForecasts()}, tally.Add); err != nil {
		return nil, err
	}
	return tally.Rank(metric)
}

// Wanted says what is read of results.
type Wanted struct {
	Forecasts  bool  // the packed ones too
	Contenders []int // these alone; nil for all
}

// EachResult calls f for every stored result of windows that all contenders have
// finished on the same series, window by window.
func EachResult(ctx context.Context, s *store.Store, e *bakeoff.Engine, id uint, want Wanted, f func(bakeoff.Task, *bakeoff.TaskResult) error) error {
	whole, err := finishedWindows(ctx, s, e, id)
	if err != nil {
		return err
	}
	filled, err := ReadFilled(ctx, s, id)
	if err != nil {
		return err
	}
	columns := []string{"win", "contender", "shard", "scores", "errors"}
	if want.Forecasts {
		columns = append(columns, "forecasts")
	}
	query := s.Read(ctx).Model(&store.Result{}).Where("bakeoff_id = ?", id)
	if want.Contenders != nil {
		query = query.Where("contender IN ?", want.Contenders)
	}
	rows, err := query.Order("win, shard, contender").Select(columns).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var r store.Result
		into := []any{&r.Win, &r.Contender, &r.Shard, &r.Scores, &r.Errors}
		if want.Forecasts {
			into = append(into, &r.Forecasts)
		}
		if err := rows.Scan(into...); err != nil {
			return err
		}
		if !whole(r.Win, r.Shard) {
			continue
		}
		t := bakeoff.Task{Window: r.Win, Contender: r.Contender, Shard: r.Shard}
		res, err := unpackResult(e, r)
		if err == nil {
			res.Filled = filled[t]
			err = f(t, res)
		}
		if err != nil {
			return err
		}
	}
	return rows.Err()
}

// ReadFilled reads where contenders failed, by task.
func ReadFilled(ctx context.Context, s *store.Store, id uint) (map[bakeoff.Task][]bakeoff.Filled, error) {
	var rows []store.TaskFacts
	if err := s.Read(ctx).Where("bakeoff_id = ? AND filled <> ''", id).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make(map[bakeoff.Task][]bakeoff.Filled, len(rows))
	for _, r := range rows {
		var list []bakeoff.Filled
		if err := json.Unmarshal([]byte(r.Filled), &list); err != nil {
			return nil, err
		}
		out[bakeoff.Task{Window: r.Win, Contender: r.Contender, Shard: r.Shard}] = list
	}
	return out, nil
}

// finishedWindows says of which windows and shards every contender's result is stored.
func finishedWindows(ctx context.Context, s *store.Store, e *bakeoff.Engine, id uint) (func(window, shard int) bool, error) {
	var stored []store.TaskFacts
	if err := s.Read(ctx).Where("bakeoff_id = ?", id).Select("win", "contender", "shard").Find(&stored).Error; err != nil {
		return nil, err
	}
	have := make(map[bakeoff.Task]bool, len(stored))
	for _, r := range stored {
		have[bakeoff.Task{Window: r.Win, Contender: r.Contender, Shard: r.Shard}] = true
	}
	known := map[[2]int]bool{}
	return func(window, shard int) bool {
		key := [2]int{window, shard}
		done, ok := known[key]
		if !ok {
			done = e.Finished(window, shard, func(t bakeoff.Task) bool { return have[t] })
			known[key] = done
		}
		return done
	}, nil
}

// ReadForecast reads one series' forecast from a packed shard.
func ReadForecast(packed []byte, place, horizon int) (forecast.Rows, error) {
	size := forecast.RecordSize(packed, horizon)
	rows := forecast.NewRows(horizon)
	if (place+1)*size > len(packed) {
		return rows, fmt.Errorf("stored forecasts are damaged")
	}
	err := rows.Unpack(packed[place*size : (place+1)*size])
	return rows, err
}
