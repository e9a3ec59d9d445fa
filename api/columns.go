package api

import (
	"encoding/csv"
	"fmt"
	"iter"
	"net/url"
	"reflect"
	"strconv"
	"strings"
)

// LoadColumns says how a file is written, which column is what, and how rows become
// a panel. What is left out is found from the file where it can be, or taken from how the
// dataset was loaded before. Each is declared here alone: the contract, the client and the
// flags of the commands are read off the tags. Lists are names apart by commas; a name that
// holds a comma stands in double quotes.
type LoadColumns struct {
	Time       string   `query:"time" json:"time,omitempty" doc:"column of the period, or several that make it together, as Year+Month"`
	Measure    string   `query:"measure" json:"measure,omitempty" doc:"column to forecast; several, apart by commas, become series of their own; in a wide table the name of the values"`
	By         []string `query:"by,explode" json:"by,omitempty" doc:"columns that name the series"`
	Drivers    []string `query:"driver,explode" json:"drivers,omitempty" doc:"explanatory columns"`
	KnownAhead []string `query:"known_ahead,explode" json:"known_ahead,omitempty" doc:"drivers whose future is known"`
	Wide       bool     `query:"wide" json:"wide,omitempty" doc:"the table has a column a period; the measure then names its values"`
	Cadence    string   `query:"cadence" json:"cadence,omitempty" words:"15min,30min,hour,day,week,month,quarter,year,number" doc:"of the periods; found from the times if left out"`
	FirstDay   string   `query:"first_day" json:"first_day,omitempty" words:"monday,tuesday,wednesday,thursday,friday,saturday,sunday" doc:"of weeks; found from the dates if left out, else monday"`
	DateOrder  string   `query:"date_order" json:"date_order,omitempty" words:"day-first,month-first" doc:"where dates fit both"`
	Label      string   `query:"label" json:"label,omitempty" words:"start,end" doc:"what a time names of its period"`
	Zone       string   `query:"zone" json:"zone,omitempty" doc:"where instants with an offset go: UTC or an area's name"`
	Aggregate  string   `query:"aggregate" json:"aggregate,omitempty" words:"sum,mean,last,max,min" doc:"to the cadence that is given"`
	Duplicates string   `query:"duplicates" json:"duplicates,omitempty" words:"refuse,sum,mean,last,max,min" doc:"rows with the same series and period; refused if left out"`
	KeepPart   bool     `query:"keep_part" json:"keep_part,omitempty" doc:"keep a last aggregated period that is only partly over"`
	Gaps       string   `query:"gaps" json:"gaps,omitempty" words:"unknown,zero,carry,interpolate,closed" doc:"what a period without a row means; unknown if left out"`
	Closed     []string `query:"closed,explode" json:"closed,omitempty" lines:"true" doc:"periods known not to happen: sunday, november to march, event NAME, driver NAME=0; several are several lines"`
	Floor      string   `query:"floor" json:"floor,omitempty" doc:"a number below which values can't lie; forecasts keep to it"`
	Where      []string `query:"where,explode" json:"where,omitempty" lines:"true" doc:"column=value: keep rows with it; several narrow further; all lifts what held before"`
	From       string   `query:"from" json:"from,omitempty" doc:"leave out earlier periods"`
	To         string   `query:"to" json:"to,omitempty" doc:"leave out later periods"`
	Format     string   `query:"format" json:"format,omitempty" words:"csv,jsonl,xlsx,parquet" doc:"found out if left out; gzip and zstd are undone"`
	Encoding   string   `query:"encoding" json:"encoding,omitempty" words:"utf-8,utf-16,latin-1" doc:"found out if left out"`
	Delimiter  string   `query:"delimiter" json:"delimiter,omitempty" words:"comma,semicolon,tab,pipe" doc:"found out if left out"`
	Decimal    string   `query:"decimal" json:"decimal,omitempty" words:"point,comma" doc:"found out if left out"`
	Sheet      string   `query:"sheet" json:"sheet,omitempty" doc:"of a workbook; the first if left out"`
	HeaderRow  int      `query:"header_row" json:"header_row,omitempty" doc:"of a workbook or delimited text, counted from 1; below a title if left out" minimum:"0"`
	Codes      string   `query:"codes" json:"codes,omitempty" doc:"name of the period codes that the time column holds"`
	Connection string   `query:"connection" json:"connection,omitempty" doc:"name of the database to ask; the file then holds the text of a query"`
	File       string   `query:"file" json:"file,omitempty" doc:"the file's name, for messages"`
}

// ColumnOption is one field of LoadColumns, with what its tags say.
type ColumnOption struct {
	Name  string   // in a query
	Doc   string   // what it means
	Words []string // all that it may be; none where it is free
	Lines bool     // a list whose parts are not names
	Value any      // a pointer to the field: *string, *bool, *int or *[]string
}

// Flag is its name on a command line.
func (o ColumnOption) Flag() string { return "--" + strings.ReplaceAll(o.Name, "_", "-") }

// Each gives every field, in order.
func (c *LoadColumns) Each() iter.Seq[ColumnOption] {
	return func(yield func(ColumnOption) bool) {
		v := reflect.ValueOf(c).Elem()
		for i := range v.NumField() {
			tag := v.Type().Field(i).Tag
			name, _, _ := strings.Cut(tag.Get("query"), ",")
			o := ColumnOption{Name: name, Doc: tag.Get("doc"), Lines: tag.Get("lines") == "true", Value: v.Field(i).Addr().Interface()}
			if words := tag.Get("words"); words != "" {
				o.Words = strings.Split(words, ",")
			}
			if !yield(o) {
				return
			}
		}
	}
}

// Given says whether the field holds anything.
func (o ColumnOption) Given() bool { return !reflect.ValueOf(o.Value).Elem().IsZero() }

// Text is what the field holds, for a reader.
func (o ColumnOption) Text() string {
	switch v := o.Value.(type) {
	case *[]string:
		if o.Lines {
			return strings.Join(*v, "; ")
		}
		return JoinNames(*v)
	case *string:
		return *v
	}
	return fmt.Sprint(reflect.ValueOf(o.Value).Elem().Interface())
}

// Query is what a request carries.
func (c LoadColumns) Query() url.Values {
	q := url.Values{}
	for o := range c.Each() {
		if !o.Given() {
			continue
		}
		switch v := o.Value.(type) {
		case *string:
			q.Set(o.Name, *v)
		case *bool:
			q.Set(o.Name, strconv.FormatBool(*v))
		case *int:
			q.Set(o.Name, strconv.Itoa(*v))
		case *[]string:
			for _, part := range *v {
				if !o.Lines {
					part = JoinNames([]string{part})
				}
				q.Add(o.Name, part)
			}
		}
	}
	return q
}

// Tidy takes lists of names apart that came as one text.
func (c *LoadColumns) Tidy() error {
	for o := range c.Each() {
		list, ok := o.Value.(*[]string)
		if !ok || o.Lines {
			continue
		}
		var names []string
		for _, text := range *list {
			part, err := SplitNames(text)
			if err != nil {
				return fmt.Errorf("%s: %w", o.Name, err)
			}
			names = append(names, part...)
		}
		*list = names
	}
	return nil
}

// JoinNames writes names apart by commas, in double quotes where they hold one.
func JoinNames(names []string) string {
	if len(names) == 0 {
		return ""
	}
	var b strings.Builder
	w := csv.NewWriter(&b)
	_ = w.Write(names) // into memory
	w.Flush()
	return strings.TrimSuffix(b.String(), "\n")
}

// SplitNames reads what JoinNames writes, and leaves blanks around names out.
func SplitNames(text string) ([]string, error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	r := csv.NewReader(strings.NewReader(text))
	r.TrimLeadingSpace = true
	names, err := r.Read()
	if err != nil {
		return nil, fmt.Errorf("%q is no list of names: put a name that holds a comma or a quote in double quotes", text)
	}
	var out []string
	for _, n := range names {
		if n = strings.TrimSpace(n); n != "" {
			out = append(out, n)
		}
	}
	return out, nil
}
