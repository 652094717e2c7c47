package settle

import (
	"cmp"
	"slices"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// LackKind is what is not known of a protocol. The zero LackKind is whether there are several areas.
type LackKind uint8

const (
	AreasNotShown  LackKind = iota // whether its routers are of one area (RFC 2328 section 3) or level (ISO 10589)
	CostsUnknown                   // what some interfaces cost
	NobodyTells                    // whom its routers speak with, and what they announce
	NewPorts                       // whether it runs on interfaces that came up, and what they cost
	WhatComesFirst                 // which of the routes that devices hand over between protocols they hear first
)

var lackNames = [...]string{"areas", "costs", "sessions", "interfaces", "order"}

// String returns the kind's word in output for machines.
func (k LackKind) String() string { return lackNames[k] }

// A Lack is something of a routing protocol that no capture tells and for which routes cannot be told.
type Lack struct {
	Kind     LackKind
	Protocol route.Protocol
	Family   route.Family
	Places   []string // in order: devices, and interfaces of them as "device:interface" where costs are not known
}

// A Noted is a protocol of which notes say that its routers are of one area, where nothing else does.
type Noted struct {
	Protocol route.Protocol
	Mark     route.Mark
}

// Noted returns the notes that predictions among the moves rest on.
func (s *Settler) Noted(moves []Move) (out []Noted) {
	for _, in := range s.instances {
		mark, noted := s.topo.Network.OneArea(in.protocol)
		counts := noted && in.known && !in.byArea && !in.byVectors() && !in.shown()
		rests := counts && slices.ContainsFunc(moves, func(m Move) bool {
			return m.Kind == Predicted && route.FamilyOf(m.Prefix.Addr()) == in.family &&
				slices.ContainsFunc(m.Is, func(r route.Route) bool { return r.Protocol == in.protocol })
		})
		if x := (Noted{in.protocol, mark}); rests && !slices.Contains(out, x) {
			out = append(out, x)
		}
	}
	return out
}

// Lacks says what would settle some of the moves that cannot be told, where the interfaces given came up.
func (s *Settler) Lacks(moves []Move, rose ...Port) []Lack {
	type speech struct {
		protocol route.Protocol
		family   route.Family
	}
	asked := map[speech]bool{}
	for _, m := range moves {
		for _, list := range [][]route.Route{m.Was, m.Is} {
			for _, r := range list {
				if m.Kind == Untold && r.Protocol.Dynamic() {
					asked[speech{r.Protocol, route.FamilyOf(m.Prefix.Addr())}] = true
				}
			}
		}
	}
	var out []Lack
	for _, in := range s.instances {
		if !asked[speech{in.protocol, in.family}] {
			continue
		}
		lack := Lack{Protocol: in.protocol, Family: in.family}
		if in.known {
			lack.Kind, lack.Places = CostsUnknown, in.unknownCosts()
		} else if !in.altered() {
			lack.Places = in.devices()
		}
		if len(lack.Places) > 0 {
			out = append(out, lack)
		}
		if open := s.notShown(in, rose); len(open) > 0 && in.known {
			out = append(out, Lack{NewPorts, in.protocol, in.family, open})
		}
	}
	for _, x := range s.speakers {
		if x.proto == route.BGP && asked[speech{x.proto, x.family}] {
			if silent := s.withoutStatements(x.family); len(silent) > 0 {
				out = append(out, Lack{NobodyTells, x.proto, x.family, silent})
			}
			if x.vector.racedAmong(moves) {
				out = append(out, Lack{WhatComesFirst, x.proto, x.family, x.vector.handed.devices()})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Lack) int {
		return cmp.Or(cmp.Compare(a.Family, b.Family), cmp.Compare(a.Protocol, b.Protocol))
	})
	return out
}

// notShown are those of some interfaces that may be of an instance, and of which nothing tells whether it runs there.
func (s *Settler) notShown(in *instance, rose []Port) (out []string) {
	for _, x := range rose {
		d := s.topo.Network.Device(x.Device)
		if d == nil {
			continue
		}
		n, speaks := in.number[nodeKey{x.Device, s.topo.TableOf(d, x.Interface)}]
		if speaks && !in.state(n, x.Interface).Known {
			out = append(out, x.Device+":"+x.Interface)
		}
	}
	slices.SortFunc(out, network.CompareNames)
	return out
}

// devices are the names of those that speak.
func (in *instance) devices() (out []string) {
	for _, x := range in.nodes {
		out = append(out, x.device.Name)
	}
	slices.SortFunc(out, network.CompareNames)
	return slices.Compact(out)
}

// unknownCosts are the interfaces to captured neighbours of which the cost is not known.
func (in *instance) unknownCosts() (out []string) {
	for _, a := range in.arcs {
		if a.to >= 0 && !a.silent && !a.cost.Known {
			out = append(out, in.nodes[a.from].device.Name+":"+a.ifname)
		}
	}
	slices.SortFunc(out, network.CompareNames)
	return slices.Compact(out)
}

// withoutStatements are the devices with routes of BGP of which no configuration tells whom they speak with.
func (s *Settler) withoutStatements(f route.Family) (out []string) {
	for _, d := range s.topo.Network.Devices().All() {
		if d.BGP().Len() == 0 && d.Tables().Any(func(t *network.Table) bool {
			return t.Family == f && speaks(t, func(p route.Protocol) bool { return p == route.BGP })
		}) {
			out = append(out, d.Name)
		}
	}
	return out
}
