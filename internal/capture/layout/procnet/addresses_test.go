package procnet

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

const near = "IP address       HW type     Flags       HW address            Mask     Device\n" +
	"10.61.0.9        0x1         0x2         02:0A:00:00:00:09     *        hall0\n" +
	"172.28.61.2      0x1         0x6         02:0a:00:00:00:0b     *        line0\n" +
	"172.28.61.3      0x1         0x0         00:00:00:00:00:00     *        line0\n" +
	"10.61.9.1        0x1         0xc         00:00:00:00:00:00     *        hall0\n"

const own = "00000000000000000000000000000001 01 80 10 80       lo\n" +
	"fd6b0016000000000000000000000001 02 40 00 80    hall0\n" +
	"fe80000000000000000aa0fffe000009 1f 40 20 80    line0\n" +
	"fd6b0016000000000000000000000002 02 40 00 88    hall0\n"

func TestNeighboursAndAddresses(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte(near+own))
	require.Empty(t, r.Unread)
	var got []string
	for _, n := range r.Facts.Neighbours {
		got = append(got, fmt.Sprint(n.Address, " ", n.Interface, " ", n.State, " ", n.MAC, " ", n.Written))
	}
	require.Equal(t, []string{"10.61.0.9 hall0 1 02:0a:00:00:00:09 false", "172.28.61.2 line0 1 02:0a:00:00:00:0b true",
		"172.28.61.3 line0 0  false"}, got)
	got = nil
	for _, a := range r.Facts.Addresses {
		got = append(got, a.Prefix.String()+" "+a.Interface)
	}
	require.Equal(t, []string{"::1/128 lo", "fd6b:16::1/64 hall0", "fe80::a:a0ff:fe00:9/64 line0"}, got, "one that another device has is not used")
	require.Positive(t, recognise([]byte(near)))
	require.Positive(t, recognise([]byte(own)))
}

func TestNeighboursAndAddressesLeftUnread(t *testing.T) {
	for _, row := range []string{
		"10.61.0.900      0x1         0x2         02:0a:00:00:00:09     *        hall0",
		"10.61.0.9        0x1         zz          02:0a:00:00:00:09     *        hall0",
		"10.61.0.9        0x1         0x2         02:0a:00:00:00:09     *",
		"fd6b0016000000000000000000000001 02 99 00 80    hall0",
		"fd6b001600000000000000000000000g 02 40 00 80    hall0",
	} {
		r := layouttest.Laws(t, Read, []byte(near+own+row+"\n"))
		require.Len(t, r.Unread, 1, row)
	}
	for _, text := range []string{near[:len(near)-3], own[:len(own)-3] + "x"} {
		r := Read([]byte(text + "9"))
		require.Len(t, r.Unread, 1, "the name of the interface may go on")
		require.ErrorIs(t, r.Unread[0].Reason, layout.ErrCut)
	}
}
