package topology_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/topology"
)

func TestFind(t *testing.T) {
	const link = "a: direct 10.0.0.0/24 dev e0\nb: direct 10.0.0.0/24 dev f0\n"
	for _, tt := range []struct {
		name, in   string
		addr       string
		learned    bool
		answer     topology.Answer
		device     string
		confidence topology.Confidence
	}{
		{"the owner's own captures show it", link + "b: addr 10.0.0.2/24 f0", "10.0.0.2", false, topology.Device, "b", topology.Known},
		{"a mask set wrong on one side does not part the link",
			"a: direct 10.0.0.0/24 dev e0\na: addr 10.0.0.1/24 e0\nb: direct 10.0.0.0/25 dev f0\nb: addr 10.0.0.2/25 f0", "10.0.0.2", false, topology.Device, "b", topology.Known},
		{"the owner's interface is down", link + "b: addr 10.0.0.2/24 f0\nb: link f0 down", "10.0.0.2", false, topology.Down, "b", topology.Known},
		{"the owner's table lacks the network: its interface is gone",
			"a: direct 10.0.0.0/24 dev e0\nb: addr 10.0.0.2/24 f0\nb: static 10.9.0.0/16 via 10.8.0.1 dev f1", "10.0.0.2", false, topology.Down, "b", topology.Known},
		{"the owner sits elsewhere", link + "c: addr 10.5.0.2/24 f1\nc: direct 10.5.0.0/24 dev f1", "10.5.0.2", false, topology.Elsewhere, "c", topology.NotKnown},
		{"the address is on another interface of who is on the link", link + "b: addr 10.5.0.2/24 f1\nb: direct 10.5.0.0/24 dev f1", "10.5.0.2", false, topology.Beside, "b", topology.NotKnown},
		{"the same, on a link without networks of the family", "a: direct fd00::/64 dev e0\nb: direct fd00::/64 dev f0\nb: addr 10.5.0.2/24 f1\nb: direct 10.5.0.0/24 dev f1", "10.5.0.2", false, topology.Beside, "b", topology.NotKnown},
		{"the same, and a route was learned from there", "a: direct fd00::/64 dev e0\nb: direct fd00::/64 dev f0\nb: addr 10.5.0.2/24 f1\nb: direct 10.5.0.0/24 dev f1", "10.5.0.2", true, topology.Device, "b", topology.Deduced},
		{"the owner's interface is not told, nor its network", "a: direct 10.0.0.0/24 dev e0\nb: addr 10.0.0.2/32 -\nb: static 10.9.0.0/16 via 10.8.0.1 dev f1", "10.0.0.2", false, topology.Device, "b", topology.Deduced},
		{"an unnumbered link: who announces from there has the address", "a: link e0 up\nb: addr 10.5.0.2/32 lo0", "10.5.0.2", true, topology.Device, "b", topology.Deduced},
		{"it is on another interface, which is down", link + "b: addr 10.0.0.2/24 f0\nb: link f0 up 02:b0\nc: addr 10.0.0.9/24 g1\nc: link g1 down\nc: direct 10.0.0.0/24 dev g0\nc: addr 10.0.0.3/24 g0\nc: link g0 up 02:c0", "10.0.0.9", false, topology.Beside, "c", topology.NotKnown},
		{"the same, and the device answers by its other interface", link + "b: addr 10.0.0.2/24 f0\nc: addr 10.0.0.9/24 g1\nc: link g1 down\nc: direct 10.0.0.0/24 dev g0\nc: addr 10.0.0.3/24 g0\nc: link g0 up 02:c0\na: neigh 10.0.0.9 e0 alive 02:c0", "10.0.0.9", false, topology.Device, "c", topology.Neighbour},
		{"the same, and it did not answer", link + "b: addr 10.0.0.2/24 f0\nc: addr 10.0.0.9/24 g1\nc: link g1 down\nc: direct 10.0.0.0/24 dev g0\nc: addr 10.0.0.3/24 g0\nc: link g0 up 02:c0\na: neigh 10.0.0.9 e0 failed 02:c0", "10.0.0.9", false, topology.Beside, "c", topology.NotKnown},
		{"the same, and another one answers", link + "b: addr 10.0.0.2/24 f0\nb: link f0 up 02:b0\nc: addr 10.0.0.9/24 g1\nc: link g1 down\nc: direct 10.0.0.0/24 dev g0\nc: addr 10.0.0.3/24 g0\nc: link g0 up 02:c0\na: neigh 10.0.0.9 e0 alive 02:b0", "10.0.0.9", false, topology.Beside, "c", topology.NotKnown},
		{"a virtual link-layer address may be anybody's", link + "b: link f0 up 02:b0\na: neigh 10.0.0.9 e0 alive 00:00:5e:00:01:07", "10.0.0.9", false, topology.Device, "b", topology.Deduced},
		{"the same, and the entry is of before", link + "c: addr 10.0.0.9/24 g1\nc: link g1 down 02:c1\na: neigh 10.0.0.9 e0 alive 02:c1", "10.0.0.9", false, topology.Down, "c", topology.Known},
		{"a second network of the link, of which no address is known", link + "b: addr 10.0.0.2/24 f0\na: direct 10.7.0.0/30 dev e0\nb: direct 10.7.0.0/30 dev f0", "10.7.0.2", false, topology.Device, "b", topology.Deduced},
		{"the other end has another address in that too", link + "b: addr 10.0.0.2/24 f0\na: direct 10.7.0.0/30 dev e0\nb: direct 10.7.0.0/30 dev f0\nb: addr 10.7.0.1/30 f0", "10.7.0.2", false, topology.Silent, "", topology.NotKnown},
		{"the same, and somebody answers", "a: direct fd00::/64 dev e0\na: neigh 10.5.0.2 e0 alive\nb: direct fd00::/64 dev f0\nb: addr 10.5.0.2/24 f1\nb: direct 10.5.0.0/24 dev f1", "10.5.0.2", false, topology.Device, "b", topology.Deduced},
		{"the same, and who answers is another", "a: direct fd00::/64 dev e0\na: neigh 10.5.0.2 e0 alive 02:99\nb: direct fd00::/64 dev f0\nb: link f0 up 02:b0\nb: addr 10.5.0.2/24 f1\nb: direct 10.5.0.0/24 dev f1", "10.5.0.2", false, topology.Beside, "b", topology.NotKnown},
		{"somebody answers for a far device's address", "a: link e0 up\na: neigh 10.5.0.2 e0 alive\nb: addr 10.5.0.2/24 f1\nb: direct 10.5.0.0/24 dev f1", "10.5.0.2", false, topology.Beside, "b", topology.NotKnown},
		{"a host of the link has it too", link + "b: addr 10.0.0.2/24 f0\na: neigh 10.0.0.7 e0 alive\nc: addr 10.0.0.7/32 lo", "10.0.0.7", false, topology.Host, "", topology.Neighbour},
		{"an unnumbered link, and the entry there has somebody else's link-layer address", "a: link e0 up\na: neigh 10.5.0.2 e0 alive 02:00:00:00:de:ad\nb: addr 10.5.0.2/24 f1\nb: direct 10.5.0.0/24 dev f1\nb: link f1 up 02:00:00:00:00:0b", "10.5.0.2", false, topology.Otherwise, "b", topology.NotKnown},
		{"somebody wrote the entry", link + "b: addr 10.0.0.2/24 f0\na: neigh 10.0.0.2 e0 alive 02:99 written", "10.0.0.2", false, topology.Written, "b", topology.Known},
		{"the same, and the owner's own tells it", link + "b: addr 10.0.0.2/24 f0\nb: link f0 up 02:99\na: neigh 10.0.0.2 e0 alive 02:99 written", "10.0.0.2", false, topology.Device, "b", topology.Known},
		{"the same, and another one had an answer from there", link + "b: addr 10.0.0.2/24 f0\na: neigh 10.0.0.2 e0 alive 02:99 written\nc: neigh 10.0.0.2 g0 alive 02:99", "10.0.0.2", false, topology.Device, "b", topology.Known},
		{"the same, and another one wrote that too", link + "b: addr 10.0.0.2/24 f0\na: neigh 10.0.0.2 e0 alive 02:99 written\nc: neigh 10.0.0.2 g0 alive 02:99 written", "10.0.0.2", false, topology.Written, "b", topology.Known},
		{"the same, and another one had another answer", link + "b: addr 10.0.0.2/24 f0\na: neigh 10.0.0.2 e0 alive 02:99 written\nc: neigh 10.0.0.2 g0 alive 02:98", "10.0.0.2", false, topology.Written, "b", topology.Known},
		{"an unnumbered link, by hand", "a: link e0 up\nb: addr 10.5.0.2/32 lo0", "10.5.0.2", false, 0, "", topology.NotKnown},
		{"an unnumbered link that is down", "a: link e0 down\nb: addr 10.5.0.2/32 lo0", "10.5.0.2", true, topology.MaybeDown, "b", topology.Deduced},
		{"an unnumbered link, two have the address", "a: link e0 up\nb: addr 10.5.0.2/32 lo0\nc: addr 10.5.0.2/32 lo0", "10.5.0.2", true, 0, "", topology.NotKnown},
		{"two devices have it", link + "b: addr 10.0.0.2/24 f0\nc: direct 10.0.0.0/24 dev g0\nc: addr 10.0.0.2/24 g0", "10.0.0.2", false, topology.Several, "", topology.NotKnown},
		{"of two holders the link-layer address tells which",
			link + "b: addr 10.0.0.2/24 f0\nb: link f0 up 02:b0\nc: direct 10.0.0.0/24 dev g0\nc: addr 10.0.0.2/24 g0\nc: link g0 up 02:c0\na: neigh 10.0.0.2 e0 alive 02:c0",
			"10.0.0.2", false, topology.Device, "c", topology.Known},
		{"it did not answer though its captures look well", link + "b: addr 10.0.0.2/24 f0\na: neigh 10.0.0.2 e0 failed", "10.0.0.2", false, topology.Conflict, "b", topology.Known},
		{"an uncaptured host answers", link + "b: addr 10.0.0.2/24 f0\na: neigh 10.0.0.9 e0 alive 02:99", "10.0.0.9", false, topology.Host, "", topology.Neighbour},
		{"nobody answers", link + "a: neigh 10.0.0.9 e0 failed", "10.0.0.9", false, topology.Nobody, "", topology.NotKnown},
		{"a request without an answer yet says nothing", link + "b: addr 10.0.0.2/24 f0\na: neigh 10.0.0.9 e0 pending", "10.0.0.9", false, topology.Silent, "", topology.NotKnown},
		{"the same, which was asked and has not answered", "a: direct 10.0.0.0/30 dev e0\nb: direct 10.0.0.0/30 dev f0\na: neigh 10.0.0.2 e0 pending", "10.0.0.2", false, topology.Conflict, "b", topology.Deduced},
		{"the same, and its link-layer address is known", "a: direct 10.0.0.0/30 dev e0\nb: direct 10.0.0.0/30 dev f0\na: neigh 10.0.0.2 e0 pending 02:99", "10.0.0.2", false, topology.Device, "b", topology.Deduced},
		{"on a link for two it can only be the other one", "a: direct 10.0.0.0/30 dev e0\nb: direct 10.0.0.0/30 dev f0", "10.0.0.2", false, topology.Device, "b", topology.Deduced},
		{"unless the other one has another address", "a: direct 10.0.0.0/30 dev e0\nb: direct 10.0.0.0/30 dev f0\nb: addr 10.0.0.1/30 f0", "10.0.0.2", false, topology.Silent, "", topology.NotKnown},
		{"or itself sends there", "a: direct 10.0.0.0/30 dev e0\nb: direct 10.0.0.0/30 dev f0\nb: static 10.7.0.0/16 via 10.0.0.2 dev f0", "10.0.0.2", false, topology.Silent, "", topology.NotKnown},
		{"on a shared link a static next hop proves nothing", link + "a: static 10.7.0.0/16 via 10.0.0.7 dev e0", "10.0.0.7", false, topology.Silent, "", topology.NotKnown},
		{"there one that announces routes is the only other device", link + "a: ospf 10.7.0.0/16 via 10.0.0.7 dev e0", "10.0.0.7", true, topology.Device, "b", topology.Deduced},
		{"but not when two next hops compete for it", link + "a: ospf 10.7.0.0/16 via 10.0.0.7 dev e0\na: ospf 10.8.0.0/16 via 10.0.0.8 dev e0", "10.0.0.7", true, topology.Silent, "", topology.NotKnown},
		{"nor when another uncaptured address answers there too", link + "a: neigh 10.0.0.7 e0 alive\na: neigh 10.0.0.8 e0 alive", "10.0.0.7", false, topology.Host, "", topology.Neighbour},
		{"a virtual address: who is shown to have it", link + "b: virtual 10.0.0.1 f0 holds\nc: direct 10.0.0.0/24 dev g0\nc: virtual 10.0.0.1 g0 waits", "10.0.0.1", false, topology.Device, "b", topology.Known},
		{"what is shown outranks what is configured", link + "b: virtual 10.0.0.1 f0 unknown\nb: virtual 10.0.0.1 f0 holds\nb: virtual 10.0.0.1 f0 unknown", "10.0.0.1", false, topology.Device, "b", topology.Known},
		{"listings that disagree say nothing", link + "b: virtual 10.0.0.1 f0 holds\nb: virtual 10.0.0.1 f0 waits\nb: virtual 10.0.0.1 f0 holds", "10.0.0.1", false, topology.Shared, "", topology.NotKnown},
		{"configured alone it may be anybody's", link + "b: virtual 10.0.0.1 f0 unknown", "10.0.0.1", true, topology.Shared, "", topology.NotKnown},
		{"two say that they have it", link + "b: virtual 10.0.0.1 f0 holds\nc: direct 10.0.0.0/24 dev g0\nc: virtual 10.0.0.1 g0 holds", "10.0.0.1", false, topology.Shared, "", topology.NotKnown},
		{"who has it lost its link", link + "b: virtual 10.0.0.1 f0 holds\nb: link f0 down\nc: direct 10.0.0.0/24 dev g0\nc: virtual 10.0.0.1 g0 waits", "10.0.0.1", false, topology.Shared, "", topology.NotKnown},
		{"who has it did not answer", link + "b: virtual 10.0.0.1 f0 holds\na: neigh 10.0.0.1 e0 failed", "10.0.0.1", false, topology.Conflict, "b", topology.Known},
		{"nobody answered, and who should is not known", link + "b: virtual 10.0.0.1 f0 unknown\na: neigh 10.0.0.1 e0 failed", "10.0.0.1", false, topology.Shared, "", topology.NotKnown},
		{"its link-layer address is no interface's", link + "b: virtual 10.0.0.1 f0 holds\na: neigh 10.0.0.1 e0 alive 00:00:5e:00:01:07", "10.0.0.1", false, topology.Device, "b", topology.Known},
		{"on another link it says nothing", link + "b: direct 10.9.0.0/24 dev f9\nb: virtual 10.0.0.1 f9 holds", "10.0.0.1", false, topology.Silent, "", topology.NotKnown},
		{"who has it as its own outranks that", link + "b: addr 10.0.0.1/24 f0\nc: direct 10.0.0.0/24 dev g0\nc: virtual 10.0.0.1 g0 holds", "10.0.0.1", false, topology.Device, "b", topology.Known},
		{"link-local on the segment of the interface", link + "b: addr fe80::2/64 f0\nc: addr fe80::2/64 g0\nc: direct 10.9.0.0/24 dev g0", "fe80::2", false, topology.Device, "b", topology.Known},
	} {
		t.Run(tt.name, func(t *testing.T) {
			n := coretest.Build(tt.in)
			requireOwner(t, topology.Build(n).Find(n.Device("a"), "e0", netip.MustParseAddr(tt.addr), tt.learned),
				tt.answer, tt.device, tt.confidence)
		})
	}
}

// requireOwner asks for an answer, with the device's name, "" for none.
func requireOwner(t *testing.T, got topology.OnLink, answer topology.Answer, device string, c topology.Confidence) {
	t.Helper()
	name := ""
	if got.Device != nil {
		name = got.Device.Name
	}
	require.Equal(t, answer, got.Answer)
	require.Equal(t, device, name)
	require.Equal(t, c, got.Confidence)
}

func TestAttachedIsTheLongestNetwork(t *testing.T) {
	n := coretest.Build(
		"a: direct 10.0.0.0/16 dev e0\nb: direct 10.0.5.0/24 dev f0\nc: direct 10.0.5.0/24 dev g0\nc: ospf 10.0.5.128/25 via 10.0.0.1 dev g1",
	)
	var got []string
	for _, at := range topology.Build(n).Attached(netip.MustParseAddr("10.0.5.200")) {
		got = append(got, at.Device.Name+" "+at.Interface+" "+at.Prefix.String())
	}
	require.Equal(t, []string{"b f0 10.0.5.0/24", "c g0 10.0.5.0/24"}, got)
	require.Empty(t, topology.Build(n).Attached(netip.MustParseAddr("192.168.0.1")))
}

func TestDeducedOwner(t *testing.T) {
	for _, tt := range []struct{ name, in, want string }{
		{"the end that does not send there", "a: direct 10.0.0.0/30 dev e0\nb: direct 10.0.0.0/30 dev f0\nb: static 10.7.0.0/16 via 10.0.0.1 dev f0", "a"},
		{"neither end gives itself away", "a: direct 10.0.0.0/30 dev e0\nb: direct 10.0.0.0/30 dev f0", ""},
		{"the only attached device, which sends to the other address", "a: direct 10.0.0.0/30 dev e0\na: static 10.7.0.0/16 via 10.0.0.2 dev e0", "a"},
		{"a shared network", "a: direct 10.0.0.0/24 dev e0\nb: direct 10.0.0.0/24 dev f0\nb: static 10.7.0.0/16 via 10.0.0.1 dev f0", ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			at, ok := topology.Build(coretest.Build(tt.in)).DeducedOwner(netip.MustParseAddr("10.0.0.1"))
			require.Equal(t, tt.want != "", ok)
			if ok {
				require.Equal(t, tt.want, at.Device.Name)
			}
		})
	}
}

func TestTransit(t *testing.T) {
	shared := `
		a: addr 10.61.5.1/24 x
		a: direct 10.61.5.0/24 dev x
		b: addr 10.61.5.2/24 x
		b: direct 10.61.5.0/24 dev x
`
	for _, tt := range []struct {
		name, text string
		want       bool
	}{
		{"a link for two", "a: direct 10.61.5.0/30 dev x\nb: direct 10.61.5.0/30 dev x", true},
		{"one device alone has hosts there", "a: addr 10.61.5.1/24 x\na: direct 10.61.5.0/24 dev x", false},
		{"a large network without neighbour entries may have hosts", shared, false},
		{"a small one between two devices", strings.ReplaceAll(shared, "/24", "/29"), true},
		{"neighbour entries show nobody else", shared + "a: neigh 10.61.5.2 x alive\nb: neigh 10.61.5.1 x alive", true},
		{"neighbour entries show a host", shared + "a: neigh 10.61.5.2 x alive\nb: neigh 10.61.5.77 x alive", false},
	} {
		t.Run(tt.name, func(t *testing.T) {
			topo := topology.Build(coretest.Build(tt.text))
			require.Equal(t, tt.want, topo.Transit(topo.Networks()[0]))
		})
	}
}
