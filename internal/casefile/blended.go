package casefile

import (
	"cmp"
	"maps"
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
	for _, f := range c.Files {
		for i := range f.Parts {
			p := &f.Parts[i]
			if l, ok := wholeList(p); ok {
				d := f.DeviceOf(p)
				lists[d] = append(lists[d], l)
			}
		}
	}
	second := map[string]route.Mark{} // of each such device, where the captures of another one begin
	for d, all := range lists {
		if m, ok := apart(all); ok {
			second[d] = m
		}
	}
	for key, all := range c.printings() {
		if m, ok := strangers(all); ok {
			second[key.device] = m
		}
	}
	c.namedTwice(second)
	for d, m := range second {
		var c layout.Collector
		for _, hook := range []network.Hook{network.Forwarded, network.ForItself, network.FromItself} {
			c.RestrictAt(network.FlowRule{Hook: hook, Missing: network.SeveralBlended}, m)
		}
		b.Add(d, c.Facts, 0)
	}
}

// A printing is one table as it was printed once.
type printing struct {
	device string
	table  string
	family route.Family
}

// fewestAttached is how many attached networks tell one device from another.
const fewestAttached = 2

// printings returns the tables of all captures that were printed more than once, those asked for in part left out.
func (c *Case) printings() map[printing][]*network.TableFacts {
	all := map[printing][]*network.TableFacts{}
	for _, f := range c.Files {
		for i := range f.Parts {
			p := &f.Parts[i]
			for k := range p.Facts.Tables {
				t := &p.Facts.Tables[k]
				if t.Kind != network.Database && !t.Filtered.Known() {
					key := printing{f.DeviceOf(p), t.Name, t.Family}
					all[key] = append(all[key], t)
				}
			}
		}
	}
	maps.DeleteFunc(all, func(_ printing, t []*network.TableFacts) bool { return len(t) < 2 })
	return all
}

// strangers returns where the first printing of a table begins whose attached networks are, for the most part, not
// those of one before it: a device that changes keeps most of them.
func strangers(all []*network.TableFacts) (route.Mark, bool) {
	attached := make([]map[netip.Prefix]bool, len(all))
	for i, t := range all {
		attached[i] = map[netip.Prefix]bool{}
		first := route.Mark{}
		for p, m := range t.Attached() {
			attached[i][p] = true
			first = cmp.Or(first, m)
		}
		for k, o := range all[:i] {
			if len(attached[i]) < fewestAttached || len(attached[k]) < fewestAttached || t.Cut && o.Cut {
				continue
			}
			both := 0
			for p := range attached[i] {
				if attached[k][p] {
					both++
				}
			}
			few := min(len(attached[i]), len(attached[k]))
			switch { // what a cut one lacks tells nothing
			case t.Cut:
				few = len(attached[i])
			case o.Cut:
				few = len(attached[k])
			}
			if 2*both <= few {
				return first, true
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
