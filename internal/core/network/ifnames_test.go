package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestOneInterfaceOneName: the ways in which a device writes one interface are one, what people call theirs is left
// alone, and a short form that two kinds fit is neither.
func TestOneInterfaceOneName(t *testing.T) {
	for _, tt := range []struct {
		names []string
		want  map[string]string // as kept
	}{
		{[]string{"Gi0/0/1", "GigabitEthernet0/0/1", "Gig 0/0/1"}, map[string]string{"Gi0/0/1": "GigabitEthernet0/0/1", "Gig 0/0/1": "GigabitEthernet0/0/1"}},
		{[]string{"GE0/0/1", "GigabitEthernet0/0/1", "GigabitEthernet0/0/1.100"}, map[string]string{"GE0/0/1": "GigabitEthernet0/0/1"}},
		{[]string{"Te 0/46", "TenGigabitEthernet 0/46", "TenGigabitEthernet0/46"}, map[string]string{"Te 0/46": "TenGigabitEthernet 0/46", "TenGigabitEthernet0/46": "TenGigabitEthernet 0/46"}},
		{[]string{"Vl20", "Vlan20", "Po1", "port-channel1", "Eth1/7", "Ethernet1/7", "Lo0", "Loopback0"},
			map[string]string{"Vl20": "Vlan20", "Po1": "port-channel1", "Eth1/7": "Ethernet1/7", "Lo0": "Loopback0"}},
		{[]string{"up1", "uplink1", "la0", "lan0", "eth1", "ether1", "e1"}, map[string]string{}},
		{[]string{"Tu1", "Tunnel1", "Tunnel2"}, map[string]string{"Tu1": "Tunnel1"}},
		{[]string{"eth0", "Ethernet0", "eth4.20", "Ethernet4.20"}, map[string]string{}},
		{[]string{"T1", "Tunnel1"}, map[string]string{}},
		{[]string{"Di1", "Dialer1", "FH0/0/0/1", "FourHundredGigE0/0/0/1", "Vi2", "Virtual-Access2"},
			map[string]string{"Di1": "Dialer1", "FH0/0/0/1": "FourHundredGigE0/0/0/1", "Vi2": "Virtual-Access2"}},
		{[]string{"Te1/1", "TenGigabitEthernet1/1", "TenGigE1/1"}, map[string]string{"TenGigE1/1": "TenGigE1/1"}},
	} {
		var b network.Builder
		f := network.Facts{}
		for i, n := range tt.names {
			f.Interfaces = append(f.Interfaces, network.Interface{Name: n, Mark: route.Mark{File: 1, Off: uint32(i), End: uint32(i + 1)}})
		}
		b.Add("a", f, 0)
		d := b.Build().Device("a")
		kept := map[string]bool{}
		for _, i := range d.Interfaces().All() {
			kept[i.Name] = true
		}
		for _, n := range tt.names {
			if as, ok := tt.want[n]; ok {
				require.True(t, kept[as], "%s should be kept as %s: %v", n, as, kept)
				require.Equal(t, n == as, kept[n], "%v", kept)
			}
		}
		if len(tt.want) == 0 {
			require.Len(t, kept, len(tt.names), "%v", kept)
		}
	}
}

// TestEveryFactIsKeptUnderTheName: a route by the short name, an address, a state and a filter by the long one are of
// one interface.
func TestEveryFactIsKeptUnderTheName(t *testing.T) {
	var b network.Builder
	f := coretest.Facts("direct 10.0.0.0/24 dev Gi0/1\nstatic 10.9.0.0/16 via 10.0.0.2 dev Gi0/1\naddr 10.0.0.1/24 GigabitEthernet0/1\n"+
		"link GigabitEthernet0/1 down\nneigh 10.0.0.2 Gi0/1 alive\ncheck Gi0/1 strict\nsession 10.0.0.2 Gi0/1 up", 1)
	f.Policy.Flows = []network.FlowRule{{In: "Gi0/1", NotIn: "Gi0/1", NotOut: "Gi0/1", Undecided: true, Mark: route.Mark{File: 1, End: 1}}}
	f.Policy.Translations = []network.Translation{{NotIn: "Gi0/1", NotOut: "Gi0/1"}}
	b.Add("a", f, 0)
	d := b.Build().Device("a")
	const name = "GigabitEthernet0/1"
	require.Equal(t, name, d.Table("default", route.IPv4).Routes().At(0).NextHops[0].Interface)
	require.Equal(t, network.LinkDown, d.Interface(name).State)
	require.Equal(t, name, d.Own(netip.MustParseAddr("10.0.0.1"))[0].Interface)
	require.Equal(t, network.CheckStrict, d.SourceCheck(name, route.IPv4).Mode)
	require.Equal(t, name, d.Sessions().At(0).Interface)
	rule, change := d.Flows().At(0), d.Translations().At(0)
	require.Equal(t, []string{name, name, name, name, name}, []string{rule.In, rule.NotIn, rule.NotOut, change.NotIn, change.NotOut})
	_, ok := d.Neighbour(netip.MustParseAddr("10.0.0.2"), name)
	require.True(t, ok)
}
