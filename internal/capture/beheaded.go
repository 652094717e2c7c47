package capture

import (
	"errors"
	"math"
	"net/netip"
	"slices"

	"go4.org/netipx"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// A log whose begin was lost, as what a window of a terminal no longer holds, may begin in the middle of a table. It
// begins with a row then, above its first prompt, and what the device was asked is not to be seen.

// headed is the layout of which every table has a line above it that counts its routes: one without was searched or cut.
const headed = "starred"

// beheaded keeps that routes may be missing at the begin of a table. In a table that ascends they are those before the
// first row, and those that hold all of it.
func (p *Part) beheaded(src *Source, s section) {
	if !s.front && p.Layout != headed {
		return
	}
	first := route.Mark{}
	for lo, hi := range layout.Lines(src.text[s.lo:s.hi]) {
		if !layout.Blank(src.text[s.lo+lo : s.lo+hi]) {
			first = src.original(route.Mark{Off: uint32(s.lo + lo), End: uint32(s.lo + hi)})
			break
		}
	}
	begins := func(m route.Mark) bool { return m.Off <= first.Off && first.Off < m.End }
	heading := slices.ContainsFunc(p.Passed, func(x layout.Passed) bool { // of some rows
		return (x.As == layout.Parent || x.As == layout.PrefixHeading) && begins(x.Mark)
	})
	for i := range p.Facts.Tables {
		t := &p.Facts.Tables[i]
		if t.Routes.Len() == 0 || !heading && !begins(t.Routes.At(0).Mark) {
			continue
		}
		lost := network.UnreadRow{Prefix: t.Family.Default(), Mark: first}
		lost.Mark.File = p.Where.File
		last := t.Routes.At(0).Prefix.Addr()
		if lost.Any = !ascends(&t.Routes); !lost.Any && last != t.Family.Default().Addr() {
			before := lost
			before.Any = true
			for _, q := range netipx.IPRangeFrom(t.Family.Default().Addr(), last.Prev()).Prefixes() {
				before.Prefix = q
				t.Unread = append(t.Unread, before)
			}
		}
		t.Unread = append(t.Unread, lost)
		return
	}
}

// nextHopWords matches what a line that goes on with a route begins with.
var nextHopWords = lazyregexp.New(`^\s*(?:[*>+-]+\s*)?(?:via|to|through|next-?hop|dev)\b` +
	`|^\s*(?:\[\d+/\d+\] )?via\b`)

// headless keeps that the listing of a part lacks rows at its begin: it begins with a line that goes on with a route.
func (p *Part) headless(src *Source) {
	first := uint32(math.MaxUint32)
	for _, t := range p.Facts.Tables {
		if t.Routes.Len() > 0 {
			first = min(first, t.Routes.At(0).Mark.Off)
		}
	}
	for _, u := range p.Unread {
		if u.Mark.Off > first || !errors.Is(u.Reason, layout.ErrNoRoute) ||
			!nextHopWords.Match(src.Text(u.Mark)) && !goesOn(src.Text(u.Mark)) {
			continue
		}
		for i := range p.Facts.Tables {
			t := &p.Facts.Tables[i]
			t.Unread = append(t.Unread, network.UnreadRow{Prefix: t.Family.Default(), Any: true, Mark: u.Mark})
		}
		return
	}
}

// ascends reports whether the rows of a table stand in the order of their addresses.
func ascends(r *route.List) bool {
	last := netip.Addr{}
	for i := range r.Len() {
		a := r.At(i).Prefix.Addr()
		if a.Less(last) {
			return false
		}
		last = a
	}
	return true
}
