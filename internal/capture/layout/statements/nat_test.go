package statements

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

const natHead = "interface hall0\n ip address 10.61.16.1 255.255.255.0\n ip nat inside\ninterface up0\n ip address 172.28.61.2 255.255.255.252\n ip nat outside\n!\n" +
	"access-list 7 deny 10.61.16.9\naccess-list 7 permit 10.61.16.0 0.0.0.255\nip nat pool ONE 172.28.61.9 172.28.61.9 netmask 255.255.255.252\nip nat pool MANY 172.28.61.9 172.28.61.10 prefix-length 29\n"

// TestTranslations between inside and outside, of each kind; what is not understood stays one that may fit.
func TestTranslations(t *testing.T) {
	for line, want := range map[string][]string{
		"ip nat inside source list 7 interface up0 overload":              {"keep from 10.61.16.9/32 hall0>up0", "source from 10.61.16.0/24 hall0>up0 becomes invalid IP"},
		"ip nat inside source list 7 pool ONE":                            {"keep from 10.61.16.9/32 hall0>up0", "source from 10.61.16.0/24 hall0>up0 becomes 172.28.61.9"},
		"ip nat inside source list 7 pool MANY overload":                  {"keep from 10.61.16.9/32 hall0>up0 perhaps", "source from 10.61.16.0/24 hall0>up0 becomes 172.28.61.9 perhaps"},
		"ip nat inside source list NOWHERE pool ONE":                      {"source hall0>up0 becomes invalid IP perhaps"},
		"ip nat inside source route-map ODD interface up0 overload":       {"source hall0>up0 becomes invalid IP perhaps"},
		"ip nat inside source static 10.61.16.5 172.28.61.9":              {"source from 10.61.16.5/32 hall0>up0 becomes 172.28.61.9", "destination to 172.28.61.9/32 up0> becomes 10.61.16.5"},
		"ip nat inside source static tcp 10.61.16.5 8080 172.28.61.9 www": {"destination tcp to 172.28.61.9/32 80 up0> becomes 10.61.16.5:8080"},
		"ip nat inside source static 10.61.16.5 172.28.61.9 vrf tills":    {"source hall0>up0 becomes invalid IP perhaps", "destination up0> becomes invalid IP perhaps"},
	} {
		r := layouttest.Laws(t, Read, []byte(natHead+line+"\n"))
		var got []string
		for _, x := range r.Facts.Policy.Translations {
			s := "source"
			if x.Destination {
				s = "destination"
			}
			if x.Keep {
				s = "keep"
			}
			if x.Protocol != "" {
				s += " " + x.Protocol
			}
			if x.From.IsValid() {
				s += " from " + x.From.String()
			}
			if x.To.IsValid() {
				s += " to " + x.To.String()
			}
			if !x.ToPorts.Any() {
				s += fmt.Sprint(" ", x.ToPorts.Lo)
			}
			s += " " + x.In + ">" + x.Out
			if !x.Keep {
				s += " becomes " + x.Becomes.String()
			}
			if x.BecomesPort != 0 {
				s += fmt.Sprint(":", x.BecomesPort)
			}
			if x.Undecided {
				s += " perhaps"
			}
			got = append(got, s)
		}
		require.Equal(t, want, got, line)
	}
	for _, more := range []string{"line vty 0\n access-class 7 in\n", "ip nat outside source static 10.61.99.1 10.61.16.77\nip nat inside source list 7 pool ONE\n"} {
		r := layouttest.Laws(t, Read, []byte(natHead+more))
		require.Empty(t, r.Facts.Policy.Translations, more)
		require.Len(t, r.Facts.Policy.Flows, 4, "what is translated is not told: %s", more)
	}
}
