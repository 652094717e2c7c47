package lists

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

const toldName = "neighbours in paragraphs"

// Told is the registration of neighbours of which each has a paragraph of names with values, two a line.
var Told = layout.Reader{Name: toldName, Recognise: recogniseTold, Read: ReadTold,
	About: "IPv6 neighbours in a paragraph each, two names with values a line",
	Sample: "IPv6 Address : FD6B:16::20\n" +
		"Link-layer   : 0200-0000-0010        State : REACH\n" +
		"Interface    : hall16                Age   : 3\n"}

var (
	toldAddress = lazyregexp.New(`^\s*IPv6 Address\s*: ([0-9A-Fa-f:]+)\s*$`)
	toldPair    = lazyregexp.New(`([A-Z][A-Za-z -]*?)\s*: (\S*)`)
)

func recogniseTold(text []byte) int {
	n, above := 0, false
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		line := text[lo:min(hi, lo+mostOfLine)]
		if above && strings.HasPrefix(strings.TrimSpace(string(line)), "Link-layer") {
			n += 8
		}
		above = toldAddress.Match(line)
	}
	return n
}

// ReadTold reads a text of this form. A paragraph ends at the next one's address or at a blank line; a name that comes
// twice in one is of another neighbour's, of which the first line is missing.
func ReadTold(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = toldName
	var one *network.Neighbour // that of the lines below
	seen := map[string]bool{}
	end := func(whole bool) {
		switch {
		case one == nil:
		case whole && one.Interface != "" && seen["Link-layer"]:
			c.Read++
			c.Facts.Neighbours = append(c.Facts.Neighbours, *one)
		default:
			c.LeaveUnread(int(one.Mark.Off), int(one.Mark.End), layout.ErrNoRoute)
		}
		one = nil
	}
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:min(hi, lo+mostOfLine)])
		f := toldAddress.FindStringSubmatch(line)
		switch {
		case layout.Blank(text[lo:hi]):
			end(true)
			continue
		case f != nil:
			end(true)
			a, ok := layout.Addr([]byte(f[1]))
			if !ok {
				c.LeaveUnread(lo, hi, layout.ErrAddress)
				continue
			}
			clear(seen)
			one = &network.Neighbour{Address: a, Mark: layout.Mark(lo, hi)}
			continue
		case strings.Trim(line, "- ") == "":
			end(true)
			c.Pass(lo, hi, layout.Ruler)
			continue
		case strings.HasPrefix(strings.TrimSpace(line), "Total: "):
			c.Pass(lo, hi, layout.Count)
			continue
		}
		if one == nil || !tellsMore(one, seen, line) {
			end(false)
			c.LeaveUnread(lo, hi, layout.ErrNoRoute)
			continue
		}
		c.Pass(lo, hi, layout.Part)
	}
	end(true)
	return c.Reading
}

// tellsMore adds what a line tells of a neighbour; false where it is not in the form, or tells again what was told.
func tellsMore(n *network.Neighbour, seen map[string]bool, line string) bool {
	pairs := toldPair.FindAllStringSubmatch(line, -1)
	for _, p := range pairs {
		if seen[p[1]] {
			return false
		}
		seen[p[1]] = true
		switch p[1] {
		case "Link-layer":
			hw, ok := layout.Hardware(p[2])
			if !ok && !unanswered.MatchString(p[2]) {
				return false
			}
			if n.MAC = hw; ok {
				n.State = network.NeighbourAlive
			}
		case "State":
			if strings.HasPrefix(p[2], "INCMP") {
				n.MAC, n.State = "", network.NeighbourPending
			}
		case "Interface":
			n.Interface = p[2]
		}
	}
	return len(pairs) > 0
}
