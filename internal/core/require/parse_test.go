package require

import (
	"errors"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
)

// book is names for tests.
type book struct{}

func (book) Range(name string) ([]netip.Prefix, bool, string) {
	switch name {
	case "desk":
		return []netip.Prefix{netip.MustParsePrefix("10.0.0.9/32")}, true, ""
	case "reaches":
		return []netip.Prefix{netip.MustParsePrefix("10.0.7.9/32")}, true, ""
	}
	return nil, false, "desk"
}

func (book) Device(name string) (string, bool, string) { return name, name == "a" || name == "b", "a" }

func (book) Flow(text string) (network.Flow, error) {
	if text != "tcp 22" {
		return network.Flow{}, errors.New("no such flow")
	}
	return network.Flow{Protocol: "tcp", DestinationPort: 22}, nil
}

func TestParse(t *testing.T) {
	for _, tt := range []struct {
		in   string
		want func(t *testing.T, r Requirement)
	}{
		{"desk reaches 10.0.1.0/24 # both ways", func(t *testing.T, r Requirement) {
			require.Equal(t, Reaches, r.Kind)
			require.Equal(t, "10.0.1.0/24", r.To[0].Prefixes[0].String())
		}},
		{"every lan and 10.0.3.1 reach only desk, internet", func(t *testing.T, r Requirement) {
			require.Equal(t, Only, r.Kind)
			require.True(t, r.From[0].EveryLAN)
			require.Len(t, r.From, 2)
			require.True(t, r.To[1].Internet)
		}},
		{"desk never reaches 10.0.1.0/24, on tcp 22", func(t *testing.T, r Requirement) {
			require.Equal(t, Never, r.Kind)
			require.EqualValues(t, 22, r.Flow.DestinationPort)
		}},
		{"desk reaches 10.0.1.1 by way of a and b within 3 hops also without any one link", func(t *testing.T, r Requirement) {
			require.Equal(t, []string{"a", "b"}, r.Way)
			require.Equal(t, 3, r.Within)
			require.Equal(t, AnyLink, r.Without)
		}},
		{`"reaches" reaches desk`, func(t *testing.T, r Requirement) { require.Equal(t, "10.0.7.9/32", r.From[0].Prefixes[0].String()) }},
		{"nothing loops", func(t *testing.T, r Requirement) { require.Equal(t, NothingLoops, r.Kind) }},
		{"a knows 10.0.0.0/8 by ospf", func(t *testing.T, r Requirement) {
			require.Equal(t, Knows, r.Kind)
			require.True(t, r.ByProtocol)
		}},
		{"b discards 10.0.0.0/8", func(t *testing.T, r Requirement) { require.Equal(t, Discards, r.Kind) }},
	} {
		t.Run(tt.in, func(t *testing.T) {
			all, err := Parse(tt.in, book{})
			require.NoError(t, err)
			require.Len(t, all, 1)
			tt.want(t, all[0])
		})
	}
}

func TestParseBlocks(t *testing.T) {
	all, err := Parse("# head\ndesk:\n  reach 10.0.1.0/24\n\tnever reach 10.0.2.0/24\nnothing loops\n", book{})
	require.NoError(t, err)
	require.Len(t, all, 3)
	require.Equal(t, "desk never reach 10.0.2.0/24", all[1].Text)
	require.Equal(t, 4, all[1].Line)
}

func TestParseErrors(t *testing.T) {
	for in, want := range map[string]string{
		"desk reaches":                            `1:13: the end of the line stands where an address, a prefix or a name is wanted`,
		"\ndesk goes 10.0.0.1":                    `2:6: "goes" stands where a verb is wanted: reaches, never reaches, knows or discards`,
		"dsk reaches 10.0.0.1":                    `1:1: "dsk" is no address, no prefix, and nothing of the notes or the case is called so; did you mean desk?`,
		"desk reaches 10.0.0.1 within x hops":     `1:30: "x" stands where a number of hops is wanted`,
		"nothing lops":                            `1:9: "lops" is not understood behind "nothing"; write nothing loops`,
		"c knows 10.0.0.0/8":                      `1:1: no device of this case is called "c"; did you mean a?`,
		"a knows 10.0.0/8":                        `1:9: "10.0.0/8" is no prefix; write ADDRESS/LENGTH`,
		"desk never reaches 10.0.0.1 by way of a": `1:29: "by" is not understood here; only ", on PROTOCOL PORT" may follow`,
		"desk reaches 10.0.0.1, on udp":           `1:27: no such flow`,
		"every van reaches desk":                  `1:7: "van" is not understood behind "every"; write every lan`,
	} {
		_, err := Parse(in, book{})
		require.EqualError(t, err, want, in)
	}
}

// FuzzParse: no panic, and what is read is read again alike.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"desk reaches 10.0.0.1 by way of a", "desk:\n never reach internet, on tcp 22", "\"x", "a knows ::/0 by", "# \n,,"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, in string) {
		one, err := Parse(in, book{})
		two, again := Parse(in, book{})
		require.Equal(t, one, two)
		require.Equal(t, err, again)
		for _, r := range one {
			require.NotEmpty(t, r.Text)
		}
	})
}
