package bakeoff

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// BestPerSeries is the choice of each series' own leader.
const BestPerSeries = "best-per-series"

// Refit trains chosen contenders on all data and forecasts past its end. It is
// safe for concurrent use.
type Refit struct {
	Panel   *panel.Panel
	Plan    Plan
	Horizon int
	Series  []int // that the plan's filter keeps
	choice  map[string]int
	usual   int
	Lineup  *Lineup
	across  bool                          // a contender that learns from all series is among those chosen
	pasts   map[int]map[string]model.Past // of combining contenders, by series

	fillings panel.Fillings
}

// Refitted is one series of a release.
type Refitted struct {
	Series    string `json:"series"`
	Contender string `json:"contender,omitempty"`
	LeftOut   string `json:"left_out,omitempty"` // the reason, where there is no forecast
}

// NewRefit prepares one. chosen names the contender of each series; those it does
// not name take usual.
func NewRefit(p *panel.Panel, plan Plan, cat model.Catalogue, usual string, chosen map[string]string, horizon int) (*Refit, error) {
	if err := plan.Complete(cat); err != nil {
		return nil, err
	}
	p = p.WithClosed(p.Length - 1)
	r := &Refit{Panel: p, Plan: plan, Horizon: horizon, choice: map[string]int{}, usual: plan.Contender(usual)}
	if r.usual < 0 {
		return nil, fmt.Errorf("no contender of the bake-off is called %q", usual)
	}
	for key, name := range chosen {
		r.choice[key] = plan.Contender(name)
	}
	var err error
	if r.Series, err = p.Where(plan.Where); err != nil {
		return nil, err
	}
	if r.fillings, err = panel.ParseFillings(p, plan.Gaps); err != nil {
		return nil, err
	}
	if err := panel.CheckHoles(p, r.Holes(), r.fillings); err != nil {
		return nil, err
	}
	if r.Lineup, err = newLineup(&r.Plan, cat, r.view(r.Series), horizon); err != nil {
		return nil, err
	}
	for c := range r.used() {
		r.across = r.across || r.Lineup.pools(c)
	}
	return r, nil
}

// used are the contenders that make the forecasts, with the members of those that combine.
func (r *Refit) used() map[int]bool {
	out := map[int]bool{}
	for _, c := range append(slices.Collect(maps.Values(r.choice)), r.usual) {
		if c < 0 {
			continue
		}
		out[c] = true
		if co := r.Lineup.combines(c); co != nil {
			for _, m := range co.members {
				out[m] = true
			}
		}
	}
	return out
}

// Remember gives the refit what the bake-off's windows tell of the members of its
// combining contenders that are chosen.
func (r *Refit) Remember(e *Engine, stored Stored) error {
	used := map[int]bool{r.usual: true}
	for _, c := range r.choice {
		used[c] = true
	}
	for c := range used {
		if e.Lineup.combines(c) == nil {
			continue
		}
		past, err := e.pastOf(c, stored)
		if err != nil {
			return err
		}
		if r.pasts == nil {
			r.pasts = map[int]map[string]model.Past{}
		}
		r.pasts[c] = past
	}
	return nil
}

// Pools says whether a piece trains on all series at once.
func (r *Refit) Pools() bool { return r.across }

// Parts is the number of pieces the work falls into.
func (r *Refit) Parts() int {
	if r.across {
		return 1
	}
	return (len(r.Series) + ShardSize - 1) / ShardSize
}

// Part lists the series of a piece, as panel indices.
func (r *Refit) Part(i int) []int {
	if r.across {
		return r.Series
	}
	return r.Series[i*ShardSize : min((i+1)*ShardSize, len(r.Series))]
}

// Run does a piece: one packed record for each series that is not left out, in
// order.
func (r *Refit) Run(ctx context.Context, part int, report Report) (notes []Refitted, packed []byte, err error) {
	series := r.Part(part)
	notes = make([]Refitted, len(series))
	rows := make([]forecast.Rows, len(series))
	groups := make([][]int, len(r.Plan.Contenders)) // places in the part, by contender
	for i, s := range series {
		key := r.Panel.Series[s].Key
		notes[i] = Refitted{Series: key, LeftOut: r.leaveOut(s)}
		if notes[i].LeftOut != "" {
			continue
		}
		c := r.chosen(s)
		notes[i].Contender = r.Plan.Contenders[c].Name
		groups[c] = append(groups[c], i)
	}
	done := 0
	for c, places := range groups {
		if len(places) == 0 {
			continue
		}
		if err := r.fit(ctx, c, series, places, rows, notes, stretch(report, done, done+len(places), len(series))); err != nil {
			return nil, nil, err
		}
		done += len(places)
	}
	for i := range rows {
		if notes[i].LeftOut == "" {
			packed = rows[i].Pack(packed)
		}
	}
	return notes, packed, nil
}

// stretch is a report on what reaches from one place to another of a whole.
func stretch(report Report, from, to, of int) Report {
	if report == nil {
		return nil
	}
	return func(done float64, note string) {
		report((float64(from)+done*float64(to-from))/float64(of), note)
	}
}

func (r *Refit) fit(ctx context.Context, c int, series, places []int, rows []forecast.Rows, notes []Refitted, report Report) error {
	members := make([]int, len(places))
	for i, p := range places {
		members[i] = series[p]
	}
	got, errs, err := r.forecast(ctx, c, members, report)
	if err != nil {
		return err
	}
	for i, p := range places {
		if errs[i] != nil {
			notes[p].LeftOut = errs[i].Error()
			continue
		}
		rows[p] = got[i]
		if f := r.Panel.Floor; f != nil {
			rows[p].Clip(*f)
		}
		r.close(r.Panel, series[p], &rows[p])
	}
	return nil
}

// forecast refits a contender on series, or the members of one that combines others.
func (r *Refit) forecast(ctx context.Context, c int, series []int, report Report) (rows []forecast.Rows, errs []error, err error) {
	co := r.Lineup.combines(c)
	if co == nil {
		return r.Lineup.forecast(ctx, c, r.occasion(r.view(series), report))
	}
	own := make([][]forecast.Rows, len(co.members))
	for m, member := range co.members {
		got, failed, err := r.forecast(ctx, member, series, report)
		if err != nil {
			return nil, nil, err
		}
		for i := range got {
			if failed[i] != nil {
				got[i] = forecast.Rows{}
			}
		}
		own[m] = got
	}
	rows, errs = make([]forecast.Rows, len(series)), make([]error, len(series))
	one := make([]forecast.Rows, len(co.members))
	for i, s := range series {
		for m := range one {
			one[m] = own[m][i]
		}
		rows[i], _, errs[i] = co.Combine(one, r.past(c, s))
	}
	return rows, errs, nil
}

func (r *Refit) past(c, series int) model.Past {
	past, ok := r.pasts[c][r.Panel.Series[series].Key]
	if !ok {
		past.Usual = r.Lineup.combines(c).usual
	}
	return past
}

// describeCombined says which members make a series' forecast, and with what weight.
func (r *Refit) describeCombined(ctx context.Context, c, series int) (model.Description, error) {
	co := r.Lineup.combines(c)
	rows := make([]forecast.Rows, len(co.members))
	for m, member := range co.members {
		got, errs, err := r.forecast(ctx, member, []int{series}, nil)
		if err != nil {
			return model.Description{}, err
		}
		if errs[0] == nil {
			rows[m] = got[0]
		}
	}
	_, weights, err := co.Combine(rows, r.past(c, series))
	if err != nil {
		return model.Description{}, err
	}
	d := model.Description{Form: "combines the forecasts of other contenders", From: r.Panel.Series[series].First, To: r.Panel.Length - 1, Known: panel.CountKnown(r.Panel.Series[series].Values)}
	for m, w := range weights {
		if w > 0 {
			d.Parameters = append(d.Parameters, model.Parameter{Name: r.Plan.Contenders[co.members[m]].Name, Value: w, Meaning: "weight of the member"})
		}
	}
	return d, nil
}

// Describe explains how the release was fitted to a series. ok is false where the series is not
// among the refit's or was left out.
func (r *Refit) Describe(ctx context.Context, series int) (d model.Description, ok bool, err error) {
	if r.leaveOut(series) != "" {
		return d, false, nil
	}
	c := r.chosen(series)
	if r.Lineup.combines(c) != nil {
		d, err = r.describeCombined(ctx, c, series)
		return d, err == nil, err
	}
	members := r.together(c, series)
	o := r.occasion(r.view(members), nil)
	var trained model.Trained
	if r.Lineup.pools(c) { // the others have their say in it
		trained, err = r.Lineup.train(ctx, c, o)
	} else if trained, err = r.Lineup.kept(ctx, c, o); trained == nil && err == nil {
		members = []int{series}
		o = r.occasion(r.view(members), nil)
		o.keep = false
		trained, err = r.Lineup.train(ctx, c, o)
	}
	if err != nil {
		return d, false, err
	}
	return trained.Describe(slices.Index(members, series)), true, nil
}

// together lists the series that a contender is trained on with one of them: those of the same
// piece that have the same contender.
func (r *Refit) together(c, series int) []int {
	part := r.Series
	if !r.across {
		i := slices.Index(r.Series, series) / ShardSize
		part = r.Part(i)
	}
	return slices.DeleteFunc(slices.Clone(part), func(s int) bool { return r.leaveOut(s) != "" || r.chosen(s) != c })
}

// Report is told how much of something is done, from 0 to 1, and what is being done.
type Report = func(done float64, note string)

// occasion is the end of the data as one that a contender is trained for.
func (r *Refit) occasion(v panel.View, report Report) occasion {
	return occasion{view: v, horizon: r.Horizon, stream: "release", workers: r.workers(), report: report, keep: true}
}

// workers is how many a piece may use: pieces run side by side, unless there is only one.
func (r *Refit) workers() int {
	if r.across {
		return max(1, r.Lineup.Workers)
	}
	return 1
}

// Forecast lists the series that get a forecast.
func (r *Refit) Forecast() []int {
	return slices.DeleteFunc(slices.Clone(r.Series), func(s int) bool { return r.leaveOut(s) != "" })
}

// chosen is the contender of a series.
func (r *Refit) chosen(series int) int {
	if c, ok := r.choice[r.Panel.Series[series].Key]; ok {
		return c
	}
	return r.usual
}

// view shows series up to the end of the panel, as far back as the plan says.
func (r *Refit) view(series []int) panel.View { return r.viewOf(r.Panel, series) }

// viewOf shows the same of another panel, that differs by drivers and events ahead.
func (r *Refit) viewOf(p *panel.Panel, series []int) panel.View {
	origin := p.Length - 1
	from := 0
	if n := int(r.Plan.Split.History); n > 0 {
		from = max(0, origin-n+1)
	}
	v := panel.NewView(p, series, from, origin)
	if len(p.Drivers) == 0 {
		return v
	}
	return v.WithAhead(r.Plan.Ahead, r.Horizon).WithFillings(r.fillings)
}

// leaveOut says why a series gets no forecast: too little history, or nothing
// known over the last horizon or season, whichever is longer.
func (r *Refit) leaveOut(series int) string {
	s := &r.Panel.Series[series]
	last := r.Panel.Length - 1
	if n := knownBetween(s, 0, last, MinKnown); n < MinKnown {
		return fmt.Sprintf("has %s, and a forecast needs at least %d", knownValues(n), MinKnown)
	}
	quiet := r.open(series, max(r.Horizon, r.Panel.Cadence.Season()))
	if knownBetween(s, last-quiet+1, last, 1) == 0 {
		return fmt.Sprintf("has no known value in the last %s: it looks discontinued", r.Panel.Cadence.Noun(quiet))
	}
	return ""
}

// open is how many periods back from the end reach over a number of open ones.
func (r *Refit) open(series, periods int) (back int) {
	for t := r.Panel.Length - 1; t >= 0 && periods > 0; t-- {
		if !r.Panel.IsClosed(series, t) {
			periods--
		}
		back++
	}
	return back + periods
}

// close puts zeros where a panel's lines have it that nothing happens.
func (r *Refit) close(p *panel.Panel, series int, rows *forecast.Rows) {
	if p.HasClosed() {
		rows.Close(func(h int) bool { return p.IsClosed(series, p.Length+h) })
	}
}
