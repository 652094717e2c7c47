package hierarchy

import (
	"net/netip"
	"slices"
	"strings"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// natTerm is one rule of "nat source rule N …", "nat destination …", "nat static …", or of "service nat rule N …",
// whose kind is a leaf of its own.
type natTerm struct {
	term
	kind    string
	becomes string
	port    string
	exclude bool
	odd     bool
}

// numberedTranslations makes translations of such rules (RFC 3022), destinations first, which routes do not know yet.
func (r *reader) numberedTranslations() {
	var rules layout.Named[natTerm]
	for _, k := range r.kept {
		w := k.words
		if len(w) > 1 && w[0] == "service" && w[1] == "nat" {
			w = append([]string{"nat", ""}, w[2:]...)
		}
		if len(w) < 5 || !strings.HasPrefix(w[0], "nat") || w[2] != "rule" {
			continue
		}
		fam := route.IPv4
		if w[0] != "nat" {
			fam = route.IPv6
		}
		t := rules.At(w[0]+" "+w[1]+" "+w[3], func() *natTerm {
			return &natTerm{term: term{name: w[3], family: fam, mark: k.mark}, kind: w[1], odd: w[0] == "nat64"}
		})
		r.numberedNat(t, w[4:], k.mark)
	}
	slices.SortStableFunc(rules.All, func(a, b *natTerm) int { return byNumber(a.name, b.name) })
	var inward, outward []network.Translation
	for _, t := range rules.All {
		t.services()
		if t.off {
			continue
		}
		in, out := t.translations()
		inward, outward = append(inward, in...), append(outward, out...)
	}
	r.Facts.Policy.Translations = append(append(r.Facts.Policy.Translations, inward...), outward...)
}

// numberedNat reads one part of a rule.
func (r *reader) numberedNat(t *natTerm, w []string, mark route.Mark) {
	last := w[len(w)-1]
	switch {
	case w[0] == "translation" && len(w) == 3 && w[1] == "address", w[0] == "inside-address" && len(w) == 3 &&
		w[1] == "address", w[0] == "outside-address" && len(w) == 3 && w[1] == "address":
		t.becomes, t.mark = last, mark
	case w[0] == "translation" && len(w) == 3 && w[1] == "port", w[0] == "inside-address" && len(w) == 3 && w[1] == "port":
		t.port = last
	case w[0] == "translation" && len(w) > 1 && w[1] == "options", w[0] == "log", w[0] == "packet-type":
	case w[0] == "translation", w[0] == "inside-address", w[0] == "outside-address", w[0] == "load-balance":
		t.odd = true
	case w[0] == "type" && len(w) == 2:
		if t.kind = last; last == "masquerade" {
			t.kind, t.becomes, t.mark = "source", last, mark
		}
	case w[0] == "exclude":
		t.exclude = true
	case (w[0] == "inbound-interface" || w[0] == "outbound-interface") && last == "any":
	default:
		r.numberedRule(&t.term, w)
	}
}

// translations are those of one rule: of destinations, and of sources.
func (t *natTerm) translations() (in, out []network.Translation) {
	base := network.Translation{Family: t.family, Mark: t.mark, Keep: t.exclude, Undecided: t.odd}
	a, err := netip.ParseAddr(t.becomes)
	if base.Becomes = a; !t.exclude && err != nil && !(t.kind == "source" && t.becomes == "masquerade") {
		base.Undecided = true
	}
	if t.port != "" {
		p, ok := filters.Port(t.port, "")
		if base.BecomesPort = p; !ok || t.kind == "source" {
			base.BecomesPort, base.Undecided = 0, base.Undecided || t.kind != "source"
		}
	}
	for _, f := range t.rule.Unfold(nil, t.mark) {
		x := base
		x.Protocol, x.From, x.To, x.ToPorts = f.Protocol, f.From, f.To, f.ToPorts
		x.In, x.Out, x.Undecided = f.In, f.Out, base.Undecided || f.Undecided || !f.FromPorts.Any() || f.Type != 0
		switch t.kind {
		case "source":
			out = append(out, x)
		case "destination":
			x.Destination = true
			in = append(in, x)
		case "static": // one address for another, both ways
			back := x
			back.From, back.To, back.In, back.Out, back.ToPorts = netip.Prefix{}, netip.Prefix{}, "", f.In, network.Ports{}
			if back.Becomes = f.To.Addr(); !f.To.IsValid() || !f.To.IsSingleIP() || err != nil {
				x.Undecided, back.Undecided = true, true
			} else {
				back.From = netip.PrefixFrom(a, a.BitLen())
			}
			x.Destination = true
			in, out = append(in, x), append(out, back)
		default:
			x.Undecided = true
			back := x
			x.Destination = true
			in, out = append(in, x), append(out, back)
		}
	}
	return in, out
}
