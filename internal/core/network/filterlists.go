package network

import (
	"cmp"
	"slices"

	"zarvek/internal/core/route"
)

// A ListRule is one rule of a list that has a name. The list does nothing until it is applied somewhere.
type ListRule struct {
	List string
	FlowRule
	// Alone: it is from a listing of lists, which does not tell where they are applied.
	Alone bool
	// Zones: the interfaces of the rule may be names of zones. Where the device has none of such a name, the rule may
	// be for any.
	Zones bool
	part  int // of the capture that shows it
}

// An AppliedFilter says where a list decides over packets. Rule tells the packets: family, interfaces, hook; Permit is
// what becomes of those that no rule of the list fits, and Undecided that this is not known.
type AppliedFilter struct {
	List string
	Rule FlowRule
	part int
}

// mostApplied bounds how many rules a device may have where lists are applied: a list on many interfaces is as many.
// Those beyond are filters that were not read.
const mostApplied = 400_000

// mostThere bounds how many lists are told apart that are applied to the same packets: of as many none is read.
const mostThere = 64

// addLists joins the lists of another capture, which may show the same ones.
func (f *Facts) addLists(o Facts) {
	part := 1
	for _, r := range f.ListRules {
		part = max(part, r.part+1)
	}
	for _, a := range f.Applied {
		part = max(part, a.part+1)
	}
	for _, r := range o.ListRules {
		r.part = part
		f.ListRules = append(f.ListRules, r)
	}
	for _, a := range o.Applied {
		a.part = part
		f.Applied = append(f.Applied, a)
	}
}

// applyLists turns what is applied into rules that packets meet. A list that no capture shows, or that captures show
// differently, is a filter that was not read.
func (f *deviceFacts) applyLists() {
	alone := func(r ListRule) bool { return !r.Alone }
	if len(f.ListRules) > 0 && len(f.Applied) == 0 && !slices.ContainsFunc(f.ListRules, alone) {
		f.Policy.add(notReadHere(FlowRule{Hook: ComingIn, Missing: NotApplied, Mark: f.ListRules[0].Mark}))
	}
	f.openZones()
	f.openEnds()
	at := map[FlowRule][]AppliedFilter{} // what is applied to the same packets, each list of each capture once
	for _, a := range f.Applied {
		there := at[a.packets()]
		again := func(b AppliedFilter) bool { return a.List == b.List && a.part == b.part }
		if len(there) < mostThere && !slices.ContainsFunc(there, again) {
			at[a.packets()] = append(there, a)
		}
	}
	type once struct {
		list    string
		packets FlowRule
	}
	done := map[once]bool{}
	total := 0
	for _, a := range f.Applied {
		if done[once{a.List, a.packets()}] {
			continue
		}
		done[once{a.List, a.packets()}] = true
		other := slices.ContainsFunc(at[a.packets()],
			func(b AppliedFilter) bool { return a.List != b.List && a.part != b.part })
		other = other || len(at[a.packets()]) == mostThere
		rules, ok := f.list(a.List)
		if total += len(rules); total > mostApplied {
			ok = false
		}
		if other || !ok {
			f.Policy.add(notReadHere(a.Rule))
			continue
		}
		f.Policy.add(chainOf(a.Rule, rules))
		if sends := func(r FlowRule) bool { return r.Detour.Sends() }; a.Rule.Hook != Steered && a.Rule.In != "" &&
			slices.ContainsFunc(rules, sends) {
			f.Policy.add(steeringOf(a.Rule, rules))
		}
	}
}

// openZones makes rules that may fit of those between zones of which no capture tells the interfaces.
func (f *deviceFacts) openZones() {
	if !slices.ContainsFunc(f.ListRules, func(r ListRule) bool { return r.Zones }) {
		return
	}
	names := f.hopInterfaces()
	for _, a := range f.Addresses {
		names[a.Interface] = true
	}
	for _, i := range f.Interfaces {
		names[i.Name] = true
	}
	for i := range f.ListRules {
		r := &f.ListRules[i]
		for _, name := range []*string{&r.In, &r.Out} {
			if r.Zones && *name != "" && !names[*name] {
				*name, r.Undecided = "", true
			}
		}
	}
}

// openEnds makes what becomes of packets that fit no rule of a list unknown, where the list stands in a text that was
// cut: a rule that permits them may have followed.
func (f *deviceFacts) openEnds() {
	var cut []uint32 // files
	for _, r := range f.Policy.Flows {
		if r.Missing == CutOff && !slices.Contains(cut, r.Mark.File) {
			cut = append(cut, r.Mark.File)
		}
	}
	if cut == nil {
		return
	}
	for i, r := range f.Policy.Flows {
		if !r.Permit && r.fitsAll() && slices.Contains(cut, r.Mark.File) {
			f.Policy.Flows[i].Undecided = true
		}
	}
	for i, a := range f.Applied {
		if !a.Rule.Permit && slices.Contains(cut, a.Rule.Mark.File) {
			f.Applied[i].Rule.Undecided = true
		}
	}
}

// fitsAll reports whether a rule asks for nothing of a packet but the way it takes.
func (r FlowRule) fitsAll() bool {
	return r == FlowRule{Hook: r.Hook, Family: r.Family, Chain: r.Chain, Permit: r.Permit, Refuse: r.Refuse, In: r.In,
		Out: r.Out, Stateless: r.Stateless, NotRead: r.NotRead, Mark: r.Mark}
}

// steeringOf is what a filter's rules say of where packets go, beside whether they may.
func steeringOf(at FlowRule, rules []FlowRule) Policy {
	at.Hook, at.Permit = Steered, true
	rules = slices.Clone(rules)
	for i := range rules {
		rules[i].Permit = true
	}
	return chainOf(at, rules)
}

// packets is what tells to which packets a list is applied.
func (a AppliedFilter) packets() FlowRule {
	r := a.Rule
	r.Mark, r.Permit, r.Undecided, r.NotRead = route.Mark{}, false, false, false
	return r
}

// notReadHere is a filter of which is known only what it is applied to.
func notReadHere(at FlowRule) Policy {
	at.Permit, at.Undecided, at.NotRead = false, true, true
	rest := FlowRule{Hook: at.Hook, Family: at.Family, Permit: true, NotRead: true, Stateless: at.Stateless,
		Mark: at.Mark}
	return Policy{Flows: []FlowRule{at, rest}}
}

// chainOf is a list's rules where it is applied. What goes another way passes it by.
func chainOf(at FlowRule, rules []FlowRule) Policy {
	out := make([]FlowRule, 0, len(rules)+2)
	for _, r := range rules {
		r.Hook, r.Stateless = at.Hook, at.Stateless
		r.Family, r.In, r.Out = cmp.Or(r.Family, at.Family), cmp.Or(r.In, at.In), cmp.Or(r.Out, at.Out)
		out = append(out, r)
	}
	rest := FlowRule{Hook: at.Hook, Family: at.Family, Permit: true, NotRead: true, Stateless: at.Stateless,
		Mark: at.Mark}
	return Policy{Flows: append(out, at, rest)}
}

// list returns the rules of a list, false where no capture shows it or two show it differently.
func (f *deviceFacts) list(name string) ([]FlowRule, bool) {
	if found, ok := f.found[name]; ok {
		return found, found != nil
	}
	rules, ok := f.oneList(name)
	if f.found == nil {
		f.found = map[string][]FlowRule{}
	}
	if f.found[name] = rules; !ok {
		f.found[name] = nil
	}
	return rules, ok
}

// oneList is list, found out.
func (f *deviceFacts) oneList(name string) ([]FlowRule, bool) {
	if f.lists == nil {
		f.lists = map[string][]int{}
		for i, r := range f.ListRules {
			f.lists[r.List] = append(f.lists[r.List], i)
		}
	}
	var parts []int
	byPart := map[int][]FlowRule{}
	for _, i := range f.lists[name] {
		r := f.ListRules[i]
		if byPart[r.part] == nil {
			parts = append(parts, r.part)
		}
		byPart[r.part] = append(byPart[r.part], r.FlowRule)
	}
	if len(parts) == 0 {
		return nil, false
	}
	alike := func(a, b FlowRule) bool {
		a.Mark, b.Mark = route.Mark{}, route.Mark{}
		return a == b
	}
	for _, p := range parts[1:] {
		if !slices.EqualFunc(byPart[parts[0]], byPart[p], alike) {
			return nil, false
		}
	}
	return byPart[parts[0]], true
}
