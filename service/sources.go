package service

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/ingest"
	"paperkettle/store"
)

// registerSources adds what rows come from: connections and period codes.
func (s *Server) registerSources() {
	type named struct {
		Name string `path:"name"`
	}
	handle(s, api.ListConnections, func(ctx context.Context, _ *struct{}) (api.Page[api.Connection], error) {
		var list []store.Connection
		err := s.store.Read(ctx).Order("name").Find(&list).Error
		out := api.Page[api.Connection]{Items: []api.Connection{}, Total: len(list)}
		for _, c := range list {
			out.Items = append(out.Items, connectionOf(c))
		}
		return out, err
	})
	handle(s, api.AddConnection, func(ctx context.Context, in *struct{ Body api.Connection }) (api.Connection, error) {
		return s.addConnection(ctx, in.Body)
	})
	handle(s, api.TryConnection, func(ctx context.Context, in *named) (api.ConnectionTry, error) {
		c, err := s.connection(ctx, in.Name)
		if err != nil {
			return api.ConnectionTry{}, err
		}
		if err := c.Reach(ctx); err != nil {
			return api.ConnectionTry{Problem: err.Error()}, nil
		}
		return api.ConnectionTry{Reached: true}, nil
	})
	handleEmpty(s, api.RemoveConnection, func(ctx context.Context, in *named) error {
		return s.removeNamed(ctx, &store.Connection{}, in.Name, "connection")
	})
	handle(s, api.ListCodes, func(ctx context.Context, _ *struct{}) (api.Page[api.PeriodCodes], error) {
		var list []store.PeriodCodes
		err := s.store.Read(ctx).Omit("days").Order("name").Find(&list).Error
		out := api.Page[api.PeriodCodes]{Items: []api.PeriodCodes{}, Total: len(list)}
		for _, c := range list {
			out.Items = append(out.Items, codesOf(c))
		}
		return out, err
	})
	handle(s, api.LoadCodes, s.loadCodes)
	handleEmpty(s, api.RemoveCodes, func(ctx context.Context, in *named) error {
		return s.removeNamed(ctx, &store.PeriodCodes{}, in.Name, "period codes")
	})
	s.takesFile(api.LoadCodes)
}

// takesFile says in the contract that a route's body is a file.
func (s *Server) takesFile(routes ...api.Route) {
	for _, r := range routes {
		op := s.contract.OpenAPI().Paths[r.Path].Post
		op.Metadata[ofFile] = true
		op.RequestBody = &huma.RequestBody{Required: true,
			Content: map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: "string", Format: "binary"}}}}
	}
}

func (s *Server) removeNamed(ctx context.Context, record any, name, kind string) error {
	return s.store.Write(ctx, func(tx *gorm.DB) error {
		res := tx.Where("name = ?", name).Delete(record)
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			return notFound("no %s is called %q", kind, name)
		}
		return note(ctx, tx, "remove "+kind, name, "")
	})
}

func connectionOf(c store.Connection) api.Connection {
	return api.Connection{Name: c.Name, Kind: c.Kind, Address: c.Address, SecretEnv: c.SecretEnv, SecretFile: c.SecretFile, Created: c.CreatedAt}
}

var secretEnv = regexp.MustCompile(`^PAPERKETTLE_[A-Z0-9_]{1,80}$`)

func (s *Server) addConnection(ctx context.Context, in api.Connection) (api.Connection, error) {
	switch {
	case !datasetName.MatchString(in.Name):
		return in, invalid("body.name", "%q can't name a connection: use up to 80 letters, digits, blanks, points, dashes and underscores, "+
			"beginning with a letter or digit", in.Name)
	case in.SecretEnv != "" && in.SecretFile != "":
		return in, invalid("body.secret_env", "give the secret's environment variable or its file, not both")
	case in.SecretEnv != "" && !secretEnv.MatchString(in.SecretEnv):
		return in, invalid("body.secret_env", "the variable's name begins with PAPERKETTLE_, so that no other of the service's can be asked for")
	}
	if in.SecretFile != "" {
		if _, err := s.secretPlace(in.SecretFile); err != nil {
			return in, invalid("body.secret_file", "%v", err)
		}
	}
	if err := (ingest.Connection{Kind: in.Kind, Address: in.Address}).CheckAddress(); err != nil {
		return in, invalid("body.address", "%v", err)
	}
	if in.Kind == ingest.SQLite && s.store.Owns(in.Address) {
		return in, invalid("body.address", "the service's own data can't be a connection")
	}
	rec := store.Connection{Name: in.Name, Kind: in.Kind, Address: in.Address, SecretEnv: in.SecretEnv, SecretFile: in.SecretFile,
		CreatedAt: time.Now().UTC()}
	err := s.store.Write(ctx, func(tx *gorm.DB) error {
		var n int64
		if err := tx.Model(&store.Connection{}).Where("name = ?", in.Name).Count(&n).Error; err != nil {
			return err
		}
		if n > 0 {
			return conflict("there is a connection called %q already: remove it first", in.Name)
		}
		if err := tx.Create(&rec).Error; err != nil {
			return err
		}
		return note(ctx, tx, "add connection", in.Name, in.Address)
	})
	return connectionOf(rec), err
}

// connection finds a connection with its secret.
func (s *Server) connection(ctx context.Context, name string) (ingest.Connection, error) {
	var rec store.Connection
	if err := s.store.Read(ctx).Where("name = ?", name).First(&rec).Error; err != nil {
		if errors.Is(err, store.ErrNotFound) {
			return ingest.Connection{}, notFound("no connection is called %q: an admin adds one with 'paperkettle connection add'", name)
		}
		return ingest.Connection{}, err
	}
	if rec.Kind == ingest.SQLite && s.store.Owns(rec.Address) {
		return ingest.Connection{}, invalid("query.connection", "the service's own data can't be a connection")
	}
	c := ingest.Connection{Name: rec.Name, Kind: rec.Kind, Address: rec.Address}
	var err error
	c.Secret, err = s.secretOf(rec)
	return c, err
}

// mostSecret bounds a file that holds a password.
const mostSecret = 4 << 10

func (s *Server) secretOf(rec store.Connection) (string, error) {
	switch {
	case rec.SecretEnv != "":
		v, ok := os.LookupEnv(rec.SecretEnv)
		if !ok {
			return "", invalid("query.connection", "connection %q: the service has no environment variable %s", rec.Name, rec.SecretEnv)
		}
		return v, nil
	case rec.SecretFile != "":
		b, err := s.readSecret(rec.SecretFile)
		if err != nil {
			return "", invalid("query.connection", "connection %q: the service can't read the file of its secret: %v", rec.Name, err)
		}
		return strings.TrimRight(string(b), "\r\n"), nil
	}
	return "", nil
}

// secretPlace is where in the folder of secrets a file lies: an admin of the service is no admin of
// its machine, and sends nothing else of it anywhere.
func (s *Server) secretPlace(file string) (string, error) {
	if s.secrets == "" {
		return "", errors.New("the service was started without a folder of secrets: start it with --secrets DIR, or name an environment variable")
	}
	place := file
	if filepath.IsAbs(file) {
		var err error
		if place, err = filepath.Rel(s.secrets, file); err != nil {
			return "", errors.New("it lies outside the folder of secrets")
		}
	}
	if !filepath.IsLocal(place) {
		return "", errors.New("it lies outside the folder of secrets")
	}
	return place, nil
}

func (s *Server) readSecret(file string) ([]byte, error) {
	place, err := s.secretPlace(file)
	if err != nil {
		return nil, err
	}
	root, err := os.OpenRoot(s.secrets) // which no link leads out of
	if err != nil {
		return nil, errors.New("the folder of secrets can't be opened")
	}
	defer root.Close()
	f, err := root.Open(place)
	if err != nil {
		return nil, errors.New("there is no such file in the folder of secrets, or it can't be read")
	}
	defer f.Close()
	return io.ReadAll(io.LimitReader(f, mostSecret))
}

func codesOf(c store.PeriodCodes) api.PeriodCodes {
	return api.PeriodCodes{Name: c.Name, Source: c.Source, Codes: c.Count, First: c.First, Last: c.Last, Created: c.CreatedAt}
}

func (s *Server) loadCodes(ctx context.Context, in *struct {
	Name string `path:"name"`
	Code string `query:"code" required:"true" doc:"column of the codes"`
	SentFile
}) (api.PeriodCodes, error) {
	var out api.PeriodCodes
	if !datasetName.MatchString(in.Name) {
		return out, invalid("path.name", "%q can't name period codes: use up to 80 letters, digits, blanks, points, dashes and underscores, "+
			"beginning with a letter or digit", in.Name)
	}
	if in.Time == "" {
		return out, invalid("query.time", "name the column of the dates")
	}
	src, err := s.source(ctx, &in.SentFile, in.LoadColumns)
	if err != nil {
		return out, err
	}
	days, err := ingest.ReadCodes(src.reader, src.name, src.form, in.Code, in.Time, in.DateOrder)
	if err != nil {
		return out, err
	}
	if err := wholeFile(ctx); err != nil {
		return out, err
	}
	all := make([]string, 0, len(days))
	for _, d := range days {
		all = append(all, d)
	}
	packed, err := json.Marshal(days)
	if err != nil {
		return out, err
	}
	rec := store.PeriodCodes{Name: in.Name, Source: src.name, Count: len(days), First: slices.Min(all), Last: slices.Max(all), Days: packed,
		CreatedAt: time.Now().UTC()}
	err = s.store.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.Where("name = ?", in.Name).Delete(&store.PeriodCodes{}).Error; err != nil {
			return err
		}
		if err := tx.Create(&rec).Error; err != nil {
			return err
		}
		return note(ctx, tx, "load period codes", in.Name, src.name)
	})
	return codesOf(rec), err
}

func (s *Server) codes(ctx context.Context, name string) (*ingest.Codes, error) {
	var rec store.PeriodCodes
	if err := s.store.Read(ctx).Where("name = ?", name).First(&rec).Error; err != nil {
		if errors.Is(err, store.ErrNotFound) {
			return nil, notFound("no period codes are called %q: load them with 'paperkettle codes load'", name)
		}
		return nil, err
	}
	c := &ingest.Codes{Name: name}
	return c, json.Unmarshal(rec.Days, &c.Days)
}
