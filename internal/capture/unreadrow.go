package capture

import (
	"bytes"
	"net/netip"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// unreadRows attaches the unread lines of a part that name a prefix to its tables of that family: each may be a route,
// and what a shorter route leads to is not known then.
func (p *Part) unreadRows(src *Source) {
	if len(p.Facts.Tables) == 0 {
		return
	}
	for _, u := range p.Unread {
		prefix := namedPrefix(appendClean(nil, src.Text(u.Mark)))
		if !prefix.IsValid() {
			continue
		}
		for i := range p.Facts.Tables {
			if t := &p.Facts.Tables[i]; t.Family == route.FamilyOf(prefix.Addr()) {
				t.Unread = append(t.Unread, network.UnreadRow{Prefix: prefix, Mark: u.Mark})
			}
		}
	}
}

// maxCode is how long the letters in front of a destination may be.
const maxCode = 3

// namedPrefix returns the prefix that a line names first: with a length or a mask behind it, or at the begin of the
// line, where destinations stand, without, as the network of its class. It is not valid where there is none.
func namedPrefix(line []byte) netip.Prefix {
	var before []byte // the word before
	for n, lo, hi := 0, 0, 0; ; n, before = n+1, line[lo:hi] {
		if lo, hi = layout.Field(line, hi); lo >= hi {
			return netip.Prefix{}
		}
		word := bytes.Trim(line[lo:hi], ",;()[]\"'")
		if i := bytes.IndexByte(word, '='); i >= 0 {
			word = word[i+1:]
		}
		// signs of selection are glued to it, or it stands behind an arrow
		if i := bytes.LastIndexAny(word, "*>"); i >= 0 {
			word = word[i+1:]
		}
		if p, err := layout.Prefix(word, false); err == nil {
			return p.Masked()
		}
		a, ok := layout.Addr(word)
		if !ok || a.Zone() != "" {
			continue
		}
		nlo, nhi := layout.Field(line, hi)
		if m, ok := layout.IPv4(line[nlo:nhi]); ok && a.Is4() {
			if bits, err := layout.MaskLength(m); err == nil && (bits > 0 || a.IsUnspecified()) {
				return netip.PrefixFrom(a, bits).Masked()
			}
		}
		if n > 1 || n == 1 && (len(before) > maxCode || string(before) == "via") {
			return netip.Prefix{} // a next hop, or an address in a message
		}
		if p := network.ClassOf4(a); p.IsValid() {
			return p
		}
	}
}
