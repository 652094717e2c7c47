package snmp

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestRows: a row is found by its index, whatever the order in which indexes come and whichever texts were kept, as a
// map of all of them finds it.
func TestRows(t *testing.T) {
	for seed := range uint64(300) {
		rnd := rand.New(rand.NewPCG(seed, 8))
		r, all := reader{}, map[string]*routeRow{}
		next := [2]uint32{}
		orderly, nameless := rnd.IntN(2) == 0, rnd.IntN(2) == 0
		for range 60 {
			table, index := byte(4), []uint32{rnd.Uint32N(8), rnd.Uint32N(30)}
			if orderly && rnd.IntN(3) > 0 { // the next one
				next[1]++
				index = []uint32{next[0], next[1]}
				if next[1] == 12 {
					next = [2]uint32{next[0] + 1}
				}
			}
			if !orderly && rnd.IntN(4) == 0 {
				table = 7
			}
			key := fmt.Sprint(table, index)
			row, fresh := r.rowOf(table, index, 0, 0)
			require.Equal(t, all[key] == nil, fresh, "seed %d: %s", seed, key)
			if fresh {
				all[key] = row
			}
			require.Same(t, all[key], row, "seed %d: %s", seed, key)
			require.Same(t, row, r.order[row.place])
			if row.index == nil && (!nameless || rnd.IntN(9) > 0) {
				row.index = []byte(strings.Trim(strings.ReplaceAll(fmt.Sprint(index), " ", "."), "[]"))
			}
		}
	}
}
