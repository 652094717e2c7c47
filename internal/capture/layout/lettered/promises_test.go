package lettered

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestRemarks: a remark in brackets says nothing of the table, unless it names one; a discard is one in any case of
// letters.
func TestRemarks(t *testing.T) {
	in := plain + "S    10.61.2.0/24 [1/0] via 172.28.61.7, eth0 (kept in hardware)\n" +
		"S    10.61.3.0/24 [1/0] via 172.28.61.7 (nexthop in vrf depot), eth0\n" +
		"S    10.61.4.0/24 [1/0] is directly connected, null0\n" +
		"S    10.61.5.0/24 [1/0] via 172.28.61.7 (depot)\n" +
		"S    10.61.6.0/24 [1/0] via 172.28.61.7 (backup), eth0\n" +
		"B    10.61.7.0/24 [200/0] via 172.28.99.1 (recursive via tun1 tunnel 172.28.99.1), 01:02:03\n"
	require.Equal(t, []string{"5 10.61.2.0/24 static 1/0 via 172.28.61.7 dev eth0: active installed",
		"6 10.61.3.0/24 static 1/0 via 172.28.61.7 dev eth0 in depot: active installed",
		"7 10.61.4.0/24 static 1/0 blackhole: active installed",
		"8 10.61.5.0/24 static 1/0 via 172.28.61.7 in depot: active installed",
		"9 10.61.6.0/24 static 1/0 via 172.28.61.7 dev eth0 backup: active installed",
		"10 10.61.7.0/24 other/code B 200/0 via 172.28.99.1 recursive encapsulated: active installed"}, layouttest.Words([]byte(in), Reader.Read([]byte(in))))
}

// TestTheKeyEndsWithIt: what looks like a part of the key behind the key is a row that cannot be read.
func TestTheKeyEndsWithIt(t *testing.T) {
	in := "   Codes: C - attached, S - static\n\nS    10.61.2.0/24 [1/0] via 172.28.61.7, eth0\nX - something else\n"
	r := Reader.Read([]byte(in))
	require.Len(t, r.Unread, 1)
	require.Equal(
		t,
		[]string{"3 10.61.2.0/24 static 1/0 via 172.28.61.7 dev eth0: active installed"},
		layouttest.Words([]byte(in), r),
	)
	require.Positive(t, Reader.Recognise([]byte(in)), "an indented key")
	require.Positive(t, Reader.Recognise([]byte("\n\n"+in)), "blank lines on top")
}

// TestWhatIsRefused is told from what is discarded.
func TestWhatIsRefused(t *testing.T) {
	in := plain + "S    10.61.5.0/24 [1/0] is a reject route\nS    10.61.6.0/24 [1/0] is a blackhole route\nS    10.61.7.0/24 [1/0] unreachable\n"
	require.Equal(t, []string{"5 10.61.5.0/24 static 1/0 unreachable: active installed", "6 10.61.6.0/24 static 1/0 blackhole: active installed",
		"7 10.61.7.0/24 static 1/0 unreachable: active installed"}, layouttest.Words([]byte(in), Reader.Read([]byte(in))))
}
