package peers

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

const listed = `interface: tun0
  public key: aaaa=
  private key: (hidden)
  listening port: 51820

peer: bbbb=
  endpoint: 172.28.99.1:51820
  allowed ips: 10.61.64.0/24, fd61:64::/64
  latest handshake: 1 minute, 2 seconds ago
  transfer: 1 KiB received, 2 KiB sent
`

// says writes what decides over packets.
func says(r layout.Reading) []string {
	out := layouttest.Applied(r.Facts.Applied)
	for _, f := range r.Facts.Policy.Flows {
		if f.Undecided {
			out = append(out, layouttest.RuleWords(f))
		}
	}
	return out
}

func TestRead(t *testing.T) {
	const from, to = "what peers of tun0 send", "what goes to peers of tun0"
	applied := []string{from + " 0 hook 1 deny in tun0", to + " 0 hook 2 deny out tun0", to + " 0 hook 4 deny out tun0"}
	open := []string{"deny in tun0 perhaps", "deny out tun0 perhaps"}
	for what, tt := range map[string]struct {
		text  string
		says  []string
		lists map[string][]string
	}{
		"one peer": {listed, applied, map[string][]string{from: {"permit from 10.61.64.0/24", "permit from fd61:64::/64"},
			to: {"permit to 10.61.64.0/24", "permit to fd61:64::/64"}}},
		"which of two peers sends is not seen": {listed + "\npeer: cccc=\n  allowed ips: 10.61.65.0/24\n", applied,
			map[string][]string{from: {"permit from 10.61.64.0/24 perhaps", "permit from fd61:64::/64 perhaps", "permit from 10.61.65.0/24 perhaps"},
				to: {"permit to 10.61.64.0/24", "permit to fd61:64::/64", "permit to 10.61.65.0/24 perhaps"}}},
		"nobody knows where the peer is": {"interface: tun0\npeer: cccc=\n  endpoint: (none)\n  allowed ips: 10.61.65.0/24\n", applied,
			map[string][]string{from: {"permit from 10.61.65.0/24"}, to: {"permit to 10.61.65.0/24 perhaps"}}},
		"a peer of which nothing is told": {listed + "\npeer: cccc=\n", open, map[string][]string{}},
		"an address that is none":         {"interface: tun0\npeer: cccc=\n  allowed ips: 10.61.65.0/24, 10.61\n", open, map[string][]string{}},
		"cut in the middle of a line":     {"interface: tun0\npeer: cccc=\n  allowed ips: 10.61.65.0/24, 10.61.6.0/2", open, map[string][]string{}},
		"no peer":                         {"interface: tun0\n  public key: aaaa=\n", open, map[string][]string{}},
		"a configuration does not name its interface": {"[Interface]\nPrivateKey = aaaa=\nAddress = 172.28.61.2/30\n\n[Peer]\nPublicKey = bbbb=\nAllowedIPs = 10.61.64.0/24\n",
			[]string{"deny perhaps", "deny perhaps"}, map[string][]string{}},
	} {
		r := layouttest.Laws(t, Read, []byte(tt.text))
		require.Empty(t, layouttest.Unread([]byte(tt.text), r), what)
		require.Equal(t, tt.says, says(r), what)
		require.Equal(t, tt.lists, layouttest.Lists(r.Facts.ListRules), what)
	}
	require.Positive(t, recognise([]byte(listed)))
	require.Zero(t, recognise([]byte("interface: up0\npeer: 172.28.61.1\nendpoint: here\n")))
	layouttest.Variants(t, Read, listed)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(listed))
	f.Add([]byte("[Interface]\n[Peer]\nAllowedIPs = 10.61.64.0/24\n"))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}
