package network

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// aliasInterfaces gives what a configuration says of an interface to the one that listings of the moment name
// otherwise, where both have one address or one attached network in one table: what is applied to it must not pass by
// the packets that it is for. A name that configurations know as another interface's is none of its.
func (f *deviceFacts) aliasInterfaces() {
	if !slices.ContainsFunc(f.Addresses, func(a Address) bool { return a.Configured }) {
		return
	}
	shown := map[string]bool{}                 // by listings
	at := map[netip.Prefix]map[string]string{} // the names, and in which table
	show := func(p netip.Prefix, ifname, table string) {
		if ifname == "" {
			return
		}
		if at[p] == nil {
			at[p] = map[string]string{}
		}
		at[p][ifname] = table
	}
	for i := range f.Tables {
		l := &f.Tables[i].Routes
		attached := make([]string, l.Shared())
		for id := range l.Shared() {
			a := l.Attributes(route.AttrID(id))
			for _, h := range a.NextHops {
				shown[h.Interface] = true
			}
			if len(a.NextHops) == 1 && (a.Protocol == route.Direct || a.Protocol == route.Local ||
				a.Special == route.Receive) {
				attached[id] = a.NextHops[0].Interface
			}
		}
		for k := range l.Len() {
			if id, _ := l.Used(k); attached[id] != "" {
				show(l.Prefix(k), attached[id], f.Tables[i].Name)
			}
		}
	}
	f.Each(func(x Fact) {
		switch o := x.Of.(type) {
		case *Address:
			if !o.Configured {
				show(netip.PrefixFrom(o.Prefix.Addr(), o.Prefix.Addr().BitLen()), o.Interface, o.Table)
			} else {
				return
			}
		case *Interface:
			if o.Configured {
				return
			}
		case *Neighbour, *Session, *IfIndex, *Rule, *Switch:
		default:
			return
		}
		for _, name := range x.Interfaces() {
			shown[name] = true
		}
	})
	configured := map[string]bool{}
	for _, a := range f.Addresses {
		configured[a.Interface] = configured[a.Interface] || a.Configured
	}
	names := map[string]string{}
	for _, a := range f.Addresses {
		if !a.Configured || a.Interface == "" || shown[a.Interface] {
			continue
		}
		for _, p := range []netip.Prefix{netip.PrefixFrom(a.Prefix.Addr(), a.Prefix.Addr().BitLen()),
			a.Prefix.Masked()} {
			if len(at[p]) != 1 {
				continue
			}
			for other, table := range at[p] {
				was, ok := names[a.Interface]
				if ok && was != other || configured[other] || a.Table != "" && table == "default" {
					other = "" // two say otherwise
				}
				names[a.Interface] = other
			}
			break
		}
	}
	if len(names) == 0 {
		return
	}
	taken := map[string]int{}
	for _, other := range names {
		taken[other]++
	}
	f.renameAll(func(s *string) {
		if other := names[*s]; other != "" && taken[other] == 1 {
			*s = other
		}
	})
}
