// Package split cuts a time axis into training and assessed parts.
//
// A random holdout is not offered: it would let a model train on periods after
// the ones it forecasts.
package split

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Spec asks for windows, counted back from the end of the axis.
type Spec struct {
	Horizon int     `json:"horizon"`
	Windows int     `json:"windows"` // 1 is a holdout
	Stride  int     `json:"stride"`  // periods between origins; 0 means the horizon
	History History `json:"history"`
	Gap     int     `json:"gap,omitempty"` // periods between the origin and the first assessed one
	Refit   Refit   `json:"refit,omitempty"`
	Ends    Ends    `json:"ends,omitempty"`
}

// Ends says what windows count back from: the end of the axis, or that of each series.
type Ends string

// The ends. The data's is as good as empty.
const (
	DataEnds Ends = "data"
	OwnEnds  Ends = "own"
)

// ParseEnds reads "data" or "own".
func ParseEnds(s string) (Ends, error) {
	switch e := Ends(s); e {
	case "", DataEnds:
		return "", nil
	case OwnEnds:
		return e, nil
	}
	return "", fmt.Errorf("ends %q is not known: use data for windows that count back from the end of the data, or own for the last known "+
		"period of each series", s)
}

// Refit says at which windows a model is trained anew: 0 is every one, N every Nth,
// Once only the first. In between it is advanced: it takes the new actuals and keeps
// what it learned.
type Refit int

// Once trains at the first window only.
const Once Refit = -1

// ParseRefit reads "every", "once" or "every:N".
func ParseRefit(s string) (Refit, error) {
	switch s {
	case "", "every":
		return 0, nil
	case "once":
		return Once, nil
	}
	if n, ok := strings.CutPrefix(s, "every:"); ok {
		if v, err := strconv.Atoi(n); err == nil && v >= 1 {
			return Refit(v), nil
		}
	}
	return 0, fmt.Errorf("refit %q is not known: use every, every:N for every Nth window, or once", s)
}

// String gives the word that ParseRefit reads.
func (r Refit) String() string {
	switch {
	case r == Once:
		return "once"
	case r > 1:
		return fmt.Sprintf("every:%d", int(r))
	}
	return "every"
}

// MarshalText and UnmarshalText use the word.
func (r Refit) MarshalText() ([]byte, error) { return []byte(r.String()), nil }

// UnmarshalText reads the word.
func (r *Refit) UnmarshalText(b []byte) (err error) {
	*r, err = ParseRefit(string(b))
	return err
}

// Leads gives, for a window's place among all, the place of the window at which its
// model is trained.
func (r Refit) Leads(place int) int {
	switch {
	case r == Once:
		return 0
	case r > 1:
		return place - place%int(r)
	}
	return place
}

// History says how far back training reaches: 0 is all (expanding), N the last N
// periods (sliding).
type History int

// ParseHistory reads "expanding" or "sliding:N".
func ParseHistory(s string) (History, error) {
	if s == "" || s == "expanding" {
		return 0, nil
	}
	if n, ok := strings.CutPrefix(s, "sliding:"); ok {
		if v, err := strconv.Atoi(n); err == nil && v >= 2 {
			return History(v), nil
		}
	}
	return 0, fmt.Errorf("history %q is not known: use expanding or sliding:N with N of at least 2 periods", s)
}

// String gives the word that ParseHistory reads.
func (h History) String() string {
	if h == 0 {
		return "expanding"
	}
	return fmt.Sprintf("sliding:%d", int(h))
}

// MarshalText and UnmarshalText use the word.
func (h History) MarshalText() ([]byte, error) { return []byte(h.String()), nil }

// UnmarshalText reads the word.
func (h *History) UnmarshalText(b []byte) (err error) {
	*h, err = ParseHistory(string(b))
	return err
}

// Window is one training part with the assessed part that follows it, as axis
// indices, both ends included. Index counts from 1, oldest first.
type Window struct {
	Index      int `json:"window"`
	TrainFirst int `json:"train_first"`
	Origin     int `json:"origin"`
	AssessLast int `json:"assess_last"`
	Gap        int `json:"gap,omitempty"`
	// End is the length of the axis up to the last known period of the series that the window is
	// for; 0 where it is for all.
	End int `json:"end,omitempty"`
}

// AssessFirst is the index of the first assessed period.
func (w Window) AssessFirst() int { return w.Origin + 1 + w.Gap }

// minTraining is the shortest training part that a window may have on the axis.
const minTraining = 2

// Error says which part of a Spec is wrong.
type Error struct {
	Field  string // horizon, windows, stride, gap, ends or refit
	Reason string
}

func (e *Error) Error() string { return e.Reason }

func wrong(field, format string, args ...any) error {
	return &Error{field, fmt.Sprintf(format, args...)}
}

// Make lays the windows on an axis of the given length. The last window ends at
// the axis' end; every series shares the origins. What is wrong with a Spec is an *Error.
func Make(s Spec, length int) ([]Window, error) {
	if s.Horizon < 1 {
		return nil, wrong("horizon", "the horizon must be at least 1 period")
	}
	if s.Windows < 1 {
		return nil, wrong("windows", "there must be at least 1 window")
	}
	if s.Stride < 0 {
		return nil, wrong("stride", "the stride must be at least 1 period")
	}
	if s.Gap < 0 {
		return nil, wrong("gap", "the gap can't be below 0 periods")
	}
	if s.Stride == 0 {
		s.Stride = s.Horizon
	}
	// Compared by division, so that a huge stride or count can't overflow.
	room := length - s.Horizon - s.Gap - minTraining
	if room < 0 {
		return nil, wrong("horizon", "a horizon of %d needs at least %d periods, and the dataset has %d: shorten the horizon or the gap",
			s.Horizon, s.Horizon+s.Gap+minTraining, length)
	}
	if s.Windows-1 > room/s.Stride {
		return nil, wrong("windows", "%d windows of %d periods, %d apart, don't fit into the dataset's %d periods: at most %d windows fit",
			s.Windows, s.Horizon, s.Stride, length, room/s.Stride+1)
	}
	out := make([]Window, s.Windows)
	for i := range out {
		w := Window{Index: i + 1, Gap: s.Gap, AssessLast: length - 1 - (s.Windows-1-i)*s.Stride}
		w.Origin = w.AssessLast - s.Horizon - s.Gap
		if s.History > 0 {
			w.TrainFirst = max(0, w.Origin-int(s.History)+1)
		}
		out[i] = w
	}
	return out, nil
}

// mostOwn bounds how many windows own ends may ask for.
const mostOwn = 500

// MakeOwn lays the windows of a Spec for each of the lengths at which series end, whatever the
// order and however often each comes: each window is for the series that end there. They come by
// their origins. Lengths too short for all windows get none; it is an *Error where that is all.
func MakeOwn(s Spec, lengths []int) ([]Window, error) {
	if s.Refit != 0 {
		return nil, wrong("refit", "windows that count back from the end of each series are trained one by one: leave refit at every")
	}
	ends := slices.Clone(lengths)
	slices.Sort(ends)
	ends = slices.Compact(ends)
	var out []Window
	var short error
	for _, end := range ends {
		windows, err := Make(s, end)
		if err != nil {
			short = err
			continue
		}
		if len(out)+len(windows) > mostOwn {
			return nil, wrong("ends", "the series end at %d different periods, which asks for more than %d windows: fewer windows, a filter, or "+
				"ends at data", len(ends), mostOwn)
		}
		for _, w := range windows {
			w.End = end
			out = append(out, w)
		}
	}
	if len(out) == 0 {
		if short == nil {
			short = wrong("ends", "no series has a known value")
		}
		return nil, short
	}
	slices.SortStableFunc(out, func(a, b Window) int { return cmp.Compare(a.Origin, b.Origin) })
	for i := range out {
		out[i].Index = i + 1
	}
	return out, nil
}
