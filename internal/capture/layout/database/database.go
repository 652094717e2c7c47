// Package database reads protocols' own lists as the routing daemons print them: the RIP table and the BGP table. What
// stands there competes for a place in the routing table, so its routes are candidates and nothing more.
package database

import (
	"errors"
	"fmt"
	"net/netip"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

const name = "protocol database"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "the routing daemons' RIP and BGP tables: candidates only",
	Sample: "    Network          Next Hop            Metric LocPrf Weight Path\n" +
		" *> 10.61.32.0/24    172.28.61.6             20             0 64998 i\n" +
		" *                   172.28.61.10            30             0 64997 64998 i\n"}

// form is which protocol's list it is.
type form uint8

const (
	none form = iota
	rip       // Network Next Hop Metric From Tag Time
	bgp       // Network Next Hop Metric LocPrf Weight Path
)

// heading reads a heading and where its columns stand.
func heading(line string) (f form, cols [path + 1]place) {
	if cols, ok := bgpHeading(line); ok {
		return bgp, cols
	}
	w := strings.Join(strings.Fields(line), " ")
	if strings.HasPrefix(w, "Network Next Hop") &&
		(strings.Contains(w, "Metric From") || strings.Contains(w, "Via Metric Tag")) {
		return rip, cols
	}
	return none, cols
}

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		line := text[lo:min(hi, lo+300)]
		if f, _ := heading(string(line)); f != none || nothingListed.Match(line) {
			n += 20
		}
	}
	return n
}

type reader struct {
	layout.Collector
	form  form
	cols  [path + 1]place
	table string       // whose rows they are; "": of none of this device
	last  netip.Prefix // of the row before, for further ways to it
	open  route.Mark   // a line whose next hop is on the next one
	codes string       // in front of that
	paths int          // rows of BGP's list, read or not
	whole bool         // and the line at its end counts as many
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{table: "default"}
	r.Layout = name
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:hi])
		if strings.TrimSpace(line) == "" {
			continue
		}
		if f, cols := heading(line); f != none {
			r.leaveOpen()
			r.form, r.cols, r.last = f, cols, netip.Prefix{}
			r.paths, r.whole = 0, false
			r.Pass(lo, hi, layout.Names)
			continue
		}
		var err error
		switch {
		case r.title(line):
			r.leaveOpen()
			r.Pass(lo, hi, layout.Title)
		case isLegend(line) && (r.form == none || line[0] != ' '):
			r.Pass(lo, hi, layout.Key)
		case r.form == bgp && (strings.HasPrefix(line, "Displayed ") ||
			strings.HasPrefix(line, "Total number")), strings.HasPrefix(line, " Total Number of "),
			nothingListed.MatchString(line):
			r.leaveOpen()
			if m := pathsInAll.FindStringSubmatch(line); m != nil {
				r.whole = m[1] == strconv.Itoa(r.paths)
			}
			r.Pass(lo, hi, layout.Count)
		case r.form == rip:
			err = r.ripRow(line, lo, hi)
		case r.form == bgp:
			if err = r.bgpRow(line, lo, hi); !r.open.Known() {
				r.paths++
			}
		default:
			err = layout.ErrNotARoute
		}
		if err != nil {
			r.leaveOpen()
			r.LeaveUnread(lo, hi, err)
		}
	}
	r.leaveOpen()
	for i := range r.Facts.Tables {
		r.Facts.Tables[i].WholeList = r.whole && len(r.Facts.Tables) == 1
	}
	return r.Reading
}

// nothingListed is all that is printed where no path is.
var nothingListed = lazyregexp.New(`^No BGP prefixes displayed, \d+ exist\s*$`)

// pathsInAll is the line at the end that counts all paths, whatever was asked for.
var pathsInAll = lazyregexp.New(`^Displayed +\d+ routes and (\d+) total paths\s*$`)

var errHalf = errors.New("the rest of the row is missing")

// leaveOpen leaves a line unread whose row did not go on.
func (r *reader) leaveOpen() {
	if r.open.Known() {
		r.LeaveUnread(int(r.open.Off), int(r.open.End), errHalf)
		r.open = route.Mark{}
	}
}

// isLegend tells the lines above the heading.
func isLegend(line string) bool {
	for _, begin := range []string{"Codes:", "Sub-codes:", "      (", "BGP table version", "Default local pref",
		"Status codes:", "Origin codes:",
		"Nexthop codes:", "RPKI validation codes:", "              ", " BGP Local router ID", " Local router ID",
		" Status codes:", " RPKI validation codes:", " Origin codes:",
		"BGP Local router ID"} {
		if strings.HasPrefix(line, begin) {
			return true
		}
	}
	return false
}

// mostRIPWords is how many words such a row has at most: one more is of another row.
const mostRIPWords = 8

// ripRow reads "R(n) PREFIX NEXT-HOP METRIC FROM TAG TIME".
func (r *reader) ripRow(line string, lo, hi int) error {
	w := strings.Fields(line)
	if len(w) < 4 || len(w) > mostRIPWords {
		return layout.ErrNotARoute
	}
	p, err := layout.Prefix([]byte(w[1]), false)
	if err != nil {
		return err
	}
	hop, ok := layout.Addr([]byte(w[2]))
	if !ok {
		return fmt.Errorf("%w: %q", layout.ErrAddress, w[2])
	}
	m, ok := layout.Uint([]byte(w[3]))
	if !ok {
		return fmt.Errorf("%w: %q", layout.ErrNumber, w[3])
	}
	if !strings.HasPrefix(w[0], "R") || hop.IsUnspecified() {
		r.Pass(lo, hi, layout.Other)
		return nil // what the protocol was given by another one is no candidate of its own
	}
	a := layout.Attributes{Attributes: route.Attributes{Protocol: route.RIP,
		NextHops: []route.NextHop{{Address: hop}}}, Metric: route.N(m)}
	if p.Addr().Is6() {
		a.Protocol = route.RIPng
	}
	r.Add("default", network.Database, a.Route(p, 0, layout.Mark(lo, hi)), 0)
	r.Collector.Read++
	return nil
}
