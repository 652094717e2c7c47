package selection_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
)

func chosen(in, dst string) selection.Choice {
	d := coretest.Build(in).Device("a")
	return selection.Explain(d, d.Table("default", route.IPv4), netip.MustParsePrefix(dst))
}

const ways = "a: direct 10.0.0.0/24 dev e0\na: direct 10.0.1.0/24 dev e1\na: link e0 up\na: link e1 up\n"

// TestPathTypesInOrder is RFC 2328 section 11: each type comes before the next one whatever the metric.
func TestPathTypesInOrder(t *testing.T) {
	types := []string{"ospf", "ospf/inter-area", "ospf/external-1", "ospf/external-2"}
	for i, won := range types {
		for _, lost := range types[i+1:] {
			c := chosen(
				ways+"a: "+won+" 10.1.0.0/16 pref 110 metric 90 via 10.0.0.2 dev e0\na: "+lost+" 10.1.0.0/16 pref 110 metric 5 via 10.0.1.2 dev e1 candidate",
				"10.1.0.1/32",
			)
			require.Equal(t, selection.PathType, c.Lost[0].Why, "%s before %s", won, lost)
		}
	}
}

// TestAgainstTheRulesSaysWhichRule should have decided.
func TestAgainstTheRulesSaysWhichRule(t *testing.T) {
	c := chosen(
		ways+"a: static 10.1.0.0/16 pref 130 via 10.0.0.2 dev e0\na: ospf 10.1.0.0/16 pref 110 via 10.0.1.2 dev e1 candidate",
		"10.1.0.1/32",
	)
	require.Equal(t, selection.AgainstRules, c.Lost[0].Why)
	require.Equal(t, selection.Preference, c.Lost[0].Rule)
}

// TestAnAttachedNetworksPreferenceIsAssumed whichever of the two is without one.
func TestAnAttachedNetworksPreferenceIsAssumed(t *testing.T) {
	c := chosen(
		ways+"a: direct 10.1.0.0/16 dev e0\na: ospf 10.1.0.0/16 pref 110 via 10.0.1.2 dev e1 candidate",
		"10.1.0.1/32",
	)
	require.Equal(t, selection.Preference, c.Lost[0].Why)
	require.True(t, c.Lost[0].Assumed)
	c = chosen(
		ways+"a: static 10.1.0.0/16 pref 0 via 10.0.0.2 dev e0\na: direct 10.1.0.0/16 dev e1 candidate\na: ospf 10.1.0.0/16 pref 110 via 10.0.1.2 dev e1 candidate",
		"10.1.0.1/32",
	)
	require.False(t, c.Lost[len(c.Lost)-1].Assumed, "both are printed")
	c = chosen(
		ways+"a: direct 10.1.0.0/16 dev e0\na: static 10.1.0.0/16 pref 1 via 10.0.1.2 dev e1 candidate",
		"10.1.0.1/32",
	)
	require.Equal(t, selection.Preference, c.Lost[0].Why, "an assumed 0 comes before a printed 1")
}

// TestAStaticThatTheForwardingTableRefused is not one that waits.
func TestAStaticThatTheForwardingTableRefused(t *testing.T) {
	c := chosen(
		ways+"a: conf 10.1.0.0/16 via 10.0.0.2\na: static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0\na: kernel: direct 10.0.0.0/24 dev e0",
		"10.1.0.1/32",
	)
	require.Len(t, c.Statics, 1)
	require.Equal(t, selection.RefusedToUse, c.Statics[0].Fate)
}

// TestWhatStandsInAConfigurationOnlyTakesOver, and is told as such.
func TestWhatStandsInAConfigurationOnlyTakesOver(t *testing.T) {
	c := chosen(
		ways+"a: ospf 10.1.0.0/16 pref 110 via 10.0.0.2 dev e0\na: conf 10.1.0.0/16 via 10.0.1.2 pref 130",
		"10.1.0.1/32",
	)
	require.NotNil(t, c.TakesOver)
	require.Equal(t, selection.OnlyConfigured, c.TakesOver.Why)
	require.Equal(t, selection.Standby, c.Statics[0].Fate)
}

// TestAWinnerNeedBeChosenOrInstalled: a kernel's row is not "chosen", and a configured static is compared with it all
// the same.
func TestAWinnerNeedBeChosenOrInstalled(t *testing.T) {
	c := chosen(
		ways+"a: static 10.1.0.0/16 pref 5 via 10.0.0.2 dev e0 rejected\na: conf 10.1.0.0/16 via 10.0.1.2 pref 130",
		"10.1.0.1/32",
	)
	require.Equal(t, selection.Standby, c.Statics[0].Fate)
}

// TestAStaticBesideAStaticIsNoTrap: only a learned route that a static hides is worth a remark.
func TestAStaticBesideAStaticIsNoTrap(t *testing.T) {
	c := chosen(
		ways+"a: static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0\na: static 10.1.0.0/16 pref 130 via 10.0.1.2 dev e1 candidate",
		"10.1.0.1/32",
	)
	require.Empty(t, c.Remarks)
	c = chosen(
		ways+"a: static 10.1.0.0/16 pref 1 via 10.0.0.2 dev e0\na: ospf 10.1.0.0/16 pref 110 via 10.0.1.2 dev e1 candidate",
		"10.1.0.1/32",
	)
	require.Len(t, c.Remarks, 1)
	require.Equal(t, selection.ReplacesLearned, c.Remarks[0].Kind)
}

// TestWhatIsLeftWithoutTheNeighbour: what takes over may lead by the very neighbour that died, and may be found through
// what went.
func TestWhatIsLeftWithoutTheNeighbour(t *testing.T) {
	const links = "a: direct 10.1.0.0/24 dev e0\n"
	for _, tt := range []struct{ name, in, over, without string }{
		{"a shorter prefix by the same", links + "a: static 10.9.1.0/24 via 10.1.0.2 dev e0\na: static 10.9.0.0/16 via 10.1.0.2 dev e0\na: static 10.0.0.0/8 via 10.1.0.3 dev e0", "10.9.0.0/16", "10.0.0.0/8"},
		{"nothing else", links + "a: static 10.9.1.0/24 via 10.1.0.2 dev e0\na: static 0.0.0.0/0 via 10.1.0.2 dev e0", "0.0.0.0/0", "nothing"},
		{"by another one", links + "a: static 10.9.1.0/24 via 10.1.0.2 dev e0\na: static 10.9.0.0/16 via 10.1.0.3 dev e0", "10.9.0.0/16", "not asked"},
		{"found through what went", links + "a: static 10.9.1.0/24 via 10.1.0.2 dev e0\na: static 10.9.0.0/16 via 10.9.1.7\na: static 10.0.0.0/8 via 10.1.0.3 dev e0", "10.0.0.0/8", "not asked"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			d := coretest.Build(tt.in).Device("a")
			c := selection.Explain(d, d.Table("default", route.IPv4), netip.MustParsePrefix("10.9.1.7/32"))
			require.Equal(t, tt.over, c.TakesOver.Route.Prefix.String())
			without := "not asked"
			if len(c.Neighbours) > 0 {
				require.Equal(t, "10.1.0.2", c.Neighbours[0].String())
				if without = "nothing"; c.WithoutThem != nil {
					without = c.WithoutThem.Route.Prefix.String()
				}
			}
			require.Equal(t, tt.without, without)
		})
	}
}

// TestNothingTakesOverForAnOwnAddress: a shorter prefix would not make the packet the device's.
func TestNothingTakesOverForAnOwnAddress(t *testing.T) {
	c := chosen("a: local 10.0.0.1/32 receive dev e0\na: direct 10.0.0.0/24 dev e0\na: static 0.0.0.0/0 via 10.0.0.9 dev e0", "10.0.0.1/32")
	require.True(t, c.Match.Found())
	require.Nil(t, c.TakesOver)
}
