package ingest_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/ingest"
)

func at(day string) int64 {
	t, err := time.Parse(time.DateOnly, day)
	if err != nil {
		panic(err)
	}
	return t.Unix()
}

func eventOptions() ingest.EventOptions {
	return ingest.EventOptions{From: at("2025-01-01"), To: at("2027-12-31"), Attributes: []string{"town", "line"}, WholeDays: true}
}

// written gives each event's occasions as text, by name.
func written(events []calendar.Event) map[string]string {
	out := map[string]string{}
	for _, e := range events {
		var parts []string
		for _, o := range e.Occasions {
			layout, last := "01-02", o.End-1
			if o.Start%86400 != 0 || o.End%86400 != 0 {
				layout, last = "01-02 15:04", o.End
			}
			text := func(sec int64) string { return time.Unix(sec, 0).UTC().Format(layout) }
			year := time.Unix(o.Start, 0).UTC().Format("2006-")
			if text(o.Start) == text(last) {
				parts = append(parts, year+text(o.Start))
			} else {
				parts = append(parts, year+text(o.Start)+".."+text(last))
			}
		}
		out[e.Name] = strings.Join(parts, " ")
	}
	return out
}

func TestATableOfEvents(t *testing.T) {
	events, err := ingest.Events(strings.NewReader(`event;date;until;days;before;after;town
Good Friday;easter-2;;;1;;
Fair;2026-05-01;2026-05-03;;;2;Saltmarsh
Fair;2025-05-02;;3;;2;Saltmarsh
Sale;11/27/2026;;;;;
`), "events.csv", ingest.Form{}, eventOptions())
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"Good Friday": "2025-04-18 2026-04-03 2027-03-26", "Fair": "2025-05-02..05-04 2026-05-01..05-03",
		"Sale": "2026-11-27"}, written(events))
	assert.Equal(t, []int{1, 0}, []int{events[0].Before, events[0].After})
	assert.Equal(t, map[string]string{"town": "Saltmarsh"}, events[1].Where)

	_, err = ingest.Events(strings.NewReader(`event,date,until,days,before
,2026-05-01,,,
A,05/06/2026,,,
B,someday,,,
C,2026-05-01,2026-04-01,,
D,12-25,2026-12-26,,
E,2026-05-01,,0,
F,2026-05-01,,,many
`), "events.csv", ingest.Form{}, eventOptions())
	for _, want := range []string{
		`line 2: column "event": is empty`, `line 3: column "date": "05/06/2026" is 2026-06-05 with the day first and 2026-05-06 with the month first`,
		`line 4: column "date": "someday" is no date and no rule`, `line 5: column "until": "2026-04-01" is before`,
		`line 6: column "until": "2026-12-26" does not go with a rule`,
		`line 7: column "days": "0" is not a whole number`, `line 8: column "before": "many" is not`,
	} {
		assert.ErrorContains(t, err, want)
	}
	_, err = ingest.Events(strings.NewReader("event,date,shop\nA,2026-01-01,x\n"), "e.csv", ingest.Form{}, eventOptions())
	assert.ErrorContains(t, err, `column "shop": is no column of events`)
}

const aCalendar = `BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//tests//EN
BEGIN:VEVENT
UID:1
SUMMARY:Market
DTSTART;TZID=Europe/Lisbon:20260104T100000
DTEND;TZID=Europe/Lisbon:20260104T160000
RRULE:FREQ=MONTHLY;BYDAY=1SU;COUNT=5
EXDATE;TZID=Europe/Lisbon:20260201T100000
END:VEVENT
BEGIN:VEVENT
UID:1
SUMMARY:Market
RECURRENCE-ID;TZID=Europe/Lisbon:20260405T100000
DTSTART;TZID=Europe/Lisbon:20260412T120000
DURATION:PT2H
END:VEVENT
BEGIN:VEVENT
UID:2
SUMMARY:Midwinter
DTSTART;VALUE=DATE:20201221
DTEND;VALUE=DATE:20201223
RRULE:FREQ=YEARLY
RDATE;VALUE=DATE:20260621
END:VEVENT
BEGIN:VEVENT
UID:3
SUMMARY:Called off
STATUS:CANCELLED
DTSTART;VALUE=DATE:20260301
END:VEVENT
BEGIN:VEVENT
UID:4
SUMMARY:Broadcast
DTSTART:20260701T223000Z
DTEND:20260702T003000Z
END:VEVENT
END:VCALENDAR
`

func TestACalendarWithRecurrencesExclusionsAndSpans(t *testing.T) {
	o := eventOptions()
	o.WholeDays = false
	o.Zone, _ = time.LoadLocation("Europe/Lisbon")
	events, err := ingest.Events(strings.NewReader(strings.ReplaceAll(aCalendar, "\n", "\r\n")), "fairs.ics", ingest.Form{}, o)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{
		"Market":    "2026-01-04 10:00..01-04 16:00 2026-03-01 10:00..03-01 16:00 2026-04-12 12:00..04-12 14:00 2026-05-03 10:00..05-03 16:00",
		"Midwinter": "2025-12-21..12-22 2026-06-21..06-22 2026-12-21..12-22 2027-12-21..12-22",
		"Broadcast": "2026-07-01 23:30..07-02 01:30",
	}, written(events))

	o.WholeDays = true
	events, err = ingest.Events(strings.NewReader(aCalendar), "fairs.ics", ingest.Form{}, o)
	require.NoError(t, err)
	assert.Equal(t, "2026-07-01..07-02", written(events)["Broadcast"])
}

func TestCalendarsThatCantBe(t *testing.T) {
	event := func(lines string) string {
		return "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nSUMMARY:A\r\n" + strings.ReplaceAll(lines, "\n", "\r\n") + "\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	}
	for text, want := range map[string]string{
		event("DESCRIPTION:x"):    `line 2: column "DTSTART": is missing from the event "A"`,
		event("DTSTART:"):         `is not a day or a time`,
		event("DTSTART:20260230"): `"20260230" is not a day`,
		event("DTSTART;VALUE=DATE:20260501\nDTEND;VALUE=DATE:20260501"): `is not after the start`,
		event("DTSTART:20260501\nDURATION:two days"):                    `is not a duration`,
		event("DTSTART:20260501\nRRULE:FREQ=SECONDLY"):                  `recurs more than once a day`,
		event("DTSTART:20260501\nRRULE:FREQ=OFTEN"):                     `is no recurrence`,
		event("DTSTART:19000101"):                                       `holds no event between`,
		"BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\n":                           `is no calendar that can be read`,
		"BEGIN:VCALENDAR\r\n\x00":                                       `line 2: holds a NUL byte`,
	} {
		_, err := ingest.Events(strings.NewReader(text), "x.ics", ingest.Form{}, eventOptions())
		assert.ErrorContains(t, err, want, text)
	}
	// A day that never comes ends at the horizon, not in the year 9999.
	_, err := ingest.Events(strings.NewReader(event("DTSTART:20260501\nRRULE:FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30")), "x.ics", ingest.Form{},
		eventOptions())
	assert.NoError(t, err)
}

func TestPeriodCodesTranslate(t *testing.T) {
	days, err := ingest.ReadCodes(strings.NewReader("date,week,day\n2026-01-04,P1W2,d_8\n2025-12-28,P1W1,d_1\n2025-12-29,P1W1,d_2\n2026-01-05,P1W2,d_9\n2026-01-11,P1W3,d_15\n"), "calendar.csv", ingest.Form{}, "week", "date", "")
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"P1W1": "2025-12-28", "P1W2": "2026-01-04", "P1W3": "2026-01-11"}, days)
	codes := &ingest.Codes{Name: "house", Days: days}

	p := load(t, []byte("week,price\nP1W1,2\nP1W3,4\n"), ingest.Form{},
		ingest.Columns{Time: "week", Codes: codes, Measures: []string{"price"}, FirstDay: "sunday"})
	assert.Equal(t, "2025-12-28 3", p.Period(0)+" "+plainNumber(float64(p.Length)))
	wide := load(t, []byte("shop,P1W1,P1W2,P1W3\na,1,2,3\n"), ingest.Form{},
		ingest.Columns{Wide: true, Codes: codes, Measures: []string{"units"}, By: []string{"shop"}})
	assert.Equal(t, []float64{1, 2, 3}, wide.Series[0].Values)
	_, err = read("week,price\nP9W9,2\n", ingest.Columns{Time: "week", Codes: codes, Measures: []string{"price"}})
	assert.ErrorContains(t, err, `column "week": "P9W9" is no code of "house"`)
	_, err = ingest.ReadCodes(strings.NewReader("date,week\n01/02/2026,A\n,B\n2026-01-01,\n"), "c.csv", ingest.Form{}, "week", "date", "")
	for _, want := range []string{`line 2: column "date": "01/02/2026" is 2026-02-01 with the day first`, `line 3`, `line 4: column "week": is empty`} {
		assert.ErrorContains(t, err, want)
	}
}

func FuzzEvents(f *testing.F) {
	f.Add(aCalendar)
	f.Add("event,date,until\nA,easter+1,\nB,2026-01-01,2026-01-02\n")
	f.Fuzz(func(t *testing.T, text string) {
		events, err := ingest.Events(strings.NewReader(text), "f", ingest.Form{}, eventOptions())
		if err != nil {
			return
		}
		for _, e := range events {
			last := int64(-1 << 62)
			for _, o := range e.Occasions {
				if o.Start >= o.End || o.Start < last {
					t.Fatalf("%q: occasions out of order: %v", e.Name, e.Occasions)
				}
				last = o.End
			}
		}
	})
}
