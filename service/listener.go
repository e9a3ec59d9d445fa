package service

import (
	"container/list"
	"errors"
	"io"
	"log/slog"
	"maps"
	"net"
	"slices"
	"sync"
	"syscall"
	"time"

	"github.com/gofiber/fiber/v3"
)

// Time limits of a connection. A request's head has to arrive whole within headLimit; its body may be
// slow, but silent no longer than silenceLimit, and where it is no large file it ends within bodyLimit.
const (
	headLimit    = 20 * time.Second
	silenceLimit = 30 * time.Second
	bodyLimit    = 10 * time.Minute
	answerLimit  = 10 * time.Minute // to take an answer that is no stream
	mostOpen     = 4096
)

// limits are those of a listener's connections.
type limits struct {
	open     int           // at once
	patience time.Duration // after which what can't be accepted is tried again
}

// usualLimits leave half of the files that the process may open to the data and to what it loads.
func usualLimits() limits {
	l := limits{open: mostOpen, patience: 100 * time.Millisecond}
	var files syscall.Rlimit
	if err := syscall.Getrlimit(syscall.RLIMIT_NOFILE, &files); err == nil {
		l.open = int(max(16, min(uint64(l.open), files.Cur/2)))
	}
	return l
}

// guarded is a listener that outlives the want of files, and keeps room for others: where too many
// connections are open, the one that has been silent from its start for the longest goes.
type guarded struct {
	net.Listener
	limits
	mu     sync.Mutex
	count  int
	silent *list.List // of *guardedConn that have sent nothing yet, the oldest first
	all    map[*guardedConn]bool
}

func guard(l net.Listener, with limits) *guarded {
	return &guarded{Listener: l, limits: with, silent: list.New(), all: map[*guardedConn]bool{}}
}

// Accept waits for a connection, and tries again where the system has no room for one.
func (g *guarded) Accept() (net.Conn, error) {
	for told := false; ; {
		conn, err := g.Listener.Accept()
		switch {
		case err == nil:
			if c := g.admit(conn); c != nil {
				return c, nil
			}
		case passing(err):
			if !told {
				slog.Warn("no connection can be accepted for now", "error", err)
				told = true
			}
			time.Sleep(g.patience)
		default:
			return nil, err
		}
	}
}

// passing says that accepting failed for a reason that passes.
func passing(err error) bool {
	for _, e := range []syscall.Errno{syscall.EMFILE, syscall.ENFILE, syscall.ENOBUFS, syscall.ENOMEM, syscall.ECONNABORTED, syscall.EINTR} {
		if errors.Is(err, e) {
			return true
		}
	}
	return false
}

// admit counts a connection in, in place of a silent one where there is no room; nil where all are at
// work.
func (g *guarded) admit(conn net.Conn) net.Conn {
	g.mu.Lock()
	var out *guardedConn
	if g.count >= g.open {
		oldest := g.silent.Front()
		if oldest == nil {
			g.mu.Unlock()
			conn.Close()
			return nil
		}
		out = oldest.Value.(*guardedConn)
		g.forget(out)
	}
	c := &guardedConn{Conn: conn, of: g}
	c.place = g.silent.PushBack(c)
	g.count++
	g.all[c] = true
	g.mu.Unlock()
	if out != nil {
		out.Conn.Close()
	}
	return c
}

// forget counts a connection out; the lock is held.
func (g *guarded) forget(c *guardedConn) {
	if c.place != nil {
		g.silent.Remove(c.place)
		c.place = nil
	}
	if !c.gone {
		c.gone = true
		g.count--
		delete(g.all, c)
	}
}

// hangUp closes every connection.
func (g *guarded) hangUp() {
	g.mu.Lock()
	open := slices.Collect(maps.Keys(g.all))
	g.mu.Unlock()
	for _, c := range open {
		c.Close()
	}
}

// guardedConn is a connection that is counted.
type guardedConn struct {
	net.Conn
	of    *guarded
	place *list.Element // among the silent ones; nil once it has sent something
	gone  bool
	heard bool // by the one goroutine that reads
	paced bool // a body is being read, which may not be silent
}

// SetReadDeadline notes where a body is waited for: nothing else is given so long.
func (c *guardedConn) SetReadDeadline(t time.Time) error {
	c.paced = time.Until(t) > bodyLimit/2
	return c.Conn.SetReadDeadline(t)
}

func (c *guardedConn) Read(p []byte) (int, error) {
	if c.paced {
		if err := c.Conn.SetReadDeadline(time.Now().Add(silenceLimit)); err != nil {
			return 0, err
		}
	}
	n, err := c.Conn.Read(p)
	if n > 0 && !c.heard {
		c.heard = true
		c.of.mu.Lock()
		if c.place != nil {
			c.of.silent.Remove(c.place)
			c.place = nil
		}
		c.of.mu.Unlock()
	}
	return n, err
}

func (c *guardedConn) Close() error {
	c.of.mu.Lock()
	c.of.forget(c)
	c.of.mu.Unlock()
	return c.Conn.Close()
}

// pacedReader reads a file that may be slow, but not silent.
type pacedReader struct {
	r    io.Reader
	conn net.Conn
}

// paced is the body of a request that is a file.
func paced(c fiber.Ctx, r io.Reader) io.Reader {
	conn := c.RequestCtx().Conn()
	if conn == nil {
		return r
	}
	return pacedReader{r, conn}
}

func (p pacedReader) Read(b []byte) (int, error) {
	if err := p.conn.SetReadDeadline(time.Now().Add(silenceLimit)); err != nil {
		return 0, err
	}
	n, err := p.r.Read(b)
	var late net.Error
	if errors.As(err, &late) && late.Timeout() {
		err = errSilent
	}
	return n, err
}

// errSilent is why a file is not read on.
var errSilent = errors.New("nothing more of the file has come for half a minute: send it again")
