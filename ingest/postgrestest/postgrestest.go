// Package postgrestest starts a real PostgreSQL server on loopback for a test.
package postgrestest

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"
)

// Password is the password of the user "keeper", who owns the server.
const Password = "s3cret-of-the-tests"

// Start runs a server until the test ends and gives the address of its database,
// without the password. The server's programs come with Debian's package postgresql;
// scripts/setup.sh installs it.
func Start(t testing.TB) string {
	t.Helper()
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	require.NotEmpty(t, found, "PostgreSQL is not installed: run 'make setup-test'")
	bin := filepath.Dir(found[len(found)-1])
	dir, err := os.MkdirTemp("", "paperkettle-postgres-")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	secret := filepath.Join(dir, "password")
	require.NoError(t, os.WriteFile(secret, []byte(Password), 0o600))
	as := owner(t, dir, secret)
	run := func(name string, args ...string) {
		cmd := exec.Command(filepath.Join(bin, name), args...)
		cmd.Dir, cmd.SysProcAttr = "/", as
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, string(out))
	}
	data, port := filepath.Join(dir, "data"), freePort(t)
	run("initdb", "-D", data, "-U", "keeper", "-A", "scram-sha-256", "--pwfile", secret, "-E", "UTF8", "--no-locale", "-N")
	run("pg_ctl", "-D", data, "-w", "-l", filepath.Join(dir, "log"), "-o", fmt.Sprintf("-F -h 127.0.0.1 -p %d -k %s", port, dir), "start")
	t.Cleanup(func() { run("pg_ctl", "-D", data, "-m", "immediate", "-w", "stop") })
	return fmt.Sprintf("postgresql://keeper@127.0.0.1:%d/postgres?sslmode=disable", port)
}

// owner is who runs the server: it refuses to run as root.
func owner(t testing.TB, paths ...string) *syscall.SysProcAttr {
	if os.Getuid() != 0 {
		return nil
	}
	u, err := user.Lookup("postgres")
	require.NoError(t, err)
	uid, err := strconv.Atoi(u.Uid)
	require.NoError(t, err)
	gid, err := strconv.Atoi(u.Gid)
	require.NoError(t, err)
	for _, p := range paths {
		require.NoError(t, os.Chown(p, uid, gid))
	}
	return &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}
}

func freePort(t testing.TB) int {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}
