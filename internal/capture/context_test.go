package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestTheCommandNamesTheTable(t *testing.T) {
	for in, want := range map[string]string{
		"show ip route vrf LIFT":                          "LIFT",
		"show route vrf LIFT ipv4 unicast":                "LIFT",
		"sh ip ro vrf lift-2":                             "lift-2",
		"show ip route vrf all":                           "",
		"show ip route vrf default":                       "",
		"display ip routing-table vpn-instance CAMS":      "CAMS",
		"show route table tills.inet.0":                   "tills",
		"show route table inet.0":                         "",
		"ip route show table 77":                          "77",
		"ip r s t 45":                                     "45",
		"sudo ip -6 ro ls tab red":                        "red",
		"/sbin/ip r l t all":                              "",
		"ip t show":                                       "",
		"ip r get to 10.61.1.1":                           "",
		"ip route show tos 0x10":                          "",
		"show ip route t 45":                              "",
		"netstat -rn -F 2":                                "fib 2",
		"netstat -F0 -rn":                                 "",
		"setfib 3 netstat -rnf inet":                      "fib 3",
		"netstat -T 1 -rn":                                "rdomain 1",
		"route -T 4 -n show":                              "rdomain 4",
		"netstat -rn":                                     "",
		"ip route show table main":                        "",
		"ip -4 route list table all":                      "",
		"show routing route virtual-router vr-lifts":      "vr-lifts",
		"get router info routing-table all":               "",
		"show ip route":                                   "",
		"show ip route 10.1.0.0 255.255.0.0":              "",
		"show ip interface brief vrf LIFT":                "LIFT",
		"set routing-instances x routing-options route y": "",
	} {
		require.Equal(t, want, commandTable(in), in)
	}
}

func TestTablesGetTheNameTheirCommandGave(t *testing.T) {
	rows := "Codes: C - connected, S - static\n\nS    10.2.0.0/16 [1/0] via 10.1.0.7, e0\nC    10.1.0.0/24 is directly connected, e0\n"
	for in, want := range map[string]string{
		"peak1# show ip route vrf LIFT\n" + rows: "LIFT", "peak1# show ip route\n" + rows: "default", "odd:prompt]] show ip route vrf LIFT\n" + rows: "LIFT",
		"show ip route vrf LIFT\n" + rows: "LIFT", rows: "default",
	} {
		c, err := Read("x", []byte(in), 1)
		require.NoError(t, err)
		names := map[string]bool{}
		for _, p := range c.Parts {
			for _, tab := range p.Facts.Tables {
				names[tab.Name] = true
			}
		}
		require.Equal(t, map[string]bool{want: true}, names, in)
	}
}
