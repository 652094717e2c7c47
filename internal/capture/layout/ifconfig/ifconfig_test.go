package ifconfig

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

var readTests = []struct {
	name, in string
	want     []string
	unread   []string
}{
	{"a BSD system", `em0: flags=8843<UP,BROADCAST,RUNNING,SIMPLEX,MULTICAST> metric 0 mtu 1500
	options=81009b<RXCSUM,TXCSUM>
	ether 02:6b:6a:00:00:21
	inet 10.61.16.1 netmask 0xffffff00 broadcast 10.61.16.255
	inet6 fe80::6b:6aff:fe00:21%em0 prefixlen 64 scopeid 0x1
	inet6 fd6b:16::1 prefixlen 64
	inet6 fd6b:16::2 prefixlen 64 duplicated
	media: Ethernet autoselect (1000baseT <full-duplex>)
	status: active
em1: flags=8843<UP,BROADCAST,RUNNING,SIMPLEX,MULTICAST> metric 0 mtu 1500
	inet 10.61.17.1 netmask 0xffffff00 broadcast 10.61.17.255
	status: no carrier
em2: flags=8802<BROADCAST,SIMPLEX,MULTICAST> metric 0 mtu 1500
tun0: flags=8051<UP,POINTOPOINT,RUNNING,MULTICAST> metric 0 mtu 1500
	inet 172.28.61.1 --> 172.28.61.2 netmask 0xffffffff
`, []string{"em0 up 02:6b:6a:00:00:21", "em1 down ", "em2 down ", "tun0 up ", "em0 10.61.16.1/24", "em0 fe80::6b:6aff:fe00:21/64", "em0 fd6b:16::1/64", "em1 10.61.17.1/24", "tun0 172.28.61.1/32"}, nil},
	{"the newer tool of Linux, and a second address under a name with a number", `eth0: flags=4163<UP,BROADCAST,RUNNING,MULTICAST>  mtu 1500
        inet 10.61.16.1  netmask 255.255.255.0  broadcast 10.61.16.255
        inet6 fd6b:16::1  prefixlen 64  scopeid 0x0<global>
        ether 02:6b:6a:00:00:21  txqueuelen 1000  (Ethernet)
        RX packets 12  bytes 1200 (1.1 KiB)

eth0:1: flags=4163<UP,BROADCAST,RUNNING,MULTICAST>  mtu 1500
        inet 10.61.18.1  netmask 255.255.254.0  broadcast 10.61.19.255
eth1: flags=4099<UP,BROADCAST,MULTICAST>  mtu 1500
        inet 10.61.20.1  netmask 255.255.255.0  broadcast 10.61.20.255
`, []string{"eth0 up 02:6b:6a:00:00:21", "eth0 up ", "eth1 down ", "eth0 10.61.16.1/24", "eth0 fd6b:16::1/64", "eth0 10.61.18.1/23", "eth1 10.61.20.1/24"}, nil},
	{"the older one", `eth0      Link encap:Ethernet  HWaddr 02:6B:6A:00:00:21
          inet addr:10.61.16.1  Bcast:10.61.16.255  Mask:255.255.255.0
          inet6 addr: fd6b:16::1/64 Scope:Global
          UP BROADCAST RUNNING MULTICAST  MTU:1500  Metric:1
          RX packets:12 errors:0 dropped:0 overruns:0 frame:0

eth1      Link encap:Ethernet  HWaddr 02:6B:6A:00:00:22
          BROADCAST MULTICAST  MTU:1500  Metric:1
ppp0      Link encap:Point-to-Point Protocol
          inet addr:172.28.61.1  P-t-P:172.28.61.2  Mask:255.255.255.255
          UP POINTOPOINT RUNNING NOARP MULTICAST  MTU:1500  Metric:1
`, []string{"eth0 up 02:6b:6a:00:00:21", "eth1 down 02:6b:6a:00:00:22", "ppp0 up ", "eth0 10.61.16.1/24", "eth0 fd6b:16::1/64", "ppp0 172.28.61.1/32"}, nil},
	{"shared addresses are own where the box is master", `em0: flags=8943<UP,BROADCAST,RUNNING,PROMISC,SIMPLEX,MULTICAST> metric 0 mtu 1500
	inet 10.61.16.2 netmask 0xffffff00 broadcast 10.61.16.255
	inet 10.61.16.1 netmask 0xffffff00 broadcast 10.61.16.255 vhid 1
	inet 10.61.16.5 netmask 0xffffff00 broadcast 10.61.16.255 vhid 2
	carp: MASTER vhid 1 advbase 1 advskew 0
	carp: BACKUP vhid 2 advbase 1 advskew 100
em1: flags=8943<UP,BROADCAST,RUNNING,PROMISC,SIMPLEX,MULTICAST> metric 0 mtu 1500
	inet 10.61.17.1 netmask 0xffffff00 broadcast 10.61.17.255 vhid 7
`, []string{"em0 up ", "em1 up ", "em0 10.61.16.2/24", "em0 10.61.16.1/24"}, []string{"8 " + errShared.Error()}},
	{"a bad line costs that line", `em0: flags=8843<UP,BROADCAST,RUNNING,SIMPLEX,MULTICAST> metric 0 mtu 1500
	inet 10.61.16.300 netmask 0xffffff00
	inet 10.61.16.1 netmask 0xffff00ff
	inet 10.61.16.2 netmask 0xffffff00
something else
`, []string{"em0 up ", "em0 10.61.16.2/24"}, []string{`2 not an address: "10.61.16.300"`, "3 mask is not contiguous: 255.255.0.255", "5 not in the form of this layout"}},
}

func TestRead(t *testing.T) {
	for _, tt := range readTests {
		t.Run(tt.name, func(t *testing.T) {
			r := layouttest.Laws(t, Read, []byte(tt.in))
			var got []string
			for _, i := range r.Facts.Interfaces {
				state := map[network.LinkState]string{network.LinkUp: "up", network.LinkDown: "down"}[i.State]
				got = append(got, fmt.Sprint(i.Name, " ", state, " ", i.MAC))
			}
			for _, a := range r.Facts.Addresses {
				got = append(got, a.Interface+" "+a.Prefix.String())
			}
			require.Equal(t, tt.want, got)
			require.Equal(t, tt.unread, layouttest.Unread([]byte(tt.in), r))
			require.Positive(t, recognise([]byte(tt.in)))
			layouttest.Variants(t, Read, tt.in)
		})
	}
}

func FuzzRead(f *testing.F) {
	for _, tt := range readTests {
		f.Add([]byte(tt.in))
	}
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestAListOfFirstAddresses: net-tools leave out the further addresses of an interface; other systems print them all.
func TestAListOfFirstAddresses(t *testing.T) {
	for text, want := range map[string]bool{
		"up0: flags=4163<UP,BROADCAST,RUNNING,MULTICAST>  mtu 1500\n        inet 10.61.0.1  netmask 255.255.255.0  broadcast 10.61.0.255\n":                                                   true,
		"up0       Link encap:Ethernet  HWaddr 02:00:00:00:00:01\n          inet addr:10.61.0.1  Bcast:10.61.0.255  Mask:255.255.255.0\n          UP BROADCAST RUNNING  MTU:1500  Metric:1\n": true,
		"up0: flags=8843<UP,BROADCAST,RUNNING,SIMPLEX,MULTICAST> mtu 1500\n\tinet 10.61.0.1 netmask 0xffffff00 broadcast 10.61.0.255\n":                                                       false,
		"up0: flags=4163<UP,BROADCAST,RUNNING,MULTICAST>  mtu 1500\n        inet6 fd61::1  prefixlen 64  scopeid 0x0<global>\n":                                                               false,
	} {
		r := Read([]byte(text))
		require.Len(t, r.Facts.Addresses, 1, text)
		require.Equal(t, want, r.Facts.Addresses[0].First, text)
	}
}
