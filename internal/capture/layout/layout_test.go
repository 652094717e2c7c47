package layout_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

func TestASPath(t *testing.T) {
	for in, want := range map[string]route.BGPPath{
		"64998 64997 i":         {Length: route.N(2), NeighbourAS: 64998, Origin: route.OriginIGP},
		"I":                     {Length: route.N(0), Origin: route.OriginIGP},
		"":                      {Length: route.N(0)},
		"7 {8 9 10} ?":          {Length: route.N(2), NeighbourAS: 7, Origin: route.OriginIncomplete},
		"(65001 65002) 7 E":     {Length: route.N(1), Origin: route.OriginEGP},
		"4200000001 4200000001": {Length: route.N(2), NeighbourAS: 4200000001},
	} {
		var p route.BGPPath
		layout.ASPath(in, &p)
		require.Equal(t, want, p, in)
	}
}
