// Package iproute reads what iproute2 prints as JSON (ip -j): routes of all tables, addresses and links, neighbours
// and policy rules. It exists because the kernel's own tables are what forwards.
//
// A text may hold several JSON documents one after another, as several commands leave them. Each object is read or
// left unread by itself; every statement points at its object.
package iproute

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"

	"github.com/go-json-experiment/json"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const name = "iproute JSON"

// Reader is the family's registration.
var Reader = layout.Reader{Structured: true, Name: name, Recognise: recognise, Read: Read,
	About: "ip -j route, addr, link, neigh, rule",
	Sample: "[{\"dst\":\"10.61.32.0/24\",\"gateway\":\"172.28.61.6\",\"dev\":\"line1\"," +
		"\"protocol\":\"ospf\",\"flags\":[]},\n" +
		" {\"type\":\"blackhole\",\"dst\":\"10.61.40.0/21\",\"flags\":[]},\n" +
		" {\"dst\":\"10.61.16.0/24\",\"dev\":\"hall0\",\"protocol\":\"kernel\",\"scope\":\"link\",\"flags\":[]}]\n"}

var errUnknownObject = errors.New("an object that is no route, address, neighbour or rule")

// recognise looks for a JSON array of objects with iproute's names.
func recognise(text []byte) int {
	head := bytes.TrimLeft(text[:min(len(text), 4096)], " \t\r\n\ufeff")
	if len(head) == 0 || head[0] != '[' {
		return 0
	}
	rest := bytes.TrimLeft(head[1:], " \t\r\n")
	if len(rest) > 0 && rest[0] == ']' {
		return 1
	}
	for _, key := range [...]string{`"dst":`, `"ifname":`, `"priority":`, `"dst" :`} {
		if bytes.Contains(head, []byte(key)) && len(rest) > 0 && rest[0] == '{' {
			return 1000
		}
	}
	return 0
}

type reader struct {
	layout.Collector
	text    []byte
	comma   bool // stood behind the last element
	plain   bool // the last route said nothing beside itself
	shared  layout.Shared
	seen    layout.Likenesses[layout.Shared] // plain routes by what stood behind their prefix, but for the metric
	rules   rulesSeen                        // of the listing that is read
	waiting []object                         // default routes whose family the next route decides
	family  route.Family
	vrfs    map[string]string         // interfaces that are a VRF themselves, with its table's number or ""
	slaves  map[string]string         // interfaces that another one has, with its name
	ones    map[onlyOne]route.NextHop // routes that a kernel has once, with their first next hop
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{text: text}
	r.Layout = name
	lo := 0
	var err error
	for err == nil {
		r.comma = false
		lo, err = r.document(lo)
	}
	r.settleWaiting()
	r.settleRules()
	if !errors.Is(err, io.EOF) {
		if !errors.Is(err, errNoArray) { // the array had begun: what it would have said behind is not read
			for i := range r.Facts.Tables {
				r.Facts.Tables[i].Cut = true
			}
		}
		if errors.Is(err, io.ErrUnexpectedEOF) {
			err = layout.ErrCut
		}
		r.Span(lo, len(text), fmt.Errorf("not valid JSON from here on: %w", err))
	}
	r.Sort()
	r.Account(text)
	r.byRule()
	r.namesVRFs()
	return r.Reading
}

var errNoArray = errors.New("an array was expected")

// document reads one JSON array from offset lo on and returns where it ends.
func (r *reader) document(lo int) (int, error) {
	at := r.skip(lo)
	if at == len(r.text) {
		return at, io.EOF
	}
	if r.text[at] != '[' {
		return at, errNoArray
	}
	r.family = 0
	at = r.skip(at + 1)
	for first := true; ; first = false {
		switch {
		case at == len(r.text):
			return at, io.ErrUnexpectedEOF
		case r.text[at] == ']' && !r.comma:
			r.settleRules()
			return at + 1, nil
		case !first && !r.comma:
			return at, errors.New("a comma was expected")
		}
		end, ok := r.quick(at)
		if !ok {
			var err error
			if end, err = r.element(at); err != nil {
				return at, err
			}
		}
		at = r.skip(end)
		if r.comma = at < len(r.text) && r.text[at] == ','; r.comma {
			at = r.skip(at + 1)
		}
	}
}

// skip returns the offset of what is not white space at or behind at.
func (r *reader) skip(at int) int {
	for at < len(r.text) && (r.text[at] == ' ' || r.text[at] == '\n' || r.text[at] == '\r' || r.text[at] == '\t') {
		at++
	}
	return at
}

var firstDst = lazyregexp.New(`"dst": ?"([^"]*)"`)

// element reads what stands at an offset by package json and returns where it ends.
func (r *reader) element(at int) (int, error) {
	raw, err := layout.ByTokens(r.text[at:]).ReadValue()
	if err != nil {
		if errors.Is(err, io.EOF) {
			err = io.ErrUnexpectedEOF
		}
		return at, layout.Fault(err)
	}
	end := at + len(raw)
	var o object
	if r.text[at] == '{' {
		err = json.Unmarshal(raw, &o, layout.Tolerant)
	}
	switch {
	case r.text[at] != '{':
		err = errUnknownObject
	case err != nil:
		err = cmp.Or(layout.Unfit(err), err)
	default:
		o.lo, o.hi = at, end
		if o.Encap != "" { // what is put around the packet has a "dst" of its own
			if m := firstDst.FindSubmatch(raw); m != nil {
				o.Dst = word(m[1])
			}
		}
		r.plain = false
		if err = r.object(&o); err == nil && r.plain {
			r.remember(&o)
		}
	}
	r.Span(at, end, err)
	return end, nil
}

// object sorts an object by the names in it.
func (r *reader) object(o *object) error {
	switch {
	case o.Ifname != "":
		return r.link(o)
	case o.Priority != nil:
		return r.rule(o)
	case o.State != nil || o.LLAddr != "":
		return r.neighbour(o)
	case o.Dst != "":
		return r.route(o)
	case o.hi-o.lo == len("{}"): // what a filter of iproute left out
		return nil
	}
	return errUnknownObject
}
