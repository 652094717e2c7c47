package yang

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

const routingJSON = `{
 "ietf-routing:routing": {
  "ribs": {"rib": [
   {"name": "ipv4-master", "address-family": "ipv4", "routes": {"route": [
     {"ietf-ipv4-unicast-routing:destination-prefix": "10.61.16.0/24", "route-preference": 110, "ietf-ospf:metric": 20,
      "next-hop": {"outgoing-interface": "wan0", "ietf-ipv4-unicast-routing:next-hop-address": "172.28.61.2"}, "source-protocol": "ietf-ospf:ospfv2", "active": [null]},
     {"ietf-ipv4-unicast-routing:destination-prefix": "10.61.16.0/24", "route-preference": 130,
      "next-hop": {"ietf-ipv4-unicast-routing:next-hop-address": "172.28.61.22"}, "source-protocol": "static"},
     {"ietf-ipv4-unicast-routing:destination-prefix": "10.61.40.0/21", "next-hop": {"special-next-hop": "blackhole"}, "source-protocol": "static", "active": [null]},
     {"ietf-ipv4-unicast-routing:destination-prefix": "10.61.32.0/24", "next-hop": {"next-hop-list": {"next-hop": [
        {"ietf-ipv4-unicast-routing:address": "172.28.61.2"}, {"outgoing-interface": "wan1", "ietf-ipv4-unicast-routing:address": "172.28.61.22"}]}}, "source-protocol": "ietf-isis:isis", "active": [null]},
     {"ietf-ipv4-unicast-routing:destination-prefix": "10.61.99.0/99", "source-protocol": "static"}
   ]}},
   {"name": "yard", "routes": {"route": [{"ietf-ipv6-unicast-routing:destination-prefix": "fd6b::/64", "next-hop": {"outgoing-interface": "y0"}, "source-protocol": "direct", "active": [null]}]}}
  ]},
  "control-plane-protocols": {"control-plane-protocol": [{"type": "static", "name": "s", "static-routes": {"ietf-ipv4-unicast-routing:ipv4": {"route": [
     {"destination-prefix": "10.61.77.0/24", "next-hop": {"next-hop-address": "172.28.61.99"}}]}}}]}
 },
 "ietf-interfaces:interfaces": {"interface": [
  {"name": "wan0", "enabled": true, "oper-status": "up", "phys-address": "02:6B:6A:00:00:01", "ietf-ip:ipv4": {"address": [{"ip": "172.28.61.1", "prefix-length": 30}],
    "neighbor": [{"ip": "172.28.61.2", "link-layer-address": "02:aa:00:00:00:02"}]}},
  {"name": "wan1", "enabled": false}
 ]}
}
`

const routingXML = `<?xml version="1.0" encoding="UTF-8"?>
<rpc-reply xmlns="urn:ietf:params:xml:ns:netconf:base:1.0" message-id="1"><data>
 <routing xmlns="urn:ietf:params:xml:ns:yang:ietf-routing"><ribs><rib><name>ipv4-master</name><routes>
  <route><route-preference>110</route-preference>
   <destination-prefix xmlns="urn:ietf:params:xml:ns:yang:ietf-ipv4-unicast-routing">10.61.16.0/24</destination-prefix>
   <next-hop><outgoing-interface>wan0</outgoing-interface><next-hop-address>172.28.61.2</next-hop-address></next-hop>
   <source-protocol xmlns:o="x">o:ospfv2</source-protocol><active/></route>
 </routes></rib></ribs></routing>
 <interfaces xmlns="urn:ietf:params:xml:ns:yang:ietf-interfaces"><interface><name>wan0</name><oper-status>down</oper-status>
  <ipv6><address><ip>fd6b::1</ip><prefix-length>64</prefix-length></address></ipv6></interface></interfaces>
</data></rpc-reply>
`

const aftJSON = `{"openconfig-network-instance:network-instances":{"network-instance":[{"name":"default","afts":{
 "ipv4-unicast":{"ipv4-entry":[
  {"prefix":"10.61.16.0/24","state":{"prefix":"10.61.16.0/24","next-hop-group":"7","origin-protocol":"openconfig-policy-types:OSPF"}},
  {"prefix":"10.61.40.0/21","state":{"prefix":"10.61.40.0/21","origin-protocol":"STATIC"}},
  {"prefix":"10.61.50.0/24","state":{"prefix":"10.61.50.0/24","next-hop-group":"8"}}]},
 "next-hop-groups":{"next-hop-group":[{"id":"7","next-hops":{"next-hop":[{"index":"1","state":{"weight":"3"}},{"index":"2"}]}}]},
 "next-hops":{"next-hop":[{"index":"1","state":{"ip-address":"172.28.61.2"},"interface-ref":{"state":{"interface":"wan0"}}},{"index":"2","state":{"ip-address":"172.28.61.22"}}]}
}}]}}
`

func TestRoutingJSON(t *testing.T) {
	in := []byte(routingJSON)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{
		"5 10.61.16.0/24 ospf 110/20 via 172.28.61.2 dev wan0: active installed", "7 10.61.16.0/24 static 130/- via 172.28.61.22", "9 10.61.40.0/21 static -/- blackhole: active installed",
		"10 10.61.32.0/24 isis -/- via 172.28.61.2 via 172.28.61.22 dev wan1: active installed", "14 (yard) fd6b::/64 direct -/- dev y0: active installed"}, layouttest.Words(in, r))
	require.Equal(t, []string{`12 prefix length out of range: "10.61.99.0/99"`}, layouttest.Unread(in, r))
	require.Equal(
		t,
		"10.61.77.0/24 172.28.61.99",
		fmt.Sprint(r.Facts.Statics[0].Prefix, " ", r.Facts.Statics[0].NextHop.Address),
	)
	require.Equal(
		t,
		"[wan0 1 02:6b:6a:00:00:01 wan1 2 ]",
		fmt.Sprint(
			[]string{
				fmt.Sprint(
					r.Facts.Interfaces[0].Name,
					" ",
					r.Facts.Interfaces[0].State,
					" ",
					r.Facts.Interfaces[0].MAC,
				),
				fmt.Sprint(r.Facts.Interfaces[1].Name, " ", r.Facts.Interfaces[1].State, " "),
			},
		),
	)
	require.Equal(t, "172.28.61.1/30", r.Facts.Addresses[0].Prefix.String())
	require.Len(t, r.Facts.Neighbours, 1)
	require.Positive(t, recognise(in))
	layouttest.Variants(t, Read, routingJSON)
}

func TestRoutingXML(t *testing.T) {
	in := []byte(routingXML)
	r := layouttest.Laws(t, Read, in)
	require.Equal(
		t,
		[]string{"4 10.61.16.0/24 ospf 110/- via 172.28.61.2 dev wan0: active installed"},
		layouttest.Words(in, r),
	)
	require.Empty(t, r.Unread)
	require.Equal(t, "fd6b::1/64", r.Facts.Addresses[0].Prefix.String())
	require.Positive(t, recognise(in))
	layouttest.Variants(t, Read, routingXML)
}

// TestSharesOfNothing: beside next hops with a weight one without any carries nothing; where none has one all do. What
// gets a header on the way is in a tunnel.
func TestSharesOfNothing(t *testing.T) {
	for weights, want := range map[[2]string]string{
		{"1", "0"}: "via 172.28.61.2 dev wan0 via 172.28.61.22 backup encapsulated",
		{"0", "0"}: "via 172.28.61.2 dev wan0 via 172.28.61.22 encapsulated",
	} {
		in := strings.Replace(aftJSON, `{"index":"1","state":{"weight":"3"}},{"index":"2"}`,
			`{"index":"1","state":{"weight":"`+weights[0]+`"}},{"index":"2","state":{"weight":"`+weights[1]+`"}}`, 1)
		in = strings.Replace(in, `{"ip-address":"172.28.61.22"}`, `{"ip-address":"172.28.61.22","encapsulate-header":"openconfig-aft-types:GRE"}`, 1)
		require.Contains(t, layouttest.Words([]byte(in), Read([]byte(in)))[0], want)
	}
}

func TestForwardingTables(t *testing.T) {
	in := []byte(aftJSON)
	r := layouttest.Laws(t, Read, in)
	require.Equal(
		t,
		[]string{
			"3 10.61.16.0/24 ospf -/- via 172.28.61.2 dev wan0 weight 3 via 172.28.61.22",
			"4 10.61.40.0/21 static -/- blackhole",
		},
		layouttest.Words(in, r),
	)
	require.Equal(t, []string{"5 its next-hop group is not in the data"}, layouttest.Unread(in, r))
	require.Positive(t, recognise(in))
}

// TestEntitiesAreNotExpanded holds that a document can neither grow nor reach for files.
func TestEntitiesAreNotExpanded(t *testing.T) {
	for _, in := range []string{
		`<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><routing xmlns="urn:ietf:params:xml:ns:yang:ietf-routing"><name>&a;</name></routing>`,
		`<routing xmlns="urn:ietf:params:xml:ns:yang:ietf-routing"><name>&a;</name></routing>`,
		`<routing xmlns="urn:ietf:params:xml:ns:yang:ietf-routing">` + strings.Repeat("<x>", 20000),
		`{"ietf-routing:routing":` + strings.Repeat("[", 20000) + strings.Repeat("]", 20000) + "}",
		`{"ietf-routing:routing":` + strings.Repeat(`{"x":`, 20000),
	} {
		r := layouttest.Laws(t, Read, []byte(in))
		require.NotEmpty(t, r.Unread)
	}
}

// TestMessagesOfASession: each message is a document, and what stands between them is part of none.
func TestMessagesOfASession(t *testing.T) {
	in := []byte("<hello><capabilities/></hello>]]>]]>\n" + routingXML + "]]>]]>\n")
	r := layouttest.Laws(t, Read, in)
	require.Empty(t, layouttest.Unread(in, r))
	require.Equal(t, []string{"5 10.61.16.0/24 ospf 110/- via 172.28.61.2 dev wan0: active installed"}, layouttest.Words(in, r))
}

// TestRequestsForAPart: a request above the answer may ask for a part of the table.
func TestRequestsForAPart(t *testing.T) {
	for request, part := range map[string]bool{
		`<get><filter type="subtree"><routing xmlns="x"/></filter></get>`:                                     false,
		`<get><filter><routing><ribs><rib><name>red</name></rib></ribs></routing></filter></get>`:             true,
		`<get><filter type="xpath" select="/rt:routing//route[active]"/></get>`:                               true,
		`<get-data><xpath-filter>/rt:routing//route[active]</xpath-filter></get-data>`:                        true,
		`<get-data><subtree-filter><routing><control-plane-protocols/></routing></subtree-filter></get-data>`: false,
		`<get/>`: false,
	} {
		in := []byte("<rpc>" + request + "</rpc>]]>]]>\n" + routingXML)
		r := layouttest.Laws(t, Read, in)
		require.NotEmpty(t, r.Facts.Tables)
		for _, table := range r.Facts.Tables {
			require.Equal(t, part, table.Filtered.Known(), request)
		}
	}
}

// TestBrokenOff: of a route in which the document ends every line is unread, and the table is cut.
func TestBrokenOff(t *testing.T) {
	for _, in := range []string{routingJSON[:strings.Index(routingJSON, `"172.28.61.22"}`)+15], routingXML[:strings.Index(routingXML, "<source-protocol")]} {
		r := layouttest.Laws(t, Read, []byte(in))
		require.NotEmpty(t, layouttest.Unread([]byte(in), r))
		for _, table := range r.Facts.Tables {
			require.True(t, table.Cut)
		}
		last := r.Unread[0]
		require.Contains(t, in[last.Mark.Off:last.Mark.End], "route")
	}
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{routingJSON, routingXML, aftJSON} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestEntriesOfALargeTableSayWhatTheySayAlone: the same of forwarding tables, as JSON and as XML, on one line and on many.
func TestEntriesOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	head := `{"openconfig-network-instance:network-instance":[{"name":"hall","afts":{"next-hop-groups":{"next-hop-group":[` +
		`{"id":"1","next-hops":{"next-hop":[{"index":"1","state":{"weight":"1"}}]}},{"id":"2","next-hops":{"next-hop":[{"index":"2"}]}}]},` +
		`"next-hops":{"next-hop":[{"index":"1","state":{"ip-address":"10.0.0.1"}},{"index":"2","state":{"ip-address":"10.0.0.2"}}]},` +
		`"ipv4-unicast":{"ipv4-entry":[` + "\n"
	rows := layouttest.Rows(4000, layouttest.IPv4,
		`{"prefix":"<P>","state":{"prefix":"<P>","next-hop-group":"1","origin-protocol":"x:BGP"}}`,
		"{\n \"prefix\": \"<P>\",\n \"state\": {\n\n  \"next-hop-group\": \"2\",\n  \"prefix\": \"<P>\"\n }\n}",
		`{"prefix":"<P>","next-hop-group":"2"}`,
		`{"prefix":"10.0.0.0/8","state":{"prefix":"<P>","next-hop-group":"2"}}`,
		`{"prefix":"1<P>","state":{"next-hop-group":"2"}}`,
		`{"prefix":"<P>","state":{"next-hop-group":"<M>"}}`,
		`{"prefix":"<P>","state":{"origin-protocol":"x:DIRECTLY_CONNECTED","next-hop-group":"1"}}`,
		`{"prefix":"<P>","state":{"prefix":"<P>","prefix":"<P>","next-hop-group":"1"}}`,
	)
	tail := "]}}}]}\n"
	layouttest.Alone(t, Read, head, ",\n", tail, rows)
	layouttest.Laws(t, Read, []byte(head+strings.Join(rows, ",\n")+tail))
	head = "<network-instance xmlns=\"http://openconfig.net/yang/network-instance\"><name>hall</name><afts>" +
		"<next-hops><next-hop><index>1</index><state><ip-address>10.0.0.1</ip-address></state></next-hop></next-hops>" +
		"<next-hop-groups><next-hop-group><id>1</id><next-hops><next-hop><index>1</index></next-hop></next-hops></next-hop-group></next-hop-groups>" +
		"<ipv4-unicast>\n"
	rows = layouttest.Rows(4000, layouttest.IPv4,
		"<ipv4-entry><prefix><P></prefix><state><prefix><P></prefix><next-hop-group>1</next-hop-group></state></ipv4-entry>",
		"<ipv4-entry>\n <prefix><P></prefix>\n <state>\n  <next-hop-group>1</next-hop-group>\n\n  <prefix><P></prefix>\n </state>\n</ipv4-entry>",
		"<ipv4-entry><prefix> <P></prefix><state><next-hop-group>1</next-hop-group></state></ipv4-entry>",
		"<ipv4-entry><prefix>1<P></prefix><state><next-hop-group>1</next-hop-group></state></ipv4-entry>",
		"<ipv4-entry><prefix><P></prefix><next-hop-group><M></next-hop-group></ipv4-entry>",
		"<ipv4-entry><prefix><!-- <P> --><P></prefix><next-hop-group>1</next-hop-group></ipv4-entry>",
		"<ipv4-entry><prefix><P></prefix><state><prefix/><next-hop-group>1</next-hop-group></state></ipv4-entry>",
	)
	tail = "\n</ipv4-unicast></afts></network-instance>\n"
	for _, rows := range [][]string{rows, slices.DeleteFunc(slices.Clone(rows), func(s string) bool { return strings.Contains(s, "<!") })} {
		layouttest.Alone(t, Read, head, "\n", tail, rows)
		layouttest.Laws(t, Read, []byte(head+strings.Join(rows, "\n")+tail))
	}
}

// TestGroupsOfEachDocument: the number of a group means another one in the next document.
func TestGroupsOfEachDocument(t *testing.T) {
	document := func(net int, gateway string) string {
		entries := ""
		for i := range 4 {
			entries += fmt.Sprintf(`,{"prefix":"10.%d.%d.0/24","state":{"next-hop-group":"1"}}`, net, i)
		}
		return `{"network-instance":[{"name":"default","afts":{"ipv4-unicast":{"ipv4-entry":[` + entries[1:] + `]},` +
			`"next-hop-groups":{"next-hop-group":[{"id":"1","next-hops":{"next-hop":[{"index":"1"}]}}]},` +
			`"next-hops":{"next-hop":[{"index":"1","state":{"ip-address":"` + gateway + `"}}]}}}]}` + "\n"
	}
	in := document(1, "172.28.1.1") + document(2, "172.28.2.2")
	r := layouttest.Laws(t, Read, []byte(in))
	each := func(r layout.Reading, want int) {
		routes := r.Facts.Tables[0].Routes
		require.Equal(t, want, routes.Len())
		for i := range routes.Len() {
			x := routes.At(i)
			require.Equal(t, x.Prefix.Addr().As4()[1], x.NextHops[0].Address.As4()[2], x.Prefix)
		}
	}
	each(r, 8)
	element := func(net int, gateway string) string {
		entries := ""
		for i := range 4 {
			entries += fmt.Sprintf("<ipv4-entry><prefix>10.%d.%d.0/24</prefix><next-hop-group>1</next-hop-group></ipv4-entry>", net, i)
		}
		return "<network-instance><name>default</name><afts><ipv4-unicast>" + entries + "</ipv4-unicast>" +
			"<next-hop-groups><next-hop-group><id>1</id><next-hops><next-hop><index>1</index></next-hop></next-hops></next-hop-group></next-hop-groups>" +
			"<next-hops><next-hop><index>1</index><ip-address>" + gateway + "</ip-address></next-hop></next-hops></afts></network-instance>\n"
	}
	each(layouttest.Laws(t, Read, []byte("<data>"+element(1, "172.28.1.1")+element(2, "172.28.2.2")+"</data>")), 8)
	// entries of the other family stand beside these, as alike
	mixed := strings.Replace(document(1, "172.28.1.1"), `"ipv4-entry":[`, `"ipv6-entry":[`+
		strings.Repeat(`{"prefix":"10.9.0.0/24","state":{"next-hop-group":"1"}},`, 3)+
		`{"prefix":"10.9.0.0/24","state":{"next-hop-group":"1"}}],"ipv4-entry":[`, 1)
	each(Read([]byte(mixed)), 4)
}

// TestARequestForRoutesAsKnown: what a request asks for is told by the routes in it, though others are written alike.
func TestARequestForRoutesAsKnown(t *testing.T) {
	route := func(i int) string {
		return fmt.Sprintf("<route><destination-prefix>10.1.%d.0/24</destination-prefix><next-hop><outgoing-interface>e0</outgoing-interface></next-hop></route>", i)
	}
	in := "<data><routing><ribs><rib><name>hall</name><routes>" + route(1) + route(2) + "</routes></rib></ribs></routing>" +
		"<get><filter><routes>" + route(2) + "</routes></filter></get></data>"
	r := layouttest.Laws(t, Read, []byte(in))
	require.True(t, r.Facts.Tables[0].Filtered.Known())
}

// TestRowsOfALargeTableSayWhatTheySayAlone: what routes have in common is read once.
func TestRowsOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	both := func(i int) string {
		if i%7 == 0 {
			return layouttest.IPv6(i)
		}
		return layouttest.IPv4(i)
	}
	layouttest.Alone(t, Read, `{"ietf-routing:routing":{"ribs":{"rib":[{"name":"hall","routes":{"route":[`, ",\n", "]}}]}}}\n",
		layouttest.Rows(4000, both,
			`{"v4:destination-prefix":"<P>","route-preference":110,"metric":<M>,"source-protocol":"ospfv2","active":[null],"next-hop":{"outgoing-interface":"e0","v4:next-hop-address":"10.0.0.1"}}`,
			`{"v4:destination-prefix":"<P>","metric":<M>,"last-updated":"2026-11-<M>","source-protocol":"ospfv2","next-hop":{"outgoing-interface":"e1","metric":9}}`,
			`{"destination-prefix":"<P>","metric":"<M>","source-protocol":"rip","next-hop":{"next-hop-list":{"next-hop":[{"outgoing-interface":"e1"},{"address":"10.0.0.3"}]}}}`,
			`{"destination-prefix":"<P>","metric":<M>.5,"source-protocol":"rip","next-hop":{"outgoing-interface":"e1"}}`,
			`{"destination-prefix":"<P>","source-protocol":"direct","active":""}`,
			`{"destination-prefix":"<P>","metric":-<M>,"source-protocol":"static","next-hop":{"special-next-hop":"blackhole"}}`,
			`{"destination-prefix":"<P>","x:destination-prefix":"10.0.0.0/8","source-protocol":"static","next-hop":{"outgoing-interface":"e1"}}`,
			`{"destination-prefix":"1<P>","route-preference":"<M>","source-protocol":"static","next-hop":{"outgoing-interface":"e1"}}`,
		))
	layouttest.Alone(t, Read, "<routing xmlns=\"urn:ietf:params:xml:ns:yang:ietf-routing\"><ribs><rib><name>hall</name><routes>\n", "\n", "\n</routes></rib></ribs></routing>\n",
		layouttest.Rows(4000, both,
			`<route><destination-prefix>10.61.0.0/16</destination-prefix></route>`,
			`<route><v4:destination-prefix xmlns:v4="x">`+"\n  <P>  "+`</v4:destination-prefix><metric><M></metric><source-protocol>ospfv2</source-protocol><active/><next-hop><outgoing-interface>e0</outgoing-interface></next-hop></route>`,
			`<rt:route><destination-prefix><P></destination-prefix><metric><M></metric><source-protocol>rip</source-protocol><next-hop><next-hop-address>10.0.0.1</next-hop-address><metric><M></metric></next-hop></rt:route>`,
			`<route><destination-prefix><P></destination-prefix><metric><M></metric><metric>3</metric><source-protocol>rip</source-protocol><next-hop><next-hop-address>10.0.0.2</next-hop-address></next-hop></route>`,
			`<route><destination-prefix><P></destination-prefix><metric/><source-protocol>static</source-protocol><next-hop><special-next-hop>blackhole</special-next-hop></next-hop></route>`,
			`<route><destination-prefix>1<P></destination-prefix><metric>x<M></metric><source-protocol>static</source-protocol><next-hop><outgoing-interface>e1</outgoing-interface></next-hop></route>`,
			`<route><destination-prefix><P></destination-prefix><source-protocol>direct</source-protocol></route>`,
		))
}

// TestBlanks: routes that are passed by say what they would say one by one, in damaged documents too.
func TestBlanks(t *testing.T) {
	layouttest.Blanks(t, Read, `{"ietf-routing:routing":{"ribs":{"rib":[{"name":"hall","routes":{"route":[`+"\n", "\n]}}]}}}\n",
		layouttest.Rows(120, layouttest.IPv4,
			`{"v4:destination-prefix":"<P>","metric":<M>,"source-protocol":"ospfv2","active":[null],"next-hop":{"outgoing-interface":"e0","v4:next-hop-address":"10.0.0.1"}}`,
			`{"v4:destination-prefix":"<P>","metric":<M>,"source-protocol":"rip","active":[null],"next-hop":{"outgoing-interface":"e0","v4:next-hop-address":"10.0.0.2"}}`,
		))
}
