package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestNamedPrefix: what a line that was not read names first is a destination, wherever signs are glued to it; next
// hops and addresses in messages are none.
func TestNamedPrefix(t *testing.T) {
	for line, want := range map[string]string{
		"S    10.61.16.0/24 [1/0] by way of":                          "10.61.16.0/24",
		"S>*10.61.16.0/24 [1/0] by way of":                            "10.61.16.0/24",
		"tab=254 10.9.0.0/255.255.0.0/0->10.61.16.0/24 gwy=10.61.0.1": "10.61.16.0/24",
		"10.61.16.0 255.255.255.0 somewhere":                          "10.61.16.0/24",
		"dst-address=10.61.16.9/24 gateway=":                          "10.61.16.0/24",
		"(fd61:16::1/64), more":                                       "fd61:16::/64",
		"B 172.28.0.0 unheard of":                                     "172.28.0.0/16",
		"      via 172.28.61.1, line0":                                "invalid Prefix",
		"neighbour 10.61.16.1 went down":                              "invalid Prefix",
		"nothing of the kind":                                         "invalid Prefix",
	} {
		require.Equal(t, want, namedPrefix([]byte(line)).String(), line)
	}
}
