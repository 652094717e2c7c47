package columns

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"maps"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
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
)

type reader struct {
	layout.Collector
	aligner
	cols    []column
	half    []column // the upper half of a heading, whose lower one must be the next line
	lower   []column // where each row takes two lines: of the second
	section section
	family  route.Family
	table   string
	legend  map[string]string // letters of flags and types: their words
	inKey   bool

	// A destination whose other cells, or further next hops, stand on the lines below.
	last     *rowCells
	pending  *rowCells
	addrSeen map[netip.Addr]bool
	attached []netip.Prefix    // so far
	links    map[string]string // BSD: the interface of each link
	skip     bool
	fib      bool // what forwards, as a title says
	held     held
	holds    bool
	keyLost  bool   // a line of the key could not be read
	titled   bool   // a title named the table
	lost     bool   // a line that may be the title of another table could not be read
	numbers  bool   // interfaces may be numbers
	best     string // the sign in front of rows that are in use; "": there is none
	vlans    bool   // the interface's column has the numbers of VLANs, which name no interface

	rows    int           // since the last title or count, those included that could not be read
	counted layout.Passed // a line above the rows that counts them
	says    int
}

// numberColumn is a heading whose interfaces may be numbers.
var numberColumn = regexp.MustCompile(`(?i)(?:^|\s)(?:VLAN(?:[ -]?ID)?|FACE|IF|ifIndex|Port)(?:\s|$)`)

// vlanColumn is a heading whose interfaces are VLANs.
var vlanColumn = regexp.MustCompile(`(?i)(?:^|\s)VLAN(?:[ -]?ID)?(?:\s|$)`)

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
var marked = regexp.MustCompile(`(?m)^ {0,3}(\*>|>|\*)[ \t]+(?:\d+[ \t]+)?(?:\d+\.\d+|[0-9A-Fa-f]{0,4}:)[\d.A-Fa-f:/]*[ \t]`)

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
	r := reader{table: "default", legend: map[string]string{}, addrSeen: map[netip.Addr]bool{}}
	r.Layout = name
	r.learn(text)
	r.best = bestMark(text)
	for lo, hi := range layout.Lines(text) {
		if layout.Blank(text[lo:hi]) {
			r.inKey = false
			continue
		}
		if r.skip { // the second line of column names that was read with the first
			r.skip = false
			r.Pass(lo, hi, layout.Names)
			continue
		}
		if cols, ok := stacked(string(text[lo:hi]), nextLine(text, hi)); ok {
			r.leavePending(errHalf)
			r.cols, r.lower, r.half, r.last, r.inKey, r.skip = cols, nil, nil, nil, false, true
			r.Pass(lo, hi, layout.Names)
			continue
		}
		if text[lo] == '|' { // a table in a frame
			r.framed(text[lo:hi], lo, hi)
			continue
		}
		if text[lo] == ' ' && r.cols == nil && above(string(text[lo:hi]), nextLine(text, hi)) {
			r.Pass(lo, hi, layout.Names)
			continue
		}
		if err := r.line(string(text[lo:hi]), lo, hi); err != nil {
			r.leavePending(errHalf)
			r.leave(string(text[lo:hi]), lo, hi, err)
			r.rows++
		}
	}
	if r.pending != nil {
		r.leavePending(layout.ErrCut)
		r.CutLast()
	}
	r.compare()
	r.release()
	return r.Reading
}

// damagedKey and damagedTitle match a line that may be a key, or the title of a table.
var (
	damagedKey   = regexp.MustCompile(`(?i)\b(?:flags?|codes?)\b`)
	damagedTitle = regexp.MustCompile(`(?i)\b(?:routes?|routing|tables?|vrf|instance|router)\b`)
	someCodes    = regexp.MustCompile(`(?:\b[\w?*]{1,2}[:=] ?[\w-]+, ?){2}`)
)

var (
	errTitle  = errors.New("above it stands a line that could not be read and may say whose table this is")
	errLetter = errors.New("a flag that the key does not have, of which a line could not be read")
)

// leave leaves a line unread. What goes on with a row goes on with none above it; a key may lack a line then, and a table its
// title.
func (r *reader) leave(s string, lo, hi int, err error) {
	r.LeaveUnread(lo, hi, err)
	r.last = nil
	if !errors.Is(err, layout.ErrNotARoute) && !errors.Is(err, errRow) {
		return
	}
	damaged := strings.ContainsAny(s, "\x00¤") // its words are not what they were, or it was taken out
	r.keyLost = r.keyLost || damaged || damagedKey.MatchString(s) || someCodes.MatchString(s)
	r.lost = r.lost || (r.Collector.Read > 0 || r.cols != nil || r.titled) && (damaged || damagedTitle.MatchString(s))
}

// framed reads a line of a table that is drawn with a frame: names, a row, or what a row above had no room for.
func (r *reader) framed(line []byte, lo, hi int) {
	s := strings.TrimRight(inParentheses.ReplaceAllStringFunc(strings.ReplaceAll(string(line), "|", " "), blanks), " ")
	if strings.TrimSpace(s) == "" {
		r.Pass(lo, hi, layout.Part)
		return
	}
	if cols, k := heading(strings.TrimRight(strings.ReplaceAll(string(line), "|", " "), " ")); k == whole {
		r.cols, r.lower, r.half, r.last, r.inKey = cols, nil, nil, nil, false
		r.Pass(lo, hi, layout.Names)
		return
	}
	if err := r.line(s, lo, hi); err != nil {
		r.leave(s, lo, hi, err)
	}
}

// inParentheses matches what a cell of a framed table says beside its value; nothing is the word for an empty one.
var inParentheses = regexp.MustCompile(`\([^()]*\)|\bNone\b`)

// blanks puts blanks in the place of such a word, but of one that says that packets are thrown away.
func blanks(s string) string {
	if word := strings.Trim(s, "()"); discardWords[fold(word)] != 0 {
		return " " + word + strings.Repeat(" ", len(s)-len(word)-1)
	}
	return strings.Repeat(" ", len(s))
}

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
		r.numbers = numberColumn.MatchString(s)
		r.vlans = vlanColumn.MatchString(s)
		r.leavePending(errHalf)
		r.last, r.inKey = nil, false
		r.Pass(lo, hi, layout.Names)
		return nil
	}
	r.half = nil
	if as, ok := r.aside(s); ok {
		r.Pass(lo, hi, as)
		r.count(s, lo, hi)
		return nil
	}
	if r.cols == nil {
		return layout.ErrNotARoute
	}
	if r.lost {
		return errTitle
	}
	return r.row(s, lo, hi)
}

// aside reads what is no row: titles that say what follows, rulers, keys, totals.
func (r *reader) aside(s string) (layout.As, bool) {
	t := strings.TrimSpace(s)
	low := strings.ToLower(t)
	if strings.Trim(t, "-=_+*| \t") == "" {
		return layout.Ruler, true
	}
	if name, ok := instanceTitle(t); ok && !strings.HasPrefix(low, "routing table: ipv") {
		r.compare()
		r.table, r.cols, r.last, r.lost, r.titled = name, nil, nil, false, true
		return layout.Title, true
	}
	switch {
	case low == "fib table:":
		r.fib, r.cols, r.last = true, nil, nil
		return layout.Title, true
	case low == "ipv4 routing table:", low == "ipv6 routing table:":
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
		r.section, r.family, r.cols = netTools, route.IPv4, nil
		if strings.HasPrefix(low, "kernel ipv6") {
			r.family = route.IPv6
		}
		return layout.Title, true
	case t == "Internet:", t == "Internet6:":
		r.section, r.family, r.cols = bsd, route.IPv4, nil
		if t == "Internet6:" {
			r.family = route.IPv6
		}
		return layout.Title, true
	case strings.HasPrefix(low, "route tree for protocol family "):
		r.section, r.family = bsd, route.IPv4 // the names stand once, above all of them
		if strings.Contains(low, "internet v6") || strings.Contains(low, "family 24") {
			r.family = route.IPv6
		}
		return layout.Title, true
	case low == "ipv4 route table", low == "ipv6 route table":
		r.section, r.family, r.cols = host, route.IPv4, nil
		if low[3] == '6' {
			r.family = route.IPv6
		}
		return layout.Title, true
	case low == "active routes:":
		r.section = host
		return layout.Title, true
	case low == "persistent routes:":
		r.section, r.cols, r.last = persistent, nil, nil
		return layout.Title, true
	case low == "none",
		low == "routing tables",
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
	if strings.Contains(t, " out of ") && countOf.MatchString(t) {
		return layout.Other, true
	}
	if (t[0] < '0' || t[0] > '9' || strings.Contains(t, "routes")) && remark.MatchString(t) {
		return layout.Other, true
	}
	if r.cols == nil && strings.Contains(t, "...") && t[0] >= '0' && t[0] <= '9' {
		return layout.Other, true // a workstation's list of interfaces
	}
	return layout.Key, r.key(t)
}

// remark matches what some devices print around a table: abbreviations, the sign for equal cost, counts by length.
var remark = regexp.MustCompile(
	`^Proto: Protocol|^Displaying |^Command Execution Time: |^[+*>!] = [A-Z]|(?i)^mask distribution|^\d+ (?:default routes|routes at length \d+)\b|^-+ \(?end\b`,
)

// instanceTitle reads a title that names the table of what follows.
func instanceTitle(t string) (string, bool) {
	for _, begin := range []string{"VIRTUAL ROUTER: ", "virtual-router name: ", "Logical Router: ", "logical-router name: ", "VRF: ", "Routing Tables: ", "Routing Table : ", "Routing Table: ", "vrf "} {
		rest, ok := strings.CutPrefix(t, begin)
		if !ok {
			continue
		}
		name, _, _ := strings.Cut(strings.TrimSpace(rest), " ")
		return instanceName(strings.Trim(name, ":")), true
	}
	if !strings.HasPrefix(t, "IP") {
		return "", false
	}
	if m := titleInWords.FindStringSubmatch(t); m != nil {
		return instanceName(m[1] + m[2] + m[3]), true
	}
	return "", false
}

// titleInWords matches "IPv4 Dest-Routes for <NAME> (4 entries)" and "IP Route - NAME".
var titleInWords = regexp.MustCompile(`^IPv[46] Dest-Routes for <([^<>]+)> \(\d+ entries\)$|^IP(?:v6)? Route - (\S+)$|^IPv[46] unicast route table of network instance (\S+)$`)

// instanceName is "default" for the names that the main instance goes by.
func instanceName(name string) string {
	switch strings.ToLower(name) {
	case "", "public", "default", "_public_", "vr-default", "main", "globalrouter", "trust-vr":
		return "default"
	}
	return name
}

// key reads a legend: "Flags: X - word, Y - word", "flags: X:word, …", "Origin: (d) Direct, …", and the lines under
// one.
func (r *reader) key(t string) bool {
	r.keyLost = r.keyLost || strings.ContainsRune(t, 0) && (r.inKey || damagedKey.MatchString(t) || someCodes.MatchString(t))
	if r.colonKey(t) {
		return true
	}
	first, rest, ok := strings.Cut(t, ":")
	f := strings.TrimSpace(strings.ToLower(first))
	if i := strings.Index(t, " - "); i > 0 && strings.HasSuffix(strings.ToLower(t[:i]), "codes") {
		r.inKey = true
		r.colonEntries(t[i+3:])
		return true
	}
	starts := ok &&
		(strings.HasSuffix(f, "flags") || strings.HasSuffix(f, "codes") || strings.HasPrefix(f, "origin") || strings.HasSuffix(f, "legend") || f == "headers")
	if starts {
		r.inKey, t = true, rest
	} else if !r.inKey {
		return false
	}
	found := false
	if strings.Contains(t, "(") {
		for _, m := range entry.FindAllStringSubmatch(t, -1) {
			r.legend[m[1]], found = strings.ToLower(strings.TrimSpace(m[2])), true
		}
	}
	if found {
		return true
	}
	for e := range strings.SplitSeq(t, ",") {
		e = strings.TrimSpace(e)
		k, text, ok := strings.Cut(e, " - ")
		for _, sep := range [...]string{":", "="} {
			if !ok {
				k, text, ok = strings.Cut(e, sep)
			}
		}
		k = strings.TrimSpace(k)
		found = found || ok && r.inKey && len(k) <= 10 && !strings.ContainsAny(k, " .") // of longer names no row has letters
		if ok && len(k) > 0 && len(k) <= 3 {
			r.legend[k], found = strings.ToLower(strings.TrimSpace(text)), true
		}
	}
	return found || starts
}

// codeWord matches a code of one or two signs that its meaning follows: "O: OSPF", "iB: IBGP".
var codeWord = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9]?:$`)

// colonKey reads "H: Host C: Connected E1: OSPF external type 1": nothing but codes, each with its meaning behind it.
func (r *reader) colonKey(t string) bool {
	if i := strings.IndexByte(t, ':'); i < 1 || i > 2 {
		return false
	}
	w := strings.Fields(t)
	if len(w) < 2 || !codeWord.MatchString(w[0]) {
		return false
	}
	entries := map[string]string{}
	last := ""
	for _, x := range w {
		switch {
		case codeWord.MatchString(x):
			if last != "" && entries[last] == "" {
				return false
			}
			last = strings.TrimSuffix(x, ":")
		case strings.ContainsAny(x, ":/"):
			return false
		default:
			entries[last] = strings.TrimSpace(entries[last] + " " + strings.ToLower(x))
		}
	}
	if entries[last] == "" {
		return false
	}
	maps.Copy(r.legend, entries)
	return true
}

// learn reads all keys of a text beforehand: some devices print theirs below the rows.
func (r *reader) learn(text []byte) {
	for lo, hi := range layout.Lines(text) {
		if hi-lo > 400 || layout.Blank(text[lo:hi]) {
			r.inKey = false
			continue
		}
		s := string(text[lo:hi])
		if !r.key(strings.TrimSpace(s)) {
			r.inKey = false
		}
	}
	r.inKey = false
}

// entry matches one of a key whose letters stand in parentheses.
var entry = regexp.MustCompile(`\(([^() ]{1,4})\) *([^(),]+)`)

// colonEntries reads "B:BGP D:Connected 1:External Type 1; …": entries parted by blanks, with words of several.
func (r *reader) colonEntries(t string) {
	last := ""
	for w := range strings.FieldsSeq(strings.ReplaceAll(t, ";", " ;:")) {
		if k, text, ok := strings.Cut(w, ":"); ok && len(k) <= 3 {
			last = k
			r.legend[k] = strings.ToLower(text)
		} else if last != "" {
			r.legend[last] += " " + strings.ToLower(w)
		}
	}
}

// row reads a row, or what goes on from the row before.
func (r *reader) row(s string, lo, hi int) error {
	w := words(s)
	marks := ""
	if r.best != "" && len(w) > 1 && isMarks(w[0].text) && (isNumber(w[1].text) || isDestination(w[1].text)) {
		marks, w = w[0].text, w[1:]
	}
	if r.section == bsd && len(w) > 0 && w[0].lo == 0 && len(w[0].text) <= 3 && isNumber(w[0].text) {
		w[0].text += "/8" // the zeros and the length are left out
	}
	// "Default Route" and "Default" stand for the prefix of length 0.
	w = joinPair(w, "default", "route")
	w = joinInterface(joinPair(w, "black", "hole"))
	if len(w) > 1 && isNumber(strings.TrimSuffix(w[0].text, ")")) && w[0].hi <= r.cols[0].lo { // a number of the row that has no column
		w = w[1:]
	}
	if len(w) > 40 {
		return errRow
	}
	if len(w) == 1 && isDestination(w[0].text) { // the rest of the row is on the next line
		r.leavePending(errHalf)
		r.pending = &rowCells{lo: lo, hi: hi}
		r.pending.cell[destination] = w[0].text
		return nil
	}
	cols := r.cols
	if r.lower != nil && r.pending != nil {
		return r.secondLine(s, lo, hi)
	}
	cells, ok := r.align(w, cols)
	if !ok {
		return errRow
	}
	row := rowCells{lo: lo, hi: hi, marks: marks}
	row.fill(cols, cells)
	if row.cell[destination] == "" && marks == "" && r.last != nil {
		row.marks = r.last.marks
	}
	if r.lower != nil {
		if row.cell[destination] == "" {
			return errRow
		}
		r.pending = &row
		return nil
	}
	if glued(cols, cells) || r.oddNumber(&row) || r.oddFlags(row.cell[flags]) {
		return errRow
	}
	if row.cell[destination] == "" && cols[0].kind == destination && len(cols) > 1 && w[0].lo < cols[1].lo && w[0].lo <= cols[0].lo {
		return errRow // words stand where the destination should
	}
	above := r.pending
	if row.cell[destination] != "" {
		r.leavePending(errHalf)
		above = nil
	} else {
		switch {
		case above != nil:
			row.cell[destination], row.lo = above.cell[destination], above.lo
		case r.last != nil && row.cell[gateway] != "": // a further next hop
			if _, ok := layout.Addr([]byte(strings.Trim(row.cell[gateway], "+[]"))); !ok {
				return errRow // of words nobody knows whether they belong there
			}
			row.more = true
			for _, k := range [...]kind{destination, mask, length} {
				row.cell[k] = r.last.cell[k]
			}
			if row.cell[protocol] == "" {
				for _, k := range [...]kind{protocol, preference, metric} {
					if row.cell[k] == "" {
						row.cell[k] = r.last.cell[k]
					}
				}
				if row.cell[flags] == "" {
					row.cell[flags] = r.last.cell[flags]
				}
			}
		default:
			return errRow
		}
	}
	return r.complete(&row, above)
}

// complete adds a row that is whole, of which another line may hold the beginning.
func (r *reader) complete(row, above *rowCells) error {
	if err := r.add(row); err != nil {
		if above != nil {
			r.leavePending(err)
		}
		return err
	}
	r.last, r.pending = row, nil
	r.rows++
	r.Collector.Read++
	if above != nil {
		r.Collector.Read++
	}
	return nil
}

// leavePending leaves the beginning of a row unread, whose end did not come.
func (r *reader) leavePending(why error) {
	if p := r.pending; p != nil {
		r.pending = nil
		r.LeaveUnread(p.lo, p.hi, why)
	}
}

// glued reports whether the number of a column that is empty may stand glued to the name in the next one: "0eth1".
func glued(cols []column, cells []string) bool {
	for i, c := range cols {
		if re := gluedWords[c.kind]; re != nil && re.MatchString(cells[i]) && discardWords[fold(cells[i])] == 0 {
			return true
		}
	}
	for i := 1; i < len(cols); i++ {
		if cols[i].kind == ifname && cells[i-1] == "" && cols[i-1].kind != gateway && cols[i-1].kind != flags && startsWithNumber.MatchString(cells[i]) {
			return true
		}
	}
	return false
}

// gluedWords match cells of two columns that lost the blank between them: a word for a discard or an attached network with a name
// or number behind it, an interface with an age.
var gluedWords = map[kind]*regexp.Regexp{
	gateway: regexp.MustCompile(`(?i)^(?:discard|drop|receive|attached|blackhole|reject|direct|connected)\w`),
	ifname:  regexp.MustCompile(`\d+[dh]:\d+|^\d+:\d+:\d+[A-Za-z]|^(?:discard|receive|attached|blackhole|reject|connected)[A-Z]|\d[A-Z]{4,}$`),
}

// oddNumber reports whether a number stands where other tables of this form have an interface's name.
func (r *reader) oddNumber(row *rowCells) bool {
	return !r.numbers && isNumber(row.cell[ifname]) || strings.ContainsRune(row.cell[ifname], '!')
}

// oddFlags reports whether flags are none that BSD has, who writes them in one word.
func (r *reader) oddFlags(s string) bool {
	return r.section == bsd && (!strings.Contains(s, "U") || strings.Contains(strings.TrimSpace(s), " "))
}

// letters looks for flags that the key does not explain, where a line of it was lost.
func (r *reader) letters(s string) error {
	if !r.keyLost {
		return nil
	}
	for f := range strings.FieldsSeq(s) {
		if r.legend[f] == "" && len(f) <= 2 {
			return errLetter
		}
	}
	return nil
}

var startsWithNumber = regexp.MustCompile(`^\d+[A-Za-z]`)

// joinPair makes one word of two that stand side by side and mean the first or both together.
func joinPair(w []word, first, second string) []word {
	for i := 0; i+1 < len(w); i++ {
		if strings.EqualFold(w[i].text, first) && strings.EqualFold(w[i+1].text, second) {
			text := first
			if !isDefault(first) {
				text += second
			}
			w[i] = word{text, w[i].lo, w[i+1].hi}
			return slices.Delete(w, i+1, i+2)
		}
	}
	return w
}

// Brackets around an address say nothing; around a name behind an address they part the two.
var withoutBrackets, apartBrackets = strings.NewReplacer("[", "", "]", ""), strings.NewReplacer("[", " ", "]", " ")

// joinInterface makes one word of an interface whose kind and number stand apart, as "ve 10".
func joinInterface(w []word) []word {
	for i := 0; i+1 < len(w); i++ {
		if w[i+1].lo == w[i].hi+1 && layout.ApartInterface(w[i].text, w[i+1].text) {
			w[i] = word{w[i].text + " " + w[i+1].text, w[i].lo, w[i+1].hi}
			w = slices.Delete(w, i+1, i+2)
		}
	}
	return w
}

// fill takes the cells of one line.
func (row *rowCells) fill(cols []column, cells []string) {
	for i, c := range cols {
		if cells[i] != "" && row.cell[c.kind] == "" {
			row.cell[c.kind] = cells[i]
		}
	}
}

// quotedInterface matches a next hop of a link with its interface in quotes: fe80::1-"line1".
var quotedInterface = regexp.MustCompile(`^([0-9A-Fa-f:.]+)-"([^"]+)"$`)

// secondLine reads the lower line of a row that takes two.
func (r *reader) secondLine(s string, lo, hi int) error {
	cells, ok := r.align(joinPair(words(apartBrackets.Replace(s)), "black", "hole"), r.lower)
	if !ok {
		return errRow
	}
	row := *r.pending
	row.fill(r.lower, cells)
	if m := quotedInterface.FindStringSubmatch(cmp.Or(row.cell[gateway], row.cell[ifname])); m != nil {
		row.cell[gateway], row.cell[ifname] = m[1], m[2]
	}
	row.hi = hi
	return r.complete(&row, r.pending)
}

// prefix reads the destination with its mask or length.
func (r *reader) prefix(row *rowCells) (netip.Prefix, error) {
	s := withoutBrackets.Replace(row.cell[destination])
	if isDefault(s) {
		fam := r.family
		if a, ok := layout.Addr([]byte(strings.Trim(row.cell[gateway], "[]"))); ok {
			fam = route.FamilyOf(a)
		}
		if fam == 0 {
			return netip.Prefix{}, layout.ErrFamily
		}
		return fam.Default(), nil
	}
	s, zoneRest, zoned := strings.Cut(s, "%")
	if _, l, ok := strings.Cut(zoneRest, "/"); zoned && ok {
		s += "/" + l
	}
	switch {
	case row.cell[mask] != "":
		m, _ := layout.IPv4([]byte(row.cell[mask]))
		a, ok := layout.Addr([]byte(s))
		if !ok || !a.Is4() {
			return netip.Prefix{}, fmt.Errorf("%w: %q", layout.ErrAddress, s)
		}
		n, err := layout.MaskLength(m)
		return netip.PrefixFrom(a, n), err
	case row.cell[length] != "":
		return layout.Prefix([]byte(s+"/"+row.cell[length]), false)
	}
	if a, ok := layout.IPv4([]byte(s)); ok && r.section == device && len(r.legend) == 0 && strings.HasPrefix(row.cell[flags], "UH") {
		return netip.PrefixFrom(a, 32), nil // up, and a host
	}
	if r.section == bsd && !strings.Contains(s, ":") && strings.Count(s, ".") < 3 {
		return shortPrefix(s)
	}
	return layout.Prefix([]byte(s), r.section == bsd || r.section == netTools)
}

// shortPrefix reads BSD's way of leaving zeros out: 10.61/16, 192.168.1, 127.
func shortPrefix(s string) (netip.Prefix, error) {
	addr, l, hasLen := strings.Cut(s, "/")
	parts := strings.Split(addr, ".")
	var b [4]byte
	for i, p := range parts {
		n, err := strconv.ParseUint(p, 10, 8)
		if err != nil || i > 3 {
			return netip.Prefix{}, fmt.Errorf("%w: %q", layout.ErrAddress, s)
		}
		b[i] = byte(n)
	}
	bits := 8 * len(parts)
	if hasLen {
		n, err := strconv.ParseUint(l, 10, 8)
		if err != nil || n > 32 {
			return netip.Prefix{}, fmt.Errorf("%w: %q", layout.ErrPrefixLength, s)
		}
		bits = int(n)
	}
	return netip.PrefixFrom(netip.AddrFrom4(b), bits), nil
}

// numberCell reads a metric or preference; "-" is none. Preference and metric may share a cell as P/M.
func numberCell(s string) (route.Number, error) {
	if s == "" || s == "-" {
		return route.Number{}, nil
	}
	n, ok := layout.Uint([]byte(s))
	if !ok {
		return route.Number{}, fmt.Errorf("%w: %q", layout.ErrNumber, s)
	}
	return route.N(n), nil
}

func (r *reader) add(row *rowCells) error {
	p, err := r.prefix(row)
	if err != nil {
		return err
	}
	a := route.Attributes{}
	if pref, met, both := strings.Cut(strings.Trim(row.cell[metric], "[]"), "/"); both {
		row.cell[preference], row.cell[metric] = pref, met
	}
	if a.Preference, err = numberCell(row.cell[preference]); err != nil {
		return err
	}
	if r.section == netTools && row.cell[metric] == "-1" {
		row.cell[metric] = "4294967295" // printed as a signed number
	}
	if a.Metric, err = numberCell(row.cell[metric]); err != nil {
		return err
	}
	return r.finish(row, p, a)
}

func (r *reader) kind() network.Kind {
	if r.section == device && !r.fib {
		return network.Candidates
	}
	return network.ForwardingTable
}
