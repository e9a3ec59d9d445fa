package api

import "time"

// Page is a part of a list. Cursor is empty on the last page.
type Page[T any] struct {
	Items  []T    `json:"items"`
	Cursor string `json:"cursor,omitempty" doc:"give it back to read the next page"`
	Total  int    `json:"total"`
}

// Token lets someone in.
type Token struct {
	Name    string    `json:"name"`
	Role    Role      `json:"role" enum:"reader,analyst,publisher,admin"`
	Created time.Time `json:"created"`
	Secret  string    `json:"secret,omitempty" doc:"shown once, at creation"`
}

// TokenRequest asks for a token.
type TokenRequest struct {
	Name string `json:"name" minLength:"1" maxLength:"100"`
	Role Role   `json:"role" enum:"reader,analyst,publisher,admin"`
}

// AuditLine says who did what.
type AuditLine struct {
	At     time.Time `json:"at"`
	Who    string    `json:"who"`
	Action string    `json:"action"`
	Object string    `json:"object"`
	Detail string    `json:"detail,omitempty"`
}

// Problem is an RFC 9457 problem detail.
type Problem struct {
	Type   string         `json:"type,omitempty"`
	Title  string         `json:"title"`
	Status int            `json:"status"`
	Detail string         `json:"detail"`
	Errors []ProblemField `json:"errors,omitempty"`
}

// ProblemField points at one thing wrong.
type ProblemField struct {
	Message  string `json:"message"`
	Location string `json:"location,omitempty" doc:"the field, as body.levels, or the place in a file"`
	Value    any    `json:"value,omitempty"`
}

func (p *Problem) Error() string { return p.Detail }
