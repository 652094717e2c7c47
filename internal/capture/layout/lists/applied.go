package lists

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// What the paragraph says is applied to the interface: Inbound access list is FROM-UP; IP verify source reachable-via
// RX.
var (
	listLine = lazyregexp.New(`^\s+(Inbound|Outgoing|Outbound)\s+(?:Common\s+)?access[ -]list is (\S+)\s*$`)
	// Inbound access list GATE, as the same paragraph has it for IPv6
	sixListLine = lazyregexp.New(`^\s+(Inbound|Outgoing|Outbound) access list ([^\s:]+)\s*$`)
	// Inbound  common access list is not set, access list is GATE
	bothListsLine = lazyregexp.New(`^\s+(Inbound|Outgoing|Outbound)\s+common access list is (not set|\S+),` +
		` access list is (not set|\S+)\s*$`)
	verifyLine = lazyregexp.New(`(?i)^\s+IP(v6)? verify source reachable-via (RX|ANY)\b`)
	policyLine = lazyregexp.New(`(?i)^\s+(?:policy routing is enabled|network address translation is enabled)\b`)
	// IP unicast reverse path forwarding: strict
	reversePathLine = lazyregexp.New(`^\s+IP(v6)? unicast reverse path forwarding: (strict|loose)\b`)
)

// applied keeps what a line says is applied to an interface; false where it says nothing of that. A list is known by
// its name, wherever in the captures its rules stand.
func applied(c *layout.Collector, line, dev string, six bool, lo, hi int) bool {
	fam := route.IPv4
	if six {
		fam = route.IPv6
	}
	lists := func(direction string, names ...string) bool {
		rule := network.FlowRule{Family: fam, Hook: network.ComingIn, In: dev, Stateless: true,
			Mark: layout.Mark(lo, hi)}
		if direction != "Inbound" {
			rule.Hook, rule.In, rule.Out = network.GoingOut, "", dev
		}
		set := false
		for _, name := range names {
			if name != "not" && name != "not set" {
				c.Facts.Applied = append(c.Facts.Applied, network.AppliedFilter{List: name, Rule: rule})
				set = true
			}
		}
		return set
	}
	if f := bothListsLine.FindStringSubmatch(line); f != nil {
		return lists(f[1], f[2], f[3])
	}
	if f := listLine.FindStringSubmatch(line); f != nil && f[2] != "not" {
		return lists(f[1], f[2])
	}
	if f := sixListLine.FindStringSubmatch(line); f != nil && six {
		return lists(f[1], f[2])
	}
	for _, re := range []*lazyregexp.Regexp{verifyLine, reversePathLine} {
		f := re.FindStringSubmatch(line)
		if f == nil {
			continue
		}
		check := network.SourceCheck{Family: fam, Interface: dev, Mode: network.CheckStrict, Mark: layout.Mark(lo, hi),
			NotByDefault: !strings.Contains(strings.ReplaceAll(strings.ToLower(line), "-", " "), "allow default")}
		if strings.EqualFold(f[2], "any") || f[2] == "loose" {
			check.Mode = network.CheckLoose
		}
		if f[1] != "" {
			check.Family = route.IPv6
		}
		c.Facts.Checks = append(c.Facts.Checks, check)
		return true
	}
	if policyLine.MatchString(line) {
		if strings.Contains(strings.ToLower(line), "translation") { // what is for the device itself may be for another
			c.Restrict(network.FlowRule{Family: fam, In: dev}, lo, hi)
		} else {
			c.RestrictForwarded(network.FlowRule{Family: fam, In: dev}, lo, hi)
		}
		c.RestrictForwarded(network.FlowRule{Family: fam, Out: dev}, lo, hi)
		return true
	}
	return false
}
