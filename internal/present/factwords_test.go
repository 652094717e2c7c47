package present

import (
	"net/netip"
	"reflect"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// TestFactsInWords: what a rule or a switch is for, and what not.
func TestFactsInWords(t *testing.T) {
	for want, x := range map[string]network.Fact{
		"a rule that permits in by another interface than e0 out by another interface than e1": {Kind: network.FlowFact,
			Of: &network.FlowRule{Permit: true, NotIn: "e0", NotOut: "e1"}},
		"IPv4 packets that come in by e0 are forwarded": {Kind: network.SwitchFact, Of: &network.Switch{Family: route.IPv4, Interface: "e0", On: true}},
		"IPv4 routes by e0 are not used while that has no carrier": {Kind: network.SkipFact,
			Of: &network.Switch{Family: route.IPv4, Interface: "e0", On: true}},
		"IPv6 routes by any interface are used while that has no carrier": {Kind: network.SkipFact, Of: &network.Switch{Family: route.IPv6}},
		"translation (NAT): the destination of what the device itself sends to one of its own addresses becomes 10.61.0.4": {
			Kind: network.TranslationFact, Of: &network.Translation{Destination: true, Own: true, ToOwn: true,
				Becomes: netip.MustParseAddr("10.61.0.4")}},
	} {
		require.Equal(t, want, factWords(x))
	}
}

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
