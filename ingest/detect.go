package ingest

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"regexp"
	"strings"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

var delimiters = []rune{',', ';', '\t', '|'}

var delimiterNames = map[rune]string{',': "comma", ';': "semicolon", '\t': "tab", '|': "pipe"}

func delimiterName(r rune) string { return delimiterNames[r] }

// parseDelimiter reads a delimiter's name or the character itself; 0 is to be found.
func parseDelimiter(s string) (rune, error) {
	if s == "" {
		return 0, nil
	}
	for r, name := range delimiterNames {
		if s == name || s == string(r) {
			return r, nil
		}
	}
	return 0, fault("delimiter %q is not known: use comma, semicolon, tab or pipe", s)
}

// sampleRecords splits the sample's whole lines by a delimiter, as far as it can, and says on which lines they are.
func sampleRecords(sample []byte, delimiter rune) (out [][]string, lines []int) {
	if at := bytes.LastIndexByte(sample, '\n'); at >= 0 && len(sample) >= sampleSize {
		sample = sample[:at+1]
	}
	r := csv.NewReader(bytes.NewReader(sample))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes = delimiter, -1, true
	for len(out) < sampleRows {
		record, err := r.Read()
		if err == io.EOF || err != nil {
			break
		}
		line, _ := r.FieldPos(0)
		out, lines = append(out, record), append(lines, line)
	}
	return out, lines
}

const sampleRows = 2000

// guessDelimiter takes the one that splits the lines into the most fields, as many
// in nearly all of them as in the header.
func guessDelimiter(sample []byte) rune {
	best, most := rune(0), 1
	fallback, widest := ',', 1
	for _, d := range delimiters {
		records, _ := sampleRecords(sample, d)
		if len(records) == 0 {
			continue
		}
		n := len(records[headingAt(records)])
		if n > widest {
			fallback, widest = d, n
		}
		same := 0
		for _, r := range records {
			if len(r) == n {
				same++
			}
		}
		if n > most && same*10 >= len(records)*9 {
			best, most = d, n
		}
	}
	if best == 0 {
		return fallback
	}
	return best
}

var (
	// grouped is a number with thousands marks, or one that could be.
	grouped = regexp.MustCompile(`^[+-]?\d{1,3}(?:([.,' \x{00a0}\x{202f}’])\d{3})(?:[.,' \x{00a0}\x{202f}’]\d{3})*(?:([.,])\d+)?$`)
	// fractional is a number with one mark that can only be a decimal mark.
	fractional = regexp.MustCompile(`^[+-]?\d*([.,])(?:\d{1,2}|\d{4,})$`)
)

// guessMarks finds the decimal and the thousands mark from the sample's fields. It
// asks where the fields can be read two ways or contradict each other.
func guessMarks(records [][]string, decimal string) (Marks, error) {
	m := Marks{}
	switch decimal {
	case "":
	case "comma", ",":
		m.Decimal = ','
	case "point", ".":
		m.Decimal = '.'
	default:
		return m, fault("decimal mark %q is not known: use point or comma", decimal)
	}
	evidence := map[byte]string{} // a field that shows the decimal mark
	var unsure string             // a field that can be read two ways
	for _, column := range numberColumns(records) {
		for _, field := range column {
			m.weigh(field, evidence, &unsure)
		}
	}
	if m.Decimal == 0 {
		point, comma := evidence['.'], evidence[',']
		switch {
		case point != "" && comma != "":
			return m, fault("%q shows a decimal point and %q a decimal comma: say which mark it is, and write all numbers one way", point, comma)
		case comma != "":
			m.Decimal = ','
		case point != "" || unsure == "":
			m.Decimal = '.'
		default:
			small, large := strings.Replace(unsure, ",", ".", 1), strings.ReplaceAll(unsure, ",", "")
			return m, panel.Fault{Problem: fmt.Sprintf("%q can be read with a decimal comma (%s) or with a thousands mark (%s): say whether the "+
				"decimal mark is a point or a comma", unsure, small, large),
				Readings: []panel.Reading{{Option: "decimal", Value: "comma", Text: "a decimal comma: " + small},
					{Option: "decimal", Value: "point", Text: "a thousands mark: " + large}}}
		}
	}
	if m.Thousands == 0 && unsure != "" && m.Decimal == '.' {
		m.Thousands = ','
	}
	if m.Thousands == rune(m.Decimal) {
		m.Thousands = 0
	}
	if m.Decimal == ',' && m.Thousands == 0 {
		m.Thousands = '.'
	}
	return m, nil
}

var numberLike = regexp.MustCompile(`^[+-]?[\d.,'’ \x{00a0}\x{202f}]*\d[\d.,]*(?:[eE][+-]?\d+)?$`)

// numberColumns gives the fields with marks of the columns in which every field
// could be a number and not all are times.
func numberColumns(records [][]string) [][]string {
	if len(records) == 0 {
		return nil
	}
	var out [][]string
columns:
	for i := range records[0] {
		var marked []string
		times := 0
		for _, record := range records[1:] {
			if i >= len(record) {
				continue
			}
			field := strings.TrimSpace(record[i])
			if isNothing(field) {
				continue // empty, NA and the like
			}
			if plain, _, ok := bare(field); ok {
				field = plain
			}
			if !numberLike.MatchString(field) {
				continue columns
			}
			if looksLikeTime(field) {
				times++
			}
			if strings.ContainsAny(field, ",.'’ \u00a0\u202f") {
				marked = append(marked, field)
			}
		}
		if times < len(marked) || len(marked) == 0 {
			out = append(out, marked)
		}
	}
	return out
}

// weigh notes what one field says of the marks.
func (m *Marks) weigh(field string, evidence map[byte]string, unsure *string) {
	if parts := fractional.FindStringSubmatch(field); parts != nil {
		evidence[parts[1][0]] = field
		return
	}
	parts := grouped.FindStringSubmatch(field)
	if parts == nil {
		return
	}
	mark := []rune(parts[1])[0]
	if mark == '\u00a0' || mark == '\u202f' {
		mark = ' '
	}
	several := strings.Count(field, parts[1]) > 1
	switch {
	case parts[2] != "" && parts[2] != parts[1]: // 1.234,5: both marks
		evidence[parts[2][0]] = field
		m.Thousands = mark
	case mark != '.' && mark != ',': // 1 234
		m.Thousands = mark
	case several: // 1.234.567
		other := map[rune]byte{'.': ',', ',': '.'}[mark]
		evidence[other] = field
		m.Thousands = mark
	case mark == ',': // 1,234
		*unsure = field
	}
}

func looksLikeTime(field string) bool {
	r, err := calendar.ParseTime(field)
	return err == nil && r.Style != calendar.StyleNumber
}

// String writes the marks for people.
func (m Marks) String() string {
	name := "point"
	if m.Decimal == ',' {
		name = "comma"
	}
	if m.Thousands == 0 {
		return fmt.Sprintf("decimal %s", name)
	}
	return fmt.Sprintf("decimal %s, thousands %q", name, m.Thousands)
}
