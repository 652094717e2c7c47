package paragraphs

import (
	"bytes"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const entriesName = "forwarding entries"

// Entries reads what a router's forwarding plane answers for one destination: a prefix alone, and below it what it does
// with packets.
var Entries = layout.Reader{Name: entriesName, Recognise: recogniseEntries, Read: ReadEntries,
	About: "what forwards for one destination: a prefix alone, below it nexthop, attached to, drop",
	Sample: "10.61.32.0/24, epoch 2\n" +
		"  nexthop 172.28.61.6 line1\n" +
		"  nexthop 172.28.61.10 line2\n"}

var (
	entryBegins = lazyregexp.New(`^([0-9a-fA-F.:]+/\d{1,3})(?:,? (?:version|epoch|flags?|per-destination|RIB` +
		`|attached|connected|internal|cached|refcount|rib)\b.*)?\s*$`)
	entryHop   = lazyregexp.New(`^\s+(?:next ?hop|via) ([0-9a-fA-F.:]+),? ([A-Za-z][^\s,]*)(?:[\s,].*)?$`)
	entryFar   = lazyregexp.New(`^\s+(?:recursive )?via ([0-9a-fA-F.:]+)(?:,.*)?\s*$`)
	entryHere  = lazyregexp.New(`^\s+attached to ([A-Za-z]\S*)\s*$`)
	entryEnds  = lazyregexp.New(`^\s+(receive|drop|discard|no route|null)\b`)
	entryAside = lazyregexp.New(`^\s+(?:\d+ packets|feature space|sources:|ifnums:|path list|path \S` +
		`|output chain|valid |tag |local label|Flow:|subblocks|IPRM|Broker|LFD|\d+ \S+ source|QOS|share )|^\d+ packets`)
)

// entryWay reports whether a line tells what is done with packets.
func entryWay(s string) bool {
	return entryHop.MatchString(s) || entryFar.MatchString(s) || entryHere.MatchString(s) || entryEnds.MatchString(s)
}

// recogniseEntries looks for a destination with a way below it.
func recogniseEntries(text []byte) int {
	n, begun := 0, false
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if !begun && (lo == hi || !strings.ContainsRune("0123456789abcdefABCDEF.:", rune(text[lo]))) {
			continue // no destination begins so, and what may stand below one means nothing without it
		}
		line := string(text[lo:min(hi, lo+300)])
		if begun && entryWay(line) {
			n += 4
		}
		if !entryAside.MatchString(line) {
			begun = entryBegins.MatchString(line)
		}
	}
	return n
}

// An entry is what was read of one prefix so far.
type entry struct {
	prefix netip.Prefix
	attr   layout.Attributes
	far    []route.NextHop // next hops that other entries lead to
	told   bool
	head   []bounds
}

// entryReader remembers what lines of large listings say: nearly all of them say the same of other prefixes.
type entryReader struct {
	layout.Collector
	begin layout.Likenesses[bool]      // what may stand behind a prefix
	lines layout.Likenesses[entryLine] // lines below one
	e     *entry
	spare entry
	size  int // of the text, in bytes
}

// ReadEntries reads a text of this family. Its tables are parts, whatever was asked.
func ReadEntries(text []byte) layout.Reading {
	r := entryReader{size: len(text)}
	r.Layout = entriesName
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		if prefix, ok := r.begins(line); ok {
			r.flush()
			p, err := layout.Prefix(prefix, false)
			if err != nil {
				r.LeaveUnread(lo, hi, err)
				continue
			}
			r.spare = entry{prefix: p.Masked(), head: append(r.spare.head[:0], bounds{lo, hi}),
				attr: layout.Attributes{Attributes: route.Attributes{NextHops: r.spare.attr.NextHops[:0]}}}
			r.e = &r.spare
			continue
		}
		if r.e == nil || !r.below(line) {
			r.flush()
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
			continue
		}
		r.e.head = append(r.e.head, bounds{lo, hi})
	}
	r.flush()
	for i := range r.Facts.Tables {
		r.Facts.Tables[i].Filtered = r.Facts.Tables[i].Routes.At(0).Mark
	}
	return r.Reading
}

// flush ends an entry.
func (r *entryReader) flush() {
	if r.e != nil {
		r.e.finish(&r.Collector, r.size)
	}
	r.e = nil
}

// begins reads the prefix that a line of an entry begins with.
func (r *entryReader) begins(line []byte) (prefix []byte, ok bool) {
	n := 0
	for n < len(line) && (line[n] >= '0' && line[n] <= '9' || line[n] == '.' || line[n] == '/') {
		n++
	}
	r.begin.Key(-1, line[n:])
	if _, known := r.begin.Known(); known && bytes.Count(line[:n], []byte{'/'}) == 1 {
		return line[:n], true
	}
	m := entryBegins.FindSubmatch(line)
	if m == nil {
		return nil, false
	}
	if len(m[1]) == n {
		r.begin.Keep(true)
	}
	return m[1], true
}

// An entryLine is what a line below a prefix says.
type entryLine struct {
	hop     route.NextHop
	far     bool // another entry leads to the hop
	special route.Special
	aside   bool // it says nothing of where packets go
}

// below takes a line of an entry, false where it is none.
func (r *entryReader) below(line []byte) bool {
	r.lines.Key(-1, line)
	x, known := r.lines.Known()
	if !known {
		var ok bool
		if x, ok = entryLineOf(string(line)); !ok {
			return false
		}
		r.lines.Keep(x)
	}
	e := r.e
	switch {
	case x.aside:
		return true
	case x.special != route.None:
		e.attr.Special = x.special
	case x.far:
		e.far = append(e.far, x.hop)
	default:
		e.attr.NextHops = append(e.attr.NextHops, x.hop)
	}
	e.told = true
	return true
}

// entryLineOf reads such a line.
func entryLineOf(s string) (x entryLine, ok bool) {
	switch {
	case entryHop.MatchString(s):
		m := entryHop.FindStringSubmatch(s)
		a, ok := layout.Addr([]byte(m[1]))
		x.hop = route.NextHop{Address: a, Interface: m[2]}
		return x, ok && m[2] != "dependencies" && m[2] != "recursive"
	case entryHere.MatchString(s):
		if x.hop.Interface = entryHere.FindStringSubmatch(s)[1]; layout.Discards(x.hop.Interface) {
			x.special = route.Blackhole
		}
	case entryFar.MatchString(s):
		x.hop.Address, ok = layout.Addr([]byte(entryFar.FindStringSubmatch(s)[1]))
		x.far = true
		return x, ok
	case entryEnds.MatchString(s):
		x.special = route.Blackhole
		switch entryEnds.FindStringSubmatch(s)[1] {
		case "receive":
			x.special = route.Receive
		case "no route":
			x.special = route.Unreachable
		}
	default:
		x.aside = true
		return x, entryAside.MatchString(s)
	}
	return x, true
}

// finish keeps the entry of a text of that size. One that tells no way is unread as a whole.
func (e *entry) finish(r *layout.Collector, size int) {
	if !e.told {
		for _, b := range e.head {
			r.LeaveUnread(b.lo, b.hi, layout.ErrNoRoute)
		}
		return
	}
	if len(e.attr.NextHops) == 0 && e.attr.Special == route.None {
		e.attr.NextHops = e.far
	}
	a := e.attr
	r.Read += len(e.head)
	mark := layout.Mark(e.head[0].lo, e.head[len(e.head)-1].hi)
	r.Add("default", network.ForwardingTable,
		a.Route(e.prefix, route.Active|route.Installed, mark), size/int(mark.End-mark.Off))
}
