package require

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// street is three routers in a row with a network at each; b discards what lies between, and c has no way back to a's.
const street = `
	a: addr 10.0.0.1/24 lan
	a: direct 10.0.0.0/24 dev lan
	a: addr 172.16.0.1/30 e0
	a: direct 172.16.0.0/30 dev e0
	a: static 0.0.0.0/0 via 172.16.0.2 dev e0
	b: addr 172.16.0.2/30 e0
	b: direct 172.16.0.0/30 dev e0
	b: addr 172.16.0.5/30 e1
	b: direct 172.16.0.4/30 dev e1
	b: addr 10.0.1.1/24 lan
	b: direct 10.0.1.0/24 dev lan
	b: static 10.0.0.0/24 via 172.16.0.1 dev e0
	b: static 10.0.2.0/24 via 172.16.0.6 dev e1
	b: static 10.0.0.0/8 blackhole
	b: static 0.0.0.0/0 via 172.16.0.6 dev e1
	c: addr 172.16.0.6/30 e1
	c: direct 172.16.0.4/30 dev e1
	c: addr 10.0.2.1/24 lan
	c: direct 10.0.2.0/24 dev lan
	c: static 10.0.1.0/24 via 172.16.0.5 dev e1
	c: static 0.0.0.0/0 via 172.16.9.9 dev wan
	c: direct 172.16.9.0/24 dev wan
	c: neigh 172.16.9.9 wan alive
`

func TestJudge(t *testing.T) {
	w := forward.NewWalker(topology.Build(coretest.Build(street)))
	for in, want := range map[string]struct {
		state State
		fault Fault
	}{
		"10.0.0.0/24 reaches 10.0.1.0/24":                           {Holds, 0},
		"10.0.1.0/24 reaches 10.0.2.0/24":                           {Holds, 0},
		"10.0.0.0/24 reaches 10.0.2.0/24":                           {Untold, NotReached}, // replies leave at c
		"10.0.0.0/24 reaches 10.0.5.0/24":                           {Fails, NotReached},
		"10.0.0.0/24 never reaches 10.0.5.0/24":                     {Holds, 0},
		"10.0.0.0/24 never reaches 10.0.1.7":                        {Fails, Reached},
		"10.0.0.0/24 reaches internet":                              {Holds, 0},
		"10.0.0.0/24 reaches 192.168.5.0/24":                        {Untold, NotReached}, // left by a default route
		"10.0.0.0/24 reaches 224.0.0.5":                             {Untold, NobodyAsked},
		"10.0.0.0/24 reaches 127.0.0.1":                             {Untold, NobodyAsked},
		"10.0.0.0/24 reaches 10.0.1.255":                            {Untold, NobodyAsked},
		"10.0.0.0/24 reaches 10.0.0.7":                              {Untold, NobodyAsked}, // on its own network
		"10.0.0.0/24 reaches fd00:1::/64":                           {Untold, NobodyAsked},
		"10.0.0.0/24 reaches 10.0.1.0/24 and 10.0.1.255":            {Untold, NobodyAsked},
		"10.0.0.0/24 reaches 10.0.1.0/24 and fd00:1::/64":           {Untold, NobodyAsked},
		"10.0.0.0/24 never reaches 224.0.0.5":                       {Untold, NobodyAsked},
		"10.0.0.0/24 and 10.0.9.0/24 reach 10.0.1.0/24":             {Untold, NobodyThere},
		"10.0.0.0/24 and 10.0.1.0/24 reach 10.0.1.0/24":             {Holds, 0},
		"10.0.0.0/24 reaches only 10.0.1.0/24":                      {Fails, Reached},
		"10.0.9.0/24 reaches 10.0.1.0/24":                           {Untold, NobodyThere},
		"10.0.0.0/24 reaches 10.0.1.0/24 by way of b":               {Holds, 0},
		"10.0.1.0/24 reaches 10.0.2.0/24 by way of a":               {Fails, OtherWay},
		"10.0.1.0/24 reaches 10.0.2.0/24 within 1 hop":              {Fails, TooLong},
		"10.0.1.0/24 reaches 10.0.2.0/24 within 2 hops":             {Holds, 0},
		"nothing loops":                                             {Holds, 0},
		"b knows 10.0.2.0/24 by static":                             {Holds, 0},
		"b knows 10.0.2.0/24 by ospf":                               {Fails, OtherSource},
		"b knows 10.0.3.0/24":                                       {Fails, NoSuchRoute},
		"b discards 10.0.0.0/8":                                     {Holds, 0},
		"b discards 10.0.2.0/24":                                    {Fails, NotDiscarded},
		"10.0.1.0/24 reaches 10.0.2.0/24 also without any one link": {Fails, NotReached},
	} {
		all, err := Parse(in, streetNames{})
		require.NoError(t, err, in)
		got := Judge(w, all, func(Without) []Failure {
			n, err := change.Change{change.InterfaceDown{Device: "b", Interface: "e1"}, change.InterfaceDown{Device: "c", Interface: "e1"}}.On(w.Topology().Network)
			require.NoError(t, err)
			return []Failure{{"b - c", w.On(n)}}
		})[0]
		require.Equal(t, want.state, got.State, in)
		if got.State != Holds {
			require.Equal(t, want.fault, got.Fault, in)
		}
	}
}

type streetNames struct{ book }

func (streetNames) Device(name string) (string, bool, string) { return name, len(name) == 1, "" }

// TestLessonsHold: what was learned holds when it is judged.
func TestLessonsHold(t *testing.T) {
	w := forward.NewWalker(topology.Build(coretest.Build(street)))
	lessons := Learn(w, func(netip.Prefix) string { return "" })
	require.NotEmpty(t, lessons)
	for _, l := range lessons {
		all, err := Parse(l.Text, streetNames{})
		require.NoError(t, err, l.Text)
		require.Equal(t, Holds, Judge(w, all, nil)[0].State, l.Text)
	}
}

func TestPublic(t *testing.T) {
	require.Greater(t, len(notPublic.Ranges()), 14, "all of them are prefixes")
}
