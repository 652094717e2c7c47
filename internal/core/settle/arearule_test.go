package settle

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestWhichAreaComesFirst: by each rule, and by none where both say the same; of equal ways nobody knows.
func TestWhichAreaComesFirst(t *testing.T) {
	way := func(area string, dist uint64, arc int) areaWay {
		return areaWay{area, areaPath{dist: dist, arcs: []int{arc}}}
	}
	over, far, near, equal := way(backbone, 10, 0), way("0.0.0.1", 20, 1), way("0.0.0.2", 5, 2), way("0.0.0.3", 20, 3)
	const open = -1
	for _, tt := range []struct {
		name                   string
		ways                   []areaWay
		nearest, last, unknown int
	}{
		{"one way", []areaWay{over}, 0, 0, 0},
		{"the backbone is nearer", []areaWay{over, far}, 0, 1, open},
		{"another area is nearer", []areaWay{over, near}, 2, 2, 2},
		{"two others", []areaWay{far, over, near}, 2, 2, 2},
		{"two others that are equal", []areaWay{over, far, equal}, 0, open, open},
		{"all are equal", []areaWay{far, equal}, open, open, open},
	} {
		t.Run(tt.name, func(t *testing.T) {
			taken := func(rule areaRule) int {
				if x := rule.choose(tt.ways); !x.open {
					return x.arcs[0]
				}
				return open
			}
			require.Equal(t, []int{tt.nearest, tt.last, tt.unknown},
				[]int{taken(nearestArea), taken(backboneLast), taken(ruleNotKnown)})
			if tt.unknown == open {
				require.Equal(t, open, taken(rulesDiffer))
			}
		})
	}
}
