package casefile

import (
	"net/netip"
	"strings"

	"zarvek/internal/capture"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A kernel's whole list of interfaces has its loopback interface. Two whole lists with nothing else in common are of
// two kernels, or of two namespaces of one: what stands in one folder is then not one device, and no answer may rest on
// it. Neither may one on two tables of one name that have other networks attached.

// interfaceList is one whole list of interfaces.
type interfaceList struct {
	names map[string]bool
	mark  route.Mark // of its first interface
}

// blended adds, to each device whose captures are those of two, that it cannot be told what it does.
func (c *Case) blended(b *network.Builder) {
	lists := map[string][]interfaceList{}
	tables := map[string][]attachedList{}
	for _, f := range c.Files {
		for i := range f.Parts {
			p := &f.Parts[i]
			d := f.DeviceOf(p)
			if l, ok := wholeList(p); ok {
				lists[d] = append(lists[d], l)
			}
			tables[d] = append(tables[d], attachedLists(p)...)
		}
	}
	for d, all := range tables {
		m, ok := apart(lists[d])
		if !ok {
			m, ok = strangers(all)
		}
		if ok {
			var c layout.Collector
			for _, hook := range []network.Hook{network.Forwarded, network.ForItself, network.FromItself} {
				c.RestrictAt(network.FlowRule{Hook: hook, Missing: network.SeveralBlended}, m)
			}
			b.Add(d, c.Facts, 0)
		}
	}
}

// attachedList is the attached networks of one printing of a table.
type attachedList struct {
	table    string
	family   route.Family
	networks map[netip.Prefix]bool
	cut      bool       // there may be more
	mark     route.Mark // of the first one
}

// fewestAttached is how many attached networks tell one device from another.
const fewestAttached = 2

// attachedLists returns the attached networks of each table that the part shows, but for those asked for in part.
func attachedLists(p *capture.Part) (out []attachedList) {
	for _, t := range p.Facts.Tables {
		if t.Kind == network.Database || t.Filtered.Known() {
			continue
		}
		l := attachedList{table: t.Name, family: t.Family, cut: t.Cut, networks: map[netip.Prefix]bool{}}
		for i := range t.Routes.Len() {
			r := t.Routes.At(i)
			if a := r.Prefix.Addr(); r.Protocol != route.Direct || r.Prefix.IsSingleIP() || a.IsLoopback() ||
				a.IsLinkLocalUnicast() || a.IsMulticast() {
				continue
			}
			if l.networks[r.Prefix] = true; !l.mark.Known() {
				l.mark = r.Mark
			}
		}
		if len(l.networks) >= fewestAttached {
			out = append(out, l)
		}
	}
	return out
}

// strangers returns where the first printing of a table begins whose attached networks are, for the most part, not
// those of one before it: a device that changes keeps most of them.
func strangers(all []attachedList) (route.Mark, bool) {
	for i, l := range all {
		for _, o := range all[:i] {
			if o.table != l.table || o.family != l.family || o.cut && l.cut {
				continue
			}
			both := 0
			for p := range l.networks {
				if o.networks[p] {
					both++
				}
			}
			few := min(len(l.networks), len(o.networks))
			switch { // what a cut one lacks tells nothing
			case l.cut:
				few = len(l.networks)
			case o.cut:
				few = len(o.networks)
			}
			if 2*both <= few {
				return l.mark, true
			}
		}
	}
	return route.Mark{}, false
}

// wholeList returns the interfaces of a kernel's listing of all of them.
func wholeList(p *capture.Part) (interfaceList, bool) {
	l := interfaceList{names: map[string]bool{}}
	if !strings.HasPrefix(p.Layout, "iproute") {
		return l, false
	}
	whole := false
	for _, i := range p.Facts.Interfaces {
		if i.Name == "lo" {
			whole = true
			continue
		}
		if l.names[i.Name] = true; !l.mark.Known() {
			l.mark = i.Mark
		}
	}
	return l, whole && len(l.names) > 0
}

// apart returns where the first list begins that has nothing in common with one before it.
func apart(all []interfaceList) (route.Mark, bool) {
	for i, l := range all {
		for _, o := range all[:i] {
			common := false
			for name := range l.names {
				common = common || o.names[name]
			}
			if !common {
				return l.mark, true
			}
		}
	}
	return route.Mark{}, false
}
