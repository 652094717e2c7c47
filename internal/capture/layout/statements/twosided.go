package statements

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// twoSided is what a configuration says of translations between a pair of interfaces: "nat (IN,OUT) static ADDRESS"
// below an object, which is what becomes the address, and "nat (IN,OUT) source static REAL MAPPED [destination …]".
type twoSided struct{ rules []twoSidedRule }

type twoSidedRule struct {
	in, out string   // "": any
	object  string   // in whose block the line stands, "" for none
	words   []string // behind the pair
	mark    route.Mark
}

// line takes such a line; false for any other.
func (t *twoSided) line(w []string, object string, mark route.Mark) bool {
	if w[0] != "nat" || len(w) < 4 || translates(w[1]) == nil {
		return false
	}
	pair := translates(w[1])
	for i := range pair {
		if pair[i] = strings.TrimSpace(pair[i]); pair[i] == "any" {
			pair[i] = ""
		}
	}
	if !slices.Contains(w, "inactive") {
		t.rules = append(t.rules, twoSidedRule{pair[0], pair[1], object, w[2:], mark})
	}
	return true
}

// order is the section that a rule is asked in: those by themselves, then those of objects, fixed ones first and the
// smaller ones before the larger, then those that are to come last.
func (x *twoSidedRule) order(l *lists) int {
	switch {
	case x.object == "" && slices.Contains(x.words, "after-auto"):
		return 200
	case x.object == "":
		return 0
	case x.words[0] == "static":
		return 10 + 128 - bitsOf(l.groups.Addresses(x.object))
	}
	return 150
}

// bitsOf is the length of the one prefix of a set, 0 of any other.
func bitsOf(a filters.Addresses) int {
	if len(a.Prefixes) != 1 || a.Unsure {
		return 0
	}
	return a.Prefixes[0].Bits()
}

// finish makes translations of the rules, in the order in which they are asked.
func (t *twoSided) finish(r *reader) {
	slices.SortStableFunc(t.rules, func(a, b twoSidedRule) int { return a.order(&r.lists) - b.order(&r.lists) })
	var inward, outward []network.Translation
	for i := range t.rules {
		x := &t.rules[i]
		in, out := x.read(r)
		for _, y := range in {
			y.Destination, y.In, y.Mark = true, x.out, x.mark
			inward = append(inward, y)
		}
		for _, y := range out {
			y.In, y.Out, y.Mark, y.Answers = x.in, x.out, x.mark, true
			outward = append(outward, y)
		}
	}
	r.Facts.Policy.Translations = append(append(r.Facts.Policy.Translations, inward...), outward...)
}

// read makes the translations of one rule: of destinations, for what comes in by its second interface, and of sources,
// for what leaves by that.
func (x *twoSidedRule) read(r *reader) (in, out []network.Translation) {
	w := x.words
	onLink := !slices.Contains(w, "no-proxy-arp")
	w = slices.DeleteFunc(slices.Clone(w), func(s string) bool {
		return slices.Contains([]string{"no-proxy-arp", "route-lookup", "after-auto", "dns", "unidirectional"}, s)
	})
	if i := slices.Index(w, "description"); i >= 0 {
		w = w[:i]
	}
	oneWay := slices.Contains(x.words, "unidirectional")
	if len(w) > 1 && isNumber(w[0]) {
		w = w[1:]
	}
	unsure := network.Translation{Undecided: true}
	if x.object != "" && len(w) > 0 {
		w = append([]string{"source", w[0], x.object}, w[1:]...)
	}
	if len(w) < 4 || w[0] != "source" || w[1] != "static" && w[1] != "dynamic" {
		return []network.Translation{unsure}, []network.Translation{unsure}
	}
	real, mapped := x.named(r, w[2]), w[3]
	fixed, rest := w[1] == "static", w[4:]
	base := network.Translation{OnLink: onLink}
	if len(rest) == 4 && rest[0] == "destination" && rest[1] == "static" && rest[2] == rest[3] {
		base.To, rest = onlyPrefix(x.named(r, rest[2])), nil
		base.Undecided = !base.To.IsValid()
	}
	service := ""
	if x.object != "" && len(rest) == 4 && rest[0] == "service" {
		service, rest = strings.Join(rest[1:], " "), nil
	}
	base.Undecided = base.Undecided || len(rest) > 0 || len(real.Prefixes) == 0 && real.Some
	switch {
	case fixed && mapped == w[2] && service == "": // left as it is
		return nil, keeps(real, base)
	case fixed && mapped == "interface":
		own, err := r.ownAddress(x.out)
		base.OnLink, base.Undecided = false, base.Undecided || err != nil
		in, out = fixedPair(real, filters.Prefix(hostPrefix(own)), base)
	case fixed:
		in, out = fixedPair(real, x.named(r, mapped), base)
	default:
		return nil, dynamic(real, x.named(r, mapped), mapped, base)
	}
	if service != "" {
		return ported(in, out, strings.Fields(service))
	}
	if oneWay {
		in = nil
	}
	return in, out
}

// named is the set that an object, a group or an address stands for.
func (x *twoSidedRule) named(r *reader, s string) filters.Addresses {
	if a, err := netip.ParseAddr(s); err == nil {
		return filters.Prefix(hostPrefix(a))
	}
	return r.lists.groups.AddressNamed(s)
}

// hostPrefix is the prefix of one address, invalid where that is.
func hostPrefix(a netip.Addr) netip.Prefix { return netip.PrefixFrom(a, a.BitLen()) }

// onlyPrefix is the only prefix of a set, invalid for any other set.
func onlyPrefix(a filters.Addresses) netip.Prefix {
	if len(a.Prefixes) != 1 || a.Unsure {
		return netip.Prefix{}
	}
	return a.Prefixes[0]
}

// keeps leaves what comes from a set as it is.
func keeps(from filters.Addresses, base network.Translation) []network.Translation {
	base.Keep = true
	return fromEach(from, base)
}

// fromEach is a translation of each prefix of a set.
func fromEach(from filters.Addresses, base network.Translation) (out []network.Translation) {
	prefixes := from.Prefixes
	if len(prefixes) == 0 { // any
		prefixes = []netip.Prefix{{}}
	}
	for _, p := range prefixes {
		t := base
		t.From, t.Undecided = p, base.Undecided || from.Unsure
		out = append(out, t)
	}
	return out
}

// dynamic gives what comes from a set the address of the interface, or the only one of another set.
func dynamic(from, to filters.Addresses, mapped string, base network.Translation) []network.Translation {
	switch p := onlyPrefix(to); {
	case mapped == "interface":
		base.OnLink = false
	case p.IsValid() && p.IsSingleIP():
		base.Becomes = p.Addr()
	default: // which one of several is not told
		base.Undecided = true
	}
	return fromEach(from, base)
}

// fixedPair maps each address of a network onto the one in the same place of another, both ways.
func fixedPair(from, to filters.Addresses, base network.Translation) (in, out []network.Translation) {
	p, q := onlyPrefix(from), onlyPrefix(to)
	if !p.IsValid() || !q.IsValid() || p.Bits() != q.Bits() || 1<<min(62, p.Addr().BitLen()-p.Bits()) > filters.MostMapped {
		base.Undecided = true
		t, u := base, base
		t.From, u.To = p, q
		return []network.Translation{u}, []network.Translation{t}
	}
	for a, b := p.Masked().Addr(), q.Masked().Addr(); p.Contains(a); a, b = a.Next(), b.Next() {
		t, u := base, base
		t.From, t.Becomes = hostPrefix(a), b
		u.From, u.To, u.Becomes = base.To, hostPrefix(b), a
		in, out = append(in, u), append(out, t)
	}
	return in, out
}

// ported narrows translations to one service: "tcp REAL-PORT MAPPED-PORT".
func ported(in, out []network.Translation, w []string) (inward, outward []network.Translation) {
	inner, okA := filters.Port(w[1], w[0])
	outer, okB := filters.Port(w[2], w[0])
	unsure := !okA || !okB || !filters.HasPorts(w[0])
	for i := range in {
		in[i].Protocol, in[i].ToPorts, in[i].BecomesPort = w[0], network.Ports{Lo: outer, Hi: outer}, inner
		in[i].Undecided = in[i].Undecided || unsure
	}
	for i := range out {
		out[i].Protocol, out[i].FromPorts = w[0], network.Ports{Lo: inner, Hi: inner}
		out[i].Undecided = out[i].Undecided || unsure
	}
	return in, out
}
