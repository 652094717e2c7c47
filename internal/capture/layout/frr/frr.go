// Package frr reads what the FRR routing daemons print beside their lettered tables: routes as JSON, the brief list of
// interfaces with their addresses, and whether forwarding is on.
package frr

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"

	"github.com/go-json-experiment/json"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const jsonName = "FRR JSON"

// JSON is the registration of the routes' JSON form.
var JSON = layout.Reader{Structured: true, Name: jsonName, Recognise: recogniseJSON, Read: ReadJSON,
	About: "the routing daemons' tables as JSON",
	Sample: "{\"10.61.16.0/24\":[{\"prefix\":\"10.61.16.0/24\",\"protocol\":\"connected\",\n" +
		"  \"selected\":true,\"installed\":true,\n" +
		"  \"nexthops\":[{\"interfaceName\":\"hall0\",\"active\":true,\"fib\":true}]}]}\n"}

var errNotARoute = errors.New("an object that is no route")

// recogniseJSON looks for a prefix and a protocol in the first bytes. An empty object may be an empty table.
func recogniseJSON(text []byte) int {
	head := bytes.TrimLeft(text[:min(len(text), 4096)], " \t\r\n")
	if len(head) == 0 || head[0] != '{' {
		return 0
	}
	if rest := bytes.TrimLeft(head[1:], " \t\r\n"); len(rest) > 0 && rest[0] == '}' {
		return 1
	}
	for _, key := range [...]string{`"prefix":`, `"prefix" :`} {
		if bytes.Contains(head, []byte(key)) && bytes.Contains(head, []byte(`"protocol"`)) {
			return 1000
		}
	}
	return 0
}

// object is one route.
type object struct {
	Prefix    string  `json:"prefix"`
	Protocol  string  `json:"protocol"`
	VRF       string  `json:"vrfName"`
	Selected  bool    `json:"selected"`
	Installed bool    `json:"installed"`
	Queued    bool    `json:"queued"`
	Failed    bool    `json:"failed"`
	Offload   bool    `json:"offloadFailed"`
	Distance  *uint64 `json:"distance"`
	Metric    *uint64 `json:"metric"`
	Table     *uint64 `json:"table"`
	NextHops  []hop   `json:"nexthops"`
}

type hop struct {
	IP          string `json:"ip"`
	Interface   string `json:"interfaceName"`
	Active      bool   `json:"active"`
	FIB         bool   `json:"fib"`
	Recursive   bool   `json:"recursive"`
	Resolver    bool   `json:"resolver"`
	OnLink      bool   `json:"onLink"`
	LinkDown    bool   `json:"linkDown"`
	Unreachable bool   `json:"unreachable"`
	Blackhole   bool   `json:"blackhole"`
	Reject      bool   `json:"reject"`
	Prohibited  bool   `json:"admin-prohibited"`
	Prohibited2 bool   `json:"adminProhibited"`
	Labels      []any  `json:"labels"`
	Segments    any    `json:"seg6"`
	VRF         string `json:"vrf"`
	Weight      uint32 `json:"weight"`
}

type jsonReader struct {
	layout.Collector
	dec  *layout.Tokens
	base int // where its document begins

	likes layout.LikeRoutes
	led   layout.LikeRoute // what the last object led to
}

// ReadJSON reads one or more documents: PREFIX to list of routes, or table name to such a document.
func ReadJSON(text []byte) layout.Reading {
	r := jsonReader{likes: layout.NewLikeRoutes("metric", own...)}
	r.Layout = jsonName
	layout.Documents(&r.Collector, text, func(dec *layout.Tokens, lo int) error {
		r.dec, r.base = dec, lo
		return r.document("", 0)
	})
	return r.Reading
}

// at is how far the text was read.
func (r *jsonReader) at() int { return r.base + int(r.dec.InputOffset()) }

// document reads an object whose values are lists of routes, or such objects by name of a table.
func (r *jsonReader) document(table string, depth int) error {
	if t, err := r.dec.ReadToken(); err != nil || t.Kind() != '{' {
		return orExpected(err)
	}
	for r.dec.PeekKind() != '}' {
		key, err := r.dec.ReadToken()
		if err != nil {
			return err
		}
		name := key.String()
		after := r.at()
		switch next := r.dec.PeekKind(); {
		case next == '[':
			if err = r.list(table); err == nil {
				err = r.passAlike(table)
			}
		case next == '{' && depth == 0:
			err = r.document(name, 1)
		default:
			if err = r.dec.SkipValue(); err == nil {
				r.Span(after, r.at(), errNotARoute)
			}
		}
		if err != nil {
			return err
		}
	}
	_, err := r.dec.ReadToken()
	return err
}

func orExpected(err error) error {
	if err == nil {
		err = errors.New("an object was expected")
	}
	return err
}

// list reads the routes of one prefix; an element that is none is left unread, and the rest is read on.
func (r *jsonReader) list(table string) error {
	if _, err := r.dec.ReadToken(); err != nil {
		return err
	}
	for r.dec.PeekKind() != ']' {
		raw, err := r.dec.ReadValue()
		if err != nil {
			return err
		}
		hi := r.at()
		lo := hi - len(raw)
		if r.likes.Match(raw) == len(raw) && r.quick(lo, hi, table) {
			continue
		}
		var o object
		switch err = json.Unmarshal(raw, &o, layout.Tolerant); {
		case err != nil:
			err = cmp.Or(layout.Unfit(err), err)
		case o.Prefix == "":
			err = errNotARoute
		default:
			if err = r.route(&o, lo, hi, table); err == nil && r.led != (layout.LikeRoute{}) {
				r.likes.Remember(raw, table, []byte(o.Prefix), r.led)
			}
		}
		r.Span(lo, hi, err)
	}
	_, err := r.dec.ReadToken()
	return err
}

var protocols = map[string]route.Protocol{
	"connected": route.Direct,
	"local":     route.Local,
	"kernel":    route.Kernel,
	"static":    route.Static,
	"rip":       route.RIP,
	"ripng":     route.RIPng,
	"ospf":      route.OSPF,
	"ospf6":     route.OSPF,
	"isis":      route.ISIS,
	"eigrp":     route.EIGRP,
	"bgp":       route.BGP,
	"babel":     route.Babel,
}

// route makes a route of one object. A protocol that is not known is kept as the subtype, so that it is shown.
func (r *jsonReader) route(o *object, lo, hi int, table string) error {
	p, err := layout.Prefix([]byte(o.Prefix), false)
	if err != nil {
		return err
	}
	a := layout.Attributes{Attributes: route.Attributes{Protocol: protocols[o.Protocol]}}
	if _, ok := protocols[o.Protocol]; !ok {
		a.Subtype = o.Protocol
	}
	if a.Protocol == route.Local {
		a.Special = route.Receive
	}
	if a.Protocol != route.Direct && a.Protocol != route.Local {
		if o.Distance != nil {
			a.Preference = route.N(*o.Distance)
		}
		if o.Metric != nil {
			a.Metric = route.N(*o.Metric)
		}
	}
	for _, h := range o.NextHops {
		if h.Unreachable || h.Blackhole || h.Reject {
			a.Special = route.Unreachable
			if h.Blackhole {
				a.Special = route.Blackhole
			} else if h.Prohibited || h.Prohibited2 {
				a.Special = route.Prohibit
			}
			continue
		}
		n := route.NextHop{Interface: h.Interface, Weight: h.Weight, Recursive: h.Recursive, Resolves: h.Resolver,
			Inactive: !h.Active, OnLink: h.OnLink, Down: h.LinkDown, Encapsulated: labelled(h.Labels) ||
				h.Segments != nil,
			Installed: h.FIB && o.Installed} // a route that is not installed may keep the mark from earlier
		if h.IP != "" {
			var ok bool
			if n.Address, ok = layout.Addr([]byte(h.IP)); !ok {
				return fmt.Errorf("%w: %q", layout.ErrAddress, h.IP)
			}
		}
		if h.VRF != "" && h.VRF != o.VRF {
			n.Table = h.VRF
		}
		a.NextHops = append(a.NextHops, n)
	}
	state := o.state()
	shared := r.Add(tableName(o, table), network.Candidates, a.Route(p, state, layout.Mark(lo, hi)), 0)
	if r.led = (layout.LikeRoute{Shared: shared, State: state}); a.Special == route.None && layout.Nowhere(a.NextHops) {
		r.led = layout.LikeRoute{} // an unnamed interface is the prefix's own
	}
	return nil
}

// state is what the marks say: a chosen route that the forwarding table has not taken counts as rejected, since packets
// do not use it.
func (o *object) state() route.State {
	s := route.State(0)
	if o.Selected {
		s |= route.Active
	}
	if o.Installed && !o.Offload { // the kernel has it, and what forwards at speed has not
		s |= route.Installed
	}
	if o.Selected && (o.Offload || !o.Installed && (o.Queued || o.Failed)) {
		s |= route.Rejected
	}
	return s
}

// tableName names the routing instance; a further table of the default one goes by its number.
func tableName(o *object, table string) string {
	if o.VRF != "" {
		table = o.VRF
	}
	if table == "" || table == "default" {
		if o.Table != nil && *o.Table != 254 && *o.Table != 0 {
			return strconv.FormatUint(*o.Table, 10)
		}
		return "default"
	}
	return table
}

// implicitNull is the label that says that none is put on (RFC 3032 section 2.1).
const implicitNull = 3.0

func labelled(labels []any) bool {
	return slices.ContainsFunc(labels, func(l any) bool { return l != implicitNull && l != "implicit-null" })
}
