package hierarchy

import (
	"net/netip"
	"slices"
	"strings"

	"go4.org/netipx"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// ruleSet is rules of one kind of translation ("source", "destination", "static") between two sides.
type ruleSet struct {
	kind     string
	from, to side
	rules    []*natRule
	byName   map[string]*natRule
}

// side is where packets come in or leave: interfaces or zones; neither: anywhere.
type side struct {
	interfaces, zones []string
	other             bool // told in another way
}

// natRule is one rule while its leaves are gathered.
type natRule struct {
	term
	then []string
}

// pool is addresses that packets get.
type pool struct {
	addresses []string
	port      string
	more      bool // something of it is not understood
}

// translations makes rules of "security nat …": static ones come first, both ways, then those of destinations, then of
// sources (RFC 3022). What is not understood of a rule makes it one that may fit.
func (r *reader) translations(z *zones) {
	pools := map[string]*pool{}
	defer r.proxies(len(r.Facts.Policy.Translations))
	var sets []*ruleSet
	byKey := map[string]*ruleSet{}
	for _, k := range r.kept {
		w := k.words
		if len(w) < 5 || w[0] != "security" || w[1] != "nat" {
			continue
		}
		switch key := strings.Join(w[2:min(5, len(w))], " "); w[3] {
		case "pool":
			if pools[w[2]+" "+w[4]] == nil {
				pools[w[2]+" "+w[4]] = &pool{}
			}
			pools[w[2]+" "+w[4]].leaf(w[5:])
		case "rule-set":
			s := byKey[key]
			if s == nil {
				s = &ruleSet{kind: w[2], byName: map[string]*natRule{}}
				byKey[key], sets = s, append(sets, s)
			}
			r.setLeaf(s, w[5:], k.mark)
		}
	}
	slices.SortStableFunc(sets, func(a, b *ruleSet) int { return a.order() - b.order() })
	for _, s := range sets {
		r.translationsOf(s, z, pools)
	}
}

// proxies marks the translations, from first on, whose outer address the device answers for on its link: "proxy-arp
// interface I address P [to P]".
func (r *reader) proxies(first int) {
	var b netipx.IPSetBuilder
	for _, k := range r.kept {
		w := k.words
		if len(w) < 7 || w[0] != "security" || w[1] != "nat" || w[2] != "proxy-arp" && w[2] != "proxy-ndp" ||
			w[3] != "interface" || w[5] != "address" {
			continue
		}
		p, err := layout.Prefix([]byte(w[6]), true)
		if err != nil {
			continue
		}
		if len(w) > 8 && w[7] == "to" {
			q, err := layout.Prefix([]byte(w[8]), true)
			if err == nil {
				b.AddRange(netipx.IPRangeFrom(p.Addr(), q.Addr()))
			}
			continue
		}
		b.AddPrefix(p)
	}
	answered, err := b.IPSet()
	if err != nil { // of ranges that end before they begin
		return
	}
	for i := range r.Facts.Policy.Translations[first:] {
		x := &r.Facts.Policy.Translations[first+i]
		a := x.Becomes
		if x.Destination {
			a = x.To.Addr()
		}
		x.OnLink = answered.Contains(a)
	}
}

// order is the one in which rule sets are asked: by kind, then the closer told sides first.
func (s *ruleSet) order() int {
	n := map[string]int{"static": 0, "destination": 100, "source": 200}[s.kind]
	for _, x := range []side{s.from, s.to} {
		switch n *= 3; {
		case len(x.interfaces) > 0:
		case len(x.zones) > 0:
			n++
		default:
			n += 2
		}
	}
	return n
}

// leaf takes one statement of a pool of addresses; what leads packets elsewhere, or into another pool, is noted as more
// than is told.
func (p *pool) leaf(w []string) {
	v := values(w, 1)
	switch {
	case len(w) == 0:
	case w[0] == "address" && len(v) > 1 && v[0] == "port":
		p.port = v[1]
	case w[0] == "address" && len(v) == 3 && v[1] == "port":
		p.addresses, p.port = append(p.addresses, v[0]), v[2]
	case w[0] == "address" && len(v) == 3 && v[1] == "to" && v[0] != v[2]:
		p.addresses = append(p.addresses, v[0], v[2])
	case w[0] == "address":
		p.addresses = append(p.addresses, v[:min(1, len(v))]...)
	case w[0] == "host-address-base", w[0] == "routing-instance", w[0] == "overflow-pool":
		p.more = true
	}
}

// one returns the address that all packets get; false where it is one of several.
func (p *pool) one() (netip.Addr, bool) {
	if p == nil || p.more || len(p.addresses) != 1 {
		return netip.Addr{}, false
	}
	q, err := layout.Prefix([]byte(p.addresses[0]), true)
	return q.Addr(), err == nil && q.IsSingleIP()
}

// setLeaf reads what stands below the name of a rule set.
func (r *reader) setLeaf(s *ruleSet, w []string, mark route.Mark) {
	switch {
	case len(w) > 1 && (w[0] == "from" || w[0] == "to"):
		x := &s.from
		if w[0] == "to" {
			x = &s.to
		}
		switch v := values(w, 2); w[1] {
		case "interface":
			x.interfaces = added(x.interfaces, v)
		case "zone":
			x.zones = added(x.zones, v)
		default:
			x.other = true
		}
	case len(w) > 1 && w[0] == "rule":
		t := s.byName[w[1]]
		if t == nil {
			t = &natRule{term: term{name: w[1], mark: mark}}
			s.byName[w[1]], s.rules = t, append(s.rules, t)
		}
		r.natLeaf(t, w[2:])
	}
}

// added appends names that are not there yet: a configuration may be shown twice.
func added(all, more []string) []string {
	for _, s := range more {
		if !slices.Contains(all, s) {
			all = append(all, s)
		}
	}
	return all
}

// natLeaf reads what a rule matches and does.
func (r *reader) natLeaf(t *natRule, w []string) {
	switch {
	case len(w) > 2 && w[0] == "then":
		if len(w) > len(t.then)+1 {
			t.then = w[1:]
		}
	case len(w) < 3 || w[0] != "match":
	case w[1] == "source-address", w[1] == "destination-address", w[1] == "protocol":
		r.condition(&t.term, w[1], values(w, 2))
	case w[1] == "destination-port", w[1] == "source-port":
		v := values(w, 2)
		if len(v) == 3 && v[1] == "to" {
			v = []string{v[0] + "-" + v[2]}
		}
		r.condition(&t.term, w[1], v)
	case w[1] == "source-address-name":
		r.named(&t.rule.From, values(w, 2))
	case w[1] == "destination-address-name":
		r.named(&t.rule.To, values(w, 2))
	case w[1] == "application":
		if !t.rule.Services.Some {
			t.rule.Services = filters.NoServices
		}
		for _, x := range values(w, 2) {
			t.rule.Services = t.rule.Services.Join(r.groups.Services(x))
		}
	default:
		t.rule.Undecided = true
	}
}

// interfacesOf are the interfaces of a side; false where they are not told.
func (z *zones) interfacesOf(x side) ([]string, bool) {
	out := slices.Clone(x.interfaces)
	for _, name := range x.zones {
		if len(z.members[name]) == 0 {
			return nil, false
		}
		out = append(out, z.members[name]...)
	}
	return out, !x.other
}

// translationsOf adds the rules of a set in their order.
func (r *reader) translationsOf(s *ruleSet, z *zones, pools map[string]*pool) {
	in, okIn := z.interfacesOf(s.from)
	out, okOut := z.interfacesOf(s.to)
	okIn, okOut = okIn && len(in) > 0, okOut && (len(out) > 0 || s.kind != "source") // each set has to name them
	for _, t := range s.rules {
		if !t.rule.Services.Some {
			t.services()
		}
		t.rule.In, t.rule.Out = in, out
		t.rule.Undecided = t.rule.Undecided || !okIn || !okOut || t.notFrom.Some || t.notTo.Some ||
			len(t.notFrom.Prefixes)+len(t.notTo.Prefixes) > 0 || len(r.Facts.Policy.Translations) > filters.MostTotal
		base := network.Translation{Destination: s.kind != "source"}
		to := pools[s.kind+" "+strings.Join(t.then[min(2, len(t.then)):], " ")]
		switch {
		case len(t.then) == 2 && t.then[1] == "off":
			base.Keep = true
		case s.kind == "source" && len(t.then) == 2 && t.then[1] == "interface":
		case s.kind == "static":
			r.mapped(t, in, okIn)
			continue
		case len(t.then) == 3 && t.then[1] == "pool" && to != nil:
			var ok bool
			if base.Becomes, ok = to.one(); !ok {
				t.rule.Undecided = true
			}
			if to.port != "" {
				p, okPort := filters.Port(to.port, "tcp")
				base.BecomesPort = p
				t.rule.Undecided = t.rule.Undecided || !okPort
			}
		default:
			t.rule.Undecided = true
		}
		flows := t.rule.Unfold(nil, t.mark)
		if len(r.Facts.Policy.Translations) > filters.MostTotal {
			flows = []network.FlowRule{{Undecided: true, Mark: t.mark}}
		}
		for _, f := range flows {
			x := base
			x.Protocol, x.From, x.To, x.ToPorts, x.In, x.Out = f.Protocol, f.From, f.To, f.ToPorts, f.In, f.Out
			x.Undecided, x.Mark = f.Undecided || !f.FromPorts.Any() || f.Type != 0, f.Mark
			r.Facts.Policy.Translations = append(r.Facts.Policy.Translations, x)
		}
	}
}

// mapped adds both directions of a static rule: "static-nat prefix P", for what comes in by its side and what leaves by
// it.
func (r *reader) mapped(t *natRule, sides []string, ok bool) {
	var inner netip.Prefix
	if len(t.then) == 3 && t.then[1] == "prefix" {
		p, err := layout.Prefix([]byte(t.then[2]), true)
		inner, ok = p, ok && err == nil
	} else {
		ok = false
	}
	outer := t.rule.To.Prefixes
	size := 0
	if len(outer) == 1 {
		size = outer[0].Addr().BitLen() - outer[0].Bits()
	}
	if !ok || len(outer) != 1 || outer[0].Bits() != inner.Bits() || outer[0].Addr().BitLen() != inner.Addr().BitLen() ||
		1<<min(size, 30) > filters.MostMapped || t.rule.Undecided || t.rule.Services.Some || t.rule.From.Some {
		for _, destination := range []bool{true, false} {
			r.Facts.Policy.Translations = append(r.Facts.Policy.Translations,
				network.Translation{Destination: destination, Undecided: true, Mark: t.mark})
		}
		return
	}
	a, b := outer[0].Addr(), inner.Masked().Addr()
	for range 1 << size {
		for _, ifname := range sides {
			r.Facts.Policy.Translations = append(r.Facts.Policy.Translations,
				network.Translation{Destination: true, To: netip.PrefixFrom(a, a.BitLen()), In: ifname, Becomes: b,
					Mark: t.mark},
				network.Translation{From: netip.PrefixFrom(b, b.BitLen()), Out: ifname, Becomes: a, Mark: t.mark})
		}
		a, b = a.Next(), b.Next()
	}
}
