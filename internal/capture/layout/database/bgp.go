package database

import (
	"errors"
	"fmt"
	"net/netip"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// column is what stands under a name of the BGP table, behind the next hop: numbers, then the path.
type column uint8

const (
	multiExit column = iota
	localPreference
	weight
	path
)

// place is where the name of a column stands, in bytes.
type place struct{ lo, hi int }

// ownWeight is what the daemons give to what the device itself announces.
const ownWeight = 32768

var (
	bgpNames = lazyregexp.New(`^\s*Network\s+(?:Next Hop|NextHop|Nexthop|Next hop)\s+(?:\S+\s+)*Path(?:/Ogn)?\s*$`)
	numberAt = map[column]*lazyregexp.Regexp{
		multiExit:       lazyregexp.New(`\b(?:Metric|MED)\b`),
		localPreference: lazyregexp.New(`\b(?:LocPrf|LocPref|LocalPref)\b`),
		weight:          lazyregexp.New(`\b(?:Weight|PrefVal)\b`),
	}
	// pathWord is an AS number, a set or a confederation, with the letter of the origin perhaps glued to it.
	pathWord = lazyregexp.New(`^(?:[0-9.{},()\[\]]+[ie?]?|[ie?])$`)
	// otherTable names the table of the rows below.
	otherTable = lazyregexp.New(`^\s*(?:VPN-Instance (\S+?),? ` +
		`|Route Distinguisher: ?\S+ \(default for vrf (\S+?)\)|Route Distinguisher: )`)
	errNumbers = errors.New("its numbers do not stand under the names of their columns")
)

// bgpHeading reads where the columns of the BGP table stand.
func bgpHeading(line string) (cols [path + 1]place, ok bool) {
	if !bgpNames.MatchString(line) {
		return cols, false
	}
	for k, re := range numberAt {
		if m := re.FindStringIndex(line); m != nil {
			cols[k] = place{m[0], m[1]}
		}
	}
	at := strings.LastIndex(line, "Path")
	cols[path] = place{at, at + len("Path")}
	return cols, true
}

// title reads a line that says whose table follows. Rows below a route distinguisher alone are of no table of this
// device.
func (r *reader) title(line string) bool {
	m := otherTable.FindStringSubmatch(line)
	if m == nil {
		return false
	}
	r.table, r.last = m[1]+m[2], netip.Prefix{}
	return true
}

// bgpRow reads " *> PREFIX NEXT-HOP METRIC LOCPRF WEIGHT PATH": the numbers by their place under the heading, since any
// may be empty.
func (r *reader) bgpRow(line string, lo, hi int) error {
	i := 0
	for i < len(line) && i < 6 && strings.IndexByte(" *>=sdhirSRNxa", line[i]) >= 0 {
		i++
	}
	codes, w := line[:i], bgpWords(line, i)
	if len(w) == 0 {
		return layout.ErrNotARoute
	}
	start := lo
	if strings.Contains(w[0].text, "/") || len(w) > 1 && layout.LooksLikeAddress([]byte(w[0].text)) &&
		layout.LooksLikeAddress([]byte(w[1].text)) {
		p, err := destination(w[0].text)
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
	hop, ok := layout.Addr([]byte(w[0].text))
	if !ok {
		return fmt.Errorf("%w: %q", layout.ErrAddress, w[0].text)
	}
	for _, x := range w[1:] {
		if !pathWord.MatchString(x.text) {
			return fmt.Errorf("%w: %q", layout.ErrNotARoute, x.text)
		}
	}
	if hop.IsUnspecified() || r.table == "" {
		if r.open.Known() {
			r.Pass(int(r.open.Off), int(r.open.End), layout.PrefixHeading)
			r.open = route.Mark{}
		}
		r.Pass(lo, hi, layout.Other)
		return nil // the device's own announcement, or of no table of its own
	}
	a := layout.Attributes{Attributes: route.Attributes{Protocol: route.BGP, NextHops: []route.NextHop{{Address: hop}}}}
	a.BGP.Session = route.ExternalPeer
	if strings.Contains(codes, "i") {
		a.Subtype, a.BGP.Session = "internal", route.InternalPeer
	}
	if err := r.numbers(line, w[1:], &a); err != nil {
		return err
	}
	if a.BGP.Weight == route.N(ownWeight) {
		r.Pass(lo, hi, layout.Other)
		return nil
	}
	if r.open.Known() {
		r.Collector.Read++
		r.open = route.Mark{}
	}
	r.Add(r.table, network.Database, a.Route(r.last, 0, layout.Mark(start, hi)), 0)
	r.Collector.Read++
	return nil
}

// destination reads a prefix; where the length is that of the address's class, these tables leave it out.
func destination(s string) (netip.Prefix, error) {
	a, ok := layout.IPv4([]byte(s))
	if !ok {
		return layout.Prefix([]byte(s), false)
	}
	bits := 8
	switch first := a.As4()[0]; {
	case first >= 224:
		return netip.Prefix{}, fmt.Errorf("%w: %q", layout.ErrNoLength, s)
	case first >= 192:
		bits = 24
	case first >= 128:
		bits = 16
	case a.IsUnspecified():
		bits = 0
	}
	p := netip.PrefixFrom(a, bits)
	if p.Masked() != p {
		return netip.Prefix{}, fmt.Errorf("%w: %q", layout.ErrNoLength, s)
	}
	return p, nil
}

// bgpWord is a word of a row with where it stands.
type bgpWord struct {
	text string
	place
}

func bgpWords(line string, from int) (out []bgpWord) {
	for lo, hi := layout.Field([]byte(line), from); lo < hi; lo, hi = layout.Field([]byte(line), hi) {
		out = append(out, bgpWord{line[lo:hi], place{lo, hi}})
	}
	return out
}

// numbers reads what stands behind the next hop: each number under the nearest name, then the path.
func (r *reader) numbers(line string, w []bgpWord, a *layout.Attributes) error {
	var has [path]route.Number
	next := column(0)
	for len(w) > 0 && w[0].lo < r.cols[path].lo {
		n, ok := layout.Uint([]byte(w[0].text))
		best, apart := path, 1<<16
		for k := next; ok && k < path; k++ {
			if c := r.cols[k]; c.hi > 0 {
				if d := max(c.lo-w[0].hi, w[0].lo-c.hi, -1); d < apart {
					best, apart = k, d
				}
			}
		}
		if best == path {
			if next > weight { // a long number moved the path out of its place
				break
			}
			return errNumbers
		}
		has[best], next, w = route.N(n), best+1, w[1:]
	}
	a.Metric, a.BGP.ByMetric, a.BGP.LocalPreference = has[multiExit], has[multiExit].Known, has[localPreference]
	a.BGP.Weight = has[weight]
	rest := ""
	if len(w) > 0 {
		rest = line[w[0].lo:]
	}
	// glued to the last AS
	if last := len(rest) - 1; last > 0 && strings.IndexByte("ie?", rest[last]) >= 0 && rest[last-1] != ' ' {
		rest = rest[:last] + " " + rest[last:]
	}
	layout.ASPath(rest, &a.BGP)
	return nil
}
