package capture

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
)

// TestTunnelsOfEachShape: every shape of configuration, and the lists, tell of the same tunnel.
func TestTunnelsOfEachShape(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"statements": {`hostname mast7
interface GigabitEthernet0/0
 ip address 172.28.61.2 255.255.255.252
!
interface Tunnel7
 ip address 10.61.240.2 255.255.255.252
 tunnel source GigabitEthernet0/0
 tunnel destination 172.28.61.18
 tunnel key 0x4D
 tunnel vrf WAN
`, "Tunnel7 from GigabitEthernet0/0 to 172.28.61.18 key 77 in WAN"},
		"statements, in a table": {`hostname mast7
interface Tunnel7
 vrf forwarding OFFICE
 ip address 10.61.240.2 255.255.255.252
 tunnel source 172.28.61.2
 tunnel destination 172.28.61.18
`, "Tunnel7 from 172.28.61.2 to 172.28.61.18"},
		"statements, encrypted": {`hostname mast7
interface GigabitEthernet0/0
 nameif outside
 ip address 172.28.61.2 255.255.255.252
interface Tunnel7
 nameif depot
 ip address 10.61.240.2 255.255.255.252
 tunnel source interface outside
 tunnel destination 172.28.61.18
 tunnel mode ipsec ipv4
`, "depot from outside to 172.28.61.18 as esp"},
		"statements, for many": {`hostname mast7
interface Tunnel7
 ip address 10.61.240.2 255.255.255.0
 tunnel source 172.28.61.2
 tunnel mode gre multipoint
interface Tunnel8
 ip address 10.61.241.2 255.255.255.0
 tunnel source 172.28.61.2
 tunnel destination depot.kjelven.example
interface Tunnel9
 ip address 10.61.242.2 255.255.255.0
 tunnel mode mpls traffic-eng
 tunnel destination 172.28.61.18
`, "Tunnel7 from 172.28.61.2 to many, Tunnel8 from 172.28.61.2 to ?, Tunnel9 to ?"},
		"statements, the kind in its heading": {"#\n sysname mast7\n#\ninterface Tunnel7 mode gre\n ip address 10.61.240.2 255.255.255.252\n" +
			" source 172.28.61.2\n destination vpn-instance WAN 172.28.61.18\n gre key 77\n#\nreturn\n",
			"Tunnel7 from 172.28.61.2 to 172.28.61.18 as gre key 77 in WAN"},
		"blocks": {`config system interface
    edit "depot"
        set type tunnel
        set ip 10.61.240.2 255.255.255.255
        set interface "wan1"
    next
end
config vpn ipsec phase1-interface
    edit "depot"
        set interface "wan1"
        set remote-gw 172.28.61.18
    next
    edit "guests"
        set type dynamic
        set interface "wan1"
    next
end
config system gre-tunnel
    edit "summit"
        set interface "wan1"
        set remote-gw 172.28.61.22
        set local-gw 172.28.61.2
    next
end
`, "depot from wan1 to 172.28.61.18 as esp, guests from wan1 to many as esp, summit from 172.28.61.2 to 172.28.61.22 as gre"},
		"a tree, in braces": {`interfaces {
    gr-0/0/0 {
        unit 7 {
            tunnel {
                source 172.28.61.2;
                destination 172.28.61.18;
                routing-instance {
                    destination WAN;
                }
            }
        }
    }
    st0 {
        unit 0 { family inet { address 10.61.241.2/30; } }
    }
}
security {
    ike {
        gateway DEPOT {
            address 172.28.61.22;
            external-interface ge-0/0/0.0;
        }
        gateway TWO {
            address [ 172.28.61.22 172.28.61.26 ];
        }
    }
    ipsec {
        vpn DEPOT {
            bind-interface st0.0;
            ike {
                gateway DEPOT;
            }
        }
    }
}
`, "gr-0/0/0.7 from 172.28.61.2 to 172.28.61.18 as gre in WAN, st0.0 from ge-0/0/0.0 to 172.28.61.22 as esp"},
		"a tree of kinds": {`set interfaces tunnel tun7 address '10.61.240.2/30'
set interfaces tunnel tun7 encapsulation 'gre'
set interfaces tunnel tun7 source-address '172.28.61.2'
set interfaces tunnel tun7 remote '172.28.61.18'
set interfaces tunnel tun7 parameters ip key '77'
set interfaces vti vti1 address '10.61.241.2/30'
set vpn ipsec site-to-site peer DEPOT local-address '172.28.61.2'
set vpn ipsec site-to-site peer DEPOT remote-address '172.28.61.22'
set vpn ipsec site-to-site peer DEPOT vti bind 'vti1'
`, "tun7 from 172.28.61.2 to 172.28.61.18 as gre key 77, vti1 from 172.28.61.2 to 172.28.61.22 as esp"},
		"paths": {`/interface gre
add local-address=172.28.61.2 name=depot remote-address=172.28.61.18
add disabled=yes local-address=172.28.61.2 name=old remote-address=172.28.61.18
/interface ipip
add name=summit remote-address=172.28.61.22 ipsec-secret=a
`, "depot from 172.28.61.2 to 172.28.61.18 as gre, summit to 172.28.61.22 as esp"},
		"commands": {`set network interface ethernet ethernet1/1 layer3 ip 172.28.61.2/30
set network ike gateway DEPOT local-address interface ethernet1/1
set network ike gateway DEPOT peer-address ip 172.28.61.18
set network tunnel ipsec DEPOT auto-key ike-gateway DEPOT
set network tunnel ipsec DEPOT tunnel-interface tunnel.7
set network tunnel gre SUMMIT local-address ip 172.28.61.2/30
set network tunnel gre SUMMIT peer-address ip 172.28.61.22
set network tunnel gre SUMMIT tunnel-interface tunnel.8
`, "tunnel.7 from ethernet1/1 to 172.28.61.18 as esp, tunnel.8 from 172.28.61.2 to 172.28.61.22 as gre"},
		"a list": {"gre0: gre/ip remote any local any ttl inherit nopmtudisc\n" +
			"gre7: gre/ip remote 172.28.61.18 local 172.28.61.2 ttl 255 key 0.0.0.77\n",
			"gre7 from 172.28.61.2 to 172.28.61.18 as gre key 77, listed"},
		"a paragraph": {"Tunnel7 is up, line protocol is up\n  Internet address is 10.61.240.2/30\n" +
			"  Tunnel source 172.28.61.2 (Ethernet0/0), destination 172.28.61.18\n  Tunnel protocol/transport GRE/IP\n" +
			"Tunnel8 is up, line protocol is up\n  Tunnel source 172.28.61.2 (Ethernet0/0)\n" +
			"  Tunnel protocol/transport multi-GRE/IP\n",
			"Tunnel7 from 172.28.61.2 to 172.28.61.18 as gre, listed, Tunnel8 from 172.28.61.2 to many as gre, listed"},
	} {
		t.Run(name, func(t *testing.T) {
			c1, err := Read("x", []byte(c.text), 1)
			require.NoError(t, err)
			var got []string
			for _, p := range c1.Parts {
				for _, x := range p.Facts.Policy.Tunnels {
					require.True(t, x.Mark.Known(), "a line tells it")
					got = append(got, tunnelText(x))
				}
				require.Empty(t, p.Unread)
			}
			require.Equal(t, c.want, strings.Join(got, ", "))
		})
	}
}

// tunnelText words a tunnel: the interface, from where and to where, and what else is told.
func tunnelText(x network.Tunnel) string {
	s := x.Interface
	switch {
	case x.Local.IsValid():
		s += " from " + x.Local.String()
	case x.From != "":
		s += " from " + x.From
	}
	switch {
	case x.Many:
		s += " to many"
	case x.Remote.IsValid():
		s += " to " + x.Remote.String()
	default:
		s += " to ?"
	}
	for _, more := range []struct{ word, value string }{{"as", x.Protocol}, {"key", x.Key}, {"in", x.Table}} {
		if more.value != "" {
			s += fmt.Sprintf(" %s %s", more.word, more.value)
		}
	}
	if !x.Configured {
		s += ", listed"
	}
	return s
}
