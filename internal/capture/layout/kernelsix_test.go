package layout_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestTablesOfAKernelInOneListing: what stands beside the main table is not taken for a part of it.
func TestTablesOfAKernelInOneListing(t *testing.T) {
	const (
		main  = "fd6b:101::/56 fd6b:103::/64 fe80::/64 ::/0 "
		local = "::1/128! fd6b:101::1/128! ff00::/8* ::/0- "
		other = "fd6b:102::/56 ::/0 "
		vrf   = "fd6b:7::/64 fd6b:7::1/128! fe80::/64 ::/0- "
	)
	for name, tt := range map[string]struct{ in, main, others string }{
		"main and local":                    {main + local, main + local, ""},
		"another in front":                  {other + main + local, main + local, other},
		"two in front":                      {other + vrf + main + local, main + local, other + "| " + vrf},
		"of a number that comes behind":     {main + other + local, main + local, other},
		"none with networks of links":       {"fd6b:9::/64 ::/0 " + other + local, other + local, "fd6b:9::/64 ::/0 "},
		"printed twice":                     {other + main + local + other + main + local, main + local + main + local, other + other},
		"cut within the kernel's addresses": {other + main + "::1/128! ", main + "::1/128! ", other},
		"cut in front of them":              {other + main, other + main, ""},
		"one table for all":                 {"fd6b:101::1/128! " + main, "fd6b:101::1/128! " + main, ""},
		"several ways of the last":          {other + "::/0 " + main + local, main + local, other + "::/0 "},
		"none":                              {"", "", ""},
	} {
		c := layout.Collector{Plain: true}
		chosen := layout.Attributes{} // a routing table beside it
		c.Add("default", network.Candidates, chosen.Route(netip.MustParsePrefix("fd6b::/32"), 0, layout.Mark(0, 1)), 0)
		for i, w := range strings.Fields(tt.in) {
			var a layout.Attributes
			switch w[len(w)-1] {
			case '!':
				a.Special = route.Receive
			case '*':
				a.Special = route.Multicast
			case '-':
				a.Special = route.Unreachable
			}
			p := netip.MustParsePrefix(strings.TrimRight(w, "!*-"))
			c.Add("default", network.ForwardingTable, a.Route(p, 0, layout.Mark(i, i+1)), 0)
		}
		c.Plain = false // other rows stand below
		c.PartKernelTables()
		got := map[bool][]string{}
		require.Equal(t, 1, c.Facts.Tables[0].Routes.Len(), name)
		for i := range c.Facts.Tables[1:] {
			f := &c.Facts.Tables[1+i]
			require.Equal(t, f.Name != "default", f.ByRule, name)
			require.True(t, f.Plain, name)
			var words []string
			for j := range f.Routes.Len() {
				r := f.Routes.At(j)
				words = append(words, r.Prefix.String()+map[route.Special]string{route.Receive: "!", route.Multicast: "*",
					route.Unreachable: "-"}[r.Special])
			}
			got[f.ByRule] = append(got[f.ByRule], strings.Join(words, " "))
		}
		require.Equal(t, strings.TrimSpace(tt.main), strings.Join(got[false], " | "), name)
		require.Equal(t, strings.TrimSpace(tt.others), strings.Join(got[true], " | "), name)
	}
}
