package present

import (
	"bytes"
	"encoding/json"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/core/topology"
)

// fixed is evidence that is always the same hostile line.
type fixed struct{}

func (fixed) Position(m route.Mark) casefile.Position {
	if !m.Known() {
		return casefile.Position{}
	}
	return casefile.Position{File: "a\x1b[2J.txt", Line: int(m.Off)}
}

func (fixed) Text(route.Mark) []byte {
	return []byte("C\x1b[31m \x00\u202e 10.0.0.0/8\r\n\xff" + strings.Repeat("x", 1000))
}

func TestClean(t *testing.T) {
	for in, want := range map[string]string{
		"eth0": "eth0", "Åse 山": "Åse 山", "a\x1b[31mb": `a\x1b[31mb`, "a\tb": "a b", "x\u202ey": `x\u202ey`, "\xff\x00": `\xff\x00`,
		"\u009b31m": `\u009b31m`, "line\nbreak": `line\nbreak`, "\ufffd": "\ufffd",
	} {
		require.Equal(t, want, Clean(in), "%q", in)
	}
}

func TestNothingRawReachesTheOutput(t *testing.T) {
	n := coretest.Build(
		"a\x07b: direct 10.1.0.0/24 dev e0\na\x07b: static 10.2.0.0/16 pref 1 via 10.1.0.9 dev e0\na\x07b: static 10.2.0.0/16 pref 5 via 10.1.0.8 dev e0 candidate\na\x07b: neigh 10.1.0.9 e0 failed",
	)
	w := forward.NewWalker(topology.Build(n))
	v := View{Evidence: fixed{}, Lines: true}
	var out bytes.Buffer
	require.NoError(t, TraceText(&out, TraceView{RoundTrip: w.Trace(netip.MustParseAddr("10.1.0.5"), netip.MustParseAddr("10.2.0.1"))}, v))
	tab := n.Devices().At(0).Table("default", route.IPv4)
	require.NoError(t, WhyText(&out, w.Why(n.Devices().At(0), tab, netip.MustParsePrefix("10.2.0.1/32")), v))
	_, err := TableText(&out, TableQuery{Device: n.Devices().At(0), Filter: network.Filter{All: true}}, v)
	require.NoError(t, err)
	for _, c := range out.String() {
		require.False(t, c < ' ' && c != '\n' || c == 0x7f || c == 0x202e, "%q is in the output", c)
	}
	require.Contains(t, out.String(), "bytes more)", "long lines are cut and say so")
}

func TestJSONIsValidAndKeepsTheContract(t *testing.T) {
	n := coretest.Build(
		"a: direct 10.1.0.0/24 dev e0\na: ospf/inter-area 10.2.0.0/16 pref 110 metric 20 via 10.1.0.9 dev e0\na: static 10.3.0.0/16 blackhole",
	)
	var out bytes.Buffer
	v := View{Evidence: fixed{}}
	require.NoError(t, TableJSON(&out, TableQuery{Device: n.Devices().At(0)}, v))
	var doc struct {
		Device string
		Tables []struct {
			Table, Family string
			Best          string `json:"best-preference"`
			Routes        []map[string]any
		}
	}
	require.NoError(t, json.Unmarshal(out.Bytes(), &doc))
	require.Equal(t, "lowest", doc.Tables[0].Best)
	r := doc.Tables[0].Routes
	require.Len(t, r, 3)
	require.Nil(t, r[0]["route-preference"], "what the capture does not show is null")
	require.Equal(
		t,
		map[string]any{
			"destination-prefix": "10.2.0.0/16",
			"source-protocol":    "ospf",
			"subtype":            "inter-area",
			"route-preference":   110.0,
			"metric":             20.0,
			"active":             true,
			"installed":          true,
			"special-next-hop":   nil,
			"next-hops": []any{
				map[string]any{"next-hop-address": "10.1.0.9", "outgoing-interface": "e0", "weight": 1.0},
			},
			"evidence": map[string]any{"file": "a\x1b[2J.txt", "line": 2.0},
		},
		r[1],
	)
	require.Equal(t, "blackhole", r[2]["special-next-hop"])
}

// TestEveryReasonHasWords walks small networks into every kind of ending and reads what is said of it.
func TestEveryReasonHasWords(t *testing.T) {
	const base = "a: direct 10.1.0.0/24 dev lan\na: addr 10.1.0.1/24 lan\na: direct 10.0.0.0/24 dev e0\na: addr 10.0.0.1/24 e0\nb: direct 10.0.0.0/24 dev f0\n"
	for _, tt := range []struct{ in, dst, want string }{
		{"c: direct 10.1.0.4/30 dev f9\nc: addr 10.1.0.6/30 f9\nc: forwarding ipv4 off", "10.9.0.1", "no capture shows the gateway that 10.1.0.5 uses: c is on its network and does not forward IPv4"},
		{"", "10.9.0.1", "at a: it has no route to 10.9.0.1"},
		{"a: static 10.9.0.0/16 blackhole", "10.9.0.1", "at a: it discards it silently by its static route 10.9.0.0/16"},
		{"a: static 10.9.0.0/16 prohibit", "10.9.0.1", "at a: it refuses it by its static route 10.9.0.0/16 and tells the sender"},
		{"a: static 10.9.0.0/16 via 10.7.0.1", "10.9.0.1", "at a: its route 10.9.0.0/16 points to 10.7.0.1, which cannot be resolved: no route covers 10.7.0.1"},
		{"a: static 10.9.0.0/16", "10.9.0.1", "at a: its route 10.9.0.0/16 shows no next hop that can be used"},
		{"a: static 10.9.0.0/16 via 10.0.0.9 dev e0", "10.9.0.1", "a hands it to 10.0.0.9 by e0, and no capture shows who has that address"},
		{"a: static 10.9.0.0/16 via 10.0.0.9 dev e0\na: neigh 10.0.0.9 e0 failed", "10.9.0.1", "it hands it to 10.0.0.9 by e0, and nobody answered for that next hop"},
		{"a: static 10.9.0.0/16 via 10.0.0.9 dev e0\na: neigh 10.0.0.9 e0 alive\nb: addr 10.0.0.3/24 f0", "10.9.0.1", "it hands it to 10.0.0.9 by e0, which is no captured device"},
		{"a: static 10.9.0.0/16 via 10.0.0.2 dev e0\nb: addr 10.0.0.2/24 f0\nb: link f0 down", "10.9.0.1", "10.0.0.2 belongs to b, whose interface f0 is down"},
		{"a: static 10.9.0.0/16 via 10.0.0.2 dev e0\na: link e0 down", "10.9.0.1", "at a: it would send it out of e0, which is down"},
		{"a: static 10.9.0.0/16 via 10.5.0.2 dev e0\nb: addr 10.5.0.2/24 f5\nb: direct 10.5.0.0/24 dev f5", "10.9.0.1", "that address is on f5 of b, and whether that one answers for it on the link is not known"},
		{"a: static 10.9.0.0/16 via 10.5.0.2 dev e0\nc: addr 10.5.0.2/24 f5\nc: direct 10.5.0.0/24 dev f5", "10.9.0.1", "that address is on f5 of c, which is not on that link"},
		{"a: addr 10.0.0.1/30 e0\na: direct 10.0.0.0/30 dev e0\na: direct 10.0.0.0/30 dev e1 in red\na: static 10.9.0.0/16 via 10.0.0.2 dev e0\nb: addr 10.0.0.2/30 f0\nb: direct 10.0.0.0/30 dev f0", "10.9.0.1", "VRFs may use that address more than once: who has it on that link is not known"},
		{"a: static 10.9.0.0/16 via 10.0.0.2 dev e0\nb: addr 10.0.0.2/24 f0\nc: direct 10.0.0.0/24 dev g0\nc: addr 10.0.0.2/24 g0", "10.9.0.1", "several captured interfaces have that address"},
		{"a: static 10.9.0.0/16 via 10.0.0.2 dev e0\nb: addr 10.0.0.2/24 f0\na: neigh 10.0.0.2 e0 failed", "10.9.0.1", "which is b's address; but a's neighbour entry says that nobody answered"},
		{"a: static 10.9.0.0/16 dev e0", "10.9.0.1", "a sends it straight out of e0 by a route without a next hop: somebody there must answer for 10.9.0.1"},
		{"a: static 10.9.0.0/16 via 10.0.0.2 dev e0 rejected", "10.9.0.1", "a chose 10.9.0.0/16, but its forwarding table did not take it"},
		{"a: forwarding ipv4 off", "10.0.0.9", "at a: it does not forward IPv4 at all"},
		{"a: kernel 10.0.0.255/32 broadcast dev e0", "10.0.0.255", "10.0.0.255 is a broadcast address there"},
		{"a: rule 1 undecided table default", "10.0.0.9", "one of a's policy rules asks for something that captures do not show"},
		{"a: cut", "10.9.0.1", "the capture of a's table is cut off before 10.9.0.1"},
		{"a: direct 10.9.0.0/16 dev e9\na: neigh 10.9.0.1 e9 failed", "10.9.0.1", "nobody answered for 10.9.0.1 on e9 of a"},
	} {
		n := coretest.Build(base + tt.in)
		var out bytes.Buffer
		require.NoError(
			t,
			TraceText(
				&out,
				TraceView{RoundTrip: forward.NewWalker(topology.Build(n)).
					Trace(netip.MustParseAddr("10.1.0.5"), netip.MustParseAddr(tt.dst))},
				View{Evidence: fixed{}},
			),
		)
		first, _, _ := strings.Cut(out.String(), "\n")
		require.Contains(t, first, tt.want, tt.in)
		require.NotContains(t, out.String(), "no reason is known")
	}
}

// TestNothingUnseenInJSONAndCSV: what no eye sees and what a terminal obeys is escaped in the forms for machines too,
// and JSON says the same as before.
func TestNothingUnseenInJSONAndCSV(t *testing.T) {
	name := "mast\x7f\u0085\u202e7\u200b\U000e0041\x1b[31m é"
	var b bytes.Buffer
	require.NoError(t, writeJSON(&b, map[string]string{"device": name}))
	require.Equal(t, "{\n \"device\": \"mast\\u007f\\u0085\\u202e7\\u200b\\udb40\\udc41\\u001b[31m é\"\n}\n", b.String())
	var back map[string]string
	require.NoError(t, json.Unmarshal(b.Bytes(), &back))
	require.Equal(t, name, back["device"])
	require.Equal(t, `mast\x7f\u0085\u202e7\u200b\U000e0041\x1b[31m é`, defuse(name))
	require.Equal(t, "'=1+1", defuse("=1+1"))

	n := coretest.Build("a: direct 10.0.0.0/24 dev e\u202e0\x7f")
	for form := range forms {
		b.Reset()
		require.NoError(t, forms[form](&b, TableQuery{n.Device("a"), network.Filter{All: true}}, View{Evidence: fixed{}}))
		require.NotContains(t, b.String(), "\u202e", form)
		require.NotContains(t, b.String(), "\x7f", form)
		require.NotContains(t, b.String(), "\x1b", form)
	}
}
