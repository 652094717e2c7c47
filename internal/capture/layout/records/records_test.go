package records

import (
	"fmt"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/route"
)

const six = `Routing Table : Public
	Destinations : 4	Routes : 4

Destination  : ::                              PrefixLength : 0
NextHop      : FE80::2                         Preference   : 60
Cost         : 0                               Protocol     : Static
RelayNextHop : ::                              TunnelID     : 0x0
Interface    : up0                             Flags        : RD

Destination  : FD6B:1::                        PrefixLength : 64
NextHop      : FD6B:1::1                       Preference   : 0
Cost         : 0                               Protocol     : Direct
RelayNextHop : ::                              TunnelID     : 0x0
Interface    : hall0                           Flags        : D

Destination  : FD6B:1::1                       PrefixLength : 128
NextHop      : ::1                             Preference   : 0
Cost         : 0                               Protocol     : Direct
Interface    : InLoopBack0                     Flags        : D

Destination  : FD6B:9::                        PrefixLength : 48
NextHop      : ::                              Preference   : 60
Cost         : 0                               Protocol     : Static
Interface    : NULL0                           Flags        : D
`

const four = `Route Flags: R - relay, D - download to fib
------------------------------------------------------------------------------
Routing Table : red
         Destinations : 3        Routes : 3

Destination: 10.61.9.0/24
     Protocol: OSPF               Process ID: 1
   Preference: 10                       Cost: 20
      NextHop: 172.28.61.1         Neighbour: 0.0.0.0
        State: Active Adv                Age: 00h12m31s
          Tag: 0                    Priority: medium
        Label: NULL                  QoSInfo: 0x0
   IndirectID: 0x0
 RelayNextHop: 0.0.0.0           Interface: up0
     TunnelID: 0x0                    Flags: D

Destination: 10.61.9.0/24
     Protocol: Static            Process ID: 0
   Preference: 60                      Cost: 0
      NextHop: 172.28.61.5         Neighbour: 0.0.0.0
        State: Inactive Adv              Age: 00h12m31s
 RelayNextHop: 0.0.0.0           Interface: up1
Destination: 10.61.300.0/24
     Protocol: Static            Process ID: 0
      NextHop: 172.28.61.5         Interface: up1
words that are no pairs
`

func TestRead(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte(six))
	require.Equal(t, []string{
		"4-8 ::/0 static 60/0 via fe80::2 up0 active",
		"10-14 fd6b:1::/64 direct 0/0 via hall0 active",
		"16-19 fd6b:1::1/128 local 0/0 receive active",
		"21-24 fd6b:9::/48 static 60/0 blackhole active",
	}, routesOf(six))
	require.Empty(t, layouttest.Unread([]byte(six), r))
	require.Equal(t, "fd6b:1::1/64 hall0", fmt.Sprint(r.Facts.Addresses[0].Prefix, " ", r.Facts.Addresses[0].Interface))
	require.False(t, r.Facts.Tables[0].Filtered.Known())
	layouttest.Variants(t, Read, six)

	r = layouttest.Laws(t, Read, []byte(four))
	require.Equal(t, []string{"red 6-15 10.61.9.0/24 ospf 10/20 via 172.28.61.1 up0 active", "red 17-22 10.61.9.0/24 static 60/0 via 172.28.61.5 up1"}, routesOf(four))
	require.True(t, r.Facts.Tables[0].Filtered.Known(), "one destination of three is no whole table")
	require.Len(t, r.Unread, 4)
	require.Zero(t, recognise([]byte("Destination: the valley\nInterface : up0\n")))
	require.Positive(t, recognise([]byte(four)))
}

func routesOf(text string) (out []string) {
	r := Read([]byte(text))
	for _, t := range r.Facts.Tables {
		for k := range t.Routes.Len() {
			x := t.Routes.At(k)
			s := ""
			if t.Name != "default" {
				s = t.Name + " "
			}
			line := func(off uint32) int { return 1 + countLines(text[:off]) }
			s += fmt.Sprintf("%d-%d %s %s %d/%d", line(x.Mark.Off), line(x.Mark.End), x.Prefix, x.Protocol, x.Preference.Value, x.Metric.Value)
			if len(x.NextHops) > 0 {
				s += " via"
			} else {
				s += " " + x.Special.String()
			}
			for _, h := range x.NextHops {
				if h.Address.IsValid() {
					s += " " + h.Address.String()
				}
				s += " " + h.Interface
			}
			if x.State != 0 {
				s += " active"
			}
			out = append(out, s)
		}
	}
	return out
}

// TestAnswersForOneDestination: what such an answer says beside its routes; a next hop that another route leads to, and
// one in another instance, of which it does not say all.
func TestAnswersForOneDestination(t *testing.T) {
	answer := func(more, flags string) string {
		return "Routing Table : _public_\nSummary Count : 1\n\nDestination: 10.61.32.0/24\n     Protocol: Static             Process ID: 0\n" +
			"   Preference: 60                       Cost: 0\n      NextHop: 172.28.99.5         Neighbour: 0.0.0.0\n" +
			"        State: Active Adv Relied         Age: 10h12m13s\n   IndirectID: 0x80000001         " + more + "\n" +
			" RelayNextHop: 172.28.61.5         Interface: hall0\n     TunnelID: 0x0                     Flags: " + flags + "\n"
	}
	r := Read([]byte(answer("Instance: NULL", "RD")))
	require.Empty(t, r.Unread)
	require.Equal(t, 1, r.Facts.Tables[0].Routes.Len())
	require.Equal(t, []route.NextHop{{Address: netip.MustParseAddr("172.28.99.5"), Interface: "hall0", Recursive: true}},
		r.Facts.Tables[0].Routes.At(0).NextHops)
	for _, in := range []string{answer("Instance: tills", "RD"), answer("Instance: NULL", "TD")} {
		r := Read([]byte(in))
		require.Empty(t, r.Facts.Tables)
		require.Len(t, r.Unread, 8)
		require.ErrorIs(t, r.Unread[0].Reason, errElsewhere)
	}
}

func countLines(s string) (n int) {
	for _, c := range s {
		if c == '\n' {
			n++
		}
	}
	return n
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(six))
	f.Add([]byte(four))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestNamesWithoutValue: what has no value leaves the record readable where the name may lack one; the flags of a route
// in use never do.
func TestNamesWithoutValue(t *testing.T) {
	record := func(state, flags string) string {
		return "Destination: 10.61.9.0/24\n     Protocol: Static               Process ID: 0\n   Preference: 60                      Cost: 0\n" +
			"      NextHop: 172.28.61.1         Neighbour: \n        State: " + state + " Adv                Age: 00h12m31s\n" +
			"   IndirectID: 0x0            Instance:\n RelayNextHop: 0.0.0.0           Interface: up0\n     TunnelID: 0x0                    Flags:" + flags + "\n"
	}
	for _, tt := range []struct {
		in    string
		state string
	}{
		{record("Active", " D"), ": active installed"},
		{record("Inactive", ""), ""},
	} {
		r := layouttest.Laws(t, Read, []byte(tt.in))
		require.Equal(t, []string{"1 10.61.9.0/24 static 60/0 via 172.28.61.1 dev up0" + tt.state},
			layouttest.Words([]byte(tt.in), r), tt.in)
	}
	r := layouttest.Laws(t, Read, []byte(record("Active", "")))
	require.Empty(t, layouttest.Words(nil, r))
	require.NotEmpty(t, r.Unread)
}
