package statements

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestVirtualAddresses: each way in which a configuration names an address that routers share, in a line or a block,
// and what only looks like one. None is the device's own.
func TestVirtualAddresses(t *testing.T) {
	for text, want := range map[string]string{
		" standby 7 ip 10.61.16.1":                                    "10.61.16.1",
		" standby ip 10.61.16.1":                                      "10.61.16.1",
		" standby 7 ipv6 fd6b:16::1":                                  "fd6b:16::1",
		" glbp 7 ip 10.61.16.1":                                       "10.61.16.1",
		" vrrp 7 ip 10.61.16.1 secondary":                             "10.61.16.1",
		" vrrp 7 ipv4 10.61.16.1":                                     "10.61.16.1",
		" vrrp vrid 7 virtual-ip 10.61.16.1":                          "10.61.16.1",
		" ip vrrp 7 virtual-ip 10.61.16.1":                            "10.61.16.1",
		" vrrp-group 7 virtual-address 10.61.16.1":                    "10.61.16.1",
		" ip virtual-router address 10.61.16.1":                       "10.61.16.1",
		" ip address virtual 10.61.16.1/24":                           "10.61.16.1",
		" hsrp 7\n  preempt\n  ip 10.61.16.1":                         "10.61.16.1",
		" vrrp 7\n  address 10.61.16.1":                               "10.61.16.1",
		" vrrpv3 7 address-family ipv4\n  address 10.61.16.1 primary": "10.61.16.1",
		" hsrp 7\n  preempt\n description x\n  ip 10.61.16.1":         "", // the group's block is over
		" standby 7 preempt":                                          "",
		" standby 7 ip":                                               "", // learned from the others
		" vrrp 7 priority 120":                                        "",
		" vrrp 7 ip 10.61.16.301":                                     "",
		" address 10.61.16.1":                                         "",
	} {
		in := []byte("hostname mast7\ninterface Vlan16\n ip address 10.61.16.2 255.255.255.0\n" + text + "\nend\n")
		r := layouttest.Laws(t, Read, in)
		require.Len(t, r.Facts.Addresses, 1, text)
		if want == "" {
			require.Empty(t, r.Facts.Virtuals, text)
			continue
		}
		require.Len(t, r.Facts.Virtuals, 1, text)
		require.Equal(t, netip.MustParseAddr(want), r.Facts.Virtuals[0].Address, text)
		require.Equal(t, "Vlan16", r.Facts.Virtuals[0].Interface, text)
	}
	in := []byte("interface Vlan16\n hsrp 7\ninterface Vlan17\n  ip 10.61.16.1\n")
	require.Empty(t, layouttest.Laws(t, Read, in).Facts.Virtuals, "the block of a group ends with its interface's")
}

// TestPairedSwitches: of two switches that work as one either forwards what is sent to the address that they share.
func TestPairedSwitches(t *testing.T) {
	const text = "hostname mast7\ninterface Vlan16\n ip address 10.61.16.2 255.255.255.0\n standby 7 ip 10.61.16.1\n"
	for line, want := range map[string]bool{
		"vpc domain 7\n": true, "mlag configuration\n": true, "mlag\n": true, "dfs-group 1\n": true, "vsx\n": true,
		"": false, "vpc orphan\n": false, "interface Vlan17\n vpc domain 7\n": false,
	} {
		r := layouttest.Laws(t, Read, []byte(text+line))
		require.Equal(t, want, r.Facts.Virtuals[0].Paired, line)
	}
}
