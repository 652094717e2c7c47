package lists

import (
	"bytes"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const tunnelsName = "tunnels"

// Tunnels is the registration of the kernel's list of tunnels, as ip tunnel prints it.
var Tunnels = layout.Reader{Name: tunnelsName, Recognise: recogniseTunnels, Read: ReadTunnels,
	About: "tunnels, a line each: the addresses of the packets outside, and the key",
	Sample: "gre0: gre/ip remote any local any ttl inherit nopmtudisc\n" +
		"cable7: gre/ip remote 172.28.61.18 local 172.28.61.2 ttl 255\n" +
		"cable8: gre/ip remote 172.28.61.22 local 172.28.61.2 ttl 255 key 7\n"}

var (
	// cable7: gre/ip remote 172.28.61.18 local 172.28.61.2 dev up0 ttl 255 key 7
	tunnelLine = lazyregexp.New(`^(\S+): (gre|ip|any|ipv6|gre6|ip6)/(?:ip|ipv6) remote (\S+) local (\S+)(?: (.*))?$`)
	tunnelKey  = lazyregexp.New(`(?:^| )o?key (\S+)`)
	// Tunnel source 172.28.61.2 (up0), destination 172.28.61.18
	sourceLine = lazyregexp.New(`^\s*Tunnel source ([0-9A-Fa-f.:]+)(?: \(([^)]+)\))?(?:, ?destination ([0-9A-Fa-f.:]+))?`)
	// Tunnel protocol/transport GRE/IP
	transportLine = lazyregexp.New(`^\s*Tunnel protocol/transport ([\w-]+)(?:/|\s|,|$)`)
)

func recogniseTunnels(text []byte) int {
	if !bytes.Contains(text[:min(len(text), 1<<16)], []byte(" remote ")) {
		return 0
	}
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if tunnelLine.Match(text[lo:min(hi, lo+mostOfLine)]) {
			n += 4
		}
	}
	return n
}

// ReadTunnels reads a text of this form. A tunnel without a far end is open to whoever sends into it.
func ReadTunnels(text []byte) layout.Reading {
	var r layout.Collector
	r.Layout = tunnelsName
	for lo, hi := range layout.Lines(text) {
		if layout.Blank(text[lo:hi]) {
			continue
		}
		f := tunnelLine.FindStringSubmatch(strings.TrimRight(string(text[lo:min(hi, lo+mostOfLine)]), " \t\r"))
		if f == nil {
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
			continue
		}
		t := network.Tunnel{Interface: f[1], Mark: layout.Mark(lo, hi)}
		t.Remote, _ = layout.Addr([]byte(f[3]))
		t.Local, _ = layout.Addr([]byte(f[4]))
		if strings.HasPrefix(f[2], "gre") {
			t.Protocol = "gre"
		}
		if k := tunnelKey.FindStringSubmatch(f[5]); k != nil {
			t.Key = layout.TunnelKey(k[1])
		}
		if !t.Remote.IsValid() || t.Remote.IsUnspecified() {
			r.Pass(lo, hi, layout.Other)
			continue
		}
		r.Facts.Policy.Tunnels = append(r.Facts.Policy.Tunnels, t)
		r.Read++
	}
	return r.Reading
}

// tunnel reads the lines of an interface's paragraph that tell of its tunnel; false for others.
func (r *inDetail) tunnel(line, ifname string, m route.Mark) bool {
	if !strings.Contains(line, "Tunnel ") {
		return false
	}
	list := &r.Facts.Policy.Tunnels
	if f := sourceLine.FindStringSubmatch(line); f != nil {
		t := network.Tunnel{Interface: ifname, From: f[2], Mark: m}
		t.Local, _ = layout.Addr([]byte(f[1]))
		t.Remote, _ = layout.Addr([]byte(f[3]))
		if t.Remote.IsUnspecified() {
			t.Remote = netip.Addr{}
		}
		*list = append(*list, t)
		r.Read++
		return true
	}
	f := transportLine.FindStringSubmatch(line)
	if n := len(*list); f == nil || n == 0 || (*list)[n-1].Interface != ifname {
		return false
	}
	switch t := &(*list)[len(*list)-1]; strings.ToLower(f[1]) {
	case "gre":
		t.Protocol = "gre"
	case "multi-gre":
		t.Many, t.Protocol = true, "gre"
	case "ipsec":
		t.Protocol = "esp"
	}
	r.Pass(int(m.Off), int(m.End), layout.Part)
	return true
}
