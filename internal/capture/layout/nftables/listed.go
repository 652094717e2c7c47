package nftables

import (
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const listedName = "listed chains"

// Listed reads chains as the older tools list them: a heading with the policy, names of columns, and a rule a line.
var Listed = layout.Reader{Name: listedName, Recognise: recogniseListed, Read: ReadListed,
	About: "the kernel's packet filter as listed chains: a heading with the policy, then a rule a line in columns",
	Sample: "Chain FORWARD (policy DROP 0 packets, 0 bytes)\n" +
		" pkts bytes target     prot opt in     out     source               destination\n" +
		"    3   180 ACCEPT     tcp  --  up0    *       10.61.16.0/24        0.0.0.0/0            tcp dpt:443\n",
}

var (
	listedChain = lazyregexp.New(`^Chain ([\w.-]+) \((?:policy (\w+)\b.*|\d+ references)\)$`)
	listedNames = lazyregexp.New(`^(?:num +)?(?:pkts +bytes +)?target +prot +opt +` +
		`(?:in +out +)?source +destination`)
)

// recogniseListed looks for chains with the heading of their columns.
func recogniseListed(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		s := strings.TrimSpace(string(text[lo:min(hi, lo+400)]))
		switch {
		case listedChain.MatchString(s), listedNames.MatchString(s):
			n++
		case n > 1 && slices.ContainsFunc(strings.Fields(s), func(w string) bool { return w == "--" || w == "-f" }):
			n++
		}
	}
	return n
}

// ReadListed reads a text of this family. Without the columns for interfaces a rule may ask for one that is not shown.
func ReadListed(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = listedName
	rs := newRuleset()
	rs.part = true // one table of several
	table := "filter"
	if strings.Contains(string(text), "Chain PREROUTING ") && !strings.Contains(string(text), "Chain FORWARD ") {
		table = "nat"
	}
	family := "ip"
	if strings.Contains(string(text), "::/0") || strings.Contains(string(text), "icmpv6") ||
		strings.Contains(string(text), "ipv6-icmp") {
		family = "ip6"
	}
	for lo, hi := range layout.Lines(text) { // rules may lead to chains that are listed below
		if m := listedChain.FindStringSubmatch(strings.TrimSpace(string(text[lo:hi]))); m != nil {
			rs.named[key{family, table, m[1]}] = true
		}
	}
	chainName := ""
	var columns []string
	var lines []route.Mark
	for lo, hi := range layout.Lines(text) {
		s, mark := strings.TrimSpace(string(text[lo:hi])), layout.Mark(lo, hi)
		if s == "" {
			continue
		}
		switch m := listedChain.FindStringSubmatch(s); {
		case m != nil:
			chainName, columns = m[1], nil
			if hook := builtIn[m[1]]; hook != "" {
				ch := chainAt{chain{Family: family, Table: table, Name: m[1], Type: "filter", Hook: hook,
					Policy: strings.ToLower(m[2]), Prio: before[table]}, mark}
				if table == "nat" {
					ch.Type = "nat"
				}
				rs.chains = append(rs.chains, ch)
			}
		case chainName != "" && listedNames.MatchString(s):
			columns = strings.Fields(s)
		case columns != nil && isListedRule(s, columns):
			k := key{family, table, chainName}
			rs.rules[k] = append(rs.rules[k],
				&rule{Family: family, Table: table, Chain: chainName, Expr: listedStatements(s, columns, table),
					mark: mark})
		default:
			chainName, columns = "", nil
			c.LeaveUnread(lo, hi, layout.ErrNotARoute)
			continue
		}
		lines = append(lines, mark)
	}
	rs.build(&c.Facts.Policy)
	c.ReadOrPart(lines)
	return c.Reading
}

// isListedRule reports whether a line has what every rule has: a protocol and options in their columns.
func isListedRule(s string, columns []string) bool {
	w := strings.Fields(s)
	opt := slices.Index(columns, "opt")
	if len(w) < len(columns)-1 {
		return false
	}
	for _, at := range []int{opt, opt - 1} { // a rule without a target leaves its column out
		if at > 0 && at < len(w) && (w[at] == "--" || w[at] == "-f" || w[at] == "!f") {
			if _, ok := filters.Protocol(strings.TrimPrefix(w[at-1], "!")); ok {
				return true
			}
		}
	}
	return false
}

// listedStatements makes statements of a listed rule.
func listedStatements(s string, columns []string, table string) []statement {
	w := strings.Fields(s)
	opt := slices.Index(columns, "opt")
	if w[opt] != "--" && w[opt] != "-f" && w[opt] != "!f" { // no target
		at := slices.Index(columns, "target")
		w = slices.Insert(w, at, "LOG")
	}
	var args []string
	whole := slices.Contains(columns, "in")
	target := ""
	for i, name := range columns {
		if i >= len(w) {
			break
		}
		v := w[i]
		var not []string
		if strings.HasPrefix(v, "!") && name != "opt" {
			not, v = []string{"!"}, v[1:]
		}
		option := map[string]string{"prot": "-p", "in": "-i", "out": "-o", "source": "-s", "destination": "-d"}[name]
		switch {
		case name == "target":
			target = w[i]
		case name == "opt" && v != "--":
			args = append(args, "--fragment")
		case option == "" || v == "*" || v == "any" || v == "0.0.0.0/0" || v == "::/0" || v == "anywhere" ||
			v == "all" && name == "prot":
		default:
			args = append(append(args, not...), option, v)
		}
	}
	rest := w[min(len(columns), len(w)):]
	args = append(args, listedWords(rest)...)
	out := savedStatements(append(args, "-j", target), table)
	if !whole && len(out) > 0 { // which interfaces it asks for is not shown
		out = slices.Insert(out, len(out)-1, notKnown())
	}
	if to := slices.IndexFunc(rest, func(x string) bool { return strings.HasPrefix(x, "to:") }); to >= 0 &&
		len(out) > 0 {
		verb := map[string]string{"SNAT": "snat", "DNAT": "dnat"}[target]
		if verb != "" {
			p := &ruleParser{w: []string{strings.TrimPrefix(rest[to], "to:")}}
			out[len(out)-1] = p.translation(verb)
		}
	}
	return out
}

// listedWords makes options of the words behind a listed rule.
func listedWords(w []string) []string {
	var out []string
	for i := 0; i < len(w); i++ {
		s := w[i]
		next := ""
		if i+1 < len(w) {
			next = w[i+1]
		}
		name, value, _ := strings.Cut(s, ":")
		switch {
		case s == "/*":
			for i < len(w) && w[i] != "*/" {
				i++
			}
		case s == "tcp" || s == "udp" || s == "sctp" || s == "multiport":
		case name == "dpt" || name == "dpts":
			out = append(out, "--dport", value)
		case name == "spt" || name == "spts":
			out = append(out, "--sport", value)
		case s == "dports" || s == "sports":
			out, i = append(out, "--"+s, next), i+1
		case s == "state" || s == "ctstate":
			out, i = append(out, "--ctstate", next), i+1
		case s == "icmptype" || s == "ipv6-icmptype":
			option := "--icmp-type"
			if s != "icmptype" {
				option = "--icmpv6-type"
			}
			out, i = append(out, option, next), i+1
		case s == "icmp" || s == "ipv6-icmp":
			out, i = append(out, "--icmp-type", next), i+1
		case s == "source" && next == "IP" && i+3 < len(w), s == "destination" && next == "IP" && i+3 < len(w):
			option := map[string]string{"source": "--src-range", "destination": "--dst-range"}[s]
			out, i = append(out, option, w[i+3]), i+3
		case s == "reject-with" || s == "LOG" || s == "to:" || strings.HasPrefix(s, "to:"):
			return out // of what the target does
		default:
			return append(out, "--"+s) // which is not known
		}
	}
	return out
}
