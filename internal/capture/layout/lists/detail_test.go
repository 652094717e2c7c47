package lists

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

const details = `cable0/1 is up, line protocol is up
  Hardware is Cable, address is 0200.6b6a.0001 (bia 0200.6b6a.0001)
  Internet address is 172.28.61.2/30
  MTU 1500 bytes
Interface hall16 is up, line protocol is down
  HWaddr: 02:00:6b:6a:00:16
  inet 10.61.16.1/24
  inet6 fd6b:16::1/64
cable0/2 is administratively down, line protocol is down
  Internet address is 172.28.61.300/30
stray line
`

func TestReadDetail(t *testing.T) {
	r := layouttest.Laws(t, ReadDetail, []byte(details))
	var got []string
	for _, i := range r.Facts.Interfaces {
		got = append(got, fmt.Sprint(i.Name, " ", i.State, " ", i.MAC))
	}
	for _, a := range r.Facts.Addresses {
		got = append(got, fmt.Sprint(a.Prefix, " ", a.Interface))
	}
	require.Equal(
		t,
		[]string{
			"cable0/1 1 02:00:6b:6a:00:01",
			"hall16 2 02:00:6b:6a:00:16",
			"cable0/2 2 ",
			"172.28.61.2/30 cable0/1",
			"10.61.16.1/24 hall16",
			"fd6b:16::1/64 hall16",
		},
		got,
	)
	require.Equal(
		t,
		[]string{`10 not an address: "172.28.61.300/30"`, "11 not in the form of this layout"},
		layouttest.Unread([]byte(details), r),
	)
	layouttest.Variants(t, ReadDetail, details)
	require.Positive(t, recogniseDetail([]byte(details)))
	require.Zero(t, recogniseDetail([]byte("C    10.0.0.0/8 is directly connected, e0\nthe door is up\n")))
}

func FuzzReadDetail(f *testing.F) {
	f.Add([]byte(details))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadDetail, in) })
}
