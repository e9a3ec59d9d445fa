package demo

import (
	"bufio"
	"encoding/csv"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"time"
)

// File is one of the files that a user of the scenario would have.
type File struct {
	Name    string
	Meaning string
	write   func(w *World, out *csv.Writer) error
}

// Files lists them.
var Files = []File{
	{"daily.csv", "daily orders up to four weeks before the end, with price and promotion known four weeks ahead", (*World).daily},
	{"actuals.csv", "the last four weeks of daily orders, as they arrive later, with price and promotion known four weeks ahead", (*World).actuals},
	{"weekly.csv", "the same orders by week", (*World).weekly},
	{"monthly.csv", "the same orders by month", (*World).monthly},
	{"tins.csv", "tins of tea sold by week at a counter in each town, where buyers choose one of five, with price and leaflet six weeks ahead", (*World).tinFile},
	{"holidays.csv", "the public holidays of the scenario, as rules for every year", (*World).holidayFile},
	{"truth.csv", "the oddities planted in the last four weeks", (*World).truth},
}

// WriteFiles writes every file into a folder.
func (w *World) WriteFiles(dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	for _, f := range Files {
		out, err := os.Create(filepath.Join(dir, f.Name))
		if err != nil {
			return err
		}
		if err := w.WriteFile(f.Name, out); err != nil {
			out.Close()
			return err
		}
		if err := out.Close(); err != nil {
			return err
		}
	}
	return nil
}

// WriteFile writes the file of a name.
func (w *World) WriteFile(name string, to io.Writer) error {
	for _, f := range Files {
		if f.Name != name {
			continue
		}
		buffer := bufio.NewWriterSize(to, 1<<16)
		out := csv.NewWriter(buffer)
		if err := f.write(w, out); err != nil {
			return err
		}
		out.Flush()
		if err := out.Error(); err != nil {
			return err
		}
		return buffer.Flush()
	}
	return fmt.Errorf("demo: no file %q", name)
}

const isoDate = "2006-01-02"

func number(v float64) string {
	if math.IsNaN(v) {
		return ""
	}
	return strconv.FormatFloat(v, 'f', -1, 64)
}

func (w *World) daily(out *csv.Writer) error {
	return w.days(out, 0, w.Days, w.Days-AheadDays)
}

func (w *World) actuals(out *csv.Writer) error {
	return w.days(out, w.Days-AheadDays, w.Days+AheadDays, w.Days)
}

// days writes a row a day; from known on, only what is known ahead.
func (w *World) days(out *csv.Writer, from, to, known int) error {
	if err := out.Write([]string{"date", "town", "channel", "line", "orders", "price", "promotion", "temperature"}); err != nil {
		return err
	}
	for _, s := range w.Series {
		end := s.To
		if end == w.Days { // still sold
			end += AheadDays
		}
		for d := max(from, s.From); d < min(to, end); d++ {
			orders, temperature := "", ""
			if d < known {
				orders, temperature = number(s.Orders[d]), number(s.Temperature[d])
			}
			err := out.Write([]string{Date(d).Format(isoDate), s.Town, s.Channel, s.Line, orders, number(s.Price[min(d, w.Days-1)]),
				number(s.Promotion[d]), temperature})
			if err != nil {
				return err
			}
		}
	}
	return nil
}

func (w *World) weekly(out *csv.Writer) error {
	monday := func(t time.Time) time.Time { return t.AddDate(0, 0, -(int(t.Weekday())+6)%7) }
	return w.sums(out, "week", monday, func(p time.Time) time.Time { return p.AddDate(0, 0, 7) }, isoDate)
}

func (w *World) monthly(out *csv.Writer) error {
	first := func(t time.Time) time.Time { return t.AddDate(0, 0, 1-t.Day()) }
	return w.sums(out, "month", first, func(p time.Time) time.Time { return p.AddDate(0, 1, 0) }, "2006-01")
}

// sums writes the orders of each whole period: the first and last are left out
// where the world holds only a part of them.
func (w *World) sums(out *csv.Writer, name string, start, next func(time.Time) time.Time, layout string) error {
	if err := out.Write([]string{name, "town", "channel", "line", "orders"}); err != nil {
		return err
	}
	for _, s := range w.Series {
		for p := start(Start); !p.After(End); p = next(p) {
			from, to := dayOf(p), dayOf(next(p))
			if from < s.From || to > s.To || from < 0 {
				continue
			}
			sum := 0.0
			for _, v := range s.Orders[from:to] {
				if !math.IsNaN(v) {
					sum += v
				}
			}
			if err := out.Write([]string{p.Format(layout), s.Town, s.Channel, s.Line, number(sum)}); err != nil {
				return err
			}
		}
	}
	return nil
}

func (w *World) holidayFile(out *csv.Writer) error {
	if err := out.Write([]string{"event", "date", "days"}); err != nil {
		return err
	}
	for _, f := range feasts {
		if err := out.Write([]string{f.name, f.rule, strconv.Itoa(f.days)}); err != nil {
			return err
		}
	}
	return nil
}

func (w *World) truth(out *csv.Writer) error {
	if err := out.Write([]string{"date", "town", "channel", "line", "factor", "settle_as", "story"}); err != nil {
		return err
	}
	for _, o := range w.Truth {
		err := out.Write([]string{o.Date.Format(isoDate), o.Town, o.Channel, o.Line, number(o.Factor), o.Kind, o.Story})
		if err != nil {
			return err
		}
	}
	return nil
}
