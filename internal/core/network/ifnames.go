package network

import (
	"regexp"
	"slices"
	"strings"

	"zarvek/internal/core/route"
)

// Devices write one interface in several ways: in full, shortened, with a blank before the number. Within one device
// the ways are one interface, kept under the longest name. Only the names of kinds of ports that devices themselves
// shorten are looked at: what people call their interfaces is never taken apart.

// portKinds are the full names of kinds of ports, in lower case, with the short forms that do not begin them.
var portKinds = map[string][]string{
	"ethernet": {"eth", "et"}, "fastethernet": {"fe"}, "gigabitethernet": {"ge"}, "twogigabitethernet": nil,
	"fivegigabitethernet": nil,
	"tengigabitethernet":  nil, "tengige": nil, "twentyfivegige": {"twe"}, "twentyfivegigabitethernet": {"twe"},
	"fortygigabitethernet": nil,
	"fortygige":            nil, "hundredgige": nil, "hundredgigabitethernet": nil, "fourhundredgige": {"fh"},
	"fiftygige": nil, "twohundredgige": nil, "dialer": nil, "cellular": nil, "multilink": nil,
	"virtual-access": {"vi"}, "virtual-template": {"vt"},
	"xgigabitethernet":    {"xge"},
	"ten-gigabitethernet": {"xge", "te"}, "m-gigabitethernet": {"mge"}, "port-channel": nil, "bundle-ether": {"be"},
	"bridge-aggregation": {"bagg"}, "vlan": nil, "vlanif": nil, "vlan-interface": nil, "loopback": nil, "tunnel": nil,
	"serial":     nil,
	"management": {"mgmt"}, "managementethernet": {"mgmteth"}, "mgmteth": nil,
}

var portName = regexp.MustCompile(`^([A-Za-z][A-Za-z-]*?)-? ?(\d[\w/.:]*)$`)

// kernelName matches what an open kernel calls its own ports: a device whose ports are Ethernet0, Ethernet4 may have an
// eth0 beside them, by which it is managed.
var kernelName = regexp.MustCompile(`^eth\d+(\.\d+)?$`)

// leastShort is the least length of a shortened kind of port.
const leastShort = 2

// oneName finds for names of one device the name that each is kept under; those that keep their own are left out.
func oneName(names []string) map[string]string {
	type parted struct{ name, kind string }
	byNumber := map[string][]parted{}
	for _, n := range names {
		if m := portName.FindStringSubmatch(n); m != nil && !kernelName.MatchString(n) {
			byNumber[m[2]] = append(byNumber[m[2]], parted{n, strings.ToLower(m[1])})
		}
	}
	out := map[string]string{}
	for _, same := range byNumber {
		for _, x := range same {
			var long []string
			for _, y := range same {
				if y.name != x.name && shortFor(x.kind, y.kind, len(x.name) < len(y.name)) &&
					!slices.Contains(long, y.name) {
					long = append(long, y.name)
				}
			}
			// Two kinds that one short form fits leave it what it is.
			kinds := map[string]bool{}
			for _, n := range long {
				m := portName.FindStringSubmatch(n)
				if _, full := portKinds[strings.ToLower(m[1])]; full {
					kinds[strings.ToLower(m[1])] = true
				}
			}
			if len(kinds) == 1 {
				out[x.name] = longestOf(long)
			}
		}
	}
	return out
}

// shortFor reports whether one kind of port is a short form of another, or the same written with a blank more.
func shortFor(short, long string, shorter bool) bool {
	others, full := portKinds[long]
	switch {
	case !full:
		return false
	case short == long:
		return shorter
	}
	return len(short) >= leastShort && (strings.HasPrefix(long, short) || slices.Contains(others, short))
}

func longestOf(names []string) string {
	return slices.MaxFunc(names, func(a, b string) int { return len(a) - len(b) })
}

// renameAll gives every name of an interface in the facts to a function.
func (f *deviceFacts) renameAll(rename func(*string)) {
	for i := range f.Tables {
		f.Tables[i].Routes.MapAttributes(func(a *route.Attributes) *route.Attributes {
			if !slices.ContainsFunc(a.NextHops, func(h route.NextHop) bool {
				name := h.Interface
				rename(&name)
				return name != h.Interface
			}) {
				return a
			}
			c := *a
			c.NextHops = slices.Clone(a.NextHops)
			for j := range c.NextHops {
				rename(&c.NextHops[j].Interface)
			}
			return &c
		})
	}
	f.Each(func(x Fact) {
		switch x := x.Of.(type) {
		case *Address:
			rename(&x.Interface)
		case *Interface:
			rename(&x.Name)
		case *Neighbour:
			rename(&x.Interface)
		case *Switch:
			rename(&x.Interface)
		case *Rule:
			rename(&x.Ingress)
		case *Static:
			rename(&x.NextHop.Interface)
		case *Session:
			rename(&x.Interface)
		case *SourceCheck:
			rename(&x.Interface)
		case *FlowRule:
			rename(&x.In)
			rename(&x.Out)
			rename(&x.NotIn)
			rename(&x.NotOut)
		case *AppliedFilter:
			rename(&x.Rule.In)
			rename(&x.Rule.Out)
		case *Translation:
			rename(&x.In)
			rename(&x.Out)
			rename(&x.NotIn)
			rename(&x.NotOut)
		case *Tunnel:
			rename(&x.Interface)
			rename(&x.From)
		case *ProtocolInterface:
			rename(&x.Interface)
		case *VirtualAddress:
			rename(&x.Interface)
		}
	})
}

// unifyInterfaces keeps each interface under one name.
func (f *deviceFacts) unifyInterfaces() {
	var names []string
	for name := range f.interfaceNames() {
		names = append(names, name)
	}
	if one := oneName(names); len(one) > 0 {
		f.renameAll(func(s *string) {
			if n, ok := one[*s]; ok {
				*s = n
			}
		})
	}
}
