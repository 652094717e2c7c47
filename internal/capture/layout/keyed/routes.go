package keyed

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// byPrefix is a route that stands under its prefix.
type byPrefix struct {
	Type       string  `json:"routeType"`
	Action     string  `json:"routeAction"`
	Preference *uint64 `json:"preference"`
	Metric     *uint64 `json:"metric"`
	Hardware   *bool   `json:"hardwareProgrammed"`
	Kernel     *bool   `json:"kernelProgrammed"`
	Vias       []struct {
		Interface string          `json:"interface"`
		NextHop   string          `json:"nexthopAddr"`
		Weight    uint32          `json:"weight"`
		VRF       string          `json:"vrf"`
		Tunnel    json.RawMessage `json:"vtepAddr"`
		Labels    json.RawMessage `json:"labelStack"`
	} `json:"vias"`
}

// types are the words of such a route for what it was learned by.
var types = map[string]struct {
	protocol route.Protocol
	subtype  string
}{
	"connected": {route.Direct, ""}, "attached": {route.Direct, ""}, "static": {route.Static,
		""}, "kernel": {route.Kernel, ""},
	"receive": {route.Local, ""}, "rip": {route.RIP, ""}, "bgp": {route.BGP, ""}, "ebgp": {route.BGP,
		"external"}, "ibgp": {route.BGP, "internal"},
	"bgpaggregate": {route.Aggregate, ""}, "aggregate": {route.Aggregate, ""}, "ospf": {route.OSPF,
		""}, "ospfv3": {route.OSPF, ""},
	"ospfintraarea": {route.OSPF, "intra-area"}, "ospfinterarea": {route.OSPF, "inter-area"},
	"ospfexternal1": {route.OSPF, "external-1"}, "ospfexternal2": {route.OSPF,
		"external-2"}, "ospfexternaltype1": {route.OSPF, "external-1"},
	"ospfexternaltype2": {route.OSPF, "external-2"}, "ospfnssaexternal1": {route.OSPF,
		"nssa-external-1"}, "ospfnssaexternal2": {route.OSPF, "nssa-external-2"},
	"isislevel1": {route.ISIS, "level-1"}, "isislevel2": {route.ISIS, "level-2"}, "isisl1": {route.ISIS,
		"level-1"}, "isisl2": {route.ISIS, "level-2"},
}

// actions are its words for what is done with a packet.
var actions = map[string]route.Special{"forward": route.None, "": route.None, "drop": route.Blackhole,
	"discard": route.Blackhole,
	"receive": route.Receive, "reject": route.Unreachable}

// byPrefix makes a route of an object under its prefix's name.
func (r *reader) byPrefix(prefix string, o *byPrefix, lo, hi int) error {
	special, ok := actions[strings.ToLower(o.Action)]
	if !ok {
		return fmt.Errorf("%w: %q", errOther, o.Action)
	}
	a := layout.Attributes{Attributes: route.Attributes{Special: special}}
	if t, ok := types[strings.ToLower(o.Type)]; ok {
		a.Protocol, a.Subtype = t.protocol, t.subtype
	} else {
		a.Subtype = o.Type
	}
	if a.Protocol == route.Local {
		a.Special = route.Receive
	}
	if o.Preference != nil {
		a.Preference = route.N(*o.Preference)
	}
	if o.Metric != nil {
		a.Metric = route.N(*o.Metric)
	}
	for _, v := range o.Vias {
		h := route.NextHop{Interface: v.Interface, Weight: v.Weight, Table: v.VRF, Encapsulated: len(v.Tunnel) > 0 ||
			len(v.Labels) > 0}
		if v.NextHop != "" {
			if h.Address, ok = layout.Addr([]byte(v.NextHop)); !ok {
				return fmt.Errorf("%w: %q", layout.ErrAddress, v.NextHop)
			}
		}
		if err := addHop(&a, h); err != nil {
			return err
		}
	}
	state := route.Active | route.Installed
	if o.Hardware != nil && !*o.Hardware || o.Kernel != nil && !*o.Kernel { // chosen, and not followed everywhere
		state = route.Active | route.Rejected
	}
	led, err := r.add(prefix, a, state, lo, hi)
	if open := bytes.IndexByte(r.text[lo:hi], '{'); err == nil && open >= 0 {
		r.likes.Remember(r.text[lo+open:hi], r.table, []byte(prefix), led)
	}
	return err
}

// addHop adds a next hop; an interface that throws packets away makes the route do so.
func addHop(a *layout.Attributes, h route.NextHop) error {
	switch {
	case layout.Discards(h.Interface):
		a.Special = route.Blackhole
	case !h.Address.IsValid() && h.Interface == "":
		return layout.ErrNoRoute
	default:
		a.NextHops = append(a.NextHops, h)
	}
	return nil
}

// add adds a route that tells a way.
func (r *reader) add(
	prefix string, a layout.Attributes, state route.State, lo, hi int,
) (led layout.LikeRoute, err error) {
	p, err := layout.Prefix([]byte(prefix), false)
	if err != nil {
		return led, err
	}
	if len(a.NextHops) == 0 && a.Special == route.None {
		return led, layout.ErrNoRoute
	}
	if r.table == "" {
		return led, errUnnamed
	}
	if a.Protocol == route.RIP && p.Addr().Is6() {
		a.Protocol = route.RIPng
	}
	shared := r.Add(r.table, network.Candidates, a.Route(p, state, layout.Mark(lo, hi)), 0)
	return layout.LikeRoute{Shared: shared, State: state}, nil
}
