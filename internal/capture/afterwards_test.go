package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestWhatMayHaveChangedATable holds which lines below a table leave it undecided, and for which addresses.
func TestWhatMayHaveChangedATable(t *testing.T) {
	const table = "ridge# show ip route\nCodes: C - connected, S - static\n\n" +
		"C    10.61.1.0/24 is directly connected, hall\nS    10.62.0.0/16 [1/0] via 10.61.1.9, hall\n"
	const kernel = "ridge$ ip route\n10.61.1.0/24 dev hall proto kernel scope link src 10.61.1.1\n10.62.0.0/16 via 10.61.1.9 dev hall\n"
	const all = "0.0.0.0/0"
	for _, c := range []struct {
		name, text string
		want       []string // prefixes that are undecided
		line       int      // that says so
	}{
		{"nothing", table + "ridge# show clock\n12:00\nridge# exit\n", nil, 0},
		{"a statement about one route", table + "ridge# configure terminal\nridge(config)# no ip route 10.63.0.0 255.255.0.0 10.61.1.9\nridge(config)# end\n",
			[]string{"10.63.0.0/16"}, 7},
		{"a statement about what next hops lie in", table + "ridge(config)# no ip route 10.61.1.0 255.255.255.0 hall\n", []string{all}, 6},
		{"of another table", table + "ridge(config)# ip route vrf ice 10.63.0.0 255.255.0.0 10.61.1.9\n", nil, 0},
		{"a statement about all", table + "ridge(config)# interface hall\nridge(config-if)# shutdown\n", []string{all}, 7},
		{"looking while configuring", table + "ridge(config)# do show clock\nridge(config)# logging host 10.61.1.8\nridge(config)# exit\n", nil, 0},
		{"squared modes", "<ridge>display ip routing-table\nDestination/Mask    Proto   Pre  Cost      Flags NextHop         Interface\n\n" +
			"      10.61.1.0/24  Direct  0    0           D   10.61.1.1       hall0\n<ridge>system-view\n[ridge]undo ip route-static 10.62.0.0 16 10.61.1.9\n", []string{"10.0.0.0/8"}, 6},
		{"before it", "ridge(config)# no ip route 10.63.0.0 255.255.0.0 10.61.1.9\nridge(config)# end\n" + table, nil, 0},
		{"shown again", table + "ridge(config)# no ip route 10.63.0.0 255.255.0.0 10.61.1.9\nridge(config)# end\n" + table, nil, 0},
		{"shown again in part", table + "ridge(config)# no ip route 10.63.0.0 255.255.0.0 10.61.1.9\nridge(config)# end\n" +
			"ridge# show ip route 10.61.0.0 255.255.0.0 longer-prefixes\nCodes: C - connected\n\nC    10.61.1.0/24 is directly connected, hall\n", []string{"10.63.0.0/16"}, 6},
		{"another device", table + "gorge(config)# no ip route 10.63.0.0 255.255.0.0 10.61.1.9\n", nil, 0},
		{"cleared", table + "ridge# clear ip bgp *\n", []string{all}, 6},
		{"counters cleared", table + "ridge# clear counters\n", nil, 0},
		{"the kernel's", kernel + "ridge$ sudo ip route del 10.63.0.0/16\n", []string{"10.63.0.0/16"}, 4},
		{"its links", kernel + "ridge$ ip link set hall down\n", []string{all}, 4},
		{"in another namespace", kernel + "ridge$ ip -n red link set hall down\n", nil, 0},
		{"its filters", kernel + "ridge$ iptables -A FORWARD -j DROP\n", []string{all}, 4},
		{"its filters listed", kernel + "ridge$ iptables -L -n -v\n", nil, 0},
		{"asked", kernel + "ridge$ ip addr show\nridge$ ip -s link\nridge$ ip route get 10.99.1.1\n", nil, 0},
		{"a route deleted while somebody watched", kernel + "ridge$ ip monitor route\nDeleted 10.63.0.0/16 via 10.61.1.9 dev hall\n10.64.0.0/16 via 10.61.1.9 dev hall\n",
			[]string{"10.63.0.0/16", "10.64.0.0/16"}, 5},
		{"a message of a link", table + "*Nov 26 23:14:02.221: %LINK-3-UPDOWN: Interface hall, changed state to down\n", []string{all}, 6},
		{"a message of before", table + "ridge# show logging\nNov 20 23:14:02.221: %LINK-3-UPDOWN: Interface hall, changed state to up\n", nil, 0},
		{"messages of before, of which the last says down", table + "ridge# show logging\nNov 20 23:14:02.221: %LINK-3-UPDOWN: Interface hall, changed state to up\n" +
			"Nov 20 23:15:02.221: %LINK-3-UPDOWN: Interface hall, changed state to down\nNov 20 23:16:02.221: %LINK-3-UPDOWN: Interface yard, changed state to up\n", []string{all}, 8},
		{"a message of a neighbour", table + "ridge# show clock\n*Nov 26 23:14:02.221: %OSPF-5-ADJCHG: Process 1, Nbr 10.61.1.9 on hall from FULL to DOWN, Neighbor Down: Dead timer expired\n", []string{all}, 7},
		{"a message of somebody", table + "*Nov 26 23:14:02.221: %SYS-5-CONFIG_I: Configured from console by op on vty0\n", nil, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := Read("x", []byte(c.text), 1)
			require.NoError(t, err)
			var prefixes []string
			line := 0
			for _, p := range got.Parts {
				for _, f := range p.Facts.Tables {
					for _, u := range f.Unread {
						require.True(t, u.Changed)
						if line == 0 {
							line = got.Source.Line(u.Mark.Off)
						}
						prefixes = append(prefixes, u.Prefix.String())
					}
				}
			}
			require.Equal(t, c.want, prefixes)
			require.Equal(t, c.line, line)
		})
	}
}

// TestWhatSomebodyWatchedIsNoTable holds that routes which came while somebody watched are none of the table's.
func TestWhatSomebodyWatchedIsNoTable(t *testing.T) {
	c, err := Read("x", []byte("ridge$ ip monitor route\n10.64.0.0/16 via 10.61.1.9 dev hall\n"), 1)
	require.NoError(t, err)
	require.Zero(t, c.Parts[0].Routes())
	require.Len(t, c.Parts[0].Unread, 1)
}
