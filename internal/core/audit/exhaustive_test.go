package audit

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/coretest"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/route"
	"zarvek/internal/core/selection"
	"zarvek/internal/core/topology"
)

// TestClassesAgreeWithLookups sweeps random tables and, in every range, compares what each device is said to do with a
// look into its table, at the range's first and last address: every boundary is one or the other.
func TestClassesAgreeWithLookups(t *testing.T) {
	checked := 0
	for seed := range uint64(40) {
		rnd := rand.New(rand.NewPCG(seed, 60))
		six := seed%2 == 1
		fam := route.IPv4
		if six {
			fam = route.IPv6
		}
		var text strings.Builder
		const devices = 3
		for d := range devices {
			for l := range 4 {
				fmt.Fprintf(&text, "d%d: direct 172.29.%d.0/24 dev e%d\n", d, l, l)
			}
			for range 60 {
				p := randomPrefix(rnd, six)
				hop := fmt.Sprintf("via 172.29.%d.9 dev e%d", rnd.IntN(4), rnd.IntN(4))
				if six {
					hop = strings.Replace(hop, "172.29.", "fd6b::", 1)
					hop = strings.Replace(hop, ".9 dev", ":9 dev", 1)
				}
				switch rnd.IntN(8) {
				case 0:
					hop = "blackhole"
				case 1:
					hop += " candidate"
				}
				fmt.Fprintf(&text, "d%d: static %s %s\n", d, p, hop)
			}
		}
		w := forward.NewWalker(topology.Build(coretest.Build(text.String())))
		a := newAuditor(w, fam)
		k := a.newWorker()
		for _, s := range a.spaces {
			k.begin(s.first)
			from := s.first
			for {
				at, ok := k.nextPoint()
				end := s.last
				if ok && !s.last.less(at) {
					end = at.previous()
				}
				for _, c := range k.cursors {
					for _, x := range []number{from, end} {
						want := selection.Longest(c.table, x.addr(fam))
						var got netip.Prefix
						if c.group >= 0 {
							got = c.table.Routes().Prefix(c.group)
						}
						require.Equal(t, want.Prefix, got, "seed %d: %s", seed, x.addr(fam))
						checked++
					}
				}
				if !ok || s.last.less(at) {
					break
				}
				k.step(at)
				from = at
			}
		}
	}
	t.Logf("%d lookups compared", checked)
	require.Greater(t, checked, 10_000)
}

func randomPrefix(rnd *rand.Rand, six bool) netip.Prefix {
	if six {
		var b [16]byte
		b[0], b[1], b[2], b[3] = 0xfd, 0x6b, byte(rnd.IntN(2)), byte(rnd.IntN(256))
		b[15] = byte(rnd.IntN(256))
		p, _ := netip.AddrFrom16(b).Prefix([]int{0, 8, 16, 20, 28, 32, 64, 120, 128}[rnd.IntN(9)])
		return p
	}
	p, _ := netip.AddrFrom4([4]byte{byte(10 + rnd.IntN(3)), byte(rnd.IntN(4) * 64), byte(rnd.IntN(256)), byte(rnd.IntN(256))}).
		Prefix(rnd.IntN(33))
	return p
}
