// Package rulesets reads listings of packet filters, for one thing only: that there are rules which packets on their
// way meet. It exists because a table that leads somewhere proves nothing on a device whose filter nobody looked at.
// What the rules say is not read, so that whatever meets them is unknown.
//
// The shapes are those of the open systems: rules that begin with block or pass.
package rulesets

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

const name = "rule set"

// Reader reads this family.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About:  "packet filters whose rules begin with block or pass: that there are rules, not what they say",
	Sample: "set skip on lo\nblock in log on up0 all\npass out on up0 all\n"}

var (
	worded = lazyregexp.New(`^(?:@\d+ )?(block|pass|match|rdr|nat|binat)\b.*\b(?:in|out|all|on|from|to|any|quick` +
		`|inet6?|drop|return)\b`)
	// wordedAside matches what stands around such rules; what an anchor holds stands elsewhere
	wordedAside = lazyregexp.New(`^(?:@\d+ )?(?:set (?:skip|block-policy|limit|state-policy|optimization|timeout` +
		`|loginterface|ruleset-optimization|debug|fingerprints|hostid|reassemble|require-order|syncookies)|scrub` +
		`|table <|(?:rdr-|nat-|binat-)?anchor|antispoof|load anchor)\b.*$`)
)

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		s := strings.TrimSpace(string(text[lo:min(hi, lo+400)]))
		if worded.MatchString(s) {
			n++
		}
	}
	return n
}

type met struct{ in, out string }

type reader struct {
	layout.Collector
	seen map[met]bool
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{seen: map[met]bool{}}
	r.Layout = name
	for lo, hi := range layout.Lines(text) {
		s := strings.TrimSpace(string(text[lo:hi]))
		if s == "" {
			continue
		}
		m, rule, known := r.line(s)
		switch {
		case !known:
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
		case rule && !r.seen[m]:
			r.seen[m] = true
			r.Restrict(network.FlowRule{In: m.in, Out: m.out}, lo, hi)
			r.Collector.Read++
		default:
			r.Pass(lo, hi, layout.Other)
		}
	}
	return r.Reading
}
