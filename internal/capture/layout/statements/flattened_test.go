package statements

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout/layouttest"
)

// TestWithoutTheBlanks in front of its lines a configuration says the same, however its blocks end.
func TestWithoutTheBlanks(t *testing.T) {
	for name, in := range map[string]string{
		"signs": `hostname hub
!
ip access-list extended GATE
 deny ip 10.61.16.0 0.0.0.255 10.61.64.0 0.0.0.255
 permit ip any any
!
interface hall
 description the hall
 ip address 10.61.16.1 255.255.255.0
 ip access-group GATE in
!
interface line1
 vrf forwarding guests
 ip address 172.28.61.1 255.255.255.252
 shutdown
!
router ospf 1
 network 10.61.16.0 0.0.0.255 area 0
!
ip route 10.62.0.0 255.255.0.0 172.28.61.2
ip route 10.63.0.0 255.255.0.0 172.28.61.2
!
end
`,
		"other signs": `#
 sysname hub
#
acl number 3001
 rule 5 deny ip source 10.61.16.0 0.0.0.255
#
interface hall0
 ip address 10.61.16.1 255.255.255.0
 traffic-filter inbound acl 3001
#
interface line1
 ip address 172.28.61.1 255.255.255.252
#
ip route-static 10.62.0.0 255.255.0.0 172.28.61.2
#
return
`,
		"blank lines": `ip access-list GATE
  10 deny ip 10.61.16.0/24 any

ip route 10.62.0.0/16 172.28.61.2

interface hall0
  ip access-group GATE in
  ip address 10.61.16.1/24

interface line1
  ip address 172.28.61.1/30

line console
`,
		"a word": `interface 0/1
 ip address 10.61.16.1 255.255.255.0
 ip access-group GATE in
exit
interface 0/2
 ip address 172.28.61.1 255.255.255.252
exit
ip route 10.62.0.0 255.255.0.0 172.28.61.2
`,
	} {
		flat := regexp.MustCompile(`(?m)^ +`).ReplaceAllString(in, "")
		want, got := Read([]byte(in)), Read([]byte(flat))
		require.Equal(t, withoutPlaces(layouttest.Facts([]byte(in), want)), withoutPlaces(layouttest.Facts([]byte(flat), got)), name)
		require.NotEmpty(t, got.Facts.Applied, name)
		require.Len(t, got.Facts.Addresses, 2, name)
		require.NotEmpty(t, got.Facts.Statics, name)
	}
}

// withoutPlaces takes the lines that facts stand on out of their words.
func withoutPlaces(facts []string) []string {
	for i := range facts {
		facts[i] = strings.Join(strings.Fields(facts[i]), " ")
	}
	return facts
}
