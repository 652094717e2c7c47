package settle

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/change"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/topology"
)

// TestAVirtualAddressIsTakenOver: hosts send to what their routers share, whoever has it after a failure.
func TestAVirtualAddressIsTakenOver(t *testing.T) {
	const pair = `
		a: addr 10.1.0.2/24 lan
		a: direct 10.1.0.0/24 dev lan
		a: virtual 10.1.0.1 lan holds
		a: addr 10.0.0.2/29 up
		a: direct 10.0.0.0/29 dev up
		a: static 10.9.0.0/24 via 10.0.0.1 dev up
		b: addr 10.1.0.3/24 lan
		b: direct 10.1.0.0/24 dev lan
		b: virtual 10.1.0.1 lan waits
		b: addr 10.0.0.3/29 up
		b: direct 10.0.0.0/29 dev up
		z: addr 10.0.0.1/29 down
		z: direct 10.0.0.0/29 dev down
		z: addr 10.9.0.1/24 lan
		z: direct 10.9.0.0/24 dev lan
		z: static 10.1.0.0/24 via 10.0.0.3 dev down
`
	const helped = "b: static 10.9.0.0/24 via 10.0.0.1 dev up\n"
	third := "c: addr 10.1.0.4/24 lan\nc: direct 10.1.0.0/24 dev lan\nc: virtual 10.1.0.1 lan waits\n"
	for name, c := range map[string]struct {
		text string
		fail change.Change
		want forward.Both
	}{
		"as it is":                      {pair, nil, forward.TwoWay},
		"its interface goes":            {pair, change.Change{change.InterfaceDown{Device: "a", Interface: "lan"}}, forward.Broken},
		"and who is left knows the way": {pair + helped, change.Change{change.InterfaceDown{Device: "a", Interface: "lan"}}, forward.TwoWay},
		"its router goes":               {pair + helped, change.Change{change.DeviceDown{Device: "a"}}, forward.TwoWay},
		"who stands by goes":            {pair, change.Change{change.InterfaceDown{Device: "b", Interface: "lan"}}, forward.OneWay},
		"two are left, of which one knows the way": {pair + helped + third, change.Change{change.DeviceDown{Device: "a"}},
			forward.BothUnknown},
		"on another link the same address": {pair + helped + "y: addr 10.7.0.9/24 lan\ny: direct 10.7.0.0/24 dev lan\ny: virtual 10.1.0.1 lan waits\n",
			change.Change{change.DeviceDown{Device: "a"}}, forward.TwoWay},
	} {
		t.Run(name, func(t *testing.T) {
			n := coretest.Build(c.text)
			topo := topology.Build(n)
			after, err := c.fail.On(n)
			require.NoError(t, err)
			is := New(topo).Run(after).Network
			got := forward.NewWalker(topology.Build(n)).On(is).Trace(netip.MustParseAddr("10.1.0.9"),
				netip.MustParseAddr("10.9.0.9"))
			require.Equal(t, c.want, got.Verdict, "%+v", got)
		})
	}
	n := coretest.Build(pair + "a: link lan down\nb: link lan up\n")
	up, err := change.Change{change.InterfaceUp{Device: "a", Interface: "lan"}}.On(n)
	require.NoError(t, err)
	for _, d := range []string{"a", "b"} {
		require.Equal(t, network.HoldingNotKnown, New(topology.Build(n)).Run(up).Network.Device(d).Virtuals().At(0).Holding,
			"a router that came back may take it again, or not")
	}
}

// TestABackupGivesWay: a static route that stands in for what a protocol lost leaves once the protocol has it again,
// if the protocol comes first.
func TestABackupGivesWay(t *testing.T) {
	const net = `
	a: addr 172.16.0.1/30 e0
	a: link e0 down
	a: addr 10.7.0.1/24 lan
	a: direct 10.7.0.0/24 dev lan
	a: link lan up
	a: ospf 10.7.0.0/24 pref 110 metric 10 dev lan candidate
	b: addr 172.16.0.2/30 e0
	b: link e0 down
	b: addr 172.16.1.1/30 e1
	b: direct 172.16.1.0/30 dev e1
	b: link e1 up
	b: ospf 172.16.1.0/30 pref 110 metric 10 dev e1 candidate
	b: ospf 10.8.0.0/24 pref 110 metric 20 via 172.16.1.2 dev e1
	c: addr 172.16.1.2/30 e1
	c: direct 172.16.1.0/30 dev e1
	c: link e1 up
	c: direct 10.8.0.0/24 dev lan
	c: addr 10.8.0.1/24 lan
	c: link lan up
	c: ospf 172.16.1.0/30 pref 110 metric 10 dev e1 candidate
	c: ospf 10.8.0.0/24 pref 110 metric 10 dev lan candidate
	`
	const configured = `
	a: runs ospf e0 area 0.0.0.0 cost 10
	a: runs ospf lan area 0.0.0.0 cost 10
	b: runs ospf e0 area 0.0.0.0 cost 10
	b: runs ospf e1 area 0.0.0.0 cost 10
	c: runs ospf e1 area 0.0.0.0 cost 10
	c: runs ospf lan area 0.0.0.0 cost 10
	`
	for _, tt := range []struct{ name, backup, in, b string }{
		{"a backup of the last resort", "pref 200", configured, "ospf 172.16.0.1%e0"},
		{"one that comes before the protocol", "pref 5", configured, "static 172.16.1.2%e1"},
		{"nobody knows whether there is one area", "pref 200", "", "untold"},
		{"it comes before the protocol anyway", "pref 5", "", "static 172.16.1.2%e1"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			n := coretest.Build(net + tt.in + "\nb: static 10.7.0.0/24 " + tt.backup + " via 172.16.1.2 dev e1\n")
			up := change.Change{change.InterfaceUp{Device: "a", Interface: "e0"}, change.InterfaceUp{Device: "b", Interface: "e0"}}
			edited, err := up.On(n)
			require.NoError(t, err)
			p := netip.MustParsePrefix("10.7.0.0/24")
			require.Equal(t, tt.b, plainWords(inUse(New(topology.Build(n)).Run(edited).Network, "b")[p]))
		})
	}
}

// TestABackupMayGiveWay: the same for a protocol that nothing tells of: whoever comes back may announce what it has.
func TestABackupMayGiveWay(t *testing.T) {
	const net = `
	a: addr 172.16.0.1/30 e0
	a: link e0 down
	a: addr 10.7.0.1/24 lan
	a: direct 10.7.0.0/24 dev lan
	a: link lan up
	a: bgp 10.9.0.0/24 pref 20 via 10.7.0.9 dev lan
	b: addr 172.16.0.2/30 e0
	b: link e0 down
	b: addr 172.16.1.1/30 e1
	b: direct 172.16.1.0/30 dev e1
	b: link e1 up
	b: bgp 10.8.0.0/24 pref 20 via 172.16.1.2 dev e1
	c: addr 172.16.1.2/30 e1
	c: direct 172.16.1.0/30 dev e1
	c: link e1 up
	c: addr 10.8.0.1/24 lan
	c: direct 10.8.0.0/24 dev lan
	c: link lan up
	c: bgp 10.99.0.0/24 pref 20 via 10.8.0.9 dev lan
	`
	for backup, want := range map[string][]string{
		"pref 200": {"untold", "untold"}, "pref 5": {"static 172.16.1.2%e1", "untold"}, "": {"untold", "untold"}, "none": {"untold", "untold"},
	} {
		in := net + "\nb: static 10.7.0.0/24 " + backup + " via 172.16.1.2 dev e1\n"
		if backup == "none" {
			in = net
		}
		n := coretest.Build(in)
		up := change.Change{change.InterfaceUp{Device: "a", Interface: "e0"}, change.InterfaceUp{Device: "b", Interface: "e0"}}
		edited, err := up.On(n)
		require.NoError(t, err)
		after := New(topology.Build(n)).Run(edited).Network
		p := netip.MustParsePrefix("10.7.0.0/24")
		require.Equal(t, want, []string{plainWords(inUse(after, "b")[p]), plainWords(inUse(after, "c")[p])}, backup)
	}
}
