package hierarchy

import (
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// numbered are the lists of rules with numbers of one tree: "firewall [ipv4] name LIST rule 10 …".
type numbered struct {
	terms  map[string][]*term // by list
	byName map[string]*term   // by list and number
	order  []string
	rests  map[string]*rest
}

// rest is what becomes of packets that fit no rule of a list.
type rest struct {
	permit, told, unknown bool
	returns               bool // they go on in the list that led here
	mark                  route.Mark
}

// numberedLists makes rules of the lists, and applies those that hold for all that is forwarded or is for the device
// itself.
func (r *reader) numberedLists() {
	n := numbered{terms: map[string][]*term{}, byName: map[string]*term{}, rests: map[string]*rest{}}
	stateful := route.Mark{}
	for _, k := range r.kept {
		w := k.words
		if len(w) < 4 || w[0] != "firewall" {
			continue
		}
		if slices.Contains(w, "state-policy") || slices.Contains(w, "global-options") {
			if slices.Contains(w, "established") && w[len(w)-1] == "accept" {
				stateful = k.mark // replies pass before any list is asked
			} else if slices.Contains(w, "state-policy") && !slices.Contains(w, "accept") &&
				!slices.Contains(w, "invalid") && w[len(w)-2] == "action" {
				r.restrictAt(network.FlowRule{}, k.mark)
			}
			continue
		}
		if w[1] == "group" && len(w) > 4 {
			r.groupLeaf(w[2:])
			continue
		}
		if list, fam, leaf := numberedList(w[1:]); list != "" && len(leaf) > 0 {
			r.numberedLeaf(&n, list, fam, leaf, k.mark)
		}
	}
	for _, list := range n.order {
		slices.SortStableFunc(n.terms[list], func(a, b *term) int { return byNumber(a.name, b.name) })
	}
	for _, list := range n.order {
		if stateful != (route.Mark{}) {
			first := network.FlowRule{Permit: true, State: network.Seen, Mark: stateful}
			r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: list, FlowRule: first})
		}
		for _, t := range n.terms[list] {
			r.addRules(t, n.unfold(t, nil))
		}
		r.finishList(list, n.rests[list])
	}
}

// numberedList splits what stands below "firewall" into the list, its family and the rest.
func numberedList(w []string) (string, route.Family, []string) {
	fam := route.IPv4
	switch {
	case w[0] == "ipv4" || w[0] == "ipv6":
		if w[0] == "ipv6" {
			fam = route.IPv6
		}
		if len(w) > 3 && (w[1] == "forward" || w[1] == "input" || w[1] == "output") {
			return filterName(w[1]+" "+w[2], fam), fam, w[3:]
		}
		if w = w[1:]; len(w) > 2 && (w[0] == "name" || w[0] == "ipv6-name") {
			return filterName(w[1], fam), fam, w[2:]
		}
	case (w[0] == "ipv6-name" || w[0] == "name") && len(w) > 2:
		if w[0] == "ipv6-name" {
			fam = route.IPv6
		}
		return filterName(w[1], fam), fam, w[2:]
	}
	return "", 0, nil
}

// numberedLeaf reads a leaf of a list.
func (r *reader) numberedLeaf(n *numbered, list string, fam route.Family, w []string, mark route.Mark) {
	if n.rests[list] == nil {
		n.order = append(n.order, list)
		n.rests[list] = &rest{mark: mark}
	}
	switch {
	case w[0] == "default-action" && len(w) > 1:
		d := n.rests[list]
		d.told, d.permit, d.mark = true, w[1] == "accept", mark
		d.returns = w[1] == "return" || w[1] == "continue"
		d.unknown = !d.returns && !slices.Contains([]string{"accept", "drop", "reject"}, w[1])
	case w[0] == "rule" && len(w) > 2:
		key := list + " " + w[1]
		t := n.byName[key]
		if t == nil {
			t = &term{list: list, name: w[1], family: fam, mark: mark}
			n.byName[key], n.terms[list] = t, append(n.terms[list], t)
		}
		r.numberedRule(t, w[2:])
	}
}

// numberedRule reads one part of a rule.
func (r *reader) numberedRule(t *term, w []string) {
	switch w[0] {
	case "action":
		if len(w) < 2 {
			return
		}
		t.ends = true
		switch w[1] {
		case "accept":
			t.rule.Permit = true
		case "drop":
		case "reject":
			t.rule.Refuse = true
		default:
			t.unknown = true // it goes on elsewhere
		}
	case "jump-target":
		if len(w) > 1 {
			t.jump = w[1]
		}
	case "disable":
		t.off = true
	case "protocol":
		if len(w) < 2 {
			return
		}
		if w[1] == "tcp_udp" {
			t.protocols = append(t.protocols, "tcp", "udp")
			return
		}
		p, ok := filters.Protocol(w[1])
		t.rule.Undecided = t.rule.Undecided || !ok
		if ok && p != "" {
			t.protocols = append(t.protocols, p)
		}
	case "source":
		r.side(t, &t.rule.From, &t.from, w[1:])
	case "destination":
		r.side(t, &t.rule.To, &t.to, w[1:])
	case "icmp", "icmpv6":
		if len(w) > 2 && (w[1] == "type-name" || w[1] == "type") {
			n, ok := filters.ICMPType(w[2], t.family == route.IPv6)
			t.types = append(t.types, n)
			t.rule.Undecided = t.rule.Undecided || !ok
		} else if len(w) > 1 {
			t.rule.Undecided = true
		}
	case "state":
		if len(w) > 1 && (len(w) == 2 || w[2] != "disable") {
			t.states = append(t.states, w[1])
		}
	case "inbound-interface", "outbound-interface":
		name := w[len(w)-1]
		if len(w) < 2 {
			return
		}
		if strings.ContainsAny(name, "!*") || len(w) == 3 && w[1] != "name" && w[1] != "interface-name" {
			t.rule.Undecided = true
		} else if w[0] == "inbound-interface" {
			t.rule.In = append(t.rule.In, name)
		} else {
			t.rule.Out = append(t.rule.Out, name)
		}
	case "description", "log", "log-options":
	default:
		t.rule.Undecided = true
	}
}

// unfold makes rules of a term. One that leads to another list has the rules of that where both fit.
func (n *numbered) unfold(t *term, above []string) []network.FlowRule {
	t.state()
	if t.off || t.goesOn {
		return nil
	}
	t.rule.Family = t.family
	t.services()
	if t.jump == "" && (t.unknown || !t.ends) {
		t.rule.Undecided = true
		return filters.Not(nil, t.mark)
	}
	own := t.rule.Unfold(nil, t.mark)
	if t.jump == "" {
		return own
	}
	target := filterName(t.jump, t.family)
	if n.rests[target] == nil || slices.Contains(above, target) {
		return filters.Not(nil, t.mark)
	}
	var out []network.FlowRule
	add := func(more []network.FlowRule) {
		for _, a := range own {
			for _, b := range more {
				if f, ok := filters.Both(a, b); ok {
					out = append(out, f)
				}
			}
		}
	}
	for _, x := range n.terms[target] {
		c := *x
		add(n.unfold(&c, append(above, target)))
	}
	if d := n.rests[target]; d.unknown {
		add(filters.Not(nil, d.mark))
	} else if !d.returns {
		add([]network.FlowRule{{Permit: d.permit, Mark: d.mark}})
	}
	return out
}

// state tells what the rule asks of flows.
func (t *term) state() {
	has := func(s string) bool { return slices.Contains(t.states, s) }
	state, some, sure := filters.FlowState(has)
	t.rule.State, t.off = state, t.off || !some
	t.rule.Undecided = t.rule.Undecided || !sure
}

// side reads the addresses and ports of one side of a rule.
func (r *reader) side(t *term, a *filters.Addresses, ports *filters.Services, w []string) {
	if len(w) < 2 {
		return
	}
	last := w[len(w)-1]
	switch {
	case w[0] == "address" && strings.HasPrefix(last, "!"):
		set, ok := filters.Address(last[1:])
		if t.rule.Undecided = t.rule.Undecided || !ok; ok {
			*a = filters.Addresses{}.Without(set, t.family)
		}
	case w[0] == "address" && !strings.HasPrefix(last, "!"):
		r.named(a, []string{last})
	case w[0] == "port" && !strings.HasPrefix(last, "!"):
		p, ok := filters.PortRanges(last, "")
		ports.Some, ports.Unsure = true, ports.Unsure || !ok
		for _, one := range p {
			ports.List = append(ports.List, filters.Service{To: one})
		}
	case w[0] == "group" && len(w) > 2 && !strings.HasPrefix(last, "!") && (strings.HasSuffix(w[1], "address-group") ||
		strings.HasSuffix(w[1], "network-group")):
		if !a.Some {
			*a = filters.NoAddresses
		}
		*a = a.Join(r.groups.Addresses(last))
	case w[0] == "group" && len(w) > 2 && w[1] == "port-group" && r.groups.HasServices(last):
		*ports = ports.Join(r.groups.Services(last))
		ports.Some = true
	case w[0] == "group" && len(w) == 2:
	default:
		t.rule.Undecided = true
	}
}

// groupLeaf reads a member of a group.
func (r *reader) groupLeaf(w []string) {
	kind, name, v := w[0], w[1], w[len(w)-1]
	switch {
	case len(w) < 4 || w[2] == "description":
	case w[2] == "include" && strings.HasSuffix(kind, "port-group"):
		r.groups.AddServiceMember(name, v)
	case w[2] == "include":
		r.groups.AddAddressMember(name, v)
	case strings.HasSuffix(kind, "address-group"), strings.HasSuffix(kind, "network-group"):
		a, ok := filters.Address(v)
		a.Some, a.Unsure = true, !ok
		r.groups.AddAddresses(name, a)
	case kind == "port-group":
		p, ok := filters.PortRanges(v, "")
		s := filters.Services{Some: true, Unsure: !ok}
		for _, one := range p {
			s.List = append(s.List, filters.Service{To: one})
		}
		r.groups.AddServices(name, s)
	}
}

// finishList ends a list: without a word of what becomes of the rest, a list that is applied denies it, and one that
// holds for all permits it.
func (r *reader) finishList(list string, d *rest) {
	hook, whole := network.Forwarded, true
	switch name := strings.TrimSuffix(list, " (IPv6)"); {
	case strings.HasPrefix(name, "forward "):
	case strings.HasPrefix(name, "input "):
		hook = network.ForItself
	case strings.HasPrefix(name, "output "):
		hook = network.FromItself
	default:
		whole = false
	}
	last := network.FlowRule{Permit: d.permit, Mark: d.mark, Family: route.IPv4}
	if strings.HasSuffix(list, " (IPv6)") {
		last.Family = route.IPv6
	}
	if whole && !d.told {
		last.Permit = true
	}
	if d.told || whole {
		last.Undecided = d.unknown || d.returns
		r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: list, FlowRule: last})
	}
	if whole {
		at := network.FlowRule{Family: last.Family, Hook: hook, Stateless: true, Undecided: d.unknown, Mark: d.mark}
		r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: list, Rule: at})
	}
}

// applyNumbered reads "firewall in name LIST" below an interface.
func (r *reader) applyNumbered(ifname string, w []string, lo, hi int) {
	fam := route.IPv4
	if w[1] == "ipv6-name" {
		fam = route.IPv6
	}
	rule := network.FlowRule{Family: fam, Stateless: true, Mark: layout.Mark(lo, hi)}
	switch w[0] {
	case "in":
		rule.In = ifname
	case "out":
		rule.Out = ifname
	default:
		rule.In, rule.Hook = ifname, network.ForItself
	}
	r.Facts.Applied = append(r.Facts.Applied, network.AppliedFilter{List: filterName(w[2], fam), Rule: rule})
}

// byNumber compares the names of rules, which are numbers.
func byNumber(a, b string) int {
	if d := len(a) - len(b); d != 0 {
		return d
	}
	return strings.Compare(a, b)
}
