// Package strict reads the files that users write: YAML in which a key that is not known, a value that stands twice or
// one of another kind is an error with file, line and column. It exists so that a mistake in such a file is never
// passed over. No I/O.
package strict

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"zarvek/internal/core/route"
)

// A File is one such file while it is read. Open makes it.
type File struct {
	Name  string // as errors have it
	text  []byte
	lines []int  // where each line begins
	file  uint32 // the number that marks carry
}

// maxNesting is how deep brackets may stand in each other.
const maxNesting = 64

// Open parses a file and returns what its documents hold. File is the number that marks will carry, 0 for a file that
// is no part of the case.
func Open(name string, text []byte, file uint32) (*File, []ast.Node, error) {
	r := &File{Name: name, text: text, lines: []int{0}, file: file}
	for i, c := range text {
		if c == '\n' {
			r.lines = append(r.lines, i+1)
		}
	}
	if at := nestedTooDeep(text); at >= 0 {
		line := 1 + bytes.Count(text[:at], []byte{'\n'})
		return nil, nil, fmt.Errorf("%s:%d: more than %d brackets in each other", name, line, maxNesting)
	}
	f, err := parser.ParseBytes(stripMark(text), 0)
	if err != nil {
		var syntax interface{ GetToken() *token.Token }
		if errors.As(err, &syntax) && syntax.GetToken() != nil {
			p := syntax.GetToken().Position
			return nil, nil, fmt.Errorf("%s:%d:%d: not valid YAML: %s", name, p.Line, p.Column, firstLine(err.Error()))
		}
		return nil, nil, fmt.Errorf("%s: not valid YAML: %s", name, firstLine(err.Error()))
	}
	var docs []ast.Node
	for _, d := range f.Docs {
		if d.Body != nil {
			docs = append(docs, d.Body)
		}
	}
	return r, docs, nil
}

// nestedTooDeep returns where brackets stand too deep in each other, -1 where they do not: the parser goes down with
// each.
func nestedTooDeep(text []byte) int {
	depth := 0
	for i, c := range text {
		switch c {
		case '[', '{':
			if depth++; depth > maxNesting {
				return i
			}
		case ']', '}':
			depth = max(depth-1, 0)
		}
	}
	return -1
}

// firstLine returns the message of a syntax error, without the position in front and the picture below.
func firstLine(s string) string {
	s, _, _ = strings.Cut(s, "\n")
	if i := strings.Index(s, "] "); s != "" && s[0] == '[' && i > 0 {
		s = s[i+2:]
	}
	return s
}

// ErrorAt is an error at a node.
func (r *File) ErrorAt(n ast.Node, format string, args ...any) error {
	p := n.GetToken().Position
	return fmt.Errorf("%s:%d:%d: %s", r.Name, p.Line, p.Column, fmt.Sprintf(format, args...))
}

// Mark is the line of a node as evidence.
func (r *File) Mark(n ast.Node) route.Mark {
	line := n.GetToken().Position.Line - 1
	if line < 0 || line >= len(r.lines) {
		return route.Mark{File: r.file}
	}
	lo, hi := r.lines[line], len(r.text)
	if line+1 < len(r.lines) {
		hi = r.lines[line+1] - 1
	}
	return route.Mark{File: r.file, Off: uint32(lo), End: uint32(hi)}
}

// Each calls f for every key of a mapping; known are the keys it may have, none for names of the user's own.
func (r *File) Each(
	n ast.Node,
	what string,
	known []string,
	f func(key string, at ast.Node, v ast.Node) error,
) error {
	var values []*ast.MappingValueNode
	switch m := n.(type) {
	case *ast.MappingNode:
		values = m.Values
	case *ast.MappingValueNode:
		values = []*ast.MappingValueNode{m}
	case *ast.NullNode:
		return nil
	default:
		return r.ErrorAt(n, "%s must be a mapping of names to values", what)
	}
	seen := map[string]bool{}
	for _, v := range values {
		key := strings.Trim(v.Key.GetToken().Value, `"'`)
		if seen[key] {
			return r.ErrorAt(v.Key, "%q stands here twice", key)
		}
		seen[key] = true
		if known != nil && !slices.Contains(known, key) {
			return r.ErrorAt(v.Key, "there is no key %q in %s; it takes %s", key, what, strings.Join(known, ", "))
		}
		if err := f(key, v.Key, v.Value); err != nil {
			return err
		}
	}
	return nil
}

// Scalar returns the text of a value as it is written: a number or a word that YAML has a meaning for is not changed.
func (r *File) Scalar(n ast.Node) (string, error) {
	switch x := n.(type) {
	case *ast.LiteralNode: // over several lines
		return x.Value.Value, nil
	case *ast.StringNode, *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.NullNode, *ast.InfinityNode, *ast.NanNode:
		return n.GetToken().Value, nil
	}
	return "", r.ErrorAt(n, "one value is wanted here")
}

// List calls f for every element of a sequence.
func (r *File) List(n ast.Node, f func(v ast.Node, text string) error) error {
	s, ok := n.(*ast.SequenceNode)
	if !ok {
		return r.ErrorAt(n, "a list is wanted here, each element behind a hyphen")
	}
	for _, v := range s.Values {
		text, err := r.Scalar(v)
		if err != nil {
			return err
		}
		if err := f(v, text); err != nil {
			return err
		}
	}
	return nil
}

// stripMark takes a byte-order mark away, with which some editors begin.
func stripMark(text []byte) []byte { return bytes.TrimPrefix(text, []byte("\ufeff")) }
