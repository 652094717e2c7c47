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
