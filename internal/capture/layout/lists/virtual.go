package lists

import (
	"bytes"
	"errors"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

const virtualName = "virtual addresses"

// Virtual is the registration of lists of virtual routers (RFC 9568), as rows or as a paragraph each.
var Virtual = layout.Reader{Name: virtualName, Recognise: recogniseVirtual, Read: ReadVirtual,
	About: "virtual routers (RFC 9568 and its like): which address routers of a segment share, and whether this one " +
		"has it",
	Sample: "Interface   Grp  State    Virtual IP\n" +
		"hall16      7    Master   10.61.16.1\n" +
		"hall17      8    Backup   10.61.17.1\n"}

var (
	virtualColumn = lazyregexp.New(`(?i)\b(?:virtual[ -]ip(?: addr(?:ess)?)?|virtual addr(?:ess)?|vip` +
		`|group addr(?:ess)?|vr ip(?: addr(?:ess)?)?)(?:\s|$)`)
	stateColumn  = lazyregexp.New(`(?i)(?:\bstate|^state)(?:\s|$)`)
	linkColumn   = lazyregexp.New(`(?i)(?:^|\s)(?:interface|intf|port|if)(?:\s|$)`)
	groupHeading = lazyregexp.New(`^(?:(\S+) - Group \d+\b.*|\s*(\S+) \| Virtual Router \d+.*` +
		`|\s*Interface:? +(\S+))\s*$`)
	stateValue   = lazyregexp.New(`(?:^|\s)State(?: is|\s*:)\s+(\w+)`)
	virtualValue = lazyregexp.New(`(?:^|\s)Virtual IP(?: address)?(?: is|\s*:)\s+([0-9A-Fa-f.:]+)(?:/\d+)?(?:\s|$)`)
	aboutGroups  = lazyregexp.New(`^\s+(?:P indicates configured to preempt|\|)|^\s*[-=+ ]+$|(?i)^\s*total\b` +
		`|^\s*(?:\* )?indicates`)
	typedHeading = lazyregexp.New(`^\s*Interface\s+State\s+Group\s+VR state\s+VR Mode(?:\s+Timer)?\s+Type\s+Address\s*$`)
	typedOwn     = lazyregexp.New(`^\s*(\S+)\s+(?:up|down)\s+\d+\s+(\w+)\s+\w+(?:\s+[A-Z]\s+[0-9.]+|\s+N/A)?\s+lcl` +
		`\s+[0-9A-Fa-f.:]+\s*$`)
	typedVirtual = lazyregexp.New(`^\s+vip\s+([0-9A-Fa-f.:]+)\s*$`)
	typedOther   = lazyregexp.New(`^\s+mas\s+[0-9A-Fa-f.:]+\s*$`) // the router that has it
	errNoState   = errors.New("no state that is known stands there, or two do")
)

// holdings are the words for states: the router that has the address, and those that wait or do not take part.
var holdings = map[string]network.Holding{"master": network.Holds, "active": network.Holds,
	"backup": network.StandsBy, "standby": network.StandsBy, "listen": network.StandsBy, "speak": network.StandsBy,
	"learn": network.StandsBy,
	"init":  network.StandsBy, "initialize": network.StandsBy, "initial": network.StandsBy, "down": network.StandsBy}

// recogniseVirtual looks for a heading of such a list, or for a virtual address among lines about a group.
func recogniseVirtual(text []byte) int {
	text = text[:min(len(text), 1<<16)]
	if !saysVirtual(text) {
		return 0
	}
	n, about := 0, 0
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:min(hi, lo+300)])
		if _, ok := virtualHeading(line); ok || typedHeading.MatchString(line) {
			n += 8
		}
		if groupHeading.MatchString(line) || stateValue.MatchString(line) || virtualValue.MatchString(line) {
			about++
		}
		if virtualValue.MatchString(line) && about > 2 {
			n += 8
		}
	}
	return n
}

// saysVirtual looks for the words without which none of the expressions that count can match: most texts have none, and
// the expressions are slow.
func saysVirtual(text []byte) bool {
	low := bytes.ToLower(text)
	for _, w := range [...]string{"virtual", "vip", "group addr", "vr ip", "vr state"} {
		if bytes.Contains(low, []byte(w)) {
			return true
		}
	}
	return false
}

// virtualColumns is where the names of the columns begin and end, in bytes.
type virtualColumns struct{ link, linkEnd, address, addressEnd int }

// under reports whether the word in [a, b) stands under the name in [lo, hi), or begins where that does.
func under(a, b, lo, hi int) bool { return a < hi && lo < b || a <= lo+2 && lo < b+2 }

func virtualHeading(line string) (c virtualColumns, ok bool) {
	a, s, l := virtualColumn.FindStringIndex(line), stateColumn.FindStringIndex(line), linkColumn.FindStringIndex(line)
	if a == nil || s == nil || l == nil || strings.ContainsAny(line, ":=") {
		return c, false
	}
	name := line[l[0]:l[1]]
	begin := l[0] + len(name) - len(strings.TrimLeft(name, " \t"))
	return virtualColumns{begin, begin + len(strings.TrimSpace(name)), a[0], a[1]}, true
}

// virtuals walks the text.
type virtuals struct {
	layout.Collector
	rows   bool
	typed  bool // addresses stand in rows of their own, below that of the interface
	cols   virtualColumns
	ifname string // of the paragraph; "": none is open
	state  network.Holding
	parts  bool // the paragraph's state is known once
}

// ReadVirtual reads a text of this form.
func ReadVirtual(text []byte) layout.Reading {
	var r virtuals
	r.Layout = virtualName
	for lo, hi := range layout.Lines(text) {
		if layout.Blank(text[lo:hi]) {
			continue
		}
		if err := r.line(string(text[lo:min(hi, lo+400)]), lo, hi); err != nil {
			r.LeaveUnread(lo, hi, err)
		}
	}
	return r.Reading
}

// line reads a list, or a paragraph, of addresses that several routers share (RFC 9568).
func (r *virtuals) line(s string, lo, hi int) error {
	if c, ok := virtualHeading(s); ok {
		r.rows, r.typed, r.cols, r.ifname = true, false, c, ""
		r.Pass(lo, hi, layout.Names)
		return nil
	}
	if typedHeading.MatchString(s) {
		r.rows, r.typed, r.ifname = true, true, ""
		r.Pass(lo, hi, layout.Names)
		return nil
	}
	if m := groupHeading.FindStringSubmatch(s); m != nil {
		r.rows, r.ifname, r.state, r.parts = false, m[1]+m[2]+m[3], network.HoldingNotKnown, false
		r.Pass(lo, hi, layout.Part)
		return nil
	}
	if aboutGroups.MatchString(s) {
		r.Pass(lo, hi, layout.Ruler)
		return nil
	}
	switch {
	case r.typed && r.rows:
		return r.typedRow(s, lo, hi)
	case r.rows:
		return r.row(s, lo, hi)
	case r.ifname == "":
		return layout.ErrNotARoute
	}
	return r.inParagraph(s, lo, hi)
}

// inParagraph reads a line about one virtual router. A second state is that of another one, whose heading is missing.
func (r *virtuals) inParagraph(s string, lo, hi int) error {
	state, address := stateValue.FindStringSubmatch(s), virtualValue.FindStringSubmatch(s)
	if state != nil {
		h, ok := holdings[strings.ToLower(state[1])]
		if !ok || r.parts {
			r.ifname = ""
			return errNoState
		}
		r.state, r.parts = h, true
	}
	if address == nil {
		as := layout.Other
		if state != nil {
			as = layout.Part
		}
		r.Pass(lo, hi, as)
		return nil
	}
	return r.add(address[1], r.ifname, r.state, lo, hi)
}

// typedRow reads the row of an interface, or the one below it with the virtual address.
func (r *virtuals) typedRow(s string, lo, hi int) error {
	if m := typedOwn.FindStringSubmatch(s); m != nil {
		state, ok := holdings[strings.ToLower(m[2])]
		if r.ifname = ""; !ok {
			return errNoState
		}
		r.ifname, r.state = m[1], state
		r.Pass(lo, hi, layout.Part)
		return nil
	}
	if typedOther.MatchString(s) {
		r.Pass(lo, hi, layout.Part)
		return nil
	}
	m := typedVirtual.FindStringSubmatch(s)
	if m == nil || r.ifname == "" {
		return layout.ErrNotARoute
	}
	ifname := r.ifname
	r.ifname = "" // of a further one nobody knows whether a row between them is missing
	return r.add(m[1], ifname, r.state, lo, hi)
}

// row reads a row: the interface and the address stand under their names, the state is the first word for one.
func (r *virtuals) row(s string, lo, hi int) error {
	var ifname, address string
	var state network.Holding
	found := false
	for a, b := layout.Field([]byte(s), 0); a < b; a, b = layout.Field([]byte(s), b) {
		word := s[a:b]
		if h, ok := holdings[strings.ToLower(word)]; ok && !found {
			state, found = h, true
		}
		if ifname == "" && under(a, b, r.cols.link, r.cols.linkEnd) && !strings.Contains(word, "(") {
			ifname = word
		}
		if isAddress(word) && under(a, b, r.cols.address, r.cols.addressEnd) {
			address = word
		}
	}
	if !found {
		return errNoState
	}
	if ifname == "" || address == "" {
		return layout.ErrNotARoute
	}
	address, _, _ = strings.Cut(address, "/")
	return r.add(address, ifname, state, lo, hi)
}

func (r *virtuals) add(address, ifname string, state network.Holding, lo, hi int) error {
	a, err := netip.ParseAddr(address)
	if err != nil || a.IsUnspecified() {
		return layout.ErrAddress
	}
	r.Facts.Virtuals = append(r.Facts.Virtuals, network.VirtualAddress{Address: a.WithZone(""), Interface: ifname,
		Holding: state, Mark: layout.Mark(lo, hi)})
	r.Read++
	return nil
}
