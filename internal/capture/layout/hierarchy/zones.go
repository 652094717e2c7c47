package hierarchy

import (
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// between is the name of the list of policies between zones.
const between = "policies between zones"

// zones is what a tree says of zones and of the policies between them.
type zones struct {
	members   map[string][]string // interfaces, by zone
	ports     []zonePort
	open      map[string]bool // zones in which all that is for the device itself is let in
	terms     []*zoneTerm
	byKey     map[string]*zoneTerm
	permit    bool            // what fits no policy
	rest      route.Mark      // the line that tells of that
	perPacket route.Mark      // the line that lets the device forward packets without looking at flows
	told      map[string]bool // zones that anything is said of; that of the device itself, "…-host", is told of nowhere
}

type zonePort struct {
	name, zone string
	mark       route.Mark
}

// zoneTerm is a policy between two zones, "" for all.
type zoneTerm struct {
	term
	from, to []string // zones
	global   bool
}

// zonePolicies makes translations, and rules of "security policies from-zone A to-zone B policy P match … then …", and
// of those for all zones.
func (r *reader) zonePolicies() {
	z := &zones{members: map[string][]string{}, open: map[string]bool{}, byKey: map[string]*zoneTerm{},
		told: map[string]bool{}}
	for _, k := range r.kept {
		if w := k.words; len(w) > 3 && w[0] == "security" {
			r.zoneLeaf(z, w[1:], k.mark)
		}
	}
	r.translations(z)
	if len(z.ports)*len(z.ports) > filters.MostTotal { // more pairs than any device has rules for
		r.restrictAt(network.FlowRule{}, z.ports[0].mark)
		return
	}
	if len(z.ports) == 0 {
		if len(z.terms) > 0 {
			r.restrictAt(network.FlowRule{}, z.terms[0].mark)
		} else if z.rest.Known() && !z.permit {
			r.restrictAt(network.FlowRule{}, z.rest)
		}
		return
	}
	slices.SortStableFunc(z.terms, func(a, b *zoneTerm) int {
		switch {
		case a.global == b.global:
			return 0
		case b.global:
			return -1
		}
		return 1
	})
	if z.perPacket.Known() { // the policies may be asked about nothing
		r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: between,
			FlowRule: network.FlowRule{Permit: true, Undecided: true, Mark: z.perPacket}})
	}
	for _, t := range z.terms {
		r.zoneTerm(z, t)
	}
	for _, p := range z.ports {
		for _, q := range z.ports {
			rule := network.FlowRule{In: p.name, Out: q.name, Permit: z.permit, Mark: p.mark}
			r.Facts.ListRules = append(r.Facts.ListRules, network.ListRule{List: between, FlowRule: rule})
		}
		if !z.open[p.zone] {
			r.restrictAt(network.FlowRule{In: p.name, Hook: network.ForItself}, p.mark)
		}
	}
	// What comes in or leaves by an interface of no zone is another matter.
	r.Facts.Applied = append(r.Facts.Applied,
		network.AppliedFilter{List: between, Rule: network.FlowRule{Undecided: true, Mark: z.ports[0].mark}})
	r.Facts.Policy.Stateful = z.ports[0].mark
}

// zoneTerm adds the rules of one policy for the interfaces of its zones.
func (r *reader) zoneTerm(z *zones, t *zoneTerm) {
	if t.off {
		return
	}
	interfaces := func(names []string) (out []string) {
		for _, n := range names {
			if n == "any" {
				return nil
			}
			if !z.told[n] && !strings.HasSuffix(n, "-host") {
				t.unknown = true
				return nil
			}
			out = append(out, z.members[n]...)
			if len(z.members[n]) == 0 {
				out = append(out, "no interface of "+n)
			}
		}
		return out
	}
	t.rule.In, t.rule.Out = interfaces(t.from), interfaces(t.to)
	if !t.ends {
		t.unknown = true
	}
	if t.unknown {
		not := t.rule
		not.Undecided = true
		for _, permit := range []bool{true, false} {
			not.Permit = permit
			r.addRules(&t.term, not.Unfold(nil, t.mark))
		}
		return
	}
	r.addRules(&t.term, t.rule.Unfold(nil, t.mark))
}

// zoneLeaf reads one leaf below "security".
func (r *reader) zoneLeaf(z *zones, w []string, mark route.Mark) {
	if w[0] == "zones" && w[1] == "security-zone" {
		z.told[w[2]] = true
	}
	switch {
	case w[0] == "zones" && w[1] == "security-zone" && len(w) > 4 && w[3] == "interfaces":
		if !slices.Contains(z.members[w[2]], w[4]) {
			z.members[w[2]] = append(z.members[w[2]], w[4])
			z.ports = append(z.ports, zonePort{w[4], w[2], mark})
		}
	case w[0] == "zones" && len(w) > 4 && w[3] == "host-inbound-traffic" &&
		strings.HasSuffix(strings.Join(w, " "), "system-services all"):
		z.open[w[2]] = true
	case w[0] == "zones" && len(w) > 5 && w[3] == "address-book":
		r.addressBook(w[4:])
	case w[0] == "address-book" && len(w) > 3:
		r.addressBook(w[2:])
	case w[0] == "forwarding-options" && w[1] == "family" && w[len(w)-1] == "packet-based" && w[2] != "inet6":
		z.perPacket = mark
	case w[0] == "policies" && w[1] == "default-policy":
		z.permit, z.rest = strings.HasPrefix(w[2], "permit"), mark
	case w[0] == "policies" && w[1] == "from-zone" && len(w) > 7 && w[3] == "to-zone" && w[5] == "policy":
		r.policyLeaf(z.policy(w[1:7], []string{w[2]}, []string{w[4]}, false, mark), w[7:])
	case w[0] == "policies" && w[1] == "global" && len(w) > 4 && w[2] == "policy":
		r.policyLeaf(z.policy(w[1:4], nil, nil, true, mark), w[4:])
	}
}

func (z *zones) policy(key, from, to []string, global bool, mark route.Mark) *zoneTerm {
	k := strings.Join(key, " ")
	t := z.byKey[k]
	if t == nil {
		t = &zoneTerm{term: term{list: between, mark: mark}, from: from, to: to, global: global}
		z.byKey[k], z.terms = t, append(z.terms, t)
	}
	return t
}

// permitsMore are words behind "permit" that ask for what is inside of packets, or for nothing.
var permitsMore = []string{"application-services", "services-offload", "tcp-options"}

// policyLeaf reads what a policy matches and does.
func (r *reader) policyLeaf(t *zoneTerm, w []string) {
	if len(w) < 2 {
		return
	}
	v := values(w, 2)
	switch {
	case w[0] == "then" && w[1] == "permit":
		t.rule.Permit, t.ends = true, true
		t.rule.Undecided = t.rule.Undecided || len(v) > 0 && !slices.Contains(permitsMore, v[0])
	case w[0] == "then" && w[1] == "deny":
		t.ends = true
	case w[0] == "then" && w[1] == "reject":
		t.rule.Refuse, t.ends = true, true
	case w[0] == "then" && (w[1] == "log" || w[1] == "count"):
	case w[0] == "match" && len(v) == 0 && !strings.HasSuffix(w[1], "-excluded"):
	case w[0] == "match" && w[1] == "source-address":
		r.named(&t.rule.From, v)
	case w[0] == "match" && w[1] == "destination-address":
		r.named(&t.rule.To, v)
	case w[0] == "match" && w[1] == "from-zone":
		t.from = append(t.from, v...)
	case w[0] == "match" && w[1] == "to-zone":
		t.to = append(t.to, v...)
	case w[0] == "match" && w[1] == "application":
		if !t.rule.Services.Some {
			t.rule.Services = filters.NoServices
		}
		for _, x := range v {
			t.rule.Services = t.rule.Services.Join(r.groups.Services(x))
		}
	case w[0] == "match" && slices.Contains(v, "any"):
	default:
		t.rule.Undecided = true
	}
}

// named joins addresses by their names.
func (r *reader) named(to *filters.Addresses, names []string) {
	if !to.Some && !to.Unsure {
		*to = filters.NoAddresses
	}
	for _, x := range names {
		*to = to.Join(r.groups.AddressNamed(x))
	}
}

// addressBook reads "address NAME P" and "address-set NAME address MEMBER".
func (r *reader) addressBook(w []string) {
	switch {
	case w[0] == "address" && len(w) == 3:
		if a, ok := filters.Address(w[2]); ok {
			r.groups.AddAddresses(w[1], a)
			return
		}
		r.groups.AddAddresses(w[1], filters.Addresses{Some: true, Unsure: true})
	case w[0] == "address" && len(w) == 6 && w[2] == "range-address" && w[4] == "to":
		a, ok := filters.Range(w[3], w[5])
		if !ok {
			a.Unsure = true
		}
		r.groups.AddAddresses(w[1], a)
	case w[0] == "address" && len(w) > 3 && w[2] != "description" && w[2] != "range-address":
		r.groups.AddAddresses(w[1], filters.Addresses{Some: true, Unsure: true})
	case w[0] == "address-set" && len(w) > 3 && (w[2] == "address" || w[2] == "address-set"):
		for _, m := range values(w, 3) {
			r.groups.AddAddressMember(w[1], m)
		}
	}
}
