package described

import (
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// words are what a protocol's value, or its meaning in the legend, may be.
var words = map[string]route.Protocol{
	"direct":    route.Direct,
	"connected": route.Direct,
	"local":     route.Local,
	"static":    route.Static,
	"rip":       route.RIP,
	"ripng":     route.RIPng,
	"ospf":      route.OSPF,
	"isis":      route.ISIS,
	"is-is":     route.ISIS,
	"eigrp":     route.EIGRP,
	"bgp":       route.BGP,
	"kernel":    route.Kernel,
	"dhcp":      route.DHCP,
	"nat":       route.NAT,
	"babel":     route.Babel,
	"aggregate": route.Aggregate,
	"other":     route.Other,
}

var specials = map[string]route.Special{
	"blackhole":   route.Blackhole,
	"discard":     route.Blackhole,
	"drop":        route.Blackhole,
	"unreachable": route.Unreachable,
	"reject":      route.Unreachable,
	"prohibit":    route.Prohibit,
	"receive":     route.Receive,
	"local":       route.Receive,
}

// use takes the values of a line: those of a new route, or of a further next hop where the prefix was carried.
func (r *reader) use(v map[string]string, carried bool, lo, hi int) error {
	hop := route.NextHop{Interface: v["interface"]}
	if g := v["gateway"]; g != "" && g != "-" && g != "*" {
		a, ok := layout.Addr([]byte(g))
		switch {
		case ok && !a.IsUnspecified():
			hop.Address = a
		case !ok && layout.LooksLikeAddress([]byte(g)):
			return fmt.Errorf("%w: %q", layout.ErrAddress, g)
		case !ok && hop.Interface == "":
			hop.Interface = g
		}
	}
	p, err := prefix(v)
	if err != nil {
		return err
	}
	if carried && r.pending && p.Masked() == r.prefix {
		r.attr.NextHops = append(r.attr.NextHops, hop)
		r.hi = hi
		return nil
	}
	a := layout.Attributes{}
	for _, n := range []struct {
		name string
		to   *route.Number
	}{{"preference", &a.Preference}, {"metric", &a.Metric}} {
		if s := v[n.name]; s != "" && s != "-" {
			x, ok := layout.Uint([]byte(s))
			if !ok {
				return fmt.Errorf("%w: %s %q", layout.ErrNumber, n.name, s)
			}
			*n.to = route.N(x)
		}
	}
	if s := v["protocol"]; s != "" {
		meaning := strings.ToLower(s)
		if m := r.legend[s]; m != "" {
			meaning = m
		}
		word, rest, _ := strings.Cut(meaning, " ")
		var ok bool
		if a.Protocol, ok = words[word]; ok {
			a.Subtype = strings.ReplaceAll(rest, " ", "-")
		} else {
			a.Subtype = s
		}
	}
	if s := v["special"]; s != "" {
		m := strings.ToLower(s)
		if l := r.legend[s]; l != "" {
			m = l
		}
		a.Special = specials[m]
	}
	if a.Protocol == route.Local {
		a.Special = route.Receive
	}
	if hop.Interface != "" || hop.Address.IsValid() {
		a.NextHops = []route.NextHop{hop}
	}
	r.flush()
	r.state = route.Active | route.Installed
	if s, ok := v["active"]; ok &&
		(s == "" || s == "-" || strings.EqualFold(s, "no") || strings.EqualFold(s, "false") ||
			strings.Contains(r.legend[s], "inactive")) {
		r.state = 0
	}
	r.at = r.table
	if t := v["table"]; t != "" {
		r.at = t
	}
	r.pending, r.prefix, r.attr, r.lo, r.hi = true, p.Masked(), a, lo, hi
	return nil
}

// prefix puts a prefix together: whole, or address with length or mask.
func prefix(v map[string]string) (netip.Prefix, error) {
	s := v["prefix"]
	if s == "" {
		s = v["address"]
		switch {
		case v["length"] != "":
			s += "/" + strings.TrimPrefix(v["length"], "/")
		case v["mask"] != "":
			s += "/" + v["mask"]
		}
	}
	if s == "" {
		return netip.Prefix{}, layout.ErrNoRoute
	}
	if strings.EqualFold(s, "default") {
		if a, ok := layout.Addr([]byte(v["gateway"])); ok {
			return route.FamilyOf(a).Default(), nil
		}
		return netip.Prefix{}, layout.ErrFamily
	}
	return layout.Prefix([]byte(s), v["address"] == "")
}

// flush adds the pending route.
func (r *reader) flush() {
	if !r.pending {
		return
	}
	r.pending = false
	kind := network.Candidates
	state := r.state
	if r.d.installed {
		kind, state = network.ForwardingTable, 0
	}
	r.Add(
		r.at,
		kind,
		r.attr.Route(r.prefix, state, layout.Mark(r.lo, r.hi)),
		0,
	)
}
