package network

import (
	"iter"
	"math/bits"
	"net/netip"
	"slices"

	"zarvek/internal/core/prefixes"
	"zarvek/internal/core/route"
)

// An UnreadRow is a line of a captured table that tells of a route which was not read: it names a prefix and is not
// understood, or it counts routes of which some are not there. Nobody knows where such a route leads. A change that
// somebody made after the table was shown is one too.
type UnreadRow struct {
	Prefix netip.Prefix
	Any    bool // routes of any length inside of the prefix may be missing, not only one to the prefix itself
	// the line tells of a change after the table was shown: a route that it shows for the prefix may be gone
	Changed bool
	// Host is an address that the line names alone, where nobody knows the length of the prefix: the row may be for it, or
	// for any network that has it and is no larger than Prefix
	Host   netip.Addr
	Beside bool // the line seems to tell of a further way of a route that was read
	// From are the sources that the route is for; invalid: any. A kernel uses no other route to its prefix then, for
	// packets from elsewhere one to a shorter prefix, unless it is the one to everywhere.
	From netip.Prefix
	// the line is what the kernel said of one address, and the table leads elsewhere
	Answered bool
	Mark     route.Mark
}

// bars reports whether the row may lead elsewhere what a route of so many bits leads to a from src.
func (u UnreadRow) bars(src, a netip.Addr, length int) bool {
	named := u.Prefix.Bits()
	if u.Host.IsValid() {
		named = commonBits(u.Host, a)
	}
	if u.From.IsValid() && src.IsValid() && !u.From.Contains(src) && (named > length || named == 0) {
		return false
	}
	return u.Any || named > length || u.equally() && named == length
}

// commonBits is how many bits two addresses of one family begin with alike.
func commonBits(a, b netip.Addr) int {
	x, y := a.AsSlice(), b.AsSlice()
	for i := range min(len(x), len(y)) {
		if d := x[i] ^ y[i]; d != 0 {
			return 8*i + bits.LeadingZeros8(d)
		}
	}
	return a.BitLen()
}

// equally reports whether the row may be of a route to its prefix that was read.
func (u UnreadRow) equally() bool { return u.Changed || u.Beside || u.Answered || u.From.IsValid() }

// unreadRows finds the rows by address. The zero unreadRows holds none.
type unreadRows struct {
	byPrefix prefixes.Index // the number in rows
	rows     []UnreadRow
}

// gatherUnread collects the rows that no capture of the table shows as a route.
func (t *Table) gatherUnread(parts []*TableFacts) {
	for _, p := range parts {
		for _, u := range p.Unread {
			if !u.Any && !u.equally() && t.showsUnread(u) {
				continue
			}
			t.addUnread(u)
		}
	}
}

// showsUnread reports whether the table has the route after all that a row which was not read may be for.
func (t *Table) showsUnread(u UnreadRow) bool {
	if !u.Host.IsValid() {
		return t.forwards(u.Prefix)
	}
	for g := range t.Covering(netip.PrefixFrom(u.Host, u.Host.BitLen())) {
		if p := t.rows.Prefix(g.Lo); p.Addr() == u.Host && p.Bits() >= u.Prefix.Bits() && t.forwards(p) {
			return true
		}
	}
	return false
}

// addUnread keeps a row, of several of one prefix the first that says more than the prefix, with what all say.
func (t *Table) addUnread(u UnreadRow) {
	i, ok := t.unread.byPrefix.Exact(u.Prefix.Masked())
	if !ok {
		t.unread.byPrefix.Put(u.Prefix.Masked(), uint32(len(t.unread.rows)))
		t.unread.rows = append(t.unread.rows, u)
		return
	}
	have := &t.unread.rows[i]
	if !have.Any && !have.Host.IsValid() && !have.equally() {
		*have = u
		return
	}
	if u.Host.IsValid() && u.Host != have.Host { // further ones are not kept apart
		u.Any = u.Any || have.Host.IsValid()
		have.Host = u.Host
	}
	have.Any, have.Changed, have.Beside = have.Any || u.Any, have.Changed || u.Changed, have.Beside || u.Beside
	have.Answered = have.Answered || u.Answered
	if have.From != u.From { // one of them is for any source
		have.From = route.FamilyOf(u.Prefix.Addr()).Default()
	}
}

// forwards reports whether a route to just that prefix is in use: where only others were read, the unread one may be
// it.
func (t *Table) forwards(p netip.Prefix) bool {
	g, ok := t.Exact(p)
	for i := g.Lo; ok && i < g.Hi; i++ {
		if _, state := t.rows.Used(i); state&route.Installed != 0 {
			return true
		}
	}
	return false
}

// UnreadRow returns the unread row with the longest prefix that contains a and may lead elsewhere what a route of so
// many bits leads to from src, which is invalid where no source is told: it is longer, or tells of a change. For no
// route ask with -1.
func (t *Table) UnreadRow(src, a netip.Addr, longer int) (UnreadRow, bool) {
	for _, i := range t.unread.byPrefix.Covering(netip.PrefixFrom(a, a.BitLen())) {
		if u := t.unread.rows[i]; u.bars(src, a, longer) {
			return u, true
		}
	}
	return UnreadRow{}, false
}

// PartsSources reports whether a row that was not read is for some sources alone.
func (t *Table) PartsSources() bool {
	return slices.ContainsFunc(t.unread.rows, func(u UnreadRow) bool { return u.From.IsValid() })
}

// UnreadRows yields the unread rows, in the order of their prefixes.
func (t *Table) UnreadRows() iter.Seq[UnreadRow] {
	return func(yield func(UnreadRow) bool) {
		for _, i := range t.unread.byPrefix.All() {
			if !yield(t.unread.rows[i]) {
				return
			}
		}
	}
}

// MayHide reports whether the table may have routes to a prefix that its captures do not show: a listing was filtered
// or cut, a walk may leave routes out, or a line was not understood.
func (t *Table) MayHide(p netip.Prefix) bool {
	if t.Weak || t.Supposed || t.Undecided && !t.Answers(p.Addr()) || t.Incomplete(p.Addr()) {
		return true
	}
	_, unread := t.UnreadRow(netip.Addr{}, p.Addr(), p.Bits()-1)
	return unread
}

// Hides reports whether the captures of the table may not show a route that has a and is longer than so many bits, -1
// for none, and which line is in the way: the filter of a listing, or a row that was not read. A listing that was cut
// has no such line.
func (t *Table) Hides(a netip.Addr, bits int) (route.Mark, bool) {
	asked := t.Filtered.Known() && t.Answers(a)
	if t.Filtered.Known() && !asked {
		return t.Filtered, true
	}
	if t.Undecided && !asked || t.Incomplete(a) {
		return route.Mark{}, true
	}
	u, ok := t.UnreadRow(netip.Addr{}, a, bits)
	return u.Mark, ok
}

// InPart reports whether routes to many prefixes may be hidden (MayHide).
func (t *Table) InPart() bool { return t.Weak || t.Supposed || t.Undecided || t.CutAt.IsValid() }

// Answers reports whether a table that was asked for in part tells all that there is for an address: just that was
// asked for.
func (t *Table) Answers(a netip.Addr) bool {
	for _, p := range t.scopes {
		if p.Contains(a) {
			return true
		}
	}
	return false
}
