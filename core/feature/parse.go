package feature

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"paperkettle/core/calendar"
)

type kind byte

const (
	kindLag kind = iota
	kindSeasonLag
	kindDifference
	kindMean
	kindSpread
	kindQuantile
	kindScale
	kindGroup
	kindCalendar
	kindHarmonic
	kindDriver
	kindEvent
	kindSince
	kindUntil
	kindAttribute
	kindWeekendEvent
)

// parser reads one line.
type parser struct {
	Setting
	line   string
	recipe *Recipe
}

func (p *parser) add(c Column) {
	c.Line = p.line
	p.recipe.Columns = append(p.recipe.Columns, c)
}

func (p *parser) note(format string, args ...any) {
	p.recipe.Notes = append(p.recipe.Notes, fmt.Sprintf("the feature %q is left out: ", p.line)+fmt.Sprintf(format, args...))
}

func (p *parser) parse() error {
	words := strings.Fields(p.line)
	switch words[0] {
	case "lag":
		return p.lags(words[1:], kindLag)
	case "season":
		if len(words) > 1 && words[1] == "lag" {
			return p.lags(words[2:], kindSeasonLag)
		}
	case "difference":
		return p.difference(words[1:])
	case "mean", "spread", "quantile":
		return p.rolling(words)
	case "scale":
		p.add(Column{Name: "scale", Meaning: "mean size of the values up to the origin", Group: "own past", Known: AtOrigin, Kind: kindScale})
		return nil
	case "group":
		return p.group(words[1:])
	case "attribute":
		return p.attribute(strings.TrimPrefix(p.line, "attribute "))
	case "drivers":
		for _, d := range p.Drivers {
			if err := p.driver(d.Name, nil); err != nil {
				return err
			}
		}
		return nil
	case "driver":
		return p.driverLine(strings.TrimPrefix(p.line, "driver "))
	case "events":
		return p.events(words[1:])
	case "weekend":
		if len(words) > 1 && words[1] == "events" {
			return p.weekendEvents(words[2:])
		}
	case "event", "since", "until":
		return p.event(words[0], strings.TrimSpace(strings.TrimPrefix(p.line, words[0])))
	}
	if done, err := p.calendar(); done {
		return err
	}
	return p.driverLine(p.line)
}

// span reads "3" or "1 to 8".
func span(words []string) (from, to int, err error) {
	bad := fmt.Errorf("say a number, or \"1 to 8\"")
	if len(words) != 1 && (len(words) != 3 || words[1] != "to") {
		return 0, 0, bad
	}
	from, err = strconv.Atoi(words[0])
	to = from
	if err == nil && len(words) == 3 {
		to, err = strconv.Atoi(words[2])
	}
	if err != nil || from < 1 || to < from || to > 2000 {
		return 0, 0, bad
	}
	return from, to, nil
}

func (p *parser) lags(words []string, k kind) error {
	from, to, err := span(words)
	if err != nil {
		return err
	}
	for lag := from; lag <= to; lag++ {
		c := Column{Name: fmt.Sprintf("lag %d", lag), Group: "own past", Known: AtOrigin, Kind: k, Lag: lag, Level: true}
		c.Meaning = fmt.Sprintf("value %s before the first step", p.Cadence.Noun(lag))
		if k == kindSeasonLag {
			if p.recipe.Season < 2 {
				p.note("the cadence has no season")
				return nil
			}
			c.Name, c.Known = fmt.Sprintf("season lag %d", lag), BeforeStep
			c.Meaning = fmt.Sprintf("last known value at the step's place in the season, %d rounds back", lag)
			if lag == 1 {
				c.Meaning = "last known value at the step's place in the season"
			}
		}
		p.add(c)
	}
	return nil
}

func (p *parser) difference(words []string) error {
	from, to, err := span(words)
	if err != nil {
		return err
	}
	for lag := from; lag <= to; lag++ {
		p.add(Column{Name: fmt.Sprintf("difference %d", lag),
			Meaning: fmt.Sprintf("change over the last %s before the first step", p.Cadence.Noun(lag)), Group: "own past", Known: AtOrigin,
			Kind: kindDifference, Lag: lag})
	}
	return nil
}

// rolling reads "mean 8", "spread 8", "quantile 90 over 8", each also "of DRIVER".
func (p *parser) rolling(words []string) error {
	bad := fmt.Errorf("say \"%s 8\", or \"%s 8 of price\"", words[0], words[0])
	line, of, some := strings.Cut(p.line, " of ")
	words = strings.Fields(line)
	c := Column{Group: "own past", Known: AtOrigin, Kind: map[string]kind{"mean": kindMean, "spread": kindSpread, "quantile": kindQuantile}[words[0]]}
	rest := words[1:]
	if c.Kind == kindQuantile {
		if len(rest) != 3 || rest[1] != "over" {
			return fmt.Errorf("say \"quantile 90 over 8\"")
		}
		percent, err := strconv.ParseFloat(rest[0], 64)
		if err != nil || percent < 0 || percent > 100 {
			return fmt.Errorf("a quantile is from 0 to 100 per cent")
		}
		c.Share, rest = percent/100, rest[2:]
	}
	if len(rest) != 1 {
		return bad
	}
	width, err := strconv.Atoi(rest[0])
	if err != nil || width < 2 || width > 2000 {
		return fmt.Errorf("a window has from 2 to 2000 periods")
	}
	c.Width, c.Name = width, line
	c.Level = c.Kind != kindSpread
	what := strings.Join(words[:len(words)-1], " ")
	if !some {
		c.Meaning = fmt.Sprintf("%s of the last %s before the first step", strings.TrimSuffix(what, " over"), p.Cadence.Noun(width))
		p.add(c)
		return nil
	}
	t := transform{Kind: "window " + words[0], Width: width, Amount: c.Share}
	return p.driver(of, []transform{t})
}

// group reads "group mean 4 of region" or "group mean 4 of all".
func (p *parser) group(words []string) error {
	if len(words) < 4 || words[0] != "mean" || words[2] != "of" {
		return fmt.Errorf("say \"group mean 4 of region\", or \"of all\"")
	}
	width, err := strconv.Atoi(words[1])
	if err != nil || width < 1 || width > 2000 {
		return fmt.Errorf("a window has from 1 to 2000 periods")
	}
	name := strings.Join(words[3:], " ")
	if _, ok := p.Attributes[name]; !ok && name != "all" {
		return p.noAttribute(name)
	}
	p.add(Column{Name: p.line, Meaning: fmt.Sprintf("mean over the group, each series by its own size, of the last %s before the first step",
		p.Cadence.Noun(width)), Group: "group", Known: AtOrigin, Kind: kindGroup, Width: width, Name2: name})
	return nil
}

func (p *parser) noAttribute(name string) error {
	var names []string
	for n := range p.Attributes {
		names = append(names, n)
	}
	slices.Sort(names)
	if len(names) == 0 {
		return fmt.Errorf("no attribute is called %q: the dataset has none", name)
	}
	return fmt.Errorf("no attribute is called %q: there are %s", name, strings.Join(names, ", "))
}

func (p *parser) attribute(name string) error {
	values, ok := p.Attributes[name]
	switch {
	case !ok:
		return p.noAttribute(name)
	case len(values) < 2:
		p.note("all series have the same %s", name)
	case len(values) > 200:
		return fmt.Errorf("%s has %d values: too many for columns", name, len(values))
	default:
		for _, v := range values[1:] {
			p.add(Column{Name: name + " " + v, Meaning: fmt.Sprintf("1 where %s is %s", name, v), Group: name, Known: Fixed, Kind: kindAttribute,
				Name2: name, Value: v})
		}
	}
	return nil
}

// events reads "events" and "events around 2".
func (p *parser) events(words []string) error {
	around, err := daysAround("events", words)
	if err != nil {
		return err
	}
	for _, e := range p.Events {
		p.eventDays(e, around)
	}
	return nil
}

// daysAround reads what comes after the name of a line.
func daysAround(name string, words []string) (around int, err error) {
	if len(words) == 0 {
		return 0, nil
	}
	if len(words) != 2 || words[0] != "around" {
		return 0, fmt.Errorf("say \"%s\", or \"%s around 2\" for days before and after", name, name)
	}
	if around, err = strconv.Atoi(words[1]); err != nil || around < 0 || around > 30 {
		return 0, fmt.Errorf("days around are from 0 to 30")
	}
	return around, nil
}

func (p *parser) eventDays(name string, around int) {
	for k := -around; k <= around; k++ {
		c := Column{Name: name, Meaning: "share of the period that the event takes", Group: name, Known: KnownAhead, Kind: kindEvent, Name2: name, Lag: k}
		if k != 0 {
			c.Name = fmt.Sprintf("%s %+d", name, k)
			c.Meaning = fmt.Sprintf("share of the period %d days from the event", k)
		}
		p.add(c)
	}
}

// nearest is how many periods since or until an event count; further ones are alike.
const nearest = 30

func (p *parser) event(word, rest string) error {
	name, around := rest, 0
	if head, days, ok := strings.Cut(rest, " around "); ok && word == "event" {
		n, err := strconv.Atoi(days)
		if err != nil || n < 0 || n > 30 {
			return fmt.Errorf("days around are from 0 to 30")
		}
		name, around = head, n
	}
	if !slices.Contains(p.Events, name) {
		if len(p.Events) == 0 {
			return fmt.Errorf("no event is called %q: the dataset has none", name)
		}
		return fmt.Errorf("no event is called %q: there are %s", name, strings.Join(p.Events, ", "))
	}
	switch word {
	case "event":
		p.eventDays(name, around)
	case "since":
		p.add(Column{Name: p.line, Meaning: fmt.Sprintf("periods since the event, %d at most", nearest), Group: name, Known: KnownAhead,
			Kind: kindSince, Name2: name})
	default:
		p.add(Column{Name: p.line, Meaning: fmt.Sprintf("periods until the event, %d at most", nearest), Group: name, Known: KnownAhead,
			Kind: kindUntil, Name2: name})
	}
	return nil
}

// driverLine reads a driver's name and what is done to it.
func (p *parser) driverLine(text string) error {
	best := ""
	for _, d := range p.Drivers {
		if (text == d.Name || strings.HasPrefix(text, d.Name+" ")) && len(d.Name) > len(best) {
			best = d.Name
		}
	}
	if best == "" {
		return p.unknown()
	}
	steps, err := transforms(strings.Fields(strings.TrimPrefix(text, best)))
	if err != nil {
		return err
	}
	return p.driver(best, steps)
}

func (p *parser) driver(name string, steps []transform) error {
	at := slices.IndexFunc(p.Drivers, func(d calendarDriver) bool { return d.Name == name })
	if at < 0 {
		return p.unknown()
	}
	if !p.Drivers[at].KnownAhead {
		return fmt.Errorf("the driver %s is not known ahead, and a feature of it would read the future: let drivers_ahead have it lagged or forecast", name)
	}
	c := Column{Name: strings.TrimSpace(name + stepWords(steps)), Group: name, Known: KnownAhead, Kind: kindDriver, Name2: name, Place: at, Steps: steps}
	c.Meaning = "the driver"
	if len(steps) > 0 {
		c.Meaning = "the driver," + stepWords(steps)
	}
	p.add(c)
	return nil
}

func (p *parser) unknown() error {
	names := make([]string, len(p.Drivers))
	for i, d := range p.Drivers {
		names[i] = d.Name
	}
	drivers := "the dataset has no drivers"
	if len(names) > 0 {
		drivers = "the drivers are " + strings.Join(names, ", ")
	}
	return fmt.Errorf("it is neither a word of the calendar nor a driver; %s; else say lag 1 to 4, season lag 1, difference 1, mean 8, "+
		"spread 8, quantile 90 over 8, scale, group mean 4 of all, index, %s, events, since EVENT, until EVENT, attribute "+
		"NAME", drivers, strings.Join(calendarWords(), ", "))
}

// calendar reads "month", "month as levels", "year as harmonics 4".
func (p *parser) calendar() (done bool, err error) {
	name, as, shaped := strings.Cut(p.line, " as ")
	if rest, ok := strings.CutPrefix(as, "harmonics "); ok {
		return true, p.harmonics(name, rest)
	}
	part := calendarPart(name)
	if part == nil {
		return false, nil
	}
	if p.Cadence.Unit == calendar.Number && name != "index" {
		return true, fmt.Errorf("periods that are plain numbers have no calendar")
	}
	if part.finest < p.Cadence.Unit {
		p.note("it is the same for all periods of a %s", p.Cadence.Unit.Word())
		return true, nil
	}
	if !shaped {
		p.add(Column{Name: name, Meaning: part.meaning, Group: "calendar", Known: KnownAhead, Kind: kindCalendar, Name2: name, Lag: -1})
		return true, nil
	}
	if as != "levels" || part.last == 0 {
		return true, fmt.Errorf("say %q or \"%s as levels\", or for a season \"year as harmonics 4\"", name, name)
	}
	for k := part.first + 1; k <= part.last; k++ {
		p.add(Column{Name: fmt.Sprintf("%s %d", name, k), Meaning: fmt.Sprintf("1 where the %s is %d, against %d", name, k, part.first),
			Group: "calendar", Known: KnownAhead, Kind: kindCalendar, Name2: name, Lag: k})
	}
	return true, nil
}

func (p *parser) harmonics(name, rest string) error {
	pairs, err := strconv.Atoi(rest)
	if err != nil || pairs < 1 || pairs > 50 {
		return fmt.Errorf("say from 1 to 50 harmonics")
	}
	period := 0.0
	names := map[calendar.Unit][]string{
		calendar.Quarterhour: {"day", "week", "year"}, calendar.Halfhour: {"day", "week", "year"}, calendar.Hour: {"day", "week", "year"},
		calendar.Day: {"week", "year"}, calendar.Week: {"year"}, calendar.Month: {"year"}, calendar.Quarter: {"year"},
	}[p.Cadence.Unit]
	for k, length := range p.Cadence.Seasons() {
		if k < len(names) && names[k] == name {
			period = length
		}
	}
	if period == 0 {
		return fmt.Errorf("harmonics are of one of: %s", strings.Join(names, ", "))
	}
	for k := 1; k <= min(pairs, int(period/2)); k++ {
		for place, wave := range []string{"sine", "cosine"} {
			p.add(Column{Name: fmt.Sprintf("%s %s %d", name, wave, k), Meaning: fmt.Sprintf("%s with %d rounds a %s", wave, k, name),
				Group: "calendar", Known: KnownAhead, Kind: kindHarmonic, Lag: k, Period: period, Place: place})
		}
	}
	return nil
}
