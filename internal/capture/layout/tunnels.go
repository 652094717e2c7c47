package layout

import (
	"encoding/binary"
	"net/netip"
	"strconv"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// Tunnels gathers what the lines of a configuration tell of the tunnels behind interfaces. The zero Tunnels knows none.
type Tunnels struct {
	told  Named[network.Tunnel] // by interface
	blind map[string]bool
}

// Tell notes what a line tells of the tunnel behind an interface.
func (t *Tunnels) Tell(ifname string, m route.Mark, tell func(*network.Tunnel)) {
	tell(t.told.At(ifname, func() *network.Tunnel {
		return &network.Tunnel{Interface: ifname, Configured: true, Mark: m}
	}))
}

// Source notes an address that a tunnel begins at, or the interface that has it.
func (t *Tunnels) Source(ifname, value string, m route.Mark) {
	t.Tell(ifname, m, func(x *network.Tunnel) {
		x.Local, x.From = netip.Addr{}, ""
		if a, ok := Addr([]byte(value)); ok {
			x.Local = a
		} else {
			x.From = value
		}
	})
}

// Destination notes the address that a tunnel leads to. A name, which a server resolves, tells none. The line is the
// evidence of the tunnel.
func (t *Tunnels) Destination(ifname, value string, m route.Mark) {
	t.Tell(ifname, m, func(x *network.Tunnel) {
		x.Remote, x.Mark = netip.Addr{}, m
		if a, ok := Addr([]byte(value)); ok && !a.IsUnspecified() {
			x.Remote = a
		}
	})
}

// Key notes the key of a tunnel (RFC 2890), which systems print as a number of any base or as an address.
func (t *Tunnels) Key(ifname, value string, m route.Mark) {
	t.Tell(ifname, m, func(x *network.Tunnel) { x.Key = TunnelKey(value) })
}

// TunnelKey is a key in the form in which two can be compared, "" where a text is none.
func TunnelKey(s string) string {
	if n, err := strconv.ParseUint(s, 0, 32); err == nil {
		return strconv.FormatUint(n, 10)
	}
	if a, ok := Addr([]byte(s)); ok && a.Is4() {
		b := a.As4()
		return strconv.FormatUint(uint64(binary.BigEndian.Uint32(b[:])), 10)
	}
	return ""
}

// Unfollowed says that the two addresses of a tunnel are not all that its packets go by: labels, or several ends.
func (t *Tunnels) Unfollowed(ifname string) {
	if t.blind == nil {
		t.blind = map[string]bool{}
	}
	t.blind[ifname] = true
}

// All returns the tunnels in the order in which they were first told of, those of which an end or the kind is.
func (t *Tunnels) All() []network.Tunnel {
	var out []network.Tunnel
	for _, told := range t.told.All {
		x := *told
		if t.blind[x.Interface] {
			x.Remote, x.Many = netip.Addr{}, false
		} else if !x.Remote.IsValid() && !x.Many && !x.Local.IsValid() && x.From == "" {
			continue
		}
		out = append(out, x)
	}
	return out
}
