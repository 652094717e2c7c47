package nftables

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
)

// TestWhatSetsMarks holds which listings tell all of a kernel's filters, and which rules put marks on packets: rules
// that choose a table ask for them.
func TestWhatSetsMarks(t *testing.T) {
	for _, c := range []struct {
		name            string
		read            func([]byte) layout.Reading
		text            string
		four, six, sets bool
	}{
		{"a ruleset", ReadText, "table inet f {\n\tchain c {\n\t\ttype filter hook forward priority filter; policy accept;\n\t\tip saddr 10.0.0.1 drop\n\t}\n}\n", true, true, false},
		{"one that sets a mark", ReadText, "table inet f {\n\tchain c {\n\t\ttype filter hook prerouting priority mangle; policy accept;\n\t\tip saddr 10.0.0.1 meta mark set 0x7\n\t}\n}\n", true, true, true},
		{"one that gives a flow's back", ReadText, "table inet f {\n\tchain c {\n\t\ttype filter hook prerouting priority mangle; policy accept;\n\t\tmeta mark set ct mark\n\t}\n}\n", true, true, true},
		{"as JSON", Read, `{"nftables":[{"metainfo":{"json_schema_version":1}},{"table":{"family":"inet","name":"f","handle":1}}]}`, true, true, false},
		{"as JSON, a mark", Read, `{"nftables":[{"chain":{"family":"inet","table":"f","name":"c","handle":1,"type":"filter","hook":"prerouting","prio":-150,"policy":"accept"}},` +
			`{"rule":{"family":"inet","table":"f","chain":"c","handle":2,"expr":[{"mangle":{"key":{"meta":{"key":"mark"}},"value":7}}]}}]}`, true, true, true},
		{"saved", ReadSaved, "*filter\n:FORWARD ACCEPT [0:0]\n-A FORWARD -s 10.0.0.1/32 -j DROP\nCOMMIT\n", true, false, false},
		{"saved, a mark", ReadSaved, "*mangle\n:PREROUTING ACCEPT [0:0]\n-A PREROUTING -s 10.0.0.1/32 -j MARK --set-xmark 0x7/0xffffffff\nCOMMIT\n", true, false, true},
		{"saved, of the other family", ReadSaved, "*filter\n:FORWARD ACCEPT [0:0]\n-A FORWARD -s fd6b::1/128 -j DROP\nCOMMIT\n", false, true, false},
		{"a line that is not understood", ReadText, "table inet f {\n\tchain c {\n\t\ttype filter hook prerouting priority mangle; policy accept;\n\t\tstrange thing mark set 7\n\t}\n}\n", true, true, true},
		{"one table of several", ReadSaved, "-P FORWARD ACCEPT\n-A FORWARD -s 10.0.0.1/32 -j DROP\n", false, false, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			p := c.read([]byte(c.text)).Facts.Policy
			require.Equal(t, c.four, p.AllRules4)
			require.Equal(t, c.six, p.AllRules6)
			require.Equal(t, c.sets, p.SetsMarks)
		})
	}
}
