package network

import (
	"math/rand/v2"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/route"
)

// TestRulesAreFoundByTheirAddresses: what a chain that is looked up in says of a packet is what its rules say one after
// another.
func TestRulesAreFoundByTheirAddresses(t *testing.T) {
	rnd := rand.New(rand.NewPCG(7, 7))
	address := func() netip.Addr {
		if rnd.IntN(4) == 0 {
			return netip.AddrFrom16([16]byte{0xfd, 0x61, 15: byte(rnd.IntN(8))})
		}
		return netip.AddrFrom4([4]byte{10, 61, byte(rnd.IntN(3)), byte(rnd.IntN(8))})
	}
	prefix := func() netip.Prefix {
		a := address()
		switch rnd.IntN(4) {
		case 0:
			return netip.Prefix{}
		case 1:
			return netip.PrefixFrom(a, 0).Masked()
		case 2:
			return netip.PrefixFrom(a, a.BitLen()-8) // with host bits, as rules may be made
		}
		return netip.PrefixFrom(a, a.BitLen())
	}
	decided := map[Fit]int{}
	for range 300 {
		rules := make([]FlowRule, fewestIndexed+rnd.IntN(40))
		for i := range rules {
			rules[i] = FlowRule{Chain: 1, From: prefix(), To: prefix(), Permit: rnd.IntN(2) == 0, Undecided: rnd.IntN(12) == 0,
				Family: []route.Family{0, 0, route.IPv4, route.IPv6}[rnd.IntN(4)], In: []string{"", "", "a"}[rnd.IntN(3)],
				Mark: route.Mark{File: 1, Off: uint32(i), End: uint32(i) + 1}}
			if rnd.IntN(3) == 0 {
				rules[i].Protocol = "tcp"
			}
		}
		d := &Device{policy: Policy{Flows: rules}}
		d.indexRules()
		require.Len(t, d.chains, 1)
		looked := d.chains[0]
		require.NotNil(t, looked.index)
		through := looked
		through.index = nil
		for range 40 {
			src, dst := address(), address()
			if rnd.IntN(5) == 0 {
				src = netip.Addr{}
			}
			flow := Flow{Protocol: []string{"", "tcp", "udp"}[rnd.IntN(3)]}
			in := []string{"a", "b"}[rnd.IntN(2)]
			fit, rule := d.Judge(looked, src, dst, flow, in, "")
			want, by := d.Judge(through, src, dst, flow, in, "")
			require.Equal(t, want, fit)
			require.Equal(t, by, rule)
			decided[fit]++
		}
	}
	for _, fit := range []Fit{Maybe, Yes} {
		require.Greater(t, decided[fit], 100, fit)
	}
}

// TestWhatFitsNoRule is denied by the last rule for packets of its family; where there is none nothing is said.
func TestWhatFitsNoRule(t *testing.T) {
	host := netip.MustParsePrefix("10.61.16.9/32")
	d := &Device{policy: Policy{Flows: []FlowRule{{Family: route.IPv4, To: host, Permit: true, Mark: route.Mark{File: 1, End: 1}}}}}
	d.indexRules()
	fit, rule := d.Judge(d.chains[0], host.Addr(), netip.MustParseAddr("10.61.16.8"), Flow{}, "", "")
	require.Equal(t, Yes, fit)
	require.False(t, rule.Permit)
	require.Equal(t, uint32(1), rule.Mark.End)
	fit, _ = d.Judge(d.chains[0], host.Addr(), netip.MustParseAddr("fd61::8"), Flow{}, "", "")
	require.Equal(t, No, fit)
}
