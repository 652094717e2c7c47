package snmp

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestColumnsGoDown: a walk in which some rows are missing from some columns, whose lines stand in another order, or
// whose forms change, tells the same routes as its lines one by one do, where nothing is expected of the next line.
func TestColumnsGoDown(t *testing.T) {
	heads := [][3]string{ // named, numeric, of the older table
		{"IP-FORWARD-MIB::inetCidrRouteIfIndex.", "IP-FORWARD-MIB::inetCidrRouteType.", "IP-FORWARD-MIB::inetCidrRouteMetric1."},
		{".1.3.6.1.2.1.4.24.7.1.7.", "iso.3.6.1.2.1.4.24.7.1.8.", "1.3.6.1.2.1.4.24.7.1.12."},
		{"IP-FORWARD-MIB::ipCidrRouteIfIndex.", "IP-FORWARD-MIB::ipCidrRouteType.", ".1.3.6.1.2.1.4.24.4.1.11."},
	}
	went := 0
	for seed := range uint64(200) {
		rnd := rand.New(rand.NewPCG(seed, 5))
		var lines []string
		for c, head := range heads[rnd.IntN(len(heads))] {
			for i := range 12 {
				index := fmt.Sprintf("1.4.10.61.%d.0.24.2.0.0.1.4.172.28.%d.1", i, i%3)
				if strings.Contains(head, "ipCidr") || strings.Contains(head, ".24.4.") {
					index = fmt.Sprintf("10.61.%d.0.255.255.255.0.0.172.28.%d.1", i, i%3)
				}
				value := []string{"INTEGER: 3", "INTEGER: remote(4)", "3", "STRING: x", "INTEGER: much"}[min(rnd.IntN(30), 4)*rnd.IntN(2)]
				if rnd.IntN(12) > 0 {
					lines = append(lines, fmt.Sprint(head, index, " = ", value))
				}
				if c == 0 && rnd.IntN(20) == 0 {
					lines = append(lines, "IP-MIB::ipForwarding.0 = INTEGER: 1")
				}
			}
		}
		if rnd.IntN(4) == 0 {
			rnd.Shuffle(len(lines), func(i, k int) { lines[i], lines[k] = lines[k], lines[i] })
		}
		text := []byte(strings.Join(lines, "\n") + "\n")
		apart := []byte(strings.Join(lines, "\nIP-MIB::ipForwarding.0 = INTEGER: 1\n") + "\n") // each line stands by itself
		one, two := layouttest.Laws(t, Read, text), layouttest.Laws(t, Read, apart)
		require.Equal(t, withoutLines(layouttest.Words(apart, two)), withoutLines(layouttest.Words(text, one)), "seed %d\n%s", seed, text)
		require.Equal(t, withoutLines(layouttest.Unread(apart, two)), withoutLines(layouttest.Unread(text, one)), "seed %d\n%s", seed, text)
		went += one.Routes()
	}
	require.Greater(t, went, 1000)
}

func TestPlainIntegers(t *testing.T) {
	for _, s := range []string{"3", "local(3)", "3)", "(3", "()", "", "-1", "a(b)", "x(3)y", "18446744073709551615", "18446744073709551616"} {
		want, ok := integer(s)
		got, plain := plainInteger([]byte(s))
		require.Equal(t, ok, plain, s)
		if ok {
			require.Equal(t, want, got, s)
		}
	}
}

// withoutLines leaves out the numbers of lines in front.
func withoutLines(words []string) []string {
	words = slices.Clone(words)
	for i, w := range words {
		_, words[i], _ = strings.Cut(w, " ")
	}
	return words
}
