package present

import (
	"fmt"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// factWords says what a line tells beside routes.
func factWords(f network.Fact) string {
	switch x := f.Of.(type) {
	case *network.Address:
		return fmt.Sprintf("its own address %s%s", x.Prefix, on(x.Interface))
	case *network.Interface:
		return fmt.Sprintf("interface %s, %s", Clean(x.Name), [...]string{"state not shown", "up", "down"}[x.State])
	case *network.Neighbour:
		return fmt.Sprintf("neighbour %s%s: %s", x.Address, on(x.Interface),
			[...]string{"asked for, no answer yet", "has answered", "does not answer"}[x.State])
	case *network.Switch:
		if f.Kind == network.SkipFact {
			return skipWords(x)
		}
		what := familyName(x.Family) + " packets"
		if x.Interface != "" {
			what += " that come in by " + Clean(x.Interface)
		}
		if x.On {
			return what + " are forwarded"
		}
		return what + " are not forwarded"
	case *network.Rule:
		return fmt.Sprintf("policy rule %d: %s", x.Priority, ruleText(*x))
	case *network.IfIndex:
		return fmt.Sprintf("interface number %d is called %s", x.Index, Clean(x.Name))
	case *network.Static:
		a := route.Attributes{Special: x.Special, NextHops: []route.NextHop{x.NextHop}}
		text := fmt.Sprintf("a configured static route to %s: %s", x.Prefix, ways(&a)[0])
		if x.Preference.Known {
			text += ", preference " + number(x.Preference)
		}
		if tie := tieWords(*x); tie != "" {
			text += ", tied to " + tie
		}
		return text + "; whether it is in use the table tells"
	case *network.Session:
		return fmt.Sprintf("liveness session with %s%s: %s", x.Peer, on(x.Interface), upOrDown(x.Up))
	case *network.TrackedObject:
		return fmt.Sprintf("the tracked object %q is %s", Clean(x.Name), upOrDown(x.Up))
	case *network.Watch:
		s := network.Static{NextHop: x.NextHop, Tie: x.Tie}
		return fmt.Sprintf("static routes to %s are tied to %s", to(x.NextHop.Address, x.NextHop.Interface), tieWords(s))
	case *network.SourceCheck:
		return checkWords(*x)
	case *network.FlowRule:
		return flowWords(*x)
	case *network.ListRule:
		return fmt.Sprintf("in the list %s %s", Clean(x.List), flowWords(x.FlowRule))
	case *network.AppliedFilter:
		return appliedWords(*x)
	case *network.Translation:
		return translationWords(*x)
	case *network.ProtocolInterface:
		return protocolWords(*x)
	case *network.Redistribution:
		s := fmt.Sprintf("%s announces what is known by %s", x.Protocol, x.Source)
		if x.Filtered {
			s += ", as far as rules let it"
		}
		if x.Metric.Known {
			s += fmt.Sprintf(", with the external metric %d", x.Metric.Value)
			if x.Default {
				s += " (FRR's default)"
			}
		}
		return s
	case *network.BGPStatement:
		return bgpWords(*x)
	case *network.VirtualAddress:
		return fmt.Sprintf("virtual address %s%s: %s", x.Address, on(x.Interface),
			[...]string{"which router has it is not shown", "this router has it", "another router has it"}[x.Holding])
	case *network.Answer:
		a := route.Attributes{Special: x.Special, NextHops: []route.NextHop{x.NextHop}}
		return fmt.Sprintf("what the kernel said that it does with packets to %s: %s; no route of its table", x.Address,
			ways(&a)[0])
	case *network.Tunnel:
		return fmt.Sprintf("interface %s is a tunnel%s", Clean(x.Interface), tunnelEnds(x))
	}
	switch f.Kind {
	case network.StatefulFact:
		return "the device keeps state: replies of flows that it has let pass are let pass"
	case network.AllOfEqualFact:
		return "all equal next hops forward, whatever a mark of the table says"
	case network.ClassfulFact:
		return "IPv4 lookups are classful: a known part of a class A, B or C network bars shorter prefixes for the " +
			"rest of it"
	}
	return f.Kind.String()
}

func upOrDown(up bool) string {
	if up {
		return "up"
	}
	return "down"
}

// protocolWords says how a routing protocol runs on interfaces.
func protocolWords(x network.ProtocolInterface) string {
	where := "every interface"
	switch {
	case x.Interface != "":
		where = "interface " + Clean(x.Interface)
	case x.Network.IsValid():
		where = "interfaces with an address in " + x.Network.String()
	case x.Listed:
		where = "an interface on which nobody answers"
	}
	var what []string
	switch {
	case x.Other && x.Protocol == route.BGP:
		return "the device speaks BGP"
	case x.Other:
		return fmt.Sprintf("%s is set in a way that may keep routes out or alter them", x.Protocol)
	case x.Paths > 0:
		return fmt.Sprintf("%s uses up to %s (ECMP)", x.Protocol, count(int(x.Paths), "equal way", "equal ways"))
	case x.Hasty:
		return fmt.Sprintf("%s gives routes up so soon that it may change to another way of the same metric at any time",
			x.Protocol)
	case x.On && x.Passive:
		what = append(what, "runs", "speaks to nobody")
	case x.On:
		what = append(what, "runs")
	case x.Passive:
		what = append(what, "speaks to nobody")
	case x.Active:
		what = append(what, "is not passive")
	}
	if x.Area != "" {
		if x.Protocol == route.ISIS {
			what = append(what, "is on "+Clean(x.Area)+" alone")
		} else {
			what = append(what, "is in area "+Clean(x.Area))
		}
	}
	if x.Cost.Known {
		what = append(what, "costs "+number(x.Cost))
	}
	return fmt.Sprintf("%s on %s: %s", x.Protocol, where, strings.Join(what, ", "))
}

// checkWords words a check of source addresses; an interface of "" is all of them, a family of 0 both.
func checkWords(c network.SourceCheck) string {
	what := "packets"
	if c.Family != 0 {
		what = familyName(c.Family) + " packets"
	}
	where := " on every interface"
	if c.Interface != "" {
		where = on(c.Interface)
	}
	if c.Mode == network.CheckOff {
		return "sources of " + what + where + " are not checked"
	}
	if c.Usual {
		where += ", as is usual for such a configuration"
	}
	if c.NotByDefault {
		where += ", not told to accept a default route"
	}
	return fmt.Sprintf("%s source check (uRPF, RFC 3704) of %s%s", c.Mode, what, where)
}

// hookWords says which packets a rule is asked about, of whatever interface.
func hookWords(h network.Hook) string {
	switch h {
	case network.ComingIn:
		return "what comes in, be it for others or for itself"
	case network.GoingOut:
		return "what leaves"
	case network.ForItself:
		return "what is for the device itself"
	case network.FromItself:
		return "what the device sends itself"
	}
	return "what is forwarded"
}

// flowWords writes a rule for flows.
func flowWords(r network.FlowRule) string {
	switch {
	case r.NotRead && r.Permit:
		return "what that does not stop goes on"
	case r.Missing == network.CutOff:
		return "the configuration is cut off, and a filter may follow"
	case r.Missing == network.LeftOut:
		return "rules may have been left out here that stop packets"
	case r.Missing == network.SeveralBlended:
		return "these interfaces and those of another listing have nothing in common: of two devices, namespaces or instances"
	case r.NotRead && r.In == "" && r.Out == "":
		return "a filter or policy is applied here to " + hookWords(r.Hook) + "; what it says was not read"
	case r.NotRead && r.In != "":
		return "a filter or policy is applied here to what comes in by " + Clean(r.In) + "; what it says was not read"
	case r.NotRead:
		return "a filter or policy is applied here to what leaves by " + Clean(r.Out) + "; what it says was not read"
	}
	word := "denies"
	switch {
	case r.Hook == network.Steered, r.Detour.Sends():
		word = steersWord(r.Detour)
	case r.Permit:
		word = "permits"
	case r.Refuse:
		word = "refuses"
	}
	out := []string{"a rule that " + word}
	if r.Family != 0 {
		out = append(out, familyName(r.Family))
	}
	out = append(
		out,
		matchWords(
			r.Protocol,
			r.From.IsValid(),
			r.From.String(),
			r.FromPorts,
			r.To.IsValid(),
			r.To.String(),
			r.ToPorts,
			r.In,
			r.Out,
			r.Undecided,
		)...)
	out = append(out, otherWords(r.NotIn, r.NotOut)...)
	if r.Type != 0 {
		out = append(out, fmt.Sprintf("of type %d", r.Type-1))
	}
	if r.State != network.AnyState {
		out = append(out, [...]string{"", "that begins a flow", "that answers a flow by its flags",
			"that opens a connection by its flags", "that answers a flow seen before",
			"that answers no flow seen before"}[r.State])
	}
	if len(out) == 1 {
		out = append(out, "everything")
	}
	out = append(out, steersTo(r.Detour)...)
	return strings.Join(out, " ")
}

// steersWord says what a policy of routing does, in front of the packets that it is about.
func steersWord(d network.Detour) string {
	switch {
	case d.Drop:
		return "drops"
	case d.Table != "":
		return "looks up"
	case d.Open:
		return "may send"
	case d.NextHop.IsValid():
		return "sends"
	}
	return "leaves to the routes"
}

// steersTo says where a policy of routing sends packets, behind them.
func steersTo(d network.Detour) []string {
	switch {
	case d.Table != "":
		return []string{"in table", Clean(d.Table)}
	case d.Open:
		return []string{"another way"}
	case d.NextHop.IsValid():
		return []string{"to", d.NextHop.String()}
	}
	return nil
}

// appliedWords says where a list decides.
func appliedWords(a network.AppliedFilter) string {
	what := "what is forwarded"
	switch {
	case a.Rule.In != "":
		what = "what comes in by " + Clean(a.Rule.In)
	case a.Rule.Out != "":
		what = "what leaves by " + Clean(a.Rule.Out)
	case a.Rule.Hook == network.ComingIn:
		what = "what comes in"
	}
	if a.Rule.Family != 0 {
		what += " of " + familyName(a.Rule.Family)
	}
	rest := "; what fits no rule of it is denied"
	switch {
	case a.Rule.Undecided:
		rest = "; what becomes of packets that fit no rule of it is not known"
	case a.Rule.Permit:
		rest = "; what fits no rule of it goes on"
	}
	return fmt.Sprintf("the list %s is applied to %s%s", Clean(a.List), what, rest)
}

// translationWords words a rule that changes addresses, in the order of a sentence: what it matches, then what becomes
// of it.
func translationWords(t network.Translation) string {
	what := "source"
	if t.Destination {
		what = "destination"
	}
	becomes := "the address of the interface that it leaves by"
	if t.Becomes.IsValid() {
		becomes = t.Becomes.String()
	}
	if t.BecomesPort != 0 {
		becomes += fmt.Sprintf(" port %d", t.BecomesPort)
	}
	goes := "goes"
	if t.Own {
		goes = "the device itself sends"
	}
	if t.ToOwn {
		goes += " to one of its own addresses"
	}
	out := append(
		[]string{"translation (NAT): the " + what + " of what " + goes},
		matchWords(
			t.Protocol,
			t.From.IsValid(),
			t.From.String(),
			t.FromPorts,
			t.To.IsValid(),
			t.To.String(),
			t.ToPorts,
			t.In,
			t.Out,
			t.Undecided,
		)...)
	out = append(out, otherWords(t.NotIn, t.NotOut)...)
	if t.Keep {
		return strings.Join(append(out, "is left as it is"), " ")
	}
	return strings.Join(append(out, "becomes "+becomes), " ")
}

// skipWords words whether a kernel uses routes by interfaces that have no carrier.
func skipWords(s *network.Switch) string {
	by := "any interface"
	if s.Interface != "" {
		by = Clean(s.Interface)
	}
	used := "are used"
	if s.On {
		used = "are not used"
	}
	return fmt.Sprintf("%s routes by %s %s while that has no carrier", familyName(s.Family), by, used)
}

// otherWords words that a rule is not for one interface.
func otherWords(in, out string) []string {
	var words []string
	if in != "" {
		words = append(words, "in by another interface than "+Clean(in))
	}
	if out != "" {
		words = append(words, "out by another interface than "+Clean(out))
	}
	return words
}

// matchWords words what a rule matches; what is not set is any, and is not said. Undecided is a condition that no
// capture settles.
func matchWords(
	protocol string,
	fromSet bool,
	from string,
	fromPorts network.Ports,
	toSet bool,
	to string,
	toPorts network.Ports,
	in, out string,
	undecided bool,
) []string {
	var w []string
	if protocol != "" {
		w = append(w, Clean(protocol))
	}
	if fromSet {
		w = append(w, "from "+from)
	}
	if !fromPorts.Any() {
		w = append(w, "from "+portWords(fromPorts))
	}
	if toSet {
		w = append(w, "to "+to)
	}
	if !toPorts.Any() {
		w = append(w, "to "+portWords(toPorts))
	}
	if in != "" {
		w = append(w, "in by "+Clean(in))
	}
	if out != "" {
		w = append(w, "out by "+Clean(out))
	}
	if undecided {
		w = append(w, "and asks for more than a trace knows")
	}
	return w
}

func portWords(p network.Ports) string {
	if p.Lo == p.Hi {
		return fmt.Sprintf("port %d", p.Lo)
	}
	return fmt.Sprintf("ports %d to %d", p.Lo, p.Hi)
}
