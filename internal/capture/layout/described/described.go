// Package described makes a reader of a small YAML file in which a user describes the layout of an unusual device, so
// that it needs no new release. The format is documented by Help and in docs/layouts.md.
//
// Expressions are RE2: no description makes reading slow. A description can only say how lines look; it cannot run
// anything.
package described

import (
	"net/netip"
	"regexp"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// weight puts a described layout before the built-in ones: the user knows better.
const weight = 1 << 20

func (d *description) recognise(text []byte) int {
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if d.recognises.Match(text[lo:hi]) {
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
	attr    layout.Attributes
	state   route.State
	at      string // the pending route's table
	lo, hi  int
}

// read reads a text by the description; lines without a shape are left unread.
func (d *description) read(text []byte) layout.Reading {
	r := reader{d: d, legend: map[string]string{}, table: "default", values: map[string]string{}}
	r.Layout = d.layout
	for k, v := range d.legend {
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
		r.Facts.Tables[i].HighestWins = d.highest
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

// line tries the described shapes in their order; what a shape carries on from the line above is taken where the line
// itself does not say it.
func (r *reader) line(b []byte, lo, hi int) error {
	for _, l := range r.d.lines {
		v := named(l.match, b)
		if v == nil {
			continue
		}
		carried := false
		for _, k := range l.carry {
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
	if r.d.table != nil {
		if v := named(r.d.table, b); v != nil {
			r.flush()
			r.table = v["table"]
			if r.table == "" {
				r.table = "default"
			}
			r.Pass(lo, hi, layout.Title)
			return nil
		}
	}
	if r.d.key != nil {
		if v := named(r.d.key, b); v != nil {
			r.legend[v["letter"]] = strings.ToLower(v["meaning"])
			r.Pass(lo, hi, layout.Key)
			return nil
		}
	}
	for _, e := range append([]*regexp.Regexp{r.d.recognises}, r.d.ignore...) {
		if e.Match(b) {
			r.Pass(lo, hi, layout.Other)
			return nil
		}
	}
	return layout.ErrNotARoute
}
