package service

import (
	"bufio"
	"encoding/json"
	"fmt"
	"log/slog"
	"time"

	"github.com/gofiber/fiber/v3"

	"paperkettle/api"
	"paperkettle/jobs"
)

// stream writes a long answer. name, where given, makes it a download.
type stream struct {
	name      string
	mediaType string // instead of the route's own
	write     func(w *bufio.Writer) error
	waits     bool // most of the time, for something to tell: it takes no turn
}

// streamsAtOnce is how many streams may be made at once. One that waits for its client to read on lets
// others have its turn, so that a hundred downloads leave the cores to whoever asks for little.
const streamsAtOnce = 3

// writeLimit is how long a client may take for one piece of a stream.
const writeLimit = 30 * time.Second

// send streams an answer with flat memory. Each write gets a new deadline.
func (s *Server) send(c fiber.Ctx, mediaType string, st stream) {
	if st.mediaType != "" {
		mediaType = st.mediaType
	}
	c.Set("Content-Type", mediaType)
	if st.name != "" {
		c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", st.name))
	}
	conn := c.RequestCtx().Conn()
	path := c.Path()
	_ = c.SendStreamWriter(func(w *bufio.Writer) {
		// A larger buffer whose flushes each move the deadline on.
		turn := s.turns
		if st.waits {
			turn = nil
		}
		take(turn)
		defer give(turn)
		out := bufio.NewWriterSize(deadlineWriter{w, func() { _ = conn.SetWriteDeadline(time.Now().Add(writeLimit)) }, turn}, 1<<16)
		err := st.write(out)
		if err == nil {
			err = out.Flush()
		}
		if err != nil && s.ctx.Err() == nil {
			slog.Warn("a stream broke off", "path", path, "error", err)
			// Closing the connection early tells the client that the answer is not whole.
			_ = conn.Close()
		}
	})
}

type deadlineWriter struct {
	w    *bufio.Writer
	move func()
	turn chan struct{} // given away while the client is waited for; nil for none
}

// take waits for a turn, and give lets it go; nil needs none.
func take(turn chan struct{}) {
	if turn != nil {
		turn <- struct{}{}
	}
}

func give(turn chan struct{}) {
	if turn != nil {
		<-turn
	}
}

func (d deadlineWriter) Write(p []byte) (int, error) {
	give(d.turn)
	defer take(d.turn)
	d.move()
	n, err := d.w.Write(p)
	if err == nil {
		err = d.w.Flush()
	}
	return n, err
}

const heartbeat = 5 * time.Second

// progressStream writes a job's states as server-sent events until it is over.
func (s *Server) progressStream(id uint, first jobs.Progress) stream {
	return stream{waits: true, write: func(w *bufio.Writer) error {
		states, stop := s.jobs.Watch(id)
		defer stop()
		// Read again: the job may have moved on before the watch began.
		if p, err := s.jobs.Progress(s.ctx, id); err == nil {
			first = p
		}
		state := first
		for {
			if err := writeEvent(w, s.jobOf(state)); err != nil || state.Job.Over() {
				return err
			}
			select {
			case state = <-states:
				// The end of a run that was queued again since is not the job's end.
				if p, err := s.jobs.Progress(s.ctx, id); err == nil && state.Job.Over() {
					state = p
				}
			case <-time.After(heartbeat):
				p, err := s.jobs.Progress(s.ctx, id)
				if err != nil {
					return err
				}
				state = p
			case <-s.ctx.Done():
				return nil
			}
		}
	}}
}

func writeEvent(w *bufio.Writer, job api.Job) error {
	b, err := json.Marshal(job)
	if err != nil {
		return err
	}
	if _, err := fmt.Fprintf(w, "event: progress\ndata: %s\n\n", b); err != nil {
		return err
	}
	return w.Flush()
}
