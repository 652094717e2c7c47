package keyed

import (
	"encoding/json"
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// scalar is a value that some versions write as a string and others as a number or truth value.
type scalar string

// UnmarshalJSON takes any plain value.
func (t *scalar) UnmarshalJSON(b []byte) error {
	var s string
	if err := json.Unmarshal(b, &s); err == nil {
		*t = scalar(s)
		return nil
	}
	if len(b) > 0 && (b[0] == '{' || b[0] == '[') {
		return fmt.Errorf("%w: %.20q", layout.ErrNumber, b)
	}
	*t = scalar(b)
	return nil
}

// list is a list of which one element may stand for itself.
type list[T any] []T

// UnmarshalJSON takes a list or its only element.
func (l *list[T]) UnmarshalJSON(b []byte) error {
	if len(b) > 0 && b[0] == '[' {
		return json.Unmarshal(b, (*[]T)(l))
	}
	*l = make([]T, 1)
	return json.Unmarshal(b, &(*l)[0])
}

// prefixRow is a destination with the paths to it.
type prefixRow struct {
	Prefix string `json:"ipprefix"`
	Paths  struct {
		Rows list[pathRow] `json:"ROW_path"`
	} `json:"TABLE_path"`
}

type pathRow struct {
	NextHop    string `json:"ipnexthop"`
	Interface  string `json:"ifname"`
	Preference scalar `json:"pref"`
	Metric     scalar `json:"metric"`
	Client     string `json:"clientname"`
	Type       string `json:"type"`
	Best       scalar `json:"ubest"`
	VRF        string `json:"nhvrf"`
	Segment    scalar `json:"segmentid"`
	Encap      string `json:"encap_type"`
}

// clients are the words for what a path was learned by, up to a hyphen.
var clients = map[string]route.Protocol{"direct": route.Direct, "am": route.Direct, "hsrp": route.Direct,
	"vrrp": route.Direct, "local": route.Local, "static": route.Static,
	"ospf": route.OSPF, "ospfv3": route.OSPF, "isis": route.ISIS, "bgp": route.BGP, "eigrp": route.EIGRP,
	"rip": route.RIP}

// pathTypes make them more precise.
var pathTypes = map[string]string{"intra": "intra-area", "inter": "inter-area", "type-1": "external-1",
	"type-2":      "external-2",
	"nssa type-1": "nssa-external-1", "nssa type-2": "nssa-external-2", "l1": "level-1", "l2": "level-2",
	"internal": "internal", "external": "external"}

// row reads a destination: paths of one source and state are one route.
func (r *reader) row(o *prefixRow, lo, hi int) error {
	var routes []layout.Attributes
	var states []route.State
	for _, p := range o.Paths.Rows {
		client, _, _ := strings.Cut(strings.ToLower(p.Client), "-")
		a := layout.Attributes{}
		a.Protocol, a.Subtype = clients[client], pathTypes[strings.ToLower(p.Type)]
		if a.Protocol == route.Other {
			a.Subtype = client
		}
		state := route.State(0)
		if strings.EqualFold(string(p.Best), "true") {
			state = route.Active | route.Installed
		}
		for _, n := range []struct {
			text scalar
			to   *route.Number
		}{{p.Preference, &a.Preference}, {p.Metric, &a.Metric}} {
			if n.text == "" {
				continue
			}
			v, ok := layout.Uint([]byte(n.text))
			if !ok {
				return fmt.Errorf("%w: %q", layout.ErrNumber, string(n.text))
			}
			*n.to = route.N(v)
		}
		h := route.NextHop{Interface: p.Interface, Table: p.VRF, Encapsulated: p.Segment != "" || p.Encap != ""}
		if addr, at, _ := strings.Cut(p.NextHop, "%"); addr != "" {
			var ok bool
			if h.Address, ok = layout.Addr([]byte(strings.TrimSuffix(addr, "/32"))); !ok {
				return fmt.Errorf("%w: %q", layout.ErrAddress, p.NextHop)
			}
			if h.Table == "" && at != r.table {
				h.Table = at
			}
		}
		switch a.Protocol {
		case route.Local:
			a.Special, h.Address = route.Receive, netip.Addr{}
		case route.Direct:
			h.Address = netip.Addr{} // what stands there is the device's own
		}
		if err := addHop(&a, h); err != nil {
			return err
		}
		if n := len(routes); n > 0 && states[n-1] == state && alike(routes[n-1], a) {
			routes[n-1].NextHops = append(routes[n-1].NextHops, a.NextHops...)
			continue
		}
		routes, states = append(routes, a), append(states, state)
	}
	if len(routes) == 0 {
		return layout.ErrNoRoute
	}
	for i, a := range routes {
		if _, err := r.add(o.Prefix, a, states[i], lo, hi); err != nil {
			return err
		}
	}
	return nil
}

// alike reports whether two paths differ in their next hops alone.
func alike(a, b layout.Attributes) bool {
	return a.Protocol == b.Protocol && a.Subtype == b.Subtype && a.Preference == b.Preference && a.Metric == b.Metric &&
		a.Special == b.Special
}

// linkRow is an interface.
type linkRow struct {
	Name   string `json:"intf-name"`
	Admin  string `json:"admin-state"`
	Proto  string `json:"proto-state"`
	Link   string `json:"link-state"`
	Prefix string `json:"prefix"`
	Length scalar `json:"masklen"`
	VRF    string `json:"vrf-name-out"`
}

func (r *reader) rowLink(o *linkRow, lo, hi int) error {
	if o.Name == "" {
		return errOther
	}
	r.interfaceIs(o.Name, "", []string{o.Admin, o.Link, o.Proto}, lo, hi)
	if o.Prefix == "" || o.Prefix == "0.0.0.0" {
		return nil
	}
	return r.address(o.Name, o.Prefix, string(o.Length), o.VRF, lo, hi)
}

// neighbourRow is a neighbour's address and link-layer address.
type neighbourRow struct {
	Address   string `json:"ip-addr-out"`
	MAC       string `json:"mac"`
	Interface string `json:"intf-out"`
}

func (r *reader) rowNeighbour(o *neighbourRow, lo, hi int) error {
	return r.neighbourIs(o.Address, o.MAC, o.Interface, lo, hi)
}

// interfaceIs adds an interface that is up where every word that it has says so.
func (r *reader) interfaceIs(name, mac string, states []string, lo, hi int) {
	i := network.Interface{Name: name, Mark: layout.Mark(lo, hi)}
	i.MAC, _ = layout.Hardware(mac)
	for _, s := range states {
		switch strings.ToLower(s) {
		case "":
		case "up", "connected":
			if i.State == network.LinkUnknown {
				i.State = network.LinkUp
			}
		default:
			i.State = network.LinkDown
		}
	}
	r.Facts.Interfaces = append(r.Facts.Interfaces, i)
}

// address adds an own address; without a length it is known alone.
func (r *reader) address(dev, addr, length, table string, lo, hi int) error {
	text := addr
	if length != "" {
		text += "/" + length
	}
	p, err := layout.Prefix([]byte(text), true)
	if err != nil {
		return err
	}
	if table == "default" {
		table = ""
	}
	r.Facts.Addresses = append(r.Facts.Addresses,
		network.Address{Prefix: p, Interface: dev, Table: table, Mark: layout.Mark(lo, hi)})
	return nil
}

// neighbourIs adds a neighbour that answers.
func (r *reader) neighbourIs(addr, mac, dev string, lo, hi int) error {
	a, ok := layout.Addr([]byte(addr))
	if !ok {
		return fmt.Errorf("%w: %q", layout.ErrAddress, addr)
	}
	n := network.Neighbour{Address: a.WithZone(""), Interface: dev, State: network.NeighbourAlive,
		Mark: layout.Mark(lo, hi)}
	if n.MAC, ok = layout.Hardware(mac); !ok {
		n.State = network.NeighbourFailed
	}
	r.Facts.Neighbours = append(r.Facts.Neighbours, n)
	return nil
}
