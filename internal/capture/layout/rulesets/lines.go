package rulesets

import (
	"regexp"
	"slices"
	"strings"

	"zarvek/internal/core/route"
)

// onTheWay are the chains that forwarded packets meet.
var onTheWay = []string{"FORWARD", "PREROUTING", "POSTROUTING"}

// isProtocol reports whether a word is a cell that each row of a listed chain has.
func isProtocol(w string) bool {
	return slices.Contains([]string{"--", "all", "tcp", "udp", "icmp", "ipv6-icmp", "icmpv6", "esp", "ah", "gre", "sctp", "igmp", "ospf", "vrrp"}, w)
}

// line tells whether a line is a rule that packets on their way meet, and where, and whether it belongs to a rule set at all.
func (r *reader) line(s string) (m met, rule, known bool) {
	w := strings.Fields(s)
	switch {
	case r.depth > 0:
		return r.inBraces(s)
	case r.chain != "":
		if w[0] == "target" || w[0] == "pkts" || w[0] == "num" {
			return m, false, true
		}
		if !slices.ContainsFunc(w, isProtocol) {
			r.chain = ""
			return m, false, false
		}
		return m, slices.Contains(onTheWay, r.chain), true
	case strings.HasPrefix(s, "#"), s == "COMMIT":
		return m, false, true
	case savedTable.MatchString(s):
		r.saved = s[1:]
		return m, false, true
	case savedChain.MatchString(s):
		c := savedChain.FindStringSubmatch(s)
		return m, c[1] == "FORWARD" && c[2] != "ACCEPT" && c[2] != "-", true
	case savedRule.MatchString(s):
		m.in, m.out = option(w, "-i", "--in-interface"), option(w, "-o", "--out-interface")
		return m, slices.Contains(onTheWay, savedRule.FindStringSubmatch(s)[1]), true
	case listed.MatchString(s):
		c := listed.FindStringSubmatch(s)
		r.chain = c[1]
		return m, c[1] == "FORWARD" && c[2] != "" && c[2] != "ACCEPT", true
	case nested.MatchString(s):
		f := nested.FindStringSubmatch(s)[1]
		r.family = map[string]route.Family{"": route.IPv4, "ip": route.IPv4, "ip6": route.IPv6}[f]
		r.depth, r.other = 1, f == "arp"
		return m, false, true
	case worded.MatchString(s):
		return words(w)
	case wordedAside.MatchString(s):
		return m, strings.Contains(s, "anchor"), true
	}
	return m, false, false
}

// option returns the word behind an option, "" where there is none, or where it is what an interface must not be, or a pattern.
func option(w []string, names ...string) string {
	for i, x := range w {
		if slices.Contains(names, x) && i+1 < len(w) && (i == 0 || w[i-1] != "!") && !strings.HasSuffix(w[i+1], "+") && w[i+1] != "!" {
			return w[i+1]
		}
	}
	return ""
}

var (
	comesBy  = regexp.MustCompile(`\biif(?:name)? "([^"*]+)"`)
	leavesBy = regexp.MustCompile(`\boif(?:name)? "([^"*]+)"`)
)

// inBraces reads a line below a nested table.
func (r *reader) inBraces(s string) (m met, rule, known bool) {
	m.family = r.family
	h := hook.FindStringSubmatch(s)
	switch {
	case strings.HasSuffix(s, "{"):
		r.depth++
		if r.depth == 2 {
			r.forwards = false
		}
		return m, false, true
	case s == "}":
		if r.depth--; r.depth < 2 {
			r.forwards = false
		}
		return m, false, true
	case h != nil:
		r.forwards = !r.other && slices.Contains([]string{"forward", "prerouting", "postrouting", "ingress"}, h[1])
		return m, r.forwards && strings.Contains(s, "policy drop"), true
	case strings.HasPrefix(s, "policy "), strings.HasPrefix(s, "comment "), strings.HasPrefix(s, "#"):
		return m, r.forwards && strings.Contains(s, "policy drop"), true
	}
	if c := comesBy.FindStringSubmatch(s); c != nil {
		m.in = c[1]
	}
	if c := leavesBy.FindStringSubmatch(s); c != nil {
		m.out = c[1]
	}
	return m, r.forwards, true
}

// words reads a rule that begins with what it does. One that only lets packets pass stops none: without a rule they pass too.
func words(w []string) (m met, rule, known bool) {
	if strings.HasPrefix(w[0], "@") {
		w = w[1:]
	}
	changes := slices.ContainsFunc(w, func(x string) bool {
		return slices.Contains([]string{"nat-to", "rdr-to", "binat-to", "af-to", "route-to", "reply-to", "dup-to", "divert-to", "rtable"}, x)
	})
	if (w[0] == "pass" || w[0] == "match") && !changes {
		return m, false, true
	}
	if i := slices.Index(w, "on"); i > 0 && i+1 < len(w) && !strings.ContainsAny(w[i+1], "{$<!") {
		switch {
		case slices.Contains(w[:i], "in"):
			m.in = w[i+1]
		case slices.Contains(w[:i], "out"):
			m.out = w[i+1]
		}
	}
	return m, true, true
}
