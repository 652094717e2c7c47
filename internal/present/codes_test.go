package present

import (
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/selection"
)

// TestCodesAreWords: each code has a word of its own, in kebab case.
func TestCodesAreWords(t *testing.T) {
	word := regexp.MustCompile(`^[a-z]+(?:-[a-z]+)*$`)
	check := func(first, last int, of func(int) string) {
		seen := map[string]bool{}
		for i := first; i <= last; i++ {
			w := of(i)
			require.Regexp(t, word, w)
			require.False(t, seen[w], w)
			seen[w] = true
		}
	}
	check(int(forward.OwnAddress), int(forward.WrongPlace), func(i int) string { return forward.Code(i).String() })
	check(int(selection.NoRoute), int(selection.TooLong), func(i int) string { return selection.Failure(i).String() })
	check(int(audit.AddRoute), int(audit.CorrectHost), func(i int) string { return audit.RepairKind(i).String() })
	// Those that programs may rely on already.
	require.Equal(t, "no-covering-route", forward.NoCoveringRoute.String())
	require.Equal(t, "owner-not-known", forward.OwnerNotKnown.String())
	require.Equal(t, "add-route", audit.AddRoute.String())
	require.Empty(t, forward.Nothing.String())
}
