package capture

import (
	"net/netip"
	"regexp"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A kernel's filters are listed without what the command above them said: of which family they are, and that it asked for some only.

var (
	// partOfRules matches a command that lists some of a kernel's filters.
	partOfRules = regexp.MustCompile(`\bnft\b.*\blist (?:tables?|chains?|sets?|maps?|counters?)\b`)
	// ipv6Rules matches one that asks the older tools for those of IPv6.
	ipv6Rules = regexp.MustCompile(`\bip6tables(?:-\w+)*\b`)
	// otherTable matches one that asks them for another table than that of filters.
	otherTable = regexp.MustCompile(`\bip6?tables(?:-\w+)*\b.*\s(?:-t ?|--table[ =])(?:nat|mangle|raw|security)\b`)
)

// kernelRules reports whether a layout is one of a kernel's filters.
func kernelRules(name string) bool {
	return strings.HasPrefix(name, "nftables") || name == "saved rules" || name == "listed chains"
}

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

// TellsFilters reports whether a part tells what a kernel's filters do with packets of a family on their way through the device.
func (p *Part) TellsFilters(f route.Family) bool {
	policy := &p.Facts.Policy
	if policy.AllRules4 && f == route.IPv4 || policy.AllRules6 && f == route.IPv6 {
		return true
	}
	if otherTable.MatchString(p.Command) {
		return false
	}
	for _, r := range policy.Flows {
		if r.Hook == network.Forwarded && (r.Family == 0 || r.Family == f) {
			return true
		}
	}
	return false
}
