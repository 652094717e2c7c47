package nftables

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

type chainAt struct {
	chain
	mark route.Mark
}

type ruleset struct {
	chains []chainAt
	rules  map[key][]*rule
	sets   map[key][]json.RawMessage
	number int          // of the chain that is being built
	part   bool         // not all of the kernel's rules are here
	all    route.Family // that they are all rules of; 0: of both
	named  map[key]bool // chains that there are
	asleep map[key]bool // tables whose chains the kernel does not ask (NFT_TABLE_F_DORMANT), by keys without a name
	// protocols of which some packets belong to no flow, since rules say so: "" where any may
	loose []string
}

func newRuleset() ruleset {
	return ruleset{rules: map[key][]*rule{}, sets: map[key][]json.RawMessage{}, named: map[key]bool{},
		asleep: map[key]bool{}}
}

// maxRules bounds what rules with sets unfold into, maxJumps how deep chains lead into chains.
const (
	maxRules = 20000
	maxJumps = 8
)

func family(s string) route.Family {
	switch s {
	case "ip":
		return route.IPv4
	case "ip6":
		return route.IPv6
	}
	return 0
}

// build turns the base chains into a policy, in order of their priority: what packets on their way through the device
// meet, what those for the device itself do, and those that it sends.
func (rs *ruleset) build(p *network.Policy) {
	p.AllRules4, p.AllRules6 = rs.all != route.IPv6 && !rs.part, rs.all != route.IPv4 && !rs.part
	p.SetsMarks = p.SetsMarks || rs.setsMarks()
	rs.findLoose()
	slices.SortStableFunc(rs.chains, func(a, b chainAt) int { return a.Prio - b.Prio })
	for _, c := range rs.chains {
		k := key{c.Family, c.Table, c.Name}
		switch {
		case rs.asleep[key{family: c.Family, table: c.Table}]:
		// frames before they are packets, and what finds out whose link-layer address an address has
		case c.Family == "netdev" && c.Hook == "ingress", c.Family == "arp":
			if len(rs.rules[k]) > 0 || c.Policy == "drop" {
				rs.number++
				at := network.FlowRule{Hook: network.ComingIn, Chain: rs.number, Undecided: true, NotRead: true,
					Mark: c.mark}
				if len(rs.rules[k]) > 0 {
					at.Mark = rs.rules[k][0].mark
				}
				rest := network.FlowRule{Hook: network.ComingIn, Chain: rs.number, Permit: true, NotRead: true,
					Mark: at.Mark}
				p.Flows = append(p.Flows, at, rest)
			}
		case c.Family != "ip" && c.Family != "ip6" && c.Family != "inet":
		case c.Type == "nat" && slices.Contains(translating, c.Hook):
			w := walker{rs: rs, p: p, nat: true, destination: c.Hook != "postrouting", own: c.Hook == "output"}
			w.chain(k, match{FlowRule: network.FlowRule{Family: family(c.Family)}}, 0)
		case c.Type == "filter" || c.Type == "route":
			for _, hook := range hooks[c.Hook] {
				rs.filter(p, c, k, hook)
			}
		}
	}
}

// setsMarks reports whether any rule puts a mark on packets, or may.
func (rs *ruleset) setsMarks() bool {
	for _, list := range rs.rules {
		for _, r := range list {
			for _, e := range r.Expr {
				for verb, raw := range e {
					if verb == "xt" || verb == "mangle" && !strings.Contains(string(raw), `"payload"`) {
						return true
					}
				}
			}
		}
	}
	return false
}

// hooks are the packets that meet the chains of each hook of the kernel's.
var hooks = map[string][]network.Hook{
	"prerouting": {network.ComingIn}, "forward": {network.Forwarded}, "input": {network.ForItself},
	"output":      {network.FromItself},
	"postrouting": {network.Forwarded, network.FromItself},
}

// filter adds the rules of a chain, and what becomes of packets that fit none. A chain that lets all pass adds nothing.
func (rs *ruleset) filter(p *network.Policy, c chainAt, k key, hook network.Hook) {
	rs.number++
	first := len(p.Flows)
	base := network.FlowRule{Family: family(c.Family), Hook: hook, Stateless: true, Chain: rs.number}
	// What comes in is asked about before its destination may be changed, what the device sends after that, and a rule may
	// mean either address.
	behind := c.Prio >= before["nat"]
	base.Undecided = rs.changes(c.Hook) && (c.Hook == "prerouting" && behind || c.Hook == "output" && !behind)
	w := walker{rs: rs, p: p}
	w.chain(k, match{FlowRule: base}, 0)
	if hook != network.Forwarded && c.Policy != "drop" &&
		!slices.ContainsFunc(p.Flows[first:], func(r network.FlowRule) bool { return !r.Permit }) {
		p.Flows = p.Flows[:first]
		return
	}
	base.Permit, base.Mark, base.Undecided = c.Policy != "drop", c.mark, false
	p.Flows = append(p.Flows, base)
}

// changes reports whether a chain at a hook translates.
func (rs *ruleset) changes(hook string) bool {
	return slices.ContainsFunc(rs.chains, func(c chainAt) bool {
		return c.Type == "nat" && c.Hook == hook && len(rs.rules[key{c.Family, c.Table, c.Name}]) > 0
	})
}

// match is what a rule asks for so far.
type match struct {
	network.FlowRule
	never bool // it fits no packet that walks ask about
	local bool // in a chain that translates: the destination is an own address
}

// breaksConnections reports whether a rule that does not permit ends all connections of which the device sees one
// direction only.
func (m *match) breaksConnections() bool {
	return m.State == network.Unseen && m.Hook == network.Forwarded && !m.Undecided && !m.From.IsValid() && !m.To.IsValid() &&
		m.FromPorts.Any() && m.ToPorts.Any() && m.In+m.Out+m.NotIn+m.NotOut == "" && (m.Protocol == "" || m.Protocol == "tcp")
}

type walker struct {
	rs  *ruleset
	p   *network.Policy
	nat bool
	// destination: its chain changes where packets go
	destination bool
	own         bool // its chain is for what the device itself sends
}

// chain adds the rules of a chain, each narrowed by what led here. Unsure is set behind a rule that may have ended it.
func (w *walker) chain(k key, base match, depth int) {
	unsure := false
	for _, r := range w.rs.rules[k] {
		all := []match{base}
		all[0].Mark = r.mark
		all[0].Undecided = all[0].Undecided || unsure
		for _, e := range r.Expr {
			for verb, raw := range e {
				if verb == "match" {
					all = slices.DeleteFunc(w.narrow(all, raw, k), func(m match) bool { return m.never })
				} else if len(all) == 0 {
					continue // it fits nothing
				} else if ended, maybe := w.act(all, verb, raw, k, depth); ended {
					if maybe && !((verb == "return" || verb == "goto") && base.without(all)) {
						unsure = true
					}
					if verb == "return" && len(r.Expr) == 1 {
						return
					}
				}
			}
		}
		if len(w.p.Flows)+len(w.p.Translations) > maxRules { // what follows may be for anything
			base.Mark = r.mark
			w.mayEnd([]match{base})
			return
		}
	}
}

// act applies a rule's statement. Ended tells that it was a verdict, maybe that later rules of the chain may not be
// met.
func (w *walker) act(all []match, verb string, raw json.RawMessage, k key, depth int) (ended, maybe bool) {
	switch verb {
	case "accept", "drop", "reject":
		for _, m := range all {
			switch {
			case w.nat && verb == "accept": // no translation for these
				w.keep(m)
				continue
			case w.nat: // what follows may not be met
				return true, true
			case m.never:
				continue
			case m.breaksConnections() && verb != "accept" && w.p.Stateful == (route.Mark{}):
				w.p.Stateful, w.p.StatefulOf = m.Mark, m.Family
			case m.breaksConnections() && verb != "accept" && w.p.StatefulOf != m.Family:
				w.p.StatefulOf = 0
			}
			m.Permit, m.Refuse = verb == "accept", verb == "reject"
			w.p.Flows = append(w.p.Flows, m.FlowRule)
		}
		return true, false
	case "jump", "goto":
		var to struct{ Target string }
		// what it does is not known
		if json.Unmarshal(raw, &to) != nil || depth >= maxJumps || !w.rs.named[key{k.family, k.table, to.Target}] {
			w.mayEnd(all)
			return true, true
		}
		for _, m := range all {
			if !m.never {
				w.chain(key{k.family, k.table, to.Target}, m, depth+1)
			}
		}
		return true, verb == "goto"
	case "return":
		return true, true
	case "masquerade", "snat", "dnat", "redirect":
		if w.nat {
			w.translate(all, verb, raw)
		}
		return true, false
	case "counter", "log", "comment", "limit", "notrack":
		if verb == "limit" {
			for i := range all {
				all[i].Undecided = true
			}
		}
		return false, false
	}
	if verb == "vmap" {
		if known, maybe := w.verdicts(all, raw, k, depth); known {
			return true, maybe
		}
	}
	for i := range all {
		all[i].Undecided = true // a statement that is not known: what it does to the packet is not either
	}
	if slices.Contains([]string{"vmap", "queue", "tproxy", "synproxy", "fwd", "dup"}, verb) ||
		verb == "mangle" && strings.Contains(string(raw), `"payload"`) ||
		verb == "xt" && strings.Contains(string(raw), `"target"`) {
		w.mayEnd(all)
		return false, true
	}
	return false, false
}

// mayEnd adds rules that may permit or deny what fits, or translate it.
func (w *walker) mayEnd(all []match) {
	for _, m := range all {
		if m.never {
			continue
		}
		if m.Undecided = true; w.nat {
			w.p.Translations = append(w.p.Translations, w.translation(m))
			continue
		}
		for _, permit := range []bool{true, false} {
			m.Permit = permit
			w.p.Flows = append(w.p.Flows, m.FlowRule)
		}
	}
}

// onlyDNAT reports whether a value names one thing, that the destination is translated.
func onlyDNAT(raw json.RawMessage) bool {
	words := strings.FieldsFunc(string(raw), func(c rune) bool { return strings.ContainsRune(` "[]{}:,`, c) })
	words = slices.DeleteFunc(words, func(w string) bool { return w == "set" })
	return len(words) == 1 && words[0] == "dnat"
}

// turned applies a match for flows of which the device changes the destination. Before it does, nothing tells them.
func turned(all []match, op string) []match {
	want := network.TurnedHere
	switch op {
	case "in", "==", "&":
	case "!=":
		want = network.NotTurnedHere
	default:
		return undecided(all)
	}
	for i := range all {
		if all[i].Hook == network.ComingIn || all[i].Turned != network.AnyDestination && all[i].Turned != want {
			all[i].Undecided = true
			continue
		}
		all[i].Turned = want
	}
	return all
}

// narrow applies a match to every variant of a rule; one that names several values makes several variants.
func (w *walker) narrow(all []match, raw json.RawMessage, k key) []match {
	var m struct {
		Op    string
		Left  json.RawMessage
		Right json.RawMessage
	}
	var left field
	if json.Unmarshal(raw, &m) != nil || json.Unmarshal(m.Left, &left) != nil {
		return undecided(all)
	}
	if left.CT != nil && (left.CT.Key == "status" || left.CT.Key == "state") {
		all = w.rs.untracked(all)
	}
	if opens(m.Op, m.Left, m.Right) {
		return opensConnections(all)
	}
	if left.FIB != nil {
		return w.toOwn(all, *left.FIB, m.Op, m.Right)
	}
	if left.CT != nil && (left.CT.Key == "status" || left.CT.Key == "state") && onlyDNAT(m.Right) {
		return turned(all, m.Op)
	}
	if left.CT != nil && left.CT.Key == "state" && (m.Op == "in" || m.Op == "==") {
		words, ok := stateWords(m.Right)
		// beside states it fits more than those
		if !ok || slices.Contains(words, "dnat") || slices.Contains(words, "snat") {
			return undecided(all)
		}
		state, some, sure := filters.FlowState(func(word string) bool { return slices.Contains(words, word) })
		for i := range all {
			if all[i].State != network.AnyState && all[i].State != state {
				all[i].Undecided = true
			}
			all[i].State, all[i].never = state, all[i].never || !some
			all[i].Undecided = all[i].Undecided || !sure
		}
		return all
	}
	if m.Op == "!=" && left.Payload != nil && (left.Payload.Field == "saddr" || left.Payload.Field == "daddr") {
		return w.narrowNot(all, left.name(), m.Right, k)
	}
	values, ok := w.values(m.Right, k)
	if m.Op == "!=" && len(values) == 1 && ok && strings.HasPrefix(left.name(), "meta ") {
		for i := range all {
			all[i].Undecided = !all[i].notBy(left.name(), strings.Trim(string(values[0]), `"`)) || all[i].Undecided
		}
		return all
	}
	// what has no ports has other ones than some, too
	ported := !left.ofAny() || !slices.ContainsFunc(all, func(m match) bool { return m.Protocol == "" })
	if m.Op == "!=" && left.ports() && ported && len(values) > 0 {
		values, ok = otherPorts(values)
		m.Op = "in"
	}
	if left.ofAny() && (m.Op == "==" || m.Op == "in") {
		all = eachTransport(all)
	}
	if m.Op != "==" && m.Op != "in" || !ok || len(values) == 0 || len(values)*len(all) > maxRules {
		return undecided(all)
	}
	var out []match
	for _, one := range all {
		for _, v := range values {
			n := one
			if !left.applyTo(&n, v) {
				n.Undecided = true
			}
			if !n.never {
				out = append(out, n)
			}
		}
	}
	return out
}

// narrowNot applies a match that names the addresses which do not fit.
func (w *walker) narrowNot(all []match, what string, right json.RawMessage, k key) []match {
	values, ok := w.values(right, k)
	not := filters.NoAddresses
	fam := route.IPv4
	if strings.HasPrefix(what, "ip6") {
		fam = route.IPv6
	}
	for _, v := range values {
		p, is := prefixOf(v)
		ok = ok && is && route.FamilyOf(p.Addr()) == fam
		not.Prefixes = append(not.Prefixes, p)
	}
	rest := filters.Addresses{}
	if ok {
		rest = rest.Without(not, fam)
	}
	if !ok || rest.Unsure || len(rest.Prefixes)*len(all) > maxRules {
		return undecided(all)
	}
	var out []match
	for _, one := range all {
		for _, p := range rest.Prefixes {
			n := one
			n.apply(what, raw(map[string]any{"prefix": map[string]any{"addr": p.Addr().String(), "len": p.Bits()}}))
			if !n.never {
				out = append(out, n)
			}
		}
	}
	return out
}

func undecided(all []match) []match {
	for i := range all {
		all[i].Undecided = true
	}
	return all
}

// values lists what stands on the right: one value, a set written there, or a named one.
func (w *walker) values(right json.RawMessage, k key) ([]json.RawMessage, bool) {
	var s string
	if json.Unmarshal(right, &s) == nil && strings.HasPrefix(s, "@") {
		elem, ok := w.rs.sets[key{k.family, k.table, s[1:]}]
		return unfolded(elem), ok
	}
	var o struct{ Set []json.RawMessage }
	if json.Unmarshal(right, &o) == nil && o.Set != nil {
		return unfolded(o.Set), true
	}
	var list []json.RawMessage
	if json.Unmarshal(right, &list) == nil {
		return list, true
	}
	return unfolded([]json.RawMessage{right}), true
}

// unfolded makes prefixes of ranges of addresses.
func unfolded(list []json.RawMessage) []json.RawMessage {
	var out []json.RawMessage
	for _, v := range list {
		var o struct{ Range []string }
		if json.Unmarshal(v, &o) == nil && len(o.Range) == 2 {
			if a, ok := filters.Range(o.Range[0], o.Range[1]); ok {
				for _, p := range a.Prefixes {
					out = append(out, raw(map[string]any{"prefix": map[string]any{"addr": p.Addr().String(),
						"len": p.Bits()}}))
				}
				continue
			}
		}
		out = append(out, v)
	}
	return out
}

// ports takes a port, a range or a service's name; false where it is none.
func ports(v json.RawMessage) (network.Ports, bool) {
	if n, err := strconv.ParseUint(string(v), 10, 16); err == nil {
		return network.Ports{Lo: uint16(n), Hi: uint16(n)}, n > 0
	}
	var o struct{ Range []uint16 }
	if json.Unmarshal(v, &o) == nil && len(o.Range) == 2 {
		return network.Ports{Lo: o.Range[0], Hi: o.Range[1]}, o.Range[1] >= o.Range[0] && o.Range[1] > 0
	}
	var name string
	if json.Unmarshal(v, &name) == nil {
		n, ok := filters.Port(name, "")
		return network.Ports{Lo: n, Hi: n}, ok && n > 0
	}
	return network.Ports{}, false
}
