package nftables

import (
	"encoding/json"
	"slices"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

// opening is the match for the first segment of a connection: of the flags SYN and ACK the first alone.
func opening() statement {
	left := map[string]any{"&": []any{map[string]any{"payload": map[string]string{"protocol": "tcp", "field": "flags"}},
		[]string{"syn", "ack"}}}
	return verdict("match", map[string]any{"op": "==", "left": left, "right": "syn"})
}

// openingIf is opening where that is what a rule asks for.
func openingIf(is bool) statement {
	if !is {
		return notKnown()
	}
	return opening()
}

// opensBy reports whether flags of which some are looked at are those of the first segment alone.
func opensBy(mask, flags string) bool {
	looked := strings.FieldsFunc(strings.ToLower(mask), func(c rune) bool { return strings.ContainsRune(`,|()[]{}:" `, c) })
	return strings.EqualFold(flags, "syn") && slices.Contains(looked, "syn") && slices.Contains(looked, "ack")
}

// opens reports whether a match is that for the first segment.
func opens(op string, left, right json.RawMessage) bool {
	var l struct {
		And []json.RawMessage `json:"&"`
	}
	var f field
	return op == "==" && json.Unmarshal(left, &l) == nil && len(l.And) == 2 && json.Unmarshal(l.And[0], &f) == nil &&
		f.name() == "tcp flags" && opensBy(string(l.And[1]), strings.Trim(string(right), `"`))
}

// opensConnections narrows to first segments.
func opensConnections(all []match) []match {
	for i := range all {
		m := &all[i]
		m.protocol("tcp")
		if m.State != network.AnyState && m.State != network.Opening {
			m.Undecided = true
			continue
		}
		m.State = network.Opening
	}
	return all
}

// flagWords matches a word of a match for flags of TCP; firstAlone, joined, those that first segments have alone.
var (
	flagWords  = lazyregexp.New(`^[|&(),/=!]*(?:(?:fin|syn|rst|psh|ack|urg|ecn|cwr)[|&(),/=!]*)*$`)
	firstAlone = lazyregexp.New(`^(?:syn/([a-z,]+)|&\(?([a-z|]+)\)?==syn)$`)
)

// flags reads what a rule asks of the flags of TCP, of which the first word was taken.
func (p *ruleParser) flags() statement {
	p.take()
	var said strings.Builder
	for len(p.w) > 0 && flagWords.MatchString(p.peek(0)) {
		said.WriteString(p.take())
	}
	m := firstAlone.FindStringSubmatch(said.String())
	return openingIf(m != nil && opensBy(m[1]+m[2], "syn"))
}
