package hierarchy

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

const braces = `## Last commit: 2026-11-03 02:11:09 UTC by night
system {
    host-name depot;
}
interfaces {
    up0 {
        unit 0 {
            family inet {
                rpf-check {
                    mode loose;
                }
                filter {
                    input NIGHT;
                }
                address 172.28.61.2/30;
            }
            family inet6 {
                address fd6b:2::2/64;
            }
        }
    }
    yard1 {
        disable;
        unit 0 {
            family inet {
                address 10.61.80.1/24 {
                    primary;
                }
                inactive: filter {
                    output OLD;
                }
            }
        }
    }
}
routing-options {
    static {
        route 10.61.96.0/20 {
            next-hop 172.28.61.1;
            preference 200;
        }
        route 10.61.97.0/24 discard;
        route 10.61.99.0/24 {
            preference 9;
            next-hop [ 172.28.61.1 172.28.61.5 ];
            qualified-next-hop 172.28.61.6 {
                preference 30;
            }
        }
        inactive: route 10.61.98.0/24 next-hop 172.28.61.9;
    }
}
routing-instances {
    tills {
        interface up0.1;
        routing-options {
            static {
                route 0.0.0.0/0 next-table inet.0;
            }
        }
    }
}
security {
    zones {
        security-zone NIGHT {
            interfaces {
                yard1.0;
            }
        }
    }
}
`

const lines = `set system host-name depot
set interfaces up0 unit 0 family inet rpf-check mode loose
set interfaces up0 unit 0 family inet filter input NIGHT
set interfaces up0 unit 0 family inet address 172.28.61.2/30
set interfaces up0 unit 0 family inet6 address fd6b:2::2/64
set interfaces yard1 disable
set interfaces yard1 unit 0 family inet address 10.61.80.1/24 primary
set routing-options static route 10.61.96.0/20 next-hop 172.28.61.1
set routing-options static route 10.61.96.0/20 preference 200
set routing-options static route 10.61.97.0/24 discard
set routing-options static route 10.61.99.0/24 preference 9
set routing-options static route 10.61.99.0/24 next-hop 172.28.61.1
set routing-options static route 10.61.99.0/24 next-hop 172.28.61.5
set routing-options static route 10.61.99.0/24 qualified-next-hop 172.28.61.6 preference 30
set routing-instances tills interface up0.1
set routing-instances tills routing-options static route 0.0.0.0/0 next-table inet.0
set security zones security-zone NIGHT interfaces yard1.0
set interfaces yard1 unit 0 family inet filter output OLD
deactivate interfaces yard1 unit 0 family inet filter
`

// says writes what a configuration tells.
func says(in []byte, r layout.Reading) []string {
	var out []string
	for _, a := range r.Facts.Addresses {
		out = append(out, fmt.Sprint("address ", a.Prefix, " ", a.Interface))
	}
	for _, i := range r.Facts.Interfaces {
		out = append(out, fmt.Sprint("down ", i.Name, " ", i.State == network.LinkDown))
	}
	for _, c := range r.Facts.Checks {
		out = append(out, fmt.Sprint("check ", c.Interface, " ", c.Mode))
	}
	for _, s := range r.Facts.Statics {
		out = append(out, fmt.Sprint("static ", s.Table, " ", s.Prefix, " ", s.NextHop.Address, " ", s.NextHop.Table, " ", s.Special, " ", s.Preference.Value))
	}
	for _, f := range r.Facts.Policy.Flows {
		if !f.Permit {
			out = append(out, fmt.Sprint("restricted ", uint8(f.Family), " in ", f.In, " out ", f.Out))
		}
	}
	return append(out, layouttest.Applied(r.Facts.Applied)...)
}

var want = []string{"address 172.28.61.2/30 up0.0", "address fd6b:2::2/64 up0.0", "address 10.61.80.1/24 yard1.0", "down yard1 true", "down yard1.0 true", "check up0.0 loose",
	"static  10.61.96.0/20 172.28.61.1   200", "static  10.61.97.0/24 invalid IP  blackhole 0", "static  10.61.99.0/24 172.28.61.1   9", "static  10.61.99.0/24 172.28.61.5   9", "static  10.61.99.0/24 172.28.61.6   30", "static tills 0.0.0.0/0 invalid IP default  0",
	"restricted 0 in yard1.0 out ", "NIGHT 4 hook 1 deny in up0.0", "policies between zones 0 hook 0 deny perhaps"}

// TestBothShapesSayTheSame: the tree in braces and its leaves as lines are one configuration.
func TestBothShapesSayTheSame(t *testing.T) {
	for _, text := range []string{lines, braces} {
		in := []byte(text)
		r := layouttest.Laws(t, Read, in)
		require.Empty(t, layouttest.Unread(in, r))
		require.Equal(t, want, says(in, r))
		require.Greater(t, recognise(in), 5)
		layouttest.Variants(t, Read, text)
	}
}

const kindLines = `set firewall name NIGHT rule 10 action 'accept'
set interfaces ethernet eth0 address '172.28.61.2/30'
set interfaces ethernet eth0 firewall in name 'NIGHT'
set interfaces ethernet eth1 address 'dhcp'
set interfaces ethernet eth1 vif 40 address '10.61.80.1/24'
set interfaces ethernet eth1 vif 40 ip source-validation 'strict'
set interfaces ethernet eth2 disable
set nat source rule 10 outbound-interface 'eth0'
set protocols static route 0.0.0.0/0 next-hop 172.28.61.1 distance '200'
set protocols static route 10.61.97.0/24 blackhole
set system host-name 'depot'
set zone-policy zone TILLS interface 'eth1.40'
`

const kindBraces = `firewall {
    name NIGHT {
        rule 10 {
            action accept
        }
    }
}
interfaces {
    ethernet eth0 {
        address 172.28.61.2/30
        firewall {
            in {
                name NIGHT
            }
        }
    }
    ethernet eth1 {
        address dhcp
        vif 40 {
            address 10.61.80.1/24
            ip {
                source-validation strict
            }
        }
    }
    ethernet eth2 {
        disable
    }
}
nat {
    source {
        rule 10 {
            outbound-interface eth0
        }
    }
}
protocols {
    static {
        route 0.0.0.0/0 {
            next-hop 172.28.61.1 {
                distance 200
            }
        }
        route 10.61.97.0/24 {
            blackhole
        }
    }
}
system {
    host-name depot
}
zone-policy {
    zone TILLS {
        interface eth1.40
    }
}
`

// TestInterfacesByKind: the tree that sorts interfaces by their kind.
func TestInterfacesByKind(t *testing.T) {
	for _, text := range []string{kindLines, kindBraces} {
		in := []byte(text)
		r := layouttest.Laws(t, Read, in)
		require.Empty(t, layouttest.Unread(in, r))
		require.Equal(t, []string{"address 172.28.61.2/30 eth0", "address 10.61.80.1/24 eth1.40", "down eth2 true", "check eth1.40 strict",
			"static  0.0.0.0/0 172.28.61.1   200", "static  10.61.97.0/24 invalid IP  blackhole 0",
			"restricted 0 in eth1.40 out ", "restricted 0 in  out eth1.40", "NIGHT 4 hook 0 deny in eth0"}, says(in, r))
		require.Greater(t, recognise(in), 2)
	}
	in := []byte("set firewall ipv4 forward filter rule 10 action drop\nset policy route PBR interface eth4\n")
	require.Equal(t, []string{"restricted 4 in eth4 out ", "forward filter 4 hook 0 deny"}, says(in, layouttest.Laws(t, Read, in)))
}

// TestWhatStandsBelowATreeThatWasCut is left to other readers.
func TestWhatStandsBelowATreeThatWasCut(t *testing.T) {
	in := []byte("interfaces {\n    ethernet eth0 {\n        address 172.28.61.2/30\nS    10.61.96.0/20 [1/0] via 172.28.61.1\n  10.61.97.0/24 dev up0\n")
	r := layouttest.Laws(t, Read, in)
	require.Len(t, r.Unread, 2)
	require.Equal(t, []string{"address 172.28.61.2/30 eth0", "restricted 0 in  out ", "restricted 0 in  out "}, says(in, r), "where the tree is cut a filter may follow")
	require.True(t, r.Facts.Policy.Flows[0].Missing == network.CutOff)
}

// TestFiltersOfGroupsAndTables: where a filter may be applied to any interface, it may stop any packet.
func TestFiltersOfGroupsAndTables(t *testing.T) {
	for _, line := range []string{
		"set groups NIGHT interfaces <*> unit <*> family inet filter input NIGHT",
		"set forwarding-options family inet filter input NIGHT",
	} {
		in := []byte(line + "\nset system host-name depot\n")
		r := layouttest.Laws(t, Read, in)
		require.Equal(t, []string{"restricted 0 in  out ", "restricted 0 in  out "}, says(in, r))
		require.Equal(t, network.ComingIn, r.Facts.Policy.Flows[0].Hook)
		require.Equal(t, network.FromItself, r.Facts.Policy.Flows[2].Hook)
	}
	in := []byte("set groups NIGHT system host-name depot\nset firewall family inet filter NIGHT term one then accept\n")
	require.Empty(t, says(in, layouttest.Laws(t, Read, in)))
}

// TestVirtualAddresses: what stands below an address is shared by routers; the address itself stays the interface's
// own.
func TestVirtualAddresses(t *testing.T) {
	for _, text := range []string{
		"interfaces {\n    up0 {\n        unit 0 {\n            family inet {\n                address 10.61.16.2/24 {\n                    vrrp-group 7 {\n                        virtual-address 10.61.16.1;\n                        priority 110;\n                    }\n                }\n            }\n        }\n    }\n}\n",
		"set interfaces up0 unit 0 family inet address 10.61.16.2/24 vrrp-group 7 virtual-address 10.61.16.1\nset system host-name depot\n",
	} {
		r := layouttest.Laws(t, Read, []byte(text))
		require.Len(t, r.Facts.Addresses, 1)
		require.Equal(t, "10.61.16.2/24", r.Facts.Addresses[0].Prefix.String())
		require.Len(t, r.Facts.Virtuals, 1)
		require.Equal(t, "10.61.16.1", r.Facts.Virtuals[0].Address.String())
		require.Equal(t, "up0.0", r.Facts.Virtuals[0].Interface)
	}
}

func TestWhatIsWrongIsUnread(t *testing.T) {
	in := []byte("set interfaces up0 unit 0 family inet address 10.61.80.1/33\nset routing-options static route 10.61.0.0/16 next-hop\n" +
		"delete interfaces up0 unit 0 family inet filter\nset routing-options static route 10.61.0.0/16 preference x\nset routing-options static route 10.61.0.0/16 next-hop [\nset routing-options static route 10.61.0.0/16 next-hop [ ]\n}\nwhat is this\n")
	r := layouttest.Laws(t, Read, in)
	require.Len(t, r.Unread, 8)
	require.Empty(t, says(in, r))
	require.Zero(t, recognise([]byte("int main() {\n  return 0;\n}\n")))
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(braces))
	f.Add([]byte(lines))
	f.Add([]byte(kindLines))
	f.Add([]byte(kindBraces))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestWhatDropsAndIsNotRead: services and simple filters of interfaces, rules for flows, what drops by applications,
// filters of frames.
func TestWhatDropsAndIsNotRead(t *testing.T) {
	for line, want := range map[string][]network.FlowRule{
		"set interfaces up0 unit 0 family inet service input service-set NIGHT":                      {{Family: route.IPv4, In: "up0.0", Hook: network.ComingIn}},
		"set interfaces up0 unit 0 family inet service output service-set NIGHT":                     {{Family: route.IPv4, Out: "up0.0", Hook: network.GoingOut}},
		"set interfaces up0 unit 0 family inet simple-filter input NIGHT":                            {{Family: route.IPv4, In: "up0.0", Hook: network.ComingIn}},
		"set routing-options flow route NIGHT then discard":                                          {{Hook: network.ComingIn}},
		"set security application-firewall rule-sets NIGHT default-rule deny":                        {{Hook: network.ComingIn}},
		"set vlans night forwarding-options filter input F":                                          {{Hook: network.ComingIn}},
		"set security forwarding-options family inet6 mode drop":                                     {{Family: route.IPv6, Hook: network.ComingIn}, {Family: route.IPv6, Hook: network.FromItself}},
		"set routing-options flow route NIGHT match destination 10.61.80.0/24":                       nil,
		"set security application-firewall rule-sets NIGHT rule r match dynamic-application odd:ONE": nil,
		"set vlans night vlan-id 7":                                                                  nil,
		"set guards gate NIGHT rule 7 action deny":                                                   {{Hook: network.ComingIn}}, // a branch that nobody knows
		"set security zones security-zone hall advance-policy-based-routing-profile NIGHT":           {{Hook: network.ComingIn}},
		"set interfaces ethernet eth0 firewall in modify NIGHT":                                      {{In: "eth0", Hook: network.Steered}},
		"set guards gate NIGHT rule 7 action log":                                                    nil,
		"set policy-options policy-statement NIGHT term 7 then reject":                               nil,
	} {
		r := layouttest.Laws(t, Read, []byte("set interfaces up1 unit 0 family inet address 172.28.61.2/30\n"+line+"\n"))
		var got []network.FlowRule
		for _, f := range r.Facts.Policy.Flows {
			if f.Undecided && !f.Permit {
				got = append(got, network.FlowRule{Family: f.Family, In: f.In, Out: f.Out, Hook: f.Hook})
			}
		}
		require.Equal(t, want, got, line)
	}
}

// TestTooDeep: what stands deeper than any configuration goes is left, and what follows is read.
func TestTooDeep(t *testing.T) {
	in := strings.Repeat("a {\n", deepest+2) + "b;\n" + strings.Repeat("}\n", deepest+2) + "interfaces {\n    up0 {\n        unit 0 {\n" +
		"            family inet {\n                address 172.28.61.2/30;\n            }\n        }\n    }\n}\n"
	r := layouttest.Laws(t, Read, []byte(in))
	require.Len(t, r.Unread, 3)
	require.ErrorIs(t, r.Unread[2].Reason, errDeep)
	require.Len(t, r.Facts.Addresses, 1)
}

// TestAnInterfaceThatIsSwitchedOff takes its units along.
func TestAnInterfaceThatIsSwitchedOff(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte("set interfaces up0 disable\nset interfaces up0 unit 7 family inet address 172.28.61.2/30\nset interfaces up1 unit 0 family inet address 172.28.61.6/30\n"))
	var down []string
	for _, i := range r.Facts.Interfaces {
		if i.State == network.LinkDown {
			down = append(down, i.Name)
		}
	}
	require.Equal(t, []string{"up0", "up0.7"}, down)
}

// TestSettingsOfTheWholeDevice: forwarding that is switched off, and checks of all sources.
func TestSettingsOfTheWholeDevice(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte("set system ip disable-forwarding\nset firewall global-options source-validation loose\nset interfaces ethernet eth0 address 10.61.16.1/24\n"))
	require.Len(t, r.Facts.Forwarding, 1)
	require.False(t, r.Facts.Forwarding[0].On)
	require.Equal(t, route.IPv4, r.Facts.Forwarding[0].Family)
	require.Equal(t, network.CheckLoose, r.Facts.Checks[0].Mode)
	require.Empty(t, r.Facts.Checks[0].Interface)
	r = layouttest.Laws(t, Read, []byte("set system ipv6 disable-forwarding\nset firewall global-options source-validation disable\nset interfaces ethernet eth0 address 10.61.16.1/24\n"))
	require.Equal(t, route.IPv6, r.Facts.Forwarding[0].Family)
	require.Empty(t, r.Facts.Checks)
	r = layouttest.Laws(t, Read, []byte("set interfaces ethernet eth0 address 10.61.16.1/24\nset interfaces ethernet eth0 ip disable-forwarding\nset firewall source-validation strict\n"))
	require.Equal(t, network.CheckStrict, r.Facts.Checks[0].Mode)
	require.Equal(t, "eth0", r.Facts.Forwarding[0].Interface)
	require.False(t, r.Facts.Forwarding[0].On)
	r = layouttest.Laws(t, Read, []byte("set interfaces ethernet eth0 vif 7 ipv6 disable-forwarding\nset interfaces ethernet eth0 address 10.61.16.1/24\n"))
	require.Equal(t, "eth0.7", r.Facts.Forwarding[0].Interface)
	require.Equal(t, route.IPv6, r.Facts.Forwarding[0].Family)
}

// TestPairedSwitches: of two switches that work as one either forwards what is sent to the address that they share.
func TestPairedSwitches(t *testing.T) {
	const text = "set interfaces irb unit 7 family inet address 10.61.16.2/24 vrrp-group 7 virtual-address 10.61.16.1\n"
	require.False(t, Read([]byte(text)).Facts.Virtuals[0].Paired)
	require.True(t, Read([]byte("set interfaces ae7 aggregated-ether-options mc-ae mc-ae-id 7\n" + text)).Facts.Virtuals[0].Paired)
}

// TestDistanceBelowAWay: what stands in braces below a way that is no next hop belongs to the same route.
func TestDistanceBelowAWay(t *testing.T) {
	const text = `protocols {
    static {
        route 10.61.0.0/16 {
            blackhole {
                distance 250
            }
        }
        route 10.62.0.0/16 {
            interface eth1 {
                distance 30
            }
            next-hop 172.28.61.1 {
                distance 20
            }
        }
        route 10.63.0.0/16 { reject { distance 9 } }
    }
}
`
	var got []string
	for _, s := range layouttest.Laws(t, Read, []byte(text)).Facts.Statics {
		got = append(got, fmt.Sprint(s.Prefix, " ", s.Special, " ", s.NextHop.Interface, " ", s.Preference.Value))
	}
	require.Equal(t, []string{"10.61.0.0/16 blackhole  250", "10.62.0.0/16  eth1 30", "10.62.0.0/16   20", "10.63.0.0/16 unreachable  9"}, got)
}
