package plain

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
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
