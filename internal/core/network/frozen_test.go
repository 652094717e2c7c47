package network_test

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestNothingThatCanBeChangedLeavesASnapshot: neither an exported field nor a method of a snapshot, device or table
// hands out a slice or a map, but for those that are made anew for each caller.
func TestNothingThatCanBeChangedLeavesASnapshot(t *testing.T) {
	fresh := map[string]bool{"Device.Own": true, "Table.Evidence": true, "Table.DifferencesAt": true, "Table.At": true, "Table.RoutesTo": true}
	for _, v := range []any{&network.Snapshot{}, &network.Device{}, &network.Table{}, &route.Rows{}} {
		p := reflect.TypeOf(v)
		e := p.Elem()
		for i := range e.NumField() {
			if f := e.Field(i); f.IsExported() {
				require.NotContains(
					t,
					[]reflect.Kind{reflect.Slice, reflect.Map},
					f.Type.Kind(),
					"%s.%s",
					e.Name(),
					f.Name,
				)
			}
		}
		for i := range p.NumMethod() {
			m := p.Method(i)
			for k := range m.Type.NumOut() {
				if !fresh[e.Name()+"."+m.Name] {
					require.NotContains(
						t,
						[]reflect.Kind{reflect.Slice, reflect.Map},
						m.Type.Out(k).Kind(),
						"%s.%s",
						e.Name(),
						m.Name,
					)
				}
			}
		}
	}
}
