package service

import (
	"errors"
	"io"
	"net"
	"os"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// short is a listener that has no room now and then.
type short struct {
	net.Listener
	fail int
}

func (s *short) Accept() (net.Conn, error) {
	if s.fail > 0 {
		s.fail--
		return nil, &net.OpError{Op: "accept", Err: os.NewSyscallError("accept4", syscall.EMFILE)}
	}
	return s.Listener.Accept()
}

func listening(t *testing.T, with limits, fail int) *guarded {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	g := guard(&short{l, fail}, with)
	t.Cleanup(func() { g.Close() })
	return g
}

func dial(t *testing.T, g *guarded, say string) net.Conn {
	t.Helper()
	c, err := net.Dial("tcp", g.Addr().String())
	require.NoError(t, err)
	t.Cleanup(func() { c.Close() })
	_, err = io.WriteString(c, say)
	require.NoError(t, err)
	return c
}

func TestAcceptingOutlivesTheWantOfFiles(t *testing.T) {
	g := listening(t, limits{open: 4, patience: time.Millisecond}, 3)
	dial(t, g, "")
	c, err := g.Accept()
	require.NoError(t, err, "it was tried again")
	c.Close()
	g.Listener.(*short).Listener.Close()
	_, err = g.Accept()
	assert.ErrorIs(t, err, net.ErrClosed, "what does not pass is told")
}

func TestSilentConnectionsMakeRoom(t *testing.T) {
	g := listening(t, limits{open: 3, patience: time.Millisecond}, 0)
	accept := func() net.Conn {
		c, err := g.Accept()
		require.NoError(t, err)
		t.Cleanup(func() { c.Close() })
		return c
	}
	var silent []net.Conn
	for range 2 {
		silent = append(silent, dial(t, g, ""))
		accept()
	}
	dial(t, g, "GET")
	talking := accept()
	_, err := talking.Read(make([]byte, 3))
	require.NoError(t, err)

	dial(t, g, "GET") // there is no room: the oldest silent one goes
	accept()
	_, err = silent[0].Read(make([]byte, 1))
	assert.True(t, errors.Is(err, io.EOF) || errors.Is(err, syscall.ECONNRESET), "%v", err)
	assert.Equal(t, 3, g.count)
	talking.Close()
	talking.Close()
	assert.Equal(t, 2, g.count, "it is counted out once")
}

func TestBearerInAnyCase(t *testing.T) {
	for header, want := range map[string]string{"Bearer pk_1": "pk_1", "bearer pk_1": "pk_1", "BEARER  pk_1 ": "pk_1", "Basic pk_1": "",
		"pk_1": "", "": ""} {
		assert.Equal(t, want, bearer(header), header)
	}
}

// A body has the silence limit at every read, and nothing else has.
func TestABodyMayBeSlow(t *testing.T) {
	g := listening(t, limits{open: 3, patience: time.Millisecond}, 0)
	out := dial(t, g, "a")
	in, err := g.Accept()
	require.NoError(t, err)
	t.Cleanup(func() { in.Close() })
	require.NoError(t, in.SetReadDeadline(time.Now().Add(headLimit)))
	assert.False(t, in.(*guardedConn).paced, "a head")
	require.NoError(t, in.SetReadDeadline(time.Now().Add(bodyLimit)))
	assert.True(t, in.(*guardedConn).paced)
	b := make([]byte, 1)
	for _, want := range "abc" { // each read moves the deadline
		if want > 'a' {
			_, err = out.Write([]byte{byte(want)})
			require.NoError(t, err)
		}
		_, err = in.Read(b)
		require.NoError(t, err)
		assert.Equal(t, byte(want), b[0])
	}
}
