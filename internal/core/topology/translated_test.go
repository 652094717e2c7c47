package topology_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// TestAddressesThatStandForOthers: who translates one on a link answers for it, where that is sure or something
// answers; an address of somebody's own is his, and one outside of the link's network is not looked for there.
func TestAddressesThatStandForOthers(t *testing.T) {
	const text = `
		fence: addr 172.28.61.2/29 up
		fence: direct 172.28.61.0/29 dev up
		fence: addr 10.61.16.1/24 hall
		fence: direct 10.61.16.0/24 dev hall
		outer: addr 172.28.61.1/29 up
		outer: direct 172.28.61.0/29 dev up
	`
	prefix, addr := netip.MustParsePrefix, netip.MustParseAddr
	in := func(to string) network.Translation {
		return network.Translation{Destination: true, To: prefix(to), In: "up", Becomes: addr("10.61.16.9"), Mark: route.Mark{File: 1, Off: 50, End: 51}}
	}
	sure := in("172.28.61.3/32")
	sure.OnLink = true
	elsewhere := in("172.28.61.3/32")
	elsewhere.In = "hall"
	anywhere := in("172.28.61.3/32")
	anywhere.In = ""
	kept := in("172.28.61.3/32")
	kept.Keep = true
	source := network.Translation{From: prefix("10.61.16.0/24"), Out: "up", Becomes: addr("172.28.61.3")}
	for _, tt := range []struct {
		name    string
		more    string
		of      network.Translation
		from    string
		address string
		want    topology.Answer
		proxy   bool
	}{
		{"not sure to answer", "", in("172.28.61.3/32"), "outer", "172.28.61.3", topology.Translated, false},
		{"sure to answer", "", sure, "outer", "172.28.61.3", topology.Device, true},
		{"something answers", "outer: neigh 172.28.61.3 up alive 02:00:00:00:00:61", in("172.28.61.3/32"), "outer", "172.28.61.3", topology.Device, true},
		{"nothing answered", "outer: neigh 172.28.61.3 up failed", in("172.28.61.3/32"), "outer", "172.28.61.3", topology.Nobody, false},
		{"of sources", "", source, "outer", "172.28.61.3", topology.Translated, false},
		{"one of several", "", in("172.28.61.4/31"), "outer", "172.28.61.5", topology.Translated, false},
		{"the whole network", "", in("172.28.61.0/29"), "outer", "172.28.61.3", topology.Silent, false},
		{"another address", "", sure, "outer", "172.28.61.4", topology.Silent, false},
		{"by another interface", "", elsewhere, "outer", "172.28.61.3", topology.Silent, false},
		{"by any interface, so that a host may have it", "", anywhere, "outer", "172.28.61.3", topology.Silent, false},
		{"on a link that is down", "fence: link up down", sure, "outer", "172.28.61.3", topology.Silent, false},
		{"left as it is", "", kept, "outer", "172.28.61.3", topology.Silent, false},
		{"somebody's own", "other: addr 172.28.61.3/29 p\nother: direct 172.28.61.0/29 dev p", sure, "outer", "172.28.61.3", topology.Device, false},
		{"asked by the device itself", "", sure, "fence", "172.28.61.3", topology.Translated, false},
	} {
		x := coretest.Build(text + tt.more).Draft()
		x.SetPolicy("fence", network.Policy{Translations: []network.Translation{tt.of}})
		top := topology.Build(x.Freeze())
		got := top.Find(top.Network.Device(tt.from), "up", addr(tt.address), false)
		require.Equal(t, tt.want, got.Answer, tt.name)
		require.Equal(t, tt.proxy, got.Proxy, tt.name)
		if tt.want == topology.Device && tt.proxy {
			require.Equal(t, "fence up", got.Device.Name+" "+got.Interface, tt.name)
		}
	}
}
