package columns

import (
	"fmt"
	"strings"
	"testing"

	"zarvek/internal/capture/layout/layouttest"
)

// TestRowsOfALargeTableSayWhatTheySayAlone: what rows have in common is read once.
func TestRowsOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	bare := func(i int) string { return strings.TrimSuffix(layouttest.IPv4(i), "/24") }
	of := func(i int) string { // of each sort that is read by rules of its own some
		switch i % 97 {
		case 0, 20, 40:
			return bare(i)[:len(bare(i))-1] + "7/32"
		case 1, 21, 41:
			return fmt.Sprintf("%d.%d.0.0/16", 224+i%7, i%251)
		case 2, 22:
			return "10.61.0.0/16"
		case 4, 24, 44:
			return "20.0.70.0/24"
		case 3: // no row: what was remembered is forgotten
			return fmt.Sprintf("20.%d.300.0/24", i%256)
		}
		return layouttest.IPv4(i)
	}
	bareOf := func(i int) string { p, _, _ := strings.Cut(of(i), "/"); return p }
	for _, tt := range []struct {
		name, head string
		prefix     func(int) string
		rows       []string
	}{
		{"net-tools", "Kernel IP routing table\n" +
			"Destination     Gateway         Genmask         Flags Metric Ref    Use Iface\n", bareOf, []string{
			"<P             > 10.61.0.9       255.255.255.0   UG    <M   > 0        0 d0",
			"<P             > 10.61.0.9       255.255.255.0   UG    <M>     0        0 d0",
			"<P             > 10.61.0.9       255.255.255.255 UGH   <M   > 0        0 d0",
			"<P             > 20.0.70.9       255.255.255.0   UG    0      0        0 d0",
			"<P             > 0.0.0.0         255.255.255.0   U     <M   > 0        0 d1",
			"<P             > -               255.255.255.0   !     <M   > -        0 -",
			"<P             > 0.0.0.0         255.255.255.0   U     <M   > 0        0 *",
			"<P             > 10.61.0.9       255.0.255.0     UG    <M   > 0        0 d0",
			"<P> 10.61.0.8 255.255.255.0 UG <M> 0 0 d0",
		}},
		{"BSD", "Routing tables\n\nInternet:\nDestination        Gateway            Flags     Netif Expire\n", of, []string{
			"<P                > 10.61.0.9          UG1         d0",
			"<P                > 20.0.70.9          UC          d0",
			"<P                > 20.0.70.9          US          d0",
			"<P                > link#2             U           d1",
			"<P                > 10.61.0.9          UGB         d0",
			"<P                > aa:bb:cc:0:1:2     UHLW        d1",
		}},
		{"a device's", "Flags: D - Download to fib, R - Relay, B - Black hole route\n\n" +
			"Destination/Mask    Proto   Pre  Cost      Flags NextHop         Interface\n\n", of, []string{
			"<P                > EBGP    255  <M       >  D   10.61.0.9       d0",
			"<P                > EBGP    255  <M       >  RD  10.61.0.9       d0",
			"<P                > EBGP    255  <M       >  X   10.61.0.9       d0",
			"<P                > EBGP    <M > <M       >  D   10.61.0.9       d0",
			"<P                > OSPF    10   <M       >  D   10.61.0.8       d0\n                    OSPF    10   <M       >  D   10.61.0.9       d1",
			"<P                > OSPF    10   <M       >  D   10.61.0.8       d0",
			"<P                > OSPF    10   <M       >  D   10.61.0.8       d0\n                                              D   10.61.0.9       d1",
			"<P                > Direct  0    0           D   0.0.0.0         d0",
			"<P                > Static  60   0           DB  0.0.0.0         NULL0",
		}},
		{"numbers on the right", "     Destination        Next Hop  Metric  Interface\n" +
			"----------------  --------------  ------  ---------\n", of, []string{
			" <P             >       10.61.0.9      20  d0",
			" <P             >       10.61.0.9    1120  d0",
			" <P             >       10.61.0.9     <M>  d0",
		}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			layouttest.Alone(t, Read, tt.head, "\n", "\n", layouttest.Rows(3000, tt.prefix, tt.rows...))
		})
	}
}
