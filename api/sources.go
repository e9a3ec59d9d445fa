package api

import "time"

// Connection is a database that loads can ask. Its secret stays where it is kept.
type Connection struct {
	Name       string    `json:"name"`
	Kind       string    `json:"kind" enum:"postgresql,sqlite"`
	Address    string    `json:"address" doc:"postgresql://user@host:5432/database, without the password, or a SQLite file as the service sees it"`
	SecretEnv  string    `json:"secret_env,omitempty" doc:"the service's environment variable that holds the password; its name begins with PAPERKETTLE_"`
	SecretFile string    `json:"secret_file,omitempty" doc:"the file that holds the password, in the service's folder of secrets"`
	Created    time.Time `json:"created" readOnly:"true" required:"false"`
}

// ConnectionTry says whether a connection's database answers.
type ConnectionTry struct {
	Reached bool   `json:"reached"`
	Problem string `json:"problem,omitempty"`
}

// PeriodCodes is a calendar that translates a house's own period codes.
type PeriodCodes struct {
	Name    string    `json:"name"`
	Source  string    `json:"source"`
	Codes   int       `json:"codes"`
	First   string    `json:"first" doc:"earliest day of a code"`
	Last    string    `json:"last" doc:"latest first day of a code"`
	Created time.Time `json:"created"`
}

// Event is something named that may move the measure.
type Event struct {
	Name      string            `json:"name"`
	Where     map[string]string `json:"where,omitempty" doc:"the attribute values it is limited to"`
	Before    int               `json:"before" doc:"days before it that it may move too"`
	After     int               `json:"after"`
	Series    int               `json:"series" doc:"how many series it concerns"`
	Past      int               `json:"past" doc:"occasions within the dataset's periods"`
	Ahead     int               `json:"ahead" doc:"later occasions"`
	Occasions []Occasion        `json:"occasions" doc:"the first two hundred that touch the dataset's periods or lie ahead"`
}

// Occasion is one time at which an event happens, from its first to its last day, or
// time.
type Occasion struct {
	First string `json:"first"`
	Last  string `json:"last"`
}

// EventsLoaded answers a load of events.
type EventsLoaded struct {
	Dataset  Dataset  `json:"dataset"`
	Events   []Event  `json:"events"`
	Replaced int      `json:"replaced" doc:"events of the same names that were there before"`
	Cautions []string `json:"cautions,omitempty"`
}

// SeriesEvent is an event as one series meets it.
type SeriesEvent struct {
	Name  string `json:"name"`
	Spans []Span `json:"spans"`
}

// Span is an occasion laid on the periods of a series, counted from its first; those
// after its last value go on in what is ahead.
type Span struct {
	Occasion
	From int `json:"from"`
	To   int `json:"to"`
}
