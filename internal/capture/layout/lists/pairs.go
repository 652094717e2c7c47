package lists

import (
	"errors"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

const pairsName = "addresses in pairs"

// Pairs is the registration of the forms without column names: a line that names and gives, or an entry whose parts are
// told by what they look like.
var Pairs = layout.Reader{Name: pairsName, Recognise: recognisePairs, Read: ReadPairs,
	About: "interfaces and neighbours without column names: names with values, or an entry a line",
	Sample: "name: hall0   mode: static    ip: 10.61.16.1 255.255.255.0   status: up    type: physical\n" +
		"IP=172.28.61.2->172.28.61.2/255.255.255.252 index=5 devname=line0\n" +
		"    hall0 10.61.16.20 0200.0000.0010 12\n"}

var (
	// name: hall   mode: static    ip: 10.61.16.1 255.255.255.0   status: up
	namedPair = lazyregexp.New(`^name: (\S+)\s.*?\bip: (\S+) (\S+)\s+(?:\S+: .*?)?status: (up|down)\b`)
	// IP=10.61.16.1->10.61.16.1/255.255.255.0 index=6 devname=hall
	givenPair = lazyregexp.New(`^IP=(\S+)->(\S+)/(\S+) index=\d+ devname=(\S+)\s*$`)
	// dev=3 devname=hall flag=P scope=0 prefix=64 addr=fd6b:16::1 preferred=…
	sixPair = lazyregexp.New(`^dev=\d+ devname=(\S+) flag=(\S*) scope=\d+ prefix=(\d+) addr=(\S+)(?: \S+=\S*)*\s*$`)
	// ifindex=3 ifname=hall fd6b:16::20 02:00:00:00:00:10 state=00000002 use=…
	indexedEntry = lazyregexp.New(`^(?:if)?index=\d+ ifname=(\S+) ([0-9A-Fa-f.:]+) (\S+) state=([0-9a-f]+)` +
		`(?: \S+=\S*)*\s*$`)
	// an interface, an address, a link-layer address, the age
	bareEntry = lazyregexp.New(`^\s+([A-Za-z][\w./-]*) (\d+\.\d+\.\d+\.\d+) ` +
		`((?:[0-9a-f]{4}\.){2}[0-9a-f]{4})(?: (?:\d+|-|alias))?\s*$`)
	// name (10.61.16.20) at 02:00:00:00:00:10 on hall0, and what was asked for without an answer
	atEntry = lazyregexp.New(`(?i)^\S+ \((\d+\.\d+\.\d+\.\d+)\) at (\S+) ` +
		`(?:\[\w+\] )?((?:PERM |permanent )*)on (\S+)(?: .*)?$`)
	// == [ hall ]
	pairTitle = lazyregexp.New(`^== \[ ?\S+ ?\]\s*$`)
)

func recognisePairs(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if line := text[lo:min(hi, lo+300)]; namedPair.Match(line) || givenPair.Match(line) || bareEntry.Match(line) ||
			atEntry.Match(line) || sixPair.Match(line) || indexedEntry.Match(line) {
			n += 2
		}
	}
	return n
}

// ReadPairs reads a text of these forms.
func ReadPairs(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = pairsName
	for lo, hi := range layout.Lines(text) {
		line := strings.TrimRight(string(text[lo:hi]), " \t\r")
		if strings.TrimSpace(line) == "" {
			continue
		}
		if pairTitle.MatchString(line) {
			c.Pass(lo, hi, layout.Title)
			continue
		}
		switch err := pairsLine(&c, line, layout.Mark(lo, hi)); {
		case errors.Is(err, errNobody), errors.Is(err, errNotOwn):
			c.Pass(lo, hi, layout.Other)
		case err != nil:
			c.LeaveUnread(lo, hi, err)
		default:
			c.Read++
		}
	}
	return c.Reading
}

// pairsLine reads a neighbour that is told in words or in pairs.
func pairsLine(c *layout.Collector, line string, m mark) error {
	if len(line) > 1000 {
		return layout.ErrNotARoute
	}
	if f := bareEntry.FindStringSubmatch(line); f != nil {
		a, ok := layout.Addr([]byte(f[2]))
		if !ok {
			return layout.ErrAddress
		}
		hw, _ := layout.Hardware(f[3])
		c.Facts.Neighbours = append(c.Facts.Neighbours,
			network.Neighbour{Address: a, Interface: f[1], MAC: hw, State: network.NeighbourAlive, Mark: m})
		return nil
	}
	if f := atEntry.FindStringSubmatch(line); f != nil {
		a, ok := layout.Addr([]byte(f[1]))
		hw, known := layout.Hardware(f[2])
		if !ok || !known && !unanswered.MatchString(f[2]) {
			return layout.ErrAddress
		}
		n := network.Neighbour{Address: a, Interface: f[4], MAC: hw, Written: strings.Contains(f[3], "PERM"), Mark: m}
		if known {
			n.State = network.NeighbourAlive
		}
		c.Facts.Neighbours = append(c.Facts.Neighbours, n)
		return nil
	}
	if f := givenPair.FindStringSubmatch(line); f != nil {
		p, err := layout.Prefix([]byte(f[2]+"/"+f[3]), true)
		if err != nil || f[1] != f[2] {
			return layout.ErrNotARoute // the other end's address stands behind the arrow
		}
		c.Facts.Addresses = append(c.Facts.Addresses, network.Address{Prefix: p, Interface: f[4], Mark: m})
		return nil
	}
	if f := indexedEntry.FindStringSubmatch(line); f != nil {
		return indexed(c, f, m)
	}
	if f := sixPair.FindStringSubmatch(line); f != nil {
		p, err := layout.Prefix([]byte(f[4]+"/"+f[3]), true)
		if err == nil && strings.ContainsAny(f[2], "TF") {
			return errNotOwn
		}
		if err == nil {
			c.Facts.Addresses = append(c.Facts.Addresses, network.Address{Prefix: p, Interface: f[1], Mark: m})
		}
		return err
	}
	f := namedPair.FindStringSubmatch(line)
	if f == nil {
		return layout.ErrNotARoute
	}
	p, err := layout.Prefix([]byte(f[2]+"/"+f[3]), true)
	if err != nil {
		return err
	}
	c.Facts.Interfaces = append(c.Facts.Interfaces,
		network.Interface{Name: f[1], State: stateOf([]string{f[4]}), Mark: m})
	if p.Addr() != netip.IPv4Unspecified() {
		c.Facts.Addresses = append(c.Facts.Addresses, network.Address{Prefix: p, Interface: f[1], Mark: m})
	}
	return nil
}

// errNotOwn is of an address that the interface does not answer for: tentative, or failed (RFC 4862).
var errNotOwn = errors.New("an address that is not in use")

// unansweredStates are those of a kernel's neighbour without an answer (NUD_INCOMPLETE, NUD_FAILED), in hexadecimal.
var unansweredStates = layout.WordSet("00000001 00000020")

// indexed reads a neighbour with the number of its interface.
func indexed(c *layout.Collector, f []string, m mark) error {
	a, ok := layout.Addr([]byte(f[2]))
	hw, known := layout.Hardware(f[3])
	switch {
	case !ok || !known && !unanswered.MatchString(f[3]):
		return layout.ErrAddress
	case a.IsMulticast() || hw == "ff:ff:ff:ff:ff:ff":
		return errNobody
	}
	n := network.Neighbour{Address: a, Interface: f[1], Mark: m}
	if known && hw != "00:00:00:00:00:00" && !unansweredStates[f[4]] {
		n.MAC, n.State = hw, network.NeighbourAlive
	}
	c.Facts.Neighbours = append(c.Facts.Neighbours, n)
	return nil
}
