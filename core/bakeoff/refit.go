package bakeoff

import (
	"context"
	"fmt"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
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
	Series  []int            // that the plan's filter keeps
	ranks   map[string][]int // of the series that have contenders of their own, the best first
	made    map[string]int   // the contender of each series that is published already
	usual   int
	Lineup  *Lineup
	across  bool                          // a contender that learns from all series is among those chosen
	pasts   map[int]map[string]remembered // of combining contenders, by series
	begun   map[int]*earlier              // what contenders were trained to for the last window

	welcomes []bool // which contenders forecast series without a past too
	fillings panel.Fillings
	beside   besides
	carried  []panel.Carried
}

// Refitted is one series of a release.
type Refitted struct {
	Series    string `json:"series"`
	Contender string `json:"contender,omitempty"`
	LeftOut   string `json:"left_out,omitempty"` // the reason, where there is no forecast
}

// NewRefit prepares one. ranked names the contenders of each series, the best first: where one
// fails, the next is asked. Series that it does not name take usual, and no other.
func NewRefit(p *panel.Panel, plan Plan, cat model.Catalogue, usual string, ranked map[string][]string, horizon int) (*Refit, error) {
	if err := plan.Complete(cat); err != nil {
		return nil, err
	}
	p = plan.seen(p, p.Length-1)
	r := &Refit{Panel: p, Plan: plan, Horizon: horizon, ranks: map[string][]int{}, usual: plan.Contender(usual)}
	if r.usual < 0 {
		return nil, fmt.Errorf("no contender of the bake-off is called %q", usual)
	}
	for _, c := range plan.Contenders {
		f, err := cat.Find(c.Family)
		r.welcomes = append(r.welcomes, err == nil && f.Welcomes)
	}
	for key, names := range ranked {
		for _, name := range names {
			r.ranks[key] = append(r.ranks[key], plan.Contender(name))
		}
	}
	var err error
	if r.Series, err = p.Where(plan.Where); err != nil {
		return nil, err
	}
	if r.fillings, err = panel.ParseFillings(p, plan.Gaps); err != nil {
		return nil, err
	}
	p = p.WithUnits(p.UnitChanges(r.fillings))
	r.Panel = p
	if err := panel.CheckHoles(p, r.Holes(), r.fillings); err != nil {
		return nil, err
	}
	if _, err = r.Plan.neighboursOn(p, r.fillings, p.Length-1); err != nil {
		return nil, err
	}
	if r.carried, err = panel.ParseCarried(p, r.Plan.CarryOver); err != nil {
		return nil, err
	}
	if r.Lineup, err = newLineup(&r.Plan, cat, r.view(r.Series), horizon); err != nil {
		return nil, err
	}
	for c := range r.used() {
		r.across = r.across || r.Lineup.pools(c)
	}
	if !r.across { // no next best either that would have to learn from all series
		for key, ranks := range r.ranks {
			r.ranks[key] = slices.DeleteFunc(ranks, r.Lineup.pools)
		}
	}
	return r, nil
}

// Published tells the refit which contender made each series' forecast, by name, once it is made.
func (r *Refit) Published(by map[string]string) {
	r.made = make(map[string]int, len(by))
	for key, name := range by {
		r.made[key] = r.Plan.Contender(name)
	}
}

// used are the contenders that make the forecasts, with the members of those that combine.
func (r *Refit) used() map[int]bool {
	out := map[int]bool{}
	for c := range r.first() {
		out[c] = true
		if co := r.Lineup.combines(c); co != nil {
			for _, m := range co.members {
				out[m] = true
			}
		}
	}
	return out
}

// first are the contenders that are asked first.
func (r *Refit) first() map[int]bool {
	out := map[int]bool{r.usual: true}
	for _, ranks := range r.ranks {
		if len(ranks) > 0 {
			out[ranks[0]] = true
		}
	}
	return out
}

// Remember gives the refit what the bake-off's windows tell of the members of its
// combining contenders that are chosen, and what training can go on from.
func (r *Refit) Remember(e *Engine, stored Stored) error {
	r.begun = e.begun(r.Panel)
	asked := r.first()
	for _, ranks := range r.ranks {
		for _, c := range ranks {
			asked[c] = true
		}
	}
	for c := range asked {
		if e.Lineup.combines(c) == nil {
			continue
		}
		past, err := e.pastOf(c, stored)
		if err != nil {
			return err
		}
		if r.pasts == nil {
			r.pasts = map[int]map[string]remembered{}
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
func (r *Refit) Run(ctx context.Context, part int, desk Desk) (notes []Refitted, packed []byte, err error) {
	series := r.Part(part)
	notes = make([]Refitted, len(series))
	rows := make([]forecast.Rows, len(series))
	var open []int // places in the part without a forecast yet
	for i, s := range series {
		notes[i] = Refitted{Series: r.Panel.Series[s].Key, LeftOut: r.leaveOut(s)}
		if notes[i].LeftOut == "" {
			open = append(open, i)
		}
	}
	for round := 0; len(open) > 0; round++ {
		if open, err = r.round(ctx, round, series, open, rows, notes, desk.stretch(len(series)-len(open), len(series), len(series))); err != nil {
			return nil, nil, err
		}
	}
	for i := range rows {
		if notes[i].LeftOut == "" {
			packed = rows[i].Pack(packed)
		}
	}
	return notes, packed, nil
}

// round asks every open place's contender of a rank, and gives the places whose contender failed
// and that have a next one.
func (r *Refit) round(ctx context.Context, rank int, series, open []int, rows []forecast.Rows, notes []Refitted,
	desk Desk) (again []int, err error) {
	groups := make([][]int, len(r.Plan.Contenders))
	for _, i := range open {
		c := r.ranked(series[i])[rank]
		groups[c] = append(groups[c], i)
	}
	done := 0
	for c, places := range groups {
		if len(places) == 0 {
			continue
		}
		if err := r.fit(ctx, c, series, places, rows, notes, desk.stretch(done, done+len(places), len(open))); err != nil {
			return nil, err
		}
		done += len(places)
	}
	for _, i := range open {
		if notes[i].LeftOut != "" && rank+1 < len(r.ranked(series[i])) {
			again = append(again, i)
		}
	}
	return again, nil
}

// stretch is the desk of what reaches from one place to another of a whole.
func (d Desk) stretch(from, to, of int) Desk {
	if report := d.Report; report != nil {
		d.Report = func(done float64, note string) {
			report((float64(from)+done*float64(to-from))/float64(of), note)
		}
	}
	return d
}

func (r *Refit) fit(ctx context.Context, c int, series, places []int, rows []forecast.Rows, notes []Refitted, desk Desk) error {
	members := make([]int, len(places))
	for i, p := range places {
		members[i] = series[p]
	}
	got, errs, err := r.forecast(ctx, c, members, desk)
	if err != nil {
		return err
	}
	for i, p := range places {
		if errs[i] != nil {
			if notes[p].LeftOut == "" { // of the best, which is asked first
				notes[p].Contender, notes[p].LeftOut = r.Plan.Contenders[c].Name, errs[i].Error()
			}
			continue
		}
		rows[p], notes[p].Contender, notes[p].LeftOut = got[i], r.Plan.Contenders[c].Name, ""
		if f := r.Panel.Floor; f != nil {
			rows[p].Clip(*f)
		}
		r.close(r.Panel, series[p], &rows[p])
	}
	return nil
}

// forecast refits a contender on series, or the members of one that combines others.
func (r *Refit) forecast(ctx context.Context, c int, series []int, desk Desk) (rows []forecast.Rows, errs []error, err error) {
	co := r.Lineup.combines(c)
	if co == nil {
		return r.Lineup.forecast(ctx, c, r.occasion(c, r.view(series), desk))
	}
	own := make([][]forecast.Rows, len(co.members))
	for m, member := range co.members {
		got, failed, err := r.forecast(ctx, member, series, desk)
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
		past := r.past(c, s)
		var weights []float64
		if rows[i], weights, errs[i] = co.Combine(one, past.Past); averages(weights) {
			past.widening.Stretch(rows[i], 0)
		}
	}
	return rows, errs, nil
}

func (r *Refit) past(c, series int) remembered {
	past, ok := r.pasts[c][r.Panel.Series[series].Key]
	if !ok {
		past.Usual, past.widening = r.Lineup.combines(c).usual, single.None
	}
	return past
}

// describeCombined says which members make a series' forecast, and with what weight.
func (r *Refit) describeCombined(ctx context.Context, c, series int) (model.Description, error) {
	co := r.Lineup.combines(c)
	rows := make([]forecast.Rows, len(co.members))
	for m, member := range co.members {
		got, errs, err := r.forecast(ctx, member, []int{series}, Desk{})
		if err != nil {
			return model.Description{}, err
		}
		if errs[0] == nil {
			rows[m] = got[0]
		}
	}
	_, weights, err := co.Combine(rows, r.past(c, series).Past)
	if err != nil {
		return model.Description{}, err
	}
	d := model.Description{Form: "combines the forecasts of other contenders", From: r.Panel.Series[series].First, To: r.Panel.Length - 1,
		Known: panel.CountKnown(r.Panel.Series[series].Values)}
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
	trained, err := r.Lineup.train(ctx, c, r.occasion(c, r.view(members), Desk{})) // the others have their say in it
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
func (r *Refit) occasion(c int, v panel.View, desk Desk) occasion {
	return occasion{view: v, horizon: r.Horizon, stream: "release", workers: r.workers(), report: desk.Report, show: desk.Show,
		check: desk.Checkpoint, keep: true, earlier: r.begun[c]}
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
	if c, ok := r.made[r.Panel.Series[series].Key]; ok && c >= 0 {
		return c
	}
	return r.ranked(series)[0]
}

// ranked are the contenders that a series' forecast is asked of, in their order.
func (r *Refit) ranked(series int) []int {
	if ranks := r.ranks[r.Panel.Series[series].Key]; len(ranks) > 0 {
		return ranks
	}
	return []int{r.usual}
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
	return v.WithAhead(r.Plan.Ahead, r.Horizon).WithFillings(r.fillings).WithNeighbours(r.neighboursOf(p)).WithCarried(r.carried)
}

// leaveOut says why a series gets no forecast: too little history, or nothing
// known over the last horizon or season, whichever is longer.
func (r *Refit) leaveOut(series int) string {
	s := &r.Panel.Series[series]
	last := r.Panel.Length - 1
	if n := knownBetween(s, 0, last, MinKnown); n < MinKnown {
		if !r.welcomes[r.ranked(series)[0]] {
			return fmt.Sprintf("has %s, and a forecast needs at least %d, but by boosting or automatic, which know its likes", knownValues(n), MinKnown)
		}
		if n == 0 {
			return ""
		}
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
