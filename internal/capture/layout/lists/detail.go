package lists

import (
	"cmp"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

const detailName = "interface details"

// Detail is the registration of the form with a paragraph for each interface.
var Detail = layout.Reader{Name: detailName, Recognise: recogniseDetail, Read: ReadDetail,
	About: "a paragraph for each interface: state, addresses, link-layer address",
	Sample: "hall16 is up, line protocol is up\n" +
		"  Hardware is Cable, address is 0200.6b6a.0016\n" +
		"  Internet address is 10.61.16.1/24\n"}

var (
	// Interface hall16 is up, line protocol is up; hall16 is Shutdown, ipv6 protocol is Down, Vrfid is red (0x2)
	stateLine = lazyregexp.New(
		`^(?:Interface )?(\S+)(?: current state ?:| is) ((?:administratively )?(?:up|down)|UP|DOWN` +
			`|Administratively DOWN|Up|Down|Shutdown)\b(?:, (line|ipv[46]) protocol is (up|down|Up|Down))?` +
			`(?:, Vrfid is (\S+) \(0x)?`,
	)
	// hall16, Interface status: protocol-up/link-up/admin-up, iod: 36
	threefoldLine = lazyregexp.New(
		`^(\S+), Interface status: (protocol-(?:up|down)/link-(?:up|down)/admin-(?:up|down))\b`)
	// Interface E0/0 "hall", is up, line protocol is up: routes call it by the name in quotes
	namedLine = lazyregexp.New(
		`^Interface (\S+) "([\w.-]*)", is ((?:administratively )?(?:up|down))(?:, line protocol is (up|down))?`,
	)
	// hall16     [up/down], and below it addresses alone
	bracketLine = lazyregexp.New(`(?i)^(\S+(?: \d\S*)?)\s+\[((?:administratively )?(?:up|down)|shutdown)/(up` +
		`|down)\]\s*$`)
	// Interface eth1, and below it "state on", "link-state link up", "ipv4-address 10.61.16.1/24"
	bareName = lazyregexp.New(`^Interface (\S+)\s*$`)
	switched = lazyregexp.New(`^\s+(?:state (on|off)|link-state (.+?))\s*$`)
)

// mostOfLine is how much of a line is looked at, in bytes.
const mostOfLine = 300

// paragraphHead reads the first line of a paragraph; false for other lines. Bare is the short form, with addresses
// alone below.
func paragraphHead(line string) (i network.Interface, vrf string, bare, ok bool) {
	if f := stateLine.FindStringSubmatch(line); f != nil {
		i := network.Interface{Name: f[1], State: stateOf([]string{f[2], f[4]}), Off: switchedOff(f[2])}
		if f[3] != "" && f[3] != "line" {
			i.State = ofFamily(stateOf([]string{f[2]}), f[4])
		}
		return i, instanceName(f[5]), false, true
	}
	if f := namedLine.FindStringSubmatch(line); f != nil {
		return network.Interface{Name: cmp.Or(f[2], f[1]), State: stateOf([]string{f[3], f[4]}),
			Off: switchedOff(f[3])}, "", false, true
	}
	if f := threefoldLine.FindStringSubmatch(line); f != nil {
		return network.Interface{Name: f[1], State: stateOf([]string{f[2]}), Off: strings.HasSuffix(f[2], "admin-down")},
			"", false, true
	}
	if f := bracketLine.FindStringSubmatch(line); f != nil {
		return network.Interface{Name: f[1], State: stateOf([]string{f[2], f[3]}), Off: switchedOff(f[2])}, "", true, true
	}
	if f := bareName.FindStringSubmatch(line); f != nil {
		return network.Interface{Name: f[1]}, "", false, true
	}
	return network.Interface{}, "", false, false
}

// ofFamily is the state of a link of which one family's protocol has the given state: down is no state of the link.
func ofFamily(link network.LinkState, protocol string) network.LinkState {
	if link == network.LinkUp && stateOf([]string{protocol}) == network.LinkDown {
		return network.LinkUnknown
	}
	return link
}

func recogniseDetail(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if line := text[lo:min(hi, lo+mostOfLine)]; len(line) > 0 && line[0] != ' ' {
			if _, _, _, ok := paragraphHead(string(line)); ok {
				n += 4
			}
		}
	}
	return n
}

// inDetail walks the text.
type inDetail struct {
	layout.Collector
	bare   bool   // addresses stand alone below the interface
	listed bool   // the lines below are addresses, as the one above them says
	six    bool   // the lines are about IPv6
	first  int    // of the addresses, which of them are this paragraph's
	titled string // the table that the title above names, "" where none does
	table  string // of this paragraph
}

// ReadDetail reads a text of this form. The other lines of a paragraph say nothing about where packets go.
func ReadDetail(text []byte) layout.Reading {
	var r inDetail
	r.Layout = detailName
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:hi])
		if strings.TrimSpace(line) == "" {
			continue
		}
		var err error
		if line = line[:min(len(line), mostOfLine)]; line[0] != ' ' && line[0] != '\t' {
			err = r.begins(line, lo, hi)
		} else {
			err = r.below(line, lo, hi)
		}
		if err != nil {
			r.LeaveUnread(lo, hi, err)
		}
	}
	return r.Reading
}

// begins reads a line without blanks in front: of an interface, or of a title.
func (r *inDetail) begins(line string, lo, hi int) error {
	i, vrf, bare, ok := paragraphHead(line)
	switch {
	case !ok && len(r.Facts.Interfaces) > 0 && r.outdented(line, layout.Mark(lo, hi)):
		return nil
	case !ok && statusTitle.MatchString(line):
		r.titled = instanceName(statusTitle.FindStringSubmatch(line)[1])
		r.Pass(lo, hi, layout.Title)
		return nil
	case !ok:
		return layout.ErrNotARoute
	}
	i.Mark = layout.Mark(lo, hi)
	r.Facts.Interfaces = append(r.Facts.Interfaces, i)
	r.bare, r.listed, r.six, r.first, r.table = bare, false, false, len(r.Facts.Addresses), cmp.Or(vrf, r.titled)
	r.Read++
	return nil
}

// below reads a line of a paragraph.
func (r *inDetail) below(line string, lo, hi int) error {
	n := len(r.Facts.Interfaces)
	if n == 0 {
		return layout.ErrNoRoute
	}
	i := &r.Facts.Interfaces[n-1]
	if f := switched.FindStringSubmatch(line); f != nil {
		setState(i, f[1], f[2])
		r.Pass(lo, hi, layout.Part)
		return nil
	}
	if f := instanceLine.FindStringSubmatch(line); f != nil {
		r.table = instanceName(f[1] + f[2])
		for k := r.first; k < len(r.Facts.Addresses); k++ {
			r.Facts.Addresses[k].Table = r.table
		}
		r.Pass(lo, hi, layout.Part)
		return nil
	}
	if found, err := r.address(line, lo, hi); found {
		return err
	}
	if r.tunnel(line, i.Name, layout.Mark(lo, hi)) {
		return nil
	}
	if applied(&r.Collector, line, i.Name, r.six, lo, hi) {
		r.Read++
		return nil
	}
	if f := hardwareOf.FindStringSubmatch(line); f != nil && i.MAC == "" {
		i.MAC, _ = layout.Hardware(f[1])
	}
	r.Pass(lo, hi, layout.Other)
	return nil
}

var (
	// Line protocol current state : DOWN
	protocolLine = lazyregexp.New(`^(Line|IPv6) protocol current state ?: ?(UP|DOWN)\b`)
	// names with values, sentences, of which none is an interface's heading
	outOther = lazyregexp.New(`^(?:admin state is |Description ?:|Route Port,|IP Sending Frames|The Maximum ` +
		`|Switch Port|Last |Current |Media type|Port Mode|Speed |Input|Output|Physical is |Broadcast address ?: ` +
		`|(?:[\w-]+ )*(?:packets|number) ?:)`)
)

// outdented reads a line of a paragraph whose lines are not indented; false where it may begin another one.
func (r *inDetail) outdented(line string, m mark) bool {
	i := &r.Facts.Interfaces[len(r.Facts.Interfaces)-1]
	if found, err := r.address(line, int(m.Off), int(m.End)); found {
		return err == nil
	}
	if r.tunnel(line, i.Name, m) {
		return true
	}
	if f := protocolLine.FindStringSubmatch(line); f != nil {
		switch {
		case f[1] == "IPv6":
			i.State = ofFamily(i.State, f[2])
		case f[2] == "DOWN":
			i.State = network.LinkDown
		}
		r.Passed = append(r.Passed, layout.Passed{Mark: m, As: layout.Part})
		return true
	}
	if !outOther.MatchString(line) {
		return false
	}
	if f := hardwareOf.FindStringSubmatch(line); f != nil && i.MAC == "" {
		i.MAC, _ = layout.Hardware(f[1])
	}
	r.Passed = append(r.Passed, layout.Passed{Mark: m, As: layout.Other})
	return true
}

// setState takes what stands below the name of an interface: whether it was switched on, and whether its link is up.
func setState(i *network.Interface, admin, link string) {
	switch {
	case admin == "off":
		i.State, i.Off = network.LinkDown, true
	case link != "" && !strings.HasSuffix(link, "up"):
		i.State = network.LinkDown
	case link != "" && i.State != network.LinkDown:
		i.State = network.LinkUp
	}
}
