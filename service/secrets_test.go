package service_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
	"paperkettle/service"
)

// The service sends no file anywhere but those of the folder that it was given for that.
func TestSecretsComeFromTheirFolder(t *testing.T) {
	c, _ := start(t, t.TempDir())
	wanted := api.Connection{Name: "till", Kind: "postgresql", Address: "postgresql://u@127.0.0.1:1/d", SecretFile: "/etc/hostname"}
	_, err := c.AddConnection(ctx, wanted)
	assert.ErrorContains(t, err, "without a folder of secrets")

	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "till"), []byte("pass\n"), 0o600))
	require.NoError(t, os.Symlink("/etc/hostname", filepath.Join(folder, "link")))
	s, err := service.Start(service.Config{Data: t.TempDir(), Listen: "127.0.0.1:0", Workers: 1, Secrets: folder})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	c, err = client.New(s.Address())
	require.NoError(t, err)
	for file, says := range map[string]string{"/etc/hostname": "outside the folder", "../x": "outside the folder", "": ""} {
		wanted.SecretFile = file
		if _, err = c.AddConnection(ctx, wanted); says != "" {
			assert.ErrorContains(t, err, says)
		}
	}
	for name, says := range map[string]string{"link": "can't be read", "nowhere": "no such file", "till": "can't be reached"} {
		wanted.Name, wanted.SecretFile = name, name
		if name == "till" {
			wanted.Name, wanted.SecretFile = "inside", filepath.Join(folder, "till")
		}
		_, err = c.AddConnection(ctx, wanted)
		require.NoError(t, err)
		got, err := c.TryConnection(ctx, wanted.Name)
		if err == nil {
			assert.Contains(t, got.Problem, says)
		} else {
			assert.ErrorContains(t, err, says)
		}
	}
}
