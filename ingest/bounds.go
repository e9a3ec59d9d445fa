package ingest

import (
	"context"
	"errors"
	"strings"
	"time"
)

// Limits of a query: whoever may ask may ask for too much.
const (
	queryTakes   = 10 * time.Minute
	mostAnswered = 10_000_000 // rows
	mostText     = 512 << 20  // bytes of them
)

// bounded is a query's answer within its limits.
type bounded struct {
	table
	ctx        context.Context
	stop       context.CancelFunc
	rows, text int
}

func (b *bounded) Next() ([]string, error) {
	row, err := b.table.Next()
	if err != nil && errors.Is(b.ctx.Err(), context.DeadlineExceeded) {
		return nil, errTooLong
	}
	if err != nil {
		return nil, err
	}
	if b.rows++; b.rows > mostAnswered {
		return nil, fault("the query gives more than %d rows: narrow it, or sum it up in the database", mostAnswered)
	}
	for _, field := range row {
		b.text += len(field)
	}
	if b.text > mostText {
		return nil, fault("the query's rows have more than %d MB: narrow it, or sum it up in the database", mostText>>20)
	}
	return row, nil
}

func (b *bounded) Close() error {
	err := b.table.Close()
	b.stop()
	return err
}

var errTooLong = fault("the query took longer than %v: narrow it, or sum it up in the database", queryTakes)

// reading are the words that a question may begin with: anything else is no question.
var reading = []string{"select", "with", "values", "table"}

// checkQuestion refuses what does not begin as a question. That it changes nothing is for the
// database to see to: this keeps blocks of code and copies out.
func checkQuestion(sql string) error {
	word := strings.ToLower(firstWord(sql))
	for _, w := range reading {
		if word == w {
			return nil
		}
	}
	return fault("the query begins with %q: write a SELECT (or WITH, VALUES, TABLE)", word)
}

// firstWord is the first word of a statement, past comments and opening brackets.
func firstWord(sql string) string {
	for {
		sql = strings.TrimLeft(sql, " \t\r\n\f\v(")
		switch {
		case strings.HasPrefix(sql, "--"):
			_, sql, _ = strings.Cut(sql, "\n")
		case strings.HasPrefix(sql, "/*"):
			sql = pastComment(sql)
		default:
			end := strings.IndexFunc(sql, func(r rune) bool { return !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z') })
			if end < 0 {
				return sql
			}
			return sql[:end]
		}
	}
}

// pastComment is what follows a comment, in which others may stand.
func pastComment(sql string) string {
	depth := 0
	for i := 0; i+1 < len(sql); i++ {
		switch sql[i : i+2] {
		case "/*":
			depth++
			i++
		case "*/":
			i++
			if depth--; depth == 0 {
				return sql[i+1:]
			}
		}
	}
	return ""
}
