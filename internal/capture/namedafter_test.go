package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestCommandsInFileNames(t *testing.T) {
	for name, want := range map[string]string{
		"mast1/show-ip-route-static.txt":                       "show ip route static",
		"mast1_show_ip_route_vrf_yard.txt":                     "show ip route vrf yard",
		"night/mast1/show ip route vrf yard ospf.log":          "show ip route vrf yard ospf",
		"mast1/display-ip-routing-table-protocol-bgp.txt":      "display ip routing-table protocol bgp",
		"mast1/display_ip_routing_table_vpn_instance_yard.txt": "display ip routing-table vpn-instance yard",
		"mast1/get-router-info-routing-table-static.txt":       "get router info routing-table static",
		"mast1/-ip-route-print-where-static.txt":               "/ip route print where static",
		"mast1/ip_route_print_detail.txt":                      "/ip route print detail",
		"mast1/show-route-table-yard.inet.0.txt":               "show route table yard.inet.0",
		"mast1/show-route-protocol-static.txt":                 "show route protocol static",
		"mast1/show-ip-route-include-10.61.txt":                "show ip route | include 10.61",
		"mast1/show-ip-route-10.61.16.0.txt":                   "show ip route 10.61.16.0",
		"mast1/ip-route-show-table-50.txt":                     "ip route show table 50",
		"mast1/ip-6-route-show-table-all.txt":                  "ip -6 route show table all",
		"mast1/ip-route-all.txt":                               "ip route",
		"mast1/ip-route6.json":                                 "",
		"mast1/show-ip-route-mast1.txt":                        "show ip route",
		"mast1/show_route_table_mast1.txt":                     "show route table",
		"mast1/show-ip-route-before.txt":                       "show ip route",
		"mast1/show-ip-route-2026-11-30.txt":                   "show ip route",
		"mast1/show-router-7-route-table-protocol-ospf.txt":    "show router 7 route-table protocol ospf",
		"mast1/show-router-route-table.txt":                    "show router route-table",
		"mast1/show-interfaces-static.txt":                     "",
		"mast1/static.txt":                                     "",
		"mast1.txt":                                            "",
	} {
		require.Equal(t, want, commandIn(name), name)
	}
}

// TestAFileIsNamedAfterItsCommand: what it holds is a part, or of another table, where nothing in it says what was
// asked.
func TestAFileIsNamedAfterItsCommand(t *testing.T) {
	const (
		letters = "Codes: C - connected, S - static\n\nS    10.61.32.0/24 [1/0] via 172.28.61.6, line1\n"
		kernel  = "10.61.32.0/24 via 172.28.61.6 dev line1 proto static\n"
	)
	for _, c := range []struct {
		name, text, table string
		part, byRule      bool
	}{
		{"m/show-ip-route-static.txt", letters, "default", true, false},
		{"m/show-ip-route.txt", letters, "default", false, false},
		{"m/show-ip-route-vrf-yard.txt", letters, "yard", false, false},
		{"m/show-ip-route-vrf-yard-static.txt", letters, "yard", true, false},
		{"m/show-ip-route-static.txt", "mast1#show ip route\n" + letters + "mast1#\n", "default", false, false},
		{"m/ip-route-show-table-50.txt", kernel, "50", false, true},
		{"m/ip-route-show-vrf-yard.txt", kernel, "yard", false, false},
		{"m/ip-route.txt", kernel, "default", false, false},
		{"m/-ip-route-print.txt", letters, "default", false, false},
		{"m/-ip-route-print-where-static.txt", letters, "default", true, false},
	} {
		got, err := Read(c.name, []byte(c.text), 1)
		require.NoError(t, err)
		got.NamedAfter(c.name)
		found := false
		for _, p := range got.Parts {
			for _, table := range p.Facts.Tables {
				found = true
				require.Equal(t, c.table, table.Name, c.name)
				require.Equal(t, c.part, table.Filtered.Known(), c.name)
				require.Equal(t, c.byRule, table.ByRule, c.name)
			}
		}
		require.True(t, found, c.name)
	}
}
