package service

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/core/calendar"
	"paperkettle/core/panel"
	"paperkettle/ingest"
	"paperkettle/store"
)

// How far recurrences are written out before and after a dataset's periods, in years.
const (
	eventYearsBefore = 1
	eventYearsAhead  = 10
)

// occasionsShown bounds the occasions of an event in an answer.
const occasionsShown = 200

func (s *Server) loadEvents(ctx context.Context, in *struct {
	DatasetPath
	SentFile
	Before int `query:"before" minimum:"0" maximum:"366" doc:"days before each event that it may move too"`
	After  int `query:"after" minimum:"0" maximum:"366" doc:"days after each event that it may move too"`
}) (api.EventsLoaded, error) {
	var out api.EventsLoaded
	src, err := s.source(ctx, &in.SentFile, in.LoadColumns)
	if err != nil {
		return out, err
	}
	if src.query != nil {
		return out, invalid("query.connection", "events come from a file: iCalendar, or a table with the columns event and date")
	}
	p, err := s.panelOf(ctx, in.Dataset, 0)
	if err != nil {
		return out, err
	}
	o, err := eventOptions(p, src.columns)
	if err != nil {
		return out, err
	}
	o.Before, o.After = in.Before, in.After
	events, err := ingest.Events(src.reader, src.name, src.form, o)
	if err != nil {
		return out, err
	}
	if err := wholeFile(ctx); err != nil {
		return out, err
	}
	var none []string
	if events, none = touching(p, events); len(events) == 0 {
		return out, invalid("query.where", "nothing was loaded: %s", none[0])
	}
	out.Cautions = none
	next, err := s.changeEvents(ctx, in.Dataset, "load events", src.name, func(p *panel.Panel) (*panel.Panel, error) {
		next, replaced := p.WithEvents(events)
		out.Replaced = replaced
		return next, nil
	}, &out.Dataset)
	if err != nil {
		return out, err
	}
	for i := range events {
		e := eventOf(next, &events[i])
		out.Events = append(out.Events, e)
		if e.Ahead == 0 {
			out.Cautions = append(out.Cautions, fmt.Sprintf("the event %q has no occasion after the dataset's end, so no forecast will know of it", e.Name))
		}
	}
	return out, nil
}

// touching leaves out the events that concern no series, with a sentence on each.
func touching(p *panel.Panel, events []calendar.Event) (kept []calendar.Event, none []string) {
	for i := range events {
		if eventOf(p, &events[i]).Series > 0 {
			kept = append(kept, events[i])
			continue
		}
		none = append(none, fmt.Sprintf("the event %q is left out, since it concerns no series: none has %s%s", events[i].Name,
			strings.Join(conditions(events[i].Where), " and "), hasInstead(p, events[i].Where)))
	}
	return kept, none
}

// mostKnown is how many values of an attribute a sentence names.
const mostKnown = 8

// hasInstead says which values the attributes have instead.
func hasInstead(p *panel.Panel, where map[string]string) string {
	var out string
	for _, a := range p.Attributes {
		v, asked := where[a.Name]
		if !asked || slices.Contains(a.Values, v) {
			continue
		}
		out += fmt.Sprintf("; %s has %s", a.Name, strings.Join(a.Values[:min(mostKnown, len(a.Values))], ", "))
		if n := len(a.Values) - mostKnown; n > 0 {
			out += fmt.Sprintf(" and %d more", n)
		}
	}
	return out
}

func conditions(where map[string]string) []string {
	var out []string
	for a, v := range where {
		out = append(out, a+"="+v)
	}
	slices.Sort(out)
	return out
}

func eventOptions(p *panel.Panel, c ingest.Columns) (ingest.EventOptions, error) {
	if p.Cadence.Unit == calendar.Number {
		return ingest.EventOptions{}, invalid("path.dataset", "the dataset counts its periods by plain numbers: events need dates")
	}
	o := ingest.EventOptions{Where: c.Where, DateOrder: c.DateOrder, WholeDays: p.Cadence.Unit >= calendar.Day}
	first, last := time.Unix(p.Cadence.Start(p.First), 0).UTC(), time.Unix(p.Cadence.Start(p.Ordinal(p.Length)), 0).UTC()
	o.From, o.To = first.AddDate(-eventYearsBefore, 0, 0).Unix(), last.AddDate(eventYearsAhead, 0, 0).Unix()
	for _, a := range p.Attributes {
		o.Attributes = append(o.Attributes, a.Name)
	}
	for a := range c.Where {
		if _, err := p.AttributeIndex(a); err != nil {
			return o, invalid("query.where", "%v", err)
		}
	}
	if c.Zone != "" {
		zone, err := time.LoadLocation(c.Zone)
		if err != nil {
			return o, invalid("query.zone", "zone %q is not known: write UTC or an area's name such as Europe/Lisbon", c.Zone)
		}
		o.Zone = zone
	}
	return o, nil
}

// changeEvents writes the next revision of a dataset with other events.
func (s *Server) changeEvents(ctx context.Context, dataset, action, detail string, change func(*panel.Panel) (*panel.Panel, error),
	shown *api.Dataset) (*panel.Panel, error) {
	s.loading.Lock()
	defer s.loading.Unlock()
	_, rev, err := s.dataset(ctx, dataset)
	if err != nil {
		return nil, err
	}
	meta, err := rev.ReadMeta()
	if err != nil {
		return nil, err
	}
	old, err := s.store.Panel(ctx, rev.ID)
	if err != nil {
		return nil, err
	}
	next, err := change(old)
	if err != nil {
		return nil, err
	}
	written, err := s.store.AddRevision(ctx, store.Load{Dataset: dataset, Source: detail, Gaps: gapsOf(meta.Gaps, next), Time: meta.Time,
		Codes: meta.Codes, Recipe: rev.Recipe, Panel: next},
		func(tx *gorm.DB, made *store.Revision) error {
			ofRevision(ctx, made.Number)
			return note(ctx, tx, action, dataset, detail)
		})
	if err != nil {
		return nil, err
	}
	*shown, err = datasetOf(&store.Dataset{ID: written.DatasetID, Name: dataset}, written, true)
	return next, err
}

func (s *Server) listEvents(ctx context.Context, in *RevisionPath) (api.Page[api.Event], error) {
	out := api.Page[api.Event]{Items: []api.Event{}}
	p, err := s.panelOf(ctx, in.Dataset, in.Revision)
	if err != nil {
		return out, err
	}
	for i := range p.Events {
		out.Items = append(out.Items, eventOf(p, &p.Events[i]))
	}
	out.Total = len(out.Items)
	return out, nil
}

func (s *Server) removeEvent(ctx context.Context, in *struct {
	DatasetPath
	Event string `path:"event"`
}) error {
	var shown api.Dataset
	_, err := s.changeEvents(ctx, in.Dataset, "remove event", in.Event, func(p *panel.Panel) (*panel.Panel, error) {
		next, n := p.WithoutEvent(in.Event)
		if n == 0 {
			return nil, notFound("dataset %q has no event %q", in.Dataset, in.Event)
		}
		for _, line := range p.Closed {
			if panel.NamesEvent(line, in.Event) {
				return nil, conflict("the event %q says which periods are closed: lift the line %q of %s first", in.Event, line, in.Dataset)
			}
		}
		return next, nil
	}, &shown)
	return err
}

func eventOf(p *panel.Panel, e *calendar.Event) api.Event {
	out := api.Event{Name: e.Name, Where: e.Where, Before: e.Before, After: e.After, Occasions: []api.Occasion{}}
	for i := range p.Series {
		if p.Holds(e, i) {
			out.Series++
		}
	}
	end := p.Cadence.Start(p.Ordinal(p.Length))
	for _, o := range e.Occasions {
		switch {
		case o.Start >= end:
			out.Ahead++
		case o.End > p.Cadence.Start(p.First):
			out.Past++
		default:
			continue
		}
		if len(out.Occasions) < occasionsShown {
			out.Occasions = append(out.Occasions, occasionOf(o))
		}
	}
	return out
}

// occasionOf names an occasion by its days, or by its times where it is no whole day.
func occasionOf(o calendar.Occasion) api.Occasion {
	layout, last := time.DateOnly, o.End-1
	if o.Start%86400 != 0 || o.End%86400 != 0 {
		layout, last = "2006-01-02 15:04", o.End
	}
	text := func(sec int64) string { return time.Unix(sec, 0).UTC().Format(layout) }
	return api.Occasion{First: text(o.Start), Last: text(last)}
}
