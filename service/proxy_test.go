package service_test

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"io"
	"math/big"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
	"paperkettle/service"
)

const proxyConfig = `daemon off; pid %[1]s/pid; error_log %[1]s/error.log; worker_processes 1;
events { worker_connections 64; }
http {
  access_log off; client_body_temp_path %[1]s/body; proxy_temp_path %[1]s/proxy; fastcgi_temp_path %[1]s/f; uwsgi_temp_path %[1]s/u; scgi_temp_path %[1]s/s;
  server {
    listen %[2]s ssl; server_name kettle.example; ssl_certificate %[1]s/cert.pem; ssl_certificate_key %[1]s/key.pem;
    client_max_body_size 0; proxy_request_buffering off; proxy_buffering off;
    location / { proxy_pass %[3]s; proxy_set_header Host $host; proxy_http_version 1.1; }
  }
}`

// certificate writes a key and a certificate that signs itself, and gives who trusts it.
func certificate(t *testing.T, dir string) *x509.CertPool {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "kettle.example"}, DNSNames: []string{"kettle.example"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IsCA: true, BasicConstraintsValid: true}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	require.NoError(t, err)
	for name, block := range map[string]*pem.Block{"cert.pem": {Type: "CERTIFICATE", Bytes: der}, "key.pem": {Type: "PRIVATE KEY", Bytes: secret}} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), pem.EncodeToMemory(block), 0o600))
	}
	cert, err := x509.ParseCertificate(der)
	require.NoError(t, err)
	pool := x509.NewCertPool()
	pool.AddCert(cert)
	return pool
}

// Behind a proxy that speaks TLS the service knows its address: the console's writes pass, other sites'
// don't, the cookie goes over TLS alone, and what streams, streams.
func TestBehindAProxy(t *testing.T) {
	nginx, err := exec.LookPath("nginx")
	require.NoError(t, err, "scripts/setup.sh test installs it")
	data := t.TempDir()
	_, err = service.Start(service.Config{Data: data, Listen: "127.0.0.1:0", Public: "https://kettle.example", Workers: 1})
	require.ErrorContains(t, err, "without a token")
	_, err = service.Start(service.Config{Data: data, Listen: "127.0.0.1:0", Public: "kettle.example/x", Workers: 1})
	require.ErrorContains(t, err, "write https://kettle.example")
	c, s := start(t, data+"/first")
	root, err := c.CreateToken(ctx, api.TokenRequest{Name: "root", Role: api.Admin})
	require.NoError(t, err)
	require.NoError(t, s.Close())
	s, err = service.Start(service.Config{Data: data + "/first", Listen: "127.0.0.1:0", Public: "https://kettle.example", Workers: 1})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })

	dir := t.TempDir()
	pool := certificate(t, dir)
	free, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := free.Addr().String()
	require.NoError(t, free.Close())
	require.NoError(t, os.WriteFile(filepath.Join(dir, "nginx.conf"), []byte(fmt.Sprintf(proxyConfig, dir, address, s.Address())), 0o600))
	proxy := exec.Command(nginx, "-c", filepath.Join(dir, "nginx.conf"), "-p", dir, "-e", filepath.Join(dir, "error.log"))
	require.NoError(t, proxy.Start())
	t.Cleanup(func() {
		_ = proxy.Process.Signal(os.Interrupt)
		_ = proxy.Wait()
	})
	over := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool, ServerName: "kettle.example"},
		DialContext: func(_ context.Context, network, _ string) (net.Conn, error) { return net.Dial(network, address) }}}
	require.Eventually(t, func() bool {
		res, err := over.Get("https://kettle.example/healthz")
		return err == nil && res.Body.Close() == nil && res.StatusCode == http.StatusOK
	}, 30*time.Second, 50*time.Millisecond)

	session := func(origin string) *http.Response {
		req, err := http.NewRequest(http.MethodPost, "https://kettle.example/api/v1/session", strings.NewReader(`{"token":"`+root.Secret+`"}`))
		require.NoError(t, err)
		req.Header.Set("Origin", origin)
		res, err := over.Do(req)
		require.NoError(t, err)
		_, _ = io.Copy(io.Discard, res.Body)
		require.NoError(t, res.Body.Close())
		return res
	}
	res := session("https://kettle.example")
	require.Equal(t, http.StatusNoContent, res.StatusCode)
	cookie := res.Cookies()[0]
	assert.True(t, cookie.Secure && cookie.HttpOnly && cookie.SameSite == http.SameSiteStrictMode, "%v", cookie)
	assert.Equal(t, http.StatusForbidden, session("https://other.example").StatusCode)
	assert.Equal(t, http.StatusForbidden, session("http://kettle.example").StatusCode, "the page came without TLS")

	through, err := client.New("https://kettle.example", client.WithToken(root.Secret), client.WithHTTP(over))
	require.NoError(t, err)
	_, err = through.Load(ctx, "units", monthly, months(counted(1, 36)...))
	require.NoError(t, err)
	b := run(t, through, api.Plan{Dataset: "units", Horizon: 3, Windows: 2, Contenders: contenders("naive", "drift")})
	assert.Equal(t, "drift", b.Leader)

	req, err := http.NewRequest(http.MethodGet, s.Address()+"/api/v1/datasets", nil)
	require.NoError(t, err)
	req.Host = "evil.example"
	res, err = http.DefaultClient.Do(req)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	assert.Equal(t, http.StatusForbidden, res.StatusCode)
}
