package capture

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/route"
)

// A writer prints random tables in random shapes of one family, and what is read back must be what was written. A shape
// that is met anew goes in here first.

var writtenTables = flag.Int("tables", 150, "how many random tables each writer prints")

// wrote is a route that a writer prints.
type wrote struct {
	table    string // "" for the default one
	prefix   netip.Prefix
	protocol route.Protocol
	pref     uint64
	metric   uint64
	special  route.Special
	hops     []route.NextHop
}

// sheet is a text that is being written, with what it says: a line for each next hop.
type sheet struct {
	*rand.Rand
	strings.Builder
	want  []string
	links []string // the interfaces of the device
	six   bool
}

func (s *sheet) chance(percent int) bool { return s.IntN(100) < percent }

func (s *sheet) pick(words ...string) string { return words[s.IntN(len(words))] }

func (s *sheet) line(format string, args ...any) {
	s.WriteString(strings.TrimRight(fmt.Sprintf(format, args...), " ") + "\n")
}

// says notes what the lines just written tell of a route: preference and metric where they do.
func (s *sheet) says(r wrote, pref, metric bool) {
	a := route.Attributes{Protocol: r.protocol, Special: r.special, NextHops: r.hops}
	x := route.Route{Prefix: r.prefix, Attributes: &a, State: route.Active}
	if pref {
		x.Preference = route.N(r.pref)
	}
	if metric {
		x.Metric = route.N(r.metric)
	}
	s.want = append(s.want, wordsOf(r.table, x)...)
}

// wordsOf words a route, a line for each next hop: shapes differ in whether they print one route with several.
func wordsOf(table string, a route.Route) []string {
	if table == "" {
		table = "default"
	}
	number := func(n route.Number) string {
		if !n.Known {
			return "-"
		}
		return fmt.Sprint(n.Value)
	}
	way := fmt.Sprintf("%s %s %s %s/%s %s active=%v", table, a.Prefix, a.Protocol, number(a.Preference), number(a.Metric), a.Special,
		a.Is(route.Active))
	if len(a.NextHops) == 0 || a.Special != route.None {
		return []string{way}
	}
	var out []string
	for _, h := range a.NextHops {
		out = append(out, fmt.Sprint(way, " ", h.Address, " ", h.Interface))
	}
	return out
}

var linkStyles = []string{"eth%d", "GigabitEthernet0/0/%d", "Vlan%d", "ge-0/0/%d.0", "hall%d", "Gi1/0/%d", "xe-0/1/%d.100", "port%d",
	"Te1/%d", "cable-%d"}

// newSheet begins a text of a device with interfaces of one style of names.
func newSheet(seed uint64, six bool) *sheet {
	s := &sheet{Rand: rand.New(rand.NewPCG(seed, 11)), six: six}
	style := s.pick(linkStyles...)
	for i := range 2 + s.IntN(5) {
		s.links = append(s.links, fmt.Sprintf(style, i+1))
	}
	return s
}

// network is a random prefix, and hop a random next hop.
func (s *sheet) network() netip.Prefix {
	if s.six {
		a := netip.MustParseAddr(fmt.Sprintf("fd%02x:%x:%x:%x::", s.IntN(256), 1+s.IntN(0xfffe), s.IntN(0x10000), s.IntN(0x10000)))
		return netip.PrefixFrom(a, 24+s.IntN(41)).Masked()
	}
	a := netip.AddrFrom4([4]byte{byte([]int{10, 11, 100, 172, 192}[s.IntN(5)]), byte(s.IntN(256)), byte(s.IntN(256)), byte(s.IntN(256))})
	return netip.PrefixFrom(a, 9+s.IntN(24)).Masked()
}

func (s *sheet) hop() netip.Addr {
	if s.six {
		return netip.MustParseAddr(fmt.Sprintf("%s::%x", s.pick("fe80", "fd00:9"), 1+s.IntN(0xffff)))
	}
	return netip.AddrFrom4([4]byte{10, byte(200 + s.IntN(40)), byte(s.IntN(256)), byte(1 + s.IntN(250))})
}

// routes makes up a table, in the order of its prefixes.
func (s *sheet) routes(table string) []wrote {
	protocols := []route.Protocol{route.Direct, route.Static, route.Static, route.OSPF, route.OSPF, route.BGP, route.RIP, route.ISIS}
	var out []wrote
	seen := map[netip.Prefix]bool{}
	for range 1 + s.IntN(20) {
		r := wrote{table: table, prefix: s.network(), protocol: protocols[s.IntN(len(protocols))], pref: uint64(1 + s.IntN(250)),
			metric: uint64(s.IntN(70000))}
		if r.protocol == route.RIP && s.six {
			r.protocol = route.RIPng
		}
		if seen[r.prefix] || r.protocol == route.Direct && r.prefix.IsSingleIP() {
			continue
		}
		seen[r.prefix] = true
		link := func() string { return s.pick(s.links...) }
		switch {
		case r.protocol == route.Direct:
			r.pref, r.metric, r.hops = 0, 0, []route.NextHop{{Interface: link()}}
		case r.protocol == route.Static && s.chance(15):
			r.special = route.Blackhole
		default:
			for range 1 + max(0, s.IntN(8)-4) {
				h := route.NextHop{Address: s.hop(), Interface: link()}
				if !slices.Contains(r.hops, h) {
					r.hops = append(r.hops, h)
				}
			}
		}
		out = append(out, r)
	}
	slices.SortFunc(out, func(x, y wrote) int { return x.prefix.Compare(y.prefix) })
	return out
}

// age is how long ago a route was learned, as devices write it.
func (s *sheet) age() string {
	return s.pick("00:00:09", "01:02:03", "3d04h", "1w2d", "5y3w", "12:34:56")
}

var devices = []string{"mast-7", "hall2", "ridge_3"}

// asked writes a prompt with a command.
func (s *sheet) asked(device, command string) {
	s.line(s.pick("%s#%s", "%s# %s", "%s>%s", "oper@%s> %s"), device, command)
}

// TestWrittenTables: what each writer printed is read back as it was written, all of it, in its table.
func TestWrittenTables(t *testing.T) {
	for name, write := range writers {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			wrong := 0
			for n := range *writtenTables {
				s := newSheet(uint64(n), n%3 == 2)
				write(s)
				text := s.String()
				if s.chance(20) {
					text = strings.ReplaceAll(text, "\n", "\r\n")
				}
				c, err := Read("a/r.txt", []byte(text), 1)
				require.NoError(t, err)
				for i := range c.Parts {
					for _, tab := range c.Parts[i].Facts.Tables {
						require.False(t, tab.Cut, "table %d is whole:\n%s", n, text)
					}
				}
				var got []string
				for tab, r := range toldRoutes(c) {
					if tab.Family == family(s.six) && r.Protocol != route.Local {
						got = append(got, wordsOf(tab.Name, r)...)
					}
				}
				slices.Sort(got)
				slices.Sort(s.want)
				if !slices.Equal(got, s.want) {
					if wrong++; wrong <= 3 {
						t.Errorf("table %d:\n%s\nread:    %s\nwritten: %s", n, text, strings.Join(without(got, s.want), "\n         "),
							strings.Join(without(s.want, got), "\n         "))
					}
				}
			}
			require.Zero(t, wrong, "of %d tables", *writtenTables)
		})
	}
}

func choose(yes bool, one, other string) string {
	if yes {
		return one
	}
	return other
}

func family(six bool) route.Family {
	if six {
		return route.IPv6
	}
	return route.IPv4
}

func without(list, other []string) (out []string) {
	for _, x := range list {
		if !slices.Contains(other, x) {
			out = append(out, x)
		}
	}
	return out
}
