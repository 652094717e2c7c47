// Package nftables reads the kernel's packet filter as JSON (nft -j list ruleset): what its forward chains permit, and
// which addresses it translates. It exists because routes alone do not tell what a firewall lets through.
//
// What it cannot express becomes a rule that may fit, so that a walk says unknown and never guesses.
package nftables

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

const name = "nftables JSON"

// Reader is the family's registration.
var Reader = layout.Reader{Structured: true, Name: name, Recognise: recognise, Read: Read,
	About: "the kernel's packet filter (nft -j list ruleset): what it lets through, which addresses it translates",
	Sample: "{\"nftables\":[{\"chain\":{\"family\":\"ip\",\"table\":\"f\",\"name\":\"c\",\"type\":\"filter\",\n" +
		"  \"hook\":\"forward\",\"prio\":0,\"policy\":\"drop\"}},\n" +
		" {\"rule\":{\"family\":\"ip\",\"table\":\"f\",\"chain\":\"c\",\"expr\":[{\"accept\":null}]}}]}\n"}

func recognise(text []byte) int {
	head := bytes.TrimLeft(text[:min(len(text), 4096)], " \t\r\n")
	if len(head) > 0 && head[0] == '{' && bytes.Contains(head[:min(len(head), 64)], []byte(`"nftables"`)) {
		return 2000
	}
	return 0
}

// object is one element of the ruleset: exactly one pointer is set for those that matter.
type object struct {
	Chain *chain `json:"chain"`
	Rule  *rule  `json:"rule"`
	Set   *set   `json:"set"`
	Table *table `json:"table"`
	lo    int
	hi    int
}

type chain struct {
	Family, Table, Name, Type, Hook, Policy string
	Prio                                    int
}

type table struct {
	Family, Name string
	Flags        json.RawMessage // a word, or several
}

type rule struct {
	Family, Table, Chain string
	Expr                 []map[string]json.RawMessage
	mark                 route.Mark
}

type set struct {
	Family, Table, Name string
	Elem                []json.RawMessage
}

type key struct{ family, table, name string }

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = name
	objects, at, err := elements(text)
	rs := newRuleset()
	for _, o := range objects {
		switch {
		case o.Chain != nil:
			rs.named[key{o.Chain.Family, o.Chain.Table, o.Chain.Name}] = true
			rs.chains = append(rs.chains, chainAt{*o.Chain, layout.Mark(o.lo, o.hi)})
		case o.Table != nil && bytes.Contains(o.Table.Flags, []byte(`"dormant"`)):
			rs.asleep[key{family: o.Table.Family, table: o.Table.Name}] = true
		case o.Rule != nil:
			o.Rule.mark = layout.Mark(o.lo, o.hi)
			k := key{o.Rule.Family, o.Rule.Table, o.Rule.Chain}
			rs.rules[k] = append(rs.rules[k], o.Rule)
		case o.Set != nil:
			rs.sets[key{o.Set.Family, o.Set.Table, o.Set.Name}] = o.Set.Elem
		}
		c.Span(o.lo, o.hi, nil)
	}
	rs.build(&c.Facts.Policy)
	if err != nil {
		c.Span(at, len(text), err)
	}
	c.Sort()
	c.Account(text)
	return c.Reading
}

var errShape = errors.New("not a ruleset as nft prints it")

// elements reads the elements of the list, each with where it stands; at is where it went wrong.
func elements(text []byte) (out []object, at int, err error) {
	dec := json.NewDecoder(bytes.NewReader(text))
	for _, want := range []any{json.Delim('{'), "nftables", json.Delim('[')} {
		at = int(dec.InputOffset())
		if got, err := dec.Token(); err != nil || got != want {
			return nil, at, errShape
		}
	}
	for dec.More() {
		lo := int(dec.InputOffset())
		for lo < len(text) && (text[lo] == ',' || text[lo] == ' ' || text[lo] == '\n' || text[lo] == '\r' ||
			text[lo] == '\t') {
			lo++
		}
		var o object
		err := dec.Decode(&o)
		var bad *json.UnmarshalTypeError
		switch {
		case errors.As(err, &bad):
			return out, lo, errShape
		case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF):
			return out, lo, layout.ErrCut
		case err != nil:
			return out, lo, err
		}
		o.lo, o.hi = lo, int(dec.InputOffset())
		out = append(out, o)
	}
	at = int(dec.InputOffset())
	for range 2 { // the ends of list and document
		if _, err := dec.Token(); err != nil {
			return out, at, layout.ErrCut
		}
	}
	if end := int(dec.InputOffset()); !layout.Blank(text[end:]) {
		return out, end, errShape
	}
	return out, len(text), nil
}
