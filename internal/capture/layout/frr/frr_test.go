package frr

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

var jsonTests = []struct {
	name, in string
	want     []string
	unread   []string
}{
	{"a chosen route and a candidate that keeps an old mark", `{
  "10.61.16.0/24":[
    {"prefix":"10.61.16.0/24","protocol":"ospf","vrfName":"default","selected":true,"distance":110,"metric":20,"installed":true,"table":254,
     "nexthops":[{"fib":true,"ip":"172.28.61.2","interfaceName":"wan0","active":true,"weight":1}]},
    {"prefix":"10.61.16.0/24","protocol":"static","vrfName":"default","distance":130,"metric":0,"table":254,
     "nexthops":[{"fib":true,"ip":"172.28.61.22","interfaceName":"wan1","active":true,"weight":1}]}
  ]
}
`, []string{"3 10.61.16.0/24 ospf 110/20 via 172.28.61.2 dev wan0 *: active installed", "5 10.61.16.0/24 static 130/0 via 172.28.61.22 dev wan1"}, nil},
	{
		"attached, discarded, refused, recursive, inactive",
		`{"10.1.0.0/24":[{"prefix":"10.1.0.0/24","protocol":"connected","selected":true,"installed":true,"distance":0,"metric":0,"nexthops":[{"fib":true,"directlyConnected":true,"interfaceName":"e0","active":true}]}],
"10.2.0.0/16":[{"prefix":"10.2.0.0/16","protocol":"static","selected":true,"installed":true,"distance":1,"metric":0,"nexthops":[{"unreachable":true,"blackhole":true,"active":true}]}],
"10.3.0.0/16":[{"prefix":"10.3.0.0/16","protocol":"static","selected":true,"installed":true,"distance":1,"metric":0,"nexthops":[{"unreachable":true,"reject":true,"active":true}]}],
"10.4.0.0/16":[{"prefix":"10.4.0.0/16","protocol":"bgp","selected":true,"installed":true,"distance":200,"metric":0,"nexthops":[{"ip":"10.9.9.4","recursive":true,"active":true},{"fib":true,"ip":"10.1.0.2","interfaceName":"e0","active":true,"resolver":true}]}],
"10.5.0.0/16":[{"prefix":"10.5.0.0/16","protocol":"static","selected":true,"queued":true,"distance":1,"metric":0,"nexthops":[{"ip":"10.1.0.9","interfaceName":"e0"}]}]}`,
		[]string{
			"1 10.1.0.0/24 direct -/- dev e0 *: active installed",
			"2 10.2.0.0/16 static 1/0 blackhole: active installed",
			"3 10.3.0.0/16 static 1/0 unreachable: active installed",
			"4 10.4.0.0/16 bgp 200/0 via 10.9.9.4 recursive via 10.1.0.2 dev e0 resolves *: active installed",
			"5 10.5.0.0/16 static 1/0 via 10.1.0.9 dev e0 inactive: active rejected",
		},
		nil,
	},
	{
		"several documents, tables by name and by number, IPv6",
		`{"default":{"::/0":[{"prefix":"::/0","protocol":"ospf6","vrfName":"default","selected":true,"installed":true,"nexthops":[{"fib":true,"ip":"fe80::1","interfaceName":"e0","active":true}]}]},
"yard":{"10.7.0.0/16":[{"prefix":"10.7.0.0/16","protocol":"static","selected":true,"installed":true,"nexthops":[{"fib":true,"ip":"10.1.0.2","interfaceName":"e0","active":true}]}]}}
{"10.8.0.0/16":[{"prefix":"10.8.0.0/16","protocol":"kernel","vrfName":"default","table":77,"selected":true,"installed":true,"nexthops":[{"fib":true,"interfaceName":"e0","active":true}]}]}
{}`,
		[]string{
			"1 ::/0 ospf -/- via fe80::1 dev e0 *: active installed",
			"2 (yard) 10.7.0.0/16 static -/- via 10.1.0.2 dev e0 *: active installed",
			"3 (77) 10.8.0.0/16 kernel -/- dev e0 *: active installed",
		},
		nil,
	},
	{"what is beside the prefixes is left unread", `{"version":7,
"10.61.16.0/24":[{"prefix":"10.61.16.0/24","protocol":"connected","selected":true,"installed":true,"nexthops":[{"fib":true,"directlyConnected":true,"interfaceName":"e0","active":true}]}]}`,
		[]string{"2 10.61.16.0/24 direct -/- dev e0 *: active installed"}, []string{"1 an object that is no route"}},
	{"bad objects cost themselves", `{"10.1.0.0/33":[{"prefix":"10.1.0.0/33","protocol":"static"}],
"10.2.0.0/16":[{"prefix":"10.2.0.0/16","protocol":"static","distance":-1}],
"x":[{"colour":"red"}],
"10.4.0.0/16":[{"prefix":"10.4.0.0/16","protocol":"static","nexthops":[{"ip":"10.1.0.300"}]}]}`, nil,
		[]string{
			`1 prefix length out of range: "10.1.0.0/33"`,
			`2 not a number in range: number -1 in "distance"`,
			"3 an object that is no route",
			`4 not an address: "10.1.0.300"`,
		}},
}

func TestReadJSON(t *testing.T) {
	for _, tt := range jsonTests {
		t.Run(tt.name, func(t *testing.T) {
			in := []byte(tt.in)
			r := layouttest.Laws(t, ReadJSON, in)
			require.Equal(t, tt.want, layouttest.Words(in, r))
			require.Equal(t, tt.unread, layouttest.Unread(in, r))
			layouttest.Variants(t, ReadJSON, tt.in)
			require.Positive(t, recogniseJSON(in))
		})
	}
}

func TestCutOffJSON(t *testing.T) {
	in := jsonTests[0].in
	r := layouttest.Laws(t, ReadJSON, []byte(in[:len(in)-60]))
	require.Equal(t, 1, r.Routes())
	require.True(t, r.Facts.Tables[0].Cut)
	require.ErrorIs(t, r.Unread[0].Reason, layout.ErrCut)
}

const brief = `Interface       Status  VRF             Addresses
---------       ------  ---             ---------
desk0           up      default         10.61.0.1/24
                                        + fd6b::1/64
lo              up      default         10.61.254.1/32
wan1            down    default         

IP forwarding is on
IPv6 forwarding is off
IP forwarding is maybe
`

func TestReadText(t *testing.T) {
	in := []byte(brief)
	r := layouttest.Laws(t, ReadText, in)
	var got []string
	for _, i := range r.Facts.Interfaces {
		got = append(got, fmt.Sprint(i.Name, " ", i.State))
	}
	for _, a := range r.Facts.Addresses {
		got = append(got, a.Interface+" "+a.Prefix.String())
	}
	for _, s := range r.Facts.Forwarding {
		got = append(got, fmt.Sprint(s.Family, " ", s.On))
	}
	require.Equal(
		t,
		[]string{
			"desk0 1",
			"lo 1",
			"wan1 2",
			"desk0 10.61.0.1/24",
			"desk0 fd6b::1/64",
			"lo 10.61.254.1/32",
			"ipv4 true",
			"ipv6 false",
		},
		got,
	)
	require.Equal(t, []string{"10 not in the form of this layout"}, layouttest.Unread(in, r))
	require.Positive(t, recogniseText(in))
	layouttest.Variants(t, ReadText, brief)
}

func FuzzReadJSON(f *testing.F) {
	for _, tt := range jsonTests {
		f.Add([]byte(tt.in))
	}
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadJSON, in) })
}

func FuzzReadText(f *testing.F) {
	f.Add([]byte(brief))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadText, in) })
}

// TestWhatTheHardwareDidNotTake: a chosen route that the kernel has and the hardware has not is not in use for certain.
func TestWhatTheHardwareDidNotTake(t *testing.T) {
	in := []byte(`{"10.61.32.0/24":[{"prefix":"10.61.32.0/24","protocol":"bgp","selected":true,"distance":20,"metric":0,"installed":true,` +
		`"offloadFailed":true,"nexthops":[{"fib":true,"ip":"172.28.61.6","afi":"ipv4","interfaceName":"line1","active":true}]}]}`)
	got := layouttest.Words(in, ReadJSON(in))
	require.Len(t, got, 1)
	require.Contains(t, got[0], ": active rejected")
}

// TestRowsOfALargeTableSayWhatTheySayAlone: what objects have in common is read once.
func TestRowsOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	for _, prefix := range []func(int) string{layouttest.IPv4, layouttest.IPv6} {
		layouttest.Alone(t, ReadJSON, "{", ",\n", "}\n", layouttest.Rows(4000, prefix,
			`"<P>":[{"prefix":"<P>","prefixLen":24,"protocol":"ospf","selected":true,"distance":110,"metric":<M>,"installed":true,"uptime":"00:01:02","nexthops":[{"ip":"10.0.0.1","interfaceName":"e0","active":true,"fib":true,"metric":7}]}]`,
			`"<P>":[{"prefix":"<P>","protocol":"ospf","metric":<M>,"vrfName":"hall","nexthops":[{"ip":"10.0.0.1","interfaceName":"e0","active":true}]}]`,
			`"<P>":[{"prefix":"<P>","protocol":"ospf","metric":<M>,"nexthops":[{"ip":"10.0.0.2","interfaceName":"e\"0","active":true}]},{"prefix":"<P>","protocol":"static","metric":<M>,"selected":true,"queued":true,"nexthops":[{"blackhole":true,"active":true}]}]`,
			`"<P>":[{"prefix":"<P>","protocol":"connected","metric":<M>,"selected":true,"installed":true,"nexthops":[{"interfaceName":"e0","active":true,"fib":true}]}]`,
			`"<P>":[{"prefix":"<P>","protocol":"connected","metric":<M>,"selected":true,"installed":true,"nexthops":[{"active":true,"fib":true}]}]`,
			`"<P>":[{"prefix":"<P>","protocol":"rip","metric":<M>.5,"nexthops":[{"ip":"10.0.0.3","active":true}]}]`,
			`"<P>":[{"prefix":"<P>","protocol":"rip","metric":<M>,"metric":3,"nexthops":[{"ip":"10.0.0.4","active":true}]}]`,
			`"<P>":[{"prefix":"<P>x","protocol":"rip","metric":<M>,"nexthops":[{"ip":"10.0.0.4","active":true}]}]`,
			`"<P>":[{"protocol":"rip","metric":<M>,"nexthops":[{"ip":"10.0.0.4","active":true}]}]`,
			`"<P>":[{ "protocol" : "rip" , "metric" : <M> , "prefix" : "<P>" , "nexthops" : [ { "ip":"10.0.0.4", "prefix": "<P>", "active":true } ] } ]`,
			`"<P>":[{"prefix":"<P>","protocol":"rip","metric":"<M>","nexthops":[{"ip":"10.0.0.5","active":true}]}]`,
		))
	}
}

// TestBlanks: members that are passed by say what they would say one by one, in damaged documents too.
func TestBlanks(t *testing.T) {
	layouttest.Blanks(t, ReadJSON, "{", "}\n", layouttest.Rows(120, layouttest.IPv4,
		`"<P>":[{"prefix":"<P>","protocol":"ospf","selected":true,"metric":<M>,"nexthops":[{"ip":"10.0.0.1","interfaceName":"e0","active":true}]}]`,
		`"<P>":[{"prefix":"<P>","protocol":"ospf","selected":true,"metric":<M>,"nexthops":[{"ip":"10.0.0.2","interfaceName":"e0","active":true}]}]`,
		`"<P>":[{"prefix":"<P>","protocol":"ospf","selected":true,"metric":<M>,"nexthops":[{"ip":"10.0.0.1","interfaceName":"e0","active":true}]}]`,
	))
}
