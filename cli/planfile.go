package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"regexp"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"paperkettle/api"
)

// planFile is a plan with the places of its fields in the file.
type planFile struct {
	name string
	plan api.Plan
	root *yaml.Node
}

func readPlan(file string) (*planFile, error) {
	b, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	f := &planFile{name: file, root: &yaml.Node{}}
	d := yaml.NewDecoder(bytes.NewReader(b))
	d.KnownFields(true)
	if err := d.Decode(&f.plan); err != nil {
		if errors.Is(err, io.EOF) {
			return nil, fmt.Errorf("%s is empty: a plan names a dataset, a horizon and contenders", file)
		}
		_ = yaml.Unmarshal(b, f.root) // where that fails too, the line alone is told
		return nil, f.wrong(err)
	}
	return f, yaml.Unmarshal(b, f.root)
}

var atLine = regexp.MustCompile(`line (\d+): `)

// wrong says what the reader found wrong, with line and column.
func (f *planFile) wrong(err error) error {
	text := strings.NewReplacer("yaml: ", "", "unmarshal errors:\n  ", "", "\n  ", "; ", " in type api.Plan", ": no such field in a plan",
		" in type api.Contender", ": no such field in a contender",
		" in type api.Tune", ": no such field in tune", " not found", "", "cannot unmarshal !!", "expected something else than a ", " into ",
		", namely ").Replace(err.Error())
	text = atLine.ReplaceAllStringFunc(text, func(s string) string {
		line, _ := strconv.Atoi(atLine.FindStringSubmatch(s)[1])
		if column := columnOf(f.root, line); column > 0 {
			return fmt.Sprintf("line %d, column %d: ", line, column)
		}
		return s
	})
	return fmt.Errorf("%s: %s", f.name, text)
}

// columnOf is where the first word of a line stands; 0 where there is none.
func columnOf(n *yaml.Node, line int) int {
	if n == nil {
		return 0
	}
	for _, c := range n.Content {
		if at := columnOf(c, line); at > 0 {
			return at
		}
	}
	if n.Line == line && n.Kind == yaml.ScalarNode {
		return n.Column
	}
	return 0
}

// place adds the line and column of the field that the service refused.
func (f *planFile) place(err error) error {
	var p *api.Problem
	if f == nil || !errors.As(err, &p) {
		return err
	}
	for _, x := range p.Errors {
		if n := f.find(x.Location); n != nil {
			return fmt.Errorf("%s: line %d, column %d: %w", f.name, n.Line, n.Column, err)
		}
	}
	return err
}

var step = regexp.MustCompile(`^([a-z_]+)(?:\[(\d+)\])?$`)

// find gives the node of a location such as body.contenders[1].family, or as far as the
// file goes that way.
func (f *planFile) find(location string) *yaml.Node {
	path, ok := strings.CutPrefix(location, "body.")
	if !ok || len(f.root.Content) == 0 {
		return nil
	}
	n, found := f.root.Content[0], (*yaml.Node)(nil)
	for _, part := range strings.Split(path, ".") {
		m := step.FindStringSubmatch(part)
		if m == nil || n.Kind != yaml.MappingNode {
			break
		}
		next := (*yaml.Node)(nil)
		for i := 0; i+1 < len(n.Content); i += 2 {
			if n.Content[i].Value == m[1] {
				found, next = n.Content[i], n.Content[i+1]
			}
		}
		if next == nil {
			break
		}
		n = next
		if m[2] != "" && n.Kind == yaml.SequenceNode {
			if i, _ := strconv.Atoi(m[2]); i < len(n.Content) {
				n = n.Content[i]
				found = n
			}
		}
	}
	return found
}
