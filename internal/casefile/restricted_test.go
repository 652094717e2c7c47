package casefile

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
)

// TestWhatWasNotReadMayStopOwnPackets: a filter of which nobody knows what it says may stop what is for the device
// itself, and the answers to what it sends, as well as what passes through.
func TestWhatWasNotReadMayStopOwnPackets(t *testing.T) {
	const (
		hub  = "C    10.61.16.0/24 is directly connected, hall\nL    10.61.16.1/32 is directly connected, hall\nS    10.61.64.0/24 [1/0] via 172.28.61.2\nC    172.28.61.0/30 is directly connected, line1\nL    172.28.61.1/32 is directly connected, line1\n"
		till = "S*    0.0.0.0/0 [1/0] via 172.28.61.1\nC     10.61.64.0/24 is directly connected, tills\nL     10.61.64.1/32 is directly connected, tills\nC     172.28.61.0/30 is directly connected, up0\nL     172.28.61.2/32 is directly connected, up0\n"
	)
	for what, text := range map[string]string{
		"nothing":                         "",
		"blocks that end in a word":       "configure\n    filter\n        ip-filter 10 create\n            entry 10 create\n                match\n                    src-ip 10.61.16.0/24\n                exit\n                action drop\n            exit\n        exit\n    exit\n    router Base\n        interface \"up0\"\n            address 172.28.61.2/30\n            ingress\n                filter ip 10\n            exit\n        exit\n    exit\nexit all\n",
		"rules of an open system":         "block in log on up0 all\npass out on up0 all\n",
		"rules of a zone":                 "set zone-policy zone night interface up0\nset interfaces ethernet up0 address 172.28.61.2/30\n",
		"a tree that was cut":             "interfaces {\n    ethernet up0 {\n        address 172.28.61.2/30\n",
		"blocks that were cut":            "config system interface\n    edit \"up0\"\n        set ip 172.28.61.2 255.255.255.252\n",
		"kernel rules, by a search":       "till:~# iptables -S | grep ACCEPT\n-P OUTPUT ACCEPT\n-A FORWARD -j ACCEPT\n",
		"what is encrypted":               "crypto map M 10 ipsec-isakmp\n match address 110\naccess-list 110 permit ip any any\ninterface up0\n ip address 172.28.61.2 255.255.255.252\n crypto map M\n!\n",
		"an address that becomes another": "config firewall vip\n    edit \"till\"\n        set extip 172.28.61.2\n    next\nend\n",
	} {
		dir := write(t, map[string]string{"hub/r.txt": hub, "till/r.txt": till, "till/x.txt": text})
		c, err := Load(dir)
		require.NoError(t, err)
		w := forward.NewWalker(topology.Build(c.Network))
		trip := func(src, dst string) forward.Both {
			return w.Trace(netip.MustParseAddr(src), netip.MustParseAddr(dst)).Verdict
		}
		through, into, outOf := trip("10.61.16.9", "10.61.64.9"), trip("10.61.16.9", "172.28.61.2"), trip("10.61.64.1", "10.61.16.9")
		if text == "" {
			require.Equal(t, forward.TwoWay, through)
			require.Equal(t, forward.TwoWay, into)
			require.Equal(t, forward.TwoWay, outOf)
			continue
		}
		require.Equal(t, forward.BothUnknown, through, what)
		require.Equal(t, forward.BothUnknown, into, "%s: for the device itself", what)
		require.Equal(t, forward.BothUnknown, outOf, "%s: from the device itself", what)
	}
}

// TestAListThatStops in the middle of its text may permit what its rules so far do not; one that ends denies it.
func TestAListThatStops(t *testing.T) {
	const (
		hub  = "C    10.61.16.0/24 is directly connected, hall\nS    10.61.64.0/24 [1/0] via 172.28.61.2\nC    172.28.61.0/30 is directly connected, line1\n"
		till = "S*    0.0.0.0/0 [1/0] via 172.28.61.1\nC     10.61.64.0/24 is directly connected, tills\nC     172.28.61.0/30 is directly connected, up0\n"
		set  = "set system host-name hub\nset interfaces hall unit 0 family inet filter input GATE\nset interfaces hall unit 0 family inet address 10.61.16.1/24\nset firewall family inet filter GATE term a from source-address 10.61.17.0/24\nset firewall family inet filter GATE term a then accept\n"
		save = "*filter\n:INPUT ACCEPT [0:0]\n:FORWARD DROP [0:0]\n:OUTPUT ACCEPT [0:0]\n-A FORWARD -s 10.61.17.0/24 -j ACCEPT\n"
	)
	for text, want := range map[string]forward.Verdict{
		set: forward.Filtered, set + "set fire": forward.Unknown,
		save + "COMMIT\n": forward.Filtered, save + "-A FORW": forward.Unknown,
	} {
		dir := write(t, map[string]string{"hub/r.txt": hub, "till/r.txt": till, "hub/x.txt": text})
		c, err := Load(dir)
		require.NoError(t, err)
		w := forward.NewWalker(topology.Build(c.Network))
		trip := w.Trace(netip.MustParseAddr("10.61.16.9"), netip.MustParseAddr("10.61.64.9"))
		require.Equal(t, want, trip.Forward.Verdict, text)
	}
}
