package capture

import (
	"bytes"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// What no reader understands may still decide over packets. A line of it that reads like a rule of a filter, or like
// one being applied, and the answer to a command that asks for filters, are kept as a filter whose text was not read:
// whether packets pass the device cannot be told then.

// FilterNotRead is the name of the layout that such a part is said to be in.
const FilterNotRead = "filter, not read"

// asksForFilter matches a command that shows what a device lets through.
var asksForFilter = lazyregexp.New(`(?i)^[^|]*\b(?:fw (?:stat|ctl|tab)|firewall(?:-cmd)?|acls?|access-(?:lists?|control` +
	`|group)|ip-?filters?|traffic-filter|packet-filter|ufw|ipfw|ipfstat|pfctl|` +
	`ip6?tables|nft|ebtables|rulebase|security[- ]polic(?:y|ies)|tc(?: -\w+)* filter|show filters?|` +
	`zone-pair|ip policy|policy-based|nat|xlate|xfrm|crypto (?:ipsec|map)|ipsec)\b`)

// saysNothing matches a line of an answer that is no rule: there are none, the question was not understood, the names
// of columns.
var saysNothing = lazyregexp.New(`(?i)^\s*(?:no\b|none\b|there (?:are|is) no\b|[%^*]|status: inactive` +
	`|interface\s+route[ -]?map\s*$|pro\s+inside global\b|[-=]+\s*$|total\b.*\b0\b)|` +
	`\b(?:is not running|command not found|not found|permission denied|invalid (?:command|input))\b`)

// rules are the forms in which systems of all kinds write that packets are stopped, or that what stops them is applied.
var rules = []*lazyregexp.Regexp{
	// action deny, default-action drop, "PACKET_ACTION":"DROP"
	lazyregexp.New(`(?i)(?:^|[^a-z])action["'\s:=]+(?:drop|deny|reject|discard|block|prohibit)\b`),
	// <type>block</type>
	lazyregexp.New(`(?i)<(?:type|action|target|policy|verdict)>\s*(?:drop|deny|reject|discard|block)\s*<`),
	// deny ip any any, 00200 deny tcp from any, rule 5 block in on up0
	lazyregexp.New(`(?i)^\s*(?:(?:seq|rule|entry|term)?\s*\d+[.:]?\s+)?(?:deny|drop|reject|block)\s+(?:in` +
		`|out|ip|ipv6|tcp|udp|icmp|all|any|from|inet6?|quick|log|proto|host)\b`),
	// drop on a line of its own, "deny;" within a rule
	lazyregexp.New(`(?i)^\s*(?:then\s+)?(?:deny|drop|reject|discard)\s*;?\s*$|[";{]\s*(?:deny|drop|reject` +
		`|discard)\s*;`),
	// Default: deny (routed), target: DROP
	lazyregexp.New(`(?i)^\s*firewall\b.*\bdefault\b.*\b(?:deny|drop)\b`),
	lazyregexp.New(`(?i)^\s*(?:default|target|policy)\s*:\s*(?:deny|drop|%*reject)`),
	// set interface up0 acl KEEPOUT inbound
	lazyregexp.New(`(?i)^\s*(?:nv )?(?:set|configure|config|add|apply|bind|ip|ipv6|mac|filter|acl` +
		`|access-list|access-group|packet-filter|traffic-filter)\b` +
		`.*\b(?:acl|access-list|access-group|packet-filter|traffic-filter|ip-filter|firewall)\b.*\b(?:ingress` +
		`|egress|inbound|outbound|input|output|in|out)\b`),
	lazyregexp.New(`(?i)^\s*(?:acl|access-list|access-group|packet-filter|traffic-filter` +
		`|ip-filter)\b.*\b(?:ingress|egress|inbound|outbound)\b`),
	// add ns acl A DENY; -p IPv4 -j DROP; Bridge chain: FORWARD, policy: DROP; the settings of a zone
	lazyregexp.New(`(?i)^\s*add\b.*\bacl6?\b.*\b(?:deny|drop|allow|permit)\b`),
	lazyregexp.New(`^\s*-.*\s-j\s+[A-Za-z]|(?i)\bchain\b.*\bpolicy:?\s+(?:drop|deny|reject)\b` +
		`|^\s*icmp-block-inversion:`),
	// lines that a system does when it starts: iptables -A FORWARD -j DROP, ip rule add, nft add rule; rules for
	// routing in other forms
	lazyregexp.New(`(?i)\bip6?tables(?:-\w+)?\s.*-(?:A|I|P|-append|-insert|-policy)\s|\bnft\s+(?:add` +
		`|insert)\s+rule\b|\bip(?:\s+-\w+)*\s+ru(?:le)?\s+add\b`),
	lazyregexp.New(`(?i)^\s*(?:- )?routing-policy:\s*$|^\[RoutingPolicyRule\]\s*$`),
	// What lets pass tells as much: the rest is stopped. action permit, <action>allow</action>, pass in on up0,
	// permit tcp any any
	lazyregexp.New(`(?i)(?:^|[^a-z])action["'\s:=]+(?:accept|allow|permit|pass)\b`),
	lazyregexp.New(`(?i)<(?:type|action|target|policy|verdict)>\s*(?:pass|allow|accept|permit)\s*<`),
	lazyregexp.New(`(?i)^\s*(?:(?:seq|rule|entry|term)?\s*\d+[.:]?\s+)?(?:permit|allow|accept|pass)\s+(?:in` +
		`|out|ip|ipv6|tcp|udp|icmp|all|any|from|inet6?|quick|log|proto|host)\b`),
	// rule 0 drop; ipv4 access-list A 10 deny ipv4 any any; filter acl ace action 1 10 deny
	lazyregexp.New(`(?i)^\s*(?:rule|entry|term|seq)\s+\d+\s+(?:deny|drop|reject|pass|permit)\s*$` +
		`|^\s*ip(?:v[46])? access-list \S+ \d+ (?:deny|permit)\b|^\s*filter acl\b|^\s*zone-pair security\b`),
	// the same as elements of a document: <discard/>, "deny": {}, drop: {}, drop {
	lazyregexp.New(`(?i)<(?:deny|drop|discard|reject)\s*(?:/>|>\s*(?:</\w+>\s*)?$)` +
		`|["'](?:deny|drop|discard|reject)["']\s*:\s*(?:\{|\[\s*null|null|true)` +
		`|^\s*(?:deny|drop|discard|reject)\s*(?::\s*(?:\{\s*\})?|\{)\s*$`),
	// filters and translations as applied by elements of a document: <filter-name>, "ingress-acl-sets": {
	lazyregexp.New(`(?i)[<"'](?:[\w-]+:)?(?:filter-name|(?:in|e)gress-acl-sets?|access-group|acl[-_]?name` +
		`|traffic-filter|packet-filter|(?:source|destination|static)-nat|permit/)["'\s>]`),
	// "forwarding": "drop" (RFC 8519) and the like, as elements of a document, and the sets that are bound
	lazyregexp.New(`(?i)[<"'](?:[\w-]+:)?forwarding(?:-action)?["'>]\s*:?\s*["']?(?:[\w-]+:)?(?:drop|reject|accept)\b` +
		`|["'](?:[\w-]+:)?acl-sets?["']\s*:`),
	// a row of cells of which one says that packets are stopped: 7,10.61.16.0/24,any,tcp,Drop
	lazyregexp.New(`(?i)^(?:[^,;]*[,;]){2,}\s*"?(?:deny|drop|reject|block)"?\s*(?:[,;].*)?$`),
	// DROP inside net:10.61.16.0/24
	lazyregexp.New(`^(?:DROP|REJECT)\s+[a-z$][\w$-]*(?::\S+)?\s+[a-z$][\w$-]*(?::\S+)?(?:\s|$)`),
	// filter ip 10, filter { below an interface; the interfaces that tables of rules are bound to
	lazyregexp.New(`(?i)^\s*filter\s+(?:ip|ipv6)\s+\S+\s*$|^\s*filter\s*\{\s*$|["']ACL_TABLE["']\s*:` +
		`|^\s*Interface\b.*\sInput Filter\s+Output Filter\s*$`),
	// that there are zones, or rules of another kind than those that were listed
	lazyregexp.New(`(?i)^\s*Security zone:\s*\S|^#? ?Warning: ip6?tables-legacy tables present`),
	// columns of a chain's rules; a program at an interface that sees packets before the kernel does
	lazyregexp.New(`^(?:Columns:\s*|#?\s*)CHAIN,?\s+ACTION\b|^\s*prog/xdp\b`),
	// ip-filter 10 create; action order 1: mirred (Egress Redirect to device up1); leftsubnet=10.61.1.0/24
	lazyregexp.New(`(?i)^\s*ip(?:v6)?-filter\s+\S+\s+(?:create\b|\{)|\baction order \d+: (?:mirred|nat|pedit` +
		`|tunnel_key|skbedit)\b|^\s*(?:(?:left|right)subnets?|(?:local|remote)_ts)\s*=|^\s*policy pbr\b`),
	// sections that hold such rules: security-policy, <rulebase>, <zone target="DROP">
	lazyregexp.New(`(?i)^\s*security-policy(?:\s|$)|<rulebase>|<(?:zone|policy)\b[^>]*\btarget=`),
	// dir fwd priority 100 ptype main; firewall.@rule[0].target='DROP'; e0(2) clsact/ingress keep-out id 7
	lazyregexp.New(`(?i)^\s*dir (?:in|out|fwd)\s.*\bp(?:type|riority)\b` +
		`|\.(?:target|action|policy)='?(?:drop|deny|reject|discard|block|accept|allow|permit)\b` +
		`|^\S+\(\d+\) (?:clsact/(?:in|e)gress|driver|generic|offload|native)\b.*\bid \d`),
}

// stems are parts of the words without which no rule matches, in lower case.
var stems = [...]string{"filter", "-nat", "deny", "drop", "reject", "discard", "block", "prohibit", "acl", "access-",
	"firewall",
	"tables", "nft", "rule", "routing-policy", "permit", "allow", "accept", "pass", "security-policy", "rulebase",
	"target", "icmp-block-", " -j ", "zone-pair", "security zone", "chain", "prog/xdp",
	"action order", "subnet", "_ts", "policy pbr", "ptype", "priority", "clsact", " id "}

// numerals are the digits of addresses and what stands around them: no stem consists of them.
const numerals = "0123456789abcdefABCDEF.:/\"[]{}, \t\r\n"

// maxRule is the longest line that is looked at, and shortestStem the length of the shortest of the stems.
const (
	maxRule      = 64 << 10
	shortestStem = 3
)

// readsLikeRule reports whether a line reads like a rule that stops packets.
func readsLikeRule(line []byte) bool {
	if len(line) > maxRule {
		line = line[:maxRule]
	}
	if len(bytes.TrimSpace(line)) < shortestStem || len(bytes.Trim(line, numerals)) == 0 {
		return false // as the brackets of a document, and an address among them
	}
	low := bytes.ToLower(line)
	for _, stem := range stems {
		if !bytes.Contains(low, []byte(stem)) {
			continue
		}
		for _, re := range rules {
			if re.Match(line) {
				return true
			}
		}
		return false
	}
	return false
}

// keepRules keeps the first line that reads like a rule, be it unread or one that a reader passed over, or the first of
// an answer to a command that asks for filters and that no reader knows. Command is "" where there is none.
func (p *Part) keepRules(src *Source, command string) {
	asked := p.Layout == "" && asksForFilter.MatchString(command)
	around := surroundings{src: src, in: p.Where}
	for i, u := range p.Unread {
		line := src.Text(u.Mark)
		if !(asked && !saysNothing.Match(line)) && !(readsLikeRule(line) && !around.harmless(u.Mark)) {
			continue
		}
		p.Unread = append(p.Unread[:i:i], p.Unread[i+1:]...)
		p.restrictAt(u.Mark)
		if p.Layout == "" {
			p.Layout, p.Score = FilterNotRead, 1
		}
		return
	}
	if len(p.Facts.Policy.Flows)+len(p.Facts.Applied) > 0 {
		return // its reader knows of rules, and what stands around them
	}
	for i, x := range p.Passed {
		if x.As != layout.Other || !readsLikeRule(src.Text(x.Mark)) || around.harmless(x.Mark) {
			continue
		}
		p.Passed = append(p.Passed[:i:i], p.Passed[i+1:]...)
		p.restrictAt(x.Mark)
		return
	}
}

// restrictAt makes a filter that was not read of a line.
func (p *Part) restrictAt(m route.Mark) {
	var c layout.Collector
	c.Facts = p.Facts
	c.RestrictAt(network.FlowRule{}, m)
	p.Facts = c.Facts
	p.Read++
}
