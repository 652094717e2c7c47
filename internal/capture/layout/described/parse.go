package described

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/strict"
)

// description is what the file says.
type description struct {
	layout     string
	recognises *regexp.Regexp
	ignore     []*regexp.Regexp
	key, table *regexp.Regexp // nil: there are none
	legend     map[string]string
	lines      []line
	highest    bool // the highest preference wins
	installed  bool // the rows are of a forwarding table
}

// line is one shape of line.
type line struct {
	match *regexp.Regexp
	carry []string // values that a row without them takes from the row before
}

// keys are what a description may hold.
var keys = []string{
	"layout", "recognise", "ignore", "key", "table", "legend", "lines", "best-preference", "forwarding-table",
}

// groups are the names that a group may have.
var groups = []string{
	"prefix", "address", "length", "mask", "protocol", "preference", "metric", "gateway", "interface", "special",
	"active",
	"table",
}

// parser reads the file of a description.
type parser struct {
	*strict.File
	out description
}

// Parse reads a description. Errors begin with FILE:LINE:COLUMN.
func Parse(file string, text []byte) (layout.Reader, error) {
	f, docs, err := strict.Open(file, text, 0)
	if err != nil {
		return layout.Reader{}, err
	}
	p := parser{File: f}
	for _, d := range docs {
		if err := p.Each(d, "a description", keys, p.entry); err != nil {
			return layout.Reader{}, err
		}
	}
	d := &p.out
	switch missing := "%s:1:1: the description has no %s"; {
	case d.layout == "":
		return layout.Reader{}, fmt.Errorf(missing, file, "layout: NAME")
	case d.recognises == nil:
		return layout.Reader{}, fmt.Errorf(missing, file,
			"recognise: EXPRESSION, by which texts of this layout are known")
	case len(d.lines) == 0:
		return layout.Reader{}, fmt.Errorf(missing, file, "lines:")
	}
	return layout.Reader{Name: d.layout, Recognise: d.recognise, Read: d.read}, nil
}

// entry takes one key of a description.
func (p *parser) entry(key string, _, v *strict.Node) (err error) {
	switch d := &p.out; key {
	case "layout":
		d.layout, err = p.Scalar(v)
	case "recognise":
		d.recognises, err = p.expression(v)
	case "key":
		d.key, err = p.expression(v, "letter", "meaning")
	case "table":
		d.table, err = p.expression(v, "table")
	case "ignore":
		err = p.List(v, func(n *strict.Node, _ string) error {
			e, err := p.expression(n)
			d.ignore = append(d.ignore, e)
			return err
		})
	case "legend":
		d.legend = map[string]string{}
		err = p.Each(v, "legend", nil, func(letter string, _, v *strict.Node) error {
			meaning, err := p.Scalar(v)
			d.legend[letter] = meaning
			return err
		})
	case "best-preference":
		d.highest, err = p.either(v, key, "highest", "lowest")
	case "forwarding-table":
		d.installed, err = p.either(v, key, "true", "false")
	case "lines":
		err = p.shapes(v)
	}
	return err
}

// shapes reads the shapes of lines.
func (p *parser) shapes(v *strict.Node) error {
	all, err := p.Elements(v, "line")
	if err != nil {
		return err
	}
	for _, n := range all {
		var l line
		err := p.Each(n, "an entry of lines", []string{"match", "carry"},
			func(key string, _, v *strict.Node) (err error) {
				if key == "match" {
					l.match, err = p.expression(v)
					return err
				}
				return p.List(v, func(n *strict.Node, name string) error {
					if !slices.Contains(groups, name) {
						return p.ErrorAt(n, "no value to carry is called %q; there are %s", name,
							strings.Join(groups, ", "))
					}
					l.carry = append(l.carry, name)
					return nil
				})
			})
		if err != nil {
			return err
		}
		if l.match == nil {
			return p.ErrorAt(n, "an entry of lines: has no match: EXPRESSION")
		}
		p.out.lines = append(p.out.lines, l)
	}
	return nil
}

// expression compiles a value. Where names are given it has groups of those names, else of any that a row's values
// have.
func (p *parser) expression(v *strict.Node, names ...string) (*regexp.Regexp, error) {
	text, err := p.Scalar(v)
	if err != nil {
		return nil, err
	}
	re, err := regexp.Compile(text)
	if err != nil {
		return nil, p.ErrorAt(v, "%v", err)
	}
	for _, name := range names {
		if re.SubexpIndex(name) < 0 {
			return nil, p.ErrorAt(v, "this expression needs the group %s", strings.Join(names, " and the group "))
		}
	}
	for _, g := range re.SubexpNames() {
		if len(names) == 0 && g != "" && !slices.Contains(groups, g) {
			return nil, p.ErrorAt(v, "no value is called %q; there are %s", g, strings.Join(groups, ", "))
		}
	}
	return re, nil
}

// either reads a value that is one of two words, and whether it is the first.
func (p *parser) either(v *strict.Node, key, yes, no string) (bool, error) {
	text, err := p.Scalar(v)
	if err == nil && text != yes && text != no {
		err = p.ErrorAt(v, "%s is %s or %s, not %q", key, no, yes, text)
	}
	return text == yes, err
}
