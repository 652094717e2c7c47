package statements

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

// Routers of a segment share an address, of which one answers (RFC 9568): a line of the interface names it, or one in a
// block of the group below it.
var (
	virtualLine = lazyregexp.New(`^(?:standby(?: \d+)? ipv?6?|glbp \d+ ipv?6?|vrrp \d+ (?:ip|ipv4|ipv6|address` +
		`|virtual-address)|` +
		`vrrp (?:ipv6 )?vrid \d+ virtual-ip|ip vrrp \d+ (?:virtual-ip|address|ip)|vrrp-group \d+ virtual-address|` +
		`(?:ip|ipv6) virtual-router address|(?:ip|ipv6) address virtual) ([0-9A-Fa-f.:]+)(?:/\d+)?(?: [a-z0-9 -]+)?$`)
	// two switches work as one: vpc domain 7, mlag configuration, dfs-group 1
	pairedLine = lazyregexp.New(`^(?:vpc domain|mlag(?: configuration| domain|$)|m-lag|dfs-group|vsx|vlt-domain|vlt domain)\b`)
	groupLine  = lazyregexp.New(`^(?:hsrp|vrrp|vrrpv3)(?: version \d)? \d+(?: (?:ipv4|ipv6` +
		`|address-family ipv[46]))?$`)
	ofGroup = lazyregexp.New(`^(?:ip|ipv6|address|virtual-ip|virtual-address` +
		`|ip-address) ([0-9A-Fa-f.:]+)(?: (?:primary|secondary))?$`)
)

// virtual reads a line that names a virtual address of the interface, or begins or stands in the block of a group.
func (r *reader) virtual(w []string, s string, lo, hi int) bool {
	line := strings.Join(w, " ")
	indent := len(s) - len(strings.TrimLeft(s, " \t"))
	found := virtualLine.FindStringSubmatch(line)
	switch {
	case groupLine.MatchString(line):
		r.sharing = indent + 1
		return false
	case found == nil && r.sharing > 0 && indent >= r.sharing:
		found = ofGroup.FindStringSubmatch(line)
	case indent < r.sharing:
		r.sharing = 0
	}
	if found == nil {
		return false
	}
	a, ok := layout.Addr([]byte(found[1]))
	if ok && !a.IsUnspecified() {
		r.Facts.Virtuals = append(r.Facts.Virtuals,
			network.VirtualAddress{Address: a, Interface: r.interfaceNow(), Mark: layout.Mark(lo, hi)})
	}
	return ok
}

// pairs notes a line that makes the device one of two that work as one switch.
func (r *reader) pairs(w []string) {
	switch w[0] {
	case "vpc", "mlag", "m-lag", "dfs-group", "vsx", "vlt", "vlt-domain":
		r.paired = r.paired || pairedLine.MatchString(strings.Join(w, " "))
	}
}

// finishVirtuals tells so of the addresses that it shares.
func (r *reader) finishVirtuals() {
	for i := range r.Facts.Virtuals {
		r.Facts.Virtuals[i].Paired = r.paired
	}
}
