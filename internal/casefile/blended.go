package casefile

import (
	"strings"

	"zarvek/internal/capture"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A kernel's whole list of interfaces has its loopback interface. Two whole lists with nothing else in common are of
// two kernels, or of two namespaces of one: what stands in one folder is then not one device, and no answer may rest on
// it.

// interfaceList is one whole list of interfaces.
type interfaceList struct {
	names map[string]bool
	mark  route.Mark // of its first interface
}

// blended adds, to each device whose captures list two sets of interfaces that have nothing in common, that it cannot
// be told what it does.
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
	for d, all := range lists {
		if m, ok := apart(all); ok {
			var c layout.Collector
			for _, hook := range []network.Hook{network.Forwarded, network.ForItself, network.FromItself} {
				c.RestrictAt(network.FlowRule{Hook: hook, Missing: network.SeveralBlended}, m)
			}
			b.Add(d, c.Facts, 0)
		}
	}
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
