package lettered

import (
	"net/netip"
	"slices"
	"strconv"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// A lettered listing says more than its rows: how many parts of a network stand below a heading, and where the default
// route leads. Where the rows do not bear that out, the listing is a part of the table.

var (
	toNetwork = lazyregexp.New(`to network (\d+\.\d+\.\d+\.\d+)`)
	subnets   = lazyregexp.New(`(\d+\.\d+\.\d+\.\d+)(/\d+)? is (variably )?subnetted, (\d+) subnets?`)
)

// claim is what a line says of the rows below it, up to the next such line or title.
type claim struct {
	lo, hi  int
	end     int          // of what it speaks of
	network netip.Prefix // the rows of which it counts
	rows    int
	gateway netip.Addr // a destination that must be among the rows
}

// keepClaims marks the tables as parts whose rows do not bear out what is said of them.
func keepClaims(text []byte, r *layout.Reading) {
	var claims []claim
	var ends []int
	for _, p := range r.Passed {
		lo, hi := int(p.Mark.Off), int(p.Mark.End)
		switch p.As {
		case layout.Title:
			ends = append(ends, lo)
		case layout.LastResort:
			ends = append(ends, lo)
			if m := toNetwork.FindSubmatch(text[lo:hi]); m != nil {
				if a, ok := layout.Addr(m[1]); ok {
					claims = append(claims, claim{lo: lo, hi: hi, gateway: a})
				}
			}
		case layout.Parent:
			if m := subnets.FindSubmatch(text[lo:hi]); m != nil {
				a, ok := layout.Addr(m[1])
				n, err := strconv.Atoi(string(m[4]))
				if !ok || err != nil || !a.Is4() {
					continue
				}
				x := claim{lo: lo, hi: hi, network: network.ClassOf(a), rows: n}
				if p, err := layout.Prefix(slices.Concat(m[1], m[2]), false); len(m[3]) > 0 && err == nil {
					x.network = p.Masked() // else the length is that of the parts
				}
				claims = append(claims, x)
			}
		}
	}
	if len(claims) == 0 {
		return
	}
	slices.Sort(ends)
	c := layout.Collector{Reading: *r}
	for _, x := range claims {
		x.end = len(text)
		if i, found := slices.BinarySearch(ends, x.lo+1); i < len(ends) || found {
			x.end = ends[i]
		}
		x.keep(&c)
	}
	for i := range c.Facts.Tables {
		withoutHeading(&c.Facts.Tables[i], claims, ends)
	}
	*r = c.Reading
}

// withoutHeading keeps that rows are missing where a part of a network stands below the heading of another one, or
// below none: listings with headings for networks of class A, B and C print one above the parts of each.
func withoutHeading(t *network.TableFacts, claims []claim, ends []int) {
	heads := func(x claim) bool { return x.network.IsValid() }
	other := func(x claim) bool { return heads(x) && x.network != network.ClassOf(x.network.Addr()) }
	if t.Family != route.IPv4 || !slices.ContainsFunc(claims, heads) || slices.ContainsFunc(claims, other) {
		return
	}
	var above claim      // the heading that the row stands below
	var last route.Route // the row before, in the same section
	told := false
	for k := range t.Routes.Len() {
		r := t.Routes.At(k)
		at := int(r.Mark.Off)
		for len(ends) > 0 && ends[0] < at {
			ends, above, last, told = ends[1:], claim{}, route.Route{}, false
		}
		for len(claims) > 0 && claims[0].lo < at {
			if claims[0].network.IsValid() {
				above, told = claims[0], false
			}
			claims = claims[1:]
		}
		class := network.ClassOf(r.Prefix.Addr())
		if class.IsValid() && r.Prefix.Bits() > class.Bits() && !told &&
			!(above.network.IsValid() && above.network.Contains(r.Prefix.Addr())) {
			missing := netip.PrefixFrom(netip.IPv4Unspecified(), 0)
			if last.Prefix.IsValid() {
				missing = common(last.Prefix.Addr(), r.Prefix.Addr())
			}
			t.Unread = append(t.Unread, network.UnreadRow{Prefix: missing, Any: true, Mark: r.Mark})
			told = true
		}
		last = r
	}
}

// common returns the longest prefix with both addresses of IPv4.
func common(a, b netip.Addr) netip.Prefix {
	bits := 32
	for bits > 0 && netip.PrefixFrom(a, bits).Masked() != netip.PrefixFrom(b, bits).Masked() {
		bits--
	}
	return netip.PrefixFrom(a, bits).Masked()
}

// keep looks at the rows that a claim is about.
func (x *claim) keep(c *layout.Collector) {
	met := map[netip.Prefix]bool{}
	tables := map[string]bool{}
	reached := false
	for i := range c.Facts.Tables {
		t := &c.Facts.Tables[i]
		l := &t.Routes
		for k := firstBehind(l.Len(), func(k int) int { return int(l.At(k).Mark.Off) }, x.lo); k < l.Len(); k++ {
			r := l.At(k)
			if int(r.Mark.Off) >= x.end {
				break
			}
			tables[t.Name] = true
			reached = reached || x.gateway.IsValid() && r.Prefix.Addr() == x.gateway
			if x.network.IsValid() && r.Prefix.Addr().Is4() && x.network.Contains(r.Prefix.Addr()) {
				met[r.Prefix] = true
			}
			if reached || x.network.IsValid() && len(met) >= x.rows {
				return
			}
		}
	}
	if len(tables) == 0 {
		tables["default"] = true
	}
	for _, u := range c.Unread { // a row that could not be read is there
		if at := int(u.Mark.Off); at > x.lo && at < x.end {
			x.rows--
		}
	}
	missing := network.UnreadRow{Prefix: x.network, Any: true, Mark: layout.Mark(x.lo, x.hi)}
	if x.gateway.IsValid() {
		missing.Prefix, missing.Any = netip.PrefixFrom(x.gateway, 0).Masked(), false
		if !x.gateway.IsUnspecified() { // a network that the device takes for its default
			missing.Prefix = network.ClassOf(x.gateway)
		}
	} else if len(met) >= x.rows {
		return
	}
	for i := range c.Facts.Tables {
		if t := &c.Facts.Tables[i]; tables[t.Name] && t.Family == route.IPv4 && missing.Prefix.IsValid() {
			t.Unread = append(t.Unread, missing)
		}
	}
}

// firstBehind finds the first of n offsets, in ascending order, that is greater than at.
func firstBehind(n int, off func(int) int, at int) int {
	lo, hi := 0, n
	for lo < hi {
		if mid := (lo + hi) / 2; off(mid) > at {
			hi = mid
		} else {
			lo = mid + 1
		}
	}
	return lo
}
