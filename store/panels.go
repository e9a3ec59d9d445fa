package store

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"sync"
	"time"

	"gorm.io/gorm"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// PanelMeta is a panel without its values, as kept with a revision.
type PanelMeta struct {
	Cadence    calendar.Cadence `json:"cadence"`
	Label      calendar.Label   `json:"label,omitempty"`
	First      int64            `json:"first"`
	Length     int              `json:"length"`
	Measure    string           `json:"measure"`
	Floor      *float64         `json:"floor,omitempty"`
	Gaps       panel.Gaps       `json:"gaps"`
	Time       string           `json:"time"`            // the column it came from
	Codes      string           `json:"codes,omitempty"` // the period codes of that column
	Drivers    []panel.Driver   `json:"drivers,omitempty"`
	Attributes []AttributeMeta  `json:"attributes,omitempty"`
	Events     []calendar.Event `json:"events,omitempty"`
	Closed     []string         `json:"closed,omitempty"`
}

// AttributeMeta is an attribute's dictionary.
type AttributeMeta struct {
	Name   string   `json:"name"`
	Values []string `json:"values"`
}

// chunkSeries is how many series a chunk holds.
const chunkSeries = 256

// Load is a revision about to be written.
type Load struct {
	Dataset string
	Source  string
	Rows    int
	Gaps    panel.Gaps
	Time    string
	Codes   string
	Recipe  string // see Revision
	Panel   *panel.Panel
	Changes panel.Changes
}

// AddRevision writes a panel as the dataset's next revision, creating the dataset
// where it is new. after runs in the same transaction.
func (s *Store) AddRevision(ctx context.Context, l Load, after func(tx *gorm.DB, r *Revision) error) (*Revision, error) {
	rev, err := l.Record()
	if err != nil {
		return nil, err
	}
	err = s.Write(ctx, func(tx *gorm.DB) error {
		ds := Dataset{Name: l.Dataset, CreatedAt: rev.CreatedAt}
		if err := tx.Where("name = ?", l.Dataset).FirstOrCreate(&ds).Error; err != nil {
			return err
		}
		rev.DatasetID = ds.ID
		if err := tx.Model(&Revision{}).Where("dataset_id = ?", ds.ID).Select("COALESCE(MAX(number), 0) + 1").Scan(&rev.Number).Error; err != nil {
			return err
		}
		if err := tx.Create(rev).Error; err != nil {
			return err
		}
		for c := 0; c*chunkSeries < len(l.Panel.Series); c++ {
			if err := tx.Create(&RevisionChunk{rev.ID, c, packChunk(l.Panel, c)}).Error; err != nil {
				return err
			}
		}
		if after != nil {
			return after(tx, rev)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	s.panels.put(rev.ID, l.Panel)
	return rev, nil
}

// Record is the revision that a load would write, before it has a number.
func (l Load) Record() (*Revision, error) {
	p := l.Panel
	meta := PanelMeta{p.Cadence, p.Cadence.Label, p.First, p.Length, p.Measure, p.Floor, l.Gaps, l.Time, l.Codes, p.Drivers, nil, p.Events, p.Closed}
	for _, a := range p.Attributes {
		meta.Attributes = append(meta.Attributes, AttributeMeta{a.Name, a.Values})
	}
	metaJSON, err := json.Marshal(meta)
	if err != nil {
		return nil, err
	}
	changes, err := json.Marshal(l.Changes)
	if err != nil {
		return nil, err
	}
	known := 0
	for i := range p.Series {
		known += panel.CountKnown(p.Series[i].Values)
	}
	return &Revision{Hash: panel.Hash(p), Source: l.Source, RowCount: l.Rows, SeriesCount: len(p.Series), ValueCount: known,
		Meta: string(metaJSON), Changes: string(changes), Recipe: l.Recipe, CreatedAt: time.Now().UTC()}, nil
}

// A chunk is, for each series: the attribute codes, the first index and the count
// of values as varints, the values as little-endian float64, and for each driver its
// count and values likewise.
func packChunk(p *panel.Panel, chunk int) []byte {
	var b []byte
	floats := func(values []float64) {
		b = binary.AppendUvarint(b, uint64(len(values)))
		for _, v := range values {
			b = binary.LittleEndian.AppendUint64(b, math.Float64bits(v))
		}
	}
	for i := chunk * chunkSeries; i < min((chunk+1)*chunkSeries, len(p.Series)); i++ {
		for a := range p.Attributes {
			b = binary.AppendUvarint(b, uint64(p.Attributes[a].Codes[i]))
		}
		s := &p.Series[i]
		b = binary.AppendUvarint(b, uint64(s.First))
		floats(s.Values)
		for _, d := range s.Drivers {
			floats(d)
		}
	}
	return b
}

var errPacked = errors.New("store: a packed panel is damaged")

func unpackChunk(p *panel.Panel, b []byte) error {
	number := func() (int, error) {
		v, n := binary.Uvarint(b)
		if n <= 0 {
			return 0, errPacked
		}
		b = b[n:]
		return int(v), nil
	}
	floats := func() ([]float64, error) {
		n, err := number()
		if err != nil || n*8 > len(b) {
			return nil, errPacked
		}
		out := make([]float64, n)
		for i := range out {
			out[i] = math.Float64frombits(binary.LittleEndian.Uint64(b[8*i:]))
		}
		b = b[8*n:]
		return out, nil
	}
	for len(b) > 0 {
		var s panel.Series
		labels := make([]string, len(p.Attributes))
		for a := range p.Attributes {
			code, err := number()
			if err != nil || code >= len(p.Attributes[a].Values) {
				return errPacked
			}
			p.Attributes[a].Codes = append(p.Attributes[a].Codes, int32(code))
			labels[a] = p.Attributes[a].Values[code]
		}
		s.Key = panel.Key(labels)
		var err error
		if s.First, err = number(); err != nil {
			return err
		}
		if s.Values, err = floats(); err != nil {
			return err
		}
		for range p.Drivers {
			d, err := floats()
			if err != nil {
				return err
			}
			s.Drivers = append(s.Drivers, d)
		}
		p.Series = append(p.Series, s)
	}
	return nil
}

// ReadMeta reads a revision's panel without its values.
func (r *Revision) ReadMeta() (PanelMeta, error) {
	var m PanelMeta
	err := json.Unmarshal([]byte(r.Meta), &m)
	m.Cadence.Label = m.Label // the cadence's own text leaves it out
	return m, err
}

// Panel reads a revision's panel. Callers share it and must not change it.
func (s *Store) Panel(ctx context.Context, revision uint) (*panel.Panel, error) {
	return s.panels.get(revision, func() (*panel.Panel, error) { return s.readPanel(ctx, revision) })
}

func (s *Store) readPanel(ctx context.Context, revision uint) (*panel.Panel, error) {
	var rev Revision
	if err := s.Read(ctx).First(&rev, revision).Error; err != nil {
		return nil, err
	}
	m, err := rev.ReadMeta()
	if err != nil {
		return nil, err
	}
	p := &panel.Panel{Cadence: m.Cadence, First: m.First, Length: m.Length, Measure: m.Measure, Floor: m.Floor, Drivers: m.Drivers,
		Events: m.Events, Closed: m.Closed}
	for _, a := range m.Attributes {
		p.Attributes = append(p.Attributes, panel.Attribute{Name: a.Name, Values: a.Values})
	}
	rows, err := s.Read(ctx).Model(&RevisionChunk{}).Where("revision_id = ?", revision).Order("chunk").Select("data").Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var b []byte
		if err := rows.Scan(&b); err != nil {
			return nil, err
		}
		if err := unpackChunk(p, b); err != nil {
			return nil, err
		}
	}
	if len(p.Series) != rev.SeriesCount {
		return nil, fmt.Errorf("%w: revision %d holds %d series of %d", errPacked, revision, len(p.Series), rev.SeriesCount)
	}
	return p, rows.Err()
}

// panelCache keeps the panels used last, up to a number of values.
type panelCache struct {
	mu    sync.Mutex
	order []uint // oldest first
	held  map[uint]*panel.Panel
}

const cacheValues = 40_000_000

func (c *panelCache) get(id uint, load func() (*panel.Panel, error)) (*panel.Panel, error) {
	c.mu.Lock()
	if p, ok := c.held[id]; ok {
		c.mu.Unlock()
		c.put(id, p)
		return p, nil
	}
	c.mu.Unlock()
	p, err := load()
	if err == nil {
		c.put(id, p)
	}
	return p, err
}

func (c *panelCache) put(id uint, p *panel.Panel) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.held == nil {
		c.held = map[uint]*panel.Panel{}
	}
	for i, o := range c.order {
		if o == id {
			c.order = append(c.order[:i], c.order[i+1:]...)
			break
		}
	}
	c.order = append(c.order, id)
	c.held[id] = p
	total := 0
	for i := len(c.order) - 1; i >= 0; i-- {
		q := c.held[c.order[i]]
		for _, s := range q.Series {
			total += len(s.Values) * (1 + len(q.Drivers))
		}
		if total > cacheValues && i < len(c.order)-1 {
			for _, o := range c.order[:i+1] {
				delete(c.held, o)
			}
			c.order = append([]uint(nil), c.order[i+1:]...)
			return
		}
	}
}
