// Package database reads protocols' own lists as the routing daemons print them: the RIP table and the BGP table. What
// stands there competes for a place in the routing table, so its routes are candidates and nothing more.
package database

import (
	"errors"
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
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
func heading(line string) (f form, cols map[string]int) {
	w := strings.Join(strings.Fields(line), " ")
	switch {
	case strings.HasPrefix(w, "Network Next Hop Metric LocPrf Weight Path"):
		f = bgp
	case strings.HasPrefix(w, "Network Next Hop") && (strings.Contains(w, "Metric From") || strings.Contains(w, "Via Metric Tag")):
		f = rip
	default:
		return none, nil
	}
	cols = map[string]int{}
	for _, n := range []string{"Network", "Next Hop", "Metric", "LocPrf", "Weight", "Path"} {
		if i := strings.Index(line, n); i >= 0 {
			cols[n] = i + len(n)
		}
	}
	return f, cols
}

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		if f, _ := heading(string(text[lo:min(hi, lo+300)])); f != none {
			n += 20
		}
	}
	return n
}

type reader struct {
	layout.Collector
	form  form
	cols  map[string]int
	last  netip.Prefix // of the row before, for further ways to it
	open  route.Mark   // a line whose next hop is on the next one
	codes string       // in front of that
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	r := reader{}
	r.Layout = name
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:hi])
		if strings.TrimSpace(line) == "" {
			continue
		}
		if f, cols := heading(line); f != none {
			r.leaveOpen()
			r.form, r.cols, r.last = f, cols, netip.Prefix{}
			r.Pass(lo, hi, layout.Names)
			continue
		}
		var err error
		switch {
		case r.form == none && isLegend(line):
			r.Pass(lo, hi, layout.Key)
		case r.form == bgp && (strings.HasPrefix(line, "Displayed ") || strings.HasPrefix(line, "Total number")):
			r.leaveOpen()
			r.Pass(lo, hi, layout.Count)
		case r.form == rip:
			err = r.ripRow(line, lo, hi)
		case r.form == bgp:
			err = r.bgpRow(line, lo, hi)
		default:
			err = layout.ErrNotARoute
		}
		if err != nil {
			r.leaveOpen()
			r.LeaveUnread(lo, hi, err)
		}
	}
	r.leaveOpen()
	return r.Reading
}

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
	for _, begin := range []string{"Codes:", "Sub-codes:", "      (", "BGP table version", "Default local pref", "Status codes:", "Origin codes:",
		"Nexthop codes:", "RPKI validation codes:", "              "} {
		if strings.HasPrefix(line, begin) {
			return true
		}
	}
	return false
}

// ripRow reads "R(n) PREFIX NEXT-HOP METRIC FROM TAG TIME".
func (r *reader) ripRow(line string, lo, hi int) error {
	w := strings.Fields(line)
	if len(w) < 4 {
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
	a := route.Attributes{Protocol: route.RIP, Metric: route.N(m), NextHops: []route.NextHop{{Address: hop}}}
	if p.Addr().Is6() {
		a.Protocol = route.RIPng
	}
	r.Add("default", network.Database, route.Route{Prefix: p, Attributes: &a, Mark: layout.Mark(lo, hi)}, 0)
	r.Collector.Read++
	return nil
}

// bgpRow reads " *> PREFIX NEXT-HOP METRIC LOCPRF WEIGHT PATH": the numbers by their place under the heading, since any
// may be empty.
func (r *reader) bgpRow(line string, lo, hi int) error {
	i := 0
	for i < len(line) && i < 6 && strings.IndexByte(" *>=sdhirSRN", line[i]) >= 0 {
		i++
	}
	codes, rest := line[:i], line[i:]
	w := strings.Fields(rest)
	if len(w) == 0 {
		return layout.ErrNotARoute
	}
	start := lo
	if strings.Contains(w[0], "/") ||
		len(w) > 1 && layout.LooksLikeAddress([]byte(w[0])) && layout.LooksLikeAddress([]byte(w[1])) {
		p, err := layout.Prefix([]byte(w[0]), false)
		if err != nil {
			return err
		}
		r.leaveOpen()
		r.last, w = p.Masked(), w[1:]
		if len(w) == 0 {
			r.open, r.codes = layout.Mark(lo, hi), codes
			return nil
		}
	} else if !r.last.IsValid() {
		return layout.ErrNoRoute
	} else if r.open.Known() {
		start, codes = int(r.open.Off), r.codes
	}
	hop, ok := layout.Addr([]byte(w[0]))
	if !ok {
		return fmt.Errorf("%w: %q", layout.ErrAddress, w[0])
	}
	for _, word := range w[1:] {
		if strings.Trim(word, "0123456789.{},()") != "" && word != "i" && word != "e" && word != "?" {
			return fmt.Errorf("%w: %q", layout.ErrNotARoute, word)
		}
	}
	if hop.IsUnspecified() {
		if r.open.Known() {
			r.Pass(int(r.open.Off), int(r.open.End), layout.PrefixHeading)
			r.open = route.Mark{}
		}
		r.Pass(lo, hi, layout.Other)
		return nil // the device's own announcement
	}
	if r.open.Known() {
		r.Collector.Read++
		r.open = route.Mark{}
	}
	a := route.Attributes{Protocol: route.BGP, NextHops: []route.NextHop{{Address: hop}}}
	if end := r.cols["Metric"]; end <= len(line) {
		from := max(end-len("Metric")-2, strings.Index(line, w[0])+len(w[0]))
		if from < end {
			if n, ok := layout.Uint([]byte(strings.TrimSpace(line[from:end]))); ok {
				a.Metric = route.N(n)
			}
		}
	}
	a.BGP.Session = route.ExternalPeer
	if strings.Contains(codes, "i") {
		a.Subtype, a.BGP.Session = "internal", route.InternalPeer
	}
	a.BGP.MultiExit = a.Metric
	if end := r.cols["LocPrf"]; end > 0 && end <= len(line) {
		if n, ok := layout.Uint([]byte(strings.TrimSpace(line[max(end-len("LocPrf"), 0):end]))); ok {
			a.BGP.LocalPreference = route.N(n)
		}
	}
	if at := r.cols["Weight"]; at > 0 {
		// The path begins behind the word that ends under the weight's heading.
		for lo, hi := layout.Field([]byte(line), max(at-len("Weight"), 0)); lo < hi; lo, hi = layout.Field([]byte(line), hi) {
			if lo < at && hi <= at {
				layout.ASPath(line[hi:], &a.BGP)
				break
			}
		}
	}
	r.Add("default", network.Database, route.Route{Prefix: r.last, Attributes: &a, Mark: layout.Mark(start, hi)}, 0)
	r.Collector.Read++
	return nil
}
