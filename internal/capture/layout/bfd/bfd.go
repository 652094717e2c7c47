// Package bfd reads liveness sessions (RFC 5880) as the open routing daemons list them: in blocks, in brief, and in
// columns.
package bfd

import (
	"fmt"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
)

const name = "liveness sessions"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "BFD sessions (RFC 5880) as the open routing daemons list them",
	Sample: "SessionId  LocalAddress       PeerAddress      Status\n" +
		"=========  ============       ===========      ======\n" +
		"4          172.28.61.5        172.28.61.6      up\n"}

// form is how the sessions below a heading look.
type form uint8

const (
	none   form = iota
	blocks      // "peer ADDRESS …", details indented below
	brief       // SessionId LocalAddress PeerAddress Status
	table       // IP address Interface State …
	named       // columns of one word each, NeighAddr … State Int
)

// places are where the words of a session stand in a row of the named form.
type places struct{ peer, state, ifname int }

// placesOf finds the columns of a heading of one word each: a peer's address, its state and the interface.
func placesOf(w []string) (places, bool) {
	one := func(names ...string) int {
		return slices.IndexFunc(w, func(s string) bool { return slices.Contains(names, s) })
	}
	p := places{one("NeighAddr", "PeerIpAddr", "DestAddr"), one("State"), one("Int", "InterfaceName")}
	if p.ifname < 0 && p.peer > 0 && w[p.peer] == "DestAddr" {
		p.ifname = one("Interface")
	}
	if p.peer < 0 && len(w) > 3 && w[0] == "Address" {
		p = places{0, slices.Index(w, "State"), slices.Index(w, "Interface")}
	}
	return p, p.peer >= 0 && p.state > p.peer && p.ifname > p.state
}

// heading tells by the first words of a line which form of session list begins there.
func heading(w []string) form {
	switch {
	case len(w) == 2 && w[0] == "BFD" && w[1] == "Peers:":
		return blocks
	case len(w) >= 4 && w[0] == "SessionId" && w[1] == "LocalAddress" && w[2] == "PeerAddress":
		return brief
	case len(w) > 4 && w[0] == "IP" && w[1] == "address" && w[2] == "Interface" && w[3] == "State":
		return table
	}
	if _, ok := placesOf(w); ok {
		return named
	}
	return none
}

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if heading(strings.Fields(string(text[lo:min(hi, lo+300)]))) != none {
			n += 8
		}
	}
	return n
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = name
	cur := none
	open := -1 // the block's session
	var at places
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:hi])
		if strings.TrimSpace(line) == "" {
			continue
		}
		w := strings.Fields(line)
		if f := heading(w); f != none {
			cur, open = f, -1
			at, _ = placesOf(w)
			c.Pass(lo, hi, layout.Names)
			continue
		}
		if strings.Trim(line, "= -\t") == "" || strings.HasPrefix(line, "Session count:") ||
			strings.Contains(strings.ToLower(line), "session num") || strings.HasSuffix(line, " mode:") ||
			len(w) == 2 && w[1] == "Sessions" ||
			len(w) == 1 && strings.HasSuffix(w[0], ":") && cur != blocks {
			c.Pass(lo, hi, layout.Other)
			continue
		}
		s, peer, err := network.Session{Mark: layout.Mark(lo, hi)}, -1, error(nil)
		switch {
		case cur == blocks && w[0] == "peer" && len(w) > 1:
			peer = 1
			for i := 2; i+1 < len(w); i++ {
				if w[i] == "interface" {
					s.Interface = w[i+1]
				}
			}
		case cur == blocks && open >= 0:
			if w[0] == "Status:" && len(w) > 1 {
				c.Facts.Sessions[open].Up = w[1] == "up"
			}
			c.Facts.Sessions[open].Mark.End = uint32(hi)
			c.Read++
			continue
		case cur == brief && len(w) >= 4:
			peer, s.Up = 2, strings.EqualFold(w[3], "up")
		case cur == table && len(w) >= 3:
			peer, s.Interface, s.Up = 0, w[1], strings.EqualFold(w[2], "up")
		case cur == named && len(w) > at.ifname:
			peer, s.Interface, s.Up = at.peer, w[at.ifname], strings.EqualFold(w[at.state], "up")
		default:
			err = layout.ErrNotARoute
		}
		if err == nil {
			var ok bool
			if s.Peer, ok = layout.Addr([]byte(w[peer])); !ok {
				err = fmt.Errorf("%w: %q", layout.ErrAddress, w[peer])
			}
		}
		if err != nil {
			c.LeaveUnread(lo, hi, err)
			continue
		}
		c.Facts.Sessions = append(c.Facts.Sessions, s)
		open = len(c.Facts.Sessions) - 1
		c.Read++
	}
	return c.Reading
}
