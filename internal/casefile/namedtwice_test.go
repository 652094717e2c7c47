package casefile

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestOneNameInTwoInstances is two interfaces where what they attach to has nothing in common.
func TestOneNameInTwoInstances(t *testing.T) {
	const (
		key  = "Codes: C - connected, S - static\n\n"
		own  = "C    10.61.16.0/24 is directly connected, hall\nC    172.28.61.0/30 is directly connected, line1\n"
		yard = "Routing Table: yard\n" + key
		list = "Interface Table (Service: 7)\n" +
			"Interface-Name                   Adm       Opr(v4/v6)  Mode    Port/SapId\n" +
			"   IP-Address                                                  PfxState\n"
		base = "Interface Table (Router: Base)\n" +
			"Interface-Name                   Adm       Opr(v4/v6)  Mode    Port/SapId\n" +
			"   IP-Address                                                  PfxState\n"
		hall  = "hall                             Up        Up/Down     Network 1/1/1\n"
		first = "   10.61.16.1/24                                               n/a\n"
		other = "   10.62.16.1/24                                               n/a\n"
	)
	for _, c := range []struct {
		name  string
		files map[string]string
		two   bool
	}{
		{"one table", map[string]string{"a/r.txt": key + own}, false},
		{"two tables, two names", map[string]string{"a/r.txt": key + own,
			"a/y.txt": yard + "C    10.62.16.0/24 is directly connected, yard16\n"}, false},
		{"two tables, one name", map[string]string{"a/r.txt": key + own,
			"a/y.txt": yard + "C    10.62.16.0/24 is directly connected, hall\n"}, true},
		{"a route of the other table too", map[string]string{"a/r.txt": key + own,
			"a/y.txt": yard + "C    10.61.16.0/24 is directly connected, hall\n"}, false},
		{"two devices", map[string]string{"a/r.txt": key + own,
			"b/y.txt": yard + "C    10.62.16.0/24 is directly connected, hall\n"}, false},
		{"addresses of two instances", map[string]string{"a/r.txt": key + own, "a/b.txt": base + hall + first,
			"a/i.txt": list + hall + other}, true},
		{"an address and a table", map[string]string{"a/r.txt": key + own, "a/i.txt": list + hall + other}, true},
		{"one instance", map[string]string{"a/r.txt": key + own, "a/b.txt": base + hall + first + other}, false},
		{"a kernel's further table", map[string]string{
			"a/main.txt": "$ ip route\n10.61.16.0/24 dev hall proto kernel scope link src 10.61.16.1\n",
			"a/more.txt": "$ ip route show table 50\n10.62.16.0/24 dev hall proto kernel scope link src 10.62.16.1\n"}, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := Load(write(t, c.files))
			require.NoError(t, err)
			require.Equal(t, c.two, got.Network.Device("a").Blended().Known())
		})
	}
}
