package statements

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// guard knows the interfaces of a firewall that names them and gives each a level: where no list is applied to what
// comes in by an interface, packets pass to lower levels only. Replies of what has passed pass too.
type guard struct {
	ports     []guarded
	first     route.Mark // of the line that applies a list to an interface by its name
	listed    []string   // interfaces with a list for what comes in
	equal     bool       // equal levels pass
	back      bool       // out of the interface that it came in by passes
	inspected bool       // answers of ICMP are known
	inspect   bool       // filters are opened by what passes the other way
	mixed     bool       // a list holds for all interfaces
	icmpRuled bool       // lines say which ICMP is let in for the device itself
	farSide   bool       // an interface may be reached by its address from behind another one
}

type guarded struct {
	name  string
	level uint64
	told  bool
	mark  route.Mark
}

// named begins an interface of its own name.
func (g *guard) named(name string, mark route.Mark) {
	g.ports = append(g.ports, guarded{name: name, mark: mark})
}

// line reads what is said of levels and of state.
func (g *guard) line(w []string, inBlock bool) bool {
	switch line := strings.Join(w, " "); {
	case inBlock && len(w) == 2 && w[0] == "security-level" && len(g.ports) > 0:
		n, ok := layout.Uint([]byte(w[1]))
		p := &g.ports[len(g.ports)-1]
		p.level, p.told = n, ok
	case line == "same-security-traffic permit inter-interface":
		g.equal = true
	case line == "same-security-traffic permit intra-interface":
		g.back = true
	case len(w) > 3 && w[0] == "icmp" && (w[1] == "permit" || w[1] == "deny"):
		g.icmpRuled = true
	case len(w) == 2 && w[0] == "management-access":
		g.farSide = true
	case line == "inspect icmp":
		g.inspected = true
	case strings.HasPrefix(line, "ip inspect ") && inBlock:
		g.inspect = true
	default:
		return false
	}
	return true
}

// applied notes that a list decides over what comes in by an interface.
func (g *guard) applied(ifname string) { g.listed = append(g.listed, ifname) }

// finish makes rules of the levels.
func (g *guard) finish(r *reader) {
	if x, ok := r.applicationMissing(); ok {
		r.Restrict(network.FlowRule{Hook: network.ComingIn, Missing: network.NotApplied}, int(x.Mark.Off),
			int(x.Mark.End))
	}
	if g.inspect {
		for i := range r.Facts.Applied {
			a := &r.Facts.Applied[i]
			a.List = "" // what it denies may pass as an answer; no list has that name
		}
	}
	if len(g.ports) == 0 {
		g.levelsMissing(r)
		r.cutInside()
		return
	}
	r.Facts.Policy.Stateful = g.ports[0].mark
	for _, p := range g.ports {
		if slices.Contains(g.listed, p.name) {
			continue
		}
		list := "levels of " + p.name
		for _, q := range g.ports {
			rule := network.FlowRule{In: p.name, Out: q.name, Mark: p.mark}
			switch {
			case !p.told || !q.told || g.mixed:
				rule.Undecided = true
				r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: list, FlowRule: rule})
				rule.Permit = true
			case p.name == q.name:
				rule.Permit = g.back
			case p.level == q.level:
				rule.Permit = g.equal
			default:
				rule.Permit = p.level > q.level
			}
			r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: list, FlowRule: rule})
		}
		r.Facts.Applied = append(r.Facts.Applied,
			network.AppliedFilter{List: list, Rule: network.FlowRule{In: p.name, Mark: p.mark}})
	}
	if !g.inspected {
		g.icmpAnswers(r)
	}
	g.itself(r)
	r.cutInside()
}

// levelsMissing makes rules of a firewall of which only the lists were captured: what comes in by interfaces without
// one hangs on their levels. It keeps state, and of ICMP where it is told to, which is not shown.
func (g *guard) levelsMissing(r *reader) {
	if g.first == (route.Mark{}) {
		return
	}
	const list = "levels that were not captured"
	r.Facts.Policy.Stateful = g.first
	for _, name := range g.listed {
		r.Facts.ListRules = append(r.Facts.ListRules,
			network.ListRule{List: list, FlowRule: network.FlowRule{In: name, Permit: true, Mark: g.first}})
	}
	at := network.FlowRule{Undecided: true, NotRead: true, Mark: g.first}
	r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: list, Rule: at})
	// which addresses answer is not told
	r.Restrict(network.FlowRule{Hook: network.ForItself}, int(g.first.Off), int(g.first.End))
	at.Protocol, at.State, at.Stateless = "icmp", network.Answering, true
	if !g.inspected {
		r.Restrict(at, int(g.first.Off), int(g.first.End))
	}
}

// icmpAnswers applies the lists to ICMP once more, whatever flow it answers: where the configuration does not say that
// ICMP is inspected, the device keeps no state of it.
func (g *guard) icmpAnswers(r *reader) {
	for _, a := range slices.Clone(r.Facts.Applied) {
		list := "ICMP of " + a.List
		for _, x := range slices.Clone(r.Facts.ListRules) {
			if x.List != a.List || x.Protocol != "" && x.Protocol != "icmp" {
				continue
			}
			x.List, x.Protocol = list, "icmp"
			r.Facts.ListRules = append(r.Facts.ListRules, x)
		}
		a.List = list
		a.Rule.Protocol, a.Rule.Stateless = "icmp", true
		r.Facts.Applied = append(r.Facts.Applied, a)
	}
}

// itself makes rules of what is for the device itself: an interface answers for its own address alone, to an echo where
// no line says otherwise; what else it lets in stands in lines that are not read.
func (g *guard) itself(r *reader) {
	for _, p := range g.ports {
		list := "what is for the device itself by " + p.name
		add := func(f network.FlowRule) {
			f.Mark = p.mark
			r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: list, FlowRule: f})
		}
		for _, a := range r.Facts.Addresses {
			if a.Interface != p.name &&
				slices.ContainsFunc(g.ports, func(q guarded) bool { return q.name == a.Interface }) {
				add(network.FlowRule{To: netip.PrefixFrom(a.Prefix.Addr(), a.Prefix.Addr().BitLen()),
					Undecided: g.farSide})
			}
		}
		if !g.icmpRuled {
			add(network.FlowRule{Protocol: "icmp", Type: 9, Permit: true})
		}
		add(network.FlowRule{Undecided: true, Permit: true})
		r.Facts.Applied = append(r.Facts.Applied,
			network.AppliedFilter{List: list,
				Rule: network.FlowRule{In: p.name, Hook: network.ForItself, Undecided: true, Mark: p.mark}})
	}
}

// cutInside keeps an interface from being promised in whose block the text stops in the middle of a line, and all of
// them where a configuration lacks its end: a filter may follow there.
func (r *reader) cutInside() {
	switch {
	case r.begun != route.Mark{}:
		r.Restrict(network.FlowRule{Missing: network.CutOff}, int(r.begun.Off), int(r.begun.End))
	case r.tail != route.Mark{} && !r.whole:
		ifname := r.Facts.Interfaces[r.link-1].Name
		r.Restrict(network.FlowRule{In: ifname, Hook: network.ComingIn, Missing: network.CutOff}, int(r.tail.Off),
			int(r.tail.End))
		r.Restrict(network.FlowRule{Out: ifname, Hook: network.GoingOut, Missing: network.CutOff}, int(r.tail.Off),
			int(r.tail.End))
	}
}

// begins matches the first line of a configuration of those systems that end it with "end".
var begins = lazyregexp.New(`^version \d+\.\d+$`)

// heads matches a line that stands near the begin of a configuration.
var heads = lazyregexp.New(`^ ?(?:hostname|switchname|sysname|version|(?:Current|Building) configuration)\b`)

// bounds notes where a whole configuration begins and ends, in the systems that print an end, and reports a beginning.
func (r *reader) bounds(s string, lo, hi int) bool {
	r.headed = r.headed || heads.MatchString(s)
	switch {
	case strings.HasPrefix(s, "Current configuration"), begins.MatchString(s):
		r.begun = layout.Mark(lo, hi)
		return true
	case s == "end", s == ": end", s == "return":
		r.begun, r.ended = route.Mark{}, true
	}
	return false
}

// mention keeps the words of a line that is no rule: lists may be used there for something else than for packets on
// their way.
func (r *reader) mention(line []byte) {
	if r.mentioned == nil {
		r.mentioned = map[string]bool{}
	}
	for _, w := range strings.Fields(string(line)) {
		r.mentioned[w] = true
	}
}

// applicationMissing returns a list that nothing in a configuration without its begin or end uses: what applies it may
// be missing.
func (r *reader) applicationMissing() (network.ListRule, bool) {
	used := map[string]bool{}
	for _, a := range r.Facts.Applied {
		used[a.List] = true
	}
	for _, x := range r.Facts.ListRules {
		if !used[x.List] && !r.mentioned[x.List] && !x.Alone && !(r.ended && r.headed) {
			return x, true
		}
	}
	return network.ListRule{}, false
}
