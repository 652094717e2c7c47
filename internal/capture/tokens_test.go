package capture

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestTokens holds what each word of a line is, names being those that the capture's facts tell.
func TestTokens(t *testing.T) {
	c, err := Read("x", []byte("valley# show ip route vrf tickets\nVRF tickets:\nCodes: C - connected, O - OSPF\n\n"+
		"O>* 10.61.32.0/24 [110/20] via 172.28.61.6, cable1, 00:12:34\nC>* 10.61.16.0/24 is directly connected, hall\n"), 1)
	require.NoError(t, err)
	known := c.names()
	for text, want := range map[string]string{
		"O>* 10.61.32.0/24 [110/20] via 172.28.61.6, cable1, 00:12:34": "prefix 10.61.32.0/24, preference 110, metric 20, address 172.28.61.6, interface cable1, age 00:12:34",
		"valley# show ip route vrf tickets":                            "table tickets",
		"cable1: up, link/ether 02:00:5e:00:00:1f brd ffff.ffff.ffff":  "interface cable1, hardware-address 02:00:5e:00:00:1f, hardware-address ffff.ffff.ffff",
		" neighbor fd6b:32::9%hall password Schnee-42":                 "address fd6b:32::9%hall, secret Schnee-42",
		"dst-address=10.61.0.0/16 gateway=172.28.61.2 distance=5 ospf": "prefix 10.61.0.0/16, address 172.28.61.2, preference 5, protocol ospf",
		"x *[OSPF/10] 3d 07:12:44, metric 10 [a/b] [1/x]":              "protocol OSPF, preference 10, age 3d, age 07:12:44, metric 10",
		"hall-up is not hall.":                                         "interface hall",
		"10.61/16 metric 7 2.5 fe80::1: x":                             "prefix 10.61/16, metric 7, address fe80::1",
		"":                                                             "",
	} {
		var got []string
		end := 0
		for _, k := range known.tokens(text) {
			require.LessOrEqual(t, end, k.Lo, text)
			end = k.Hi
			if k.Kind != WordToken {
				got = append(got, string(k.Kind)+" "+text[k.Lo:k.Hi])
			}
		}
		require.Equal(t, want, strings.Join(got, ", "), text)
	}
	require.Equal(t, DeviceToken, known["valley"])
}

// TestEveryAddressOfEveryCaptureIsAToken: what a route or another fact took from a line is told as an address or a
// prefix there.
func TestEveryAddressOfEveryCaptureIsAToken(t *testing.T) {
	checked := 0
	for name, raw := range samples(t) {
		c, err := Read(name, raw, 1)
		require.NoError(t, err)
		if c.Source.binary {
			continue
		}
		for _, l := range c.Gloss(nil) {
			words := map[string]TokenKind{}
			for _, k := range l.Tokens {
				words[strings.Trim(l.Text[k.Lo:k.Hi], ">*[]")] = k.Kind
			}
			for _, it := range l.Items {
				for _, h := range it.Hops {
					if k, ok := words[h.Address.String()]; ok {
						require.Equal(t, AddressToken, k, "%s:%d: %s", name, l.Number, l.Text)
						checked++
					}
				}
			}
		}
		require.NotContains(t, c.names(), "")
	}
	require.Greater(t, checked, 500)
}
