package ingest

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// timeColumns takes apart the time column's name: a table may have its times in several, as "Year+Month".
func timeColumns(time string, names []string) []string {
	if slices.Contains(names, time) || !strings.Contains(time, "+") {
		return []string{time}
	}
	parts := strings.Split(time, "+")
	for i := range parts {
		parts[i] = strings.TrimSpace(parts[i])
	}
	return parts
}

var (
	yearName    = regexp.MustCompile(`(?i)^(calendar|fiscal)?[ _-]?(year|yr)$`)
	quarterName = regexp.MustCompile(`(?i)^(quarter|qtr|q)([ _-]?(no|nr|number))?$`)
	monthName   = regexp.MustCompile(`(?i)^(month|mon|mth)([ _-]?(no|nr|number|name))?$`)
	weekName    = regexp.MustCompile(`(?i)^((iso[ _-]?)?week|wk)([ _-]?(no|nr|number))?$`)
	dayName     = regexp.MustCompile(`(?i)^day([ _-]?of[ _-]?month)?$`)
)

// proposeParts are the columns that make a time together, of those that have no other part: a year, and what stands
// beside it.
func proposeParts(columns []Column, taken func(string) bool) string {
	find := func(name *regexp.Regexp) string {
		i := slices.IndexFunc(columns, func(c Column) bool { return name.MatchString(c.Name) && c.Kind != "empty" && !taken(c.Name) })
		if i < 0 {
			return ""
		}
		return columns[i].Name
	}
	year, month, day := find(yearName), find(monthName), find(dayName)
	switch {
	case year == "":
		return ""
	case month != "" && day != "":
		return year + "+" + month + "+" + day
	case month != "":
		return year + "+" + month
	}
	for _, name := range []*regexp.Regexp{weekName, quarterName} {
		if other := find(name); other != "" {
			return year + "+" + other
		}
	}
	return ""
}

// joined writes the time that the fields of several columns make: a year first, then a month, with its day or
// without, a quarter or a week. A number beside a year is what its column's name says, and else a month.
func joined(names, fields []string) string {
	numbers := make([]int, len(fields))
	for i, f := range fields {
		var err error
		if numbers[i], err = strconv.Atoi(strings.TrimLeft(f, "QqWw")); err != nil && (i != 1 || f == "") {
			return strings.TrimSpace(strings.Join(fields, " ")) // a date with its time of the day, or refused as it is
		}
	}
	year, second := numbers[0], fields[1]
	switch {
	case len(fields) == 3 && numbers[1] > 0:
		return fmt.Sprintf("%04d-%02d-%02d", year, numbers[1], numbers[2])
	case len(fields) == 3:
		return fmt.Sprintf("%d %s %d", numbers[2], second, year)
	case numbers[1] == 0: // a month's name
		return fmt.Sprintf("%s %d", second, year)
	case quarterName.MatchString(names[1]) || strings.ContainsAny(second[:1], "Qq"):
		return fmt.Sprintf("%04d-Q%d", year, numbers[1])
	case weekName.MatchString(names[1]) || strings.ContainsAny(second[:1], "Ww"):
		return fmt.Sprintf("%04d-W%02d", year, numbers[1])
	}
	return fmt.Sprintf("%04d-%02d", year, numbers[1])
}
