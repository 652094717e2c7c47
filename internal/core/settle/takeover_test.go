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
