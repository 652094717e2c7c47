package network_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

func configured(prefix, ifname, table string) network.Address {
	return network.Address{Prefix: netip.MustParsePrefix(prefix), Interface: ifname, Table: table, Configured: true, Mark: route.Mark{File: 2, End: 1}}
}

// TestAConfigurationIsWeakerThanAListing: an address that it names is the device's own only where no table denies it.
func TestAConfigurationIsWeakerThanAListing(t *testing.T) {
	table := "direct 10.1.0.0/24 dev in\nstatic 10.7.0.0/16 via 10.1.0.9 dev in\n"
	for _, tt := range []struct {
		name    string
		address network.Address
		more    network.Facts
		table   string
		want    bool
	}{
		{"its network is attached", configured("10.1.0.1/24", "in", ""), network.Facts{}, table, true},
		{"its network is not", configured("10.2.0.1/24", "out", ""), network.Facts{}, table, false},
		{"a host route of its own", configured("10.2.0.1/32", "lo0", ""), network.Facts{}, table + "local 10.2.0.1/32 dev lo0\n", true},
		{"a static route to it is no sign", configured("10.7.0.0/16", "out", ""), network.Facts{}, table, false},
		{"no table tells", configured("10.2.0.1/24", "out", ""), network.Facts{}, "", true},
		{"a table without attached networks does not tell", configured("10.2.0.1/24", "out", ""), network.Facts{}, "static 10.7.0.0/16 via 10.1.0.9 dev in\n", true},
		{"nor one of the other family", configured("fd00::1/64", "out", ""), network.Facts{}, table, true},
		{"nor the main table of another one's", configured("10.2.0.1/24", "out", "tills"), network.Facts{}, table, true},
		{"shut down where it is configured", configured("10.1.0.1/24", "in", ""),
			network.Facts{Interfaces: []network.Interface{{Name: "in", State: network.LinkDown, Configured: true}}}, table, false},
		{"up where it is listed", configured("10.1.0.1/24", "in", ""), network.Facts{Interfaces: []network.Interface{
			{Name: "in", State: network.LinkDown, Configured: true}, {Name: "in", State: network.LinkUp}}}, table, true},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var b network.Builder
			b.Add("a", coretest.Facts(tt.table, 1), 0)
			tt.more.Addresses = []network.Address{tt.address}
			b.Add("a", tt.more, 0)
			require.Equal(t, tt.want, len(b.Build().Device("a").Own(tt.address.Prefix.Addr())) > 0)
		})
	}
	var b network.Builder
	b.Add("a", network.Facts{Addresses: []network.Address{{Prefix: netip.MustParsePrefix("10.2.0.1/24"), Interface: "out"}}}, 0)
	b.Add("a", coretest.Facts(table, 1), 0)
	require.Len(t, b.Build().Device("a").Own(netip.MustParseAddr("10.2.0.1")), 1, "what a listing of addresses shows is")
}

// TestAnInterfaceByTwoNames: what a configuration calls otherwise than a table is one interface where both have one
// address or network, and only then.
func TestAnInterfaceByTwoNames(t *testing.T) {
	one := []network.Address{configured("10.1.0.1/24", "port1", "")}
	for _, tt := range []struct {
		name, table string
		addresses   []network.Address
		want        string
	}{
		{"by its network", "direct 10.1.0.0/24 dev in\n", one, "in"},
		{"by its address", "direct 10.1.0.0/24 dev in\ndirect 10.1.0.0/24 dev other\nlocal 10.1.0.1/32 dev other\n", one,
			"other"},
		{"on two interfaces", "direct 10.1.0.0/24 dev in\ndirect 10.1.0.0/24 dev other\n", one, "port1"},
		{"another network", "direct 10.9.0.0/24 dev in\n", one, "port1"},
		{"its own name is shown", "direct 10.1.0.0/24 dev in\ndirect 10.9.0.0/24 dev port1\n", one, "port1"},
		{"that of another one in the configuration", "direct 10.1.0.0/24 dev in\n",
			append(one[:1:1], configured("10.1.0.2/24", "in", "")), "port1"},
		{"in a VRF, and shown in the main table", "direct 10.1.0.0/24 dev in\n",
			[]network.Address{configured("10.1.0.1/24", "port1", "tills")}, "port1"},
		{"in a VRF", "direct 10.1.0.0/24 dev in in tills\n",
			[]network.Address{configured("10.1.0.1/24", "port1", "tills")}, "in"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			var b network.Builder
			b.Add("a", coretest.Facts(tt.table, 1), 0)
			b.Add("a", network.Facts{
				Addresses: tt.addresses,
				Policy:    network.Policy{Flows: []network.FlowRule{{In: "port1", Mark: route.Mark{File: 2, End: 1}}}},
			}, 0)
			require.Equal(t, tt.want, b.Build().Device("a").Flows().At(0).In)
		})
	}
}

// TestAnAddressOfAnInterfaceThatIsDown: an IPv6 one is gone, an IPv4 one stays.
func TestAnAddressOfAnInterfaceThatIsDown(t *testing.T) {
	var b network.Builder
	b.Add("a", coretest.Facts("addr 10.1.0.1/24 in\naddr fd61::1/64 in\naddr fd62::1/64 out\nlink in down\nlink out up\n", 1), 0)
	d := b.Build().Device("a")
	var own []bool
	for _, a := range []string{"10.1.0.1", "fd61::1", "fd62::1"} {
		own = append(own, len(d.Own(netip.MustParseAddr(a))) > 0)
	}
	require.Equal(t, []bool{true, false, true}, own)
}
