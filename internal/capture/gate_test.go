package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestAPrefixWithHostBits: a length that lost a figure does not make a route for half of all addresses; what the row
// was for may be any network that its first number begins. An attached network may be told by an address.
func TestAPrefixWithHostBits(t *testing.T) {
	c, err := Read("x", []byte("hut# show ip route\nCodes: C - connected, S - static, > - selected route, * - FIB route\n\n"+
		"C>* 10.61.16.1/24 is directly connected, hall0\nC>* 172.28.61.4/3 is directly connected, line0\n"+
		"S>* 10.62.32.0/1 [1/0] via 10.61.16.9, hall0\nhut#\n"), 1)
	require.NoError(t, err)
	p := c.Parts[0]
	require.Equal(t, 1, p.Routes())
	require.Len(t, p.Unread, 2)
	require.ErrorIs(t, p.Unread[0].Reason, errHostBits)
	var hidden []string
	for _, u := range p.Facts.Tables[0].Unread {
		require.True(t, u.Any)
		hidden = append(hidden, u.Prefix.String())
	}
	require.Equal(t, []string{"172.0.0.0/8", "10.0.0.0/8"}, hidden)
}
