package procnet

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

const names = "Iface\tDestination\tGateway \tFlags\tRefCnt\tUse\tMetric\tMask\t\tMTU\tWindow\tIRTT                                                       \n"

const four = names + `line0	00000000	013D1CAC	0003	0	0	100	00000000	0	0	0
hall0	00103D0A	00000000	0001	0	0	0	00FFFFFF	0	0	0
line0	00203D0A	053D1CAC	0003	0	0	0	00F0FFFF	0	0	0
*	00403D0A	00000000	0201	0	0	0	00FFFFFF	0	0	0
*	00413D0A	00000000	0001	0	0	0	00FFFFFF	0	0	0
line0	09503D0A	053D1CAC	0007	0	0	0	FFFFFFFF	0	0	0
`

const six = `fd6b0016000000000000000000000000 40 00000000000000000000000000000000 00 00000000000000000000000000000000 00000100 00000001 00000000 00000001    hall0
fd6b0017000000000000000000000000 40 00000000000000000000000000000000 00 00000000000000000000000000000000 00000400 00000001 00000000 00000201       lo
fd6b0018000000000000000000000009 80 00000000000000000000000000000000 00 fe80000000000000000000000000005a 00000400 00000001 00000000 01000003    line0
00000000000000000000000000000000 00 00000000000000000000000000000000 00 fe80000000000000000000000000005a 00000400 00000002 00000000 00000003    line0
fd6b0016000000000000000000000001 80 00000000000000000000000000000000 00 00000000000000000000000000000000 00000000 00000002 00000000 80200001    hall0
ff000000000000000000000000000000 08 00000000000000000000000000000000 00 00000000000000000000000000000000 00000100 00000004 00000000 00000001    hall0
00000000000000000000000000000000 00 00000000000000000000000000000000 00 00000000000000000000000000000000 ffffffff 00000001 00000000 00200200       lo
`

func TestRead(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte(four))
	require.Equal(t, []string{"2 0.0.0.0/0 other -/100 via 172.28.61.1 dev line0", "3 10.61.16.0/24 direct -/0 dev hall0",
		"4 10.61.32.0/20 other -/0 via 172.28.61.5 dev line0", "5 10.61.64.0/24 other -/0 unreachable",
		"6 10.61.65.0/24 other -/0 blackhole", "7 10.61.80.9/32 other -/0 via 172.28.61.5 dev line0"}, layouttest.Words([]byte(four), r))
	require.Empty(t, r.Unread)
	layouttest.Variants(t, Read, four)

	r = layouttest.Laws(t, Read, []byte(six))
	require.Equal(t, []string{"1 fd6b:16::/64 direct -/256 dev hall0", "2 fd6b:17::/64 other -/1024 unreachable",
		"4 ::/0 other -/1024 via fe80::5a dev line0", "5 fd6b:16::1/128 local -/0 receive dev hall0",
		"6 ff00::/8 other -/256 multicast dev hall0", "7 ::/0 other -/4294967295 unreachable"}, layouttest.Words([]byte(six), r))
	require.Empty(t, r.Unread)
	layouttest.Variants(t, Read, six)
}

// TestAnotherTableInFront: the file shows all tables of IPv6 one behind the other.
func TestAnotherTableInFront(t *testing.T) {
	const other = "00000000000000000000000000000000 00 00000000000000000000000000000000 00 fe80000000000000000000000000005b " +
		"00000400 00000002 00000000 00000003    line1\n"
	tables := Read([]byte(other + six)).Facts.Tables
	require.Len(t, tables, 2)
	require.Equal(t, 6, tables[0].Routes.Len())
	require.Equal(t, []any{"unnumbered 1", true, "line1"},
		[]any{tables[1].Name, tables[1].ByRule, tables[1].Routes.At(0).NextHops[0].Interface})
}

// TestTheOrderOfBytes is told by the masks; where all are of one kind of bytes nobody knows it.
func TestTheOrderOfBytes(t *testing.T) {
	big := names + "hall0\t0A3D1000\t00000000\t0001\t0\t0\t0\tFFFFFF00\t0\t0\t0\nline0\t0A3D2009\tAC1C3D01\t0007\t0\t0\t0\tFFFFFFFF\t0\t0\t0\n"
	require.Equal(t, []string{"2 10.61.16.0/24 direct -/0 dev hall0", "3 10.61.32.9/32 other -/0 via 172.28.61.1 dev line0"},
		layouttest.Words([]byte(big), Read([]byte(big))))
	either := names + "line0\t00000000\t013D1CAC\t0003\t0\t0\t0\t00000000\t0\t0\t0\n"
	r := layouttest.Laws(t, Read, []byte(either))
	require.Empty(t, r.Facts.Tables)
	require.ErrorIs(t, r.Unread[0].Reason, errOrder)
}

// TestLeftUnread: what a row does not say in full makes no route.
func TestLeftUnread(t *testing.T) {
	for _, row := range []string{
		"hall0\t00103D0A\t00000000\t0001\t0\t0\t0\t00FF00FF\t0\t0\t0", // then no order fits all masks
		"hall0\t01103D0A\t00000000\t0001\t0\t0\t0\t00FFFFFF\t0\t0\t0",
		"hall0\t00103D0A\t00000000\t0003\t0\t0\t0\t00FFFFFF\t0\t0\t0",
		"hall0\t00103D0A\t00000000\t0000\t0\t0\t0\t00FFFFFF\t0\t0\t0",
		"hall0\t00103D0\t00000000\t0001\t0\t0\t0\t00FFFFFF\t0\t0\t0",
		"hall0\t00103D0A\t00000000\t0001\t0\t0\tx\t00FFFFFF\t0\t0\t0",
		"fd6b0016000000000000000000000000 81 00000000000000000000000000000000 00 00000000000000000000000000000000 00000100 00000001 00000000 00000001 hall0",
		"fd6b0016000000000000000000000001 40 00000000000000000000000000000000 00 00000000000000000000000000000000 00000100 00000001 00000000 00000001 hall0",
		"fd6b0016000000000000000000000000 40 fd6b0018000000000000000000000000 40 00000000000000000000000000000000 00000100 00000001 00000000 00000001 hall0",
		"fd6b001600000000000000000000000g 40 00000000000000000000000000000000 00 00000000000000000000000000000000 00000100 00000001 00000000 00000001 hall0",
		"a line of something else",
	} {
		in := []byte(names + row + "\n")
		r := layouttest.Laws(t, Read, in)
		require.Empty(t, r.Facts.Tables, row)
		require.Len(t, r.Unread, 1, row)
	}
	r := Read([]byte(strings.TrimSuffix(four, "\t0\n")))
	require.True(t, r.Facts.Tables[0].Cut, "the last line is cut")
	cut := strings.SplitAfter(six, "\n")[1]
	require.Empty(t, Read([]byte(cut[:len(cut)-3])).Facts.Tables, "the name may go on")
	require.Positive(t, recognise([]byte(four)))
	require.Positive(t, recognise([]byte(six)))
	require.Zero(t, recognise([]byte("Kernel IP routing table\nDestination Gateway Genmask Flags MSS Window irtt Iface\n")))
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(four))
	f.Add([]byte(six))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}
