package statements

import (
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

// A port that switches frames has no packets of its own: they come and go by the interface of its VLAN. What is applied
// to the port decides over some of those, whichever hosts are behind it. The zero switched has none.
type switched struct {
	vlans map[string]string // by port: the number of its VLAN; "": of several, or not told
	links map[string]string // by the number of a VLAN: its interface
}

// line takes what a port's block says of how it switches.
func (s *switched) line(w []string, port string) {
	line := strings.Join(w, " ")
	switch {
	case line == "no switchport":
		delete(s.vlans, port)
	case w[0] == "switchport", strings.HasPrefix(line, "port link-type "),
		strings.HasPrefix(line, "port default vlan "),
		strings.HasPrefix(line, "port access vlan "):
		if s.vlans == nil {
			s.vlans = map[string]string{}
		}
		vlan := s.vlans[port]
		if n := len(w); n > 2 && w[n-2] == "vlan" && (w[1] == "access" || w[1] == "default") {
			vlan = w[n-1]
		}
		s.vlans[port] = vlan
	}
}

// finish keeps what is applied to such ports for the interfaces of their VLANs.
func (s *switched) finish(r *reader) {
	if len(s.vlans) == 0 {
		return
	}
	s.links = map[string]string{}
	for _, i := range r.Facts.Interfaces {
		if m := vlanNamed.FindStringSubmatch(i.Name); m != nil {
			s.links[m[1]] = i.Name
		}
	}
	for _, a := range r.Facts.Applied {
		s.restrict(r, a.Rule)
	}
	for _, f := range r.Facts.Policy.Flows {
		if f.NotRead && f.Undecided {
			s.restrict(r, f)
		}
	}
}

// restrict keeps a filter of a port for the interface of its VLAN, or for any where none of it is known.
func (s *switched) restrict(r *reader, f network.FlowRule) {
	in, comes := s.vlans[f.In]
	out, leaves := s.vlans[f.Out]
	if comes {
		r.RestrictAt(network.FlowRule{Family: f.Family, Hook: f.Hook, In: s.links[in]}, f.Mark)
	}
	if leaves {
		r.RestrictAt(network.FlowRule{Family: f.Family, Hook: f.Hook, Out: s.links[out]}, f.Mark)
	}
}

var vlanNamed = lazyregexp.New(`(?i)^(?:vlan|vlanif|vlan-interface|irb|bvi)[ .]?(\d+)$`)
