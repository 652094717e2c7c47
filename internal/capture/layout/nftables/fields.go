package nftables

import (
	"cmp"
	"encoding/json"
	"math"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/core/network"
)

// field is what a match compares: a field of the packet, or several beside each other.
type field struct {
	Payload *struct{ Protocol, Field string }
	Meta    *struct{ Key string }
	CT      *struct{ Key string }
	FIB     *lookup
	Concat  []field
}

// lookup is what a match looks up in the kernel's routes.
type lookup struct {
	Result string
	Flags  json.RawMessage // a word or several
}

// name is what apply knows a field by.
func (f field) name() string {
	switch {
	case f.Payload != nil:
		return f.Payload.Protocol + " " + f.Payload.Field
	case f.Meta != nil:
		return "meta " + f.Meta.Key
	}
	return ""
}

// ports reports whether it is one of ports.
func (f field) ports() bool {
	return f.Payload != nil && (f.Payload.Field == "sport" || f.Payload.Field == "dport")
}

// ofAny reports whether it is one of whatever protocol has it.
func (f field) ofAny() bool {
	return f.Payload != nil && f.Payload.Protocol == "th" || slices.ContainsFunc(f.Concat, field.ofAny)
}

// applyTo narrows a rule by one value of the field; false where it cannot be told.
func (f field) applyTo(m *match, v json.RawMessage) bool {
	if len(f.Concat) == 0 {
		return m.apply(f.name(), v)
	}
	var several struct{ Concat []json.RawMessage }
	if json.Unmarshal(v, &several) != nil || len(several.Concat) != len(f.Concat) {
		return false
	}
	ok := true
	for i, one := range f.Concat {
		ok = m.apply(one.name(), several.Concat[i]) && ok
	}
	return ok
}

// transports are the protocols that have ports.
var transports = []string{"tcp", "udp", "sctp", "dccp", "udplite"}

// eachTransport makes a variant for each of them of what asks for no protocol yet.
func eachTransport(all []match) []match {
	var out []match
	for _, one := range all {
		if one.Protocol != "" {
			out = append(out, one)
			continue
		}
		for _, p := range transports {
			n := one
			n.Protocol = p
			out = append(out, n)
		}
	}
	return out
}

// otherPorts are the ports beside some, as ranges; false where those cannot be told.
func otherPorts(some []json.RawMessage) ([]json.RawMessage, bool) {
	var not []network.Ports
	for _, v := range some {
		p, ok := ports(v)
		if !ok {
			return nil, false
		}
		not = append(not, p)
	}
	slices.SortFunc(not, func(a, b network.Ports) int { return cmp.Compare(a.Lo, b.Lo) })
	var rest []json.RawMessage
	from := 1
	between := func(to int) {
		if from <= to {
			rest = append(rest, raw(map[string]any{"range": []int{from, to}}))
		}
	}
	for _, p := range not {
		between(int(p.Lo) - 1)
		from = max(from, int(p.Hi)+1)
	}
	between(math.MaxUint16)
	return rest, true
}

type stateBit struct {
	bit  uint64
	word string
}

// stateBits are the states of flows that have a bit (linux/netfilter/nf_conntrack_common.h), as numbers are printed.
var stateBits = []stateBit{{1, "invalid"}, {2, "established"}, {4, "related"}, {8, "new"}, {64, "untracked"}}

// stateWords lists the states that a value names, or has the bits of; false where it says something else.
func stateWords(value json.RawMessage) (words []string, ok bool) {
	for _, w := range strings.FieldsFunc(string(value), func(c rune) bool { return strings.ContainsRune(` "[]{}:,|`, c) }) {
		n, err := strconv.ParseUint(w, 0, 32)
		switch {
		case w == "set":
		case err == nil:
			for _, s := range stateBits {
				if n&s.bit != 0 {
					words, n = append(words, s.word), n&^s.bit
				}
			}
			if n != 0 {
				return nil, false
			}
		case w == "dnat" || w == "snat" || slices.ContainsFunc(stateBits, func(s stateBit) bool { return s.word == w }):
			words = append(words, w)
		default:
			return nil, false
		}
	}
	return words, len(words) > 0
}
