package service_test

import (
	"log"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"paperkettle/client"
	"paperkettle/demo"
	"paperkettle/service"
)

// root holds what tests share; it goes when all are done.
var root string

// made is the folder of a service in which the demo has run, made once for all tests.
var made = sync.OnceValues(func() (string, error) {
	folder := filepath.Join(root, "demo")
	s, err := service.Start(service.Config{Data: folder, Listen: "127.0.0.1:0", Workers: 2})
	if err != nil {
		return "", err
	}
	c, err := client.New(s.Address())
	if err == nil {
		err = demo.SetUp(ctx, c, func(string) {})
	}
	if closed := s.Close(); err == nil {
		err = closed
	}
	return folder, err
})

// withDemo gives a copy of the demo's folder: what a test does to it is its own affair.
func withDemo(t *testing.T) string {
	t.Helper()
	folder, err := made()
	require.NoError(t, err)
	own := t.TempDir()
	require.NoError(t, os.CopyFS(own, os.DirFS(folder)))
	return own
}

func TestMain(m *testing.M) {
	var err error
	if root, err = os.MkdirTemp("", "paperkettle"); err != nil {
		log.Fatal(err)
	}
	code := m.Run()
	_ = os.RemoveAll(root)
	os.Exit(code)
}
