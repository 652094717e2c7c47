package iproute

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

var readTests = []struct {
	name, in string
	want     []string
	unread   []string
}{
	{
		"routes of the main table",
		`[{"dst":"default","gateway":"10.61.0.254","dev":"desk0","protocol":"static","metric":20,"flags":[]},
{"dst":"10.61.0.0/24","dev":"desk0","protocol":"kernel","scope":"link","prefsrc":"10.61.0.1","flags":[]},
{"dst":"10.61.254.2","gateway":"172.28.61.2","dev":"wan0","protocol":"ospf","metric":20,"flags":[]}]
`,
		[]string{
			"1 0.0.0.0/0 static -/20 via 10.61.0.254 dev desk0",
			"2 10.61.0.0/24 direct -/- dev desk0",
			"3 10.61.254.2/32 ospf -/20 via 172.28.61.2 dev wan0",
		},
		nil,
	},
	{
		"local, anycast and broadcast routes; other tables; tables by number",
		`[{"type":"local","dst":"10.61.0.1","dev":"desk0","table":"local","protocol":"kernel","scope":"host","prefsrc":"10.61.0.1","flags":[]},
{"type":"broadcast","dst":"10.61.0.255","dev":"desk0","table":"local","protocol":"kernel","scope":"link","flags":[]},
{"type":"anycast","dst":"fd6b::","dev":"desk0","table":255,"protocol":"kernel","metric":0,"flags":[],"pref":"medium"},
{"dst":"10.9.0.0/16","gateway":"10.61.0.9","dev":"desk0","table":"100","flags":[]},
{"dst":"10.9.0.0/16","gateway":"10.61.0.8","dev":"desk0","table":254,"protocol":186,"flags":[]}]`,
		[]string{
			"1 10.61.0.1/32 local -/- receive dev desk0",
			"2 10.61.0.255/32 kernel -/- broadcast dev desk0",
			"5 10.9.0.0/16 bgp -/- via 10.61.0.8 dev desk0",
			"3 fd6b::/128 local -/0 receive dev desk0",
			"4 (100) 10.9.0.0/16 static -/- via 10.61.0.9 dev desk0",
		},
		nil,
	},
	{
		"several next hops, dead ones, next hops of the other family",
		`[{"dst":"10.9.0.0/16","protocol":"static","flags":[],"nexthops":[{"gateway":"10.61.0.9","dev":"d0","weight":3,"flags":[]},{"gateway":"10.62.0.9","dev":"d1","weight":1,"flags":["dead","linkdown"]}]},
{"dst":"10.8.0.0/16","via":{"family":"inet6","host":"fe80::9"},"dev":"d0","flags":["onlink"]},
{"dst":"10.7.0.0/16","gateway":"10.61.0.9","dev":"d0","flags":["dead","linkdown"]}]`,
		[]string{
			"1 10.9.0.0/16 static -/- via 10.61.0.9 dev d0 weight 3 via 10.62.0.9 dev d1 inactive down",
			"2 10.8.0.0/16 static -/- via fe80::9 dev d0 onlink",
			"3 10.7.0.0/16 static -/- via 10.61.0.9 dev d0 inactive down: unusable",
		},
		nil,
	},
	{
		"special types",
		`[{"type":"blackhole","dst":"10.61.40.0/21","protocol":"static","metric":20,"flags":[]},{"type":"unreachable","dst":"fd6b:1::/48","dev":"lo","metric":1024,"flags":[],"pref":"medium"},{"type":"prohibit","dst":"10.62.0.0/16","flags":[]},{"type":"throw","dst":"10.63.0.0/16","flags":[]}]`,
		[]string{
			"1 10.61.40.0/21 static -/20 blackhole",
			"1 10.62.0.0/16 static -/- prohibit",
			"1 10.63.0.0/16 static -/- throw",
			"1 fd6b:1::/48 static -/1024 unreachable",
		},
		nil,
	},
	{
		"a default route's family by its own sign, else by its neighbours",
		`[{"dst":"default","dev":"t0","metric":5,"flags":[],"pref":"medium"},{"dst":"default","dev":"t1","scope":"link","flags":[]}]
[{"type":"blackhole","dst":"default","flags":[]},{"dst":"10.0.0.0/8","dev":"t0","scope":"link","flags":[]}]`,
		[]string{
			"1 ::/0 static -/5 dev t0",
			"1 0.0.0.0/0 static -/- dev t1",
			"2 0.0.0.0/0 static -/- blackhole",
			"2 10.0.0.0/8 static -/- dev t0",
		},
		nil,
	},
	{
		"a default route of no family at all",
		`[{"type":"unreachable","dst":"default","flags":[]}]`,
		nil,
		[]string{"1 a default route that could be of either family"},
	},
	{"a bad object costs itself only", `[
{"dst":"10.1.0.0/33","dev":"d0","flags":[]},
{"dst":"10.2.0.0/16","gateway":"10.0.0.300","dev":"d0","flags":[]},
{"dst":"10.3.0.0/16","dev":"d0","metric":-7,"flags":[]},
{"dst":"10.4.0.0/16","dev":"d0","metric":9999999999,"flags":[]},
{"type":"wormhole","dst":"10.5.0.0/16","flags":[]},
{"colour":"red"}, 17,
{"dst":"10.6.0.0/16","dev":"d0","flags":[]}
]`, []string{"5 10.4.0.0/16 static -/9999999999 dev d0", "8 10.6.0.0/16 static -/- dev d0"},
		[]string{
			`2 prefix length out of range: "10.1.0.0/33"`,
			`3 not an address: "10.0.0.300"`,
			`4 not a number in range: number -7 in "metric"`,
			`6 not in the form of this layout: route type "wormhole"`,
			"7 an object that is no route, address, neighbour or rule (and 1 more objects on this line)",
		}},
	{"an empty answer", "[]\n[ ]\n[{},{}]\n", nil, nil},
}

func TestRead(t *testing.T) {
	for _, tt := range readTests {
		t.Run(tt.name, func(t *testing.T) {
			in := []byte(tt.in)
			r := layouttest.Laws(t, Read, in)
			require.Equal(t, tt.want, layouttest.Words(in, r))
			require.Equal(t, tt.unread, layouttest.Unread(in, r))
			layouttest.Variants(t, Read, tt.in)
			require.Positive(t, recognise(in))
		})
	}
}

func TestCutOffJSONKeepsWhatWasWhole(t *testing.T) {
	in := []byte(`[{"dst":"10.1.0.0/16","dev":"d0","flags":[]},
{"dst":"10.2.0.0/16","de`)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"1 10.1.0.0/16 static -/- dev d0"}, layouttest.Words(in, r))
	require.True(t, r.Facts.Tables[0].Cut)
	require.ErrorIs(t, r.Unread[0].Reason, layout.ErrCut)
}

func TestDeepNestingIsLeftUnread(t *testing.T) {
	in := []byte(
		`[{"dst":"10.1.0.0/16","dev":"d0","x":` + strings.Repeat("[", 20000) + strings.Repeat("]", 20000) + "}]",
	)
	require.NotEmpty(t, layouttest.Laws(t, Read, in).Unread)
}

func TestLinksAndAddresses(t *testing.T) {
	in := []byte(
		`[{"ifname":"eth0@if2","flags":["BROADCAST","UP","LOWER_UP"],"operstate":"UP","address":"02:6B:6A:00:00:01","addr_info":[{"family":"inet","local":"10.61.0.1","prefixlen":24},
{"family":"inet","local":"10.99.0.1","address":"10.99.0.2","prefixlen":32},{"family":"inet6","local":"fd6b::1","prefixlen":64,"dadfailed":true},{}]},
{"ifname":"eth1","flags":["BROADCAST"],"operstate":"DOWN","addr_info":[{"family":"inet","local":"10.62.0.1","prefixlen":24}]},
{"ifname":"eth2","flags":["NO-CARRIER","UP"],"operstate":"DOWN"}, {"ifname":"lo","flags":["LOOPBACK","UP"],"operstate":"UNKNOWN"}]`,
	)
	f := layouttest.Laws(t, Read, in).Facts
	var got []string
	for _, a := range f.Addresses {
		got = append(got, a.Interface+" "+a.Prefix.String()+" "+string(in[a.Mark.Off:a.Mark.End])[:19])
	}
	require.Equal(
		t,
		[]string{
			`eth0 10.61.0.1/24 {"family":"inet","l`,
			`eth0 10.99.0.1/32 {"family":"inet","l`,
			`eth1 10.62.0.1/24 {"family":"inet","l`,
		},
		got,
	)
	var links []string
	for _, i := range f.Interfaces {
		links = append(links, fmt.Sprint(i.Name, i.State, i.MAC))
	}
	require.Equal(
		t,
		[]string{
			fmt.Sprint("eth0", network.LinkUp, "02:6b:6a:00:00:01"),
			fmt.Sprint("eth1", network.LinkDown),
			fmt.Sprint("eth2", network.LinkDown),
			fmt.Sprint("lo", network.LinkUp),
		},
		links,
	)
}

func TestNeighbours(t *testing.T) {
	in := []byte(
		`[{"dst":"10.61.0.31","dev":"desk0","lladdr":"02:AA","state":["STALE"]},{"dst":"10.61.0.254","dev":"desk0","state":["FAILED"]},{"dst":"fe80::9","dev":"desk0","state":["INCOMPLETE"]},{"dst":"10.61.0.32","dev":"desk0","lladdr":"02:ab","state":["PERMANENT"]}]`,
	)
	var got []string
	for _, n := range layouttest.Laws(t, Read, in).Facts.Neighbours {
		require.Equal(t, n.MAC == "02:ab", n.Written)
		got = append(got, fmt.Sprint(n.Address, " ", n.State, " ", n.MAC))
	}
	require.Equal(
		t,
		[]string{
			fmt.Sprint("10.61.0.31 ", network.NeighbourAlive, " 02:aa"),
			fmt.Sprint("10.61.0.254 ", network.NeighbourFailed, " "),
			fmt.Sprint("fe80::9 ", network.NeighbourPending, " "),
			fmt.Sprint("10.61.0.32 ", network.NeighbourAlive, " 02:ab"),
		},
		got,
	)
}

func TestRules(t *testing.T) {
	in := []byte(
		`[{"priority":0,"src":"all","table":"local"},{"priority":100,"src":"10.9.0.0","srclen":16,"table":"100"},{"priority":101,"src":"all","dst":"10.8.0.0","dstlen":16,"iif":"d0","table":200},
{"priority":102,"src":"all","fwmark":"0x5","table":"100"},{"priority":103,"src":"10.7.0.1","action":"blackhole"},{"priority":105,"not":null,"src":"10.6.0.0","srclen":16,"table":"100"},
{"priority":108,"src":"all","goto":32766},{"priority":109,"src":"all","ipproto":"6","sport_start":9,"sport_end":10,"dport":443,"table":"100"},
{"priority":110,"src":"all","fwmark":"0x2","fwmask":"0xff","table":"main","suppress_prefixlen":0},{"priority":111,"src":"all","oif":"d0","table":"100"},{"priority":112,"src":"all","nop":null},{"priority":113,"src":"10.5.0.0","srclen":16,"action":"7"},{"priority":32766,"src":"all","table":"main"}]`,
	)
	require.Equal(t, []string{
		"100 from 10.9.0.0/16 table 100", "101 to 10.8.0.0/16 iif d0 table 200", "102 mark 0x5/0xffffffff table 100", "103 from 10.7.0.1/32 action 1",
		"105 not from 10.6.0.0/16 table 100", "108 action 4", "109 proto tcp sport 9-10 dport 443-443 table 100", "110 mark 0x2/0xff suppress 1 table default",
		"111 undecided table 100", "112 table ", "113 from 10.5.0.0/16 action 2", "32766 table default",
	}, rulesOf(layouttest.Laws(t, Read, in)))
}

// rulesOf words the rules of a reading.
func rulesOf(reading layout.Reading) (out []string) {
	for _, r := range reading.Facts.Rules {
		s := fmt.Sprint(r.Priority)
		add := func(yes bool, format string, args ...any) {
			if yes {
				s += fmt.Sprintf(" "+format, args...)
			}
		}
		add(r.Not, "not")
		add(r.From.IsValid(), "from %v", r.From)
		add(r.To.IsValid(), "to %v", r.To)
		add(r.Ingress != "", "iif %s", r.Ingress)
		add(r.Protocol != "", "proto %s", r.Protocol)
		add(!r.FromPorts.Any(), "sport %d-%d", r.FromPorts.Lo, r.FromPorts.Hi)
		add(!r.ToPorts.Any(), "dport %d-%d", r.ToPorts.Lo, r.ToPorts.Hi)
		add(r.FWMark != network.FWMark{}, "mark %#x/%#x", r.FWMark.Value, r.FWMark.Mask)
		add(r.Suppress > 0, "suppress %d", r.Suppress)
		add(r.Undecided, "undecided")
		add(r.Action != network.RuleLookup, "action %d", r.Action)
		add(r.Action == network.RuleLookup, "table %s", r.Table)
		out = append(out, s)
	}
	return out
}

func TestOtherTextIsNotRecognised(t *testing.T) {
	for _, in := range []string{"", "{}", "[1,2]", `{"::/0":[{"prefix":"::/0"}]}`, "default via 10.0.0.1 dev eth0\n", "[hello]"} {
		require.Zero(t, recognise([]byte(in)), in)
	}
}

func FuzzRead(f *testing.F) {
	for _, tt := range readTests {
		f.Add([]byte(tt.in))
	}
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}

// TestRulesThatRefuse are told from those that look up.
func TestRulesThatRefuse(t *testing.T) {
	in := []byte(`[{"priority":0,"src":"all","table":"local"},{"priority":9,"src":"all","table":"main"},{"priority":10,"src":"all","action":"prohibit"},{"priority":20,"src":"all","action":"unreachable"},{"priority":30,"src":"all","action":"blackhole"}]`)
	var got []network.RuleAction
	for _, r := range Read(in).Facts.Rules {
		got = append(got, r.Action)
	}
	require.Equal(t, []network.RuleAction{network.RuleLookup, network.RuleProhibit, network.RuleUnreachable, network.RuleBlackhole}, got)
}

// TestAddressesThatAreWrong: an address without its length, or with one that it cannot have, is unread.
func TestAddressesThatAreWrong(t *testing.T) {
	for _, addr := range []string{`"local":"10.61.0.1"`, `"local":"10.61.0.1","prefixlen":33`, `"local":"10.61.0.1","prefixlen":-1`, `"local":"10.61.0.300","prefixlen":0`} {
		in := []byte(`[{"ifname":"eth0","flags":["UP","LOWER_UP"],"addr_info":[{"family":"inet",` + addr + `}]}]`)
		r := layouttest.Laws(t, Read, in)
		require.Empty(t, r.Facts.Addresses, addr)
		require.Len(t, r.Unread, 1, addr)
	}
}

// TestAListingPrintedAnew: a kernel has one IPv4 route for a prefix and metric by a gateway, so that another one begins
// a listing of another moment. Attached networks may stand there once an interface, IPv6 routes once a next hop, and
// the same line twice is one.
func TestAListingPrintedAnew(t *testing.T) {
	for text, tables := range map[string]int{
		"default via 10.61.0.1 dev e0\n10.61.0.0/24 dev e0 scope link\ndefault via 10.61.0.2 dev e0\n10.61.0.0/24 dev e0 scope link\n":               2,
		"default via 10.61.0.1 dev e0\n10.61.0.0/24 dev e0 scope link\ndefault via 10.61.0.1 dev e0\n":                                               1,
		"default via 10.61.0.1 dev e0 metric 100\ndefault via 10.62.0.1 dev e1 metric 200\n":                                                         1,
		"10.61.0.0/24 dev e0 proto kernel scope link src 10.61.0.4\n10.61.0.0/24 dev e1 proto kernel scope link src 10.61.0.5\n":                     1,
		"fd6b:32::/64 via fe80::1 dev e0 metric 1024 pref medium\nfd6b:32::/64 via fe80::2 dev e0 metric 1024 pref medium\n":                         1,
		"10.62.0.0/16 via 10.61.0.1 dev e0\n10.63.0.0/16 via 10.61.0.1 dev e0\nblackhole 10.62.0.0/16\n":                                             1,
		"default via 10.61.0.1 dev e0 table 7\ndefault via 10.61.0.2 dev e0 table 8\n":                                                               2, // of two names
		`[{"dst":"default","gateway":"10.61.0.1","dev":"e0","flags":[]}]` + "\n" + `[{"dst":"default","gateway":"10.61.0.2","dev":"e0","flags":[]}]`: 2,
	} {
		read := ReadText
		if text[0] == '[' {
			read = Read
		}
		require.Len(t, layouttest.Laws(t, read, []byte(text)).Facts.Tables, tables, text)
	}
}

// TestWhatTheHardwareMayLack: a route of which the kernel says that what forwards at speed did not take it leaves its row
// unread, as text and as JSON.
func TestWhatTheHardwareMayLack(t *testing.T) {
	for _, flag := range []string{"rt_offload_failed", "unresolved"} {
		text := "10.61.32.0/24 via 172.28.61.6 dev line1 proto bgp " + flag + "\n10.61.33.0/24 via 172.28.61.6 dev line1 proto bgp rt_offload\n"
		r := layouttest.Laws(t, ReadText, []byte(text))
		require.Equal(t, []string{"2 10.61.33.0/24 bgp -/- via 172.28.61.6 dev line1"}, layouttest.Words([]byte(text), r))
		require.Len(t, r.Unread, 1)
		r = Read([]byte(`[{"dst":"10.61.32.0/24","gateway":"172.28.61.6","dev":"line1","protocol":"bgp","flags":["` + flag + `"]}]`))
		require.Empty(t, layouttest.Words(nil, r))
		require.Len(t, r.Unread, 1)
	}
}

// TestRowsOfALargeTableSayWhatTheySayAlone: what rows have in common is read once.
func TestRowsOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	prefix := func(i int) string {
		if i%9 == 0 {
			return layouttest.IPv6(i)
		}
		return layouttest.IPv4(i)
	}
	objects := []string{
		`{"dst":"<P>","gateway":"10.61.0.9","dev":"d0","protocol":"ospf","metric":<M>,"flags":[]}`,
		`{"dst":"<P>","gateway":"10.61.0.8","dev":"d1","protocol":"bgp","metric":<M>,"flags":["linkdown"]}`,
		`{"dst":"<P>","dev":"d0","protocol":"kernel","scope":"link","metric":<M>,"flags":[]}`,
		`{"dst":"<P>","protocol":"kernel","scope":"link","flags":[]}`,
		`{"dst":"<P>","gateway":"10.61.0.9","dev":"d0","table":"<M>","flags":[]}`,
		`{"type":"blackhole","dst":"<P>","metric":<M>,"flags":[]}`,
		`{"dst":"<P>","gateway":"10.61.0.8","dev":"d1","metric":<M>,"flags":["dead"]}`,
		`{"dst": "<P>", "gateway": "10.61.0.9", "dev": "d0", "metric": <M>, "metric": 7}`,
		`{"dst": "<P>", "gateway": "10.61.0.7", "dev": "d0", "metric": <M>, "uid": 0}`,
	}
	layouttest.Alone(t, Read, "[", ",\n", "]\n", layouttest.Rows(20000, prefix, objects...))
	lines := []string{
		"<P> via 10.61.0.9 dev d0 proto ospf metric <M> ",
		"<P> via 10.61.0.9 dev d0 proto ospf metric <M> onlink",
		"<P> dev d1 proto kernel scope link metric <M>",
		"<P> dev d1 proto kernel scope link src 10.61.0.1 metric <M>",
		"<P> via 10.61.0.8 dev d1 metric <M> linkdown",
		"<P> via 10.61.0.8 dev d1 metric <M>x",
		"<P> via 10.61.0.8 dev d1 metric <M> metric 7",
		"<P> via 10.61.0.8 dev d1 table <M>",
		"<P> proto static metric <M>\n\tnexthop via 10.61.0.8 dev d0\n\tnexthop via 10.61.0.9 dev d1",
		"<P> via 10.61.0.8 dev d1\n    cache",
		"blackhole <P> metric <M>",
	}
	layouttest.Alone(t, ReadText, "", "\n", "\n", layouttest.Rows(20000, prefix, lines...))
}

// TestRoutesForSomePackets are left unread, and what was asked for one source tells nothing of others.
func TestRoutesForSomePackets(t *testing.T) {
	in := []byte(`[{"dst":"10.9.0.0/16","tos":"0x10","gateway":"10.0.0.2","dev":"t0","flags":[]},
{"dst":"default","from":"fd02::/48","gateway":"fd00::3","dev":"t0","metric":1024,"flags":[],"pref":"medium"},
{"dst":"10.8.0.0/16","gateway":"10.0.0.3","dev":"t0","flags":[]}]
[{"dst":"10.7.0.1","from":"10.1.0.9","dev":"t0","flags":[],"uid":0,"cache":[]},{"dst":"10.7.0.2","dev":"t0","flags":[],"uid":0,"cache":[]}]`)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"1 a route for some packets only, by their source or type of service",
		"2 a route for some packets only, by their source or type of service"}, layouttest.Unread(in, r))
	require.Equal(t, []string{"3 10.8.0.0/16 static -/- via 10.0.0.3 dev t0"}, layouttest.Words(in, r))
	require.Len(t, r.Facts.Answers, 1)
	require.Equal(t, "10.7.0.2", r.Facts.Answers[0].Address.String())
}
