package lettered

import (
	"bytes"
	"errors"
	"fmt"
	"net/netip"
	"strings"
	"unicode"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := readRows(text)
	keepClaims(text, &r)
	return r
}

func readRows(text []byte) layout.Reading {
	if cuts := pieces(text); len(cuts) > 0 {
		if r, ok := readPieces(text, cuts); ok {
			return r
		}
	}
	r := newReader(text)
	r.lines(0, len(text))
	ended := len(r.short)
	r.endPrefix()
	for i := range r.short[ended:] {
		r.short[ended+i].last = true
	}
	keepShort(r.short, &r.Reading)
	return r.Reading
}

func newReader(text []byte) *reader {
	r := &reader{text: text, names: map[string]string{}, hops: map[string]netip.Addr{}}
	r.Layout = name
	return r
}

// lines reads the lines from from to to, which are bounds of lines.
func (r *reader) lines(from, to int) {
	for lo, hi := range layout.Lines(r.text[from:to]) {
		lo, hi = lo+from, hi+from
		line := r.text[lo:hi]
		if layout.Blank(line) {
			r.endLegend()
			continue
		}
		if err := r.line(line, lo, hi); err != nil {
			r.flush()
			if hi == len(r.text) && len(r.Facts.Tables) > 0 {
				err = fmt.Errorf("%w: %w", layout.ErrCut, err)
				r.CutLast()
			}
			r.LeaveUnread(lo, hi, err)
			if p, _ := findPrefix(line); p == 0 &&
				(layout.Damaged(line) && damagedTitle.Match(line) || brokenTitle.Match(line)) {
				r.turned, r.instance = true, "¤" // nobody knows whose rows stand below
				r.seen.Forget()
			}
		}
	}
	r.flush()
}

// damagedTitle matches a line that may have named the table of the rows below.
var damagedTitle = lazyregexp.New(`(?i)\b(?:routing|tables?|vrf|instance)\b`)

// brokenTitle matches one that is no title of the form that a reader knows, and names an instance all the same.
var brokenTitle = lazyregexp.New(`(?i)^\W*(?:ip(?:v[46])?\b)?.{0,30}\b(?:for|of|table)\b.{0,12}\b(?:vrf|instance)\b`)

// reader is the state while one text is read.
type reader struct {
	layout.Collector
	text     []byte
	turned   bool // a line was met that changes how the rows below it are read
	legend   *legend
	inLegend bool
	instance string // table (VRF) that the last heading named, "" for the default
	heading  int    // prefix length that the last parent heading gives its children, -1 none
	under    netip.Prefix
	names    map[string]string
	hops     map[string]netip.Addr

	seen   layout.Likenesses[seenRow] // rows by all that they say but the prefix, the metric and the age
	column []byte                     // the code column of the last row, with the blanks behind it

	above     netip.Prefix // of the per-prefix form, whose next hops stand below the prefix
	prefixAt  route.Mark   // its line
	wants     int          // next hops in use by that line
	hopsSeen  int
	short     []shortPrefix
	unsettled bool  // its heading says that what is used changes yet
	straight  bool  // its heading says that it is attached
	err       error // of the last line in that form
	// allUsed: that form's relative, in which every next hop is in use
	allUsed bool

	// The route that is being read: it ends with the next row, since sub-rows may add next hops.
	pending bool
	open    bool // its last line ended with a comma
	prefix  netip.Prefix
	attr    layout.Attributes
	state   route.State
	shared  layout.Shared // of attr, where the row was seen before
	key     bool          // seen has this row's key
	metric  route.Number  // with that
	lo, hi  int

	signs, signsKnown bool // some row has a sign of selection; looked for once

	inLine, outOfLine int // further next hops that stood right below the first one of their row, and that did not
}

// seenRow is what a row led to that said the same.
type seenRow struct {
	shared layout.Shared
	state  route.State
}

// line reads a key, a row, a line that goes on with one, or what stands between. Rows that begin as the one before are
// read by its places first, since most are.
func (r *reader) line(line []byte, lo, hi int) error {
	if r.sameColumn(line) && r.quick(line, lo, hi) {
		return nil
	}
	switch {
	case isLegend(line):
		r.flush()
		r.turned = true
		r.Again() // a key begins another printing
		r.legend, r.inLegend, r.heading = newLegend(), true, -1
		r.seen.Forget()
		r.legend.add(string(line[bytes.IndexByte(line, ':')+1:]))
		r.Pass(lo, hi, layout.Key)
		return nil
	case r.inLegend && (line[0] == ' ' || line[0] == '\t' || goesOnWithKey(line)):
		if r.legend.add(string(line)) {
			r.Pass(lo, hi, layout.Key)
			return nil
		}
	}
	if r.legend != nil && bytes.HasPrefix(line, bestSign) {
		r.turned = true
		r.legend.add("* - best")
		clear(r.legend.codes)
		r.seen.Forget()
		r.Pass(lo, hi, layout.Key)
		return nil
	}
	r.endLegend()
	if r.legend == nil {
		r.legend = defaultLegend()
		if looksMarked(r.text) {
			r.legend = looseLegend()
		}
		r.addSelected()
	}
	if r.perPrefix(line, lo, hi) {
		return r.err
	}
	if len(bytes.Trim(line, "-= \t")) == 0 {
		r.flush()
		r.Pass(lo, hi, layout.Ruler)
		return nil
	}
	if line[0] != ' ' && line[0] != '\t' {
		if isNames(line) {
			r.flush()
			r.Pass(lo, hi, layout.Names)
			return nil
		}
		if isGateway(line) {
			r.Pass(lo, hi, layout.LastResort)
			return nil
		}
		if around.Match(line) {
			r.flush()
			r.endPrefix()
			r.Pass(lo, hi, layout.Other)
			return nil
		}
		if name, ok := instanceHeading(line); ok {
			r.flush()
			r.turned = true
			r.instance, r.heading = name, -1
			r.seen.Forget()
			r.Pass(lo, hi, layout.Title)
			return nil
		}
		if p, end := findPrefix(line); p > 0 && (isLetter(line[0]) || signed(line[:p]) || r.signOfDefault(line[:p])) {
			return r.row(line, p, end, lo, hi)
		}
		return layout.ErrNotARoute
	}
	if p, end := findPrefix(line); p > 0 && !bytes.Contains(line[:p], []byte("via")) {
		if ok, err := r.parent(line, p, end, lo, hi); ok || err != nil {
			return err
		}
		// Some devices indent every row: letters stand before the prefix.
		if first, _ := layout.Field(line, 0); first < p &&
			(isLetter(line[first]) || signed(line[first:p])) {
			return r.row(line, p, end, lo, hi)
		}
	}
	if isNames(line) {
		r.Pass(lo, hi, layout.Names)
		return nil
	}
	return r.subRow(line, lo, hi)
}

// signed reports whether what stands before a prefix begins with a sign of selection and has a code.
func signed(column []byte) bool {
	return (column[0] == '*' || column[0] == '>') && bytes.ContainsFunc(column, unicode.IsLetter)
}

// signOfDefault reports whether a column has no more than the sign that the key gives default routes.
func (r *reader) signOfDefault(column []byte) bool {
	return strings.HasPrefix(r.legend.entries[string(bytes.TrimSpace(column))], "default")
}

// maxCode is how long a word of codes is at most.
const maxCode = 6

// isCodes reports whether what stands in front of a prefix is letters and signs of a code column, not the words of a
// sentence or a file's name.
func isCodes(column []byte) bool {
	for w := range bytes.FieldsSeq(column) {
		if len(w) > maxCode || bytes.ContainsAny(w, ".:/@|") {
			return false
		}
	}
	return true
}

// sameColumn reports whether a line begins with the very letters of the last row that was read, so that its prefix
// stands at the same place.
func (r *reader) sameColumn(line []byte) bool {
	n := len(r.column)
	return n > 0 && len(line) > n && bytes.Equal(line[:n], r.column)
}

// quick reads a row that says what an earlier one said, of another IPv4 prefix; false where it is none.
func (r *reader) quick(line []byte, lo, hi int) bool {
	n := len(r.column)
	p, end, ok := layout.QuickPrefix(line, n)
	if !ok {
		return false
	}
	r.flush() // before the key of its row is lost
	if !r.makeKey(r.column, bytes.TrimSpace(line[end:]), true) {
		return false
	}
	s, seen := r.seen.Known()
	if !seen {
		return false
	}
	r.endPrefix()
	r.inLegend = false
	r.prefix, r.lo, r.hi = p, lo, hi
	r.shared, r.state, r.pending, r.key, r.open = s.shared.With(r.metric), s.state, true, true, false
	r.Collector.Read++
	return true
}

// row reads a line that begins a route.
func (r *reader) row(line []byte, lo, hi int, off, end int) error {
	if !isCodes(line[:lo]) {
		return layout.ErrNotARoute
	}
	r.column = append(r.column[:0], line[:lo]...)
	prefix, err := layout.Prefix(line[lo:hi], false)
	if line[hi-1] == '/' { // 10.61.0.0/   255.255.0.0
		prefix, hi, err = r.withMask(line, lo, hi)
	} else if err == layout.ErrNoLength {
		prefix, hi, err = r.withMask(line, lo, hi)
	}
	if err != nil {
		return err
	}
	r.flush()
	rest := bytes.TrimSpace(line[hi:])
	r.prefix, r.lo, r.hi = prefix, off, end
	if r.key = r.makeKey(line[:lo], rest, prefix.Addr().Is4()); r.key {
		if s, ok := r.seen.Known(); ok {
			r.shared, r.state, r.pending, r.open = s.shared.With(r.metric), s.state, true, false
			r.Collector.Read++
			return nil
		}
	}
	column := string(bytes.TrimSpace(line[:lo]))
	if !r.legend.mayBeCodes(column) {
		return layout.ErrNotARoute
	}
	c := r.legend.read(column)
	if c.doubt != "" && c.state&route.Active != 0 {
		return layout.InDoubt(c.doubt)
	}
	r.shared, r.state = layout.Shared{}, c.state
	r.attr = layout.Attributes{Attributes: route.Attributes{
		Protocol: c.protocol, Subtype: c.subtype, NextHops: r.attr.NextHops[:0]}}
	if !c.known {
		r.attr.Subtype = "code " + column[:1]
	}
	if c.protocol == route.RIP && prefix.Addr().Is6() {
		r.attr.Protocol = route.RIPng
	}
	if c.protocol == route.Local {
		r.attr.Special = route.Receive
	}
	if len(rest) > 0 {
		if err := r.way(rest, c.state&route.Installed != 0, c.backup, false); err != nil {
			return err
		}
		if n := len(r.attr.NextHops); n > 0 && c.protocol == route.Static && !endsOpen(rest) &&
			r.attr.NextHops[n-1] == (route.NextHop{Installed: r.attr.NextHops[n-1].Installed}) {
			return errNoLink
		}
	}
	r.pending, r.open = true, endsOpen(rest)
	r.Collector.Read++
	return nil
}

var errNoLink = errors.New("it names neither an interface nor a next hop")

// makeKey makes the key of a row: family, code column and all behind the prefix but the age, which must stand last.
func (r *reader) makeKey(codes, rest []byte, is4 bool) bool {
	i := bytes.LastIndexByte(rest, ',')
	if i < 0 || i+2 >= len(rest) || !isAge(rest[i+2:]) || len(rest) > 200 {
		return false
	}
	fam := six
	if is4 {
		fam = four
	}
	metric := -1
	if rest[0] == '[' {
		metric = bytes.IndexByte(rest[:i], '/') + 1
	}
	r.metric = r.seen.Key(metric, fam, codes, rest[:i])
	return true
}

// four and six are the families in keys.
var four, six = []byte{'4'}, []byte{'6'}

// withMask completes an address that has no length of its own: a dotted mask may follow, or the parent heading has it.
func (r *reader) withMask(line []byte, lo, hi int) (netip.Prefix, int, error) {
	a, ok := layout.Addr(bytes.TrimSuffix(line[lo:hi], []byte{'/'}))
	if !ok {
		return netip.Prefix{}, hi, layout.ErrAddress
	}
	nlo, nhi := layout.Field(line, hi)
	if m, ok := layout.IPv4(line[nlo:nhi]); ok && a.Is4() {
		n, err := layout.MaskLength(m)
		return netip.PrefixFrom(a, n), nhi, err
	}
	// "10.0.0.0/24 is subnetted" gives the length of every part of network 10.0.0.0 that stands below it (RFC 950).
	if r.heading >= 0 && r.under.IsValid() &&
		(r.under.Contains(a) || a.Is4() && r.under.Addr().Is4() && network.ClassOf(r.under.Addr()).Contains(a)) {
		return netip.PrefixFrom(a, r.heading), hi, nil
	}
	return netip.Prefix{}, hi, layout.ErrNoLength
}

// subRow reads a line below a row: a further next hop, or what resolves a recursive one.
func (r *reader) subRow(line []byte, lo, hi int) error {
	if !r.pending {
		return layout.ErrNoRoute
	}
	if r.open {
		return r.goOn(bytes.TrimSpace(line), hi)
	}
	i, _ := layout.Field(line, 0)
	installed, backup := false, false
	for i < len(line) && !startsWay(line[i:]) {
		switch line[i] {
		case '*':
			installed = true
		case 'b':
			backup = true
		case '>', 'q', 'r', 't', 'o', ' ', '\t':
		default:
			return layout.ErrNotARoute
		}
		i++
	}
	if i == len(line) {
		return layout.ErrNotARoute
	}
	if r.aligned(line, i) {
		r.inLine++
	} else if r.outOfLine++; r.inLine > 2*r.outOfLine { // the device aligns them
		return errAligned
	}
	if r.shared != (layout.Shared{}) { // it is no longer the row that was seen
		hops := r.attr.NextHops[:0]
		r.attr = r.Attributes(r.shared)
		r.attr.NextHops = append(hops, r.attr.NextHops...)
		r.shared = layout.Shared{}
	}
	r.key = false
	resolves := false
	for _, h := range r.attr.NextHops {
		resolves = resolves || h.Recursive
	}
	if resolves && bytes.Contains(line[i:], []byte("(recursive)")) {
		resolves = false
	}
	if err := r.way(line[i:], installed, backup, resolves); err != nil {
		return err
	}
	if installed {
		r.state |= route.Installed
	}
	r.hi, r.open = hi, endsOpen(line)
	r.Collector.Read++
	return nil
}

// endsOpen reports whether a line ends with a comma: what it says goes on in the next one.
func endsOpen(line []byte) bool { return bytes.HasSuffix(bytes.TrimRight(line, " \t\r"), []byte{','}) }

// goOn reads the rest of the way that the line above began: age and interface.
func (r *reader) goOn(s []byte, hi int) error {
	r.open, r.key = false, false
	n := len(r.attr.NextHops)
	if n == 0 || r.shared != (layout.Shared{}) {
		return layout.ErrNotARoute
	}
	h := &r.attr.NextHops[n-1]
	if err := r.details(s, h); err != nil {
		return err
	}
	if layout.Discards(h.Interface) && r.attr.Protocol != route.Local {
		r.attr.Special, r.attr.NextHops = route.Blackhole, r.attr.NextHops[:n-1]
	}
	r.hi = hi
	r.Collector.Read++
	return nil
}

// startsWay reports whether s begins with what a sub-row says.
func startsWay(s []byte) bool {
	return bytes.HasPrefix(s, []byte("via ")) || s[0] == '[' || bytes.HasPrefix(s, []byte("directly connected,")) ||
		bytes.HasPrefix(s, []byte("is ")) ||
		bytes.HasPrefix(s, []byte("unreachable")) || bytes.HasPrefix(s, []byte("blackhole"))
}

var errAligned = errors.New("a further next hop that stands under another row than the one above it")

// aligned reports whether what a line says at i stands under what the row above it says of its way: devices print
// further next hops right below the first. A row that has its own way on the next line has nothing to compare with.
func (r *reader) aligned(line []byte, i int) bool {
	row := r.text[r.lo:]
	if end := bytes.IndexByte(row, '\n'); end >= 0 {
		row = row[:end]
	}
	sign := []byte("via ")
	if line[i] == '[' {
		sign = []byte("[")
	}
	at := bytes.Index(row, sign)
	recursive := []byte("(recursive)")
	deeper := i == at+2 && bytes.Contains(row, recursive) && !bytes.Contains(line, recursive) // it resolves that one
	return at < 0 || at == i || deeper
}

// flush ends the route that is being read.
func (r *reader) flush() {
	if !r.pending {
		return
	}
	r.pending = false
	m := layout.Mark(r.lo, r.hi)
	if r.shared != (layout.Shared{}) {
		r.AddShared(r.prefix, r.shared, r.state, m)
		return
	}
	instance := r.instance
	if instance == "" {
		instance = "default"
	}
	switch r.attr.Protocol {
	case route.Direct:
		if r.attr.Special == route.None && !r.prefix.Addr().IsLinkLocalUnicast() && allInactive(r.attr.NextHops) {
			r.state |= route.Unusable
		}
	default:
		if !r.legend.selects && allInactive(r.attr.NextHops) { // listed beside those that are chosen
			r.state = route.Unusable
		}
	}
	shared := r.Add(instance, network.Candidates, r.attr.Route(r.prefix, r.state, m), r.Room(r.text[r.lo:]))
	if r.key && !layout.Nowhere(r.attr.NextHops) && // an unnamed interface is the prefix's own
		(r.metric == r.attr.Metric || !r.metric.Known) {
		r.seen.Keep(seenRow{shared, r.state})
	}
}

func allInactive(hops []route.NextHop) bool {
	for _, h := range hops {
		if !h.Inactive {
			return false
		}
	}
	return len(hops) > 0
}
