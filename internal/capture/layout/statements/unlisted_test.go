package statements

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestLinesThatNobodyListed: of what stands below an interface, that which speaks of stopping packets restricts, and
// that which uses such words of frames, protocols and queues does not.
func TestLinesThatNobodyListed(t *testing.T) {
	for line, restricts := range map[string]bool{
		"traffic-secure inbound acl 3001":        true,
		"xconnect 172.28.61.9 7 encapsulation x": true,
		"bridge-group 1":                         true,
		"ip admission GUESTS":                    true,
		"ip auth-proxy GUESTS":                   true,
		"packet drop-list GUESTS":                true,
		"secure filter GUESTS in":                true,
		"profile GUESTS":                         true,
		"ip igmp access-group 10":                false,
		"ip igmp filter 10":                      false,
		"ip ospf database-filter all out":        false,
		"storm-control action drop":              false,
		"switchport block unicast":               false,
		"queue tail-drop":                        false,
		"mac access-group GUESTS in":             true, // of frames, which packets are in
		"description drop all of it":             false,
		"no xconnect":                            false,
	} {
		r := layouttest.Laws(t, Read, []byte("interface hall0\n ip address 10.61.16.1 255.255.255.0\n "+line+"\n"))
		require.Equal(t, restricts, len(r.Facts.Policy.Flows)+len(r.Facts.Applied) > 0, line)
	}
}

// TestRulesThatNeighboursAnnounce are in no text of the device.
func TestRulesThatNeighboursAnnounce(t *testing.T) {
	for text, restricts := range map[string]bool{
		"flowspec\n local-install interface-all\n":                                           true,
		"router bgp 65061\n address-family ipv4 flowspec\n  neighbor 172.28.61.1 activate\n": true,
		"router bgp 65061\n address-family ipv4 unicast\n  neighbor 172.28.61.1 activate\n":  false,
	} {
		r := layouttest.Laws(t, Read, []byte("interface hall0\n ip address 10.61.16.1 255.255.255.0\n!\n"+text))
		require.Equal(t, restricts, len(r.Facts.Policy.Flows) > 0, text)
	}
}

// TestWhatCountsForSeveralInterfaces is no interface of its own, and what it applies may count for each.
func TestWhatCountsForSeveralInterfaces(t *testing.T) {
	for _, heading := range []string{"interface range hall0 - 1", "interface range hall0 , hall1", "interface hall0,hall1",
		"interface hall 0 to hall 3", "interface profile GUESTS"} {
		for _, line := range []string{" ip access-group NIGHT in\n", " command ip access-group NIGHT in\n"} {
			r := layouttest.Laws(t, Read, []byte("interface hall0\n ip address 10.61.16.1 255.255.255.0\n!\n"+heading+"\n"+line))
			require.Len(t, r.Facts.Interfaces, 1, heading)
			require.NotEmpty(t, r.Facts.Policy.Flows, heading+line)
			require.Empty(t, r.Facts.Policy.Flows[0].In, heading)
		}
	}
}

// TestGreetings are no statements, however they read, up to the sign that ends them.
func TestGreetings(t *testing.T) {
	const said = "interface depot9\n ip address 10.61.99.1 255.255.255.0\nip route 10.61.98.0 255.255.255.0 10.61.99.2\n"
	const before, after = "interface hall0\n ip address 10.61.16.1 255.255.255.0\n!\n",
		"interface up0\n ip address 172.28.61.2 255.255.255.252\n"
	for text, facts := range map[string]int{
		"banner motd ^C\n" + said + "^C\n":                            0,
		"banner motd ^CWelcome\n" + said + "bye^C\n":                  0,
		"banner motd #\n" + said + "#\n":                              0,
		"banner login §\n" + said + "§\n":                             0,
		"banner motd\n" + said + "EOF\n":                              0,
		"header shell information \"\n" + said + "\"\n":               0,
		"header login information %Welcome\n" + said + "%\n":          0,
		"banner motd ^CWelcome^C\n" + said:                            1,
		"banner motd Welcome\nbanner motd *** Away\n" + said:          1,
		"banner motd #\nbanner motd # and on\n" + said:                1, // one line each, whatever they begin with
		"banner motd #\n" + strings.Repeat("!\n", 500) + said + "#\n": 1, // of no end is known
	} {
		r := layouttest.Laws(t, Read, []byte(before+text+after))
		require.Len(t, r.Facts.Interfaces, 2+facts, text)
		require.Len(t, r.Facts.Statics, facts, text)
		require.Equal(t, "up0", r.Facts.Interfaces[1+facts].Name)
	}
}

// TestTheOrderOfRules is that of their numbers, and rules for fragments fit no whole packet.
func TestTheOrderOfRules(t *testing.T) {
	for text, want := range map[string][]string{
		" 100 permit ip any any\n 5 deny tcp any any\n":                     {"deny tcp", "permit"},
		" 10 permit udp any any\n permit tcp any any\n 5 deny ip any any\n": {"deny", "permit udp", "permit tcp"},
		" deny ip any any fragments\n permit ip any any\n":                  {"permit"},
		" permit ip any any fragments\n":                                    {"permit perhaps"},
	} {
		r := layouttest.Laws(t, Read, []byte("ip access-list extended NIGHT\n"+text))
		require.Equal(t, want, layouttest.Lists(r.Facts.ListRules)["NIGHT"], text)
	}
	auto := Read([]byte("acl number 3001 match-order auto\n rule 9 permit tcp\n rule 5 deny ip\n"))
	require.Equal(t, []string{"permit tcp", "deny"}, layouttest.Lists(auto.Facts.ListRules)["3001"])
}
