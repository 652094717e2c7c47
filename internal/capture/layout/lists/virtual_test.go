package lists

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

var virtualTests = []struct {
	name, in     string
	want, unread []string
}{
	{"rows, the address last", `                     P indicates configured to preempt.
                     |
Interface   Grp  Pri P State   Active          Standby         Virtual IP
Vl16        16   110 P Active  local           10.61.16.3      10.61.16.1
Vl17        17   90  P Standby 10.61.17.3      local           10.61.17.1
Vl18        18   90    Init    unknown         unknown         10.61.18.1
Vl19        19   90  P Standby 10.61.19.3      local
Vl20        20   90  P Polish  10.61.20.3      local           10.61.20.1
`, []string{"4 10.61.16.1 Vl16 has it", "5 10.61.17.1 Vl17 waits", "6 10.61.18.1 Vl18 waits"},
		[]string{"7 not in the form of this layout", "8 no state that is known stands there, or two do"}},
	{"rows, the interface third", `VRID  State        Interface                Type     Virtual IP
----------------------------------------------------------------
1     Master       GE0/0/1                  Normal   10.61.16.1
2     Backup       GE0/0/2                  Normal   10.61.17.1
`, []string{"3 10.61.16.1 GE0/0/1 has it", "4 10.61.17.1 GE0/0/2 waits"}, nil},
	{"rows, names to the right", `      Interface  VR IpVersion Pri   Time Pre State   VR IP address
---------------------------------------------------------------
         Vlan16  16   IPV4     100    1 s  Y  Master     10.61.16.1
`, []string{"3 10.61.16.1 Vlan16 has it"}, nil},
	{"an own and a virtual address in rows of their own", `Interface     State       Group   VR state       VR Mode    Type   Address
line0.0       up              1   master          Active    lcl    10.61.16.2
                                                            vip    10.61.16.1
                                                            vip    10.61.16.4
line1.0       up              2   backup          Active    lcl    10.61.17.2
                                                            vip    10.61.17.1
`, []string{"3 10.61.16.1 line0.0 has it", "6 10.61.17.1 line1.0 waits"}, []string{"4 not in the form of this layout"}},
	{"paragraphs", `Vlan16 - Group 16 (version 2)
  State is Active
    5 state changes, last state change 1w2d
  Virtual IP address is 10.61.16.1
  Active router is local
  GigabitEthernet0/0/1 | Virtual Router 17
    State : Backup
    Virtual IP : 10.61.17.1
    State : Master
    Virtual IP : 10.61.18.1
Interface: line7
   VRID             : 1                   Admin status   : Up
   Config priority  : 110                 State : Master
   Virtual IP       : 10.61.19.1
`, []string{"4 10.61.16.1 Vlan16 has it", "8 10.61.17.1 GigabitEthernet0/0/1 waits", "14 10.61.19.1 line7 has it"},
		[]string{"9 no state that is known stands there, or two do", "10 not in the form of this layout"}},
}

func TestVirtual(t *testing.T) {
	for _, tt := range virtualTests {
		t.Run(tt.name, func(t *testing.T) {
			in := []byte(tt.in)
			r := layouttest.Laws(t, ReadVirtual, in)
			var got []string
			for _, v := range r.Facts.Virtuals {
				got = append(got, fmt.Sprintf("%d %s %s %s", 1+strings.Count(tt.in[:v.Mark.Off], "\n"), v.Address, v.Interface, [...]string{"is not told", "has it", "waits"}[v.Holding]))
			}
			require.Equal(t, tt.want, got)
			require.Equal(t, tt.unread, layouttest.Unread(in, r))
			require.Positive(t, recogniseVirtual(in))
		})
	}
}

func FuzzVirtual(f *testing.F) {
	for _, tt := range virtualTests {
		f.Add([]byte(tt.in))
	}
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, ReadVirtual, in) })
}
