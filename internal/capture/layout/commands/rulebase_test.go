package commands

import (
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
	"zarvek/internal/core/network"
)

const rules = `set network interface ethernet p1 layer3 ip 10.61.16.1/24
set network interface ethernet p2 layer3 ip 10.61.32.1/24
set network interface ethernet p3 layer3 ip 10.61.48.1/24
set address "ticket tills" ip-netmask 10.61.32.0/25
set address masts ip-range 10.61.48.8-10.61.48.11
set address-group all static [ "ticket tills" masts ]
set service watch protocol tcp port 8443,9000-9001
set zone hall network layer3 p1
set zone yard network layer3 [ p2 p3]
set rulebase security rules one from hall
set rulebase security rules one to yard
set rulebase security rules one source any
set rulebase security rules one destination all
set rulebase security rules one application any
set rulebase security rules one service watch
set rulebase security rules one action allow
`

// ends tells of a packet between two interfaces what the first rule that fits says, "perhaps" of one that may.
func ends(t *testing.T, text, in, out, to, protocol string, port uint16) string {
	r := layouttest.Laws(t, Read, []byte(text))
	for _, x := range r.Facts.ListRules {
		f := x.FlowRule
		if f.In != "" && f.In != in || f.Out != "" && f.Out != out || f.To.IsValid() && !f.To.Contains(netip.MustParseAddr(to)) ||
			f.Protocol != "" && f.Protocol != protocol || f.ToPorts.Hi > 0 && (port < f.ToPorts.Lo || port > f.ToPorts.Hi) {
			continue
		}
		switch {
		case f.Undecided:
			return "perhaps"
		case f.Permit:
			return "permit"
		default:
			return "deny"
		}
	}
	return "none"
}

// restricted reports whether all that passes the device may be stopped by what was not read.
func restricted(text string) bool {
	for _, f := range Read([]byte(text)).Facts.Policy.Flows {
		if f.Undecided && f.In == "" && f.Out == "" {
			return true
		}
	}
	return false
}

func TestRulesBetweenZones(t *testing.T) {
	for _, tt := range []struct {
		name, was, is string
		to, protocol  string
		port          uint16
		want          string
	}{
		{"a service in a range", "", "", "10.61.32.9", "tcp", 9001, "permit"},
		{"another service", "", "", "10.61.32.9", "tcp", 22, "deny"},
		{"an address in a range", "", "", "10.61.48.11", "tcp", 8443, "permit"},
		{"an address beside it", "", "", "10.61.48.12", "tcp", 8443, "deny"},
		{"a rule that stops", "action allow", "action drop", "10.61.32.9", "tcp", 8443, "deny"},
		{"switched off", "one action allow", "one action allow\nset rulebase security rules one disabled yes", "10.61.32.9", "tcp", 8443, "deny"},
		{"of one application", "application any", "application ssl", "10.61.32.9", "tcp", 8443, "perhaps"},
		{"of one application, elsewhere", "application any", "application ssl", "10.61.32.9", "tcp", 22, "deny"},
		{"the usual ports of any application", "service watch", "service application-default", "10.61.32.9", "tcp", 22, "perhaps"},
		{"the usual ports of any application, echo", "service watch", "service application-default", "10.61.32.9", "icmp", 0, "permit"},
		{"the usual ports of one", "application any\nset rulebase security rules one service watch",
			"application ssh\nset rulebase security rules one service application-default", "10.61.32.9", "tcp", 23, "deny"},
		{"all but an address", "one action allow", "one action allow\nset rulebase security rules one negate-destination yes", "10.61.32.200", "tcp", 8443, "perhaps"},
		{"of some users", "one action allow", "one action allow\nset rulebase security rules one source-user [ guard ]", "10.61.32.9", "tcp", 8443, "perhaps"},
		{"of any user", "one action allow", "one action allow\nset rulebase security rules one source-user any", "10.61.32.9", "tcp", 8443, "permit"},
		{"an address that nothing tells", "destination all", "destination elsewhere", "10.61.32.9", "tcp", 8443, "perhaps"},
		{"from a zone of which nothing is told", "one from hall", "one from attic", "10.61.32.9", "tcp", 8443, "perhaps"},
		{"from a zone without interfaces", "one from hall", "one from attic\nset zone attic network layer3 [ ]", "10.61.32.9", "tcp", 8443, "deny"},
		{"the last rule of all", "set zone", "set rulebase default-security-rules rules interzone-default action allow\nset zone", "10.61.32.9", "tcp", 22, "permit"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			text := strings.ReplaceAll(rules, tt.was, tt.is)
			if tt.was == "" {
				text = rules
			}
			require.False(t, restricted(text))
			require.Equal(t, tt.want, ends(t, text, "p1", "p2", tt.to, tt.protocol, tt.port))
		})
	}
	require.Equal(t, "permit", ends(t, rules, "p2", "p3", "10.61.48.9", "tcp", 22), "within a zone")
	require.Equal(t, "deny", ends(t, rules, "p2", "p1", "10.61.16.9", "tcp", 8443), "the other way")
	require.Equal(t, "none", ends(t, rules, "p9", "p1", "10.61.16.9", "tcp", 8443), "of no zone")
}

// TestWhatARulebaseLacks: where a part is missing or is of a kind that is not read, nothing is promised.
func TestWhatARulebaseLacks(t *testing.T) {
	for was, is := range map[string]string{
		"set zone":                 "set lost",
		"set rulebase":             "set lost",
		"set zone hall":            "set vsys one zone hall",
		"zone yard network layer3": "zone yard network virtual-wire",
		"set address masts":        "set rulebase dos rules out from hall\nset address masts",
		"set service watch":        "set pre-rulebase security rules none action deny\nset service watch",
	} {
		text := strings.ReplaceAll(rules, was, is)
		if strings.Contains(is, "vsys") {
			text = strings.ReplaceAll(text, "set zone yard", "set vsys two zone yard")
		}
		require.True(t, restricted(text), is)
	}
}

// inBraces writes lines of words as a tree of one branch each.
func inBraces(text string) string {
	var b strings.Builder
	b.WriteString("config {\n  devices {\n    localhost {\n")
	for line := range strings.Lines(text) {
		w := layout.QuotedWords(strings.TrimPrefix(strings.TrimSpace(line), "set "))
		if len(w) == 0 {
			continue
		}
		n := min(len(w)-1, 5)
		for _, x := range w[:n] {
			b.WriteString(joined([]string{x}) + " {\n")
		}
		b.WriteString(joined(w[n:]) + ";\n" + strings.Repeat("}\n", n))
	}
	return b.String() + "    }\n  }\n}\n"
}

// TestBracesSayTheSame as lines of whole commands; without their end something may be missing.
func TestBracesSayTheSame(t *testing.T) {
	text := inBraces(rules + `set network virtual-router default routing-table ip static-route out nexthop ip-address 10.61.16.9
set network virtual-router default routing-table ip static-route out destination 0.0.0.0/0
`)
	r := layouttest.Laws(t, Read, []byte(text))
	require.Empty(t, r.Unread)
	require.Equal(t, []string{"addr 10.61.16.1/24 p1  true", "addr 10.61.32.1/24 p2  true", "addr 10.61.48.1/24 p3  true",
		"static  0.0.0.0/0 10.61.16.9  ", "restricted"}, facts(r))
	require.Equal(t, "permit", ends(t, text, "p1", "p2", "10.61.32.9", "tcp", 9001))
	require.Equal(t, "deny", ends(t, text, "p1", "p2", "10.61.32.200", "tcp", 9001))
	require.False(t, restricted(text))
	require.Positive(t, recognise([]byte(text)))
	cut := Read([]byte(text[:len(text)-20]))
	require.True(t, slices.ContainsFunc(cut.Facts.Policy.Flows, func(f network.FlowRule) bool {
		return f.Missing == network.CutOff && f.Mark == layout.Mark(0, len("config {"))
	}))
}

// TestTooDeep: what stands deeper than any configuration goes is passed over, and nothing is promised.
func TestTooDeep(t *testing.T) {
	text := "config {\n" + strings.Repeat("a {\n", deepest-1) + "b;\n" + strings.Repeat("}\n", deepest-1) + "}\n"
	require.False(t, restricted(text))
	require.True(t, restricted(strings.Replace(text, "a {\n", "a {\na {\n", 1)+"}\n"))
}
