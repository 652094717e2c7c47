package route

import (
	"fmt"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"
)

func listOf(prefixes ...string) *List {
	l := new(List)
	for i, p := range prefixes {
		l.AddRoute(
			Route{
				Prefix:     netip.MustParsePrefix(p),
				Attributes: &Attributes{Protocol: Static},
				Mark:       Mark{1, uint32(i), uint32(i + 1)},
			},
		)
	}
	l.Sort()
	return l
}

func TestSpanOfTheWholeSpace(t *testing.T) {
	r := listOf("0.0.0.0/0", "::/0", "fd61::/64", "fd61::1/128").Freeze()
	span := func(i int) string { a, b, c, d := r.Span(i); return fmt.Sprintf("%x %x %x %x", a, b, c, d) }
	require.Equal(t, "0 0 0 ffffffff", span(0))
	require.Equal(t, "0 0 ffffffffffffffff ffffffffffffffff", span(1))
	require.Equal(t, "fd61000000000000 0 fd61000000000000 ffffffffffffffff", span(2))
	require.Equal(t, "fd61000000000000 1 fd61000000000000 1", span(3))
}

func TestReplaceKeepsTheOrder(t *testing.T) {
	base := listOf("10.1.0.0/16", "10.2.0.0/16", "10.2.0.0/16", "10.3.0.0/16", "10.5.0.0/16").Freeze()
	one := []Route{{Attributes: &Attributes{Protocol: OSPF}, State: Active}}
	p := netip.MustParsePrefix
	for _, tt := range []struct {
		name string
		with []Replacement
		want []string
	}{
		{"one for two", []Replacement{{p("10.2.0.0/16"), one}}, []string{"10.1.0.0/16", "10.2.0.0/16 ospf", "10.3.0.0/16", "10.5.0.0/16"}},
		{"two neighbours gone", []Replacement{{p("10.2.0.0/16"), nil}, {p("10.3.0.0/16"), nil}}, []string{"10.1.0.0/16", "10.5.0.0/16"}},
		{"two new ones at one place", []Replacement{{p("10.4.0.0/16"), one}, {p("10.4.4.0/24"), one}},
			[]string{"10.1.0.0/16", "10.2.0.0/16", "10.2.0.0/16", "10.3.0.0/16", "10.4.0.0/16 ospf", "10.4.4.0/24 ospf", "10.5.0.0/16"}},
		{"in front, at the end, and the last gone", []Replacement{{p("10.0.0.0/8"), one}, {p("10.5.0.0/16"), nil}, {p("10.6.0.0/16"), one}},
			[]string{"10.0.0.0/8 ospf", "10.1.0.0/16", "10.2.0.0/16", "10.2.0.0/16", "10.3.0.0/16", "10.6.0.0/16 ospf"}},
		{"all gone", []Replacement{{p("10.1.0.0/16"), nil}, {p("10.2.0.0/16"), nil}, {p("10.3.0.0/16"), nil}, {p("10.5.0.0/16"), nil}}, nil},
	} {
		t.Run(tt.name, func(t *testing.T) {
			r := base.Replace(tt.with)
			var got []string
			for i := range r.Len() {
				x := r.At(i)
				s := x.Prefix.String()
				in, from := r.InList(i)
				if x.Protocol == OSPF {
					require.False(t, from)
					s += " ospf"
				} else {
					require.True(t, from)
					require.Equal(t, base.At(in).Mark, x.Mark)
					require.Equal(t, i, r.FromList(in))
				}
				at, found := r.Find(x.Prefix, r.Len())
				require.True(t, found)
				require.LessOrEqual(t, at, i)
				got = append(got, s)
			}
			require.Equal(t, tt.want, got)
			require.Equal(t, 5, base.Len())
		})
	}
}

func TestBabelIsLearnedFromANeighbour(t *testing.T) {
	for p := Other; p <= Aggregate; p++ {
		learned := map[Protocol]bool{
			RIP:   true,
			RIPng: true,
			OSPF:  true,
			ISIS:  true,
			EIGRP: true,
			BGP:   true,
			Babel: true,
		}
		require.Equal(t, learned[p], p.Dynamic(), p)
	}
}

// TestMetricsAreEachRoutesOwn: routes that share their attributes keep their metrics, however they are moved.
func TestMetricsAreEachRoutesOwn(t *testing.T) {
	var l List
	l.Share(&Attributes{Protocol: Static})
	id := l.Share(&Attributes{Protocol: OSPF})
	for i, p := range []string{"10.2.0.0/16", "fd61::1/128", "10.1.0.0/16"} {
		l.Add(Route{Prefix: netip.MustParsePrefix(p), Metric: N(uint64(i) << 33)}, id)
	}
	l.Add(Route{Prefix: netip.MustParsePrefix("fd61::/64")}, id)
	told := func(at func(int) Route, n int) (out []string) {
		for i := range n {
			r := at(i)
			out = append(out, fmt.Sprint(r.Prefix, r.Protocol, r.Metric))
		}
		return out
	}
	l.Sort()
	want := []string{"10.1.0.0/16 ospf {17179869184 true}", "10.2.0.0/16 ospf {0 true}", "fd61::/64 ospf {0 false}",
		"fd61::1/128 ospf {8589934592 true}"}
	require.Equal(t, want, told(l.At, l.Len()))
	both := *listOf("10.0.0.0/8")
	both.Append(&l, func(s State) State { return s })
	require.Equal(t, want, told(both.At, both.Len())[1:])
	picked := both.Pick([]int{4, 1})
	require.Equal(t, []string{want[3], want[0]}, told(picked.At, picked.Len()))
	back, err := Unpacked(both.Packed(), both.attrs, both.LongMetrics(), false, nil)
	require.NoError(t, err)
	rows := back.Freeze()
	require.Equal(t, want, told(rows.At, rows.Len())[1:])
	a := &Attributes{Protocol: RIP}
	rows = rows.Replace([]Replacement{{netip.MustParsePrefix("10.2.0.0/16"),
		[]Route{{Attributes: a, Metric: N(3)}, {Attributes: a, Metric: N(1 << 40)}}}, {netip.MustParsePrefix("fd61::1/128"),
		[]Route{{Attributes: a, Metric: N(7)}, {Attributes: a}}}})
	require.Equal(t, []string{"10.2.0.0/16 rip {3 true}", "10.2.0.0/16 rip {1099511627776 true}"}, told(rows.At, rows.Len())[2:4])
	require.Equal(t, []string{"fd61::1/128 rip {7 true}", "fd61::1/128 rip {0 false}"}, told(rows.At, rows.Len())[5:])
	require.Equal(t, want, told(l.At, l.Len()), "what rows were made of stays")
}

// TestWindow: room that is not there is not handed out.
func TestWindow(t *testing.T) {
	l := listOf("10.1.0.0/16", "10.2.0.0/16")
	l.Grow(4)
	w := l.Window(0, 2)
	require.Zero(t, cap(w.recs), "the list's own records")
	w = l.Window(2, cap(l.recs))
	require.Zero(t, cap(w.recs), "more than there is")
	w = l.Window(2, 2)
	require.Equal(t, 2, cap(w.recs))
}

// TestOtherAttributes: a route keeps its prefix, family and metric, also where its record has no room for the metric.
func TestOtherAttributes(t *testing.T) {
	var l List
	for i, p := range []string{"10.61.0.0/16", "fd6b::/64", "fd6b::1/128"} {
		l.AddRoute(Route{Prefix: netip.MustParsePrefix(p), Attributes: &Attributes{Protocol: Direct}, Metric: N(uint64(i) + 7)})
	}
	id := l.Share(&Attributes{Protocol: Static})
	for i := range l.Len() {
		was := l.At(i)
		l.SetAttributes(i, id)
		got := l.At(i)
		require.Equal(t, Static, got.Protocol)
		require.Equal(t, []any{was.Prefix, was.Metric, was.State}, []any{got.Prefix, got.Metric, got.State})
	}
}
