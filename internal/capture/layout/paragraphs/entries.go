package paragraphs

import (
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

// ReadEntries reads a text of this family. Its tables are parts, whatever was asked.
func ReadEntries(text []byte) layout.Reading {
	var r layout.Collector
	r.Layout = entriesName
	var e *entry
	flush := func() {
		if e != nil {
			e.finish(&r)
		}
		e = nil
	}
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:hi])
		if strings.TrimSpace(line) == "" {
			continue
		}
		if m := entryBegins.FindStringSubmatch(line); m != nil {
			flush()
			p, err := layout.Prefix([]byte(m[1]), false)
			if err != nil {
				r.LeaveUnread(lo, hi, err)
				continue
			}
			e = &entry{prefix: p.Masked(), head: []bounds{{lo, hi}}}
			continue
		}
		if e == nil || !e.line(line) {
			flush()
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
			continue
		}
		e.head = append(e.head, bounds{lo, hi})
	}
	flush()
	for i := range r.Facts.Tables {
		r.Facts.Tables[i].Filtered = r.Facts.Tables[i].Routes.At(0).Mark
	}
	return r.Reading
}

// line takes a line of an entry, false where it is none.
func (e *entry) line(s string) bool {
	switch {
	case entryHop.MatchString(s):
		m := entryHop.FindStringSubmatch(s)
		a, ok := layout.Addr([]byte(m[1]))
		if !ok {
			return false
		}
		if m[2] == "dependencies" || m[2] == "recursive" {
			return false
		}
		e.attr.NextHops = append(e.attr.NextHops, route.NextHop{Address: a, Interface: m[2]})
	case entryHere.MatchString(s):
		if ifname := entryHere.FindStringSubmatch(s)[1]; layout.Discards(ifname) {
			e.attr.Special = route.Blackhole
		} else {
			e.attr.NextHops = append(e.attr.NextHops, route.NextHop{Interface: ifname})
		}
	case entryFar.MatchString(s):
		a, ok := layout.Addr([]byte(entryFar.FindStringSubmatch(s)[1]))
		if !ok {
			return false
		}
		e.far = append(e.far, route.NextHop{Address: a})
	case entryEnds.MatchString(s):
		e.attr.Special = route.Blackhole
		switch entryEnds.FindStringSubmatch(s)[1] {
		case "receive":
			e.attr.Special = route.Receive
		case "no route":
			e.attr.Special = route.Unreachable
		}
	default:
		return entryAside.MatchString(s)
	}
	e.told = true
	return true
}

// finish keeps the entry. One that tells no way is unread as a whole.
func (e *entry) finish(r *layout.Collector) {
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
		a.Route(e.prefix, route.Active|route.Installed, mark), 0)
}
