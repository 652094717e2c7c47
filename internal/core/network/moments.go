package network

import (
	"net/netip"
	"slices"

	"zarvek/internal/core/route"
)

// stretch is where in the captures one table was printed once.
type stretch struct {
	file, off, end uint32
	layout         string // "" where several were printed there
	unread         []UnreadRow
	first          route.Mark // of its first row
}

// shows reports whether all routes are there that the table had for a prefix, as far as the printing tells.
func (s *stretch) shows(p netip.Prefix) bool {
	return s.layout != "" &&
		!slices.ContainsFunc(s.unread,
			func(u UnreadRow) bool { return u.Prefix.Contains(p.Addr()) && (u.Any || u.Prefix == p) })
}

// stretches returns where the table was printed as one kind, each printing once: several files, or one log in which a
// command was given twice. Printings that overlap are one.
func stretches(parts []*TableFacts, kind Kind) []stretch {
	var all []stretch
	for _, p := range parts {
		if p.Kind != kind || p.Routes.Len() == 0 {
			continue
		}
		var s stretch
		for i := range p.Routes.Len() {
			switch m := p.Routes.At(i).Mark; {
			case i == 0:
				s = stretch{file: m.File, off: m.Off, end: m.End, layout: p.Layout, unread: p.Unread, first: m}
				if p.Filtered.Known() || p.Cut {
					s.layout = ""
				}
			case m.File == s.file:
				if m.Off < s.off {
					s.first = m
				}
				s.off, s.end = min(s.off, m.Off), max(s.end, m.End)
			}
		}
		all = append(all, s)
	}
	slices.SortFunc(all, func(a, b stretch) int {
		if a.file != b.file {
			return int(a.file) - int(b.file)
		}
		return int(a.off) - int(b.off)
	})
	out := all[:0]
	for _, s := range all {
		if n := len(out); n > 0 && out[n-1].file == s.file && s.off < out[n-1].end {
			out[n-1].end, out[n-1].layout = max(out[n-1].end, s.end), ""
			continue
		}
		out = append(out, s)
	}
	return out
}

// printed returns in which printing a line stands, -1 for none.
func printed(at []stretch, m route.Mark) int {
	return slices.IndexFunc(at, func(s stretch) bool { return s.file == m.File && s.off <= m.Off && m.Off < s.end })
}

// contradict keeps a difference; where it is about what forwards, the prefix is not known until one of the captures
// goes.
func (t *Table) contradict(d Difference, forwards bool) {
	t.differences = append(t.differences, d)
	if !forwards {
		return
	}
	if t.contradictions == nil {
		t.contradictions = map[netip.Prefix]*Difference{}
	}
	t.contradictions[d.Prefix] = &d
}

// shown is what one printing of a table uses for a prefix: next hops by their addresses, or what is done instead.
type shown struct {
	at       int
	hops     []netip.Addr
	specials []route.Special
	metric   uint64 // of a kernel's route
	mark     route.Mark
}

// moments notes that two printings of one kind of table lead a prefix to other next hops, neither one's among the
// other's: they are of different moments, and nothing tells which holds. Interfaces have several names, and BGP's
// next hops are shown as announced or as resolved, so that neither can contradict.
func (t *Table) moments(src *route.List, g Group, at []stretch, kind route.State) {
	if g.Hi-g.Lo < 2 || len(at) < 2 {
		return
	}
	var all []shown
	for _, r := range members(src, g) {
		if r.State&kind == 0 || r.Is(route.Unusable) || kind == told && !r.Is(route.Active) {
			continue
		}
		if r.Protocol == route.BGP || r.Special == route.Receive || r.Special == route.Broadcast ||
			r.Special == route.Multicast {
			return
		}
		where := printed(at, r.Mark)
		i := slices.IndexFunc(all, func(s shown) bool { return s.at == where })
		if i < 0 {
			i = len(all)
			all = append(all, shown{at: where, mark: r.Mark, metric: kernelMetric(r)})
		}
		if kind == fromKernel && kernelMetric(r) != all[i].metric {
			if kernelMetric(r) > all[i].metric {
				continue
			}
			all[i] = shown{at: where, mark: r.Mark, metric: kernelMetric(r)}
		}
		if r.Special != route.None {
			all[i].specials = append(all[i].specials, r.Special)
		}
		for _, h := range r.Forwarding() {
			if !h.Address.IsValid() {
				return
			}
			all[i].hops = append(all[i].hops, h.Address)
		}
	}
	for i := range all {
		for j := range all[:i] {
			if a, b := &all[i], &all[j]; !a.within(b) && !b.within(a) {
				t.contradict(Difference{Kind: OtherMoment, Prefix: src.Prefix(g.Lo), Chosen: b.mark, Installed: a.mark},
					(kind == fromKernel) == t.Kernel)
				return
			}
		}
	}
}

func (s *shown) within(o *shown) bool {
	return !slices.ContainsFunc(s.hops, func(a netip.Addr) bool { return !slices.Contains(o.hops, a) }) &&
		!slices.ContainsFunc(s.specials, func(x route.Special) bool { return !slices.Contains(o.specials, x) })
}

// gone notes that of two whole printings of one kind of table, in one layout, only one has a prefix. What comes and
// goes by itself, a neighbour's own route or a device's own address, does not count.
func (t *Table) gone(src *route.List, g Group, at []stretch, kind route.State) {
	if len(at) < 2 {
		return
	}
	p := src.Prefix(g.Lo)
	if _, have := t.contradictions[p]; have || p.Addr().IsMulticast() || p.Addr().IsLinkLocalUnicast() {
		return
	}
	here := make([]route.Mark, len(at))
	shown := 0
	for _, r := range members(src, g) {
		if r.State&kind == 0 {
			continue
		}
		switch {
		case r.Special == route.Receive, r.Special == route.Broadcast, r.Special == route.Multicast,
			p.IsSingleIP() && (r.Protocol == route.Direct || r.Protocol == route.Local):
			return
		}
		if i := printed(at, r.Mark); i >= 0 && !here[i].Known() {
			here[i] = r.Mark
			shown++
		}
	}
	if shown == 0 || shown == len(at) {
		return
	}
	for i := range at {
		if here[i].Known() || !at[i].shows(p) {
			continue
		}
		for j := range at {
			if here[j].Known() && at[j].layout == at[i].layout {
				t.contradict(Difference{Kind: GoneMoment, Prefix: p, Chosen: here[j], Installed: at[i].first},
					(kind == fromKernel) == t.Kernel)
				return
			}
		}
	}
}

// Contradiction returns how captures of different moments contradict each other on what forwards p, nil where they do
// not.
func (t *Table) Contradiction(p netip.Prefix) *Difference { return t.contradictions[p] }
