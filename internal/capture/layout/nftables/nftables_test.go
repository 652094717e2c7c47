package nftables

import (
	"fmt"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// genuine is what nft printed of a ruleset of ours, one element a line.
func genuine(tb testing.TB) []byte {
	b, err := os.ReadFile("testdata/ruleset.json")
	require.NoError(tb, err)
	return b
}

func flowWords(f network.FlowRule) string {
	return fmt.Sprint(f.Chain, " ", layouttest.RuleWords(f))
}

func TestRead(t *testing.T) {
	r := layouttest.Laws(t, Read, genuine(t))
	require.Empty(t, r.Unread)
	p := r.Facts.Policy
	var got []string
	for _, f := range p.Flows {
		require.Equal(t, route.IPv4, f.Family)
		got = append(got, flowWords(f))
	}
	require.Equal(t, []string{
		"1 permit seen", "1 deny unseen",
		"1 permit tcp from 10.61.64.0/24 443-443 in in0 out out0", "1 permit tcp from 10.61.64.0/24 8000-8010 in in0 out out0",
		"1 permit udp from 10.61.64.0/24 to 10.61.80.9/32 53-53", "1 permit udp from 10.61.65.1/32 to 10.61.80.9/32 53-53",
		"1 permit icmp", "1 permit esp", "1 permit in lo",
		// all but 10.0.0.0/8
		"1 refuse to 0.0.0.0/5", "1 refuse to 8.0.0.0/7", "1 refuse to 11.0.0.0/8", "1 refuse to 12.0.0.0/6", "1 refuse to 16.0.0.0/4", "1 refuse to 32.0.0.0/3",
		"1 refuse to 64.0.0.0/2", "1 refuse to 128.0.0.0/1",
		"1 deny from 10.61.70.0/24", "1 deny",
	}, got)
	require.NotEqual(t, route.Mark{}, p.Stateful)
	require.Len(t, p.Translations, 3)
	require.Equal(
		t,
		"true 172.28.61.5/32 443 10.61.64.12 8443 out0",
		fmt.Sprint(
			p.Translations[0].Destination,
			" ",
			p.Translations[0].To,
			" ",
			p.Translations[0].ToPorts.Lo,
			" ",
			p.Translations[0].Becomes,
			" ",
			p.Translations[0].BecomesPort,
			" ",
			p.Translations[0].In,
		),
	)
	require.False(t, p.Translations[1].Becomes.IsValid(), "masquerade")
	require.Equal(t, "172.28.61.9", p.Translations[2].Becomes.String())
	require.Positive(t, recognise(genuine(t)))
}

func TestWhatIsNotUnderstoodIsNeverCertain(t *testing.T) {
	for _, expr := range []string{
		`[{"match":{"op":">","left":{"payload":{"protocol":"tcp","field":"dport"}},"right":22}},{"accept":null}]`,
		`[{"match":{"op":"==","left":{"meta":{"key":"mark"}},"right":7}},{"accept":null}]`,
		`[{"match":{"op":"==","left":{"payload":{"protocol":"ip","field":"saddr"}},"right":"@nosuch"}},{"accept":null}]`,
		`[{"limit":{"rate":5,"per":"second"}},{"accept":null}]`,
		`[{"match":{"op":"==","left":{"payload":{"protocol":"ip","field":"saddr"}},"right":{"prefix":{"addr":"10.61.0.0","len":40}}}},{"accept":null}]`,
		`[{"match":{"op":"==","left":{"payload":{"protocol":"ip","field":"saddr"}},"right":{"prefix":{"addr":"odd","len":4}}}},{"accept":null}]`,
		`[{"match":{"op":"==","left":{"payload":{"protocol":"ip","field":"saddr"}},"right":{"range":["odd"]}}},{"accept":null}]`,
		`[{"xt":{"type":"match","name":"owner"}},{"accept":null}]`,
		`[{"match":{"op":"==","left":{"meta":{"key":"iifname"}},"right":"in*"}},{"accept":null}]`,
	} {
		in := `{"nftables":[{"chain":{"family":"inet","table":"f","name":"c","type":"filter","hook":"forward","prio":0,"policy":"drop"}},{"rule":{"family":"inet","table":"f","chain":"c","expr":` + expr + `}}]}`
		p := Read([]byte(in)).Facts.Policy
		require.Len(t, p.Flows, 2, expr)
		require.True(t, p.Flows[0].Undecided, expr)
	}
}

func TestACutOffRulesetSaysSo(t *testing.T) {
	in := genuine(t)
	r := layouttest.Laws(t, Read, in[:len(in)/2])
	require.ErrorIs(t, r.Unread[len(r.Unread)-1].Reason, layout.ErrCut)
	require.Zero(t, recognise([]byte(`{"rules":[]}`)))
}

func FuzzRead(f *testing.F) {
	f.Add(genuine(f))
	f.Add([]byte(`{"nftables":[{"rule":{"family":"ip","table":"f","chain":"c","expr":[{"jump":{"target":"c"}}]}}]}`))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestThePortsOfARule: every port from 1 on, alone or in a range; there is no port 0.
func TestThePortsOfARule(t *testing.T) {
	for port, want := range map[string]network.Ports{"1": {Lo: 1, Hi: 1}, "65535": {Lo: 65535, Hi: 65535}, `{"range":[1,2]}`: {Lo: 1, Hi: 2}, "0": {}, "65536": {}, `{"range":[2,1]}`: {}} {
		got, ok := ports([]byte(port))
		require.Equal(t, want != network.Ports{}, ok, port)
		if ok {
			require.Equal(t, want, got, port)
		}
	}
}
