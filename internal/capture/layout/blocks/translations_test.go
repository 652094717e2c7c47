package blocks

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/filters"
	"zarvek/internal/capture/layout/layouttest"
)

const ports = "config system interface\n    edit \"up1\"\n        set ip 172.28.61.10 255.255.255.248\n    next\n    edit \"hall0\"\n        set ip 10.61.16.1 255.255.255.0\n    next\nend\n"

func outer(sets string) string {
	return "config firewall vip\n    edit \"till\"\n" + sets + "    next\nend\n"
}

func policy(sets string) string {
	return "config firewall policy\n    edit 1\n        set srcintf \"any\"\n        set dstintf \"any\"\n        set srcaddr \"all\"\n        set service \"ALL\"\n        set schedule \"always\"\n" + sets + "    next\nend\n"
}

// TestOuterAddresses: what comes for one goes to the one behind it, where a policy in force names it.
func TestOuterAddresses(t *testing.T) {
	const pass = "        set action accept\n        set dstaddr \"till\"\n"
	for _, tt := range []struct {
		name, text string
		want       []string
	}{
		{"an address", outer("set extip 172.28.61.12\nset mappedip \"10.61.16.9\"\nset extintf \"any\"\n") + policy(pass),
			[]string{"destination to 172.28.61.12/32 > becomes 10.61.16.9"}},
		{"that no policy names", outer("set extip 172.28.61.12\nset mappedip \"10.61.16.9\"\nset extintf \"any\"\n"),
			[]string{"destination to 172.28.61.12/32 > becomes 10.61.16.9 perhaps"}},
		{"that a switched-off policy names", outer("set extip 172.28.61.12\nset mappedip \"10.61.16.9\"\nset extintf \"any\"\n") + policy(pass+"set status disable\n"),
			[]string{"destination to 172.28.61.12/32 > becomes 10.61.16.9 perhaps"}},
		{"a range", outer("set extip 172.28.61.12-172.28.61.13\nset mappedip \"10.61.16.9-10.61.16.10\"\nset extintf \"up1\"\n") + policy(pass),
			[]string{"destination to 172.28.61.12/32 up1> becomes 10.61.16.9", "destination to 172.28.61.13/32 up1> becomes 10.61.16.10"}},
		{"ranges that differ", outer("set extip 172.28.61.12-172.28.61.13\nset mappedip \"10.61.16.9\"\nset extintf \"up1\"\n") + policy(pass),
			[]string{"destination to 172.28.61.12/32 up1> becomes 10.61.16.9 perhaps", "destination to 172.28.61.13/32 up1> becomes invalid IP perhaps"}},
		{"a port", outer("set extip 172.28.61.12\nset mappedip \"10.61.16.9\"\nset extintf \"up1\"\nset portforward enable\nset extport 443\nset mappedport 8443\n") + policy(pass),
			[]string{"destination tcp to 172.28.61.12/32 443 up1> becomes 10.61.16.9:8443"}},
		{"by a group", outer("set extip 172.28.61.12\nset mappedip \"10.61.16.9\"\nset extintf \"up1\"\n") + "config firewall vipgrp\n    edit \"tills\"\n        set member \"till\"\n    next\nend\n" + policy("        set action accept\n        set dstaddr \"tills\"\n"),
			[]string{"destination to 172.28.61.12/32 up1> becomes 10.61.16.9"}},
		{"of another kind", outer("set type server-load-balance\nset extip 172.28.61.12\nset extintf \"up1\"\n") + policy(pass),
			[]string{"destination to 172.28.61.12/32 up1> becomes invalid IP perhaps"}},
		{"for some sources", outer("set src-filter \"10.1.0.0/16\"\nset extip 172.28.61.12\nset mappedip \"10.61.16.9\"\nset extintf \"up1\"\n") + policy(pass),
			[]string{"destination to 172.28.61.12/32 up1> becomes 10.61.16.9 perhaps"}},
		{"on an interface that is not told", outer("set extip 172.28.61.12\nset mappedip \"10.61.16.9\"\nset extintf \"wide\"\n") + policy(pass),
			[]string{"destination to 172.28.61.12/32 > becomes 10.61.16.9 perhaps"}},
		{"and what the host sends itself", outer("set extip 172.28.61.12\nset mappedip \"10.61.16.9\"\nset extintf \"any\"\n") + policy(pass+"    next\n    edit 2\nset action accept\nset srcintf \"hall0\"\nset dstintf \"up1\"\nset srcaddr \"all\"\nset dstaddr \"all\"\nset service \"ALL\"\nset nat enable\n"),
			[]string{"destination to 172.28.61.12/32 > becomes 10.61.16.9", "keep to 10.61.16.9/32 >", "source from 10.61.16.9/32 hall0>up1 becomes 172.28.61.12", "source hall0>up1 becomes invalid IP"}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			require.Equal(t, tt.want, layouttest.Translations(layouttest.Laws(t, Read, []byte(ports+tt.text))))
		})
	}
}

// TestPoliciesAndOuterAddresses: a policy that names one permits what came for it, and nothing that came for the inner
// address; whether another one permits that too is not sure.
func TestPoliciesAndOuterAddresses(t *testing.T) {
	text := ports + outer("set extip 172.28.61.12\nset mappedip \"10.61.16.9\"\nset extintf \"any\"\n") +
		policy("        set action accept\n        set dstaddr \"till\"\n    next\n    edit 2\n        set srcintf \"hall0\"\n        set dstintf \"any\"\n        set srcaddr \"all\"\n        set dstaddr \"all\"\n        set service \"ALL\"\n        set action accept\n")
	require.Equal(t, []string{"permit to 10.61.16.9/32 turned", "permit in hall0 not turned", "permit in hall0 turned perhaps"},
		layouttest.Lists(layouttest.Laws(t, Read, []byte(text)).Facts.ListRules)[between])
}

// TestSourcesByPolicy: the first policy that permits says whether the source is changed.
func TestSourcesByPolicy(t *testing.T) {
	two := func(first, second string) string {
		return policy("        set action accept\n        set dstaddr \"all\"\n" + first + "    next\n    edit 2\n        set srcintf \"hall0\"\n        set dstintf \"up1\"\n        set srcaddr \"all\"\n        set dstaddr \"all\"\n        set service \"ALL\"\n        set action accept\n" + second)
	}
	const pools = "config firewall ippool\n    edit \"one\"\n        set startip 172.28.61.12\n        set endip 172.28.61.12\n    next\n    edit \"many\"\n        set startip 172.28.61.12\n        set endip 172.28.61.13\n    next\nend\n"
	for _, tt := range []struct {
		text string
		want []string
	}{
		{two("", "set nat enable\n"), []string{"keep >", "source hall0>up1 becomes invalid IP"}},
		{two("set nat enable\n", ""), []string{"source > becomes invalid IP"}},
		{two("", ""), nil},
		{two("set status disable\n", "set nat enable\nset ippool enable\nset poolname \"one\"\n"), []string{"source hall0>up1 becomes 172.28.61.12"}},
		{two("set status disable\n", "set nat enable\nset ippool enable\nset poolname \"many\"\n"), []string{"source hall0>up1 becomes 172.28.61.12 perhaps"}},
		{two("set status disable\n", "set nat enable\nset ippool enable\nset poolname \"none\"\n"), []string{"source hall0>up1 becomes invalid IP perhaps"}},
	} {
		require.Equal(t, tt.want, layouttest.Translations(layouttest.Laws(t, Read, []byte(ports+pools+tt.text))), tt.text)
	}
}

// TestUsualSourceChecks: such systems check sources unless they are told not to.
func TestUsualSourceChecks(t *testing.T) {
	says := func(text string) (got []string) {
		for _, c := range layouttest.Laws(t, Read, []byte(text)).Facts.Checks {
			got = append(got, fmt.Sprint(c.Interface, " ", c.Mode, " ", c.Usual))
		}
		return got
	}
	require.Equal(t, []string{" feasible true"}, says(ports))
	require.Equal(t, []string{"up1 off false", " feasible true"}, says(strings.Replace(ports, "        set ip 172", "        set src-check disable\n        set ip 172", 1)))
	require.Equal(t, []string{" strict false"}, says(ports+"config system settings\n    set strict-src-check enable\nend\n"))
	require.Empty(t, says(ports+"config system settings\n    set asymroute enable\nend\n"))
	require.Empty(t, says("config firewall address\n    edit \"tills\"\n        set subnet 10.61.18.0 255.255.255.0\n    next\nend\n"))
}

// TestVeryManyOuterAddresses: which host has one of its own is not told then, in a size that stays bounded.
func TestVeryManyOuterAddresses(t *testing.T) {
	text := ports
	for i := range filters.MostMapped + 1 {
		text += strings.Replace(outer(fmt.Sprintf("set extip 172.29.%d.%d\nset mappedip \"10.62.%d.%d\"\nset extintf \"any\"\n", i/250, i%250, i/250, i%250)), "till", fmt.Sprint("till", i), 1)
	}
	text += policy("        set action accept\n        set dstaddr \"all\"\n        set nat enable\n")
	all := Read([]byte(text)).Facts.Policy.Translations
	require.Len(t, all, filters.MostMapped+3)
	require.True(t, all[filters.MostMapped+1].Undecided, "of whom has an outer address of its own")
	require.False(t, all[filters.MostMapped+2].Undecided, "of all others")
}
