// Package ifconfig reads the paragraphs of interfaces that BSD systems and the older tools of Linux print: the name and
// flags first, indented lines with addresses below. It exists because on those boxes nothing else tells what is whose
// address.
//
// What an interface shares with other boxes (vhid, CARP) is its own only where a line says that it is master now.
package ifconfig

import (
	"bytes"
	"errors"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

const name = "BSD interfaces"

// Reader is the registration of this family.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "interfaces in paragraphs, with flags in angle brackets or behind \"Link encap\", of BSD systems and " +
		"older tools of Linux",
	Sample: "em0: flags=8843<UP,BROADCAST,RUNNING,SIMPLEX,MULTICAST> metric 0 mtu 1500\n" +
		"\tether 02:6b:6a:00:00:21\n" +
		"\tinet 10.61.16.1 netmask 0xffffff00 broadcast 10.61.16.255\n"}

var (
	// head is the first line of newer tools: name, flags.
	head = lazyregexp.New(`^([A-Za-z][\w.@-]*)((?::\d+)?): flags=[0-9a-fA-F]+<([A-Z0-9_,-]*)>`)
	// oldHead is the first line of older ones.
	oldHead = lazyregexp.New(`^([A-Za-z][\w.@-]*)((?::\d+)?)\s+Link encap:(\S+)(?:.*HWaddr ([0-9A-Fa-f:]{17}))?`)
	// oldFlags is the line of older tools that tells whether it is up.
	oldFlags = lazyregexp.New(`^\s+(?:([A-Z][A-Z ]*?)\s+)?MTU:\d+`)
	mac      = lazyregexp.New(`^[0-9a-f]{2}(?::[0-9a-f]{2}){5}$`)
)

var errShared = errors.New("a shared address, and no line tells whether this box has it now")

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if line := text[lo:hi]; hi-lo < 400 && (head.Match(line) || oldHead.Match(line)) {
			n += 3
		}
	}
	return n
}

// paragraph is one interface as far as it was read.
type paragraph struct {
	reader
	i      network.Interface
	found  bool
	shared map[string][]network.Address // by the number that they are shared by
	master map[string]bool
	told   map[string]bool // whether a line tells who is master
}

type reader = *layout.Collector

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = name
	p := paragraph{reader: &c}
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		switch m, old := head.FindSubmatch(line), oldHead.FindSubmatch(line); {
		case m != nil:
			p.end()
			p.begin(string(m[1]), lo, hi)
			p.flags(strings.Split(string(m[3]), ","))
			c.Read++
		case old != nil:
			p.end()
			p.begin(string(old[1]), lo, hi)
			p.i.MAC = strings.ToLower(string(old[4]))
			c.Read++
		case !p.found || line[0] != ' ' && line[0] != '\t':
			c.LeaveUnread(lo, hi, layout.ErrNotARoute)
		default:
			p.line(line, lo, hi)
		}
	}
	p.end()
	return c.Reading
}

func (p *paragraph) begin(name string, lo, hi int) {
	*p = paragraph{reader: p.reader, i: network.Interface{Name: name, Mark: layout.Mark(lo, hi)}, found: true,
		shared: map[string][]network.Address{}, master: map[string]bool{}, told: map[string]bool{}}
}

// flags tells by words whether the interface is up and has a link (IFF_UP, IFF_RUNNING).
func (p *paragraph) flags(words []string) {
	p.i.State = network.LinkDown
	up, running := false, false
	for _, w := range words {
		up, running = up || w == "UP", running || w == "RUNNING"
	}
	p.i.Off, p.i.Mute = !up, layout.Mute(words)
	if up && running {
		p.i.State = network.LinkUp
	}
}

// end adds what the paragraph told. An address that is shared is the box's own where it is master.
func (p *paragraph) end() {
	if !p.found {
		return
	}
	p.Facts.Interfaces = append(p.Facts.Interfaces, p.i)
	for _, id := range slices.Sorted(maps.Keys(p.shared)) {
		for _, a := range p.shared[id] {
			switch {
			case p.master[id]:
				p.Facts.Addresses = append(p.Facts.Addresses, a)
				p.reader.Read++
			case p.told[id]:
				p.Pass(int(a.Mark.Off), int(a.Mark.End), layout.Other)
			default:
				p.LeaveUnread(int(a.Mark.Off), int(a.Mark.End), errShared)
			}
		}
	}
}

// line reads a line below the first.
func (p *paragraph) line(line []byte, lo, hi int) {
	w := strings.Fields(string(line))
	if m := oldFlags.FindSubmatch(line); m != nil {
		p.flags(strings.Fields(string(m[1])))
		p.Pass(lo, hi, layout.Part)
		return
	}
	switch w[0] {
	case "inet", "inet6":
		a, vhid, err := address(w)
		a.Interface, a.Mark = p.i.Name, layout.Mark(lo, hi)
		switch {
		case err != nil:
			p.LeaveUnread(lo, hi, err)
		case !a.Prefix.IsValid(): // not in use
			p.Pass(lo, hi, layout.Other)
		case vhid != "":
			p.shared[vhid] = append(p.shared[vhid], a)
		default:
			p.Facts.Addresses = append(p.Facts.Addresses, a)
			p.reader.Read++
		}
	case "ether", "lladdr", "address:":
		if len(w) > 1 && mac.MatchString(strings.ToLower(w[1])) {
			p.i.MAC = strings.ToLower(w[1])
		}
		p.Pass(lo, hi, layout.Part)
	case "status:":
		if bytes.Contains(line, []byte("no carrier")) || bytes.Contains(line, []byte("no network")) ||
			bytes.Contains(line, []byte("inactive")) {
			p.i.State = network.LinkDown
		}
		p.Pass(lo, hi, layout.Part)
	case "carp:": // carp: MASTER vhid 1 advbase 1 advskew 0
		for i := 2; i+1 < len(w); i++ {
			if w[i] == "vhid" {
				p.told[w[i+1]], p.master[w[i+1]] = true, w[1] == "MASTER"
			}
		}
		p.Pass(lo, hi, layout.Part)
	default:
		p.Pass(lo, hi, layout.Other)
	}
}

// address reads "inet A netmask M …", "inet A/24 …", "inet addr:A … Mask:M", "inet6 A%if prefixlen N …" and "inet6
// addr: A/N …". The zero address is one that the interface does not use. Vhid is the number by which it is shared, ""
// for its own.
func address(w []string) (a network.Address, vhid string, err error) {
	values := map[string]string{}
	for i := 1; i < len(w); i++ {
		switch key, value, glued := strings.Cut(w[i], ":"); {
		case i == 1 && w[0] == "inet" && glued && key == "addr":
			values["addr"] = value
		case i == 1 && w[0] == "inet6" && w[i] == "addr:" && len(w) > 2:
			values["addr"] = w[2]
		case w[0] == "inet" && glued && (key == "Mask" || key == "P-t-P"):
			values[key] = value
		case i == 1:
			values["addr"] = w[i]
		case (w[i] == "netmask" || w[i] == "prefixlen" || w[i] == "vhid") && i+1 < len(w):
			values[w[i]] = w[i+1]
		case w[i] == "-->" && i+1 < len(w):
			values["P-t-P"] = w[i+1]
		case w[0] == "inet6" && (w[i] == "duplicated" || w[i] == "detached"):
			return a, "", nil
		}
	}
	text, length, _ := strings.Cut(values["addr"], "/")
	text, _, _ = strings.Cut(text, "%")
	addr, ok := layout.Addr([]byte(text))
	if !ok || addr.Is4() != (w[0] == "inet") {
		return a, "", fmt.Errorf("%w: %q", layout.ErrAddress, values["addr"])
	}
	bits := addr.BitLen()
	switch {
	case values["P-t-P"] != "": // the far end is no network
	case length != "":
		bits, err = strconv.Atoi(length)
	case values["prefixlen"] != "":
		bits, err = strconv.Atoi(values["prefixlen"])
	case values["netmask"] != "":
		bits, err = mask(values["netmask"])
	case values["Mask"] != "":
		bits, err = mask(values["Mask"])
	}
	if err != nil {
		return a, "", err
	}
	a.Prefix = netip.PrefixFrom(addr, bits)
	// net-tools have the mask in figures; they show the addresses of an interface that have a label of their own alone
	a.First = strings.Contains(values["netmask"]+values["Mask"], ".")
	if !a.Prefix.IsValid() {
		return a, "", fmt.Errorf("%w: %d", layout.ErrPrefixLength, bits)
	}
	return a, values["vhid"], nil
}

// mask reads 255.255.255.0 or 0xffffff00.
func mask(s string) (int, error) {
	if hex, ok := strings.CutPrefix(s, "0x"); ok {
		n, err := strconv.ParseUint(hex, 16, 32)
		if err != nil {
			return 0, fmt.Errorf("%w: %q", layout.ErrNumber, s)
		}
		s = netip.AddrFrom4([4]byte{byte(n >> 24), byte(n >> 16), byte(n >> 8), byte(n)}).String()
	}
	m, ok := layout.Addr([]byte(s))
	if !ok || !m.Is4() {
		return 0, fmt.Errorf("%w: %q", layout.ErrAddress, s)
	}
	return layout.MaskLength(m)
}
