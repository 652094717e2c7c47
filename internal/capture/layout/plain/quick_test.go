package plain

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

// TestRowsOfALargeTableSayWhatTheySayAlone: what records have in common is read once.
func TestRowsOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	const head = "table,destination-prefix,source-protocol,route-preference,metric,next-hop-address,outgoing-interface,special-next-hop,installed,captured-at,weight,table-is-partial\n"
	rows := []string{
		"default,<P>,bgp,20,<M>,100.70.15.1,lift7,,true,red<M>,,",
		"default,<P>,bgp,20,<M>,100.70.15.1,lift7,,false,red<M>,,",
		"default,<P>,ospf,<M>,20,100.70.15.1,lift7,,true,,2,",
		"default, <P> ,ospf,110, <M>,100.70.15.1,lift7,,true",
		"default,<P>,static,1,,,,blackhole,true,,,",
		"default,<P>,static,1,,,lift7,,true,\"a, b\",,",
		"default,<P>,static,1,,,lift7,,true,q, b\",,",
		"hall,<P>,rip,120,<M>,100.70.15.2,lift7,,true,,,",
		"default,x<P>,rip,120,<M>,100.70.15.2,lift7,,true,,,",
		"default,<P>,rip,120,<M>x,100.70.15.2,lift7,,true,,,",
		"default,<P>,bgp,20,7,100.70.15.1,lift7,,true,,,\ndefault,<P>,bgp,20,7,100.70.15.2,lift7,,true,,,",
	}
	for _, prefix := range []func(int) string{layouttest.IPv4, layouttest.IPv6} {
		layouttest.Alone(t, ReadCSV, head, "\n", "\n", layouttest.Rows(3000, prefix, rows...))
	}
	layouttest.Alone(t, ReadCSV, "metric;destination-prefix;metric;outgoing-interface\n", "\n", "\n",
		layouttest.Rows(300, layouttest.IPv4, "<M>;<P>;<M>;e0", "<M>;<P>;;e0"))
	in := []byte("destination-prefix,table-is-partial\n10.1.0.0/16,true\n10.2.0.0/16,true\n10.3.0.0/16,true\n")
	require.Equal(t, 3, bytes.Count(in[:ReadCSV(in).Facts.Tables[0].Filtered.Off], []byte{'\n'}), "the last line that says so")
}

// TestOwnRoutesSayWhatTheySayAlone: what routes of our own form have in common is read once.
func TestOwnRoutesSayWhatTheySayAlone(t *testing.T) {
	const head = `{"device":"edge","tables":[{"table":"default","best-preference":"lowest","routes":[` + "\n"
	row := func(members, hops, evidence string) string {
		return `{"destination-prefix":"<P>","source-protocol":` + members + `,"next-hops":[` + hops + `]` + evidence + `}`
	}
	const gateway, seen = `{"next-hop-address":"100.70.15.1","outgoing-interface":"lift7","weight":1}`, `,"evidence":{"file":"a/b.txt","line":<M>}`
	rows := []string{
		row(`"bgp","subtype":null,"route-preference":20,"metric":<M>,"active":true,"installed":true`, gateway, seen),
		row(`"bgp","subtype":null,"route-preference":20,"metric":<M>,"active":true,"installed":false`, gateway, seen),
		row(`"bgp","subtype":null,"route-preference":20,"metric":<M>,"active":true,"rejected":true`, gateway, `,"evidence":{"file":"a{b","line":<M>}`),
		row(`"bgp","subtype":null,"route-preference":20,"metric":null,"active":true`, gateway, seen),
		row(`"bgp","metric":<M>,"metric":7,"active":true`, gateway, seen),
		row(`"bgp","metric":<M>.5,"active":true`, gateway, seen),
		row(`"magic","metric":<M>,"active":true`, gateway, seen),
		row(`"static","active":true`, gateway+","+gateway, seen),
		row(`"static","active":true`, gateway, `,"evidence":null`),
		row(`"static","active":true`, gateway, `,"evidence":{"file":"a","line":<M>},"special-next-hop":"blackhole"`),
		row(`"static","special-next-hop":"blackhole","active":true`, "", seen),
		row(`"direct","active":true,"installed":true`, `{"weight":1}`, seen),
		row(`"direct","active":true,"installed":true`, `{"outgoing-interface":"lift7"}`, seen),
		`{"destination-prefix":"x<P>","source-protocol":"bgp","metric":<M>,"next-hops":[` + gateway + `]` + seen + `}`,
		`{"destination-prefix":"<P>","source-protocol":"bgp","metric":"<M>","next-hops":[` + gateway + `]` + seen + `}`,
		`{"source-protocol":"bgp","metric":<M>,"next-hops":[` + gateway + `]` + seen + `}`,
	}
	for _, prefix := range []func(int) string{layouttest.IPv4, layouttest.IPv6} {
		layouttest.Alone(t, ReadOwn, head, ",\n", "]}]}\n", layouttest.Rows(3000, prefix, rows...))
	}
	in := []byte(strings.ReplaceAll(`{"tables":[{"table":"a","best-preference":"lowest","routes":[R]},{"table":"b","management-walk":true,"best-preference":"highest","routes":[R]}]}`,
		"R", `{"destination-prefix":"10.61.0.0/16","source-protocol":"bgp","active":true,"next-hops":[{"next-hop-address":"172.28.1.1"}]}`))
	tables := ReadOwn(in).Facts.Tables
	require.Len(t, tables, 2)
	require.Equal(t, network.Walk, tables[1].Kind)
	require.False(t, tables[0].HighestWins)
	require.True(t, tables[1].HighestWins)
}

// TestBlanks: routes that are passed by say what they would say one by one, in damaged documents too.
func TestBlanks(t *testing.T) {
	layouttest.Blanks(t, ReadOwn, `{"device":"edge","tables":[{"table":"default","routes":[`+"\n", "\n]}]}\n", layouttest.Rows(120, layouttest.IPv4,
		`{"destination-prefix":"<P>","source-protocol":"bgp","metric":20,"active":true,"next-hops":[{"next-hop-address":"100.70.15.1"}],"evidence":{"file":"a","line":7}}`,
		`{"destination-prefix":"<P>","source-protocol":"bgp","metric":20,"active":true,"next-hops":[{"next-hop-address":"100.70.15.2"}],"evidence":{"file":"a","line":7}}`,
	))
}
