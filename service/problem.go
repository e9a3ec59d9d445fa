package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"paperkettle/core/bakeoff"
	"paperkettle/core/split"
	"paperkettle/ingest"
	"paperkettle/store"
)

// problem is the one place where a failure becomes RFC 9457 problem details.
func problem(err error) error {
	var status huma.StatusError
	var field *bakeoff.FieldError
	var ask *bakeoff.AskError
	var refusal *ingest.Refusal
	var fiberErr *fiber.Error
	switch {
	case err == nil:
		return nil
	case errors.As(err, &status):
		return err
	case errors.As(err, &field):
		return huma.Error422UnprocessableEntity(field.Error(), &huma.ErrorDetail{Message: field.Error(), Location: "body." + planField(field)})
	case errors.As(err, &ask):
		return invalid("query."+ask.Field, "%v", ask)
	case errors.As(err, &refusal):
		return refused(refusal)
	case errors.Is(err, store.ErrNotFound):
		return huma.Error404NotFound("there is no such thing here")
	case errors.Is(err, store.ErrFull):
		slog.Error("no room to write", "error", err)
		return huma.NewError(http.StatusInsufficientStorage, store.ErrFull.Error())
	case errors.As(err, &fiberErr):
		return huma.NewError(fiberErr.Code, fiberErr.Message)
	case errors.Is(err, io.ErrUnexpectedEOF):
		return huma.Error400BadRequest("the file did not arrive whole: send it again; nothing was loaded")
	case errors.Is(err, context.Canceled), errors.Is(err, store.ErrClosed):
		return huma.Error503ServiceUnavailable("the service is stopping: try again in a moment")
	}
	return huma.Error500InternalServerError("the service could not do this: " + err.Error())
}

func refused(r *ingest.Refusal) error {
	details := make([]error, 0, len(r.Faults)+1)
	for i, f := range r.Faults {
		place := r.File
		if f.Line > 0 {
			place = fmt.Sprintf("%s:%d", r.File, f.Line)
		}
		// The line is in the place already.
		plain := f
		plain.Line = 0
		details = append(details, &huma.ErrorDetail{Message: plain.Error() + r.Again[i].String(), Location: place})
	}
	if more := r.More(); more > 0 {
		details = append(details, &huma.ErrorDetail{Message: fmt.Sprintf("and %d more faults", more), Location: r.File})
	}
	first := r.Faults[0]
	text := fmt.Sprintf("%s was not loaded: %s", r.File, first.Error())
	switch {
	case len(r.Faults) == 1:
		text += r.Again[0].String()
	default:
		text += fmt.Sprintf(" (the first of %d faults)", r.Total)
	}
	return huma.Error422UnprocessableEntity(text, details...)
}

func notFound(format string, args ...any) error {
	return huma.Error404NotFound(fmt.Sprintf(format, args...))
}

func invalid(location, format string, args ...any) error {
	text := fmt.Sprintf(format, args...)
	return huma.Error422UnprocessableEntity(text, &huma.ErrorDetail{Message: text, Location: location})
}

func conflict(format string, args ...any) error {
	return huma.Error409Conflict(fmt.Sprintf(format, args...))
}

// writeProblem answers outside the contract's own handlers.
func writeProblem(c fiber.Ctx, err error) error {
	err = problem(err)
	var status huma.StatusError
	code := http.StatusInternalServerError
	if errors.As(err, &status) {
		code = status.GetStatus()
	}
	return c.Status(code).JSON(err, "application/problem+json")
}

// planField names the field of the contract's plan: the split's parts stand in the plan
// itself.
func planField(e *bakeoff.FieldError) string {
	var part *split.Error
	if errors.As(e.Err, &part) {
		return part.Field
	}
	return e.Field
}

// plainly makes the contract's own refusals of a request say what is wrong, and where.
func plainly(status int, msg string, errs ...error) huma.StatusError {
	if msg == "validation failed" && len(errs) > 0 {
		msg = faultText(errs[0])
		if more := len(errs) - 1; more > 0 {
			msg += fmt.Sprintf(" (the first of %d faults)", more+1)
		}
	}
	return wordError(status, msg, errs...)
}

var wordError = huma.NewError

func init() { huma.NewError = plainly }

// faultText is one fault of a request in words.
func faultText(err error) string {
	var d *huma.ErrorDetail
	if !errors.As(err, &d) {
		return err.Error()
	}
	place := d.Location
	for _, part := range []string{"body.", "query.", "path.", "header."} {
		place = strings.TrimPrefix(place, part)
	}
	text := d.Message
	switch d.Value.(type) {
	case string, bool, float64, float32, int, int64:
		text += fmt.Sprintf(", and it is %v", d.Value)
	}
	if place == "" || place == "body" {
		return text
	}
	return place + ": " + text
}
