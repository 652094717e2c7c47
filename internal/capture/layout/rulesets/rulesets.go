// Package rulesets reads listings of packet filters, for one thing only: that there are rules which packets on their way meet.
// It exists because a table that leads somewhere proves nothing on a device whose filter nobody looked at. What the rules say is
// not read, so that whatever meets them is unknown.
//
// The shapes are those of the open systems (rules saved with a table and chains, chains listed with their policy, nested
// tables and chains in braces, rules that begin with block or pass).
package rulesets

import (
	"regexp"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const name = "rule set"

// Reader reads this family.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About:  "listings of packet filters as the open systems save and show them: that there are rules, not what they say",
	Sample: "*filter\n:FORWARD DROP [0:0]\n-A FORWARD -i up0 -j ACCEPT\n"}

var (
	savedTable = regexp.MustCompile(`^\*(filter|nat|mangle|raw|security)$`)
	savedChain = regexp.MustCompile(`^:([\w-]+) (ACCEPT|DROP|REJECT|QUEUE|-)(?: \[\d+:\d+\])?$`)
	savedRule  = regexp.MustCompile(`^(?:\[\d+:\d+\] )?-A ([\w-]+) `)
	listed     = regexp.MustCompile(`^Chain ([\w-]+) \((?:policy (\w+).*|\d+ references)\)$`)
	nested     = regexp.MustCompile(`^table (?:(ip|ip6|inet|arp|bridge|netdev) )?[\w-]+ \{$`)
	hook       = regexp.MustCompile(`\bhook (\w+)\b`)
	worded     = regexp.MustCompile(`^(?:@\d+ )?(block|pass|match|rdr|nat|binat)\b.*\b(?:in|out|all|on|from|to|any|quick|inet6?|drop|return)\b`)
	// wordedAside matches what stands around such rules; what an anchor holds stands elsewhere
	wordedAside = regexp.MustCompile(`^(?:@\d+ )?(?:set (?:skip|block-policy|limit|state-policy|optimization|timeout|loginterface|ruleset-optimization|debug|fingerprints|hostid|reassemble|require-order|syncookies)|scrub|table <|(?:rdr-|nat-|binat-)?anchor|antispoof|load anchor)\b.*$`)
)

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		s := strings.TrimSpace(string(text[lo:min(hi, lo+400)]))
		switch {
		case savedTable.MatchString(s), nested.MatchString(s), listed.MatchString(s):
			n += 3
		case savedChain.MatchString(s), savedRule.MatchString(s), worded.MatchString(s), strings.HasPrefix(s, "type ") && hook.MatchString(s):
			n++
		}
	}
	return n
}

type met struct {
	family  route.Family
	in, out string
}

type reader struct {
	layout.Collector
	saved    string       // table of saved rules
	chain    string       // that is listed
	family   route.Family // of the nested table
	other    bool         // the nested table is of no routed packets
	depth    int          // of braces
	forwards bool         // inside a nested chain that forwarded packets meet
	seen     map[met]bool
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{seen: map[met]bool{}}
	r.Layout = name
	for lo, hi := range layout.Lines(text) {
		s := strings.TrimSpace(string(text[lo:hi]))
		if s == "" {
			r.chain = ""
			continue
		}
		if s != "}" && text[lo] != ' ' && text[lo] != '\t' { // a listing that was cut ends where something else begins
			r.depth = 0
		}
		m, rule, known := r.line(s)
		switch {
		case !known:
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
		case rule && !r.seen[m]:
			r.seen[m] = true
			r.Restrict(network.FlowRule{Family: m.family, In: m.in, Out: m.out}, lo, hi)
			r.Collector.Read++
		default:
			r.Pass(lo, hi, layout.Other)
		}
	}
	return r.Reading
}
