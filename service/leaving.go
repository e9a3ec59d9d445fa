package service

import (
	"context"
	"errors"
	"io"
	"net"
	"syscall"
	"time"

	"github.com/gofiber/fiber/v3"
)

// How long a request is at work before it is looked after, and how often then.
const (
	leaveAfter = time.Second
	leaveEvery = 500 * time.Millisecond
)

// whileThere gives the request a context that ends when its client leaves, so that nothing is read
// or asked of a database for nobody. stop ends the watch.
func (s *Server) whileThere(c fiber.Ctx) (stop func()) {
	conn := c.RequestCtx().Conn()
	before := c.Context()
	ctx, cancel := context.WithCancel(before)
	c.SetContext(ctx)
	done := make(chan struct{})
	watch := time.AfterFunc(leaveAfter, func() {
		tick := time.NewTicker(leaveEvery)
		defer tick.Stop()
		for !left(conn) {
			select {
			case <-done:
				return
			case <-tick.C:
			}
		}
		cancel()
	})
	return func() {
		watch.Stop()
		close(done)
		cancel()
		c.SetContext(before) // the answer is kept for its key all the same
	}
}

// left says whether the other side has closed a connection, without taking anything from it.
func left(conn net.Conn) bool {
	if g, ok := conn.(*guardedConn); ok {
		conn = g.Conn
	}
	raw, ok := conn.(syscall.Conn)
	if !ok {
		return false
	}
	control, err := raw.SyscallConn()
	if err != nil {
		return false
	}
	gone := false
	err = control.Control(func(fd uintptr) {
		var b [1]byte
		n, _, err := syscall.Recvfrom(int(fd), b[:], syscall.MSG_PEEK|syscall.MSG_DONTWAIT)
		gone = n == 0 && err == nil || errors.Is(err, syscall.ECONNRESET)
	})
	return gone || err != nil
}

// How much of a body is still taken after its request was refused, and for how long: a client that is
// cut off while it sends may never read why.
const (
	drainBytes = 256 << 20
	drainFor   = 5 * time.Second
)

// drain takes the rest of a refused body.
func drain(c fiber.Ctx) {
	body := c.Request().BodyStream()
	conn := c.RequestCtx().Conn()
	if body == nil || conn == nil || conn.SetReadDeadline(time.Now().Add(drainFor)) != nil {
		return
	}
	_, _ = io.CopyN(io.Discard, body, drainBytes) // what does not come any more is no loss
}
