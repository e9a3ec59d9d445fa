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
	if err == nil && (unit != "" || l.units != nil) {
		err = l.sameUnit(i, unit, line, v)
	}
	if err != nil {
		l.refusal.add(panel.Fault{Line: line, Column: l.names[i], Value: record[i], Problem: err.Error()})
	}
	return v, err == nil
}

// unitSeen is the unit that a column's values were first written with, and where.
type unitSeen struct {
	unit string
	line int
}

// sameUnit refuses values of one column in several units. A value without any is taken for one in the column's
// currency; of per cent it is not known what it is.
func (l *loader) sameUnit(i int, unit string, line int, v float64) error {
	if !panel.Known(v) || v == 0 && unit == "" {
		return nil
	}
	if l.units == nil {
		l.units = map[int]unitSeen{}
	}
	before, ok := l.units[i]
	switch {
	case !ok && unit != "":
		l.units[i] = unitSeen{unit, line}
	case ok && unit != before.unit && (unit != "" || before.unit == "%"):
		return fmt.Errorf("is in another unit than the value on line %d, which is in %s: bring all values of the column to one", before.line, before.unit)
	}
	return nil
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
