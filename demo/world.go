// Package demo makes the scenario of Saltmarsh & Vale, a made-up maker of teas,
// papers and enamel kettles in made-up coastal towns. The same seed gives the same
// world, and the world knows the truth of every oddity planted in it.
package demo

import (
	"fmt"
	"math"
	"math/rand/v2"
	"time"

	"gonum.org/v1/gonum/stat/distuv"

	"paperkettle/core/calendar"
)

// Seed is the seed of the demo's own world.
const Seed = 8484

// The world's span. The last AheadDays are what arrives as actuals.
var (
	Start = time.Date(2023, 1, 1, 0, 0, 0, 0, time.UTC)
	End   = time.Date(2026, 6, 28, 0, 0, 0, 0, time.UTC)
)

// AheadDays is how many days at the end are held back as actuals.
const AheadDays = 28

// World is all orders of the scenario, by day.
type World struct {
	Days   int
	Series []Series
	Events []Event
	Truth  []Oddity
	seed   uint64
}

// Series is the orders of one line in one channel of one town. Orders is NaN on
// days without a record.
type Series struct {
	Town, Channel, Line string
	From, To            int // days on which the line was sold, To excluded
	Orders              []float64
	Price               []float64
	Promotion           []float64 // planned for AheadDays more
	Temperature         []float64
}

// Event is a public holiday of the scenario.
type Event struct {
	Name        string
	First, Last time.Time
	lift        float64 // factor on orders
	closed      bool    // shops are shut and keep no record
}

// Oddity is something planted in the last weeks.
type Oddity struct {
	Town, Channel, Line string
	Date                time.Time
	Kind                string // the way it should be settled
	Factor              float64
	Story               string
}

// Date is the date of a day of the world.
func Date(day int) time.Time { return Start.AddDate(0, 0, day) }

func dayOf(t time.Time) int { return int(t.Sub(Start).Hours() / 24) }

type town struct {
	name   string
	size   float64
	summer float64 // how much the holiday season lifts it
	warm   float64
}

var towns = []town{
	{"Saltmarsh", 1.6, 0.15, 11}, {"Gullhaven", 1.2, 0.45, 12}, {"Pebble Cove", 0.7, 0.6, 12.5}, {"Ternmouth", 1.0, 0.25, 10.5},
	{"Oysterby", 0.8, 0.35, 11.5}, {"Driftwick", 0.5, 0.5, 10}, {"Lower Vale", 1.1, 0.05, 10.5},
}

type line struct {
	name       string
	base       float64
	price      float64
	elasticity float64
	winter     float64 // how much cold months lift it
	cold       float64 // change of log orders a degree
	growth     float64 // change of log orders a year
	from, to   time.Time
}

var (
	launch   = time.Date(2025, 2, 3, 0, 0, 0, 0, time.UTC)
	farewell = time.Date(2026, 2, 1, 0, 0, 0, 0, time.UTC)
	riseDay  = time.Date(2025, 9, 1, 0, 0, 0, 0, time.UTC)
	never    = End.AddDate(0, 0, 1)
)

var lines = []line{
	{"black tea", 34, 4.2, -1.3, 0.20, -0.006, 0.04, Start, never},
	{"green tea", 18, 4.8, -1.1, 0.05, -0.002, 0.12, Start, never},
	{"herb tea", 14, 4.5, -0.9, 0.15, -0.004, 0.09, Start, never},
	{"letter paper", 9, 7.5, -1.6, 0.10, 0, -0.07, Start, never},
	{"notebook", 11, 6.0, -1.8, 0.05, 0, 0.30, launch, never},
	{"travel kettle", 5, 24, -2.0, -0.25, 0.004, -0.10, Start, farewell},
	{"copper kettle", 0.22, 190, -1.0, 0.30, 0, 0.02, Start, never},
}

type channel struct {
	name string
	size float64
	week [7]float64 // Monday first
}

var channels = []channel{
	{"shop", 1.0, [7]float64{0.75, 0.80, 0.90, 1.00, 1.25, 1.60, 0.70}},
	{"web", 0.7, [7]float64{1.20, 1.10, 1.00, 0.95, 0.85, 0.80, 1.10}},
	{"hotel", 0.55, [7]float64{1.50, 1.20, 1.10, 1.20, 1.40, 0.35, 0.25}},
}

// New makes the world of a seed.
func New(seed uint64) *World {
	w := &World{Days: dayOf(End) + 1, Events: holidays(), seed: seed}
	promotions := makePromotions(stream(seed, 0), w.Days)
	for i, ahead := range makePromotions(stream(seed, 1), 3*AheadDays) {
		promotions[i] = append(promotions[i], ahead[2*AheadDays:]...)
	}
	temperatures := make([][]float64, len(towns))
	for i, t := range towns {
		temperatures[i] = makeTemperature(stream(seed, uint64(100+i)), t, w.Days)
	}
	for ti, t := range towns {
		for ci, c := range channels {
			for li, l := range lines {
				if c.name == "hotel" && l.name == "notebook" {
					continue // hotels buy no notebooks
				}
				rnd := stream(seed, uint64(1000+ti*100+ci*10+li))
				w.Series = append(w.Series, makeSeries(rnd, w, t, c, l, promotions[li], temperatures[ti]))
			}
		}
	}
	w.plant()
	return w
}

func stream(seed, part uint64) *rand.Rand { return rand.New(rand.NewPCG(seed, part)) }

// feasts are the scenario's own calendar, as rules for every year.
var feasts = []struct {
	name, rule string
	days       int
	lift       float64
	closed     bool
}{
	{"New Sail Day", "01-01", 1, 0.3, true},
	{"Kettle Monday", "first monday of may", 1, 1.7, false},
	{"Harbour Week", "08-08", 7, 1.35, false},
	{"Lantern Evening", "11-17", 1, 1.5, false},
	{"Gift Fortnight", "12-08", 13, 1.6, false},
	{"Longest Night", "12-21", 2, 0.3, true},
}

// holidays writes the calendar out over the world's years.
func holidays() []Event {
	var out []Event
	for y := Start.Year(); y <= End.Year(); y++ {
		for _, f := range feasts {
			rule, err := calendar.ParseFeast(f.rule)
			if err != nil {
				panic(err)
			}
			first := time.Unix(rule.In(y), 0).UTC()
			out = append(out, Event{f.name, first, first.AddDate(0, 0, f.days-1), f.lift, f.closed})
		}
	}
	return out
}

// makePromotions gives each line a promotion of five to nine days every two months or so.
func makePromotions(rnd *rand.Rand, days int) [][]float64 {
	out := make([][]float64, len(lines))
	for l := range out {
		out[l] = make([]float64, days)
		for d := 20 + rnd.IntN(40); d < days; d += 45 + rnd.IntN(35) {
			for k := range 5 + rnd.IntN(5) {
				if d+k < days {
					out[l][d+k] = 1
				}
			}
		}
	}
	return out
}

func makeTemperature(rnd *rand.Rand, t town, days int) []float64 {
	out := make([]float64, days)
	wander := 0.0
	for d := range out {
		wander = 0.75*wander + 1.6*rnd.NormFloat64()
		out[d] = math.Round(10*(t.warm-7*math.Cos(2*math.Pi*(yearShare(d)-0.05))+wander)) / 10
	}
	return out
}

func yearShare(day int) float64 { return float64(Date(day).YearDay()-1) / 365.25 }

// makeSeries draws one series: a negative binomial around a product of effects.
func makeSeries(rnd *rand.Rand, w *World, t town, c channel, l line, promotion, temperature []float64) Series {
	s := Series{Town: t.name, Channel: c.name, Line: l.name, From: max(0, dayOf(l.from)), To: min(w.Days, dayOf(l.to)),
		Orders: make([]float64, w.Days), Price: make([]float64, w.Days), Promotion: promotion, Temperature: temperature}
	base := l.base * t.size * c.size * math.Exp(0.25*rnd.NormFloat64())
	growth := l.growth + 0.05*rnd.NormFloat64()
	bend := w.Days/4 + rnd.IntN(w.Days/2)
	growthAfter := growth + 0.15*rnd.NormFloat64()
	outFrom, outDays := -1, 0
	if rnd.Float64() < 0.25 { // a stock-out somewhere in the history
		outFrom, outDays = rnd.IntN(w.Days-AheadDays-120), 4+rnd.IntN(9)
	}
	drift := 0.0
	for d := range w.Days {
		s.Price[d] = l.price
		if !Date(d).Before(riseDay) {
			s.Price[d] = math.Round(l.price*108) / 100
		}
		drift = 0.97*drift + 0.02*rnd.NormFloat64()
		years := float64(min(d, bend))/365.25*growth + float64(max(0, d-bend))/365.25*growthAfter
		share := yearShare(d)
		mean := base * math.Exp(years+drift+
			l.winter*math.Cos(2*math.Pi*share)+
			t.summer*math.Max(0, -math.Cos(2*math.Pi*(share-0.06)))*summerOf(c)+
			l.cold*(temperature[d]-t.warm)+
			l.elasticity*math.Log(s.Price[d]/l.price)+0.35*promotion[d])
		mean *= c.week[(int(Date(d).Weekday())+6)%7]
		lift, closed := w.holiday(d, c)
		s.Orders[d] = draw(rnd, mean*lift)
		switch {
		case d < s.From || d >= s.To, closed:
			s.Orders[d] = math.NaN()
		case outFrom >= 0 && d >= outFrom && d < outFrom+outDays:
			s.Orders[d] = 0
		}
	}
	return s
}

func summerOf(c channel) float64 {
	return map[string]float64{"shop": 1, "web": -0.1, "hotel": 1.3}[c.name]
}

func (w *World) holiday(day int, c channel) (lift float64, closed bool) {
	date := Date(day)
	lift = 1
	for _, e := range w.Events {
		if !date.Before(e.First) && !date.After(e.Last) {
			lift *= e.lift
			closed = closed || e.closed && c.name == "shop"
		}
	}
	return lift, closed
}

// draw takes a count of a mean, with a variance of mean + mean^2/12.
func draw(rnd *rand.Rand, mean float64) float64 {
	const size = 12
	g := distuv.Gamma{Alpha: size, Beta: size / mean, Src: rnd}.Rand()
	return distuv.Poisson{Lambda: g, Src: rnd}.Rand()
}

// plants are the oddities: day counted from the first day held back.
var plants = []struct {
	town, channel, line string
	day, days           int
	factor              float64
	kind, story         string
}{
	{"Saltmarsh", "shop", "black tea", 4, 1, 4.5, "expected", "a coach party on a day trip"},
	{"Gullhaven", "web", "green tea", 5, 1, 10, "data-error", "an order typed with a nought too many"},
	{"Ternmouth", "shop", "black tea", 5, 1, 0, "data-error", "the till was not read out"},
	{"Lower Vale", "hotel", "black tea", 8, 20, 2.1, "real-change", "a new hotel signed up"},
	{"Oysterby", "shop", "herb tea", 9, 1, 4, "expected", "a market stall on the quay"},
	{"Saltmarsh", "web", "notebook", 11, 3, 3.5, "expected", "a school bought for a class trip"},
	{"Pebble Cove", "shop", "green tea", 12, 2, 0, "expected", "the shop was shut for repairs"},
	{"Gullhaven", "shop", "notebook", 14, 14, 0.12, "real-change", "a rival opened next door"},
	{"Ternmouth", "web", "letter paper", 16, 1, 8, "data-error", "a return was booked as a sale"},
	{"Saltmarsh", "hotel", "green tea", 18, 1, 3.5, "expected", "a conference"},
	{"Lower Vale", "shop", "black tea", 19, 1, 0, "data-error", "the day's file was cut short"},
	{"Driftwick", "shop", "black tea", 23, 1, 4, "expected", "the regatta came to town"},
}

func (w *World) plant() {
	for _, p := range plants {
		s := w.find(p.town, p.channel, p.line)
		for k := range p.days {
			day := w.Days - AheadDays + p.day + k
			if day >= w.Days {
				break
			}
			s.Orders[day] = math.Round(s.Orders[day] * p.factor)
			if p.factor > 2 && s.Orders[day] == 0 {
				s.Orders[day] = p.factor
			}
			w.Truth = append(w.Truth, Oddity{p.town, p.channel, p.line, Date(day), p.kind, p.factor, p.story})
		}
	}
}

func (w *World) find(town, channel, line string) *Series {
	for i := range w.Series {
		if s := &w.Series[i]; s.Town == town && s.Channel == channel && s.Line == line {
			return s
		}
	}
	panic(fmt.Sprintf("demo: no series %s / %s / %s", town, channel, line))
}
