// Package lists reads what devices list beside their routes under column names: their interfaces with address and
// state, and their neighbours' link-layer addresses (ARP, RFC 826, and neighbour discovery, RFC 4861). It exists
// because these tell who owns a next hop, which no routing table does.
//
// A word goes to the column under whose name it stands, or to the nearest that it fits: link-layer addresses are told
// by their form, wherever they stand.
package lists

import (
	"bytes"
	"errors"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const name = "lists"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "interfaces with addresses and state, and neighbours, under column names",
	Sample: "Interface        IP-Address      OK? Method Status   Protocol\n" +
		"hall16           10.61.16.1      YES manual up       up\n" +
		"cable0           172.28.61.5     YES manual down     down\n"}

type mark = route.Mark

// reader is the state while one text is read.
type reader struct {
	layout.Collector
	form       *form
	fresh      bool   // nothing but names came since the heading
	of         string // the interface that the last title names
	titled     string // the table that the last title names, "" where none does
	forwarding string // the letter of the key for interfaces that forward
	others     bool   // the rows are another device's addresses, or may be
	broken     bool   // a row could not be read, which the next may go on with
	within     string // the table of the last interface, "" where none is named
}

// currentTitle is the title of the addresses that a device of a pair has now, where those of the pair stand above them:
// the one that stands by has others.
var currentTitle = []byte("Current IP Address")

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if _, ok := heading(layout.Untab(string(text[lo:min(hi, lo+400)]))); ok {
			n += 4
		}
	}
	return n
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	var r reader
	r.Layout = name
	pair := bytes.Contains(text, currentTitle)
	if m := letterOfForwarding.FindSubmatch(text); m != nil {
		r.forwarding = string(m[1])
	}
	for lo, hi := range layout.Lines(text) {
		line := strings.TrimRight(layout.Untab(string(text[lo:hi])), " \r")
		if strings.TrimSpace(line) == "" {
			continue
		}
		if as, ok := r.aside(line); ok {
			if as == layout.Title {
				r.others = pair && strings.HasPrefix(line, "System IP Address")
			}
			r.Pass(lo, hi, as)
			continue
		}
		if r.others {
			r.Pass(lo, hi, layout.Other)
			continue
		}
		if r.form == nil {
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
			continue
		}
		r.fresh = false
		switch err := r.row(line, lo, hi); {
		case errors.Is(err, errNobody):
			r.Pass(lo, hi, layout.Other)
		case err != nil:
			r.broken = true
			r.LeaveUnread(lo, hi, err)
		default:
			r.Reading.Read++
		}
	}
	return r.Reading
}

var (
	// ofInterface is the title with which a workstation names the interface of the rows below, by its own address.
	ofInterface = lazyregexp.New(`^Interface: (\d+\.\d+\.\d+\.\d+) --- 0x[0-9a-f]+$`)
	// ofLink is that title where the number and the name of the interface stand in it.
	ofLink = lazyregexp.New(`^Interface (\d+): \S[^:]*$`)
	// restOfRow is the VLANs of a neighbour, which some devices put on a line below it.
	restOfRow    = lazyregexp.New(`^\s+\d+/(?:-|\d+)$`)
	titleOfTable = lazyregexp.New(`(?i)\bfor (?:VRF|context) "?([^"\s(]+)"?(?:\(\d+\))?\s*$|^\s*VRF: (\S+)\s*$` +
		`|\((?:Router|Service): ([^()]+)\)\s*$`)
	counted = lazyregexp.New(`(?i)^\s*(?:total\b|the number of|number of|no\. of|interfaces : \d+)` +
		`|: +\d+(?: seconds)?\s*$`)
	keyLine = lazyregexp.New(`(?i)^\s*(?:flags|status|codes|type) ?: |^\s*flags \(|^\s*[*^(+#!]\w*\)?(?::| -) ?[a-z]` +
		`|^[A-Z] - \w+(?:, [A-Z] - \w+)+$|^\s+[A-Z]{1,2} - [A-Z]\w+ `)
)

// aside reads what is no row: names of columns, titles, keys, counts.
func (r *reader) aside(line string) (layout.As, bool) {
	if f, ok := heading(line); ok {
		r.form, r.fresh = f, true
		return layout.Names, true
	}
	if strings.Trim(line, "-=+ |") == "" {
		return layout.Ruler, true
	}
	if line[0] == ' ' && restOfRow.MatchString(line) {
		return layout.Part, true
	}
	if tells(line) {
		if m := ofInterface.FindStringSubmatch(line); m != nil {
			r.of = m[1]
			return layout.Title, true
		}
		return 0, false
	}
	if m := ofLink.FindStringSubmatch(line); m != nil {
		r.of = m[1] // by which its routes name it
		return layout.Title, true
	}
	if m := titleOfTable.FindStringSubmatch(line); m != nil {
		r.titled = instanceName(m[1] + m[2] + m[3])
		return layout.Title, true
	}
	if _, ok := columnNames(line); r.fresh && (ok || fragment(line)) {
		return layout.Names, true
	}
	switch {
	case keyLine.MatchString(line):
		return layout.Key, true
	case counted.MatchString(line):
		return layout.Count, true
	case r.form == nil && fragment(line), strings.HasSuffix(line, ":"), strings.HasSuffix(line, " for all contexts"):
		return layout.Title, true
	}
	return 0, false
}

// tells reports whether a line holds an address of any kind, so that it may not be passed over.
func tells(line string) bool {
	for w := range strings.FieldsSeq(line) {
		if isAddress(strings.TrimSuffix(w, ",")) || layout.IsHardware(w) {
			return true
		}
	}
	return false
}
