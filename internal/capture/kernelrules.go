package capture

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// A kernel's filters are listed without what the command above them said: of which family they are, and that it asked
// for some only.

var (
	// partOfRules matches a command that lists some of a kernel's filters.
	partOfRules = lazyregexp.New(`\bnft\b.*\blist (?:tables?|chains?|sets?|maps?|counters?)\b`)
	// ipv6Rules matches one that asks the older tools for those of IPv6.
	ipv6Rules = lazyregexp.New(`\bip6tables(?:-\w+)*\b`)
	// otherTable matches one that asks them for another table than that of filters.
	otherTable = lazyregexp.New(`\bip6?tables(?:-\w+)*\b.*\s(?:-t ?|--table[ =])(?:nat|mangle|raw|security)\b`)
)

// KernelRules reports whether a part was read as a kernel's filters.
func (p *Part) KernelRules() bool {
	return strings.HasPrefix(p.Layout, "nftables") || p.Iptables()
}

// Iptables reports whether a part was read as the filters of iptables, beside which the kernel may have those of
// nftables.
func (p *Part) Iptables() bool { return p.Layout == "saved rules" || p.Layout == "listed chains" }

// rulesAsked corrects what was read of a kernel's filters by the command that asked for them, whose line is at.
func (p *Part) rulesAsked(at route.Mark) {
	policy := &p.Facts.Policy
	if ipv6Rules.MatchString(p.Command) {
		for i := range policy.Flows {
			policy.Flows[i].Family = route.IPv6
		}
		for i := range policy.Translations {
			if x := &policy.Translations[i]; !x.From.IsValid() && !x.To.IsValid() {
				x.From = netip.PrefixFrom(netip.IPv6Unspecified(), 0)
			}
		}
		policy.AllRules4, policy.AllRules6 = false, policy.AllRules4 || policy.AllRules6
	}
	if otherTable.MatchString(p.Command) { // that it lets all pass says nothing of the filters
		p.passOpenChains()
	}
	search := searched(p.Command)
	if search || partOfRules.MatchString(p.Command) {
		policy.AllRules4, policy.AllRules6 = false, false
	}
	if search { // a rule that it left out may stop what these let pass
		c := layout.Collector{Reading: p.Reading}
		c.RestrictAt(network.FlowRule{Missing: network.LeftOut}, at)
		p.Reading = c.Reading
	}
}

// passOpenChains takes out the chains of which every rule lets pass; their lines are passed over.
func (p *Part) passOpenChains() {
	policy := &p.Facts.Policy
	stops := map[int]bool{}
	for _, r := range policy.Flows {
		stops[r.Chain] = stops[r.Chain] || !r.Permit
	}
	rests := map[route.Mark]bool{} // lines on which something rests all the same
	for _, r := range policy.Flows {
		rests[r.Mark] = rests[r.Mark] || stops[r.Chain]
	}
	for _, r := range policy.Flows {
		if !rests[r.Mark] {
			rests[r.Mark] = true // told once
			p.Passed = append(p.Passed, layout.Passed{Mark: r.Mark, As: layout.Part})
			p.Read--
		}
	}
	policy.Flows = slices.DeleteFunc(policy.Flows, func(r network.FlowRule) bool { return !stops[r.Chain] })
}
