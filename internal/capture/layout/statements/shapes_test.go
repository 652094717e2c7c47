package statements

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestShapes: configurations whose blocks, routes or lists are of a kind of their own.
func TestShapes(t *testing.T) {
	for _, tt := range []struct {
		name, in string
		want     []string
	}{
		{"static routes with a length apart, in the table of an instance", `sysname valley
interface Vlanif16
 ip address 10.61.16.1 24
#
 ip route-static 0.0.0.0 0 172.28.61.1 preference 80 description towards the control room
 ip route-static 10.61.46.0 255.255.255.0 NULL0
 ip route-static vpn-instance guests 10.62.0.0 16 172.28.61.33
 ip route-static vpn-instance guests 10.63.0.0 16 public 172.28.61.1
`, []string{"addr 10.61.16.1/24 Vlanif16", "static  0.0.0.0/0 172.28.61.1   pref 80", "static  10.61.46.0/24    blackhole", "static guests 10.62.0.0/16 172.28.61.33  ", "static guests 10.63.0.0/16 172.28.61.1  default"}},
		{"a block of static routes by family and table", `router static
 address-family ipv4 unicast
  0.0.0.0/0 172.28.61.1
  10.61.46.0/24 Null0
  10.61.47.0/24 cable0/1 172.28.61.5 130
 !
 vrf guests
  address-family ipv4 unicast
   10.62.8.0/24 10.61.99.9
  !
 !
 address-family ipv6 unicast
  ::/0 fe80::1%cable0/1
 !
!
interface cable0/1
 ipv4 address 172.28.61.6 255.255.255.252
`, []string{"addr 172.28.61.6/30 cable0/1", "static  0.0.0.0/0 172.28.61.1  ", "static  10.61.46.0/24    blackhole", "static  10.61.47.0/24 172.28.61.5 cable0/1  pref 130", "static guests 10.62.8.0/24 10.61.99.9  ", "static  ::/0 fe80::1 cable0/1 "}},
		{"a table's block with its routes", `vrf context guests
  ip route 10.62.0.0/16 172.28.61.33
interface line1
  ip address 172.28.61.2/30
ip route 0.0.0.0/0 172.28.61.1
`, []string{"addr 172.28.61.2/30 line1", "static guests 10.62.0.0/16 172.28.61.33  ", "static  0.0.0.0/0 172.28.61.1  "}},
		{"blocks without indentation", `interface Vlan 16
ip address 10.61.16.1 255.255.255.0 0
exit
interface Vlan 101
ip address 172.28.61.6 255.255.255.252 1
shutdown
exit
ip route 0.0.0.0 0.0.0.0 172.28.61.5 weight 1
ip route 10.61.46.0 255.255.255.0 255.255.255.255 weight 1
`, []string{"addr 10.61.16.1/24 Vlan 16", "addr 172.28.61.6/30 Vlan 101", "down Vlan 101", "static  0.0.0.0/0 172.28.61.5  ", "static  10.61.46.0/24    blackhole"}},
		{"VLANs with addresses, called by their names", `vlan 16
   name "hall"
   untagged 1-24
   ip address 10.61.16.1 255.255.255.0
   exit
vlan 17
   name "spare"
   exit
vlan 101
   ip address 172.28.61.6 255.255.255.252
   exit
ip route 10.61.46.0 255.255.255.0 blackhole
`, []string{"addr 10.61.16.1/24 hall", "addr 172.28.61.6/30 vlan 101", "static  10.61.46.0/24    blackhole"}},
		{"a discard by words apart", "interface line1\n ip address 172.28.61.2/30\nip route 10.61.46.0/24 interface null 0\nip route 10.61.47.0/24 172.28.61.1 distance 5 metric 7\n",
			[]string{"addr 172.28.61.2/30 line1", "static  10.61.46.0/24    blackhole", "static  10.61.47.0/24 172.28.61.1   pref 5 metric 7"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r := layouttest.Laws(t, Read, []byte(tt.in))
			var got []string
			for _, a := range r.Facts.Addresses {
				got = append(got, fmt.Sprint("addr ", a.Prefix, " ", a.Interface))
			}
			for _, i := range r.Facts.Interfaces {
				if i.State == 2 {
					got = append(got, "down "+i.Name)
				}
			}
			for _, s := range r.Facts.Statics {
				hop := ""
				if s.NextHop.Address.IsValid() {
					hop = s.NextHop.Address.String()
				}
				x := fmt.Sprint("static ", s.Table, " ", s.Prefix, " ", hop, " ", s.NextHop.Interface, " ", s.NextHop.Table)
				if s.Special != 0 {
					x += " " + s.Special.String()
				}
				if s.Preference.Known {
					x += fmt.Sprint(" pref ", s.Preference.Value)
				}
				if s.Metric.Known {
					x += fmt.Sprint(" metric ", s.Metric.Value)
				}
				got = append(got, x)
			}
			require.Equal(t, tt.want, got)
			require.Empty(t, layouttest.Unread([]byte(tt.in), r))
		})
	}
}

// TestListsAppliedByAWordInFront: a list that is applied so is one that decides, as any.
func TestListsAppliedByAWordInFront(t *testing.T) {
	in := `access-list ip HALL
    10 permit tcp 10.61.16.0/255.255.255.0 any eq 443
    20 deny any any any
interface vlan 16
    ip address 10.61.16.1/24
    apply access-list ip HALL routed-in
interface vlan 17
    apply access-list mac ODD in
`
	r := layouttest.Laws(t, Read, []byte(in))
	require.Equal(t, []string{"permit tcp from 10.61.16.0/24 443-443", "deny"}, layouttest.Lists(r.Facts.ListRules)["HALL"])
	require.Equal(t, []string{"HALL 4 hook 1 deny in vlan 16"}, layouttest.Applied(r.Facts.Applied))
	require.NotEmpty(t, r.Facts.Policy.Flows, "what is applied by frames was not read")
}
