package statements

import (
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// sixRouting watches a configuration for whether it switches the forwarding of IPv6 on. The systems whose whole
// configurations begin with "Current configuration" or a version and end with "end" forward none unless told to: they
// are hosts, with addresses and a table, and a trace through them would be false.
type sixRouting struct {
	address       route.Mark // the first line that gives an interface an IPv6 address
	begun, ended  bool
	told, another bool // another: of a system that forwards by itself, or whose kernel is told elsewhere
}

// line looks at one line of the text.
func (x *sixRouting) line(s string, m route.Mark) {
	t := strings.TrimSpace(s)
	switch {
	case strings.HasPrefix(t, "Current configuration"), begins.MatchString(t):
		x.begun = true
	case t == "end":
		x.ended = true
	case strings.HasPrefix(t, "frr "), strings.HasPrefix(t, "!! "):
		x.another = true
	case !strings.Contains(t, "ipv6") && !strings.HasPrefix(t, "router ospfv3"):
	case t == "ipv6 unicast-routing", t == "ipv6 forwarding", t == "no ipv6 forwarding", t == "no ipv6 unicast-routing",
		strings.HasPrefix(t, "ipv6 unicast-routing "), strings.HasPrefix(t, "router "), strings.HasPrefix(t, "ipv6 router "),
		strings.HasPrefix(t, "address-family ipv6"), strings.HasPrefix(t, "ipv6 ospf "), strings.HasPrefix(t, "ipv6 rip "):
		x.told = true // routing protocols run where it is on
	case strings.HasPrefix(t, "ipv6 address ") && s != t && x.address == (route.Mark{}):
		x.address = m
	}
}

// finish restricts what is forwarded of IPv6 where nothing switches that on.
func (x *sixRouting) finish(r *reader) {
	if x.begun && x.ended && !x.told && !x.another && x.address != (route.Mark{}) {
		r.RestrictForwarded(network.FlowRule{Family: route.IPv6, Missing: network.SwitchedOn}, int(x.address.Off),
			int(x.address.End))
	}
}
