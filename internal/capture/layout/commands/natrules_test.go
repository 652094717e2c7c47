package commands

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout/layouttest"
)

// named writes lines of a rule of a rulebase.
func named(kind, name string, lines ...string) string {
	out := ""
	for _, l := range lines {
		out += "set rulebase " + kind + " rules " + name + " " + l + "\n"
	}
	return out
}

// TestTranslationsOfARulebase: the first rule that fits says what becomes of both addresses.
func TestTranslationsOfARulebase(t *testing.T) {
	const wide = "set network interface ethernet p9 layer3 ip 172.28.61.2/29\nset zone wide network layer3 p9\n"
	const own = "source-translation dynamic-ip-and-port interface-address interface p9"
	for name, tt := range map[string]struct {
		rules string
		want  []string
	}{
		"the interface's address": {named("nat", "a", "from hall", "to wide", "source 10.61.16.0/24", "destination any", "service any", own),
			[]string{"source from 10.61.16.0/24 p1>p9 becomes invalid IP"}},
		"with its address told": {named("nat", "a", "from hall", "to wide", "source any", "destination any", own+" ip 172.28.61.2/29"),
			[]string{"source p1>p9 becomes 172.28.61.2"}},
		"of no told kind": {named("nat", "a", "nat-type [ ]", "from hall", "to wide", "source any", "destination any", own),
			[]string{"source p1>p9 becomes invalid IP perhaps"}},
		"of another interface": {named("nat", "a", "from hall", "to wide", "source any", "destination any", strings.Replace(own, "p9", "p2", 1)),
			[]string{"source p1>p9 becomes invalid IP perhaps"}},
		"none": {named("nat", "a", "from hall", "to wide", "source any", "destination 10.0.0.0/8") + named("nat", "b", "from hall", "to wide", "source any", "destination any", own),
			[]string{"keep to 10.0.0.0/8 p1>p9", "source p1>p9 becomes invalid IP"}},
		"switched off": {named("nat", "a", "from hall", "to wide", "source any", "destination any", own, "disabled yes"), nil},
		"one address for good, both ways": {named("nat", "a", "from hall", "to wide", "source 10.61.16.9", "destination any", "source-translation static-ip translated-address 172.28.61.4", "source-translation static-ip bi-directional yes"),
			[]string{"destination to 172.28.61.4/32 p9> becomes 10.61.16.9", "destination to 172.28.61.4/32 > becomes 10.61.16.9 perhaps", "source from 10.61.16.9/32 p1>p9 becomes 172.28.61.4"}},
		"a pool": {named("nat", "a", "from hall", "to wide", "source any", "destination any", "source-translation dynamic-ip-and-port translated-address [ 172.28.61.4 172.28.61.5 ]"),
			[]string{"source p1>p9 becomes 172.28.61.4 perhaps"}},
		"a destination and its port": {named("nat", "a", "from wide", "to wide", "source any", "destination 172.28.61.4", "service watch", "destination-translation translated-address 10.61.16.9", "destination-translation translated-port 22"),
			[]string{"destination tcp to 172.28.61.4/32 8443 p9> becomes 10.61.16.9:22", "destination tcp to 172.28.61.4/32 9000 p9> becomes 10.61.16.9:22", "keep tcp to 10.61.16.9/32 p9>", "keep tcp to 10.61.16.9/32 p9>"}},
		"a destination elsewhere": {named("nat", "a", "from wide", "to wide", "source any", "destination 172.29.61.4", "destination-translation translated-address 10.61.16.9"),
			[]string{"destination to 172.29.61.4/32 p9> becomes 10.61.16.9 perhaps", "keep to 10.61.16.9/32 p9> perhaps"}},
		"a destination of several": {named("nat", "a", "from wide", "to wide", "source any", "destination 172.28.61.4", "dynamic-destination-translation translated-address tills"),
			[]string{"keep to 172.28.61.4/32 p9>p9 perhaps"}},
	} {
		t.Run(name, func(t *testing.T) {
			r := layouttest.Laws(t, Read, []byte(rules+wide+tt.rules))
			require.Equal(t, tt.want, layouttest.Translations(r))
		})
	}
}

// TestRulesAndTurnedDestinations: rules between zones fit what packets were for when they came in.
func TestRulesAndTurnedDestinations(t *testing.T) {
	const wide = "set network interface ethernet p9 layer3 ip 172.28.61.2/29\nset zone wide network layer3 p9\n"
	turns := named("nat", "a", "from wide", "to wide", "source any", "destination 172.28.61.4", "service web", "destination-translation translated-address 10.61.16.9", "destination-translation translated-port 8443") +
		"set service web protocol tcp port 443\n"
	rule := func(to, service string) []string {
		r := layouttest.Laws(t, Read, []byte(wide+"set zone hall network layer3 p1\n"+turns+
			named("security", "one", "from wide", "to hall", "source any", "destination "+to, "application any", "service "+service, "action allow")))
		got := layouttest.Lists(r.Facts.ListRules)[between]
		return got[:len(got)-4]
	}
	require.Equal(t, []string{"permit in p9 out p1"}, rule("any", "any"))
	require.Equal(t, []string{"permit to 172.28.61.4/32 in p9 out p1 not turned", "permit to 10.61.16.9/32 in p9 out p1 turned"}, rule("172.28.61.4", "any"))
	require.Equal(t, []string{"permit tcp to 172.28.61.4/32 443-443 in p9 out p1 not turned", "permit tcp to 10.61.16.9/32 8443-8443 in p9 out p1 turned"}, rule("172.28.61.4", "web"))
	require.Equal(t, []string{"permit to 10.61.16.9/32 in p9 out p1 not turned"}, rule("10.61.16.9", "any"), "the inner address permits nothing that came for the outer one")
}

// TestPoliciesOfRoutingOfARulebase: what each fits and where it sends that.
func TestPoliciesOfRoutingOfARulebase(t *testing.T) {
	from := func(lines ...string) string {
		return named("pbf", "a", append([]string{"from interface p1", "source 10.61.16.0/24", "destination any"}, lines...)...)
	}
	const there = "action forward nexthop ip-address 10.61.32.9"
	for lines, want := range map[string]string{
		from("action forward egress-interface p2", there):                                   "permit from 10.61.16.0/24 in p1 begins to 10.61.32.9",
		from("action forward egress-interface p3", there):                                   "permit from 10.61.16.0/24 in p1 begins elsewhere",
		from("action forward egress-interface p2"):                                          "permit from 10.61.16.0/24 in p1 begins elsewhere",
		from("action forward egress-interface p2", there, "action forward monitor profile"): "permit from 10.61.16.0/24 in p1 begins elsewhere",
		from("action discard"):                                                              "permit from 10.61.16.0/24 in p1 begins dropped",
		from("action no-pbf"):                                                               "permit from 10.61.16.0/24 in p1 begins",
		from("action discard", "application ssl"):                                           "permit from 10.61.16.0/24 in p1 begins perhaps dropped",
		from("action discard", "enforce-symmetric-return enabled yes"):                      "permit from 10.61.16.0/24 in p1 begins perhaps dropped",
		from("action discard", "disabled yes"):                                              "",
		strings.Replace(from("action discard"), "interface p1", "zone hall", 1):             "permit from 10.61.16.0/24 in p1 begins dropped",
		strings.Replace(from("action discard"), "interface p1", "zone attic", 1):            "permit from 10.61.16.0/24 begins perhaps dropped",
	} {
		r := layouttest.Laws(t, Read, []byte(rules+lines))
		got := append(layouttest.Lists(r.Facts.ListRules)[steered], "")
		require.Equal(t, want, got[0], lines)
	}
}

// TestVeryManyTurnedDestinations: a rule between zones may fit any of them then, in a size that stays bounded.
func TestVeryManyTurnedDestinations(t *testing.T) {
	text := rules + "set network interface ethernet p9 layer3 ip 172.28.0.1/16\nset zone wide network layer3 p9\n"
	for i := range filters.MostMapped + 1 {
		text += named("nat", fmt.Sprint("n", i), "from wide", "to wide", "source any", fmt.Sprintf("destination 172.28.%d.%d", i/250, i%250), fmt.Sprintf("destination-translation translated-address 10.61.%d.%d", 100+i/250, i%250))
	}
	text += named("security", "web", "from wide", "to hall", "source any", "destination 172.28.0.5", "application any", "service any", "action allow")
	require.Subset(t, layouttest.Lists(Read([]byte(text)).Facts.ListRules)[between],
		[]string{"permit to 172.28.0.5/32 in p9 out p1 not turned", "permit in p9 out p1 turned perhaps"})
}
