package starred

import (
	"bytes"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// The wordy form says of each route in lines of "Name: value" what the full one says in a row:
//
//	10.61.32.0/24 (2 entries, 1 announced)
//	        *OSPF   Preference: 10
//	                Next hop type: Router, Next hop index: 612
//	                Next hop: 172.28.61.6 via line2.0, selected
//	                Age: 1d 2:03:04         Metric: 2

var (
	entries    = lazyregexp.New(`^(\S+) \((\d+) entr(?:y|ies), \d+ announced\)`)
	wordyRoute = lazyregexp.New(`^([*+-]?)([A-Z][\w-]*)\s+Preference:\s*-?(\d+)(?:/-?\d+)?\s*$`)
	wordyHop   = lazyregexp.New(`^Next ?hop:\s+(?:(\S+) )?via ([^\s,]+)(.*)$`)
	wordyPair  = lazyregexp.New(`(?:^|\s)(Metric|Localpref|AS path|State|Protocol next hop|Next hop type` +
		`|Next table|Label operation|Interface):\s*([^\t]*?)(?:\s{2,}|\t|$)`)
)

// wordyKinds are the types of next hop that lead nowhere, or to the device itself.
var wordyKinds = map[string]route.Special{
	"Discard": route.Blackhole, "Reject": route.Unreachable, "Receive": route.Receive, "Local": route.Receive,
	"MultiRecv": route.Multicast, "Multicast": route.Multicast, "MultiDiscard": route.Multicast,
}

// wordy reads a line of this form; false leaves it to the full one.
func (r *reader) wordy(line []byte, lo, hi int) (bool, error) {
	var m [][]byte
	if bytes.Contains(line, []byte(" entr")) {
		m = entries.FindSubmatch(line)
	}
	if m != nil {
		r.flush()
		r.endPrefix()
		p, err := firstPrefix(m[1])
		if r.prefix = p; err != nil {
			r.prefix = netip.Prefix{}
			return true, err
		}
		r.under, r.inWords = 0, true
		r.entries, _ = strconv.Atoi(string(m[2]))
		r.entriesAt = [2]int{lo, hi} // accounted for when its routes were read
		return true, nil
	}
	if !r.inWords {
		return false, nil
	}
	s := bytes.TrimSpace(line)
	if m := wordyRoute.FindSubmatch(s); m != nil {
		n, _ := layout.Uint(m[3])
		mark := byte('[')
		if len(m[1]) > 0 {
			mark = m[1][0]
		}
		if err := r.begin(rowOf(string(m[2]), route.N(n)), mark, nil, lo, hi); err != nil {
			return true, err
		}
		r.under++
		r.behind, r.relayed, r.typed = false, netip.Addr{}, false
		r.lines = append(r.lines[:0], layout.Mark(lo, hi))
		return true, nil
	}
	if !r.pending { // what stands between the prefix and its routes is about neither
		if line[0] != ' ' && line[0] != '\t' && !bytes.HasPrefix(line, []byte("TSI:")) &&
			!bytes.HasPrefix(line, []byte("KRT ")) {
			r.inWords = false
			return false, nil
		}
		r.Pass(lo, hi, layout.Other)
		return true, nil
	}
	if line[0] != ' ' && line[0] != '\t' {
		r.inWords = false
		return false, nil
	}
	if err := r.inWordsBelow(s); err != nil {
		return true, err
	}
	r.hi = hi
	r.Collector.Read++
	r.lines = append(r.lines, layout.Mark(lo, hi))
	return true, nil
}

var errUntyped = fmt.Errorf("%w: a next hop of which no line tells the type", layout.ErrNotARoute)

var errSelected = fmt.Errorf("%w: a route has another next hop that is selected, so it is one of a route whose lines are "+
	"gone", layout.ErrNotARoute)

var errEntries = errors.New("it counts more or fewer routes than stand below it")

// endPrefix compares the routes of a prefix with their count.
func (r *reader) endPrefix() {
	if r.entries == 0 {
		return
	}
	if r.entries == r.under {
		r.Pass(r.entriesAt[0], r.entriesAt[1], layout.PrefixHeading)
	} else {
		r.LeaveUnread(r.entriesAt[0], r.entriesAt[1], errEntries)
	}
	r.entries = 0
}

// inWordsBelow reads a line below a route.
func (r *reader) inWordsBelow(s []byte) error {
	if r.behind { // how an indirect next hop was found is told once more
		return nil
	}
	if bytes.HasPrefix(s, []byte("Indirect next hops:")) {
		r.behind = true
		return nil
	}
	if m := wordyHop.FindSubmatch(s); m != nil {
		if !r.typed { // the line that may say that it leads nowhere is not there
			return errUntyped
		}
		h := route.NextHop{Interface: string(m[2])}
		if len(m[1]) > 0 {
			a, ok := layout.Addr(m[1])
			if !ok {
				return fmt.Errorf("%w: %q", layout.ErrAddress, m[1])
			}
			h.Address = a
		}
		h.Installed = bytes.Contains(m[3], []byte("selected"))
		if h.Installed && slices.ContainsFunc(r.attr.NextHops, func(o route.NextHop) bool { return o.Installed }) {
			return errSelected
		}
		r.attr.NextHops = append(r.attr.NextHops, h)
		return nil
	}
	if bytes.HasPrefix(s, []byte("Next hop:")) || bytes.HasPrefix(s, []byte("Nexthop:")) {
		return layout.ErrNotARoute
	}
	pairs := wordyPair.FindAllSubmatch(s, -1)
	if len(pairs) == 0 && (bytes.Contains(s, []byte(" via ")) || !bytes.Contains(s, []byte(":")) &&
		!bytes.HasPrefix(s, []byte("Accepted"))) {
		return layout.ErrNotARoute
	}
	for _, p := range pairs {
		if err := r.wordyValue(string(p[1]), string(p[2])); err != nil {
			return err
		}
	}
	return nil
}

// wordyValue takes what one name says of the route.
func (r *reader) wordyValue(name, v string) error {
	switch name {
	case "Metric":
		n, ok := layout.Uint([]byte(v))
		if !ok {
			return fmt.Errorf("%w: %q", layout.ErrNumber, v)
		}
		r.attr.Metric = route.N(n)
		if r.attr.Protocol == route.BGP {
			r.attr.BGP.ByMetric = true
		}
	case "Localpref":
		if n, ok := layout.Uint([]byte(v)); ok {
			r.attr.BGP.LocalPreference = route.N(n)
		}
	case "AS path":
		layout.ASPath(v, &r.attr.BGP)
	case "State":
		r.typed = false // next hops stand above it: one below is of a route whose own lines are gone
		if strings.Contains(v, "Hidden") {
			r.state = route.Unusable
			r.shown++
		}
	case "Protocol next hop":
		word, _, _ := strings.Cut(v, " ")
		a, ok := layout.Addr([]byte(word))
		if !ok {
			return fmt.Errorf("%w: %q", layout.ErrAddress, word)
		}
		r.relayed = a
	case "Next table":
		t, _ := instance(v)
		r.attr.NextHops = append(r.attr.NextHops, route.NextHop{Table: t})
	case "Label operation":
		for i := range r.attr.NextHops {
			r.attr.NextHops[i].Encapsulated = true
		}
	case "Interface":
		if r.attr.Special == route.Receive {
			r.attr.NextHops = append(r.attr.NextHops, route.NextHop{Interface: v})
		}
	case "Next hop type":
		r.typed = true
		kind, _, _ := strings.Cut(v, ",")
		switch sp, known := wordyKinds[kind]; {
		case known:
			r.attr.Special = sp
		case kind == "Unusable":
			r.state = route.Unusable
		case !slices.Contains([]string{"Router", "Interface", "Indirect", "Table", "Hold"}, kind):
			return fmt.Errorf("%w: next hops of type %q", layout.ErrNotARoute, kind)
		}
	}
	return nil
}

// relay puts the next hop that a route was announced with before those by which it was found.
func (r *reader) relay() {
	if !r.relayed.IsValid() || len(r.attr.NextHops) == 0 {
		return
	}
	for i := range r.attr.NextHops {
		r.attr.NextHops[i].Resolves = true
	}
	r.attr.NextHops = slices.Insert(r.attr.NextHops, 0, route.NextHop{Address: r.relayed, Recursive: true})
}
