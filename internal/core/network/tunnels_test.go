package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestTunnelsAreMerged: what is listed outranks what is configured, and two that disagree tell no far end.
func TestTunnelsAreMerged(t *testing.T) {
	fact := func(text string, configured bool) network.Facts {
		f := coretest.Facts(text, 1)
		for i := range f.Policy.Tunnels {
			f.Policy.Tunnels[i].Configured = configured
		}
		return f
	}
	for name, c := range map[string]struct{ listed, configured, want string }{
		"one source": {"", "tunnel t from 10.0.0.1 to 10.9.9.9", "10.0.0.1 10.9.9.9 "},
		"the address of an interface": {"addr 10.0.0.1/30 e0\naddr fd61::1/64 e0", "tunnel t from e0 to 10.9.9.9 key 7",
			"10.0.0.1 10.9.9.9 7"},
		"of the family of the far end": {"addr 10.0.0.1/30 e0\naddr fd61::1/64 e0", "tunnel t from e0 to fd61::9",
			"fd61::1 fd61::9 "},
		"a listing outranks": {"tunnel t from 10.0.0.1 to 10.9.9.9", "tunnel t from 10.0.0.1 to 10.8.8.8 key 7",
			"10.0.0.1 10.9.9.9 "},
		"a configuration tells more": {"tunnel t from 10.0.0.1 to 10.9.9.9", "tunnel t from e0 to 10.9.9.9 key 7",
			"10.0.0.1 10.9.9.9 7"},
		"two listings disagree": {"tunnel t from 10.0.0.1 to 10.9.9.9\ntunnel t from 10.0.0.1 to 10.8.8.8", "",
			"10.0.0.1 invalid IP "},
	} {
		t.Run(name, func(t *testing.T) {
			var b network.Builder
			b.Add("a", fact(c.configured, true), 0)
			b.Add("a", fact(c.listed, false), 0)
			got, ok := b.Build().Device("a").Tunnel("t")
			require.True(t, ok)
			require.Equal(t, c.want, got.Local.String()+" "+got.Remote.String()+" "+got.Key)
		})
	}
	_, ok := coretest.Build("a: tunnel t from 10.0.0.1 to 10.9.9.9").Device("a").Tunnel("u")
	require.False(t, ok)
}

func TestNamesOfTunnels(t *testing.T) {
	for _, s := range []string{"Tunnel1", "Tu1", "gr-0/0/0.1", "gre7", "st0.0", "wg0", "tun0", "vti1", "tunnel 1"} {
		require.True(t, network.NamesTunnel(s), s)
	}
	for _, s := range []string{"ge-0/0/0.1", "eth0", "green1", "wan1", "gre", "Tundra1", "sites2", "status1", ""} {
		require.False(t, network.NamesTunnel(s), s)
	}
}

// TestAStaticRouteByAnOwnAddress leads straight out of the interface that has it, and of no other one.
func TestAStaticRouteByAnOwnAddress(t *testing.T) {
	for ifname, want := range map[string]bool{"e0": false, "e1": true} {
		d := coretest.Build("a: addr 10.0.0.1/30 e0\na: static 10.9.0.0/24 via 10.0.0.1 dev " + ifname).Device("a")
		got := d.Table("default", route.IPv4).RoutesTo(netip.MustParsePrefix("10.9.0.0/24"))
		require.Equal(t, want, got[0].NextHops[0].Address.IsValid(), ifname)
		require.Equal(t, ifname, got[0].NextHops[0].Interface)
	}
}
