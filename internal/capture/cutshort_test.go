package capture

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
)

const nightLog = `gate#show ip route
Codes: C - connected, S - static, L - local

C    10.61.16.0/24 is directly connected, hall0
gate#show running-config
hostname gate
!
interface hall0
 ip address 10.61.16.1 255.255.255.0
 description the hall
`

// TestAConfigurationThatStops in the middle of its last line may lack a filter; one above a prompt that has no line end
// is whole.
func TestAConfigurationThatStops(t *testing.T) {
	for text, want := range map[string]bool{
		nightLog:                                false,
		nightLog + "!\nend\n\ngate#":            false,
		nightLog + "!":                          false,
		strings.TrimSuffix(nightLog, " hall\n"): true,
		nightLog + " ":                          true,
		"gate# show running-config\n\n!Command: show running-config\nhos": true,
		"gate# show running-config\n\n!Command: show running-config\n":    false,
		"set network interface ethernet hall0 layer3 ip 10.61.16.1/24\nset zone halls network layer3 hall0\nset rulebase security rules a from any\nset rulebase security rules a to any\nset rulebase security rules a source any\nset rulebase security rules a destination any\nset rulebase security rules a service any\nset rulebase security rules a action allow\nset ruleba": true,
		nightLog + "gate#show ip route\nCodes: C - connected\n\nC    10.61.16.0/24 is directly connected, hall": false,
	} {
		c, err := Read("night.log", []byte(text), 1)
		require.NoError(t, err)
		cut := false
		for _, p := range c.Parts {
			cut = cut || slices.ContainsFunc(p.Facts.Policy.Flows, func(f network.FlowRule) bool { return f.Missing == network.CutOff })
		}
		require.Equal(t, want, cut, text)
	}
}

// TestATableThatStops in a row, below a heading or where a line begins may have more routes; one that a line end or a
// prompt ends has not.
func TestATableThatStops(t *testing.T) {
	const table = "Codes: C - connected, S - static\n\nC    10.61.16.0/24 is directly connected, hall0\n" +
		"S    10.61.64.0/24 [1/0] via 10.61.16.2\n"
	for text, want := range map[string]bool{
		table:                              false,
		table + "gate#":                    false,
		table + "S    172.28.61.0/30 [1/0": true,
		table + "      172.28.0.0/16 is variably subnetted, 2 s":                  true,
		table + "      172.28.0.0/16 is variably subnetted, 2 subnets, 2 masks\n": true,
		table + "     ": true,
	} {
		c, err := Read("night.log", []byte(text), 1)
		require.NoError(t, err)
		require.Equal(t, want, c.Parts[0].Facts.Tables[0].Cut, text)
	}
}

// TestASessionThatBreaksOff in the middle of a row, or of a document, leaves the table without its end, whatever stands
// behind; what stands beside a table that is no row does not.
func TestASessionThatBreaksOff(t *testing.T) {
	const head = "mast7# show ip route\nCodes: C - connected, S - static\n\nS    0.0.0.0/0 [1/0] via 172.28.61.1\n" +
		"C    10.61.16.0/24 is directly connected, hall\n"
	const array = `[{"dst":"default","gateway":"172.28.61.1","dev":"up0","flags":[]},` +
		`{"dst":"10.61.16.0/24","dev":"hall","protocol":"kernel","scope":"link","flags":[]}`
	for text, want := range map[string]bool{
		head + "S    10.61.32.0/2\nmast7# \n":                     true,
		head + "S \nConnection to mast7 closed.\n":                true,
		head + "mast7# \n":                                        false,
		head + "\nA night's work is never done.\nmast7# \n":       false,
		head + "somebody's note\nmast7# \n":                       false,
		array + "]\n":                                             false,
		array + "]\nbroken\n":                                     false,
		array + `,{"dst":"10.61.32.0/20","gateway":"172.2` + "\n": true,
		array + "\nConnection to mast7 closed.\n":                 true,
	} {
		c, err := Read("a/r.txt", []byte(text), 1)
		require.NoError(t, err)
		cut := false
		for _, p := range c.Parts {
			for _, x := range p.Facts.Tables {
				cut = cut || x.Cut
			}
		}
		require.Equal(t, want, cut, text)
	}
}
