package nftables

import (
	"encoding/json"
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

// cutHere is the rule that stands for what a listing that was cut may hold.
var cutHere = network.FlowRule{Missing: network.CutOff}

type statement = map[string]json.RawMessage

func raw(v any) json.RawMessage {
	b, err := json.Marshal(v)
	if err != nil {
		return json.RawMessage("null")
	}
	return b
}

func verdict(verb string, with any) statement { return statement{verb: raw(with)} }

// notKnown is a statement that makes its rule one that may fit.
func notKnown() statement { return verdict("not known", nil) }

// tokens splits a rule into words, signs and texts in quotes.
func tokens(s string) []string {
	var out []string
	for i := 0; i < len(s); {
		switch c := s[i]; {
		case c == ' ' || c == '\t' || c == ';' || c == '\\':
			i++
		case c == '"':
			end := strings.IndexByte(s[i+1:], '"')
			if end < 0 {
				return append(out, s[i:])
			}
			out, i = append(out, s[i:i+end+2]), i+end+2
		case strings.IndexByte("{},", c) >= 0:
			out, i = append(out, s[i:i+1]), i+1
		default:
			j := i
			for j < len(s) && strings.IndexByte(" \t;{},\"", s[j]) < 0 {
				j++
			}
			out, i = append(out, s[i:j]), j
		}
	}
	return out
}

// parts splits a line at semicolons outside of braces and quotes: each is a rule.
func parts(s string) []string {
	var out []string
	depth, quoted, from := 0, false, 0
	for i := range len(s) {
		switch c := s[i]; {
		case c == '"':
			quoted = !quoted
		case quoted:
		case c == '{':
			depth++
		case c == '}':
			depth--
		case c == ';' && depth == 0:
			out, from = append(out, strings.TrimSpace(s[from:i])), i+1
		}
	}
	out = append(out, strings.TrimSpace(s[from:]))
	return slices.DeleteFunc(out, func(x string) bool { return x == "" })
}

// statementsOf reads a rule's text as the kernel's tool writes its JSON.
func statementsOf(s string) []statement {
	p := &ruleParser{w: tokens(s)}
	for len(p.w) > 0 {
		p.out = append(p.out, p.next())
	}
	return p.out
}

type ruleParser struct {
	w   []string
	out []statement
}

func (p *ruleParser) take() string {
	if len(p.w) == 0 {
		return ""
	}
	s := p.w[0]
	p.w = p.w[1:]
	return s
}

func (p *ruleParser) peek(i int) string {
	if i < len(p.w) {
		return p.w[i]
	}
	return ""
}

// fields are the fields of packets by which a rule matches.
var fields = map[string][]string{
	"ip": {"saddr", "daddr", "protocol"}, "ip6": {"saddr", "daddr", "nexthdr"}, "tcp": {"dport",
		"sport"}, "udp": {"dport", "sport"},
	"sctp": {"dport", "sport"}, "th": {"dport", "sport"}, "icmp": {"type"}, "icmpv6": {"type"},
}

// next reads one statement.
func (p *ruleParser) next() statement {
	word := p.take()
	switch word {
	case "accept", "drop", "return":
		return verdict(word, nil)
	case "reject":
		for len(p.w) > 0 && !isVerb(p.peek(0)) { // with what it is refused
			p.take()
		}
		return verdict("reject", nil)
	case "jump", "goto":
		return verdict(word, map[string]string{"target": p.take()})
	case "counter":
		for p.peek(0) == "packets" || p.peek(0) == "bytes" {
			p.take()
			p.take()
		}
		if p.peek(0) == "name" {
			p.take()
			p.take()
		}
		return verdict("counter", nil)
	case "comment":
		p.take()
		return verdict("comment", nil)
	case "log":
		for slices.Contains([]string{"prefix", "level", "flags", "group", "snaplen", "queue-threshold"}, p.peek(0)) {
			p.take()
			p.take()
		}
		return verdict("log", nil)
	case "limit":
		for len(p.w) > 0 && !isVerb(p.peek(0)) {
			p.take()
		}
		return verdict("limit", nil)
	case "notrack":
		return verdict("notrack", nil)
	case "xt": // an extension of iptables that nobody translates: match or target, and its name
		return verdict("xt", map[string]string{"type": p.take(), "name": p.take()})
	case "queue", "tproxy", "synproxy", "dup", "fwd":
		p.w = nil
		return verdict(word, nil)
	case "masquerade", "snat", "dnat", "redirect":
		return p.translation(word)
	case "meta", "ct":
		if p.peek(1) == "set" {
			p.take()
			p.skipValue()
			return verdict("mark", nil)
		}
	}
	if word == "tcp" && p.peek(0) == "flags" {
		return p.flags()
	}
	if left, ok := p.field(word); ok {
		return p.match(left)
	}
	return notKnown()
}

// field reads what a rule compares, of which the first word was taken; false where that is none.
func (p *ruleParser) field(word string) (any, bool) {
	switch word {
	case "iifname", "oifname", "iif", "oif":
		return map[string]any{"meta": map[string]string{"key": word}}, true
	case "meta", "ct":
		return map[string]any{word: map[string]string{"key": p.take()}}, true
	case "fib":
		return p.lookup()
	}
	if !slices.Contains(fields[word], p.peek(0)) {
		return nil, false
	}
	return map[string]any{"payload": map[string]string{"protocol": word, "field": p.take()}}, true
}

// lookup reads "FLAG . FLAG… RESULT", what a rule looks up in the kernel's routes.
func (p *ruleParser) lookup() (any, bool) {
	flags := []string{p.take()}
	for p.peek(0) == "." {
		p.take()
		flags = append(flags, p.take())
	}
	return map[string]any{"fib": map[string]any{"result": p.take(), "flags": flags}}, true
}

func isVerb(s string) bool {
	return slices.Contains([]string{"accept", "drop", "reject", "return", "jump", "goto", "log", "counter", "queue",
		"comment", "masquerade", "snat", "dnat"}, s)
}

// skipValue passes over "set VALUE".
func (p *ruleParser) skipValue() {
	p.take()
	for len(p.w) > 0 && !isVerb(p.peek(0)) {
		p.take()
	}
}

// match reads a comparison: perhaps further fields, an operator, and a value, a set, or a map to verdicts.
func (p *ruleParser) match(left any) statement {
	several := []any{left}
	for p.peek(0) == "." {
		p.take()
		f, ok := p.field(p.take())
		if !ok {
			return notKnown()
		}
		several = append(several, f)
		left = map[string]any{"concat": several}
	}
	op := "=="
	if s := p.peek(0); slices.Contains([]string{"==", "!=", "<", ">", "<=", ">=", "&"}, s) {
		op = p.take()
	}
	if p.peek(0) == "vmap" {
		p.take()
		return p.verdictMap(left)
	}
	var right any
	switch {
	case p.peek(0) == "{":
		right = map[string]any{"set": valuesOf(p.braces())}
	default:
		list := []json.RawMessage{valueOf(p.take())}
		for p.peek(0) == "," {
			p.take()
			list = append(list, valueOf(p.take()))
		}
		right = list[0]
		if len(list) > 1 {
			right = list
		}
		if slices.Contains([]string{"|", "&", "==", "!=", "."}, p.peek(0)) {
			op = "more" // what is compared is more than one field
			p.w = p.w[min(2, len(p.w)):]
		}
	}
	return verdict("match", map[string]any{"op": op, "left": left, "right": right})
}

// braces takes a text in braces.
func (p *ruleParser) braces() string {
	p.take()
	var in []string
	for depth := 1; len(p.w) > 0; {
		s := p.take()
		if s == "{" {
			depth++
		}
		if s == "}" {
			if depth--; depth == 0 {
				break
			}
		}
		in = append(in, s)
	}
	return strings.Join(in, " ")
}

// verdictMap reads "{ VALUE : VERDICT, … }".
func (p *ruleParser) verdictMap(left any) statement {
	if p.peek(0) != "{" {
		p.take()
		return verdict("vmap", nil)
	}
	var set [][2]any
	for pair := range strings.SplitSeq(p.braces(), ",") {
		value, does, ok := strings.Cut(pair, ":")
		w := strings.Fields(does)
		if !ok || len(w) == 0 {
			return verdict("vmap", nil)
		}
		then := verdict(w[0], nil)
		if len(w) > 1 {
			then = verdict(w[0], map[string]string{"target": w[1]})
		}
		set = append(set, [2]any{valueOf(strings.TrimSpace(value)), then})
	}
	return verdict("vmap", map[string]any{"key": left, "data": map[string]any{"set": set}})
}

// translation reads "masquerade", "snat to A", "dnat ip to A:PORT", "redirect to :PORT".
func (p *ruleParser) translation(verb string) statement {
	with := map[string]any{}
	for len(p.w) > 0 {
		s := p.take()
		switch s {
		case "ip", "ip6", "to", "random", "fully-random", "persistent":
			continue
		case "comment":
			p.take()
			continue
		}
		address, port, ported := strings.Cut(s, ":")
		if a, err := netip.ParseAddr(strings.Trim(s, "[]")); err == nil {
			address, ported = a.String(), false
		}
		if _, err := netip.ParseAddr(address); err == nil {
			with["addr"] = address
		} else if address != "" {
			with["addr"] = map[string]string{"more": s}
		}
		if n, ok := layout.Uint([]byte(port)); ok && ported {
			with["port"] = n
		} else if ported {
			with["addr"] = map[string]string{"more": s}
		}
	}
	return verdict(verb, with)
}

// valuesOf reads a list with commas.
func valuesOf(s string) []json.RawMessage {
	var out []json.RawMessage
	for part := range strings.SplitSeq(strings.Trim(strings.TrimSpace(s), "{}"), ",") {
		part = strings.TrimSpace(part)
		if part == "" || part == "}" {
			continue
		}
		w := strings.Fields(strings.TrimSuffix(part, "}"))
		if i := slices.IndexFunc(w, func(s string) bool {
			return slices.Contains([]string{"timeout", "expires", "counter", "comment"}, s)
		}); i > 0 {
			w = w[:i]
		}
		var several []json.RawMessage
		for i := 0; i < len(w) && (i == 0 || w[i-1] == "."); i += 2 {
			several = append(several, valueOf(w[i]))
		}
		switch {
		case len(w) == 1:
			out = append(out, several[0])
		case len(several)*2-1 == len(w):
			out = append(out, raw(map[string]any{"concat": several}))
		default:
			out = append(out, raw(map[string]string{"more": part}))
		}
	}
	return out
}

// valueOf reads a value: a number, an address, a prefix, a range, a name.
func valueOf(s string) json.RawMessage {
	s = strings.Trim(s, `"`)
	if n, ok := layout.Uint([]byte(s)); ok {
		return raw(n)
	}
	if p, err := netip.ParsePrefix(s); err == nil {
		return raw(map[string]any{"prefix": map[string]any{"addr": p.Addr().String(), "len": p.Bits()}})
	}
	if lo, hi, ok := strings.Cut(s, "-"); ok {
		a, isA := layout.Uint([]byte(lo))
		b, isB := layout.Uint([]byte(hi))
		if isA && isB {
			return raw(map[string]any{"range": []uint64{a, b}})
		}
		if _, is := filters.Range(lo, hi); is {
			return raw(map[string]any{"range": []string{lo, hi}})
		}
	}
	return raw(s)
}
