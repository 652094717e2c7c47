// Package blocks reads configurations that consist of blocks: "config SECTION", below it "edit NAME", "set KEY VALUES"
// and "next", then "end". It exists because firewalls write their addresses, routes and policies so, and their policies
// decide over packets whatever a routing table says.
package blocks

import (
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "blocks"

// Reader reads this family.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "configurations in blocks of config, edit, set, next and end: addresses, static routes, policies, " +
		"translations",
	Sample: "config system interface\n    edit \"up0\"\n        set ip 172.28.61.2 255.255.255.252\n"}

// recognise looks for nested blocks of config, edit, set, next and end; fewer than three such lines may be prose.
func recognise(text []byte) int {
	n, depth := 0, 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		s := strings.TrimSpace(string(text[lo:min(hi, lo+400)]))
		w := strings.Fields(s)
		switch {
		case len(w) > 1 && w[0] == "config" && isWord(w[1]):
			n, depth = n+2, depth+1
		case depth > 0 && (len(w) == 2 && w[0] == "edit" || len(w) > 2 && w[0] == "set" || s == "next" || s == "end"):
			n++
		}
	}
	if n < 3 {
		return 0
	}
	return n
}

func isWord(s string) bool { return strings.Trim(s, "abcdefghijklmnopqrstuvwxyz-_6") == "" }

// setting is one "set KEY VALUES".
type setting struct {
	key    string
	values []string
	mark   route.Mark
}

// object is one "edit NAME", or a section without any.
type object struct {
	section, name string
	parent        *object
	settings      []setting
	mark          route.Mark // of the line that begins it
	cut           bool       // its end was not captured: what it does not say is not known
}

// get returns the values of a key, nil where it is not set.
func (o *object) get(key string) []string {
	for _, s := range o.settings {
		if s.key == key {
			return s.values
		}
	}
	return nil
}

// set keeps the values of a key in place of those that a line before gave it, or beside them.
func (o *object) set(beside bool, x setting) {
	i := slices.IndexFunc(o.settings, func(y setting) bool { return y.key == x.key })
	switch {
	case i < 0:
		o.settings = append(o.settings, x)
	case beside:
		o.settings[i].values = slices.Concat(o.settings[i].values, x.values)
	default:
		o.settings[i] = x
	}
}

// first returns the first value of a key, "" where it is not set.
func (o *object) first(key string) string {
	if v := o.get(key); len(v) > 0 {
		return v[0]
	}
	return ""
}

// markOf returns the line of a key, that of the object where it is not set.
func (o *object) markOf(key string) route.Mark {
	for _, s := range o.settings {
		if s.key == key {
			return s.mark
		}
	}
	return o.mark
}

type reader struct {
	layout.Collector
	objects []*object
	open    []*object // sections and objects around the line
	lost    []*object // those that something else stands in
	inner   []route.Mark
	groups  filters.Groups
	ports   map[string]bool // interfaces that the text tells of
	// outer addresses, by name, and the names of those that a group of them has
	outsides      map[string]*outside
	outsideList   []*outside // in the order of the text
	outsideGroups map[string][]string
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	var r reader
	r.Layout = name
	for lo, hi := range layout.Lines(text) {
		s := strings.TrimSpace(string(text[lo:hi]))
		if s == "" {
			continue
		}
		w := layout.QuotedWords(s)
		if len(r.open) == 0 && len(r.lost) > 0 &&
			slices.Contains([]string{"set", "unset", "append", "edit", "next", "end"}, w[0]) {
			r.open, r.lost = r.lost, nil // something else stood between
		}
		if !r.line(w, s, lo, hi) {
			if len(r.open) > 0 { // a configuration that was cut ends where something else begins
				r.open, r.lost = nil, r.open
			}
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
		}
	}
	for _, o := range slices.Concat(r.open, r.lost) {
		o.cut = true
	}
	r.facts()
	for _, o := range [][]*object{r.open, r.lost} {
		if len(o) > 0 {
			r.Restrict(network.FlowRule{Missing: network.CutOff}, int(o[0].mark.Off), int(o[0].mark.End))
		}
	}
	r.ReadOrPart(r.inner)
	return r.Reading
}

// line reads one line; false where it is none of this family.
func (r *reader) line(w []string, s string, lo, hi int) bool {
	mark := layout.Mark(lo, hi)
	keep := func() bool {
		r.inner = append(r.inner, mark)
		return true
	}
	var top *object
	if n := len(r.open); n > 0 {
		top = r.open[n-1]
	}
	switch {
	case strings.HasPrefix(s, "#"):
		r.Pass(lo, hi, layout.Other)
		return true
	case w[0] == "config" && len(w) > 1 && isWord(w[1]):
		o := &object{section: strings.Join(w[1:], " "), parent: top, mark: mark}
		r.objects, r.open = append(r.objects, o), append(r.open, o)
		return keep()
	case top == nil:
		return false
	case w[0] == "edit" && len(w) == 2:
		if top.name != "" {
			r.open = r.open[:len(r.open)-1]
			top = top.parent
		}
		o := &object{section: top.section, name: w[1], parent: top, mark: mark}
		r.objects, r.open = append(r.objects, o), append(r.open, o)
		return keep()
	case s == "next":
		if top.name != "" {
			r.open = r.open[:len(r.open)-1]
		}
		return keep()
	case s == "end":
		if top.name != "" {
			r.open = r.open[:len(r.open)-1]
		}
		r.open = r.open[:len(r.open)-1]
		return keep()
	case (w[0] == "set" || w[0] == "append") && len(w) > 1:
		top.set(w[0] == "append", setting{w[1], w[2:], mark})
		return keep()
	case w[0] == "unset":
		top.settings = slices.DeleteFunc(top.settings, func(x setting) bool { return len(w) > 1 && x.key == w[1] })
		return keep()
	case w[0] == "delete" || w[0] == "purge" || w[0] == "move" || w[0] == "rename" || w[0] == "select":
		return keep()
	}
	// A value over several lines, as of a certificate or a banner.
	if len(top.settings) > 0 {
		if last := top.settings[len(top.settings)-1]; len(last.values) > 0 && strings.HasPrefix(last.values[0], "\"") {
			r.Pass(lo, hi, layout.Text)
			if strings.Contains(s, "\"") {
				top.settings[len(top.settings)-1].values = nil
			}
			return true
		}
	}
	return false
}
