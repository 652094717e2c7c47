package present

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
)

// TestEveryKindOfFactHasWords: one of each list that facts are kept in.
func TestEveryKindOfFactHasWords(t *testing.T) {
	var f network.Facts
	for _, of := range []any{&f, &f.Policy} {
		v := reflect.ValueOf(of).Elem()
		for i := range v.NumField() {
			if x := v.Field(i); x.Kind() == reflect.Slice && v.Type().Field(i).Name != "Tables" {
				x.Set(reflect.MakeSlice(x.Type(), 1, 1))
			}
		}
	}
	kinds := map[network.FactKind]bool{}
	f.Each(func(x network.Fact) {
		kinds[x.Kind] = true
		require.NotEqual(t, x.Kind.String(), factWords(x))
	})
	require.Greater(t, len(kinds), 15)
}
