package hierarchy

import (
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// protocols reads how a routing protocol runs on interfaces: "ospf area A interface NAME [metric N | passive |
// disable]", "isis interface NAME [level L] [metric N | passive | disable]", and what says that it announces more.
func (r *reader) protocols(w []string, lo, hi int) bool {
	p := network.ProtocolInterface{Mark: layout.Mark(lo, hi)}
	switch w[0] {
	case "ospf":
		p.Protocol, p.Family = route.OSPF, route.IPv4
	case "ospf3":
		p.Protocol, p.Family = route.OSPF, route.IPv6
	case "isis":
		p.Protocol = route.ISIS
	default:
		return false
	}
	w = w[1:]
	if len(w) > 1 && w[0] == "export" {
		r.Facts.Redistributed = append(r.Facts.Redistributed,
			network.Redistribution{Protocol: p.Protocol, Family: p.Family, Filtered: true, Mark: p.Mark})
		return true
	}
	if len(w) > 2 && w[0] == "area" {
		var ok bool
		if p.Area, ok = layout.Area(w[1]); !ok {
			return false
		}
		w = w[2:]
	}
	if len(w) == 0 {
		return false
	}
	if w[0] != "interface" {
		if !slices.Contains([]string{"stub", "nssa", "area-range", "virtual-link", "import", "network-summary-export",
			"network-summary-import"}, w[0]) {
			return false
		}
		p.Other = true
		r.Facts.Protocols = append(r.Facts.Protocols, p)
		return true
	}
	if len(w) < 2 {
		return false
	}
	p.On = true
	if p.Interface = w[1]; w[1] == "all" {
		p.Interface = ""
	}
	if w = w[2:]; len(w) > 2 && w[0] == "level" {
		w = w[2:]
	}
	switch {
	case len(w) == 2 && w[0] == "metric":
		n, ok := layout.Uint([]byte(w[1]))
		if !ok {
			return false
		}
		p.Cost = route.N(n)
	case len(w) == 1 && w[0] == "passive":
		p.Passive = true
	case len(w) == 1 && w[0] == "disable":
		p.On, p.Passive = false, true
	}
	r.Facts.Protocols = append(r.Facts.Protocols, p)
	return true
}
