package single

import (
	"fmt"

	"paperkettle/core/model/young"
)

// partName is what a season is called among the parts of a forecast: the calendar's names for those of days and hours.
func partName(s *young.Season) string {
	switch name := calendarName(s.Length()); {
	case s.Days != nil:
		return s.Days.Name()
	case name != "":
		return name
	}
	return fmt.Sprintf("season of %d", s.Length())
}

// calendarName is what the calendar calls a season of days or hours of so many periods; empty for others.
func calendarName(m int) string {
	switch m {
	case 365:
		return "year"
	case 7 * 24, 7 * 48, 7 * 96:
		return "week"
	}
	return ""
}

// SeasonWords say that a season of few rounds, or of the year, or what days do, was taken out.
func SeasonWords(s *young.Season) string {
	m, few := fmt.Sprint(s.Length()), ", of which few rounds were seen"
	if name := calendarName(s.Length()); name != "" {
		m = "the " + name
	}
	if s.Many {
		few = ""
	}
	switch {
	case s.Days != nil:
		return fmt.Sprintf("; of what %s, a factor that all series tell together: %s", s.Days.Leaves(), s.Days.Words())
	case !s.Shows() && s.Many:
		return fmt.Sprintf("; hardly any season of %s shows", m)
	case !s.Shows():
		return fmt.Sprintf("; few rounds of a season of %s were seen, and hardly one shows", m)
	case s.Log:
		return fmt.Sprintf("; of what a season of %s leaves, a factor%s: all series tell of it together", m, few)
	}
	return fmt.Sprintf("; of what a season of %s leaves%s: all series tell of it together", m, few)
}
