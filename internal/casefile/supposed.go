package casefile

import (
	"bytes"
	"maps"
	"slices"

	"zarvek/internal/capture"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

// learns matches what a configuration says where a device may have routes that do not stand in it: learned by a routing
// protocol, or given to it together with an address. What only mentions one is taken for that too.
var learns = lazyregexp.New(`(?i)\b(?:ospf\w*|is-?is|bgp\d*|rip|ripng|eigrp|babeld?|olsr|mpls|segment-routing|nhrp` +
	`|redistribut\w*|reverse-route|aggregate|generate|rib-groups?|instance-import|auto-export|import-policy` +
	`|dhcp-client|dhcp6?c|pppoe\w*|pppoa|autoconf\w*|accept[-_]ra|slaac|negotiated|openvpn|wireguard|easy-?vpn)\b` +
	`|\b(?:address|mode|family|inet6?|iface \S+ inet6?)\s+(?:dhcp|dhcpv[46]|auto)\b|\bdhcp[46]?\s*[:=]\s*(?:true|yes)\b` +
	`|\bset (?:sdwan|virtual-wan-link)\b`)

// suppose lets devices of which the configuration was captured and no table have those that the configuration makes.
func (c *Case) suppose(b *network.Builder) {
	for d := range c.makeTables() {
		b.Suppose(d)
	}
}

// makeTables are the devices of which a configuration was captured that tells all their routes.
func (c *Case) makeTables() map[string]bool {
	makes := map[string]bool{}
	each := func(look func(device string, f *File, p *capture.Part)) {
		for _, f := range c.Files {
			for i := range f.Parts {
				look(f.DeviceOf(&f.Parts[i]), f, &f.Parts[i])
			}
		}
	}
	each(func(d string, _ *File, p *capture.Part) {
		makes[d] = makes[d] || p.WholeConfiguration() && c.spokenOf(d).configuration
	})
	each(func(d string, f *File, p *capture.Part) { // most are no such devices: their texts may be large
		makes[d] = makes[d] && !cutOff(p.Facts.Policy.Flows) && !(p.WholeConfiguration() && len(p.Unread) > 0) &&
			!learns.Match(f.Source.Text(p.Where)) && !toNames(f.Source.Text(p.Where))
	})
	maps.DeleteFunc(makes, func(_ string, so bool) bool { return !so })
	return makes
}

// MakesTable reports whether a device, of which no table was captured, has a configuration that makes one
// (Options.Suppose).
func (c *Case) MakesTable(device string) bool { return !c.supposes && c.makeTables()[device] }

// Supposable lists the devices on a round trip's way of which no table was captured, and a configuration that makes one
// (Options.Suppose).
func (c *Case) Supposable(rt *forward.RoundTrip) []string {
	var out []string
	for _, dir := range []*forward.Direction{&rt.Forward, rt.Return} {
		if dir == nil {
			continue
		}
		for _, b := range dir.Branches {
			if b.Reason.Code == forward.TableMissing && !slices.Contains(out, b.Where) {
				out = append(out, b.Where)
			}
		}
	}
	if len(out) == 0 || c.supposes {
		return nil
	}
	makes := c.makeTables()
	return slices.DeleteFunc(out, func(d string) bool { return !makes[d] })
}

// toNames reports whether a static route of a text of blocks leads to a name, which may be one of no known address.
func toNames(text []byte) bool {
	for {
		_, rest, found := bytes.Cut(text, []byte("config router static"))
		if !found {
			return false
		}
		section, after, _ := bytes.Cut(rest, []byte("\nend"))
		if bytes.Contains(section, []byte("set dstaddr")) {
			return true
		}
		text = after
	}
}

// cutOff reports whether the text that rules stand in stops in its middle.
func cutOff(flows []network.FlowRule) bool {
	for _, f := range flows {
		if f.Missing == network.CutOff {
			return true
		}
	}
	return false
}
