// Package keyed reads JSON in which what a route is stands in the keys around it: tables of instances that hold routes
// by their prefixes, and tables whose rows lie in objects named for them. It exists because such a document nests by
// instance, family and destination, and may lie inside the envelope of the interface that it was asked by.
package keyed

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"

	"zarvek/internal/capture/layout"
)

const name = "keyed JSON"

// Reader is the family's registration.
var Reader = layout.Reader{Structured: true, Name: name, Recognise: recognise, Read: Read,
	About: "routes, interfaces and neighbours as JSON, by the names of instances and prefixes or in rows named for " +
		"their table",
	Sample: "{\"vrfs\":{\"default\":{\"routes\":{\"10.61.32.0/24\":{\"routeType\":\"static\",\n" +
		" \"routeAction\":\"forward\",\"preference\":1,\"metric\":0,\n" +
		" \"vias\":[{\"nexthopAddr\":\"172.28.61.6\",\"interface\":\"line1\"}]}}}}}\n"}

// signs are the keys by which such a document is known.
var signs = [...]string{`"vias"`, `"routeAction"`, `"TABLE_prefix"`, `"TABLE_intf"`, `"TABLE_adj"`,
	`"interfaceAddress"`, `"ipV4Neighbors"`, `"ipV6Neighbors"`}

func recognise(text []byte) int {
	head := bytes.TrimLeft(text[:min(len(text), 8192)], " \t\r\n")
	if len(head) == 0 || head[0] != '{' && head[0] != '[' {
		return 0
	}
	for _, s := range signs {
		if bytes.Contains(head, []byte(s)) {
			return 1000
		}
	}
	return 0
}

// deepest is how many objects may lie in each other.
const deepest = 60

var (
	errDeep    = errors.New("objects lie too deep in each other")
	errOther   = errors.New("an object that is no route")
	errUnnamed = errors.New("its table is not named before it")
)

// reader walks one document after the other.
type reader struct {
	layout.Collector
	text  []byte
	dec   *layout.Tokens
	base  int    // where the document begins
	table string // of the routes that follow; "": not known
	likes layout.LikeRoutes
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{text: text, likes: layout.NewLikeRoutes("metric")}
	r.Layout = name
	layout.Documents(&r.Collector, text, func(dec *layout.Tokens, lo int) error {
		r.dec, r.base, r.table = dec, lo, "default"
		return r.value("", 0)
	})
	return r.Reading
}

// at is how far the text was read.
func (r *reader) at() int { return r.base + int(r.dec.InputOffset()) }

// peek returns the first byte of the next value.
func (r *reader) peek() byte {
	for at := r.at(); at < len(r.text); at++ {
		if c := r.text[at]; c != ' ' && c != '\t' && c != '\r' && c != '\n' && c != ':' && c != ',' {
			return c
		}
	}
	return 0
}

// value reads the value of a key: what the key names, or what lies deeper.
func (r *reader) value(key string, depth int) error {
	if depth > deepest {
		return errDeep
	}
	switch next := r.peek(); {
	case key == "vrf-name-out" && next == '"':
		t, err := r.dec.ReadToken()
		if err == nil {
			r.table = t.String()
		}
		return err
	case key == "vrfs" && next == '{':
		return r.members(func(name string) error { return r.instance(name, depth+1) })
	case key == "interfaces" && next == '{':
		return r.members(func(string) error { return item(r, r.link) })
	case key == "ROW_prefix":
		return items(r, r.row)
	case key == "ROW_intf":
		return items(r, r.rowLink)
	case key == "ROW_adj":
		return items(r, r.rowNeighbour)
	case key == "ipV4Neighbors", key == "ipV6Neighbors":
		return items(r, r.neighbour)
	case next == '{':
		return r.members(func(k string) error { return r.value(k, depth+1) })
	case next == '[':
		if _, err := r.dec.ReadToken(); err != nil {
			return err
		}
		for r.dec.PeekKind() != ']' {
			if err := r.value(key, depth+1); err != nil {
				return err
			}
		}
	}
	_, err := r.dec.ReadToken() // a plain value, or the list's end
	return err
}

// instance reads what is known of an instance; its routes stand directly in it.
func (r *reader) instance(name string, depth int) error {
	if r.peek() != '{' {
		return r.value("", depth)
	}
	return r.members(func(key string) error {
		if key != "routes" || r.peek() != '{' {
			return r.value(key, depth+1)
		}
		r.table = name
		return r.members(func(prefix string) error {
			key := bytes.LastIndexByte(r.text[:max(0, r.at()-1)], '"') // where it begins
			err := itemFrom(r, key, func(o *byPrefix, lo, hi int) error { return r.byPrefix(prefix, o, lo, hi) })
			if err == nil {
				err = r.passAlike()
			}
			return err
		})
	})
}

// members calls f for each key of an object, to read its value.
func (r *reader) members(f func(key string) error) error {
	if _, err := r.dec.ReadToken(); err != nil {
		return err
	}
	for r.dec.PeekKind() != '}' {
		t, err := r.dec.ReadToken()
		if err != nil {
			return err
		}
		if err := f(t.String()); err != nil {
			return err
		}
	}
	_, err := r.dec.ReadToken()
	return err
}

// items reads a list of objects, or one that stands for a list of one.
func items[T any](r *reader, read func(o *T, lo, hi int) error) error {
	if r.peek() != '[' {
		return item(r, read)
	}
	if _, err := r.dec.ReadToken(); err != nil {
		return err
	}
	for r.dec.PeekKind() != ']' {
		if err := item(r, read); err != nil {
			return err
		}
	}
	_, err := r.dec.ReadToken()
	return err
}

// item reads one object; what is wrong with it alone is told of its lines.
func item[T any](r *reader, read func(o *T, lo, hi int) error) error { return itemFrom(r, -1, read) }

// itemFrom is item for one whose text begins at lo already; -1: at its brace.
func itemFrom[T any](r *reader, lo int, read func(o *T, lo, hi int) error) error {
	var o T
	from := r.at()
	raw, err := r.dec.ReadValue()
	if err != nil {
		return err
	}
	hi := r.at()
	if i := bytes.IndexByte(r.text[from:hi], '{'); lo < 0 {
		lo = from + max(i, 0)
	}
	var bad *json.UnmarshalTypeError
	if err = json.Unmarshal(raw, &o); err != nil && !errors.As(err, &bad) && !errors.Is(err, layout.ErrNumber) {
		return err
	}
	switch {
	case bad != nil:
		err = fmt.Errorf("%w: %s in %q", layout.ErrNumber, bad.Value, bad.Field)
	case err == nil:
		err = read(&o, lo, hi)
	}
	r.Span(lo, hi, err)
	return nil
}
