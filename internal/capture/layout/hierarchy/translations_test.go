package hierarchy

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

// zonesOf has two zones with an interface each, one of them with two.
const zonesOf = `set security zones security-zone in interfaces hall0.0
set security zones security-zone in interfaces hall1.0
set security zones security-zone out interfaces up0.0
`

func translated(all []network.Translation) []string {
	var out []string
	for _, x := range all {
		s := "source"
		if x.Destination {
			s = "destination"
		}
		add := func(is bool, word string) {
			if is {
				s += " " + word
			}
		}
		add(x.Protocol != "", x.Protocol)
		add(x.From.IsValid(), "from "+x.From.String())
		add(x.To.IsValid(), "to "+x.To.String())
		add(!x.ToPorts.Any(), fmt.Sprint(x.ToPorts.Lo, "-", x.ToPorts.Hi))
		add(x.In != "", "in "+x.In)
		add(x.Out != "", "out "+x.Out)
		add(x.Becomes.IsValid(), "becomes "+x.Becomes.String())
		add(x.BecomesPort != 0, fmt.Sprint("port ", x.BecomesPort))
		add(x.Keep, "kept")
		add(x.OnLink, "on the link")
		add(x.Undecided, "perhaps")
		out = append(out, s)
	}
	return out
}

// TestTranslations of sources, destinations and both ways, by zones and interfaces; static ones first, then
// destinations, then sources.
func TestTranslations(t *testing.T) {
	const source = "set security nat source rule-set A from zone in\nset security nat source rule-set A to zone out\nset security nat source rule-set A rule r "
	const destination = "set security nat destination rule-set B from zone out\nset security nat destination rule-set B rule r "
	const static = "set security nat static rule-set C from zone out\nset security nat static rule-set C rule r "
	both := func(s string) []string {
		return []string{strings.Replace(s, "?", "in hall0.0 out up0.0", 1), strings.Replace(s, "?", "in hall1.0 out up0.0", 1)}
	}
	for text, want := range map[string][]string{
		source + "then source-nat interface\n": both("source ?"),
		source + "match source-address 10.61.16.0/24\n" + source + "match destination-address 10.61.80.0/24\n" + source + "then source-nat off\n":                    both("source from 10.61.16.0/24 to 10.61.80.0/24 ? kept"),
		"set security nat source pool P address 172.28.61.3/32\n" + source + "then source-nat pool P\n":                                                              both("source ? becomes 172.28.61.3"),
		"set security nat source pool P address 172.28.61.3/32 to 172.28.61.5/32\n" + source + "then source-nat pool P\n":                                            both("source ? perhaps"),
		"set security nat source pool P address 172.28.61.0/29\n" + source + "then source-nat pool P\n":                                                              both("source ? becomes 172.28.61.0 perhaps"),
		"set security nat source pool P address 172.28.61.3/32\nset security nat source pool P host-address-base 10.61.16.1\n" + source + "then source-nat pool P\n": both("source ? perhaps"),
		source + "then source-nat pool NOBODY\n":                                                                                                                               both("source ? perhaps"),
		source + "match source-port 500\n" + source + "then source-nat interface\n":                                                                                            append(both("source tcp ? perhaps"), both("source udp ? perhaps")...),
		source + "match odd-word x\n" + source + "then source-nat interface\n":                                                                                                 both("source ? perhaps"),
		"set security nat source rule-set A from routing-instance yard\n" + source + "then source-nat interface\n":                                                             both("source ? perhaps"),
		"set security nat source rule-set A to zone out\nset security nat source rule-set A rule r then source-nat interface\n":                                                {"source out up0.0 perhaps"},
		"set security nat source rule-set A from zone in\nset security nat source rule-set A rule r then source-nat interface\n":                                               {"source in hall0.0 perhaps", "source in hall1.0 perhaps"},
		"set security nat static rule-set C rule r match destination-address 172.28.61.4/32\nset security nat static rule-set C rule r then static-nat prefix 10.61.16.8/32\n": {"destination perhaps", "source perhaps"},
		"set security nat source rule-set A from zone nobody\nset security nat source rule-set A rule r then source-nat interface\n":                                           {"source perhaps"},
		"set security nat source rule-set A from interface hall1.0\nset security nat source rule-set A to interface up0.0\nset security nat source rule-set A rule r then source-nat off\n": {
			"source in hall1.0 out up0.0 kept"},
		"set security nat destination pool D address 10.61.16.9/32 port 8080\n" + destination + "match destination-address 172.28.61.2/32\n" + destination + "match destination-port 80\n" + destination + "match protocol tcp\n" + destination + "then destination-nat pool D\n": {
			"destination tcp to 172.28.61.2/32 80-80 in up0.0 becomes 10.61.16.9 port 8080"},
		"set security nat destination pool D address 10.61.16.9/32\n" + destination + "match destination-address 172.28.61.2/32\n" + destination + "match destination-port 80 to 90\n" + destination + "then destination-nat pool D\n": {
			"destination tcp to 172.28.61.2/32 80-90 in up0.0 becomes 10.61.16.9", "destination udp to 172.28.61.2/32 80-90 in up0.0 becomes 10.61.16.9"},
		static + "match destination-address 172.28.61.4/31\n" + static + "then static-nat prefix 10.61.16.8/31\nset security nat proxy-arp interface up0.0 address 172.28.61.5/32\n": {
			"destination to 172.28.61.4/32 in up0.0 becomes 10.61.16.8", "source from 10.61.16.8/32 out up0.0 becomes 172.28.61.4",
			"destination to 172.28.61.5/32 in up0.0 becomes 10.61.16.9 on the link", "source from 10.61.16.9/32 out up0.0 becomes 172.28.61.5 on the link"},
		static + "match destination-address 172.28.61.4/32\n" + static + "match destination-port 80\n" + static + "then static-nat prefix 10.61.16.8/32\n": {"destination perhaps", "source perhaps"},
		static + "match destination-address 172.28.61.4/32\n" + static + "then static-nat prefix 10.61.16.8/31\n":                                          {"destination perhaps", "source perhaps"},
		static + "match destination-address 172.28.61.4/32\n" + static + "then static-nat inet\n":                                                          {"destination perhaps", "source perhaps"},
	} {
		r := layouttest.Laws(t, Read, []byte(zonesOf+text))
		require.Empty(t, r.Unread, text)
		require.Equal(t, want, translated(r.Facts.Policy.Translations), text)
	}
}

// TestOrderOfTranslations: by kind, then what names interfaces before what names zones.
func TestOrderOfTranslations(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte(zonesOf+`set security nat source rule-set wide from zone in
set security nat source rule-set wide to zone out
set security nat source rule-set wide rule r then source-nat interface
set security nat source rule-set close from interface hall0.0
set security nat source rule-set close to zone out
set security nat source rule-set close rule r then source-nat off
set security nat static rule-set fixed from interface up0.0
set security nat static rule-set fixed rule r match destination-address 172.28.61.4/32
set security nat static rule-set fixed rule r then static-nat prefix 10.61.16.8/32
`))
	require.Equal(t, []string{
		"destination to 172.28.61.4/32 in up0.0 becomes 10.61.16.8", "source from 10.61.16.8/32 out up0.0 becomes 172.28.61.4",
		"source in hall0.0 out up0.0 kept", "source in hall0.0 out up0.0", "source in hall1.0 out up0.0",
	}, translated(r.Facts.Policy.Translations))
	braces := layouttest.Laws(t, Read, []byte(`security {
    nat {
        source {
            rule-set wide {
                from zone in;
                to zone out;
                rule r {
                    match {
                        source-address [ 10.61.16.0/25 10.61.18.0/25 ];
                    }
                    then {
                        source-nat {
                            interface;
                        }
                    }
                }
            }
        }
    }
    zones {
        security-zone in {
            interfaces {
                hall0.0;
            }
        }
        security-zone out {
            interfaces {
                up0.0;
            }
        }
    }
}
`))
	require.Equal(t, []string{"source from 10.61.16.0/25 in hall0.0 out up0.0", "source from 10.61.18.0/25 in hall0.0 out up0.0"}, translated(braces.Facts.Policy.Translations))
}

// TestVeryManyTranslations: beyond a bound a rule is one that may fit anything.
func TestVeryManyTranslations(t *testing.T) {
	var b strings.Builder
	b.WriteString(zonesOf + "set security nat static rule-set C from zone out\n")
	for i := range 160 { // each is two for 1,024 addresses
		fmt.Fprintf(&b, "set security nat static rule-set C rule r%d match destination-address 10.%d.%d.0/22\n", i, 64+i/64, i%64*4)
		fmt.Fprintf(&b, "set security nat static rule-set C rule r%d then static-nat prefix 10.%d.%d.0/22\n", i, 80+i/64, i%64*4)
	}
	all := Read([]byte(b.String())).Facts.Policy.Translations
	require.Less(t, len(all), filters.MostTotal+3*filters.MostMapped)
	require.Equal(t, []string{"destination perhaps", "source perhaps"}, translated(all[len(all)-2:]))
}
