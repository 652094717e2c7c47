package capture

import (
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestAnswersOfAnotherDevice, whose prompt is not to be seen, belong to nobody: behind the end of a session or the begin
// of another, in another layout with other networks attached, and where a configuration names another device.
func TestAnswersOfAnotherDevice(t *testing.T) {
	const (
		routes = "hub#show ip route\nC    10.61.16.0/24 is directly connected, hall\nS    10.61.64.0/24 [1/0] via 172.28.61.2\n" +
			"C    172.28.61.0/30 is directly connected, line1\n"
		more  = "S*   0.0.0.0/0 [1/0] via 172.28.61.1\nC    10.61.64.0/24 is directly connected, tills\n"
		stars = "inet.0: 2 destinations, 2 routes (2 active, 0 holddown, 0 hidden)\n+ = Active Route, - = Last Active, * = Both\n\n" +
			"10.61.64.0/24      *[Direct/0] 1d22h\n                    > via tills.0\n" +
			"10.61.65.0/24      *[Direct/0] 1d22h\n                    > via yard.0\n"
		named = "hostname %\n!\ninterface hall\n ip address 10.61.16.1 255.255.255.0\n ip access-group 101 in\n!\nend\n"
	)
	for text, want := range map[string]struct {
		routes, applied int
		nobodys         bool
	}{
		routes: {3, 0, false}, routes + more: {5, 0, false},
		routes + "hub#\nkjel@172.28.61.2's password:\n" + more:  {3, 0, true},
		routes + "\nConnection to 172.28.61.2 closed.\n" + more: {3, 0, true},
		routes + "exit\n" + more:                                {3, 0, true},
		"hub#show running-config\nhostname hub\n!\ninterface hall\n ip address 10.61.16.1 255.255.255.0\nexit\n" + more: {0, 0, false},
		routes + "\n" + stars: {3, 0, true},
		routes + "hub#show running-config\n" + strings.Replace(named, "%", "hub", 1):         {3, 1, false},
		routes + "hub#show running-config\n" + strings.Replace(named, "%", "HUB.kjelven", 1): {3, 1, false},
		routes + "hub#show running-config\n" + strings.Replace(named, "%", "till", 1):        {3, 0, true},
	} {
		c, err := Read("night.log", []byte(text), 1)
		require.NoError(t, err)
		got, applied, nobodys := 0, 0, 0
		for _, p := range c.Parts {
			got += p.Routes()
			applied += len(p.Facts.Applied)
			for _, u := range p.Unread {
				if errors.Is(u.Reason, errAway) {
					nobodys++
				}
			}
		}
		require.Equal(t, want.routes, got, text)
		require.Equal(t, want.applied, applied, text)
		require.Equal(t, want.nobodys, nobodys > 0, text)
	}
}
