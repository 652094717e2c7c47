package near_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/near"
)

func TestName(t *testing.T) {
	names := []string{"valley", "mast7", "mast12", "Ethernet0/1"}
	for in, want := range map[string]string{"vally": "valley", "vlaley": "valley", "mast17": "mast7", "MAST12": "mast12", "ethernet0/2": "Ethernet0/1",
		"": "", "summit": "", "x": ""} {
		require.Equal(t, want, near.Name(in, names), in)
	}
}
