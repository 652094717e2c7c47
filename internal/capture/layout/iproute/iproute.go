// Package iproute reads what iproute2 prints as JSON (ip -j): routes of all tables, addresses and links, neighbours
// and policy rules. It exists because the kernel's own tables are what forwards.
//
// A text may hold several JSON documents one after another, as several commands leave them. Each object is read or
// left unread by itself; every statement points at its object.
package iproute

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

const name = "iproute JSON"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read}

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
	waiting []object // default routes whose family the next route decides
	family  route.Family
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{text: text}
	r.Layout = name
	lo := 0
	var err error
	for err == nil {
		lo, err = r.document(lo)
	}
	r.settleWaiting()
	if !errors.Is(err, io.EOF) {
		if errors.Is(err, io.ErrUnexpectedEOF) {
			for i := range r.Facts.Tables {
				r.Facts.Tables[i].Cut = true
			}
			err = layout.ErrCut
		}
		r.Span(lo, len(text), fmt.Errorf("not valid JSON from here on: %w", err))
	}
	r.Account(text)
	return r.Reading
}

// document reads one JSON array from offset lo on and returns where it ends.
func (r *reader) document(lo int) (int, error) {
	for lo < len(r.text) && bytes.IndexByte([]byte(" \t\r\n"), r.text[lo]) >= 0 {
		lo++
	}
	if lo == len(r.text) {
		return lo, io.EOF
	}
	dec := json.NewDecoder(bytes.NewReader(r.text[lo:]))
	t, err := dec.Token()
	if err != nil {
		return lo, err
	}
	if t != json.Delim('[') {
		return lo, errors.New("an array was expected")
	}
	r.family = 0
	at := lo + int(dec.InputOffset())
	for dec.More() {
		var o object
		err := dec.Decode(&o)
		end := lo + int(dec.InputOffset())
		var bad *json.UnmarshalTypeError
		if err != nil && !errors.As(err, &bad) {
			return at, err
		}
		o.lo, o.hi = end-1, end
		i := bytes.IndexByte(r.text[at:end], '{') // past the comma
		if i >= 0 {
			o.lo = at + i
		}
		if i < 0 {
			err = errUnknownObject
		} else if bad != nil {
			err = fmt.Errorf("%w: %s in %q", layout.ErrNumber, bad.Value, bad.Field)
		} else {
			err = r.object(&o)
		}
		r.Span(o.lo, o.hi, err)
		at = end
	}
	if _, err := dec.Token(); err != nil {
		return at, err
	}
	return lo + int(dec.InputOffset()), nil
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
