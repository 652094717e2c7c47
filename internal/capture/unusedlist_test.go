package capture

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
)

// TestAListThatNothingApplies waits for what applies it where the configuration may have been cut; where the device's
// prompt stands below a whole one, it is not used.
func TestAListThatNothingApplies(t *testing.T) {
	const configuration = "hostname depot\n\nip access-list SPARE\n  10 deny ip any any\n\ninterface hall1\n" +
		"  ip address 10.61.16.1/24\n\nline console\n"
	for _, x := range []struct {
		name, text string
		waits      bool
	}{
		{"a prompt below", "depot# show running-config\n" + configuration + "\ndepot# show clock\n", false},
		{"the prompt alone below", "depot# sh run\n" + configuration + "depot#\n", false},
		{"nothing below", "depot# show running-config\n" + configuration, true},
		{"a part was asked for", "depot# show running-config interface hall1\n" + configuration + "depot#\n", true},
		{"a search", "depot# show running-config | section list\n" + configuration + "depot#\n", true},
		{"the pager waits", "depot# show running-config\n" + configuration + "--More--\ndepot#\n", true},
		{"another device's prompt below", "depot# show running-config\n" + configuration + "mast7# show clock\n", true},
		{"without prompts", configuration, true},
	} {
		c, err := Read("depot/log.txt", []byte(x.text), 1)
		require.NoError(t, err)
		waits := slices.ContainsFunc(c.Parts, func(p Part) bool {
			return slices.ContainsFunc(p.Facts.Policy.Flows, func(f network.FlowRule) bool { return f.Missing == network.NotApplied })
		})
		require.Equal(t, x.waits, waits, x.name)
	}
}
