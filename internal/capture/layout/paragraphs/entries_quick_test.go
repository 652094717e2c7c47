package paragraphs

import (
	"strings"
	"testing"

	"zarvek/internal/capture/layout/layouttest"
)

// TestEntriesOfALargeTableSayWhatTheySayAlone: what lines have in common is read once.
func TestEntriesOfALargeTableSayWhatTheySayAlone(t *testing.T) {
	rows := layouttest.Rows(4000, layouttest.IPv4,
		"<P>, epoch 2\n  nexthop 10.61.0.9 d0",
		"<P>, version <M>, epoch 2\n  nexthop 10.61.0.9 d0\n  nexthop 10.61.0.8 d1",
		"<P>\n  attached to d<M>",
		"<P>\n  attached to Null0",
		"<P>, epoch 2\n0 packets, 0 bytes\n  recursive via 10.9.9.9\n    nexthop 10.61.0.9 d0",
		"<P>, epoch 2\n  recursive via 10.9.9.9",
		"<P>, epoch 2\n  receive for d0",
		"<P>, epoch 2\n  no route",
		"1<P>, epoch 2\n  nexthop 10.61.0.9 d0",
		"<P>, mood 2\n  nexthop 10.61.0.9 d0",
		"<P>, epoch 2\n  nexthop 10.61.0.900 d0",
		"<P>/9, epoch 2\n  nexthop 10.61.0.9 d0",
	)
	layouttest.Alone(t, ReadEntries, "", "\n", "\n", rows)
	layouttest.Laws(t, ReadEntries, []byte(strings.Join(rows, "\n")+"\n"))
}
