// Package strict reads the files that users write: YAML in which a key that is not known, a value that stands twice or
// one of another kind is an error with file, line and column. It exists so that a mistake in such a file is never
// passed over. No I/O.
package strict

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"go.yaml.in/yaml/v4"

	"zarvek/internal/core/route"
)

// A Node is a value of such a file, or a key, with its line and column.
type Node = yaml.Node

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
func Open(name string, text []byte, file uint32) (*File, []*Node, error) {
	r := &File{Name: name, text: text, lines: []int{0}, file: file}
	if err := r.findLines(); err != nil {
		return nil, nil, err
	}
	if at := nestedTooDeep(text); at >= 0 {
		line, _ := slices.BinarySearch(r.lines, at+1)
		return nil, nil, fmt.Errorf("%s:%d: more than %d brackets in each other", name, line, maxNesting)
	}
	load, err := yaml.NewLoader(bytes.NewReader(text))
	if err != nil {
		return nil, nil, fmt.Errorf("%s: not valid YAML: %w", name, err)
	}
	var docs []*Node
	for {
		var doc Node
		switch err := load.Load(&doc); {
		case errors.Is(err, io.EOF):
			return r, docs, nil
		case err != nil:
			return nil, nil, syntax(name, err)
		}
		for _, body := range doc.Content {
			if !(body.Kind == yaml.ScalarNode && body.Tag == "!!null") {
				docs = append(docs, body)
			}
		}
	}
}

// syntax words what the parser did not take on one line, with its place.
func syntax(name string, err error) error {
	var at *yaml.LoadError
	if errors.As(err, &at) && at.Mark.Line > 0 {
		message := at.Message
		if at.ContextMsg != "" && at.ContextMark.Line > 0 {
			message += fmt.Sprintf(" (%s that begins in line %d)", at.ContextMsg, at.ContextMark.Line)
		}
		return fmt.Errorf("%s:%d:%d: not valid YAML: %s", name, at.Mark.Line, max(at.Mark.Column, 1), message)
	}
	return fmt.Errorf("%s: not valid YAML: %s", name, strings.ReplaceAll(err.Error(), "\n", " "))
}

// findLines notes where each line begins, and refuses characters of which a reader of YAML and an editor may think
// differently: where they end a line, the line that an error or an evidence names would be another.
func (r *File) findLines() error {
	for i, c := range string(r.text) {
		switch c {
		case '\n':
			r.lines = append(r.lines, i+1)
			continue
		case '\t', '\r':
			if c == '\r' && !bytes.HasPrefix(r.text[i+1:], []byte{'\n'}) {
				r.lines = append(r.lines, i+1)
			}
			continue
		case utf8.RuneError:
			if _, size := utf8.DecodeRune(r.text[i:]); size == 1 {
				return fmt.Errorf("%s:%d: byte %02x is no UTF-8", r.Name, len(r.lines), r.text[i])
			}
		}
		if unicode.IsControl(c) || c == '\u2028' || c == '\u2029' {
			return fmt.Errorf("%s:%d: the character %U does not belong here", r.Name, len(r.lines), c)
		}
	}
	return nil
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

// Place is where a node stands: FILE:LINE:COLUMN.
func (r *File) Place(n *Node) string { return fmt.Sprintf("%s:%d:%d", r.Name, n.Line, n.Column) }

// ErrorAt is an error at a node.
func (r *File) ErrorAt(n *Node, format string, args ...any) error {
	return fmt.Errorf("%s: %s", r.Place(n), fmt.Sprintf(format, args...))
}

// Mark is the line of a node as evidence.
func (r *File) Mark(n *Node) route.Mark {
	line := n.Line - 1
	if line < 0 || line >= len(r.lines) {
		return route.Mark{File: r.file}
	}
	lo, hi := r.lines[line], len(r.text)
	if line+1 < len(r.lines) {
		hi = r.lines[line+1] - 1
	}
	return route.Mark{File: r.file, Off: uint32(lo), End: uint32(hi)}
}

// plain reports whether a value is written out where it stands: it has no type of its own, and no name by which it
// stands elsewhere too.
func plain(n *Node) bool { return n.Anchor == "" && n.Style&yaml.TaggedStyle == 0 }

// IsMapping reports whether a value is a mapping of names to values.
func IsMapping(n *Node) bool { return n.Kind == yaml.MappingNode && plain(n) }

// Each calls f for every key of a mapping; known are the keys it may have, none for names of the user's own.
func (r *File) Each(n *Node, what string, known []string, f func(key string, at *Node, v *Node) error) error {
	switch {
	case n.Kind == yaml.ScalarNode && n.Tag == "!!null" && plain(n):
		return nil
	case !IsMapping(n):
		return r.ErrorAt(n, "%s must be a mapping of names to values", what)
	}
	seen := map[string]bool{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		at, v := n.Content[i], n.Content[i+1]
		if at.Kind != yaml.ScalarNode || !plain(at) {
			return r.ErrorAt(at, "a name is wanted here")
		}
		key := at.Value
		if seen[key] {
			return r.ErrorAt(at, "%q stands here twice", key)
		}
		seen[key] = true
		if known != nil && !slices.Contains(known, key) {
			return r.ErrorAt(at, "there is no key %q in %s; it takes %s", key, what, strings.Join(known, ", "))
		}
		if err := f(key, at, v); err != nil {
			return err
		}
	}
	return nil
}

// Scalar returns the text of a value as it is written: a number or a word that YAML has a meaning for is not changed.
func (r *File) Scalar(n *Node) (string, error) {
	if n.Kind != yaml.ScalarNode || !plain(n) {
		return "", r.ErrorAt(n, "one value is wanted here")
	}
	return n.Value, nil
}

// Elements returns the values of a sequence; what are they, for the error of what is none.
func (r *File) Elements(n *Node, what string) ([]*Node, error) {
	if n.Kind != yaml.SequenceNode || !plain(n) {
		return nil, r.ErrorAt(n, "a list is wanted here, each %s behind a hyphen", what)
	}
	return n.Content, nil
}

// List calls f for every element of a sequence of single values.
func (r *File) List(n *Node, f func(v *Node, text string) error) error {
	all, err := r.Elements(n, "element")
	if err != nil {
		return err
	}
	for _, v := range all {
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
