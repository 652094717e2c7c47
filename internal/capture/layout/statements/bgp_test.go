package statements

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestHowTheDeviceSpeaksBGP: a statement a line; what changes nothing is none, what is not known says so.
func TestHowTheDeviceSpeaksBGP(t *testing.T) {
	in := []byte(`hostname depot
router bgp 64901
 bgp router-id 10.61.255.1
 no bgp default ipv4-unicast
 neighbor masts peer-group
 neighbor masts remote-as internal
 neighbor 10.61.255.2 peer-group masts
 neighbor 172.28.61.6 remote-as 64998
 neighbor 172.28.61.6 description way out
 neighbor 172.28.61.6 shutdown
 !
 address-family ipv4 unicast
  network 10.61.32.0 mask 255.255.255.0
  redistribute ospf
  redistribute static route-map some
  neighbor 172.28.61.6 activate
  neighbor 172.28.61.6 route-map out-there out
  neighbor 172.28.61.6 weight 50
  neighbor 172.28.61.6 allowas-in
  neighbor masts next-hop-self
  neighbor masts route-reflector-client
 exit-address-family
 address-family ipv4 vrf tickets
  neighbor 172.28.61.10 remote-as 64997
 exit-address-family
 bgp bestpath med missing-as-worst
 bgp bestpath compare-routerid
`)
	r := layouttest.Laws(t, Read, in)
	for i := range r.Facts.BGP {
		r.Facts.BGP[i].Mark = route.Mark{}
	}
	out, four := netip.MustParseAddr("172.28.61.6"), route.IPv4
	require.Equal(t, []network.BGPStatement{
		{Local: 64901},
		{Family: four, Speaks: network.TurnedOff},
		{Group: "masts", Kin: network.SameAS},
		{Peer: netip.MustParseAddr("10.61.255.2"), Within: "masts"},
		{Peer: out, Remote: 64998},
		{Peer: out, Speaks: network.TurnedOff},
		{Family: four, Network: netip.MustParsePrefix("10.61.32.0/24")},
		{Family: four, Peer: out, Speaks: network.TurnedOn},
		{Family: four, Peer: out, Out: true},
		{Family: four, Peer: out, In: true},
		{Family: four, Peer: out, Other: true},
		{Family: four, Group: "masts", Self: true},
		{Family: four, Group: "masts", Client: true},
		{Other: true},
		{Keeps: network.TurnedOff},
	}, r.Facts.BGP)
	require.Equal(t, []bool{false, true}, []bool{r.Facts.Redistributed[0].Filtered, r.Facts.Redistributed[1].Filtered})
	require.Equal(t, four, r.Facts.Redistributed[0].Family)
}

// TestABlockOfBGPAlone: a configuration that holds nothing else is one, and a number in two halves is a number.
func TestABlockOfBGPAlone(t *testing.T) {
	in := []byte("frr version 8.4\nhostname depot\nrouter bgp 1.10\n neighbor 172.28.61.6 remote-as external\n neighbor eth0 interface remote-as external\n")
	require.Positive(t, recognise(in))
	require.Positive(t, recognise([]byte("router bgp 64901\n neighbor 172.28.61.6 remote-as 64998\n")))
	r := layouttest.Laws(t, Read, in)
	require.Len(t, r.Facts.BGP, 3)
	require.Equal(t, uint32(1<<16|10), r.Facts.BGP[0].Local)
	require.Equal(t, network.TurnedOn, r.Facts.BGP[0].Keeps)
	require.Equal(t, network.OtherAS, r.Facts.BGP[1].Kin)
	require.True(t, r.Facts.BGP[2].Other, "a neighbour without an address is not followed")
}

// TestWhatASystemDoesUnasked: of FRR the documentation tells what no line does; of others nothing is taken for granted.
func TestWhatASystemDoesUnasked(t *testing.T) {
	const lines = "hostname depot\nrouter bgp 64901\n no bgp ebgp-requires-policy\n maximum-paths 4\n maximum-paths ibgp 8\n!\n" +
		"router ospf\n redistribute bgp\n redistribute static metric 70\n redistribute connected metric-type 1 metric 30\n" +
		" redistribute rip metric many\n!\nrouter ospf6\n redistribute bgp\n!\n"
	for name, tt := range map[string]struct {
		in      string
		head    network.BGPStatement
		metrics []route.Number
	}{
		"one that says what it is": {"frr version 8.4\n" + lines,
			network.BGPStatement{Local: 64901, Keeps: network.TurnedOn, Paths: 16, Preference: route.N(20), Strict: true},
			[]route.Number{route.N(20), route.N(70), {}, {}, {}}},
		"with other defaults": {"frr version 8.4\nfrr defaults datacenter\n" + lines, network.BGPStatement{Local: 64901},
			[]route.Number{{}, route.N(70), {}, {}, {}}},
		"any other one": {lines, network.BGPStatement{Local: 64901}, []route.Number{{}, route.N(70), {}, {}, {}}},
	} {
		t.Run(name, func(t *testing.T) {
			r := layouttest.Laws(t, Read, []byte(tt.in))
			for i := range r.Facts.BGP {
				r.Facts.BGP[i].Mark = route.Mark{}
			}
			require.Equal(t, []network.BGPStatement{tt.head, {Unruled: true}, {Paths: 4}}, r.Facts.BGP)
			var metrics []route.Number
			for _, x := range r.Facts.Redistributed {
				metrics = append(metrics, x.Metric)
			}
			require.Equal(t, tt.metrics, metrics)
		})
	}
}
