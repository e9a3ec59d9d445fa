// Package boost grows gradient-boosted regression trees on binned columns. It knows nothing of
// time or series: a table of numbers and categories in, a model out.
//
// Trees are grown best-first on histograms. Gradients are rounded to whole numbers before they
// are summed, so that sums do not depend on their order: the same table and seed give the same
// trees, bit by bit, whatever the number of workers.
//
// Source: Friedman, Greedy function approximation: a gradient boosting machine, Annals of
// Statistics 29 (2001), and Stochastic gradient boosting, Computational Statistics and Data
// Analysis 38 (2002); histograms: Ranka and Singh, CLOUDS, KDD (1998); second-order gains and
// penalties: Friedman, Hastie and Tibshirani, Annals of Statistics 28 (2000).
package boost

import (
	"errors"
	"fmt"
	"math"
)

// Column is one column of a table.
type Column struct {
	Name string
	// Values are numbers, or codes from 0 of a category; NaN where unknown.
	Values []float32
	// Categories is the number of codes, 0 where the values are numbers.
	Categories int
	// Direction is 1 where the prediction may only rise with the column, -1 where it may only
	// fall, and 0 where it may do either.
	Direction int
}

// Table is columns of the same length.
type Table struct{ Columns []Column }

// Rows is the length of the columns.
func (t *Table) Rows() int {
	if len(t.Columns) == 0 {
		return 0
	}
	return len(t.Columns[0].Values)
}

// Settings say how trees are grown. The zero value of each but Loss stands for what Usual gives.
type Settings struct {
	Loss        Loss
	Trees       int     // at most
	Leaves      int     // of a tree, at most
	Depth       int     // at most; 0 for as the leaves have it
	ByDepth     bool    // the shallowest leaf is split first, not the one that gains most
	FewestRows  int     // in a leaf
	Rate        float64 // share of a tree's prediction that is added
	RowShare    float64 // of the rows that a tree is grown on
	ColumnShare float64 // of the columns that a tree may split on
	Squares     float64 // penalty on the squares of leaf values, in rows' worth
	Sizes       float64 // penalty on their sizes
	LeastGain   float64 // of a split
	Bins        int     // of a column, at most 255
	Patience    int     // trees without a better loss on held-out rows after which growing stops
	Seed        uint64
	// Together lists sets of columns that may be split on along one path; a column in no set is
	// alone. None: any may meet any.
	Together [][]int
}

// Usual fills in what is left open.
func (s Settings) Usual() Settings {
	or := func(v *int, usual int) {
		if *v == 0 {
			*v = usual
		}
	}
	share := func(v *float64, usual float64) {
		if *v == 0 {
			*v = usual
		}
	}
	or(&s.Trees, 200)
	or(&s.Leaves, 31)
	or(&s.FewestRows, 20)
	or(&s.Bins, 255)
	share(&s.Rate, 0.1)
	share(&s.RowShare, 1)
	share(&s.ColumnShare, 1)
	return s
}

func (s Settings) check(columns int) error {
	switch {
	case s.Trees < 1 || s.Leaves < 2 || s.FewestRows < 1 || s.Depth < 0:
		return errors.New("boost: there must be a tree, two leaves and a row in a leaf at least")
	case !(s.Rate > 0 && s.Rate <= 1):
		return fmt.Errorf("boost: the rate must lie above 0 and not above 1, not at %g", s.Rate)
	case !(s.RowShare > 0 && s.RowShare <= 1) || !(s.ColumnShare > 0 && s.ColumnShare <= 1):
		return errors.New("boost: shares of rows and columns must lie above 0 and not above 1")
	case s.Bins < 2 || s.Bins > 255:
		return fmt.Errorf("boost: a column has 2 to 255 bins, not %d", s.Bins)
	case !(s.Squares >= 0) || !(s.Sizes >= 0) || !(s.LeastGain >= 0):
		return errors.New("boost: penalties must not be negative")
	}
	for _, set := range s.Together {
		for _, c := range set {
			if c < 0 || c >= columns {
				return fmt.Errorf("boost: a set of columns names the column %d of %d", c, columns)
			}
		}
	}
	return s.Loss.check()
}

// Data is what a model is fitted to.
type Data struct {
	Table   *Table
	Target  []float32
	Weights []float32 // nil for all the same
}

// Pick is some of the rows, in the order given.
func (d Data) Pick(rows []int32) Data {
	out := Data{Table: &Table{Columns: make([]Column, len(d.Table.Columns))}, Target: picked(d.Target, rows)}
	if d.Weights != nil {
		out.Weights = picked(d.Weights, rows)
	}
	for k, c := range d.Table.Columns {
		c.Values = picked(c.Values, rows)
		out.Table.Columns[k] = c
	}
	return out
}

func picked(x []float32, rows []int32) []float32 {
	out := make([]float32, len(rows))
	for j, i := range rows {
		out[j] = x[i]
	}
	return out
}

func (d Data) check(l Loss) error {
	n := d.Table.Rows()
	if n == 0 {
		return errors.New("boost: there are no rows")
	}
	if len(d.Target) != n || d.Weights != nil && len(d.Weights) != n {
		return fmt.Errorf("boost: %d rows, %d targets and %d weights", n, len(d.Target), len(d.Weights))
	}
	for k := range d.Table.Columns {
		if len(d.Table.Columns[k].Values) != n {
			return fmt.Errorf("boost: the column %s has %d rows of %d", d.Table.Columns[k].Name, len(d.Table.Columns[k].Values), n)
		}
	}
	total := 0.0
	for i, y := range d.Target {
		if v := float64(y); math.IsNaN(v) || math.IsInf(v, 0) || l.counts() && v < 0 {
			return fmt.Errorf("boost: the target of row %d is %g, which the loss %s can't take", i, v, l.Kind)
		}
		if d.Weights != nil {
			w := float64(d.Weights[i])
			if !(w >= 0) || math.IsInf(w, 0) {
				return fmt.Errorf("boost: the weight of row %d is %g", i, w)
			}
			total += w
		}
	}
	if d.Weights != nil && total == 0 {
		return errors.New("boost: all weights are zero")
	}
	return nil
}
