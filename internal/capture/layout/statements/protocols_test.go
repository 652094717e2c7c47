package statements

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestNetworksThatAreNotAnnounced: where the network of a link is left out of what a router announces (RFC 6860), what
// others pay for it tells something else than usual.
func TestNetworksThatAreNotAnnounced(t *testing.T) {
	for line, other := range map[string]bool{
		" ip ospf prefix-suppression": true, " isis advertise prefix": true, " ip ospf cost 10": false,
	} {
		r := Read([]byte("hostname valley\n!\ninterface lift0\n ip address 172.28.61.1 255.255.255.252\n" + line + "\n!\nend\n"))
		require.Len(t, r.Facts.Protocols, 1, line)
		require.Equal(t, other, r.Facts.Protocols[0].Other, line)
	}
}
