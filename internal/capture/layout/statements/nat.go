package statements

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// nat is what a configuration says of translations between interfaces that it calls inside and outside.
type nat struct {
	inside, outside []string
	marks           []route.Mark // of the lines that name an outside interface
	pools           map[string][2]string
	rules           []natRule
	unknown         bool // something of it is not understood
}

type natRule struct {
	words []string // behind "ip nat inside source"
	mark  route.Mark
}

// side reads "ip nat inside" and "ip nat outside" below an interface.
func (n *nat) side(w []string, ifname string, mark route.Mark) bool {
	switch strings.Join(w, " ") {
	case "ip nat inside":
		n.inside = append(n.inside, ifname)
	case "ip nat outside":
		n.outside, n.marks = append(n.outside, ifname), append(n.marks, mark)
	default:
		return false
	}
	return true
}

// line reads a statement on translations that stands by itself.
func (n *nat) line(w []string, mark route.Mark) bool {
	if len(w) < 4 || w[0] != "ip" || w[1] != "nat" {
		return false
	}
	switch {
	case w[2] == "pool" && len(w) > 5:
		if n.pools == nil {
			n.pools = map[string][2]string{}
		}
		n.pools[w[3]] = [2]string{w[4], w[5]}
	case w[2] == "inside" && w[3] == "source" && len(w) > 5:
		n.rules = append(n.rules, natRule{w[4:], mark})
	case w[2] == "translation", w[2] == "service", w[2] == "log":
		return false
	default:
		n.unknown = true
	}
	return true
}

// finish makes translations of the rules: one address for another first, then those by list.
func (n *nat) finish(r *reader) {
	if len(n.outside) == 0 {
		return
	}
	if len(n.rules) == 0 || n.unknown || len(n.inside) == 0 { // what is translated is not told
		for i, ifname := range n.outside {
			r.RestrictForwarded(network.FlowRule{Out: ifname}, int(n.marks[i].Off), int(n.marks[i].End))
			r.Restrict(network.FlowRule{In: ifname}, int(n.marks[i].Off), int(n.marks[i].End))
		}
		return
	}
	var fixed, listed []network.Translation
	for _, x := range n.rules {
		if x.words[0] == "static" {
			fixed = append(fixed, n.fixed(r, x)...)
		} else {
			listed = append(listed, n.listed(r, x)...)
		}
	}
	for _, t := range append(fixed, listed...) {
		t.Answers, t.Family = true, route.IPv4
		for _, out := range n.outside {
			if t.Destination {
				t.In = out
				r.Facts.Policy.Translations = append(r.Facts.Policy.Translations, t)
				continue
			}
			for _, in := range n.inside {
				t.In, t.Out = in, out
				r.Facts.Policy.Translations = append(r.Facts.Policy.Translations, t)
			}
		}
	}
}

// fixed reads "static A B" and "static tcp A PORT B PORT": both ways.
func (n *nat) fixed(r *reader, x natRule) []network.Translation {
	w := x.words[1:]
	t := network.Translation{Mark: x.mark}
	back := network.Translation{Mark: x.mark, Destination: true}
	var words []string
	ported := len(w) > 4 && (w[0] == "tcp" || w[0] == "udp")
	own := ported && w[3] == "interface" && len(w) > 5
	if own { // "interface IF" in place of its address
		w = slices.Clone(w)
		if len(w) > 6 && isNumber(w[6]) { // the number of the interface stands apart
			w[4] += " " + w[5]
			w = slices.Delete(w, 5, 6)
		}
		a, err := r.ownAddress(w[4])
		w = slices.Delete(w, 3, 4)
		if w[3] = a.String(); err != nil {
			return []network.Translation{{Undecided: true, Destination: true, Protocol: w[0], Mark: x.mark}}
		}
	}
	if ported {
		words = []string{w[1], w[3]}
		t.Protocol, back.Protocol = w[0], w[0]
		from, okFrom := filters.Port(w[2], w[0])
		to, okTo := filters.Port(w[4], w[0])
		back.ToPorts, back.BecomesPort = network.Ports{Lo: to, Hi: to}, from
		back.Undecided = !okFrom || !okTo
		w = w[min(5, len(w)):]
	} else if len(w) > 1 {
		words, w = w[:2], w[2:]
	}
	if len(words) != 2 {
		return []network.Translation{{Undecided: true, Mark: x.mark},
			{Undecided: true, Destination: true, Mark: x.mark}}
	}
	a, errA := netip.ParseAddr(words[0])
	b, errB := netip.ParseAddr(words[1])
	more := slices.DeleteFunc(slices.Clone(w), func(s string) bool {
		return s == "extendable" || s == "no-alias" ||
			s == "no-payload"
	})
	if errA != nil || errB != nil || len(more) > 0 {
		return []network.Translation{{Undecided: true, Mark: x.mark},
			{Undecided: true, Destination: true, Mark: x.mark}}
	}
	t.From, t.Becomes = netip.PrefixFrom(a, a.BitLen()), b
	back.To, back.Becomes = netip.PrefixFrom(b, b.BitLen()), a
	onLink := !slices.Contains(w, "no-alias")
	t.OnLink, back.OnLink = onLink, onLink && !own
	if ported { // what answers a packet that came for the port itself gets its outer address too
		t.FromPorts, t.Undecided = network.Ports{Lo: back.BecomesPort, Hi: back.BecomesPort}, back.Undecided
	}
	return []network.Translation{t, back}
}

// listed reads "list L interface IF overload" and "list L pool P [overload]".
func (n *nat) listed(r *reader, x natRule) []network.Translation {
	w := x.words
	unsure := []network.Translation{{Undecided: true, Mark: x.mark}}
	if w[0] != "list" && w[0] != "route-map" || len(w) < 4 {
		return unsure
	}
	base := network.Translation{Mark: x.mark}
	switch w[2] {
	case "interface":
		if !slices.Contains(n.outside, ifName(w[3:])) {
			base.Undecided = true
		}
	case "pool":
		p := n.pools[w[3]]
		a, err := netip.ParseAddr(p[0])
		base.Becomes, base.OnLink = a, err == nil
		base.Undecided = err != nil || p[0] != p[1] // which one of several is not told
	default:
		return unsure
	}
	if w[0] == "list" {
		return byList(r, w[1], base)
	}
	return byClauses(r, r.detours.maps[w[1]], base)
}

// byClauses makes translations like base of what the lists of numbered clauses permit. One that asks for anything else
// is not understood.
func byClauses(r *reader, clauses []*clause, base network.Translation) (out []network.Translation) {
	unsure := []network.Translation{{Undecided: true, Mark: base.Mark}}
	for i, c := range clauses {
		if c.odd || len(c.lists) != 1 {
			return unsure
		}
		for _, t := range byList(r, c.lists[0], base) {
			switch {
			case t.Keep: // a further clause may fit it
				t.Undecided = t.Undecided || i < len(clauses)-1
			case c.deny:
				t.Keep = true
			}
			out = append(out, t)
		}
	}
	if out == nil {
		return unsure
	}
	return out
}

// byList makes translations like base of what a list permits; what it denies is left as it is.
func byList(r *reader, list string, base network.Translation) (out []network.Translation) {
	for _, rule := range r.byList[list] {
		if rule.Family == route.IPv6 {
			continue
		}
		t := base
		t.Protocol, t.From, t.To, t.ToPorts, t.Keep = rule.Protocol, rule.From, rule.To, rule.ToPorts, !rule.Permit
		t.Undecided = t.Undecided || rule.Undecided || !rule.FromPorts.Any() || rule.Type != 0 ||
			rule.State != network.AnyState
		out = append(out, t)
	}
	if out == nil {
		return []network.Translation{{Undecided: true, Mark: base.Mark}}
	}
	return out
}
