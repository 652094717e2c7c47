package hierarchy

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

var errDeleted = errors.New("it takes back what another line says; capture the configuration as it holds")

// leaf reads a path of words. It reports false for what says nothing of where packets go.
func (r *reader) leaf(w []string, lo, hi int) (bool, error) {
	if slices.Contains(w, "inactive:") || len(w) == 0 || w[0] == "logical-systems" {
		return false, nil
	}
	if w[0] == "groups" {
		if len(w) > 1 {
			r.written[w[1]] = true
		}
		if !appliesFilter(w) {
			return false, nil // a group counts where it is applied, which is not followed
		}
		r.Restrict(network.FlowRule{}, lo, hi) // to whatever interface it may be applied
		return true, nil
	}
	if r.inherits(w, lo, hi) {
		return false, nil
	}
	r.paired = r.paired || slices.Contains(w, "mc-ae") || slices.Contains(w, "multi-chassis")
	r.ports = r.ports || w[0] == "interfaces" || len(w) > 3 && w[1] == "unit"
	table := ""
	if len(w) > 2 && w[0] == "routing-instances" {
		if table = w[1]; w[2] == "interface" && len(w) > 3 {
			r.tables[w[3]] = table
			return false, nil
		}
		w = w[2:]
	}
	switch {
	case w[0] == "forwarding-options" && appliesFilter(w): // of a whole table
		r.Restrict(network.FlowRule{}, lo, hi)
		return true, nil
	case table == "" && decides(w):
		r.Restrict(network.FlowRule{Hook: network.ComingIn}, lo, hi)
		return true, nil
	case table == "" && r.tunnels.leaf(w, layout.Mark(lo, hi)):
		r.kept, r.keeps = append(r.kept, kept{words: slices.Clone(w), mark: layout.Mark(lo, hi)}), true
		return false, nil
	case len(w) > 1 && (w[0] == "routing-options" || w[0] == "static"):
		return r.static(w, table, lo, hi)
	case len(w) > 2 && w[0] == "interfaces" && slices.Contains(kinds, w[1]):
		return r.kindPort(w[2:], lo, hi)
	case len(w) > 2 && w[0] == "interfaces":
		return r.port(w[1:], lo, hi)
	case len(w) > 4 && w[0] == "protocols" && w[1] == "static" && strings.HasPrefix(w[2], "route"):
		return r.kindStatic(w[3:], lo, hi)
	case len(w) > 2 && w[0] == "protocols" && table == "" && r.protocols(w[1:], lo, hi):
		return true, nil
	case r.kindRestricts(w, lo, hi):
		return true, nil
	case strings.HasPrefix(strings.Join(w, " "), "security forwarding-options family inet6 mode drop"):
		r.Restrict(network.FlowRule{Family: route.IPv6}, lo, hi)
		return true, nil
	case len(w) > 3 && w[1] == "unit" && table == "": // of "interfaces" alone
		return r.port(w, lo, hi)
	case table == "" && ruled(w):
		r.kept, r.keeps = append(r.kept, kept{words: slices.Clone(w), mark: layout.Mark(lo, hi)}), true
		return false, nil
	}
	return false, nil
}

// decides reports whether a leaf is of a branch that drops packets of the whole device in a manner that is not read.
func decides(w []string) bool {
	switch {
	case len(w) > 3 && w[0] == "routing-options" && w[1] == "flow" && w[2] == "route": // RFC 8955
		return slices.Contains(w, "then")
	case len(w) > 2 && w[0] == "security":
		return w[1] == "application-firewall" && slices.Contains(w, "deny") ||
			slices.Contains(w, "advance-policy-based-routing-profile")
	case len(w) > 2 && w[0] == "vlans": // of frames
		return appliesFilter(w)
	}
	return len(w) > 2 && !slices.Contains(roots, w[0]) && !slices.Contains(harmlessRoots, w[0]) &&
		slices.Contains(stops, w[len(w)-1])
}

// harmlessRoots are branches beside roots that decide over no packet.
var harmlessRoots = []string{"policy-statement", "community", "as-path", "term", "switch-options", "poe",
	"accounting-options", "static", "unit", "route-map"}

// stops are words for what becomes of packets, with which a leaf of a branch that is not known ends.
var stops = []string{"deny", "drop", "reject", "discard", "block"}

// appliesFilter reports whether a leaf applies a filter to what comes in or goes out.
func appliesFilter(w []string) bool {
	i := slices.Index(w, "filter")
	return i > 0 && i+1 < len(w) && (strings.HasPrefix(w[i+1], "input") || strings.HasPrefix(w[i+1], "output"))
}

// port reads what stands below an interface: "NAME [unit N] family inet address P", filters, checks, whether it is shut
// down.
func (r *reader) port(w []string, lo, hi int) (bool, error) {
	ifname, w := w[0], w[1:]
	if len(w) > 1 && w[0] == "unit" {
		ifname, w = ifname+"."+w[1], w[2:]
	}
	if len(w) > 0 && w[0] == "disable" {
		r.Facts.Interfaces = append(r.Facts.Interfaces,
			network.Interface{Name: ifname, State: network.LinkDown, Configured: true, Mark: layout.Mark(lo, hi)})
		return true, nil
	}
	fam := route.Family(0)
	if len(w) > 1 && w[0] == "family" {
		switch w[1] {
		case "inet":
			fam = route.IPv4
		case "inet6":
			fam = route.IPv6
		default: // a filter of frames may stop packets too
			if !appliesFilter(w) || len(values(w, slices.Index(w, "filter")+2)) == 0 {
				return false, nil
			}
			r.Restrict(network.FlowRule{In: ifname, Hook: network.ComingIn}, lo, hi)
			r.Restrict(network.FlowRule{Out: ifname, Hook: network.GoingOut}, lo, hi)
			return true, nil
		}
		w = w[2:]
	}
	switch {
	case len(w) > 1 && w[0] == "address":
		p, err := layout.Prefix([]byte(w[1]), false)
		if err != nil {
			return false, err
		}
		shared := r.virtual(w[2:], ifname, lo, hi)
		return r.address(network.Address{Prefix: p, Interface: ifname, Configured: true, Mark: layout.Mark(lo, hi)}) ||
			shared, nil
	case len(w) > 1 && w[0] == "filter" && (strings.HasPrefix(w[1], "input") || strings.HasPrefix(w[1], "output")):
		return r.applyFilter(ifname, fam, w[1:], lo, hi), nil
	case len(w) > 2 && (w[0] == "service" || w[0] == "simple-filter") && (w[1] == "input" || w[1] == "output"):
		if w[1] == "input" {
			r.Restrict(network.FlowRule{Family: fam, In: ifname, Hook: network.ComingIn}, lo, hi)
		} else {
			r.Restrict(network.FlowRule{Family: fam, Out: ifname, Hook: network.GoingOut}, lo, hi)
		}
		return true, nil
	case len(w) > 0 && w[0] == "rpf-check":
		mode := network.CheckStrict
		if slices.Contains(w, "loose") {
			mode = network.CheckLoose
		}
		check := network.SourceCheck{Family: fam, Interface: ifname, Mode: mode, Mark: layout.Mark(lo, hi)}
		if n := len(r.Facts.Checks); n > 0 && r.Facts.Checks[n-1].Interface == ifname &&
			r.Facts.Checks[n-1].Family == fam {
			// a leaf below says how: the check stays where it was told
			r.Facts.Checks[n-1].Mode = max(mode, r.Facts.Checks[n-1].Mode)
			return false, nil
		}
		r.Facts.Checks = append(r.Facts.Checks, check)
		return true, nil
	}
	return false, nil
}

// disabledWithUnits takes the units of an interface that is switched off down with it.
func (r *reader) disabledWithUnits() {
	units := map[string][]string{}
	for _, a := range r.Facts.Addresses {
		if parent, _, ok := strings.Cut(a.Interface, "."); ok && !slices.Contains(units[parent], a.Interface) {
			units[parent] = append(units[parent], a.Interface)
		}
	}
	for _, i := range r.Facts.Interfaces {
		if i.State != network.LinkDown {
			continue
		}
		for _, unit := range units[i.Name] {
			down := i
			down.Name = unit
			r.Facts.Interfaces = append(r.Facts.Interfaces, down)
		}
	}
}

// applyFilter reads "input NAME" and "output NAME" below an interface. On the device's own interface it holds for what
// is for the device itself.
func (r *reader) applyFilter(ifname string, fam route.Family, w []string, lo, hi int) bool {
	names := values(w, 1)
	rule := network.FlowRule{Family: fam, Stateless: true, Mark: layout.Mark(lo, hi)}
	switch {
	case strings.HasPrefix(ifname, "lo0") && strings.HasPrefix(w[0], "input"):
		rule.Hook = network.ForItself
	case strings.HasPrefix(ifname, "lo0"):
		rule.Hook = network.FromItself
	case strings.HasPrefix(w[0], "input"):
		rule.Hook, rule.In = network.ComingIn, ifname
	default:
		rule.Hook, rule.Out = network.GoingOut, ifname
	}
	switch {
	case len(names) == 0:
		return false // the heading of a block
	case len(names) != 1 || len(w) != 2 || fam == 0 || w[0] != "input" && w[0] != "output":
		r.Restrict(rule, lo, hi)
	default:
		r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: filterName(names[0], fam), Rule: rule})
	}
	return true
}

// address keeps an address once: what stands below it (that it is the first, a virtual one) tells it again.
func (r *reader) address(a network.Address) bool {
	same := func(b network.Address) bool { return a.Prefix == b.Prefix && a.Interface == b.Interface }
	if slices.ContainsFunc(r.Facts.Addresses, same) {
		return false
	}
	r.Facts.Addresses = append(r.Facts.Addresses, a)
	return true
}

// virtual reads what stands below an address: "vrrp-group N virtual-address A".
func (r *reader) virtual(w []string, ifname string, lo, hi int) bool {
	if len(w) < 4 || w[0] != "vrrp-group" && w[0] != "vrrp-inet6-group" || w[2] != "virtual-address" &&
		w[2] != "virtual-inet6-address" {
		return false
	}
	read := false
	for _, v := range values(w, 3) {
		if a, ok := layout.Addr([]byte(v)); ok {
			r.Facts.Virtuals = append(r.Facts.Virtuals,
				network.VirtualAddress{Address: a, Interface: ifname, Mark: layout.Mark(lo, hi)})
			read = true
		}
	}
	return read
}

// static reads "[routing-options] [rib NAME] static route PREFIX next-hop A", and what else a route may be.
func (r *reader) static(w []string, table string, lo, hi int) (bool, error) {
	at := slices.Index(w, "route")
	if at < 1 || w[at-1] != "static" || len(w) < at+3 {
		return false, nil
	}
	p, err := layout.Prefix([]byte(w[at+1]), false)
	if err != nil {
		return false, err
	}
	s := network.Static{Table: table, Prefix: p.Masked(), Mark: layout.Mark(lo, hi)}
	key := table + " " + s.Prefix.String()
	rest := w[at+2:]
	switch rest[0] {
	case "next-hop", "qualified-next-hop":
		return r.nextHops(s, key, rest)
	case "discard":
		s.Special = route.Blackhole
	case "reject":
		s.Special = route.Unreachable
	case "receive":
		s.Special = route.Receive
	case "next-table":
		if len(rest) < 2 {
			return false, layout.ErrNotARoute
		}
		s.NextHop.Table = strings.TrimSuffix(strings.TrimSuffix(rest[1], ".inet.0"), ".inet6.0")
		if s.NextHop.Table == "inet.0" || s.NextHop.Table == "inet6.0" {
			s.NextHop.Table = "default"
		}
	case "preference":
		n, err := number(rest)
		if err == nil {
			r.preferences[key] = n // of next hops that come below
		}
		for _, i := range r.statics[key] {
			if err == nil && !r.Facts.Statics[i].Preference.Known {
				r.Facts.Statics[i].Preference = n
			}
		}
		return false, err
	case "bfd-liveness-detection", "bfd":
		r.watched[key] = true
		for _, i := range r.statics[key] {
			r.Facts.Statics[i].Tie.Session = true
		}
		return false, nil
	default:
		return false, nil
	}
	r.keep(key, s)
	return true, nil
}

// nextHops reads "next-hop A", "next-hop [ A B ]" and "qualified-next-hop A [preference N]".
func (r *reader) nextHops(s network.Static, key string, rest []string) (bool, error) {
	hops := rest[1:min(2, len(rest))]
	if len(rest) > 1 && rest[1] == "[" {
		if hops = rest[2:]; len(hops) == 0 || hops[len(hops)-1] != "]" {
			return false, fmt.Errorf("%w: %q", layout.ErrAddress, strings.Join(rest, " "))
		}
		hops = hops[:len(hops)-1]
	}
	if len(hops) == 0 {
		return false, fmt.Errorf("%w: %q", layout.ErrAddress, strings.Join(rest, " "))
	}
	if i := slices.Index(rest, "preference"); i > 0 {
		n, err := number(rest[i:])
		if err != nil {
			return false, err
		}
		s.Preference = n
	}
	s.Tie.Session = slices.Contains(rest, "bfd-liveness-detection") || slices.Contains(rest, "bfd")
	used := false
	for _, h := range hops {
		s.NextHop = route.NextHop{}
		if a, ok := layout.Addr([]byte(h)); ok {
			s.NextHop.Address = a
		} else {
			s.NextHop.Interface = h
		}
		used = r.keepOnce(key, s) || used
	}
	return used, nil
}

// keepOnce keeps a static route, or what a line below it adds: that tells its way again. It is true where the route is
// new.
func (r *reader) keepOnce(key string, s network.Static) bool {
	for _, i := range r.statics[key] {
		was := &r.Facts.Statics[i]
		if was.NextHop != s.NextHop || was.Special != s.Special {
			continue
		}
		if s.Preference.Known {
			was.Preference = s.Preference
		}
		was.Tie.Session = was.Tie.Session || s.Tie.Session
		return false
	}
	r.keep(key, s)
	return true
}

func (r *reader) keep(key string, s network.Static) {
	if !s.Preference.Known {
		s.Preference = r.preferences[key]
	}
	s.Tie.Session = s.Tie.Session || r.watched[key]
	r.statics[key] = append(r.statics[key], len(r.Facts.Statics))
	r.Facts.Statics = append(r.Facts.Statics, s)
}

// number reads the word behind a keyword.
func number(w []string) (route.Number, error) {
	if len(w) < 2 {
		return route.Number{}, layout.ErrNotARoute
	}
	n, ok := layout.Uint([]byte(w[1]))
	if !ok {
		return route.Number{}, fmt.Errorf("%w: %q", layout.ErrNumber, w[1])
	}
	return route.N(n), nil
}
