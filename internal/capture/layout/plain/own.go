package plain

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const ownName = "own JSON"

// Own is the registration of what "table -as json" writes.
var Own = layout.Reader{Structured: true, Name: ownName, Recognise: recogniseOwn, Read: ReadOwn,
	About: "what zarvek table -as json writes",
	Sample: "{\"device\":\"valley\",\"tables\":[{\"table\":\"default\",\"family\":\"ipv4\"," +
		"\"best-preference\":\"lowest\",\"routes\":[\n" +
		"{\"destination-prefix\":\"10.61.16.0/24\",\"source-protocol\":\"direct\"," +
		"\"active\":true,\"installed\":true,\n" +
		" \"next-hops\":[{\"outgoing-interface\":\"hall0\"}]}]}]}\n"}

func recogniseOwn(text []byte) int {
	head := bytes.TrimSpace(text[:min(len(text), 4096)])
	if bytes.HasPrefix(head, []byte("{")) && bytes.Contains(head, []byte(`"tables"`)) &&
		bytes.Contains(head, []byte(`"best-preference"`)) {
		return 3000
	}
	return 0
}

// ownRoute is a route of the JSON contract.
type ownRoute struct {
	Prefix     string  `json:"destination-prefix"`
	Protocol   string  `json:"source-protocol"`
	Subtype    *string `json:"subtype"`
	Preference *uint64 `json:"route-preference"`
	Metric     *uint64 `json:"metric"`
	Active     bool    `json:"active"`
	Installed  bool    `json:"installed"`
	Rejected   bool    `json:"rejected"`
	Unusable   bool    `json:"unusable"`
	Special    *string `json:"special-next-hop"`
	NextHops   []struct {
		Address   *string `json:"next-hop-address"`
		Interface *string `json:"outgoing-interface"`
		Weight    uint32  `json:"weight"`
		Recursive bool    `json:"recursive"`
		Resolves  bool    `json:"resolves-recursive"`
		Inactive  bool    `json:"inactive"`
		Table     *string `json:"next-hop-table"`
		Selected  bool    `json:"selected"`
		Backup    bool    `json:"backup"`
		Down      bool    `json:"interface-down"`
		OnLink    bool    `json:"on-link"`
		Inside    bool    `json:"encapsulated"`
	} `json:"next-hops"`
}

type ownReader struct {
	layout.Collector
	dec         *layout.Tokens
	table, best string
	partial     route.Mark // of the table: where its object begins
	walk        bool
	likes       ownLikes
}

var errExpected = errors.New("not in the form that this program writes")

// ReadOwn reads one document.
func ReadOwn(text []byte) layout.Reading {
	r := ownReader{dec: layout.ByPassing(text), likes: ownLikes{shapes: layout.NewShapes(ownMembers...)}}
	r.Layout = ownName
	err := r.object(func(key string) error {
		if key != "tables" {
			return r.dec.SkipValue()
		}
		return r.array(func() error {
			r.table, r.best, r.partial, r.walk = "default", "", route.Mark{}, false
			r.likes.seen.Forget()
			return r.object(r.tableField)
		})
	})
	within := err != nil && r.dec.InputOffset() > 0
	if err == nil {
		if rest := text[r.dec.InputOffset():]; !layout.Blank(rest) {
			err = errExpected
		}
	}
	if err != nil {
		if within { // what the document would have said behind is not read
			r.CutLast()
		}
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			err = layout.ErrCut
		}
		at := int(r.dec.InputOffset())
		if n := len(r.Spans); n > 0 {
			at = max(at, r.Spans[n-1].Hi)
		}
		err = fmt.Errorf("cannot be read from here on: %w", cmp.Or(layout.Unfit(err), layout.Fault(err)))
		r.Span(min(at, len(text)), len(text), err)
	}
	r.Account(text)
	return r.Reading
}

// object walks over an object's members as they stand in the text, so that each can tell its place.
func (r *ownReader) object(field func(key string) error) error {
	return r.each('{', '}', func() error {
		key, err := r.dec.ReadToken()
		if err != nil {
			return err
		}
		return field(key.String())
	})
}

// array walks over an array's elements as they stand in the text.
func (r *ownReader) array(element func() error) error { return r.each('[', ']', element) }

func (r *ownReader) each(begin, end jsontext.Kind, inside func() error) error {
	if t, err := r.dec.ReadToken(); err != nil {
		return err
	} else if t.Kind() != begin {
		return errExpected
	}
	for r.dec.PeekKind() != end {
		if err := inside(); err != nil {
			return err
		}
	}
	_, err := r.dec.ReadToken()
	return err
}

// tableField takes one member of a table.
func (r *ownReader) tableField(key string) error {
	switch key {
	case "table":
		return json.UnmarshalDecode(r.dec.Decoder, &r.table)
	case "best-preference":
		return json.UnmarshalDecode(r.dec.Decoder, &r.best)
	case "partial":
		var yes bool
		err := json.UnmarshalDecode(r.dec.Decoder, &yes)
		if at := int(r.dec.InputOffset()); yes {
			r.partial = layout.Mark(at-len("true"), at)
		}
		return err
	case "management-walk":
		return json.UnmarshalDecode(r.dec.Decoder, &r.walk)
	case "routes":
		return r.array(r.route)
	}
	return r.dec.SkipValue()
}

// route reads one route with its place in the text; one that is wrong is left unread, and the rest is read on.
func (r *ownReader) route() error {
	raw, err := r.dec.ReadValue()
	if err != nil {
		return err
	}
	hi := int(r.dec.InputOffset())
	lo := hi - len(raw)
	var o ownRoute
	if err = json.Unmarshal(raw, &o, layout.Tolerant); err != nil {
		err = cmp.Or(layout.Unfit(err), err)
	} else if err = r.add(&o, lo, hi); err == nil {
		r.remember(raw)
	}
	r.Span(lo, hi, err)
	return r.passAlike()
}

// add puts one route of our own form back as it was written.
func (r *ownReader) add(o *ownRoute, lo, hi int) error {
	p, err := layout.Prefix([]byte(o.Prefix), false)
	if err != nil {
		return err
	}
	proto, ok := protocols[o.Protocol]
	if !ok {
		return fmt.Errorf("%w: source protocol %q", layout.ErrNotARoute, o.Protocol)
	}
	a := layout.Attributes{Attributes: route.Attributes{Protocol: proto}}
	if o.Subtype != nil {
		a.Subtype = *o.Subtype
	}
	if o.Special != nil {
		if a.Special, ok = specials[*o.Special]; !ok {
			return fmt.Errorf("%w: special next hop %q", layout.ErrNotARoute, *o.Special)
		}
	}
	if o.Preference != nil {
		a.Preference = route.N(*o.Preference)
	}
	if o.Metric != nil {
		a.Metric = route.N(*o.Metric)
	}
	for _, n := range o.NextHops {
		h := route.NextHop{
			Weight: n.Weight, Recursive: n.Recursive, Resolves: n.Resolves, Inactive: n.Inactive,
			Installed: n.Selected, Backup: n.Backup, Down: n.Down, OnLink: n.OnLink, Encapsulated: n.Inside,
		}
		if n.Table != nil {
			h.Table = *n.Table
		}
		if n.Interface != nil {
			h.Interface = *n.Interface
		}
		if n.Address != nil {
			if h.Address, ok = layout.Addr([]byte(*n.Address)); !ok {
				return fmt.Errorf("%w: %q", layout.ErrAddress, *n.Address)
			}
		}
		a.NextHops = append(a.NextHops, h)
	}
	state := route.State(0)
	if o.Active {
		state |= route.Active
	}
	if o.Installed {
		state |= route.Installed
	}
	for _, x := range []struct {
		on  bool
		bit route.State
	}{{o.Rejected, route.Rejected}, {o.Unusable, route.Unusable}} {
		if x.on {
			state |= x.bit
		}
	}
	kind := network.Candidates
	if r.walk {
		kind = network.Walk
	}
	r.likes.led = ownLike{state: state}
	s := r.Add(r.table, kind, a.Route(p, state, layout.Mark(lo, hi)), 0)
	if mayRepeat(&a) {
		r.likes.led.shared = s
	}
	t := &r.Facts.Tables[len(r.Facts.Tables)-1]
	t.HighestWins = t.HighestWins || r.best == "highest"
	if r.partial.Known() {
		t.Filtered = r.partial
	}
	return nil
}
