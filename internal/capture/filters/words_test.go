package filters_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/filters"
)

// TestICMPType: by number, which is an octet, and by name in each family (RFC 792, RFC 4443); one more than the type,
// since 0 is any.
func TestICMPType(t *testing.T) {
	type want struct {
		n  uint16
		ok bool
	}
	for _, tt := range []struct {
		s   string
		six bool
		want
	}{
		{"0", false, want{1, true}}, {"8", false, want{9, true}}, {"255", false, want{256, true}}, {"256", false, want{257, false}}, {"odd", false, want{0, false}},
		{"echo-request", false, want{9, true}}, {"echo-reply", false, want{1, true}}, {"echo-request", true, want{129, true}}, {"echo-reply", true, want{130, true}},
	} {
		n, ok := filters.ICMPType(tt.s, tt.six)
		require.Equal(t, tt.ok, ok, tt.s)
		if tt.ok {
			require.Equal(t, tt.n, n, tt.s)
		}
	}
}
