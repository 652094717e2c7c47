// Package described makes a reader of a small YAML file in which a user describes the layout of an unusual device, so
// that it needs no new release. The format is documented by Help and in docs/layouts.md.
//
// Expressions are RE2: no description makes reading slow. A description can only say how lines look; it cannot run
// anything.
package described

import (
	"errors"
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// description is the YAML file.
type description struct {
	Layout    string            `yaml:"layout"`
	Recognise expr              `yaml:"recognise"`
	Ignore    []expr            `yaml:"ignore"`
	Key       expr              `yaml:"key"`
	Table     expr              `yaml:"table"`
	Legend    map[string]string `yaml:"legend"`
	Lines     []line            `yaml:"lines"`
	Best      string            `yaml:"best-preference"`
	Installed bool              `yaml:"forwarding-table"`
}

// line is one shape of line.
type line struct {
	Match expr     `yaml:"match"`
	Carry []string `yaml:"carry"`
}

// expr is a compiled expression that knows where it stands.
type expr struct {
	*regexp.Regexp
	line, column int
}

// UnmarshalYAML compiles the expression.
func (e *expr) UnmarshalYAML(n ast.Node) error {
	tok := n.GetToken()
	e.line, e.column = tok.Position.Line, tok.Position.Column
	s, ok := n.(*ast.StringNode)
	if !ok {
		return &positioned{e.line, e.column, "an expression in quotes was expected"}
	}
	re, err := regexp.Compile(s.Value)
	if err != nil {
		return &positioned{e.line, e.column, err.Error()}
	}
	e.Regexp = re
	return nil
}

// positioned is an error with its place in the file.
type positioned struct {
	line, column int
	text         string
}

func (p *positioned) Error() string { return p.text }

// groups are the names that a group may have.
var groups = []string{
	"prefix",
	"address",
	"length",
	"mask",
	"protocol",
	"preference",
	"metric",
	"gateway",
	"interface",
	"special",
	"active",
	"table",
}

// Parse reads a description. Errors begin with FILE:LINE:COLUMN.
func Parse(file string, text []byte) (layout.Reader, error) {
	var d description
	if err := yaml.UnmarshalWithOptions(text, &d, yaml.Strict()); err != nil {
		return layout.Reader{}, located(file, err)
	}
	fail := func(e expr, format string, args ...any) (layout.Reader, error) {
		return layout.Reader{}, fmt.Errorf(
			"%s:%d:%d: %s",
			file,
			max(e.line, 1),
			max(e.column, 1),
			fmt.Sprintf(format, args...),
		)
	}
	switch {
	case d.Layout == "":
		return fail(expr{}, "the description has no layout: NAME")
	case d.Recognise.Regexp == nil:
		return fail(expr{}, "the description has no recognise: EXPRESSION, by which texts of this layout are known")
	case len(d.Lines) == 0:
		return fail(expr{}, "the description has no lines:")
	case d.Best != "" && d.Best != "lowest" && d.Best != "highest":
		return fail(expr{}, "best-preference is lowest or highest, not %q", d.Best)
	}
	for _, l := range d.Lines {
		if l.Match.Regexp == nil {
			return fail(expr{}, "an entry of lines: has no match: EXPRESSION")
		}
		for _, g := range l.Match.SubexpNames() {
			if g != "" && !slices.Contains(groups, g) {
				return fail(l.Match, "no value is called %q; there are %s", g, strings.Join(groups, ", "))
			}
		}
		for _, g := range l.Carry {
			if !slices.Contains(groups, g) {
				return fail(l.Match, "no value to carry is called %q; there are %s", g, strings.Join(groups, ", "))
			}
		}
	}
	if k := d.Key.Regexp; k != nil && (k.SubexpIndex("letter") < 0 || k.SubexpIndex("meaning") < 0) {
		return fail(d.Key, "key: needs the groups letter and meaning")
	}
	if t := d.Table.Regexp; t != nil && t.SubexpIndex("table") < 0 {
		return fail(d.Table, "table: needs the group table")
	}
	return layout.Reader{Name: d.Layout, Recognise: d.recognise, Read: d.read}, nil
}

// located words a YAML error on one line with its place.
func located(file string, err error) error {
	var p *positioned
	if errors.As(err, &p) {
		return fmt.Errorf("%s:%d:%d: %s", file, p.line, p.column, p.text)
	}
	var y yaml.Error
	if errors.As(err, &y) && y.GetToken() != nil {
		pos := y.GetToken().Position
		return fmt.Errorf("%s:%d:%d: %s", file, pos.Line, pos.Column, strings.ReplaceAll(y.GetMessage(), "\n", " "))
	}
	return fmt.Errorf("%s:1:1: %s", file, strings.ReplaceAll(err.Error(), "\n", " "))
}

// weight puts a described layout before the built-in ones: the user knows better.
const weight = 1 << 20

func (d *description) recognise(text []byte) int {
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if d.Recognise.Match(text[lo:hi]) {
			return weight
		}
	}
	return 0
}

// reader is the state while one text is read.
type reader struct {
	layout.Collector
	d       *description
	legend  map[string]string
	table   string
	values  map[string]string // of the line before
	pending bool
	prefix  netip.Prefix
	attr    route.Attributes
	state   route.State
	at      string // the pending route's table
	lo, hi  int
}

func (d *description) read(text []byte) layout.Reading {
	r := reader{d: d, legend: map[string]string{}, table: "default", values: map[string]string{}}
	r.Layout = d.Layout
	for k, v := range d.Legend {
		r.legend[k] = strings.ToLower(v)
	}
	for lo, hi := range layout.Lines(text) {
		if layout.Blank(text[lo:hi]) {
			continue
		}
		if err := r.line(text[lo:hi], lo, hi); err != nil {
			r.LeaveUnread(lo, hi, err)
		}
	}
	r.flush()
	for i := range r.Facts.Tables {
		r.Facts.Tables[i].HighestWins = d.Best == "highest"
	}
	return r.Reading
}

// named returns the named groups of a match.
func named(re *regexp.Regexp, b []byte) map[string]string {
	m := re.FindSubmatch(b)
	if m == nil {
		return nil
	}
	out := map[string]string{}
	for i, n := range re.SubexpNames() {
		if n != "" && m[i] != nil {
			out[n] = strings.TrimSpace(string(m[i]))
		}
	}
	return out
}

func (r *reader) line(b []byte, lo, hi int) error {
	for _, l := range r.d.Lines {
		v := named(l.Match.Regexp, b)
		if v == nil {
			continue
		}
		carried := false
		for _, k := range l.Carry {
			if v[k] == "" && r.values[k] != "" {
				v[k] = r.values[k]
				carried = carried || k == "prefix" || k == "address"
			}
		}
		if err := r.use(v, carried, lo, hi); err != nil {
			return err
		}
		r.values = v
		r.Collector.Read++
		return nil
	}
	if r.d.Table.Regexp != nil {
		if v := named(r.d.Table.Regexp, b); v != nil {
			r.flush()
			r.table = v["table"]
			if r.table == "" {
				r.table = "default"
			}
			r.Pass(lo, hi, layout.Title)
			return nil
		}
	}
	if r.d.Key.Regexp != nil {
		if v := named(r.d.Key.Regexp, b); v != nil {
			r.legend[v["letter"]] = strings.ToLower(v["meaning"])
			r.Pass(lo, hi, layout.Key)
			return nil
		}
	}
	for _, e := range append([]expr{r.d.Recognise}, r.d.Ignore...) {
		if e.Regexp != nil && e.Match(b) {
			r.Pass(lo, hi, layout.Other)
			return nil
		}
	}
	return layout.ErrNotARoute
}
