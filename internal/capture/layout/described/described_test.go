package described

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// The two worked examples of docs/layouts.md.
const cabin = `layout: cabin controller
recognise: '^CABIN ROUTES'
key: '^  (?P<letter>\w) means (?P<meaning>.+)$'
table: '^zone (?P<table>\w+)$'
ignore: ['^-+$']
lines:
  - match: '^(?P<protocol>\w) +(?P<prefix>[0-9a-f.:/]+) +to (?P<gateway>\S+) on (?P<interface>\S+)( cost (?P<metric>\d+))?$'
  - match: '^ +or to (?P<gateway>\S+) on (?P<interface>\S+)$'
    carry: [prefix, protocol]
  - match: '^(?P<protocol>\w) +(?P<prefix>\S+) (?P<special>drop)$'
`

const cabinText = `CABIN ROUTES of lift 3
  M means static
  N means ospf inter area
------------
M 0.0.0.0/0      to 172.28.61.1 on haul0
N 10.61.32.0/24  to 172.28.61.6 on haul1 cost 20
                 or to 172.28.61.10 on haul2
M 10.61.40.0/21 drop
M 10.61.41.0/44  to 172.28.61.6 on haul1
something else
zone yard
M 10.70.0.0/16   to 172.28.61.9 on haul3
`

const ticker = `layout: till
recognise: '^till routing'
legend: {"1": static, "2": direct}
best-preference: highest
lines:
  - match: '^(?P<address>[\d.]+)\|(?P<mask>[\d.]+)\|(?P<gateway>[^|]*)\|(?P<interface>[^|]*)\|(?P<preference>\d+)\|(?P<protocol>\d)\|(?P<active>\S*)$'
`

const tickerText = `till routing
10.61.64.0|255.255.255.0|-|tills|250|2|yes
0.0.0.0|0.0.0.0|172.28.61.17|outside|200|1|yes
0.0.0.0|0.0.0.0|172.28.61.21|outside|100|1|no
10.0.0.0|255.0.255.0|172.28.61.17|outside|200|1|yes
`

func TestWorkedExamples(t *testing.T) {
	for _, tt := range []struct {
		about, text  string
		want, unread []string
	}{
		{cabin, cabinText, []string{"5 0.0.0.0/0 static -/- via 172.28.61.1 dev haul0: active installed", "6 10.61.32.0/24 ospf/inter-area -/20 via 172.28.61.6 dev haul1 via 172.28.61.10 dev haul2: active installed",
			"8 10.61.40.0/21 static -/- blackhole: active installed", "12 (yard) 10.70.0.0/16 static -/- via 172.28.61.9 dev haul3: active installed"},
			[]string{`9 prefix length out of range: "10.61.41.0/44"`, "10 not in the form of this layout"}},
		{ticker, tickerText, []string{"2 10.61.64.0/24 direct 250/- dev tills: active installed", "3 0.0.0.0/0 static 200/- via 172.28.61.17 dev outside: active installed", "4 0.0.0.0/0 static 100/- via 172.28.61.21 dev outside"},
			[]string{"5 mask is not contiguous: 255.0.255.0"}},
	} {
		reader, err := Parse("x.layout.yaml", []byte(tt.about))
		require.NoError(t, err)
		require.Positive(t, reader.Recognise([]byte(tt.text)))
		r := layouttest.Laws(t, reader.Read, []byte(tt.text))
		require.Equal(t, tt.want, layouttest.Words([]byte(tt.text), r))
		require.Equal(t, tt.unread, layouttest.Unread([]byte(tt.text), r))
		layouttest.Variants(t, reader.Read, tt.text)
	}
}

func TestErrorsNameFileLineAndColumn(t *testing.T) {
	for text, want := range map[string]string{
		"layout: x\nrecognise: '^('\nlines: []\n":                                     "f:2:12: error parsing regexp: missing closing ): `^(`",
		"layout: x\nrecogniser: '^a'\n":                                               `f:2:1: there is no key "recogniser" in a description; it takes layout, recognise, ignore, key, table, legend, lines, best-preference, forwarding-table`,
		"recognise: '^a'\nlines:\n - match: 'x'\n":                                    "f:1:1: the description has no layout: NAME",
		"layout: x\nrecognise: '^a'\nlines:\n  - match: '(?P<colour>x)'\n":            `f:4:12: no value is called "colour"; there are prefix, address, length, mask, protocol, preference, metric, gateway, interface, special, active, table`,
		"layout: x\nrecognise: '^a'\nkey: '^k'\nlines:\n  - match: '(?P<prefix>x)'\n": "f:3:6: this expression needs the group letter and the group meaning",
		"layout: x\nrecognise: '^a'\nlines:\n  - carry: [prefix]\n":                   "f:4:5: an entry of lines: has no match: EXPRESSION",
		"layout: x\nrecognise: '^a'\nlines:\n  - match: 'x'\n    carry: [colour]\n":   `f:5:13: no value to carry is called "colour"; there are prefix, address, length, mask, protocol, preference, metric, gateway, interface, special, active, table`,
		"layout: x\nrecognise: '^a'\nlines: 'x'\n":                                    "f:3:8: a list is wanted here, each line behind a hyphen",
		"layout: x\nbest-preference: least\n":                                         `f:2:18: best-preference is lowest or highest, not "least"`,
		"layout: x\nlayout: y\n":                                                      `f:2:1: "layout" stands here twice`,
		"layout: [\n":                                                                 "f:2:1: not valid YAML: did not find expected node content (while parsing a flow node that begins in line 2)",
	} {
		_, err := Parse("f", []byte(text))
		require.EqualError(t, err, want)
	}
}

func FuzzRead(f *testing.F) {
	reader, err := Parse("x", []byte(cabin))
	if err != nil {
		f.Fatal(err)
	}
	f.Add([]byte(cabinText))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, reader.Read, in) })
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(cabin))
	f.Add([]byte(ticker))
	f.Fuzz(func(_ *testing.T, in []byte) { _, _ = Parse("x", in) })
}
