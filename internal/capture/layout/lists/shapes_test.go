package lists

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

// TestShapes: lists whose headings, columns or rows are of a kind of their own.
func TestShapes(t *testing.T) {
	for _, tt := range []struct {
		name, in string
		read     func([]byte) layout.Reading
		want     []string
	}{
		{"one state of three, tables in titles", `IP Interface Status for VRF "default"(1)
Interface            IP Address      Interface Status
Vlan16               10.61.16.1      protocol-up/link-up/admin-up
Eth1/1               172.28.61.2     protocol-down/link-down/admin-up
IP Interface Status for VRF "guests"(2)
Interface            IP Address      Interface Status
mgmt0                10.62.0.2       protocol-up/link-up/admin-up
`, Read, []string{"if Vlan16 1", "if Eth1/1 2", "if mgmt0 1", "addr 10.61.16.1/32 Vlan16 in default", "addr 172.28.61.2/32 Eth1/1 in default", "addr 10.62.0.2/32 mgmt0 in guests"}},
		{"numbers in front of the names", `IDX LINK  TYPE     OPERATIONAL SETUP
  1 lo    loopback carrier     unmanaged
  2 hall  ether    no-carrier  configuring
  3 tills ether    routable    configured
`, Read, []string{"if lo 1", "if hall 2", "if tills 1"}},
		{"devices and what connects them", `DEVICE  TYPE      STATE                   CONNECTION
tills   ethernet  connected               tills
lo      loopback  connected (externally)  lo
hall    ethernet  unavailable             --
`, Read, []string{"if tills 1", "if lo 1", "if hall 2"}},
		{"names over two lines, the second below", `Interface                IP Address            Interface Status
                                                  link/admin
vlan16                   10.61.16.1/24            up/up
1/1/1                    172.28.61.2/30           down/up
`, Read, []string{"if vlan16 1", "if 1/1/1 2", "addr 10.61.16.1/24 vlan16", "addr 172.28.61.2/30 1/1/1"}},
		{"names over two lines, the second above", `                                                                              Address
Interface         IP Address            Status       Protocol           MTU   Owner
----------------- --------------------- ------------ -------------- --------- -------
line1             172.28.61.2/30        up           up                1500
Vlan16            10.61.16.1/24         down         lowerlayerdown    1500
`, Read, []string{"if line1 1", "if Vlan16 2", "addr 172.28.61.2/30 line1", "addr 10.61.16.1/24 Vlan16"}},
		{"rows of two lines, states by family", `Interface Table (Router: Base)
Interface-Name                   Adm       Opr(v4/v6)  Mode    Port/SapId
   IP-Address                                                  PfxState
-------------------------------------------------------------------------------
hall                             Up        Up/Down     Network 1/1/2
   10.61.16.1/24                                               n/a
to-control                       Up        Down/Down   Network 1/1/1
   172.28.61.2/30                                              n/a
-------------------------------------------------------------------------------
Interfaces : 2
`, Read, []string{"if hall 1", "if to-control 2", "addr 10.61.16.1/24 hall in default", "addr 172.28.61.2/30 to-control in default"}},
		{"the name that routes use beside the port", `Interface                Name                   IP address      Subnet mask     Method
port0/0                  outside                172.28.61.2     255.255.255.252 CONFIG
`, Read, []string{"if outside 0", "addr 172.28.61.2/30 outside"}},
		{"an address apart from its length, the table of each row", `Name            VID  Protocol Addr       Flags                         Proto  Ports  Virtual
                                                                              Active router
Spare           1    -------------------------------------------------T----- ANY    1 /24  VR-Default
hall            16   10.61.16.1     /24  -f---------------------------T----- ANY    2 /4   VR-Default
guests          99   10.61.99.1     /24  -f---------------------------T----- ANY    2 /4   VR-Guests
`, Read, []string{"if Spare 0", "if hall 0", "if guests 0", "addr 10.61.16.1/24 hall in default", "addr 10.61.99.1/24 guests in VR-Guests"}},
		{"ports with speed and state, then interfaces with their router", `name                    id    speed/duplex/state            mac address
--------------------------------------------------------------------------------
port1/1                 16    1000/full/up                  02:00:00:00:00:07
port1/2                 17    unknown/unknown/down          02:00:00:00:00:08

name                id    vsys zone             forwarding               tag    address
------------------- ----- ---- ---------------- ------------------------ ------ ------------------
port1/1             16    1    outside          vr:default               0      172.28.61.2/30
port1/2             17    1    hall             vr:guests                0      10.61.16.1/24
`, Read, []string{"if port1/1 1", "if port1/2 2", "if port1/1 0", "if port1/2 0", "addr 172.28.61.2/30 port1/1 in default", "addr 10.61.16.1/24 port1/2 in guests"}},
		{"letters for states, a link-layer address that is the device's own", `Name           IP Address         Zone        MAC            VLAN State VSD
eth0/0         172.28.61.2/30     Out         0200.0000.0007    -   U   -
eth0/2         0.0.0.0/0          Depot       0200.0000.0009    -   D   -
`, Read, []string{"if eth0/0 1", "if eth0/2 2", "addr 172.28.61.2/30 eth0/0"}},
		{"an address with its peer", `Interface               Admin Link Proto    Local                 Remote
lo0.0                   up    up   inet     10.61.254.2         --> 0/0
`, Read, []string{"if lo0.0 1", "addr 10.61.254.2/32 lo0.0"}},
		{"neighbours out of line with their names", `Address           Age(min)   Hardware Addr      Interface
172.28.61.1       0          02:00:00:00:00:01 wan1
10.61.16.20       1          02:00:00:00:00:10 hall
`, Read, []string{"neigh 172.28.61.1 wan1 02:00:00:00:00:01 1", "neigh 10.61.16.20 hall 02:00:00:00:00:10 1"}},
		{"two columns for ports, of which one is the interface", `interface         ip address      hw address        port              status   ttl
--------------------------------------------------------------------------------
port1/1           172.28.61.1     02:00:00:00:00:01 port1/1             c      1204
port1/2           10.61.16.21     (incomplete)      port1/2             i      1
`, Read, []string{"neigh 172.28.61.1 port1/1 02:00:00:00:00:01 1", "neigh 10.61.16.21 port1/2  0"}},
		{"VLANs below their neighbours", `IP ADDRESS      MAC ADDRESS     EXPIRE(M) TYPE        INTERFACE   VPN-INSTANCE
                                          VLAN/CEVLAN
10.61.16.20     0200-0000-0010  12        D-0         port0/3
                                          16/-
Total:1         Dynamic:1       Static:0     Interface:0
`, Read, []string{"neigh 10.61.16.20 port0/3 02:00:00:00:00:10 1"}},
		{"a workstation's neighbours, those of all and many left out", `Interface: 10.61.16.20 --- 0xc
  Internet Address      Physical Address      Type
  10.61.16.1            02-00-00-00-00-07     dynamic
  10.61.16.255          ff-ff-ff-ff-ff-ff     static
  224.0.0.22            01-00-5e-00-00-16     static
`, Read, []string{"neigh 10.61.16.1 10.61.16.20 02:00:00:00:00:07 1"}},
		{"names with values", `== [ wan1 ]
name: wan1   mode: static    ip: 172.28.61.2 255.255.255.252   status: up    netbios-forward: disable    type: physical
== [ spare ]
name: spare   mode: static    ip: 0.0.0.0 0.0.0.0   status: down    type: physical
IP=10.61.16.1->10.61.16.1/255.255.255.0 index=6 devname=hall
`, ReadPairs, []string{"if wan1 1", "if spare 2", "addr 172.28.61.2/30 wan1", "addr 10.61.16.1/24 hall"}},
		{"entries without names", "\toutside 172.28.61.1 0200.0000.0001 12\n\tinside 10.61.16.20 0200.0000.0010 -\n", ReadPairs,
			[]string{"neigh 172.28.61.1 outside 02:00:00:00:00:01 1", "neigh 10.61.16.20 inside 02:00:00:00:00:10 1"}},
		{"paragraphs with switch and link", `Interface eth1
    state on
    link-state link up
    ipv4-address 10.61.16.1/24
Interface eth2
    state off
    link-state link up
Interface eth3
    state on
    link-state no link
    ipv4-address 172.28.61.6/30
`, ReadDetail, []string{"if eth1 1", "if eth2 2", "if eth3 2", "addr 10.61.16.1/24 eth1", "addr 172.28.61.6/30 eth3"}},
		{"paragraphs that are not indented", `Vlanif16 current state : UP
Line protocol current state : UP
Description:hall
Route Port,The Maximum Transmit Unit is 1500
Internet Address is 10.61.16.1/24
IP Sending Frames' Format is plain, Hardware address is 0200-0000-0007
Vlanif17 current state : UP
Line protocol current state : DOWN
Internet Address is 10.61.17.1/24
`, ReadDetail, []string{"if Vlanif16 1", "if Vlanif17 2", "addr 10.61.16.1/24 Vlanif16", "addr 10.61.17.1/24 Vlanif17"}},
		{"a paragraph with a line at its edge", `line1/1 is down (Link not connected)
admin state is up, Dedicated Interface
  Hardware: 1000/10000 Ethernet, address: 0200.0000.0007 (bia 0200.0000.0007)
  Internet Address is 172.28.61.2/30
`, ReadDetail, []string{"if line1/1 2", "addr 172.28.61.2/30 line1/1"}},
		{"the table behind the states", `Interface                      IP-Address      Status          Protocol Vrf-Name
line0/0                        172.28.61.2     Up              Up       default
line0/1                        10.61.99.1      Shutdown        Down     guests
`, Read, []string{"if line0/0 1", "if line0/1 2", "addr 172.28.61.2/32 line0/0 in default", "addr 10.61.99.1/32 line0/1 in guests"}},
		{"a VLAN with the port in it", `Address         Age (sec)  Hardware Addr   Interface
10.61.16.20       0:00:31  0200.0000.0010  Vlan16, line5
10.61.16.21           N/A  incomplete      Vlan16
`, Read, []string{"neigh 10.61.16.20 Vlan16 02:00:00:00:00:10 1", "neigh 10.61.16.21 Vlan16  0"}},
		{"entries in words", `gw (172.28.61.1) at 02:00:00:00:00:01 [ether] on eth0
? (10.61.16.21) at <incomplete> on eth1
? (10.61.16.20) at 2:0:0:0:0:10 on em1 expires in 1187 seconds [ethernet]
`, ReadPairs, []string{"neigh 172.28.61.1 eth0 02:00:00:00:00:01 1", "neigh 10.61.16.21 eth1  0", "neigh 10.61.16.20 em1 02:00:00:00:00:10 1"}},
		{"neighbours of IPv6 with their zone", `Neighbor                             Linklayer Address  Netif Expire    1s 5s
fe80::1%em0                          02:00:00:00:00:01   em0 23h59m58s S R
`, Read, []string{"neigh fe80::1 em0 02:00:00:00:00:01 1"}},
		{"a workstation's settings", `Configuration

   Host Name . . . . . . . . . . . . : till-2

Ethernet adapter Hall:

   Physical Address. . . . . . . . . : 02-00-00-00-00-10
   Link-local IPv6 Address . . . . . : fe80::10%12(Preferred)
   IPv4 Address. . . . . . . . . . . : 10.61.16.20(Preferred)
   Subnet Mask . . . . . . . . . . . : 255.255.255.0
   Default Gateway . . . . . . . . . : 10.61.16.1

Wireless LAN adapter Air:

   Media State . . . . . . . . . . . : Media disconnected
`, ReadWorkstation, []string{"if Hall 0", "if Air 2", "addr fe80::10/128 Hall", "addr 10.61.16.20/24 10.61.16.20"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r := layouttest.Laws(t, tt.read, []byte(tt.in))
			require.Equal(t, tt.want, wordsOf(r))
			require.Empty(t, layouttest.Unread([]byte(tt.in), r))
		})
	}
}

// TestWhatIsNoListOfOnesOwn: lists that name interfaces and addresses of others make nobody's address.
func TestWhatIsNoListOfOnesOwn(t *testing.T) {
	for _, in := range []string{
		"Neighbor ID     Pri   State           Dead Time   Address         Interface\n10.61.254.1       1   FULL/DR         00:00:31    172.28.61.1     line1\n",
		"Interface   Grp  Pri P State   Active          Standby         Virtual IP\nVl16        16   110 P Active  local           10.61.16.3      10.61.16.1\n",
		"Interface    PID   Area            IP Address/Mask    Cost  State Nbrs F/C\nline1        1     0               172.28.61.2/30     1     DR    1/1\n",
	} {
		require.Zero(t, recognise([]byte(in)), in)
	}
}

// TestForwardingInLists: a column or a letter of the key tells whether packets that come in by an interface go on; where
// neither stands nothing is told.
func TestForwardingInLists(t *testing.T) {
	for in, want := range map[string]string{
		"Name        IP Address      Subnet Mask     Status Forward  Device\n" +
			"-----------+---------------+---------------+------+-------+--------\n" +
			"hall        10.61.16.1      255.255.255.0       UP     YES vlan 16\n" +
			"guests      10.61.17.1      255.255.255.0       UP      NO vlan 17\n": "hall true guests false",
		"Name            VID  Protocol Addr       Flags        Proto  Ports  Virtual\n" +
			"hall            16   10.61.16.1     /24  -----f-----  ANY    1 /1   VR-Default\n" +
			"guests          17   10.61.17.1     /24  -----------  ANY    1 /1   VR-Default\n" +
			"Flags : (B) BFD Enabled, (f) IP Forwarding Enabled, (o) OSPF Enabled\n": "hall true guests false",
		"Name            VID  Protocol Addr       Flags        Proto  Ports  Virtual\n" +
			"hall            16   10.61.16.1     /24  -----f-----  ANY    1 /1   VR-Default\n": "",
	} {
		r := layouttest.Laws(t, Read, []byte(in))
		require.Empty(t, r.Unread, in)
		var got []string
		for _, s := range r.Facts.Forwarding {
			got = append(got, fmt.Sprint(s.Interface, " ", s.On))
		}
		require.Equal(t, want, strings.Join(got, " "), in)
	}
}

// TestWhatStandsBelowAList and is no row of it, as where an answer begins without a prompt, is no interface.
func TestWhatStandsBelowAList(t *testing.T) {
	for _, line := range []string{
		"set interfaces line1 unit 0 family inet address 172.28.61.2/30",
		"set system host-name hub",
		"                    > to 172.28.61.1 via line1.0",
		"O        10.61.64.0/24 [110/47] via 172.28.61.1, line1",
	} {
		r := Read([]byte("Interface               Admin Link Proto    Local                 Remote\n" +
			"hall.0                  up    up   inet     10.61.16.1/24\n" + line + "\n"))
		require.Len(t, r.Facts.Interfaces, 1, line)
		require.Len(t, r.Facts.Addresses, 1, line)
		require.Len(t, r.Unread, 1, line)
	}
}

// TestTabsInAList are blanks up to the next stop, so that words stand under the names of their columns.
func TestTabsInAList(t *testing.T) {
	const in = "Interface                      IP-Address      Status          Protocol Vrf-Name\n" +
		"hall\t\t\t       10.61.16.1      Up\t       Up\tdefault \n" +
		"line1\t\t\t       172.28.61.5     Shutdown        Down\tdefault \n"
	require.Equal(t, []string{"if hall 1", "if line1 2", "addr 10.61.16.1/32 hall in default", "addr 172.28.61.5/32 line1 in default"},
		wordsOf(Read([]byte(in))))
}
