package columns

import (
	"bytes"
	"errors"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

var (
	errRow  = errors.New("does not fit the columns above it")
	errHalf = errors.New("the rest of the row is missing")
)

// section is what the lines above a heading said about the table.
type section uint8

const (
	device     section = iota // a device's own table: every row is in use
	netTools                  // a kernel's, flags as net-tools prints them
	bsd                       // a kernel's, flags as BSD prints them
	host                      // a workstation's
	persistent                // a workstation's configured routes
	stored                    // a workstation's, with the metric of the interface beside and the store each is kept in
)

type reader struct {
	layout.Collector
	aligner
	text      []byte
	cols      []column
	named     bool     // the line above names the columns
	half      []column // the upper half of a heading, whose lower one must be the next line
	lower     []column // where each row takes two lines: of the second
	section   section
	untitled  bool // the section is known by its heading alone
	kernelSix bool // net-tools' table of IPv6 was met
	family    route.Family
	table     string
	legend    map[string]string // letters of flags and types: their words
	inKey     bool

	// A destination whose other cells, or further next hops, stand on the lines below.
	last     *rowCells
	lastRow  rowCells // last, where it was read quickly
	quickly  quickRow // the last row, where it was read quickly and nothing goes on with it yet
	pending  *rowCells
	seen     layout.Likenesses[*likeRow] // of the rows right above
	addrSeen map[netip.Addr]bool
	attached []netip.Prefix    // so far
	links    map[string]string // BSD: the interface of each link
	skip     bool
	fib      bool   // what forwards, as a title says
	singles  []held // of a workstation: its own addresses and those of broadcasts
	frame    frame
	exact    []string // the cells of a row of it, where each column has one
	held     held
	holds    bool
	keyLost  bool   // a line of the key could not be read
	titled   bool   // a title named the table
	lost     bool   // a line that may be the title of another table could not be read
	numbers  bool   // interfaces may be numbers
	best     string // the sign in front of rows that are in use; "": there is none
	typeSign string // the same in front of the types of some rows
	vlans    bool   // the interface's column has the numbers of VLANs, which name no interface

	gluedSeen  map[cell]bool // what gluedWord found
	needs      string        // the letter of routes in use in the key, once needsKnown
	taken      string        // that of those that the forwarding table has taken
	needsKnown bool

	strays []lowerLine // lower lines of rows of two lines that stand below no upper one

	rows    int           // since the last title or count, those included that could not be read
	counted layout.Passed // a line above the rows that counts them
	owes    bool          // the title above tells that a count ends the rows, and none was read
	says    int
}

// numberColumn is a heading whose interfaces may be numbers.
var numberColumn = lazyregexp.New(`(?i)(?:^|\s)(?:VLAN(?:[ -]?ID)?|FACE|IF|ifIndex|Port)(?:\s|$)`)

// vlanColumn is a heading whose interfaces are VLANs.
var vlanColumn = lazyregexp.New(`(?i)(?:^|\s)VLAN(?:[ -]?ID)?(?:\s|$)`)

// rowCells is one row by kinds.
type rowCells struct {
	cell   [types + 1]string
	lo, hi int
	marks  string // in front of it
	more   bool   // it has no destination of its own: it tells a further next hop
}

// isMarks reports whether a word is signs of selection.
func isMarks(s string) bool { return strings.Trim(s, "*>") == "" }

// marked matches a row that begins with such signs.
var marked = lazyregexp.New(`(?m)^ {0,3}(\*>|>|\*)[ \t]+(?:\d+[ \t]+)?(?:\d+\.\d+` +
	`|[0-9A-Fa-f]{0,4}:)[\d.A-Fa-f:/]*[ \t]`)

// bestMark is the sign in front of the rows that are in use; "" where rows have none.
func bestMark(text []byte) string {
	best := ""
	for _, m := range marked.FindAllSubmatch(text[:min(len(text), 1<<16)], -1) {
		if bytes.Contains(m[1], []byte{'>'}) {
			return ">"
		}
		best = "*"
	}
	return best
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{text: text, table: "default", legend: map[string]string{}, addrSeen: map[netip.Addr]bool{},
		gluedSeen: map[cell]bool{}}
	r.Layout = name
	r.learn(text)
	r.best = bestMark(text)
	r.learnTypeSign(text)
	for lo, hi := range layout.Lines(text) {
		if layout.Blank(text[lo:hi]) {
			r.inKey = false
			continue
		}
		if r.quick(text[lo:hi], lo, hi) {
			continue
		}
		r.unfold()
		if r.surely(text[lo:hi]) {
			r.frame.end(&r)
			if r.take(string(text[lo:hi]), lo, hi, r.rowAlone) {
				r.remember(text[lo:hi], lo)
			}
			continue
		}
		r.otherLine(lo, hi)
		if l := r.last; l == nil || !l.more || l.lo != lo { // more than a further next hop
			r.seen.Forget()
		}
	}
	r.unfold()
	r.frame.end(&r)
	if r.pending != nil {
		r.leavePending(layout.ErrCut)
		r.CutLast()
	}
	r.unfinished()
	r.addSingles()
	r.compare()
	r.release()
	for _, h := range r.strays {
		r.Partial(h.table, true, h.lo, h.hi)
	}
	if r.kernelSix {
		r.PartKernelTables()
	}
	return r.Reading
}

// otherLine reads a line that may be anything.
func (r *reader) otherLine(lo, hi int) {
	line := r.text[lo:hi]
	if r.skip { // the second line of column names that was read with the first
		r.skip = false
		r.Pass(lo, hi, layout.Names)
		return
	}
	if cols, ok := stacked(string(line), nextLine(r.text, hi)); ok {
		r.leavePending(errHalf)
		r.cols, r.lower, r.half, r.last, r.inKey, r.skip = cols, nil, nil, nil, false, true
		r.Pass(lo, hi, layout.Names)
		return
	}
	if line[0] == '|' { // a table in a frame
		r.frame.line(r, line, lo, hi)
		return
	}
	r.frame.end(r)
	if line[0] == ' ' && r.cols == nil && above(string(line), nextLine(r.text, hi)) {
		r.Pass(lo, hi, layout.Names)
		return
	}
	r.take(string(line), lo, hi, r.line)
}

// take reads a line, and leaves it unread where that fails.
func (r *reader) take(s string, lo, hi int, read func(s string, lo, hi int) error) bool {
	err := read(s, lo, hi)
	if err != nil {
		r.seen.Forget()
		r.leavePending(errHalf)
		r.leave(s, lo, hi, err)
		r.rows++
	}
	return err == nil
}

// A lowerLine is the lower line of a row of which the upper one, with the destination, is missing.
type lowerLine struct {
	table  string
	lo, hi int
}

// damagedKey and damagedTitle match a line that may be a key, or the title of a table.
var (
	damagedKey   = lazyregexp.New(`(?i)\b(?:flags?|codes?)\b`)
	damagedTitle = lazyregexp.New(`(?i)\b(?:routes?|routing|tables?|vrf|instance|router)\b`)
	someCodes    = lazyregexp.New(`(?:\b[\w?*]{1,2}[:=] ?[\w-]+, ?){2}`)
)

var (
	errTitle  = errors.New("above it stands a line that could not be read and may say whose table this is")
	errLetter = errors.New("a flag that the key does not have, of which a line could not be read")
)

// lostByte reports whether a byte of a line was lost: its words are not what they were.
func lostByte(s string) bool { return strings.ContainsAny(s, "\x00¤") }

// leave leaves a line unread. What goes on with a row goes on with none above it; a key may lack a line then, and a
// table its title.
func (r *reader) leave(s string, lo, hi int, err error) {
	r.LeaveUnread(lo, hi, err)
	r.last = nil
	if r.lower != nil && (s[0] == ' ' || s[0] == '\t') {
		if _, ok := r.align(words(s), r.lower); ok {
			r.strays = append(r.strays, lowerLine{r.table, lo, hi})
		}
	}
	if !errors.Is(err, layout.ErrNotARoute) && !errors.Is(err, errRow) {
		return
	}
	// its words are not what they were, or it was taken out
	damaged := lostByte(s) && strings.TrimSpace(s) != layout.VoidRow
	r.keyLost = r.keyLost || damaged || damagedKey.MatchString(s) || someCodes.MatchString(s)
	r.lost = r.lost || mayNameOther(s) || (r.Collector.Read > 0 || r.cols != nil || r.titled) &&
		(damaged || damagedTitle.MatchString(s))
}

// line takes a row of column names as what the rows below mean, until the next one; all else is a row, a part of one,
// or about the table.
func (r *reader) line(s string, lo, hi int) error {
	cols, k := heading(s)
	if k == lower && r.half == nil {
		k = noHeading
	}
	switch k {
	case whole:
		r.cols, r.lower, r.half = cols, nil, nil
	case upper:
		r.cols, r.lower, r.half = nil, nil, cols
	case lower:
		r.cols, r.lower, r.half = r.half, cols, nil
	}
	if k != noHeading {
		r.release()
		r.numbers = numberColumn.MatchString(s)
		r.storedBelow(s)
		r.named = true
		own := strings.Contains(strings.ToLower(s), "genmask") // net-tools' word
		switch {
		case own && r.section == device: // the title is missing
			r.section, r.untitled = netTools, true
		case !own && r.untitled:
			r.section, r.untitled = device, false
		}
		r.Plain = r.section == netTools
		r.vlans = vlanColumn.MatchString(s)
		r.leavePending(errHalf)
		r.last, r.inKey = nil, false
		r.Pass(lo, hi, layout.Names)
		return nil
	}
	r.half = nil
	named := r.named
	r.named = false
	if named && r.ruled(s) {
		r.Pass(lo, hi, layout.Ruler)
		return nil
	}
	if as, ok := r.aside(s); ok {
		r.Pass(lo, hi, as)
		r.count(s, lo, hi)
		return nil
	}
	if r.cols == nil {
		return layout.ErrNotARoute
	}
	return r.ofTable(s, lo, hi)
}

// rowAlone is line for one that is surely a row.
func (r *reader) rowAlone(s string, lo, hi int) error {
	r.named = false
	return r.ofTable(s, lo, hi)
}

// ofTable reads a row of the table that the lines above name.
func (r *reader) ofTable(s string, lo, hi int) error {
	if r.lost {
		return errTitle
	}
	return r.row(s, lo, hi)
}

// aside reads what is no row: titles that say what follows, rulers, keys, totals.
func (r *reader) aside(s string) (layout.As, bool) {
	t := strings.TrimSpace(s)
	low := strings.ToLower(strings.TrimPrefix(t, "-- "))
	if strings.Trim(t, "-=_+*| \t") == "" {
		return layout.Ruler, true
	}
	if len(t) < longestTitle && (t[0] > '9' || t[0] < '0') {
		if x, ok := titlesElsewhere[fold(t)]; ok {
			low = x
		}
	}
	if name, ok := instanceTitle(t); ok && !strings.HasPrefix(low, "routing table: ipv") {
		r.unfinished()
		r.owes = countedAtTheEnd.MatchString(t)
		r.compare()
		r.table, r.cols, r.last, r.lost, r.titled = name, nil, nil, false, true
		clear(r.addrSeen) // tables may use the same addresses
		return layout.Title, true
	}
	switch {
	case low == "fib table:":
		r.fib, r.cols, r.last = true, nil, nil
		return layout.Title, true
	case strings.TrimSuffix(low, ":") == "ipv4 routing table", strings.TrimSuffix(low, ":") == "ipv6 routing table":
		r.family, r.cols, r.last = route.IPv4, nil, nil
		if low[3] == '6' {
			r.family = route.IPv6
		}
		return layout.Title, true
	case low == "routing table: ipv4", low == "routing table: ipv6":
		r.family, r.cols, r.last = route.IPv4, nil, nil
		if strings.HasSuffix(low, "6") {
			r.family = route.IPv6
		}
		return layout.Title, true
	case strings.HasPrefix(low, "kernel ip"):
		r.release()
		r.section, r.family, r.cols = netTools, route.IPv4, nil
		if strings.HasPrefix(low, "kernel ipv6") {
			r.family, r.kernelSix = route.IPv6, true
		}
		return layout.Title, true
	case t == "Internet:", t == "Internet6:":
		r.release()
		r.section, r.family, r.cols = bsd, route.IPv4, nil
		if t == "Internet6:" {
			r.family = route.IPv6
		}
		return layout.Title, true
	case strings.HasPrefix(low, "route tree for protocol family "):
		r.release()
		r.section, r.family = bsd, route.IPv4 // the names stand once, above all of them
		if strings.Contains(low, "internet v6") || strings.Contains(low, "family 24") {
			r.family = route.IPv6
		}
		return layout.Title, true
	case low == "ipv4 route table", low == "ipv6 route table":
		r.release()
		r.section, r.family, r.cols = host, route.IPv4, nil
		if low[3] == '6' {
			r.family = route.IPv6
		}
		return layout.Title, true
	case low == "active routes:":
		r.section = host
		return layout.Title, true
	case low == "persistent routes:":
		r.release()
		r.section, r.cols, r.last = persistent, nil, nil
		return layout.Title, true
	case fibCount.MatchString(low):
		r.fib = true
		return layout.Other, true
	case low == "none",
		low == "done",
		low == "route table:",
		low == "interfaces:",
		low == "routing tables",
		low == "ip route table",
		low == "ip routing table",
		low == "net::routes",
		strings.HasPrefix(low, "routing table"),
		strings.HasSuffix(low, "route entries"),
		strings.HasPrefix(
			low,
			"total ",
		),
		strings.HasPrefix(low, "destinations :"),
		strings.HasPrefix(low, "destinations:"),
		strings.HasPrefix(
			low,
			"default gateway:",
		),
		strings.HasPrefix(low, "interface list"),
		strings.HasPrefix(low, "number of routes"),
		strings.HasPrefix(low, "no. of routes"),
		strings.HasPrefix(low, "no of routes"):
		return layout.Other, true
	}
	if strings.Contains(low, "routes total") && countBelow.MatchString(t) {
		return layout.Other, true
	}
	if strings.Contains(t, " out of ") && countOf.MatchString(t) {
		return layout.Other, true
	}
	if (t[0] < '0' || t[0] > '9' || strings.Contains(t, "routes")) && remark.MatchString(t) {
		return layout.Other, true
	}
	if r.cols == nil && strings.Contains(t, "...") && t[0] >= '0' && t[0] <= '9' {
		return layout.Other, true // a workstation's list of interfaces
	}
	if !r.key(t) {
		return layout.Key, false
	}
	r.needsKnown = false
	return layout.Key, true
}

// fibCount matches what some devices tell of the size of the table that forwards, above its rows.
var fibCount = lazyregexp.New(`^(?:maximum|number) of (?:ipv[46] )?fib entries\b`)

// remark matches what some devices print around a table: abbreviations, the sign for equal cost, counts by length.
var remark = lazyregexp.New(
	`^slot +\d+$|^Proto: Protocol|^Displaying |^Command Execution Time: |^[+*>!] = [A-Z]|(?i)^mask distribution` +
		`|^route origin distribution|^ipv[46] prefixes with active (?:ecmp )?routes\b` +
		`|^\d+ (?:default routes|routes at length \d+|routes from \w+)\b|^-+ \(?end\b`,
)
