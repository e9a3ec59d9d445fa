package ingest

import (
	"fmt"
	"strings"
)

// mostAbove is how many records may stand above the header.
const mostAbove = 20

// headingAt is the place of the header among the first records: above it may stand a title, which fills fewer
// fields than most records have.
func headingAt(records [][]string) int {
	counts, usual := map[int]int{}, 0
	for _, r := range records {
		n, _ := filled(r)
		if counts[n]++; counts[n] > counts[usual] || counts[n] == counts[usual] && n > usual {
			usual = n
		}
	}
	if usual < 2 {
		return 0
	}
	for i, r := range records[:min(len(records), mostAbove)] {
		reach, n := filled(r)
		unnamed := reach == usual && strings.TrimSpace(r[0]) == "" // of an index, whose columns have no names
		if reach >= 2 && (2*n >= usual || unnamed) {
			return i
		}
	}
	return 0
}

// filled is how far a record reaches, and how many of its fields hold something.
func filled(record []string) (reach, n int) {
	for i, field := range record {
		if strings.TrimSpace(field) != "" {
			reach, n = i+1, n+1
		}
	}
	return reach, n
}

// isBlank says that no field of a record holds anything.
func isBlank(record []string) bool {
	_, n := filled(record)
	return n == 0
}

// titlesShown is how many texts above the header are told.
const titlesShown = 3

// omitted are the lines of a table that are no rows of it.
type omitted struct {
	titles  []string // the first few
	more    int
	headers []int // lines that repeat the header
}

// title notes a record that stands above the header.
func (o *omitted) title(record []string) {
	for _, field := range record {
		switch field = strings.TrimSpace(field); {
		case field == "":
		case len(o.titles) == titlesShown:
			o.more++
		default:
			o.titles = append(o.titles, short(field))
		}
	}
}

// Omitted says which lines were left out, and why.
func (o *omitted) Omitted() (cautions []string) {
	if len(o.titles) > 0 {
		text := `"` + strings.Join(o.titles, `", "`) + `"`
		if o.more > 0 {
			text += fmt.Sprintf(", and %d more", o.more)
		}
		cautions = append(cautions, fmt.Sprintf("What stands above the header is left out: %s.", text))
	}
	switch n := len(o.headers); {
	case n == 1:
		cautions = append(cautions, fmt.Sprintf("Line %d repeats the header and is left out.", o.headers[0]))
	case n > 1:
		cautions = append(cautions, fmt.Sprintf("%d lines repeat the header and are left out, the first of them line %d.", n, o.headers[0]))
	}
	return cautions
}
