package statements

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

const natHead = "interface hall0\n ip address 10.61.16.1 255.255.255.0\n ip nat inside\ninterface up0\n ip address 172.28.61.2 255.255.255.252\n ip nat outside\n!\n" +
	"access-list 7 deny 10.61.16.9\naccess-list 7 permit 10.61.16.0 0.0.0.255\nip nat pool ONE 172.28.61.9 172.28.61.9 netmask 255.255.255.252\nip nat pool MANY 172.28.61.9 172.28.61.10 prefix-length 29\n"

// TestTranslations between inside and outside, of each kind; what is not understood stays one that may fit.
func TestTranslations(t *testing.T) {
	for line, want := range map[string][]string{
		"ip nat inside source list 7 interface up0 overload":                                                              {"keep from 10.61.16.9/32 hall0>up0", "source from 10.61.16.0/24 hall0>up0 becomes invalid IP"},
		"ip nat inside source list 7 pool ONE":                                                                            {"keep from 10.61.16.9/32 hall0>up0", "source from 10.61.16.0/24 hall0>up0 becomes 172.28.61.9"},
		"ip nat inside source list 7 pool MANY overload":                                                                  {"keep from 10.61.16.9/32 hall0>up0 perhaps", "source from 10.61.16.0/24 hall0>up0 becomes 172.28.61.9 perhaps"},
		"ip nat inside source list NOWHERE pool ONE":                                                                      {"source hall0>up0 becomes invalid IP perhaps"},
		"ip nat inside source route-map MAP interface up0 overload\nroute-map MAP permit 10\n match ip address 7":         {"keep from 10.61.16.9/32 hall0>up0", "source from 10.61.16.0/24 hall0>up0 becomes invalid IP"},
		"ip nat inside source route-map MAP pool ONE\nroute-map MAP permit 10\n match ip address 7\n match interface up0": {"source hall0>up0 becomes invalid IP perhaps"},
		"ip nat inside source route-map MAP pool ONE\naccess-list 8 permit 10.61.18.0 0.0.0.255\nroute-map MAP deny 10\n match ip address 7\nroute-map MAP permit 20\n match ip address 8": {
			"keep from 10.61.16.9/32 hall0>up0 perhaps", "keep from 10.61.16.0/24 hall0>up0", "source from 10.61.18.0/24 hall0>up0 becomes 172.28.61.9"},
		"ip nat inside source route-map ODD interface up0 overload":         {"source hall0>up0 becomes invalid IP perhaps"},
		"ip nat inside source static 10.61.16.5 172.28.61.9":                {"source from 10.61.16.5/32 hall0>up0 becomes 172.28.61.9", "destination to 172.28.61.9/32 up0> becomes 10.61.16.5"},
		"ip nat inside source static tcp 10.61.16.5 8080 172.28.61.9 www":   {"source tcp from 10.61.16.5/32 port 8080 hall0>up0 becomes 172.28.61.9", "destination tcp to 172.28.61.9/32 80 up0> becomes 10.61.16.5:8080"},
		"ip nat inside source static tcp 10.61.16.5 8080 interface up0 443": {"source tcp from 10.61.16.5/32 port 8080 hall0>up0 becomes 172.28.61.2", "destination tcp to 172.28.61.2/32 443 up0> becomes 10.61.16.5:8080"},
		"ip nat inside source static tcp 10.61.16.5 8080 interface up9 443": {"destination tcp up0> becomes invalid IP perhaps"},
		"ip nat inside source static 10.61.16.5 172.28.61.9 vrf tills":      {"source hall0>up0 becomes invalid IP perhaps", "destination up0> becomes invalid IP perhaps"},
	} {
		r := layouttest.Laws(t, Read, []byte(natHead+line+"\n"))
		require.Equal(t, want, layouttest.Translations(r), line)
	}
	for _, more := range []string{"line vty 0\n access-class 7 in\n", "ip nat outside source static 10.61.99.1 10.61.16.77\nip nat inside source list 7 pool ONE\n"} {
		r := layouttest.Laws(t, Read, []byte(natHead+more))
		require.Empty(t, r.Facts.Policy.Translations, more)
		require.Len(t, r.Facts.Policy.Flows, 4, "what is translated is not told: %s", more)
	}
}

const edgeHead = "acl number 2000\n rule 5 permit source 10.61.16.0 0.0.0.255\n rule 10 deny\n#\nnat address-group 1 172.28.61.9 172.28.61.9\nnat address-group 2 172.28.61.9 172.28.61.12\n#\n" +
	"interface up0\n ip address 172.28.61.2 255.255.255.252\n"

// TestTranslationsAtOneInterface: what its own lines say, fixed ones first.
func TestTranslationsAtOneInterface(t *testing.T) {
	for lines, want := range map[string][]string{
		" nat outbound 2000\n":                 {"source from 10.61.16.0/24 >up0 becomes invalid IP", "keep >up0"},
		" nat outbound\n":                      {"source >up0 becomes invalid IP"},
		" nat outbound 2000 address-group 1\n": {"source from 10.61.16.0/24 >up0 becomes 172.28.61.9", "keep >up0"},
		" nat outbound 2000 address-group 2\n": {"source from 10.61.16.0/24 >up0 becomes 172.28.61.9 perhaps", "keep >up0 perhaps"},
		" nat outbound 2000 address-group 3\n#\nnat address-group 3\n address 172.28.61.9 172.28.61.9\n":                                     {"source from 10.61.16.0/24 >up0 becomes 172.28.61.9", "keep >up0"},
		" nat outbound 2000 address-group 3\n#\nnat address-group 3\n address 172.28.61.9 172.28.61.9\n address 172.28.61.10 172.28.61.10\n": {"source from 10.61.16.0/24 >up0 becomes 172.28.61.10 perhaps", "keep >up0 perhaps"},
		" nat outbound 2999\n":                    {"source >up0 becomes invalid IP perhaps"},
		" nat outbound 2000 vpn-instance tills\n": {"source from 10.61.16.0/24 >up0 becomes invalid IP perhaps", "keep >up0 perhaps"},
		" nat outbound 2000\n nat static global 172.28.61.9 inside 10.61.16.5 netmask 255.255.255.255\n": {"source from 10.61.16.5/32 >up0 becomes 172.28.61.9",
			"destination to 172.28.61.9/32 up0> becomes 10.61.16.5", "source from 10.61.16.0/24 >up0 becomes invalid IP", "keep >up0"},
		" nat static global 172.28.61.9 inside 10.61.16.5 netmask 255.255.255.0\n":      {"source from 10.61.16.5/32 >up0 becomes 172.28.61.9 perhaps", "destination to 172.28.61.9/32 up0> becomes 10.61.16.5 perhaps"},
		" nat server protocol tcp global 172.28.61.9 www inside 10.61.16.5 8080\n":      {"source tcp from 10.61.16.5/32 port 8080 >up0 becomes 172.28.61.9", "destination tcp to 172.28.61.9/32 80 up0> becomes 10.61.16.5:8080"},
		" nat server web protocol tcp global current-interface 443 inside 10.61.16.5\n": {"source tcp from 10.61.16.5/32 port 443 >up0 becomes 172.28.61.2", "destination tcp to 172.28.61.2/32 443 up0> becomes 10.61.16.5:443"},
		" nat server global 172.28.61.9 inside 10.61.16.5\n":                            {"source from 10.61.16.5/32 >up0 becomes 172.28.61.9 perhaps", "destination to 172.28.61.9/32 up0> becomes 10.61.16.5"},
		" nat server protocol tcp global 172.28.61.9 80 90 inside 10.61.16.5\n":         {"source tcp port 80 >up0 becomes 172.28.61.9 perhaps", "destination tcp to 172.28.61.9/32 80 up0> becomes invalid IP:80 perhaps"},
		" nat static enable\n": {"source >up0 becomes invalid IP perhaps", "destination up0> becomes invalid IP perhaps"},
	} {
		require.Equal(t, want, layouttest.Translations(layouttest.Laws(t, Read, []byte(edgeHead+lines))), lines)
	}
}

// TestTranslationsBetweenTwoInterfaces: of objects and by themselves, in the order in which they are asked.
func TestTranslationsBetweenTwoInterfaces(t *testing.T) {
	const head = "interface G0\n nameif hall\n ip address 10.61.16.1 255.255.255.0\ninterface G1\n nameif up\n ip address 172.28.61.2 255.255.255.248\n!\nobject network till\n host 10.61.16.9\nobject network tills\n subnet 10.61.16.0 255.255.255.0\nobject network pair\n subnet 10.61.16.8 255.255.255.254\nobject network outer\n host 172.28.61.4\nobject network outers\n subnet 172.28.61.4 255.255.255.254\nobject network far\n subnet 10.99.0.0 255.255.0.0\n"
	for lines, want := range map[string][]string{
		"object network tills\n nat (hall,up) dynamic interface\n":                          {"source from 10.61.16.0/24 hall>up becomes invalid IP"},
		"object network tills\n nat (any,up) dynamic outer\n":                               {"source from 10.61.16.0/24 >up becomes 172.28.61.4"},
		"object network tills\n nat (hall,up) dynamic outers\n":                             {"source from 10.61.16.0/24 hall>up becomes invalid IP perhaps"},
		"object network till\n nat (hall,up) static 172.28.61.4\n":                          {"destination to 172.28.61.4/32 up> becomes 10.61.16.9", "source from 10.61.16.9/32 hall>up becomes 172.28.61.4"},
		"object network till\n nat (hall,up) static interface service tcp 8443 443\n":       {"destination tcp to 172.28.61.2/32 443 up> becomes 10.61.16.9:8443", "source tcp from 10.61.16.9/32 port 8443 hall>up becomes 172.28.61.2"},
		"object network pair\n nat (hall,up) static outers\n":                               {"destination to 172.28.61.4/32 up> becomes 10.61.16.8", "destination to 172.28.61.5/32 up> becomes 10.61.16.9", "source from 10.61.16.8/32 hall>up becomes 172.28.61.4", "source from 10.61.16.9/32 hall>up becomes 172.28.61.5"},
		"object network tills\n nat (hall,up) static outer\n":                               {"destination to 172.28.61.4/32 up> becomes invalid IP perhaps", "source from 10.61.16.0/24 hall>up becomes invalid IP perhaps"},
		"nat (hall,up) source static tills tills destination static far far no-proxy-arp\n": {"keep from 10.61.16.0/24 to 10.99.0.0/16 hall>up"},
		"nat (hall,up) source static tills tills destination static far till\n":             {"keep from 10.61.16.0/24 hall>up perhaps"},
		"nat (hall,up) source static till outer unidirectional\n":                           {"source from 10.61.16.9/32 hall>up becomes 172.28.61.4"},
		"nat (hall,up) 1 source dynamic any interface\n":                                    {"source hall>up becomes invalid IP"},
		"nat (hall,up) source dynamic any interface inactive\n":                             nil,
		"nat (hall,up) source dynamic nobody interface\n":                                   {"source hall>up becomes invalid IP perhaps"},
		"nat (hall,up) source dynamic till interface service S S\n":                         {"source from 10.61.16.9/32 hall>up becomes invalid IP perhaps"},
		"nat (hall,up) after-auto source dynamic any interface\nobject network tills\n nat (hall,up) dynamic outer\nobject network till\n nat (hall,up) static 172.28.61.5\nnat (hall,up) source static pair pair\n": {
			"destination to 172.28.61.5/32 up> becomes 10.61.16.9", "keep from 10.61.16.8/31 hall>up", "source from 10.61.16.9/32 hall>up becomes 172.28.61.5", "source from 10.61.16.0/24 hall>up becomes 172.28.61.4", "source hall>up becomes invalid IP"},
	} {
		require.Equal(t, want, layouttest.Translations(layouttest.Laws(t, Read, []byte(head+lines))), lines)
	}
}
