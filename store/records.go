package store

import "time"

// Dataset is a named set of series.
type Dataset struct {
	ID        uint
	Name      string
	CreatedAt time.Time
}

// Revision is one immutable load of a dataset. Meta is the panel without its
// values, Changes what the load did to the revision before, both as JSON.
type Revision struct {
	ID          uint
	DatasetID   uint
	Number      int
	Hash        string
	Source      string
	RowCount    int
	SeriesCount int
	ValueCount  int
	Meta        string
	Changes     string
	Recipe      string // how its file was read and what its columns were, as JSON; empty where no file was loaded
	CreatedAt   time.Time
}

// RevisionChunk holds some series of a revision, packed.
type RevisionChunk struct {
	RevisionID uint `gorm:"primaryKey"`
	Chunk      int  `gorm:"primaryKey"`
	Data       []byte
}

// Job states.
const (
	Queued    = "queued"
	Running   = "running"
	Done      = "done"
	Failed    = "failed"
	Cancelled = "cancelled"
	Paused    = "paused"
)

// Job is a piece of long work.
type Job struct {
	ID         uint
	Kind       string
	RefID      uint
	State      string
	Priority   int // higher first
	Done       int
	Total      int
	Error      string
	CreatedAt  time.Time
	StartedAt  *time.Time
	FinishedAt *time.Time
}

// Over says whether the job will do no more.
func (j Job) Over() bool { return j.State == Done || j.State == Failed || j.State == Cancelled }

// Bakeoff is a comparison. Plan is JSON.
type Bakeoff struct {
	ID         uint
	Name       string
	DatasetID  uint
	RevisionID uint
	Plan       string
	Versions   string // of the families and formats that its results are of, as JSON
	JobID      uint
	CreatedAt  time.Time
}

// Result is what one task made.
type Result struct {
	BakeoffID uint `gorm:"primaryKey"`
	Win       int  `gorm:"primaryKey"`
	Contender int  `gorm:"primaryKey"`
	Shard     int  `gorm:"primaryKey"`
	Errors    []byte
	Scores    []byte
	Forecasts []byte
}

// TaskFacts are the small things worth knowing of a task.
type TaskFacts struct {
	BakeoffID uint   `gorm:"primaryKey"`
	Win       int    `gorm:"primaryKey"`
	Contender int    `gorm:"primaryKey"`
	Shard     int    `gorm:"primaryKey"`
	Filled    string // JSON; empty where nothing failed
	Tuned     string // JSON, of contenders that are tuned
	Found     string // JSON: what was found for each of the series at the last training, in a few words; empty where nothing was
	Newcomers string // JSON: how series without a past were forecast in the window, which are assessed apart; empty where none was
	Took      int64  // nanoseconds of a worker's time
	Bytes     int64  // that the trained contender takes, where it was measured
}

// Summary is a bake-off's standings as read once, under the cut that was asked.
type Summary struct {
	BakeoffID uint   `gorm:"primaryKey"`
	Cut       string `gorm:"primaryKey"`
	Data      []byte
}

// Release states; preparing until its job is done.
const (
	Preparing  = "preparing"
	Held       = "held" // ready, but not put live without a word of consent
	Live       = "live"
	Superseded = "superseded"
	Withdrawn  = "withdrawn"
	Broken     = "failed"
)

// Release is a published interval forecast.
type Release struct {
	ID         uint
	DatasetID  uint
	RevisionID uint
	BakeoffID  uint
	JobID      uint
	Contender  string
	Horizon    int
	Levels     string
	State      string
	Live       string
	Consent    string // words apart by blanks
	Held       string // why it is held
	CreatedAt  time.Time
}

// ReleasePart holds the forecasts of some series of a release, packed. Notes is
// JSON: for each series of the part its contender, or why it was left out.
type ReleasePart struct {
	ReleaseID uint `gorm:"primaryKey"`
	Part      int  `gorm:"primaryKey"`
	Notes     string
	Forecasts []byte
}

// Flag states.
const (
	FlagOpen     = "open"
	FlagSettled  = "settled"
	FlagRestated = "restated" // a later load moved the actual inside the interval
)

// Flag is an actual outside a release's interval.
type Flag struct {
	ID        uint
	ReleaseID uint
	Series    string
	Step      int
	Period    string
	Actual    float64
	Forecast  float64
	Low       float64
	High      float64
	Level     float64
	Severity  float64
	RankBy    float64
	State     string
	SettledAs string
	Note      string
	SettledBy string
	CreatedAt time.Time
	SettledAt *time.Time
}

// Token lets someone in. Hash is the SHA-256 of the secret, in hex.
type Token struct {
	ID        uint
	Name      string
	Hash      string
	Role      string
	CreatedAt time.Time
}

// Audit is a line of who did what.
type Audit struct {
	ID     uint
	At     time.Time
	Who    string
	Action string
	Object string
	Detail string
}

// Replay is the answer to a write that carried an idempotency key.
type Replay struct {
	Key         string `gorm:"primaryKey"`
	Request     string
	Status      int
	ContentType string
	Body        []byte
	CreatedAt   time.Time
}

// Connection says how to reach a database. Its secret is not kept here: SecretEnv or
// SecretFile say where it is.
type Connection struct {
	ID         uint
	Name       string
	Kind       string
	Address    string
	SecretEnv  string
	SecretFile string
	CreatedAt  time.Time
}

// PeriodCodes translate the codes of a house's own periods into dates. Days is JSON:
// for each code its first day.
type PeriodCodes struct {
	ID        uint
	Name      string
	Source    string
	Count     int
	First     string
	Last      string
	Days      []byte
	CreatedAt time.Time
}

// TableName keeps the plural as it is.
func (PeriodCodes) TableName() string { return "period_codes" }

// Scenario states; preparing until its job is done.
const ScenarioReady = "ready"

// Scenario is a forecast under other drivers and events, case by case. Cases and Cautions
// are JSON. ReleaseID is 0 where it is asked of a bake-off's contender.
type Scenario struct {
	ID         uint
	Name       string
	DatasetID  uint
	RevisionID uint
	BakeoffID  uint
	ReleaseID  uint
	JobID      uint
	Contender  string
	Horizon    int
	Levels     string
	Fill       string
	Cases      string
	Cautions   string
	State      string
	CreatedAt  time.Time
}

// ScenarioPart holds what the cases come to for some series, as gob.
type ScenarioPart struct {
	ScenarioID uint `gorm:"primaryKey"`
	Part       int  `gorm:"primaryKey"`
	Data       []byte
}

// Artefact is a trained contender that is kept under what it was trained on. It is ready once
// all its parts are there.
type Artefact struct {
	ID        uint
	Key       string
	Contender string
	Series    int
	Bytes     int64 // of all parts
	Ready     bool
	UsedAt    time.Time
}

// ArtefactPart is a piece of one: what its series share, or what some of them have of their own.
type ArtefactPart struct {
	ArtefactID uint `gorm:"primaryKey"`
	Part       int  `gorm:"primaryKey"`
	Data       []byte
}

// Checkpoint is the last state of a task that takes long, from which it goes on after a stop.
type Checkpoint struct {
	JobID uint   `gorm:"primaryKey"`
	Task  string `gorm:"primaryKey"`
	Data  []byte
}
