package snmp

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/route"
)

// One route each way: numeric, from the root by name, and by object names.
const numeric = `.1.3.6.1.2.1.4.24.7.1.7.1.4.0.0.0.0.0.2.0.0.1.4.10.61.0.254 = INTEGER: 4
.1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.0.0.24.3.0.0.2.1.4.0.0.0.0 = INTEGER: 2
.1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.40.0.21.3.0.0.0.1.4.0.0.0.0 = INTEGER: 0
.1.3.6.1.2.1.4.24.7.1.7.2.16.253.107.0.0.0.0.0.0.0.0.0.0.0.0.0.1.128.3.0.0.9.2.16.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0 = INTEGER: 2
.1.3.6.1.2.1.4.24.7.1.8.1.4.0.0.0.0.0.2.0.0.1.4.10.61.0.254 = INTEGER: 4
.1.3.6.1.2.1.4.24.7.1.8.1.4.10.61.0.0.24.3.0.0.2.1.4.0.0.0.0 = INTEGER: 3
.1.3.6.1.2.1.4.24.7.1.8.1.4.10.61.40.0.21.3.0.0.0.1.4.0.0.0.0 = INTEGER: 3
.1.3.6.1.2.1.4.24.7.1.8.2.16.253.107.0.0.0.0.0.0.0.0.0.0.0.0.0.1.128.3.0.0.9.2.16.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0 = INTEGER: 3
.1.3.6.1.2.1.4.24.7.1.9.1.4.0.0.0.0.0.2.0.0.1.4.10.61.0.254 = INTEGER: 13
.1.3.6.1.2.1.4.24.7.1.10.1.4.0.0.0.0.0.2.0.0.1.4.10.61.0.254 = Gauge32: 0
.1.3.6.1.2.1.4.24.7.1.12.1.4.0.0.0.0.0.2.0.0.1.4.10.61.0.254 = INTEGER: 20
.1.3.6.1.2.1.4.24.7.1.12.1.4.10.61.0.0.24.3.0.0.2.1.4.0.0.0.0 = INTEGER: -1
`

const named = `IP-FORWARD-MIB::inetCidrRouteIfIndex.ipv4."0.0.0.0".0.2.0.0.ipv4."10.61.0.254" = INTEGER: 4
IP-FORWARD-MIB::inetCidrRouteIfIndex.ipv4."10.61.0.0".24.3.0.0.2.ipv4."0.0.0.0" = INTEGER: 2
IP-FORWARD-MIB::inetCidrRouteIfIndex.ipv4."10.61.40.0".21.3.0.0.0.ipv4."0.0.0.0" = INTEGER: 0
IP-FORWARD-MIB::inetCidrRouteIfIndex.ipv6."fd:6b:00:00:00:00:00:00:00:00:00:00:00:00:00:01".128.3.0.0.9.ipv6."00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00" = INTEGER: 2
IP-FORWARD-MIB::inetCidrRouteType.ipv4."0.0.0.0".0.2.0.0.ipv4."10.61.0.254" = INTEGER: remote(4)
IP-FORWARD-MIB::inetCidrRouteType.ipv4."10.61.0.0".24.3.0.0.2.ipv4."0.0.0.0" = INTEGER: local(3)
IP-FORWARD-MIB::inetCidrRouteType.ipv4."10.61.40.0".21.3.0.0.0.ipv4."0.0.0.0" = INTEGER: local(3)
IP-FORWARD-MIB::inetCidrRouteType.ipv6."fd:6b:00:00:00:00:00:00:00:00:00:00:00:00:00:01".128.3.0.0.9.ipv6."00:00:00:00:00:00:00:00:00:00:00:00:00:00:00:00" = INTEGER: local(3)
IP-FORWARD-MIB::inetCidrRouteProto.ipv4."0.0.0.0".0.2.0.0.ipv4."10.61.0.254" = INTEGER: ospf(13)
IP-FORWARD-MIB::inetCidrRouteAge.ipv4."0.0.0.0".0.2.0.0.ipv4."10.61.0.254" = Gauge32: 0
IP-FORWARD-MIB::inetCidrRouteMetric1.ipv4."0.0.0.0".0.2.0.0.ipv4."10.61.0.254" = INTEGER: 20
IP-FORWARD-MIB::inetCidrRouteMetric1.ipv4."10.61.0.0".24.3.0.0.2.ipv4."0.0.0.0" = INTEGER: -1
`

var wantRoutes = []string{
	"1 0.0.0.0/0 ospf -/20 via 10.61.0.254 dev interface 4: active installed", "2 10.61.0.0/24 direct -/- dev interface 2: active installed",
	"3 10.61.40.0/21 other -/- blackhole: active installed", "4 fd6b::1/128 local -/- receive dev interface 2: active installed",
}

func TestReadRoutes(t *testing.T) {
	for _, in := range []string{numeric, strings.ReplaceAll(numeric, ".1.3.6.", "iso.3.6."), named} {
		r := layouttest.Laws(t, Read, []byte(in))
		require.Equal(t, wantRoutes, layouttest.Words([]byte(in), r))
		require.Empty(t, r.Unread)
		require.Len(t, r.Passed, 1, "the age says nothing")
		layouttest.Variants(t, Read, in)
		require.Equal(t, 12, recognise([]byte(in)))
	}
}

// TestANextHopOfNoKind: an index may say that there is none, by an address of unknown type without bytes (RFC 4001).
func TestANextHopOfNoKind(t *testing.T) {
	in := []byte(".1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.0.0.24.3.0.0.2.0.0 = INTEGER: 2\n.1.3.6.1.2.1.4.24.7.1.8.1.4.10.61.0.0.24.3.0.0.2.0.0 = INTEGER: 3\n")
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"1 10.61.0.0/24 direct -/- dev interface 2: active installed"}, layouttest.Words(in, r))
}

func TestOlderTables(t *testing.T) {
	in := []byte(`IP-FORWARD-MIB::ipCidrRouteIfIndex.10.61.0.0.255.255.255.0.0.0.0.0.0 = INTEGER: 2
IP-FORWARD-MIB::ipCidrRouteType.10.61.0.0.255.255.255.0.0.0.0.0.0 = INTEGER: local(3)
IP-FORWARD-MIB::ipCidrRouteIfIndex.10.62.0.0.255.255.0.255.0.0.0.0.0 = INTEGER: 2
.1.3.6.1.2.1.4.21.1.2.10.63.0.0 = INTEGER: 3
.1.3.6.1.2.1.4.21.1.7.10.63.0.0 = IpAddress: 10.61.0.9
.1.3.6.1.2.1.4.21.1.8.10.63.0.0 = INTEGER: 4
.1.3.6.1.2.1.4.21.1.11.10.63.0.0 = IpAddress: 255.255.0.0
`)
	r := layouttest.Laws(t, Read, in)
	require.Equal(
		t,
		[]string{
			"1 10.61.0.0/24 direct -/- dev interface 2: active installed",
			"4 10.63.0.0/16 other -/- via 10.61.0.9 dev interface 3: active installed",
		},
		layouttest.Words(in, r),
	)
	require.Equal(t, []string{"3 mask is not contiguous: 255.255.0.255"}, layouttest.Unread(in, r))
}

// TestAWalkThatStops: a table of routes that a walk did not come to the end of is known in part only; one that it left
// before is not harmed.
func TestAWalkThatStops(t *testing.T) {
	column := func(name, value string, rows ...string) (out string) {
		for _, row := range rows {
			out += "IP-FORWARD-MIB::inetCidrRoute" + name + ".1.4." + row + ".2.0.0.1.4.172.28.61.6 = INTEGER: " + value + "\n"
		}
		return out
	}
	one, both := []string{"10.61.16.0.24"}, []string{"10.61.16.0.24", "10.61.17.0.24"}
	const timeout = "Timeout: No Response from 172.28.1.1\n"
	for _, tc := range []struct {
		name, in string
		part     bool
	}{
		{"whole", column("IfIndex", "2", both...) + column("Type", "remote(4)", both...), false},
		{"in the first column", column("IfIndex", "2", one...) + timeout, true},
		{"in the column of types", column("IfIndex", "2", both...) + column("Type", "remote(4)", one...) + timeout, true},
		{"there, without a word", column("IfIndex", "2", both...) + column("Type", "remote(4)", one...), true},
		{"one column alone", column("IfIndex", "2", both...), false},
		{"behind the table", column("IfIndex", "2", both...) + column("Type", "remote(4)", both...) +
			"IP-MIB::ipForwarding.0 = INTEGER: 1\n" + timeout, false},
		{"before it", timeout + column("IfIndex", "2", both...) + column("Type", "remote(4)", both...), false},
		{"in an error", column("IfIndex", "2", both...) + column("Type", "remote(4)", both...) +
			"Error in packet.\nReason: (genError) A general failure occured\n", true},
		{"where numbers do not grow", column("IfIndex", "2", both...) + column("Type", "remote(4)", both...) +
			"Error: OID not increasing: IP-FORWARD-MIB::inetCidrRouteType\n", true},
		{"behind an octet string", "IF-MIB::ifPhysAddress.2 = Hex-STRING: 02 6B\n" + timeout +
			column("IfIndex", "2", both...) + column("Type", "remote(4)", both...), false},
	} {
		t.Run(tc.name, func(t *testing.T) {
			r := layouttest.Laws(t, Read, []byte(tc.in))
			require.Len(t, r.Facts.Tables, 1)
			require.Equal(t, tc.part, r.Facts.Tables[0].Filtered.Known())
		})
	}
}

// TestAColumnThatNamesNoAddress: columns of the address table that are not read tell of no address either.
func TestAColumnThatNamesNoAddress(t *testing.T) {
	in := []byte(".1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.0.0.24.2.0.0.1.4.0.0.0.0 = INTEGER: 2\n.1.3.6.1.2.1.4.20.1.4.10.61.0.1 = INTEGER: 1\n")
	require.Empty(t, layouttest.Laws(t, Read, in).Facts.Addresses)
}

func TestInterfacesAddressesNeighbours(t *testing.T) {
	in := []byte(`IF-MIB::ifDescr.2 = STRING: A long description
IF-MIB::ifName.2 = STRING: desk0
IF-MIB::ifPhysAddress.2 = STRING: 2:6b:6a:0:0:1
IF-MIB::ifAdminStatus.2 = INTEGER: up(1)
IF-MIB::ifOperStatus.2 = INTEGER: up(1)
.1.3.6.1.2.1.2.2.1.2.3 = STRING: "wan0"
.1.3.6.1.2.1.2.2.1.6.3 = Hex-STRING: 02 6B 6A 00 00 02 
.1.3.6.1.2.1.2.2.1.8.3 = INTEGER: 2
.1.3.6.1.2.1.4.34.1.3.1.4.10.61.0.1 = INTEGER: 2
.1.3.6.1.2.1.4.34.1.4.1.4.10.61.0.1 = INTEGER: 1
.1.3.6.1.2.1.4.34.1.5.1.4.10.61.0.1 = OID: .1.3.6.1.2.1.4.32.1.5.2.1.4.10.61.0.0.24
IP-MIB::ipAdEntIfIndex.172.28.61.1 = INTEGER: 3
IP-MIB::ipAdEntNetMask.172.28.61.1 = IpAddress: 255.255.255.252
.1.3.6.1.2.1.4.35.1.4.2.1.4.10.61.0.31 = Hex-STRING: 02 AA 00 00 00 01 
.1.3.6.1.2.1.4.35.1.4.2.1.4.10.61.0.32 = Hex-STRING: 02 AA 00 00 00 02 
.1.3.6.1.2.1.4.35.1.7.2.1.4.10.61.0.32 = INTEGER: 5
.1.3.6.1.2.1.4.35.1.7.2.1.4.10.61.0.31 = INTEGER: 1
.1.3.6.1.2.1.4.1.0 = INTEGER: 1
IP-MIB::ipv6IpForwarding.0 = INTEGER: notForwarding(2)
SNMPv2-MIB::sysName.0 = STRING: valley
.1.3.6.1.2.1.1.1.0 = STRING: a system
of two lines
.1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.0.0.99.3.0.0.2.1.4.0.0.0.0 = INTEGER: 2
junk
`)
	r := layouttest.Laws(t, Read, in)
	var got []string
	for _, i := range r.Facts.Interfaces {
		got = append(got, fmt.Sprint(i.Name, " ", i.State, " ", i.MAC))
	}
	for _, a := range r.Facts.Addresses {
		got = append(got, a.Interface+" "+a.Prefix.String())
	}
	for _, n := range r.Facts.Neighbours {
		got = append(got, fmt.Sprint(n.Interface, " ", n.Address, " ", n.MAC, " ", n.State))
	}
	for _, s := range r.Facts.Forwarding {
		got = append(got, fmt.Sprint(s.Family, " ", s.On))
	}
	require.Equal(
		t,
		[]string{
			"desk0 1 02:6b:6a:00:00:01",
			"wan0 2 02:6b:6a:00:00:02",
			"interface 2 10.61.0.1/24",
			"interface 3 172.28.61.1/30",
			"interface 2 10.61.0.31 02:aa:00:00:00:01 1",
			"interface 2 10.61.0.32 02:aa:00:00:00:02 0",
			"ipv4 true",
			"ipv6 false",
		},
		got,
	)
	require.Equal(
		t,
		[]string{"23 an index that does not fit its table", "24 not in the form of this layout"},
		layouttest.Unread(in, r),
	)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(numeric))
	f.Add([]byte(named))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestNeighboursOfTheOlderTable: the index is the interface and the address, without its type.
func TestNeighboursOfTheOlderTable(t *testing.T) {
	in := []byte("IP-MIB::ipNetToMediaPhysAddress.3.10.61.16.9 = STRING: 2:0:6b:6a:0:9\nIP-MIB::ipNetToMediaPhysAddress.3.10.61.16 = STRING: 2:0:6b:6a:0:9\n")
	r := layouttest.Laws(t, Read, in)
	require.Len(t, r.Facts.Neighbours, 1)
	require.Equal(t, "10.61.16.9", r.Facts.Neighbours[0].Address.String())
	require.Len(t, r.Unread, 1)
}

// TestRowsNotInService: a route that the agent keeps and does not use is a candidate, in both tables.
func TestRowsNotInService(t *testing.T) {
	for column, in := range map[string]string{
		"new": ".1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.0.0.24.3.0.0.2.1.4.10.61.9.1 = INTEGER: 2\n" +
			".1.3.6.1.2.1.4.24.7.1.8.1.4.10.61.0.0.24.3.0.0.2.1.4.10.61.9.1 = INTEGER: 4\n" +
			".1.3.6.1.2.1.4.24.7.1.17.1.4.10.61.0.0.24.3.0.0.2.1.4.10.61.9.1 = INTEGER: %s\n",
		"old": "IP-FORWARD-MIB::ipCidrRouteIfIndex.10.61.0.0.255.255.255.0.0.10.61.9.1 = INTEGER: 2\n" +
			"IP-FORWARD-MIB::ipCidrRouteType.10.61.0.0.255.255.255.0.0.10.61.9.1 = INTEGER: remote(4)\n" +
			"IP-FORWARD-MIB::ipCidrRouteStatus.10.61.0.0.255.255.255.0.0.10.61.9.1 = INTEGER: %s\n",
	} {
		for status, want := range map[string]string{"1": ": active installed", "2": "", "notReady(3)": ""} {
			text := []byte(fmt.Sprintf(in, status))
			got := layouttest.Words(text, layouttest.Laws(t, Read, text))
			require.Equal(t, []string{"1 10.61.0.0/24 other -/- via 10.61.9.1 dev interface 2" + want}, got, column+" "+status)
		}
	}
}

func TestWhatTheToolSaysOfItself(t *testing.T) {
	r := Read([]byte("Created directory: /var/lib/snmp/cert_indexes\n" + Reader.Sample))
	require.Empty(t, r.Unread)
}

// TestTypesOfTwoTables: what a type means is the table's own, though all else of two rows is alike.
func TestTypesOfTwoTables(t *testing.T) {
	in := []byte(`.1.3.6.1.2.1.4.21.1.2.10.61.1.0 = INTEGER: 2
.1.3.6.1.2.1.4.21.1.7.10.61.1.0 = IpAddress: 172.28.1.1
.1.3.6.1.2.1.4.21.1.8.10.61.1.0 = INTEGER: 5
.1.3.6.1.2.1.4.21.1.9.10.61.1.0 = INTEGER: 3
.1.3.6.1.2.1.4.21.1.11.10.61.1.0 = IpAddress: 255.255.255.0
.1.3.6.1.2.1.4.24.7.1.7.1.4.10.61.2.0.24.2.0.0.1.4.172.28.1.1 = INTEGER: 2
.1.3.6.1.2.1.4.24.7.1.8.1.4.10.61.2.0.24.2.0.0.1.4.172.28.1.1 = INTEGER: 5
.1.3.6.1.2.1.4.24.7.1.9.1.4.10.61.2.0.24.2.0.0.1.4.172.28.1.1 = INTEGER: 3
`)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, route.None, r.Facts.Tables[0].Routes.At(0).Special)
	require.Equal(t, route.Blackhole, r.Facts.Tables[0].Routes.At(1).Special)
}
