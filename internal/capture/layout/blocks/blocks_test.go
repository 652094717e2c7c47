package blocks

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

const config = `config system interface
    edit "hall0"
        set ip 10.61.16.1 255.255.255.0
        set allowaccess ping ssh
        config secondaryip
            edit 1
                set ip 10.61.17.1 255.255.255.0
            next
        end
    next
    edit "up0"
        set ip 172.28.61.2 255.255.255.252
        set status down
        set description "way up"
    next
end
config system zone
    edit "inside"
        set interface "hall0" "yard0"
    next
end
config firewall address
    edit "tills"
        set subnet 10.61.16.0 255.255.255.0
    next
    edit "masts"
        set type iprange
        set start-ip 10.61.18.4
        set end-ip 10.61.18.5
    next
    edit "far"
        set type fqdn
        set fqdn "depot.example"
    next
    edit "everybody"
    next
end
config firewall addrgrp
    edit "both"
        set member "tills" "masts"
    next
end
config firewall service custom
    edit "work"
        set tcp-portrange 8443 8000-8001:1024-65535
    next
    edit "echo only"
        set protocol ICMP
        set icmptype 8
    next
end
config firewall service group
    edit "day"
        set member "work" "HTTPS"
    next
end
config firewall policy
    edit 3
        set srcintf "inside"
        set dstintf "up0"
        set action accept
        set srcaddr "both"
        set dstaddr "everybody"
        set schedule "always"
        set service "day"
        set nat enable
    next
    edit 1
        set srcintf "any"
        set dstintf "any"
        set srcaddr "far"
        set dstaddr "all"
        set service "ALL"
        set schedule "always"
    next
    edit 7
        set status disable
        set srcintf "any"
        set dstintf "any"
        set action accept
        set srcaddr "all"
        set dstaddr "all"
        set service "ALL"
    next
    edit 8
        set srcintf "up0"
        set dstintf "hall0"
        set action accept
        set srcaddr "all"
        set dstaddr "tills"
        set service "echo only"
        set schedule "nights"
    next
end
config router static
    edit 1
        set dst 10.61.96.0 255.255.240.0
        set gateway 172.28.61.1
        set device "up0"
        set distance 20
    next
    edit 2
        set dst 10.61.97.0 255.255.255.0
        set blackhole enable
    next
    edit 3
        set gateway 172.28.61.1
        set status disable
    next
end
`

func TestRead(t *testing.T) {
	in := []byte(config)
	r := layouttest.Laws(t, Read, in)
	require.Empty(t, r.Unread)
	var got []string
	for _, a := range r.Facts.Addresses {
		got = append(got, a.Interface+" "+a.Prefix.String())
	}
	for _, s := range r.Facts.Statics {
		got = append(got, fmt.Sprint(s.Prefix, " ", s.NextHop.Address, " ", s.NextHop.Interface, " ", s.Special, " ", s.Preference.Value))
	}
	require.Equal(t, []string{"hall0 10.61.16.1/24", "hall0 10.61.17.1/24", "up0 172.28.61.2/30", "10.61.96.0/20 172.28.61.1 up0  20", "10.61.97.0/24 invalid IP  blackhole 0"}, got)
	require.Equal(t, network.Interface{Name: "up0", State: network.LinkDown, Configured: true, Mark: r.Facts.Interfaces[0].Mark}, r.Facts.Interfaces[0])
	var want []string
	for _, from := range []string{"10.61.16.0/24", "10.61.18.4/31"} {
		for _, service := range []string{"8443-8443", "8000-8001", "443-443"} {
			for _, in := range []string{"hall0", "yard0"} {
				source := from
				if service == "8000-8001" {
					source += " 1024-65535"
				}
				want = append(want, fmt.Sprintf("permit tcp from %s to 0.0.0.0/0 %s in %s out up0", source, service, in))
			}
		}
	}
	lists := layouttest.Lists(r.Facts.ListRules)
	require.Equal(t, append(want, "deny perhaps", "permit icmp type 8 to 10.61.16.0/24 in up0 out hall0 perhaps"), lists[between])
	require.Equal(t, []string{"permit icmp type 8", "permit tcp 22-22", "deny tcp 443-443", "deny tcp 80-80", "deny tcp 23-23", "deny udp 161-161"}, lists["access by hall0"])
	require.Equal(t, []string{"access by hall0 0 hook 3 permit in hall0", "access by up0 0 hook 3 permit in up0", between + " 0 hook 0 deny"}, layouttest.Applied(r.Facts.Applied))
	require.Len(t, r.Facts.Policy.Translations, len(want))
	require.False(t, r.Facts.Policy.Translations[0].Undecided)
	require.Empty(t, r.Facts.Policy.Flows)
	require.Greater(t, recognise(in), 20)
	layouttest.Variants(t, Read, config)
}

// TestNamesThatMayBeZones: a policy names what no part of the text tells; interfaces and zones that it tells, and the
// members of a zone of several links, are known.
func TestNamesThatMayBeZones(t *testing.T) {
	policy := "config firewall policy\n edit 1\n  set srcintf \"hall\"\n  set dstintf \"up\"\n  set action accept\n  set srcaddr \"all\"\n  set dstaddr \"all\"\n  set schedule \"always\"\n  set service \"ALL\"\n next\nend\n"
	hall := "config system interface\n edit \"hall\"\n  set ip 10.61.16.1 255.255.255.0\n next\nend\n"
	for in, want := range map[string]struct {
		zones bool
		outs  []string
	}{
		policy:        {true, []string{"up"}},
		hall + policy: {true, []string{"up"}},
		hall + "config system interface\n edit \"up\"\n next\nend\n" + policy:                                                                                                                             {false, []string{"up"}},
		hall + "config system zone\n edit \"up\"\n  set interface \"p1\" \"p2\"\n next\nend\n" + policy:                                                                                                   {false, []string{"p1", "p2"}},
		hall + "config system sdwan\n config members\n  edit 1\n   set interface \"p1\"\n   set zone \"up\"\n  next\n  edit 2\n   set interface \"p2\"\n   set zone \"up\"\n  next\n end\nend\n" + policy: {false, []string{"p1", "p2"}},
	} {
		r := layouttest.Laws(t, Read, []byte(in))
		var outs []string
		for _, x := range r.Facts.ListRules {
			if x.List == between {
				require.Equal(t, want.zones, x.Zones, in)
				outs = append(outs, x.Out)
			}
		}
		require.Equal(t, want.outs, outs, in)
	}
}

// TestWhatIsNotReadRestricts: translations of an odd kind, lists of rules that are not read, devices in the device, and a text that was
// cut.
func TestWhatIsNotReadRestricts(t *testing.T) {
	for text, flows := range map[string]int{
		"config firewall vip\n    edit \"till\"\n        set extip 172.28.61.2\n    next\nend\n":                                                    4,
		"config router policy\n    edit 1\n        set status disable\n    next\nend\n":                                                             0,
		"config firewall acl\n    edit 1\n        set interface \"up0\"\n    next\nend\n":                                                           4,
		"config firewall security-policy\n    edit 1\n        set action deny\n    next\nend\n":                                                     2,
		"config system settings\n    set opmode transparent\nend\n":                                                                                 4,
		"config system settings\n    set ngfw-mode policy-based\nend\n":                                                                             2,
		"config system global\n    set hostname \"g\"\nend\nconfig system interface\n    edit \"hall0\"\n    next\nend\n":                           2,
		"config system global\n    set hostname \"g\"\nend\nconfig router static\n    edit 1\n    next\nend\n":                                      0,
		"config system settings\n    set opmode nat\nend\n":                                                                                         0,
		"config system sdwan\n    set status enable\n    config service\n        edit 1\n            set dst \"all\"\n        next\n    end\nend\n": 2,
		"config system sdwan\n    config service\n        edit 1\n            set status disable\n        next\n    end\nend\n":                     0,
		"config vdom\nedit night\nnext\nend\n":                                                                                                      4,
		"config firewall policy\n    edit 1\n        set action accept\n":                                                                           4,
		"config firewall policy\n    edit 1\n        set action accept\n    next\nend\n":                                                            0,
		"config system interface\n    edit \"hall0\"\n    next\nend\n10.61.96.0/20 via 172.28.61.1 dev up0\n":                                       0,
	} {
		r := layouttest.Laws(t, Read, []byte(text))
		require.Len(t, r.Facts.Policy.Flows, flows, text)
	}
	r := Read([]byte("config firewall policy\n    edit 1\n        set action accept\n        set srcaddr \"all\"\n        set dstaddr \"all\"\n        set srcaddr-negate enable\n        set service \"ALL\"\n        set odd-word on\n    next\nend\n"))
	require.Equal(t, []string{"permit perhaps"}, layouttest.Lists(r.Facts.ListRules)[between])
}

// TestAStaticRouteWithoutADestination is the default one of its family.
func TestAStaticRouteWithoutADestination(t *testing.T) {
	for section, want := range map[string]string{"router static": "0.0.0.0/0", "router static6": "::/0"} {
		r := layouttest.Laws(t, Read, []byte("config "+section+"\n    edit 1\n        set gateway 172.28.61.9\n        set device \"up0\"\n    next\nend\n"))
		require.Len(t, r.Facts.Statics, 1)
		require.Equal(t, want, r.Facts.Statics[0].Prefix.String())
	}
	r := layouttest.Laws(t, Read, []byte("config router static\n    edit 1\n        set dst 10.61.96.0 255.255.240.0\n        set gateway 172.28.61.9\n    next\n    edit 2\n        set dst odd\n        set gateway 172.28.61.9\n    next\nend\n"))
	require.Len(t, r.Facts.Statics, 1)
	require.Equal(t, "10.61.96.0/20", r.Facts.Statics[0].Prefix.String())
}

// TestSettingsThatChange: a value is added to, or taken back, by a later line.
func TestSettingsThatChange(t *testing.T) {
	const policy = "config firewall address\n    edit \"tills\"\n        set subnet 10.61.16.0 255.255.255.0\n    next\n    edit \"desk\"\n        set subnet 10.61.18.4 255.255.255.255\n    next\nend\n" +
		"config firewall policy\n    edit 1\n        set action accept\n        set srcaddr \"tills\"\n        set dstaddr \"all\"\n        set service \"ALL\"\n"
	const end = "    next\nend\n"
	for lines, want := range map[string][]string{
		"":                                    {"permit from 10.61.16.0/24"},
		"        set srcaddr-negate enable\n": {"permit perhaps"},
		"        set srcaddr-negate enable\n        unset srcaddr-negate\n": {"permit from 10.61.16.0/24"},
		"        set srcaddr-negate enable\n        unset comments\n":       {"permit perhaps"},
		"        append srcaddr \"desk\"\n":                                 {"permit from 10.61.16.0/24", "permit from 10.61.18.4/32"},
		"        set srcaddr \"desk\"\n":                                    {"permit from 10.61.18.4/32"},
		"        unset\n":                                                   {"permit from 10.61.16.0/24"},
		"        rename srcaddr to srcaddr-negate\n":                        {"permit from 10.61.16.0/24"},
	} {
		r := layouttest.Laws(t, Read, []byte(policy+lines+end))
		require.Equal(t, want, layouttest.Lists(r.Facts.ListRules)[between], lines)
	}
}

// TestVirtualAddresses: routers share it, unless it is switched off; it is not the interface's own.
func TestVirtualAddresses(t *testing.T) {
	for status, n := range map[string]int{"enable": 1, "disable": 0} {
		r := layouttest.Laws(t, Read, []byte("config system interface\n    edit \"up0\"\n        set ip 10.61.16.2 255.255.255.0\n        config vrrp\n            edit 7\n"+
			"                set vrip 10.61.16.1\n                set status "+status+"\n            next\n        end\n    next\nend\n"))
		require.Len(t, r.Facts.Addresses, 1)
		require.Len(t, r.Facts.Virtuals, n, status)
		for _, v := range r.Facts.Virtuals {
			require.Equal(t, "10.61.16.1 up0", v.Address.String()+" "+v.Interface)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(config))
	f.Add([]byte(Reader.Sample))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestAValueOverSeveralLines: what stands in quotes is no statement, however many words its first line has.
func TestAValueOverSeveralLines(t *testing.T) {
	for _, first := range []string{"set comments \"one", "set comments \"one two"} {
		r := layouttest.Laws(t, Read, []byte("config system interface\n    edit \"up0\"\n        set ip 10.61.16.2 255.255.255.0\n        "+first+"\nthree four\nand the end\"\n    next\nend\n"))
		require.Empty(t, r.Unread, first)
		require.Len(t, r.Facts.Addresses, 1, first)
	}
}

func TestWhatALinkMonitorTakesAway(t *testing.T) {
	for monitor, want := range map[string]string{
		"":                                     "valley invalid IP up0",
		"        set gateway-ip 0.0.0.0\n":     "valley invalid IP up0",
		"        set gateway-ip 172.28.61.9\n": "valley 172.28.61.9 up0",
		"        set status disable\n":         "",
		"        set update-static-route disable\n": "",
	} {
		got := ""
		for _, w := range layouttest.Laws(t, Read, []byte("config system link-monitor\n    edit \"valley\"\n"+
			"        set srcintf \"up0\"\n"+monitor+"    next\nend\n")).Facts.Watches {
			got += fmt.Sprint(w.Tie.Object, " ", w.NextHop.Address, " ", w.NextHop.Interface)
		}
		require.Equal(t, want, got, monitor)
	}
}

func TestStaticRoutesByNames(t *testing.T) {
	const addresses = "config firewall address\n    edit \"hall\"\n        set subnet 10.61.96.0 255.255.240.0\n    next\n" +
		"    edit \"elsewhere\"\n        set type fqdn\n        set fqdn \"tickets.example\"\n    next\nend\n"
	const rest = "        set gateway 172.28.61.9\n        set device \"up0\"\n    next\nend\n"
	for dst, want := range map[string]struct{ prefix, steered string }{
		"set dstaddr \"hall\"":         {prefix: "10.61.96.0/20"},
		"set dstaddr \"elsewhere\"":    {},
		"set dstaddr \"none\"":         {},
		"set internet-service 1245324": {steered: "1"},
	} {
		r := layouttest.Laws(t, Read, []byte(addresses+"config router static\n    edit 1\n        "+dst+"\n"+rest))
		prefix, steered := "", ""
		for _, s := range r.Facts.Statics {
			prefix += s.Prefix.String()
		}
		for _, f := range r.Facts.Policy.Flows {
			if f.Hook == network.Steered && f.NotRead && f.Undecided {
				steered += "1"
			}
		}
		require.Equal(t, want, struct{ prefix, steered string }{prefix, steered}, dst)
	}
}

func TestWhatLetsPassBesidePolicies(t *testing.T) {
	const zone = "config system zone\n    edit \"inside\"\n        set intrazone allow\n        set interface \"hall0\" \"shop0\"\n    next\nend\n"
	const policy = "config firewall policy\n    edit 1\n        set srcintf \"up0\"\n        set dstintf \"hall0\"\n" +
		"        set action accept\n        set srcaddr \"all\"\n        set dstaddr \"all\"\n        set service \"ALL\"\n%s    next\nend\n"
	lists := func(text string) []string {
		return layouttest.Lists(layouttest.Laws(t, Read, []byte(text)).Facts.ListRules)[between]
	}
	require.Equal(t, []string{"permit in up0 out hall0"}, lists(fmt.Sprintf(policy, "")))
	require.Equal(t, []string{"permit in up0 out hall0"}, lists(fmt.Sprintf(policy, "        set ztna-status disable\n")))
	require.Equal(t, []string{"permit in up0 out hall0 perhaps"}, lists(fmt.Sprintf(policy, "        set ztna-status enable\n")))
	within := []string{"permit in hall0 out hall0 perhaps", "permit in hall0 out shop0 perhaps", "permit in shop0 out hall0 perhaps",
		"permit in shop0 out shop0 perhaps", "permit in up0 out hall0", "permit in hall0 out hall0", "permit in hall0 out shop0",
		"permit in shop0 out hall0", "permit in shop0 out shop0"}
	require.Equal(t, within, lists(zone+fmt.Sprintf(policy, "")))
	for setting, restricts := range map[string]bool{"enable": true, "disable": false} {
		r := layouttest.Laws(t, Read, []byte("config firewall ipmacbinding setting\n    set bindthroughfw "+setting+"\nend\n"))
		require.Equal(t, restricts, len(r.Facts.Policy.Flows) > 0, setting)
	}
}

// TestAnInterfaceThatIsCutOff does not say what it lets in for the device, unless that stands in it.
func TestAnInterfaceThatIsCutOff(t *testing.T) {
	const begun = "config system interface\n    edit \"hall0\"\n        set ip 10.61.16.1 255.255.255.0\n"
	for text, undecided := range map[string]bool{
		begun:                                             true,
		begun + "        set allowaccess ping\n":          false,
		begun + "    next\nend\n":                         false,
		begun + "--More-- ^C\n":                           true,
		begun + "    next\n    edit \"hall1\"\n":          false,
		begun + "10.61.96.0/20 via 172.28.61.1 dev up0\n": true,
	} {
		r := layouttest.Laws(t, Read, []byte(text))
		require.NotEmpty(t, r.Facts.ListRules)
		for _, l := range r.Facts.ListRules {
			require.Equal(t, undecided, l.Undecided, text)
		}
	}
}
