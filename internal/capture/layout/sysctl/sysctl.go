// Package sysctl reads kernel switches as sysctl prints them: whether a family is forwarded at all. It exists because
// no routing table ever shows that.
package sysctl

import (
	"bytes"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "sysctl"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "kernel switches, of which those for forwarding count",
	Sample: "net.ipv4.conf.all.forwarding = 1\n" +
		"net.ipv6.conf.all.forwarding = 0\n" +
		"net.inet.ip.forwarding: 1\n"}

// switches are the keys that say whether a family is forwarded on all interfaces.
var switches = map[string]route.Family{
	"net.ipv4.ip_forward": route.IPv4, "net.ipv4.conf.all.forwarding": route.IPv4,
	"net.ipv6.conf.all.forwarding": route.IPv6,
	// the BSD names
	"net.inet.ip.forwarding": route.IPv4, "net.inet6.ip6.forwarding": route.IPv6,
}

// muteSwitches are the keys with which a kernel does not answer echo requests to it (RFC 792, RFC 4443), as a rule that
// drops those.
var muteSwitches = map[string]network.FlowRule{
	"net.ipv4.icmp_echo_ignore_all": {Hook: network.ForItself, Family: route.IPv4, Protocol: "icmp", Type: 8 + 1},
	"net.ipv6.icmp.echo_ignore_all": {Hook: network.ForItself, Family: route.IPv6, Protocol: "icmpv6", Type: 128 + 1},
}

// assignment splits KEY = VALUE or KEY: VALUE.
func assignment(line []byte) (key, value string, ok bool) {
	line = bytes.TrimSpace(line)
	i := bytes.IndexAny(line, "=:")
	if i < 0 || len(line) > 400 {
		return "", "", false
	}
	key, value = string(bytes.TrimSpace(line[:i])), string(bytes.TrimSpace(line[i+1:]))
	if path, ok := strings.CutPrefix(key, "/proc/sys/"); ok { // as a search in the files of the settings prints it
		key = strings.NewReplacer("/", ".", ".", "/").Replace(path)
	}
	return key, value, len(key) > 4 && key[:4] == "net."
}

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if _, _, ok := assignment(text[lo:hi]); ok {
			n++
		}
	}
	return n
}

// Read reads a text of this family. Other switches of the network are known to say nothing about routes.
func Read(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = name
	for lo, hi := range layout.Lines(text) {
		if layout.Blank(text[lo:hi]) {
			continue
		}
		key, value, ok := assignment(text[lo:hi])
		fam, isSwitch := switches[key]
		ifname, isCheck := interfaceKey(key, ".rp_filter")
		own := ""
		if name, ok := interfaceKey(key, ".forwarding"); ok && name != "" {
			own, fam, isSwitch = name, route.IPv4, true
		}
		mute, isMute := muteSwitches[key]
		skips, isSkip := skipKey(key)
		switch {
		case !ok:
			c.LeaveUnread(lo, hi, layout.ErrNotARoute)
		case isMute && value == "1":
			mute.Mark, mute.Chain = layout.Mark(lo, hi), len(c.Facts.Policy.Flows)
			rest := network.FlowRule{Hook: mute.Hook, Family: mute.Family, Permit: true, Chain: mute.Chain, Mark: mute.Mark}
			c.Facts.Policy.Flows = append(c.Facts.Policy.Flows, mute, rest)
			c.Read++
		case isCheck && len(value) == 1 && value >= "0" && value <= "2":
			mode := [...]network.CheckMode{network.CheckOff, network.CheckStrict, network.CheckLoose}[value[0]-'0']
			c.Facts.Checks = append(
				c.Facts.Checks,
				network.SourceCheck{
					Family:    route.IPv4,
					Interface: ifname,
					Mode:      mode,
					Combine:   true,
					Mark:      layout.Mark(lo, hi),
				},
			)
			c.Read++
		case isSkip && (value == "0" || value == "1"):
			skips.On, skips.Mark = value == "1", layout.Mark(lo, hi)
			c.Facts.SkipsDown = append(c.Facts.SkipsDown, skips)
			c.Read++
		case isCheck:
			c.LeaveUnread(lo, hi, layout.ErrNumber)
		case !isSwitch:
			c.Pass(lo, hi, layout.Other)
		case value != "0" && value != "1" && value != "2":
			c.LeaveUnread(lo, hi, layout.ErrNumber)
		default:
			c.Facts.Forwarding = append(
				c.Facts.Forwarding,
				network.Switch{Family: fam, Interface: own, On: value != "0", Mark: layout.Mark(lo, hi)},
			)
			c.Read++
		}
	}
	return c.Reading
}

// skipKey reads the keys for routes by interfaces without a carrier.
func skipKey(key string) (network.Switch, bool) {
	fam := route.IPv4
	if rest, ok := strings.CutPrefix(key, "net.ipv6."); ok {
		fam, key = route.IPv6, "net.ipv4."+rest
	}
	ifname, ok := interfaceKey(key, ".ignore_routes_with_linkdown")
	return network.Switch{Family: fam, Interface: ifname}, ok
}

// interfaceKey reads net.ipv4.conf.INTERFACE.rp_filter and the like; "" stands for all interfaces. A dot in a name is
// written as a slash.
func interfaceKey(key, setting string) (ifname string, ok bool) {
	rest, ok := strings.CutPrefix(key, "net.ipv4.conf.")
	if !ok {
		return "", false
	}
	ifname, ok = strings.CutSuffix(rest, setting)
	switch ifname {
	case "all":
		return "", ok
	case "default": // for interfaces to come
		return "", false
	}
	return strings.ReplaceAll(ifname, "/", "."), ok
}
