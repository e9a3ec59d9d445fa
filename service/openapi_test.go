package service_test

import (
	"encoding/json"
	"flag"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/service"
)

var update = flag.Bool("update", false, "write openapi.json anew")

// The committed document is what the TypeScript client is made from: it must be
// what the Go types say.
func TestOpenAPIDocumentIsCurrent(t *testing.T) {
	got, err := service.OpenAPI()
	require.NoError(t, err)
	got = append(got, '\n')
	if *update {
		require.NoError(t, os.WriteFile("openapi.json", got, 0o644))
	}
	want, err := os.ReadFile("openapi.json")
	require.NoError(t, err)
	require.True(t, string(want) == string(got), "the document is not what the types say: run 'make contract'")
}

// Every route that the Go client can call is in the document, with its method.
func TestOpenAPIDocumentHoldsEveryRoute(t *testing.T) {
	b, err := service.OpenAPI()
	require.NoError(t, err)
	var doc struct {
		Paths map[string]map[string]struct {
			OperationID string `json:"operationId"`
		}
	}
	require.NoError(t, json.Unmarshal(b, &doc))
	n := 0
	for _, operations := range doc.Paths {
		n += len(operations)
	}
	require.Equal(t, len(api.Routes), n)
	for _, r := range api.Routes {
		require.Equal(t, r.ID, doc.Paths[r.Path][strings.ToLower(r.Method)].OperationID, r.Path)
	}
}
