package network

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/route"
)

// fill makes one of everything: each list gets one element, each mark a number of its own.
func fill(v reflect.Value, next *uint32) {
	switch {
	case v.Type() == reflect.TypeFor[route.Mark]():
		*next++
		v.Set(reflect.ValueOf(route.Mark{File: 1, Off: *next, End: *next + 1}))
	case v.Type() == reflect.TypeFor[[]TableFacts](): // routes have marks of their own
	case v.Kind() == reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		fill(v.Index(0), next)
	case v.Kind() == reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				fill(v.Field(i), next)
			}
		}
	}
}

// TestEachKindOfFactIsVisited and joined: a kind that is added to Facts and forgotten elsewhere fails here.
func TestEachKindOfFactIsVisited(t *testing.T) {
	var f Facts
	marks := uint32(0)
	fill(reflect.ValueOf(&f).Elem(), &marks)
	seen := map[uint32]bool{}
	kinds := map[FactKind]bool{}
	f.Each(func(x Fact) {
		require.False(t, seen[x.Mark.Off], "%s is visited twice", x.Kind)
		seen[x.Mark.Off], kinds[x.Kind] = true, true
	})
	require.Len(t, seen, int(marks), "a mark is not visited")
	require.Len(t, kinds, len(factNames))

	var b Builder
	b.Add("a", f, 1)
	b.Add("a", f, 2)
	var lists func(v reflect.Value)
	lists = func(v reflect.Value) {
		for i := range v.NumField() {
			switch x := v.Field(i); x.Kind() {
			case reflect.Slice:
				if x.Type() != reflect.TypeFor[[]TableFacts]() {
					require.Equal(t, 2, x.Len(), v.Type().Field(i).Name)
				}
			case reflect.Struct:
				if x.Type() != reflect.TypeFor[route.Mark]() {
					lists(x)
				}
			}
		}
	}
	got := b.devices["a"]
	lists(reflect.ValueOf(got.Facts))
	require.True(t, got.Policy.Stateful.Known() && got.Policy.AllOfEqual.Known())
	require.Equal(t, 3, got.unread)
}
