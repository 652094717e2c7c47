package network

import "zarvek/internal/core/route"

// FactKind names a kind of fact beside routes.
type FactKind uint8

const (
	AddressFact FactKind = iota
	InterfaceFact
	NeighbourFact
	SwitchFact
	SkipFact
	RuleFact
	IndexFact
	StaticFact
	SessionFact
	TrackedFact
	WatchFact
	CheckFact
	FlowFact
	ListRuleFact
	AppliedFact
	TranslationFact
	TunnelFact
	StatefulFact
	AllOfEqualFact
	ClassfulFact
	ProtocolFact
	RedistributionFact
	BGPFact
	VirtualFact
	AnswerFact
)

var factNames = [...]string{
	"address",
	"interface",
	"neighbour",
	"forwarding-switch",
	"no-carrier-switch",
	"policy-rule",
	"interface-number",
	"configured-static",
	"liveness-session",
	"tracked-object",
	"watch",
	"source-check",
	"flow-rule",
	"list-rule",
	"applied-filter",
	"translation",
	"tunnel",
	"stateful",
	"all-of-equal",
	"classful",
	"protocol-interface",
	"redistribution",
	"bgp-statement",
	"virtual-address",
	"answer",
}

// String returns the kind's word in output for machines.
func (k FactKind) String() string { return factNames[k] }

// A Fact is one thing that one line says, other than a route. Of is a pointer to the fact: *Address, *Interface,
// *Neighbour, *Switch, *Rule, *IfIndex, *Static, *Session, *TrackedObject, *Watch, *SourceCheck, *FlowRule,
// *ListRule, *AppliedFilter, *Translation, *Tunnel, *ProtocolInterface, *Redistribution, *BGPStatement,
// *VirtualAddress, *Answer; nil where the line alone says all.
type Fact struct {
	Kind FactKind
	Mark *route.Mark
	Of   any
}

// Each visits every fact beside routes. It is the one list of the kinds of facts: evidence, the ledger of lines and
// the laws that readers obey all go by it, and a test fails where a field of Facts is not visited.
func (f *Facts) Each(visit func(Fact)) {
	each(f.Addresses, func(x *Address) { visit(Fact{AddressFact, &x.Mark, x}) })
	each(f.Interfaces, func(x *Interface) { visit(Fact{InterfaceFact, &x.Mark, x}) })
	each(f.Neighbours, func(x *Neighbour) { visit(Fact{NeighbourFact, &x.Mark, x}) })
	each(f.Forwarding, func(x *Switch) { visit(Fact{SwitchFact, &x.Mark, x}) })
	each(f.SkipsDown, func(x *Switch) { visit(Fact{SkipFact, &x.Mark, x}) })
	each(f.Rules, func(x *Rule) { visit(Fact{RuleFact, &x.Mark, x}) })
	each(f.Indexes, func(x *IfIndex) { visit(Fact{IndexFact, &x.Mark, x}) })
	each(f.Statics, func(x *Static) { visit(Fact{StaticFact, &x.Mark, x}) })
	each(f.Sessions, func(x *Session) { visit(Fact{SessionFact, &x.Mark, x}) })
	each(f.Tracked, func(x *TrackedObject) { visit(Fact{TrackedFact, &x.Mark, x}) })
	each(f.Watches, func(x *Watch) { visit(Fact{WatchFact, &x.Mark, x}) })
	each(f.Checks, func(x *SourceCheck) { visit(Fact{CheckFact, &x.Mark, x}) })
	each(f.Policy.Flows, func(x *FlowRule) { visit(Fact{FlowFact, &x.Mark, x}) })
	each(f.ListRules, func(x *ListRule) { visit(Fact{ListRuleFact, &x.Mark, x}) })
	each(f.Applied, func(x *AppliedFilter) { visit(Fact{AppliedFact, &x.Rule.Mark, x}) })
	each(f.Policy.Translations, func(x *Translation) { visit(Fact{TranslationFact, &x.Mark, x}) })
	each(f.Policy.Tunnels, func(x *Tunnel) { visit(Fact{TunnelFact, &x.Mark, x}) })
	if f.Policy.Stateful.Known() {
		visit(Fact{StatefulFact, &f.Policy.Stateful, nil})
	}
	if f.Policy.AllOfEqual.Known() {
		visit(Fact{AllOfEqualFact, &f.Policy.AllOfEqual, nil})
	}
	each(f.Classful, func(m *route.Mark) { visit(Fact{ClassfulFact, m, nil}) })
	each(f.Protocols, func(x *ProtocolInterface) { visit(Fact{ProtocolFact, &x.Mark, x}) })
	each(f.Redistributed, func(x *Redistribution) { visit(Fact{RedistributionFact, &x.Mark, x}) })
	each(f.BGP, func(x *BGPStatement) { visit(Fact{BGPFact, &x.Mark, x}) })
	each(f.Virtuals, func(x *VirtualAddress) { visit(Fact{VirtualFact, &x.Mark, x}) })
	each(f.Answers, func(x *Answer) { visit(Fact{AnswerFact, &x.Mark, x}) })
}

func each[T any](list []T, visit func(*T)) {
	for i := range list {
		visit(&list[i])
	}
}

// add joins other facts to f.
func (f *Facts) add(o Facts) {
	f.Tables = append(f.Tables, o.Tables...)
	f.Addresses = append(f.Addresses, o.Addresses...)
	f.Interfaces = append(f.Interfaces, o.Interfaces...)
	f.Neighbours = append(f.Neighbours, o.Neighbours...)
	f.Forwarding = append(f.Forwarding, o.Forwarding...)
	f.SkipsDown = append(f.SkipsDown, o.SkipsDown...)
	f.Rules = append(f.Rules, o.Rules...)
	f.Indexes = append(f.Indexes, o.Indexes...)
	f.Statics = append(f.Statics, o.Statics...)
	f.Sessions = append(f.Sessions, o.Sessions...)
	f.Tracked = append(f.Tracked, o.Tracked...)
	f.Watches = append(f.Watches, o.Watches...)
	f.Checks = append(f.Checks, o.Checks...)
	f.Classful = append(f.Classful, o.Classful...)
	f.Protocols = append(f.Protocols, o.Protocols...)
	f.Redistributed = append(f.Redistributed, o.Redistributed...)
	f.BGP = append(f.BGP, o.BGP...)
	f.Virtuals = append(f.Virtuals, o.Virtuals...)
	f.Answers = append(f.Answers, o.Answers...)
	f.Policy.add(o.Policy)
	f.addLists(o)
}

// Interfaces returns the names of interfaces that a fact has; some may be "".
func (f Fact) Interfaces() []string {
	switch x := f.Of.(type) {
	case *Address:
		return []string{x.Interface}
	case *Interface:
		return []string{x.Name}
	case *Neighbour:
		return []string{x.Interface}
	case *Switch:
		return []string{x.Interface}
	case *Rule:
		return []string{x.Ingress}
	case *IfIndex:
		return []string{x.Name}
	case *Static:
		return []string{x.NextHop.Interface}
	case *Watch:
		return []string{x.NextHop.Interface}
	case *Session:
		return []string{x.Interface}
	case *SourceCheck:
		return []string{x.Interface}
	case *FlowRule:
		return []string{x.In, x.Out, x.NotIn, x.NotOut}
	case *AppliedFilter:
		return []string{x.Rule.In, x.Rule.Out}
	case *Translation:
		return []string{x.In, x.Out, x.NotIn, x.NotOut}
	case *Tunnel:
		return []string{x.Interface, x.From}
	case *ProtocolInterface:
		return []string{x.Interface}
	case *VirtualAddress:
		return []string{x.Interface}
	}
	return nil
}
