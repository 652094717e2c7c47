package iproute

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestDangles(t *testing.T) {
	for row, want := range map[string]bool{
		"10.61.8.0/21 via 172.28.61.1 dev up0":                         false,
		"10.61.8.0/21 via 172.28.61.1 dev":                             true,
		"10.61.8.0/21 via 172.28.61.1":                                 true,
		"10.61.8.0/21 nhid 7 via 172.28.61.1":                          false,
		"10.61.8.0/21 dev hall0 proto kernel scope link src 10.61.8.1": false,
		"10.61.8.0/21 dev hall0 proto kernel scope link src 10.61.8":   true,
		"10.61.8.0/21 dev hall0 proto kernel":                          true,
		"fd6b:8::/64 dev hall0 proto kernel":                           false,
		"10.61.8.0/21 via 172.28.61.1 dev up0 proto sta":               true,
		"10.61.8.0/21 via 172.28.61.1 dev up0 proto static":            false,
		"10.61.8.0/21 via 172.28.61.1 dev up0 proto 186":               false,
		"default": false,
	} {
		require.Equal(t, want, Dangles(strings.Fields(row)), row)
	}
}
