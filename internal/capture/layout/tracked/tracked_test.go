package tracked

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

const text = `Track 1
  IP SLA 1 reachability
  Reachability is Down
    3 changes, last change 00:10:11
  Latest operation return code: Timeout
  Tracked by:
    Static IP Routing 0
Track 20
  Interface line0/1 line-protocol
  Line protocol is Up
    1 change, last change 2d03h
Track ID: 5
  State: Negative
  Duration: 0 days 0 hours 12 minutes 30 seconds
Track ID: 6
  State: NotReady

Track Type        Instance                   Parameter        State Last Change
7     ip sla      1                          reachability     Down  00:10:11
8     interface   line0/1                    line-protocol    Up    2d03h
Link Monitor: valley, Status: dead, Server num(1), Flags=0x1 init
	Peer: 172.28.61.1(172.28.61.1)
Link Monitor: summit, Status: alive, Server num(1)
what else stands there
`

func objects(r layout.Reading) []string {
	var got []string
	for _, o := range r.Facts.Tracked {
		got = append(got, fmt.Sprint(o.Name, " ", o.Up))
	}
	return got
}

func TestRead(t *testing.T) {
	in := []byte(text)
	r := layouttest.Laws(t, Read, in)
	require.Equal(t, []string{"1 false", "20 true", "5 false", "7 false", "8 true", "valley false", "summit true"}, objects(r))
	require.Positive(t, recognise(in))
	require.Equal(t, layout.Title, r.Passed[0].As)
	layouttest.Variants(t, Read, text)
}

// A paragraph of which the first line was lost must not speak of the one above it.
func TestOneStateEach(t *testing.T) {
	require.Equal(t, []string{"1 true"},
		objects(Read([]byte("Track 1\n  Reachability is Up\n  IP SLA 2 reachability\n  Reachability is Down\n"))))
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(text))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}
