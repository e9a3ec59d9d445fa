// Package api is the contract between the service and its clients: the routes and
// the types that cross them. It knows nothing of the service.
package api

import (
	"net/http"
)

// Prefix is where the routes live.
const Prefix = "/api/v1"

// Route is one operation. Path is below Prefix, with parameters in braces.
type Route struct {
	ID      string
	Method  string
	Path    string
	Tag     string
	Summary string
	Role    Role
	Status  int // of success; 0 means 200
}

// Role is what a token allows; each role includes those before it.
type Role string

// The roles.
const (
	Reader    Role = "reader"
	Analyst   Role = "analyst"
	Publisher Role = "publisher"
	Admin     Role = "admin"
)

// Roles in rising order.
var Roles = []Role{Reader, Analyst, Publisher, Admin}

// The routes of the service.
var (
	ListDatasets  = Route{"list-datasets", http.MethodGet, "/datasets", "data", "List datasets", Reader, 0}
	GetDataset    = Route{"get-dataset", http.MethodGet, "/datasets/{dataset}", "data", "Show a dataset with its revisions", Reader, 0}
	RemoveDataset = Route{"remove-dataset", http.MethodDelete, "/datasets/{dataset}", "data",
		"Remove a dataset with its bake-offs and releases", Admin, 204}
	UndoRevision = Route{"undo-revision", http.MethodDelete, "/datasets/{dataset}/revisions/{revision}", "data",
		"Take back a dataset's newest revision, on which nothing stands", Analyst, 0}
	DiffRevisions = Route{"diff-revisions", http.MethodGet, "/datasets/{dataset}/difference", "data",
		"Say what tells two revisions apart: which values were restated, old and new", Reader, 0}
	CheckDataset = Route{"check-dataset", http.MethodGet, "/datasets/{dataset}/check", "data", "Say what in a dataset deserves a look", Reader, 0}
	LoadDataset  = Route{"load-dataset", http.MethodPost, "/datasets/{dataset}/loads", "data",
		"Load a file as a new revision (the body is the file)", Analyst, 201}
	AttachDrivers = Route{"attach-drivers", http.MethodPost, "/datasets/{dataset}/attachments", "data",
		"Join drivers from another table by time and attributes (the body is the file)", Analyst, 201}
	InspectFile = Route{"inspect-file", http.MethodPost, "/inspect", "data",
		"Say how a file would be read, without loading it (the body is the file)", Analyst, 0}
	LoadActuals = Route{"load-actuals", http.MethodPost, "/datasets/{dataset}/actuals", "data",
		"Append actuals, score the live release and flag what lies outside (the body is the file)", Analyst, 201}
	ListSeries = Route{"list-series", http.MethodGet, "/datasets/{dataset}/series", "data", "List the series of a dataset", Reader, 0}
	GetSpread  = Route{"get-spread", http.MethodGet, "/datasets/{dataset}/spread", "data",
		"Read the distribution over series at each period", Reader, 0}
	GetParts = Route{"get-parts", http.MethodGet, "/datasets/{dataset}/series/parts", "data",
		"Take one series apart into trend, seasons and rest by local regression", Reader, 0}
	GetProfile = Route{"get-profile", http.MethodGet, "/datasets/{dataset}/series/profile", "data",
		"Read one series' seasonal profiles and autocorrelation", Reader, 0}
	LoadEvents = Route{"load-events", http.MethodPost, "/datasets/{dataset}/events", "data",
		"Load events from iCalendar or a table as a new revision (the body is the file)", Analyst, 201}
	ListEvents  = Route{"list-events", http.MethodGet, "/datasets/{dataset}/events", "data", "List a dataset's events", Reader, 0}
	RemoveEvent = Route{"remove-event", http.MethodDelete, "/datasets/{dataset}/events/{event}", "data",
		"Remove an event, in a new revision", Analyst, 204}
	GetClosed = Route{"get-closed", http.MethodGet, "/datasets/{dataset}/closed", "data", "Show which periods are known not to happen", Reader, 0}
	SetClosed = Route{"set-closed", http.MethodPut, "/datasets/{dataset}/closed", "data",
		"Say which periods are known not to happen, in a new revision", Analyst, 0}
	ExportDataset = Route{"export-dataset", http.MethodGet, "/datasets/{dataset}/export", "data", "Stream series as CSV, a row a period", Reader, 0}
	GetSeries     = Route{"get-series", http.MethodGet, "/datasets/{dataset}/series/values", "data", "Show the values of one series", Reader, 0}

	ListConnections = Route{"list-connections", http.MethodGet, "/connections", "sources", "List the databases that loads can ask", Analyst, 0}
	AddConnection   = Route{"add-connection", http.MethodPost, "/connections", "sources",
		"Add a connection; its secret stays in the service's environment or a file", Admin, 201}
	TryConnection = Route{"try-connection", http.MethodPost, "/connections/{name}/try", "sources",
		"See whether a connection's database answers", Analyst, 0}
	RemoveConnection = Route{"remove-connection", http.MethodDelete, "/connections/{name}", "sources", "Remove a connection", Admin, 204}
	ListCodes        = Route{"list-codes", http.MethodGet, "/codes", "sources", "List the calendars of period codes", Reader, 0}
	LoadCodes        = Route{"load-codes", http.MethodPost, "/codes/{name}", "sources",
		"Load a calendar that translates period codes (the body is the file)", Analyst, 201}
	RemoveCodes = Route{"remove-codes", http.MethodDelete, "/codes/{name}", "sources", "Remove period codes", Analyst, 204}

	ListFamilies = Route{"list-families", http.MethodGet, "/families", "models", "List the model families of the catalogue", Reader, 0}
	ListMetrics  = Route{"list-metrics", http.MethodGet, "/metrics", "models", "List the metrics that standings know, with their meaning", Reader, 0}
	GetFamily    = Route{"get-family", http.MethodGet, "/families/{family}", "models", "Show a family with its settings", Reader, 0}

	ForecastTable = Route{"forecast-table", http.MethodPost, "/forecast", "models",
		"Forecast a table's series at once, keeping nothing (the body is the table)", Analyst, 0}

	DrawSplit     = Route{"draw-split", http.MethodPost, "/split", "bake-offs", "Lay the windows of a plan on a dataset, without running it", Reader, 0}
	ListBakeoffs  = Route{"list-bakeoffs", http.MethodGet, "/bakeoffs", "bake-offs", "List bake-offs, newest first", Reader, 0}
	StartBakeoff  = Route{"start-bakeoff", http.MethodPost, "/bakeoffs", "bake-offs", "Start a bake-off", Analyst, 202}
	GetBakeoff    = Route{"get-bakeoff", http.MethodGet, "/bakeoffs/{bakeoff}", "bake-offs", "Show a bake-off with its plan and progress", Reader, 0}
	CancelBakeoff = Route{"cancel-bakeoff", http.MethodPost, "/bakeoffs/{bakeoff}/cancel", "bake-offs",
		"Cancel a bake-off; what is done stays", Analyst, 0}
	ResumeBakeoff = Route{"resume-bakeoff", http.MethodPost, "/bakeoffs/{bakeoff}/resume", "bake-offs",
		"Run what a cancelled or failed bake-off lacks", Analyst, 202}
	GetStandings  = Route{"get-standings", http.MethodGet, "/bakeoffs/{bakeoff}/standings", "bake-offs", "Read the standings, whole or cut", Reader, 0}
	GetCurves     = Route{"get-curves", http.MethodGet, "/bakeoffs/{bakeoff}/curves", "bake-offs", "Read one series' actuals and forecasts", Reader, 0}
	ExportBakeoff = Route{"export-bakeoff", http.MethodGet, "/bakeoffs/{bakeoff}/export", "bake-offs",
		"Stream every forecast point as CSV, JSON Lines, XLSX or Parquet", Reader, 0}

	RemoveBakeoff = Route{"remove-bakeoff", http.MethodDelete, "/bakeoffs/{bakeoff}", "bake-offs",
		"Remove a bake-off with all that it forecast", Publisher, 204}
	PauseBakeoff  = Route{"pause-bakeoff", http.MethodPost, "/bakeoffs/{bakeoff}/pause", "bake-offs", "Pause a bake-off; resume goes on", Analyst, 0}
	AddContenders = Route{"add-contenders", http.MethodPost, "/bakeoffs/{bakeoff}/contenders", "bake-offs",
		"Enter further contenders: only what is new runs", Analyst, 202}
	GetTuning = Route{"get-tuning", http.MethodGet, "/bakeoffs/{bakeoff}/tuning", "bake-offs",
		"Read every combination of settings that was tried", Reader, 0}
	GetDuel = Route{"get-duel", http.MethodGet, "/bakeoffs/{bakeoff}/duel", "bake-offs",
		"Set two contenders against each other, series by series", Reader, 0}
	GetFit = Route{"get-fit", http.MethodGet, "/bakeoffs/{bakeoff}/fit", "bake-offs",
		"Explain how a contender was fitted to a series: form, parameters, components, tests", Reader, 0}
	GetResiduals = Route{"get-residuals", http.MethodGet, "/bakeoffs/{bakeoff}/residuals", "bake-offs",
		"Read one contender's errors over time, their distribution and cycles", Reader, 0}
	ExportStandings = Route{"export-standings", http.MethodGet, "/bakeoffs/{bakeoff}/standings/export", "bake-offs",
		"Stream the standings as CSV, JSON Lines, XLSX or Parquet", Reader, 0}
	GetReport = Route{"get-report", http.MethodGet, "/bakeoffs/{bakeoff}/report", "bake-offs", "A report that stands by itself, as HTML",
		Reader, 0}
	SetPriority = Route{"set-priority", http.MethodPost, "/jobs/{job}/priority", "jobs", "Move a job in the queue", Analyst, 0}

	ListJobs     = Route{"list-jobs", http.MethodGet, "/jobs", "jobs", "List jobs, newest first", Reader, 0}
	GetJob       = Route{"get-job", http.MethodGet, "/jobs/{job}", "jobs", "Show a job", Reader, 0}
	WatchJob     = Route{"watch-job", http.MethodGet, "/jobs/{job}/progress", "jobs", "Follow a job's progress (server-sent events)", Reader, 0}
	CancelJob    = Route{"cancel-job", http.MethodPost, "/jobs/{job}/cancel", "jobs", "Cancel a job", Analyst, 0}
	ListReleases = Route{"list-releases", http.MethodGet, "/releases", "releases", "List releases, newest first", Reader, 0}

	PublishRelease = Route{"publish-release", http.MethodPost, "/releases", "releases",
		"Refit a contender on all data and publish its interval forecast", Publisher, 202}
	GetRelease      = Route{"get-release", http.MethodGet, "/releases/{release}", "releases", "Show a release with its live score", Reader, 0}
	GetReleaseCurve = Route{"get-release-curve", http.MethodGet, "/releases/{release}/curve", "releases",
		"Read one series' history, forecast and intervals", Reader, 0}
	GetTotals = Route{"get-release-totals", http.MethodGet, "/releases/{release}/totals", "releases",
		"Read the sums of a release over series and steps, in the whole and by an attribute", Reader, 0}
	ExportRelease   = Route{"export-release", http.MethodGet, "/releases/{release}/export", "releases", "Stream the release as CSV", Reader, 0}
	WithdrawRelease = Route{"withdraw-release", http.MethodPost, "/releases/{release}/withdraw", "releases",
		"Withdraw a release; the one that it replaced is live again", Publisher, 0}
	PreviewRelease = Route{"preview-release", http.MethodPost, "/releases/preview", "releases",
		"Say what publishing would give and what it would need consent for", Reader, 0}
	ReviveRelease = Route{"revive-release", http.MethodPost, "/releases/{release}/live", "releases", "Put a held or an earlier release live",
		Publisher, 0}
	RemoveRelease = Route{"remove-release", http.MethodDelete, "/releases/{release}", "releases",
		"Remove a release that is not live, with its flags and scenarios", Publisher, 204}

	ListScenarios = Route{"list-scenarios", http.MethodGet, "/scenarios", "scenarios", "List scenarios, newest first", Reader, 0}
	RunScenario   = Route{"run-scenario", http.MethodPost, "/scenarios", "scenarios",
		"Forecast under other drivers and events, case by case, beside the base", Analyst, 202}
	RemoveScenario   = Route{"remove-scenario", http.MethodDelete, "/scenarios/{scenario}", "scenarios", "Remove a scenario", Analyst, 204}
	GetScenario      = Route{"get-scenario", http.MethodGet, "/scenarios/{scenario}", "scenarios", "Show a scenario with its totals", Reader, 0}
	GetScenarioCurve = Route{"get-scenario-curve", http.MethodGet, "/scenarios/{scenario}/curve", "scenarios",
		"Read one series, or the sum of all, under every case", Reader, 0}
	ExportScenario = Route{"export-scenario", http.MethodGet, "/scenarios/{scenario}/export", "scenarios",
		"Stream every series, case and step", Reader, 0}
	GetDriversAhead = Route{"get-drivers-ahead", http.MethodGet, "/releases/{release}/drivers", "scenarios",
		"Read the drivers and events that a release knows ahead: what a scenario changes", Reader, 0}
	ListFeatures = Route{"list-features", http.MethodGet, "/datasets/{dataset}/features", "models",
		"List what declared features stand for in a dataset, with their meaning", Reader, 0}

	ListFlags   = Route{"list-flags", http.MethodGet, "/flags", "flags", "List flags, the farthest out first", Reader, 0}
	GetFlag     = Route{"get-flag", http.MethodGet, "/flags/{flag}", "flags", "Show a flag", Reader, 0}
	SettleFlags = Route{"settle-flags", http.MethodPost, "/flags/settle", "flags", "Say of several flags at once what they were", Analyst, 0}
	SettleFlag  = Route{"settle-flag", http.MethodPost, "/flags/{flag}/settle", "flags", "Say what a flag was", Analyst, 0}

	ListTokens  = Route{"list-tokens", http.MethodGet, "/tokens", "access", "List tokens, without their secrets", Admin, 0}
	CreateToken = Route{"create-token", http.MethodPost, "/tokens", "access", "Create a token; its secret is shown this once", Admin, 201}
	RevokeToken = Route{"revoke-token", http.MethodDelete, "/tokens/{token}", "access", "Revoke a token", Admin, 204}
	ListAudit   = Route{"list-audit", http.MethodGet, "/audit", "access", "List who did what, newest first", Admin, 0}
)

// Routes lists them all.
var Routes = []Route{
	ListDatasets, GetDataset, RemoveDataset, UndoRevision, DiffRevisions, CheckDataset, AttachDrivers, InspectFile, LoadDataset, LoadActuals,
	ListSeries, GetSeries, GetSpread, GetProfile, GetParts, ExportDataset, LoadEvents, ListEvents, RemoveEvent, GetClosed, SetClosed,
	ListConnections, AddConnection, TryConnection, RemoveConnection, ListCodes, LoadCodes, RemoveCodes,
	ListFamilies, ListMetrics, GetFamily, ForecastTable,
	DrawSplit, ListBakeoffs, StartBakeoff, GetBakeoff, CancelBakeoff, ResumeBakeoff, GetStandings, GetCurves, ExportBakeoff,
	PauseBakeoff, RemoveBakeoff, AddContenders, GetTuning, GetDuel, GetResiduals, GetFit, ExportStandings, GetReport, SetPriority,
	ListJobs, GetJob, WatchJob, CancelJob,
	ListReleases, PublishRelease, GetRelease, GetReleaseCurve, GetTotals, ExportRelease, WithdrawRelease, PreviewRelease, ReviveRelease, RemoveRelease,
	ListScenarios, RunScenario, RemoveScenario, GetScenario, GetScenarioCurve, ExportScenario, GetDriversAhead, ListFeatures,
	ListFlags, GetFlag, SettleFlags, SettleFlag,
	ListTokens, CreateToken, RevokeToken, ListAudit,
}
