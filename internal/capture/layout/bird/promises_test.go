package bird

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/route"
)

// TestAttributesStandApart: the degree of preference and the multi-exit discriminator are two numbers.
func TestAttributesStandApart(t *testing.T) {
	in := "Table master4:\n10.61.32.0/24        unicast [up1 09:12:31.001] * (100) [AS65001i]\n\tvia 172.28.61.6 on line1\n\tType: BGP univ\n\tBGP.origin: IGP\n\tBGP.as_path: 65001 65002\n\tBGP.local_pref: 200\n\tBGP.med: 7\n"
	r := Read([]byte(in))
	require.Empty(t, r.Unread)
	a := r.Facts.Tables[0].Routes.At(0)
	require.Equal(t, route.N(200), a.BGP.LocalPreference)
	require.Equal(t, route.N(7), a.BGP.MultiExit)
	require.Equal(t, route.N(2), a.BGP.Length)
}
