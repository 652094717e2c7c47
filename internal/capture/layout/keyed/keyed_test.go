package keyed

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

var readTests = []struct {
	name, in            string
	want, facts, unread []string
}{
	{"what hardware or the kernel has not taken", `{"vrfs": {"default": {"routes": {
"10.61.16.0/24": {"kernelProgrammed": true, "hardwareProgrammed": true, "routeType": "static", "routeAction": "drop"},
"10.61.17.0/24": {"kernelProgrammed": true, "hardwareProgrammed": false, "routeType": "static", "routeAction": "drop"},
"10.61.18.0/24": {"kernelProgrammed": false, "hardwareProgrammed": true, "routeType": "static", "routeAction": "drop"}
}}}}
`, []string{"2 10.61.16.0/24 static -/- blackhole: active installed", "3 10.61.17.0/24 static -/- blackhole: active rejected",
		"4 10.61.18.0/24 static -/- blackhole: active rejected"}, nil, nil},
	{"routes under their prefixes", `{"jsonrpc": "2.0", "result": [{"vrfs": {
"default": {"routes": {
"10.61.16.0/24": {"routeType": "connected", "routeAction": "forward", "directlyConnected": true, "vias": [{"interface": "hall16"}]},
"10.61.32.0/24": {"routeType": "ospfExternal2", "routeAction": "forward", "preference": 110, "metric": 20, "vias": [{"interface": "line1", "nexthopAddr": "172.28.61.6"}, {"interface": "line2", "nexthopAddr": "172.28.61.10"}]},
"10.61.33.0/24": {"routeType": "static", "routeAction": "drop", "preference": 1, "metric": 0, "vias": [{"interface": "Null0"}]},
"10.61.34.0/24": {"routeType": "eBGP", "routeAction": "forward", "vias": [{"interface": "vx1", "nexthopAddr": "172.28.61.6", "vtepAddr": "172.28.0.9"}]},
"10.61.35.0/24": {"routeType": "static", "routeAction": "forward", "vias": []},
"10.61.36.0/33": {"routeType": "static", "routeAction": "forward", "vias": [{"interface": "line1"}]},
"10.61.37.0/24": {"routeType": "static", "routeAction": "polish", "vias": [{"interface": "line1"}]},
"10.61.38.0/24": {"routeType": "static", "routeAction": "forward", "vias": [{"interface": "line1", "nexthopAddr": "172.28.61.600"}]},
"10.61.39.0/24": {"routeType": "static", "routeAction": "forward", "metric": -1, "vias": [{"interface": "line1"}]}
}},
"tickets": {"routes": {
"0.0.0.0/0": {"routeType": "static", "routeAction": "forward", "vias": [{"interface": "line7", "nexthopAddr": "172.28.61.1", "vrf": "default"}]},
"fd6b:32::/48": {"routeType": "rip", "routeAction": "forward", "vias": [{"interface": "line1", "nexthopAddr": "fe80::6"}]}
}}}}]}
`, []string{
		"3 10.61.16.0/24 direct -/- dev hall16: active installed",
		"4 10.61.32.0/24 ospf/external-2 110/20 via 172.28.61.6 dev line1 via 172.28.61.10 dev line2: active installed",
		"5 10.61.33.0/24 static 1/0 blackhole: active installed",
		"6 10.61.34.0/24 bgp/external -/- via 172.28.61.6 dev vx1 encapsulated: active installed",
		"14 (tickets) 0.0.0.0/0 static -/- via 172.28.61.1 dev line7 in default: active installed",
		"15 (tickets) fd6b:32::/48 ripng -/- via fe80::6 dev line1: active installed",
	}, nil, []string{
		"7 a continuation without a route before it",
		`8 prefix length out of range: "10.61.36.0/33"`,
		`9 an object that is no route: "polish"`,
		`10 not an address: "172.28.61.600"`,
		`11 not a number in range: number -1 in "metric"`,
	}},
	{"rows named for their table", `{"TABLE_vrf": {"ROW_vrf": [{"vrf-name-out": "tickets", "TABLE_addrf": {"ROW_addrf": {"addrf": "ipv4", "TABLE_prefix": {"ROW_prefix": [
{"ipprefix": "10.61.16.0/24", "TABLE_path": {"ROW_path": {"ipnexthop": "10.61.16.1", "ifname": "Eth1/1", "pref": "0", "metric": "0", "clientname": "direct", "ubest": "true"}}},
{"ipprefix": "10.61.16.1/32", "TABLE_path": {"ROW_path": {"ipnexthop": "10.61.16.1", "ifname": "Eth1/1", "pref": "0", "metric": "0", "clientname": "local", "ubest": "true"}}},
{"ipprefix": "10.61.32.0/24", "TABLE_path": {"ROW_path": [{"ipnexthop": "172.28.61.6", "ifname": "Eth1/2", "pref": 110, "metric": 41, "clientname": "ospf-1", "type": "intra", "ubest": true}, {"ipnexthop": "172.28.61.10%default", "ifname": "Eth1/3", "pref": 110, "metric": 41, "clientname": "ospf-1", "type": "intra", "ubest": true}]}},
{"ipprefix": "10.61.33.0/24", "TABLE_path": {"ROW_path": [{"ifname": "Null0", "pref": "1", "metric": "0", "clientname": "static", "ubest": "true"}, {"ipnexthop": "172.28.61.9", "pref": "200", "metric": "0", "clientname": "bgp-64999", "type": "external", "ubest": "false"}]}},
{"ipprefix": "10.61.34.0/24", "TABLE_path": {"ROW_path": {"ipnexthop": "172.28.61.9", "pref": "a few", "clientname": "static", "ubest": "true"}}}
]}}}}]}}
`, []string{
		"2 (tickets) 10.61.16.0/24 direct 0/0 dev Eth1/1: active installed",
		"3 (tickets) 10.61.16.1/32 local 0/0 receive dev Eth1/1: active installed",
		"4 (tickets) 10.61.32.0/24 ospf/intra-area 110/41 via 172.28.61.6 dev Eth1/2 via 172.28.61.10 dev Eth1/3 in default: active installed",
		"5 (tickets) 10.61.33.0/24 static 1/0 blackhole: active installed",
		"5 (tickets) 10.61.33.0/24 bgp/external 200/0 via 172.28.61.9",
	}, nil, []string{`6 not a number in range: "a few"`}},
	{"interfaces and neighbours", `{"interfaces": {
"line1": {"name": "line1", "interfaceStatus": "connected", "lineProtocolStatus": "up", "interfaceAddress": {"ipAddr": {"address": "172.28.61.5", "maskLen": 30}}},
"line2": {"name": "line2", "interfaceStatus": "disabled", "lineProtocolStatus": "down", "physicalAddress": "0200.6b6a.0002", "interfaceAddress": [{"primaryIp": {"address": "172.28.61.9", "maskLen": 30}, "secondaryIpsOrderedList": [{"address": "172.28.62.9", "maskLen": "30"}]}]},
"line3": {"area": 0}}}
{"ipV4Neighbors": [{"hwAddress": "0200.6b6a.0006", "address": "172.28.61.6", "interface": "line1, Et3", "age": 5}]}
{"TABLE_intf": {"ROW_intf": {"vrf-name-out": "default", "intf-name": "Eth1/1", "proto-state": "up", "link-state": "up", "admin-state": "up", "prefix": "10.61.16.1"}}}
{"TABLE_adj": {"ROW_adj": [{"intf-out": "Eth1/1", "ip-addr-out": "10.61.16.7", "mac": "0200.6b6a.0007"}, {"intf-out": "Eth1/1", "ip-addr-out": "10.61.16.8", "mac": "INCOMPLETE"}]}}
`, []string{}, []string{
		"2 interface line1 up",
		"3 interface line2 down 02:00:6b:6a:00:02",
		"6 interface Eth1/1 up",
		"2 address 172.28.61.5/30 line1",
		"3 address 172.28.61.9/30 line2",
		"3 address 172.28.62.9/30 line2",
		"6 address 10.61.16.1/32 Eth1/1",
		"5 neighbour 172.28.61.6 line1 02:00:6b:6a:00:06",
		"7 neighbour 10.61.16.7 Eth1/1 02:00:6b:6a:00:07",
		"7 neighbour 10.61.16.8 Eth1/1",
	}, []string{"4 an object that is no route"}},
	{"cut short", "{\"vrfs\": {\"default\": {\"routes\": {\n\"10.61.16.0/24\": {\"routeType\": \"connected\", \"vias\": [{\"interface\": \"hall16\"}]},\n\"10.61.32.0/24\": {\"routeType\": \"sta", []string{
		"2 10.61.16.0/24 direct -/- dev hall16: active installed"}, nil,
		[]string{"2 not valid JSON from here on: the capture ends inside this line", "3 not valid JSON from here on: the capture ends inside this line"}},
	{"objects in objects without end", "{\"vias\":" + strings.Repeat("[", 100) + strings.Repeat("]", 100) + "}\n", []string{}, nil,
		[]string{"1 not valid JSON from here on: objects lie too deep in each other"}},
}

// facts writes what a reading says beside routes.
func facts(in []byte, r layout.Reading) []string {
	var out []string
	say := func(m route.Mark, words ...any) {
		out = append(out, fmt.Sprint(1+bytes.Count(in[:m.Off], []byte{'\n'}), " ", strings.TrimSpace(fmt.Sprintln(words...))))
	}
	for _, i := range r.Facts.Interfaces {
		say(i.Mark, "interface", i.Name, map[network.LinkState]string{network.LinkUp: "up", network.LinkDown: "down"}[i.State], i.MAC)
	}
	for _, a := range r.Facts.Addresses {
		say(a.Mark, "address", a.Prefix, a.Interface)
	}
	for _, n := range r.Facts.Neighbours {
		say(n.Mark, "neighbour", n.Address, n.Interface, n.MAC)
	}
	return out
}

func TestRead(t *testing.T) {
	for _, tt := range readTests {
		t.Run(tt.name, func(t *testing.T) {
			in := []byte(tt.in)
			r := layouttest.Laws(t, Read, in)
			require.ElementsMatch(t, tt.want, layouttest.Words(in, r))
			require.ElementsMatch(t, tt.facts, facts(in, r))
			require.Equal(t, tt.unread, layouttest.Unread(in, r))
			require.Positive(t, recognise(in))
		})
	}
}

func FuzzRead(f *testing.F) {
	for _, tt := range readTests {
		f.Add([]byte(tt.in))
	}
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestTwoThatAreWrongOnOneLine: the first is told with its reason, and how many more there are.
func TestTwoThatAreWrongOnOneLine(t *testing.T) {
	in := []byte(`{"vrfs":{"default":{"routes":{"10.61.36.0/33":{"routeAction":"drop","vias":[]},"10.61.37.0/34":{"routeAction":"drop","vias":[]}}}}}`)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{`1 prefix length out of range: "10.61.36.0/33" (and 1 more objects on this line)`}, layouttest.Unread(in, r))
}

// TestWhatIsWrongBelowAPrefixNamesIt: the prefix of a route is its key, which the lines that were not read hold too.
func TestWhatIsWrongBelowAPrefixNamesIt(t *testing.T) {
	in := []byte(`{"vrfs":{"default":{"routes":{
"10.61.36.0/24":
 {"routeAction":"nobody knows","vias":[]}}}}}`)
	r := layouttest.Laws(t, Read, in)
	require.NotEmpty(t, r.Unread)
	require.Contains(t, string(in[r.Unread[0].Mark.Off:r.Unread[0].Mark.End]), "10.61.36.0/24")
}
