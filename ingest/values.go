package ingest

import (
	"fmt"

	"paperkettle/core/panel"
)

func (l *loader) number(record []string, i, line int) (float64, bool) {
	if l.typed != nil {
		if v, ok := l.typed.Number(i); ok {
			return l.checked(v, record, i, line)
		}
	}
	v, unit, err := l.marks.read(record[i])
	if err == nil && v != 0 && panel.Known(v) {
		err = l.sameUnit(&l.units[i], unit, line)
	}
	if err != nil {
		l.refusal.add(panel.Fault{Line: line, Column: l.names[i], Value: record[i], Problem: err.Error()})
	}
	return v, err == nil
}

// unitSeen is the unit that a column's values were first written with, and on which lines the first with it and
// the first without any stand; 0 where there is none.
type unitSeen struct {
	unit        string
	line, plain int
}

// sameUnit refuses values of one column in several units. A value without any is taken for one in the column's
// currency; beside such in per cent it is not known what it is.
func (l *loader) sameUnit(seen *unitSeen, unit string, line int) error {
	switch {
	case unit == "" && seen.plain == 0:
		seen.plain = line
	case unit != "" && seen.line == 0:
		seen.unit, seen.line = unit, line
	case unit != "" && unit != seen.unit:
		return fmt.Errorf("is in another unit than the value on line %d, which is in %s: bring all values of the column to one", seen.line, seen.unit)
	}
	if seen.unit != "%" || seen.plain == 0 {
		return nil
	}
	if unit == "" {
		return fmt.Errorf("is without the %% that the value on line %d has: bring all values of the column to one unit", seen.line)
	}
	return fmt.Errorf("is in %%, and the value on line %d is not: bring all values of the column to one unit", seen.plain)
}

// checked holds a typed number to what text would be held to.
func (l *loader) checked(v float64, record []string, i, line int) (float64, bool) {
	var err error
	switch {
	case v-v != 0 && panel.Known(v):
		err = errInfinite
	case v > largest || v < -largest:
		err = errHuge
	default:
		return v, true
	}
	l.refusal.add(panel.Fault{Line: line, Column: l.names[i], Value: record[i], Problem: err.Error()})
	return 0, false
}
