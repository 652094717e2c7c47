// Package starred reads tables in which the chosen route of a prefix carries a star before "[Protocol/preference]" and
// next hops stand below it, the selected one behind ">": the full form, the one-line form, and the forwarding table
// that devices of this shape print.
//
// A table's heading counts its routes; where another number was read, the heading is reported.
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
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const name = "starred"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "*[Protocol/preference] with next hops below, in full, one line a route, or as a forwarding table",
	Sample: "inet.0: 1 destinations, 1 routes (1 active, 0 holddown, 0 hidden)\n" +
		"10.61.32.0/24      *[OSPF/10] 1d 02:03:04, metric 20\n" +
		"                    >  to 172.28.61.6 via line1\n"}

// recognise looks for headings and for a protocol with its preference in brackets.
func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		line := text[lo:hi]
		if len(line) > 400 || layout.Blank(line) {
			continue
		}
		if _, ok := tableHeading(line); ok || isTerse(line) || isForwarding(line) ||
			bytes.HasPrefix(line, []byte("Routing table: ")) {
			n += 5
		} else if i := bytes.IndexByte(line, '['); i >= 0 {
			x, ok := parseProtocol(line[i:])
			if ok && x.preference.Known && (i == 0 || bytes.IndexByte([]byte(" \t*+-"), line[i-1]) >= 0) {
				n += 2
			}
		}
	}
	return n
}

// form is how the rows of the current table look.
type form uint8

const (
	full form = iota
	terse
	forwarding
)

type reader struct {
	layout.Collector
	text   []byte
	form   form
	table  string
	family route.Family // of a forwarding table
	skip   bool         // a table of something else than IP prefixes

	heading      [2]int // bounds of the table's heading
	says, hidden int
	counted      int
	lost         bool         // a heading was not understood
	shown        int          // hidden routes of the table that the listing shows all the same
	under        int          // routes that were begun under the present prefix
	lines        []route.Mark // of the route that is being read
	loose        []looseRoute // of the table

	inWords bool // of the wordy form
	entries int  // routes that its present prefix has
	// entriesAt is where that is said.
	entriesAt [2]int
	behind    bool       // how its indirect next hop was found stands here
	relayed   netip.Addr // that next hop
	typed     bool       // the type of its next hops was told

	waiting *waiting // a row of a forwarding table

	prefix  netip.Prefix // of the rows that follow; the zero Prefix: none is known
	sign    byte         // of the terse row whose prefix stands alone on the line above; 0 for none
	pending bool
	bracket []byte                       // the last protocol with its preference, as the text has it
	bracked row                          // and as it was read
	unders  layout.Likenesses[lineUnder] // of lines below a route
	attr    layout.Attributes
	state   route.State
	lo, hi  int
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{text: text, table: "default", says: -1}
	r.Layout = name
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		if err := r.line(line, lo, hi); err != nil {
			r.flush()
			if hi == len(text) && len(r.Facts.Tables) > 0 {
				err = fmt.Errorf("%w: %w", layout.ErrCut, err)
				r.CutLast()
			}
			r.LeaveUnread(lo, hi, err)
		}
	}
	r.endTable()
	return r.Reading
}

// counts is what a table's heading says.
type counts struct {
	name           string
	routes, hidden int
}

// tableHeading reads "NAME: N destinations, N routes (N active, N holddown, N hidden)".
func tableHeading(line []byte) (counts, bool) {
	if !bytes.Contains(line, []byte("destination")) { // nearly all
		return counts{}, false
	}
	w := strings.Fields(string(line))
	if len(w) < 5 || !strings.HasSuffix(w[0], ":") || !strings.HasPrefix(w[2], "destination") ||
		!strings.HasPrefix(w[4], "route") {
		return counts{}, false
	}
	c := counts{name: strings.TrimSuffix(w[0], ":")}
	n, err := strconv.Atoi(w[3])
	if err != nil {
		return counts{}, false
	}
	c.routes = n
	for i := 5; i+1 < len(w); i++ {
		if strings.HasPrefix(w[i+1], "hidden") {
			c.hidden, _ = strconv.Atoi(strings.Trim(w[i], "(,"))
		}
	}
	return c, true
}

func isTerse(line []byte) bool {
	if !bytes.Contains(line, []byte("Destination")) {
		return false
	}
	w := strings.Fields(string(line))
	return len(w) > 5 && w[0] == "A" && w[1] == "V" && w[2] == "Destination" ||
		len(w) > 4 && w[0] == "A" && w[1] == "Destination" && w[2] == "P"
}

func isForwarding(line []byte) bool {
	if !bytes.Contains(line, []byte("Destination")) {
		return false
	}
	w := strings.Fields(string(line))
	return len(w) > 5 && w[0] == "Destination" && w[1] == "Type" && w[2] == "RtRef"
}

// instance turns a table's name into ours: inet.0 and inet6.0 are the default table, NAME.inet.0 is NAME.
func instance(name string) (table string, ip bool) {
	name = strings.TrimSuffix(name, ".0")
	for _, f := range []string{"inet", "inet6"} {
		if name == f || name == "default."+f {
			return "default", true
		}
		if rest, ok := strings.CutSuffix(name, "."+f); ok {
			return rest, true
		}
		if strings.HasPrefix(name, f+".") {
			return name, true
		}
	}
	return name, false
}

// line reads a heading, a destination, or a way below one; below a heading that is broken off nothing is read, since
// whose rows these are is not known.
func (r *reader) line(line []byte, lo, hi int) error {
	if r.form == full && !r.inWords && !r.lost && !r.skip {
		if p, lead, ok := usual(line); ok {
			if p.IsValid() {
				r.startsPrefix(p)
			}
			return r.routeLine(line[lead:], lo, hi)
		}
	}
	if c, ok := tableHeading(line); ok {
		r.endTable()
		r.lost = false
		r.form, r.says, r.hidden, r.counted, r.shown, r.heading = full, c.routes, c.hidden, 0, 0, [2]int{lo, hi}
		var ip bool
		r.table, ip = instance(c.name)
		r.skip, r.inWords = !ip, false
		r.Again()
		return nil // the heading is accounted for at the end of the table
	}
	if c := line[0] | 0x20; (c >= 'a' && c <= 'z' || line[0] == '_') && brokenHeading.Match(line) {
		r.endTable() // whose the rows below are is not known
		r.lost, r.prefix = true, netip.Prefix{}
		return errHeading
	}
	if r.lost && !bytes.HasPrefix(line, []byte("Routing table: ")) {
		return errHeading
	}
	r.lost = false
	switch {
	case bytes.HasPrefix(line, []byte("Routing table: ")):
		r.endTable()
		n, _, _ := strings.Cut(string(line[len("Routing table: "):]), " ")
		var ip bool
		r.table, ip = instance(n)
		r.skip, r.form = !ip, forwarding
		r.Pass(lo, hi, layout.Title)
		return nil
	case isTerse(line):
		r.form = terse
		r.Pass(lo, hi, layout.Names)
		return nil
	case isForwarding(line):
		r.form = forwarding
		r.Pass(lo, hi, layout.Names)
		return nil
	case bytes.HasPrefix(line, []byte("+ = Active Route")), bytes.HasPrefix(bytes.TrimSpace(line), []byte("@ = ")):
		r.Pass(lo, hi, layout.Key)
		return nil
	case isFamily(line, &r.family):
		r.Pass(lo, hi, layout.Title)
		return nil
	case bytes.HasPrefix(bytes.TrimSpace(line), []byte("Limit/Threshold:")),
		bytes.HasPrefix(bytes.TrimSpace(line), []byte("Enabled protocols:")),
		r.skip:
		r.Pass(lo, hi, layout.Other)
		return nil
	}
	switch r.form {
	case terse:
		return r.terseRow(line, lo, hi)
	case forwarding:
		return r.forwardingRow(line, lo, hi)
	}
	if mine, err := r.wordy(line, lo, hi); mine {
		return err
	}
	return r.fullLine(line, lo, hi)
}

func isFamily(line []byte, f *route.Family) bool {
	switch string(bytes.TrimSpace(line)) {
	case "Internet:":
		*f = route.IPv4
	case "Internet6:":
		*f = route.IPv6
	default:
		return false
	}
	return true
}

// endTable closes the table and compares the count.
func (r *reader) endTable() {
	r.flush()
	r.endPrefix()
	if r.shown > 0 {
		r.hidden = 0 // they are counted with the others
	}
	r.settleLoose(r.says >= 0 && !r.skip && r.counted < r.says-r.hidden)
	if r.says < 0 {
		return
	}
	if r.skip || r.counted == r.says || r.counted == r.says-r.hidden {
		r.Pass(r.heading[0], r.heading[1], layout.Count)
	} else {
		r.LeaveUnread(r.heading[0], r.heading[1],
			fmt.Errorf("the heading counts %d routes, %d were read", r.says, r.counted))
		r.Partial(r.table, r.counted < r.says-r.hidden, r.heading[0], r.heading[1])
	}
	r.says = -1
}

// flush ends the route that is being read.
func (r *reader) flush() {
	r.settle()
	if !r.pending {
		return
	}
	r.pending = false
	p := r.prefix
	if r.attr.Protocol == route.RIP && p.Addr().Is6() {
		r.attr.Protocol = route.RIPng
	}
	r.relay()
	if n := len(r.attr.NextHops); n == 1 {
		r.attr.NextHops[0].Installed = false
	}
	x := r.attr.Route(p, r.state, layout.Mark(r.lo, r.hi))
	if r.form == full && r.under > 1 && !(r.inWords && r.under <= r.entries) {
		a := r.attr
		a.NextHops = slices.Clone(a.NextHops)
		x.Attributes = &a.Attributes
		r.loose = append(r.loose, looseRoute{x, slices.Clone(r.lines)})
		return
	}
	r.Add(r.table, network.Candidates, x, min(max(r.says, 0), (len(r.text)-r.lo)/shortest))
}

// shortest is as few bytes as a route takes, so that a wrong count makes no room for more than there can be.
const shortest = 24

// A looseRoute is a further candidate, which has no prefix on its own line: it is the prefix above's only if nothing is
// missing between them.
type looseRoute struct {
	route.Route
	lines []route.Mark
}

// settleLoose adds the further candidates of a table, or leaves them unread where the table's heading counts more
// routes than there are.
func (r *reader) settleLoose(missing bool) {
	for _, x := range r.loose {
		if !missing {
			r.Add(r.table, network.Candidates, x.Route, 0)
			continue
		}
		r.Collector.Read -= len(x.lines)
		for _, m := range x.lines {
			r.LeaveUnread(int(m.Off), int(m.End), errLoose)
		}
	}
	r.loose = r.loose[:0]
}

// brokenHeading begins as the heading of a table does and is none that is understood.
var brokenHeading = lazyregexp.New(`^[A-Za-z_][\w.-]*\.\d+:|\b\d+ destinations?, \d+ routes? \(`)

var errHeading = errors.New("below a table's heading that is not understood")

var errLoose = errors.New("its prefix may be missing: the table's heading counts more routes than there are")
