package lists

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const nestedText = `Physical interface: line1, Enabled, Physical link is Up
  Interface index: 137, SNMP ifIndex: 508
  Link-level type: Ethernet, MTU: 1514, Loopback: Disabled, Source filtering: Disabled
  Current address: 02:00:6b:6a:00:01, Hardware address: 02:00:6b:6a:00:01

  Logical interface line1.0 (Index 70) (SNMP ifIndex 521)
    Flags: Up SNMP-Traps 0x4000000 Encapsulation: ENET2
    Input packets : 4711
    Protocol inet, MTU: 1500
      Flags: Sendbcast-pkt-to-re, uRPF-loose
      Input Filters: FROM-MAST
      Output Filters: TO-MAST
      Addresses, Flags: Is-Preferred Is-Primary
        Destination: 172.28.61/30, Local: 172.28.61.1, Broadcast: 172.28.61.3
    Protocol inet6, MTU: 1500
      Flags: uRPF
      Addresses, Flags: Is-Preferred
        Destination: fd6b:61::/64, Local: fd6b:61::1
        Destination: fd6b:62::/64, Local: fd6b:63::1

  Logical interface line1.7 (Index 71)
    Flags: Down SNMP-Traps Encapsulation: ENET2
    Protocol inet, MTU: 1500
      Addresses, Flags: Is-Preferred Is-Primary
        Local: 10.61.254.1

Physical interface: line2, Administratively down, Physical link is Up
  Logical interface line2.0 (Index 72)
    Flags: Up Encapsulation: ENET2
    Protocol inet, MTU: 1500
        Destination: 10.61.17.0/24, Local: 10.61.17.1, Broadcast: 10.61.17.255

`

func TestNested(t *testing.T) {
	in := []byte(nestedText)
	r := layouttest.Laws(t, ReadNested, in)
	states := map[string]network.LinkState{}
	for _, i := range r.Facts.Interfaces {
		states[i.Name] = i.State
	}
	require.Equal(t, map[string]network.LinkState{"line1": network.LinkUp, "line1.0": network.LinkUp, "line1.7": network.LinkDown, "line2": network.LinkDown, "line2.0": network.LinkDown}, states)
	require.Equal(t, "02:00:6b:6a:00:01", r.Facts.Interfaces[0].MAC)
	own := map[netip.Prefix]string{}
	for _, a := range r.Facts.Addresses {
		own[a.Prefix] = a.Interface
	}
	require.Equal(t, map[netip.Prefix]string{netip.MustParsePrefix("172.28.61.1/30"): "line1.0", netip.MustParsePrefix("fd6b:61::1/64"): "line1.0",
		netip.MustParsePrefix("10.61.254.1/32"): "line1.7", netip.MustParsePrefix("10.61.17.1/24"): "line2.0"}, own)
	require.Equal(t, []string{"19 not an address"}, layouttest.Unread(in, r))
	require.Len(t, r.Facts.Applied, 2)
	require.Equal(t, "FROM-MAST", r.Facts.Applied[0].List)
	require.Equal(t, network.ComingIn, r.Facts.Applied[0].Rule.Hook)
	require.Equal(t, "line1.0", r.Facts.Applied[0].Rule.In)
	require.Equal(t, "TO-MAST", r.Facts.Applied[1].List)
	require.Equal(t, network.GoingOut, r.Facts.Applied[1].Rule.Hook)
	require.Equal(t, "line1.0", r.Facts.Applied[1].Rule.Out)
	require.Len(t, r.Facts.Checks, 2)
	require.Equal(t, []network.CheckMode{network.CheckLoose, network.CheckStrict}, []network.CheckMode{r.Facts.Checks[0].Mode, r.Facts.Checks[1].Mode})
	require.Equal(t, []route.Family{route.IPv4, route.IPv6}, []route.Family{r.Facts.Checks[0].Family, r.Facts.Checks[1].Family})
	require.Positive(t, recogniseNested(in))

	lost := strings.Replace(nestedText, "  Logical interface line1.7 (Index 71)\n", "", 1)
	r = layouttest.Laws(t, ReadNested, []byte(lost))
	for _, a := range r.Facts.Addresses {
		require.NotEqual(t, netip.MustParseAddr("10.61.254.1"), a.Prefix.Addr(), "nobody knows on which interface it is")
	}
}

func FuzzNested(f *testing.F) {
	f.Add([]byte(nestedText))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadNested, in) })
}

// TestTheShortFormOfNestedDetails has an address on the line of its family, and further ones below.
func TestTheShortFormOfNestedDetails(t *testing.T) {
	in := []byte("Physical interface: hall-0, Enabled, Physical link is Up\n  Logical interface hall-0.0\n" +
		"    Flags: Up SNMP-Traps 0x4004000 Encapsulation: ENET2\n    inet  10.61.16.1/24\n    inet6 fd6b:16::1/64\n" +
		"          fe80::5a:1/64\n    Input packets : 7\n          fe80::5a:2/64\n")
	r := layouttest.Laws(t, ReadNested, in)
	require.Equal(t, []string{"hall-0 up", "hall-0.0 up", "hall-0.0 has 10.61.16.1/24", "hall-0.0 has fd6b:16::1/64",
		"hall-0.0 has fe80::5a:1/64"}, toldBy(r))
}
