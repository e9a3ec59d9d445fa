package service_test

import (
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
	"paperkettle/service"
)

// post sends a request by hand, as a stranger might.
func post(t *testing.T, address, path, token, key string, body io.Reader) (int, string) {
	t.Helper()
	req, err := http.NewRequest(http.MethodPost, address+api.Prefix+path, body)
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	if token != "" {
		req.Header.Set("Authorization", "bearer "+token)
	}
	if key != "" {
		req.Header.Set("Idempotency-Key", key)
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res.StatusCode, string(b)
}

// zeros is a body without end.
type zeros struct{ left int }

func (z *zeros) Read(p []byte) (int, error) {
	if z.left <= 0 {
		return 0, io.EOF
	}
	n := min(len(p), z.left)
	z.left -= n
	return n, nil
}

func TestASessionIsAskedForInFewBytes(t *testing.T) {
	_, s := start(t, t.TempDir())
	body := &zeros{left: 64 << 20}
	req, err := http.NewRequest(http.MethodPost, s.Address()+api.Prefix+"/session", body)
	require.NoError(t, err)
	res, err := http.DefaultClient.Do(req)
	if err == nil { // or the connection was closed in the middle of it
		res.Body.Close()
		assert.Equal(t, http.StatusRequestEntityTooLarge, res.StatusCode)
	}
	assert.Greater(t, body.left, 32<<20, "it is not read to its end")
}

// behindADoor is a service with an admin's token, called root.
func behindADoor(t *testing.T) (*client.Client, api.Token, *service.Server) {
	t.Helper()
	c, s := start(t, t.TempDir())
	root, err := c.CreateToken(ctx, api.TokenRequest{Name: "root", Role: api.Admin})
	require.NoError(t, err)
	admin, err := client.New(s.Address(), client.WithToken(root.Secret))
	require.NoError(t, err)
	return admin, root, s
}

func TestSecretsAreNotKeptForReplays(t *testing.T) {
	_, root, s := behindADoor(t)
	status, first := post(t, s.Address(), "/tokens", root.Secret, "one", strings.NewReader(`{"name":"ada","role":"admin"}`))
	require.Equal(t, http.StatusCreated, status, first)
	status, again := post(t, s.Address(), "/tokens", root.Secret, "one", strings.NewReader(`{"name":"ada","role":"admin"}`))
	assert.Equal(t, http.StatusConflict, status, "no secret is told a second time: %s", again)
}

func TestAReplayIsTheTokensOwn(t *testing.T) {
	admin, _, s := behindADoor(t)
	_, err := admin.Load(ctx, "units", monthly, months(counted(1, 24)...))
	require.NoError(t, err)
	ada, err := admin.CreateToken(ctx, api.TokenRequest{Name: "ada", Role: api.Analyst})
	require.NoError(t, err)
	plan := `{"dataset":"units","horizon":3,"windows":2,"contenders":[{"family":"naive"}]}`
	status, _ := post(t, s.Address(), "/bakeoffs", ada.Secret, "k", strings.NewReader(plan))
	require.Equal(t, http.StatusAccepted, status)
	require.NoError(t, admin.RevokeToken(ctx, "ada"))
	status, _ = post(t, s.Address(), "/bakeoffs", ada.Secret, "k", strings.NewReader(plan))
	assert.Equal(t, http.StatusUnauthorized, status, "a revoked token is told nothing")
	reader, err := admin.CreateToken(ctx, api.TokenRequest{Name: "ada", Role: api.Reader})
	require.NoError(t, err)
	status, body := post(t, s.Address(), "/bakeoffs", reader.Secret, "k", strings.NewReader(plan))
	assert.Equal(t, http.StatusForbidden, status, "nor another of the same name: %s", body)
}

func TestTheLastAdminStays(t *testing.T) {
	admin, _, _ := behindADoor(t)
	assert.ErrorContains(t, admin.RevokeToken(ctx, "root"), "the last admin's token")
	_, err := admin.CreateToken(ctx, api.TokenRequest{Name: "second", Role: api.Admin})
	require.NoError(t, err)
	assert.NoError(t, admin.RevokeToken(ctx, "root"))
}

// A plan that nobody could mean is refused before anything is laid out for it.
func TestAPlanHasBounds(t *testing.T) {
	c, s := start(t, t.TempDir())
	_, err := c.Load(ctx, "units", monthly, months(counted(1, 24)...))
	require.NoError(t, err)
	many := strings.Repeat(`{"family":"naive"},`, 3000)
	status, body := post(t, s.Address(), "/split", "", "",
		strings.NewReader(`{"dataset":"units","horizon":1,"windows":1000,"contenders":[`+many[:len(many)-1]+`]}`))
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "contenders")
	status, body = post(t, s.Address(), "/split", "", "",
		strings.NewReader(`{"dataset":"units","horizon":1,"windows":100000,"contenders":[{"family":"naive"}]}`))
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "windows: expected number")
}
