package rtnetlink

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

const dump = `tab=255 vf=0 scope=253 type=3 proto=2 prio=0 0.0.0.0/0.0.0.0/0->10.61.16.255/32 pref=10.61.16.1 gwy=0.0.0.0 dev=6(hall0)
tab=255 vf=0 scope=254 type=2 proto=2 prio=0 0.0.0.0/0.0.0.0/0->10.61.16.1/32 pref=10.61.16.1 gwy=0.0.0.0 dev=6(hall0)
tab=254 vf=0 scope=0 type=1 proto=11 prio=0 0.0.0.0/0.0.0.0/0->0.0.0.0/0 pref=0.0.0.0 gwy=172.28.61.1 dev=5(line0)
tab=254 vf=0 scope=253 type=1 proto=2 prio=0 0.0.0.0/0.0.0.0/0->10.61.16.0/24 pref=10.61.16.1 gwy=0.0.0.0 dev=6(hall0)
tab=254 vf=0 scope=0 type=1 proto=188 prio=20 0.0.0.0/0.0.0.0/0->10.61.32.0/24 pref=0.0.0.0 gwy=172.28.61.5 flag=00 hops=0 oif=7(line1) gwy=172.28.61.9 flag=00 hops=0 oif=8(line2)
tab=254 vf=0 scope=0 type=6 proto=4 prio=0 0.0.0.0/0.0.0.0/0->10.61.46.0/24 pref=0.0.0.0 gwy=0.0.0.0 dev=1(lo)
tab=50 vf=0 scope=0 type=1 proto=4 prio=0 0.0.0.0/0.0.0.0/0->10.61.47.0/24 pref=0.0.0.0 gwy=172.28.61.5 dev=7(line1)
tab=254 vf=3 scope=0 type=1 proto=4 prio=0 0.0.0.0/0.0.0.0/0->10.61.48.0/24 pref=0.0.0.0 gwy=172.28.61.5 dev=7(line1)
tab=254 vf=0 scope=0 type=7 proto=4 prio=0 0.0.0.0/0.0.0.0/0->10.61.49.0/24 pref=0.0.0.0 gwy=0.0.0.0 dev=0()
`

func TestRead(t *testing.T) {
	r := layouttest.Laws(t, Read, []byte(dump))
	require.Equal(t, []string{"1 10.61.16.255/32 kernel -/0 broadcast", "2 10.61.16.1/32 local -/0 receive dev hall0", "3 0.0.0.0/0 other -/0 via 172.28.61.1 dev line0", "4 10.61.16.0/24 direct -/0 dev hall0",
		"5 10.61.32.0/24 ospf -/20 via 172.28.61.5 dev line1 via 172.28.61.9 dev line2", "6 10.61.46.0/24 static -/0 blackhole", "9 10.61.49.0/24 static -/0 unreachable",
		"7 (50) 10.61.47.0/24 static -/0 via 172.28.61.5 dev line1", "8 (3) 10.61.48.0/24 static -/0 via 172.28.61.5 dev line1"}, layouttest.Words([]byte(dump), r))
	require.Equal(t, []string{"4 address {Prefix:10.61.16.1/24 Interface:hall0 Table: Configured:false First:false Mark:{File:0 Off:0 End:0}}"}, layouttest.Facts([]byte(dump), r))
	require.True(t, r.Facts.Tables[1].ByRule)
}

// TestLeftUnread: what a row does not say in full makes no route.
func TestLeftUnread(t *testing.T) {
	const good = "tab=254 vf=0 scope=0 type=1 proto=11 prio=0 0.0.0.0/0.0.0.0/0->10.61.32.0/24 pref=0.0.0.0 gwy=172.28.61.1 dev=5(line0)\n"
	for _, row := range []string{
		"tab=254 vf=0 scope=0 type=1 proto=11 prio=0 10.61.16.0/255.255.255.0/0->10.61.32.0/24 pref=0.0.0.0 gwy=172.28.61.1 dev=5(line0)",
		"tab=254 vf=0 scope=0 type=1 proto=11 prio=0 0.0.0.0/0.0.0.0/0->10.61.32.0/33 pref=0.0.0.0 gwy=172.28.61.1 dev=5(line0)",
		"tab=254 vf=0 scope=0 type=1 proto=11 prio=0 0.0.0.0/0.0.0.0/0->10.61.32.0/24 pref=0.0.0.0 gwy=172.28.61.310 dev=5(line0)",
		"tab=254 vf=0 scope=0 type=1 proto=11 prio=0 0.0.0.0/0.0.0.0/0->10.61.32.0/24 pref=0.0.0.0 gwy=172.28.61.1 dev=5",
		"tab=254 vf=0 scope=0 type=1 proto=11 prio=0 0.0.0.0/0.0.0.0/0->10.61.32.0/24 pref=0.0.0.0 gwy=172.28.61.1 dev=0()",
		"tab=254 vf=0 scope=0 type=19 proto=11 prio=0 0.0.0.0/0.0.0.0/0->10.61.32.0/24 pref=0.0.0.0 gwy=172.28.61.1 dev=5(line0)",
		"tab=main vf=0 scope=0 type=1 proto=11 prio=0 0.0.0.0/0.0.0.0/0->10.61.32.0/24 pref=0.0.0.0 gwy=172.28.61.1 dev=5(line0)",
		"tab=254 vf=0 scope=0 type=1 proto=11 prio=x 0.0.0.0/0.0.0.0/0->10.61.32.0/24 pref=0.0.0.0 gwy=172.28.61.1 dev=5(line0)",
		"tab=254 vf=0 scope=0 type=1 proto=11 prio=0 0.0.0.0/0.0.0.0/0->10.61.32.0/24 pref=0.0.0.0 gwy=172.28.61.1 and more",
		"a line of something else",
	} {
		r := Read([]byte(row + "\n" + good))
		require.Equal(t, []string{"2 10.61.32.0/24 other -/0 via 172.28.61.1 dev line0"}, layouttest.Words([]byte(row+"\n"+good), r), row)
		require.Len(t, r.Unread, 1, row)
	}
	require.True(t, Read([]byte(good + good[:60])).Facts.Tables[0].Cut, "the last line is cut")
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(dump))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}
