package filters_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/filters"
	"zarvek/internal/core/network"
)

// TestFlowState: what a rule for several states asks of a flow, and whether that is all that it says.
func TestFlowState(t *testing.T) {
	type want struct {
		state      network.FlowState
		some, sure bool
	}
	for names, w := range map[string]want{
		"":                        {network.AnyState, true, true},
		"related":                 {network.AnyState, false, true},
		"untracked":               {network.AnyState, false, true},
		"new":                     {network.Beginning, true, true},
		"established":             {network.Seen, true, true},
		"established,related":     {network.Seen, true, true},
		"invalid":                 {network.Unseen, true, true},
		"new,established":         {network.AnyState, true, true},
		"new,established,invalid": {network.AnyState, true, true},
		"established,invalid":     {network.Answering, true, true},
		"new,invalid":             {network.AnyState, true, false},
	} {
		list := strings.Split(names, ",")
		state, some, sure := filters.FlowState(func(s string) bool { return slices.Contains(list, s) })
		require.Equal(t, w, want{state, some, sure}, names)
	}
}
