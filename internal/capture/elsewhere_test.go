package capture

import (
	"cmp"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestElsewhere(t *testing.T) {
	for _, c := range []struct {
		command, device, space string
		away                   bool
	}{
		{"ip route", "hub", "", false},
		{"sudo ip route", "hub", "", false},
		{"timeout 5 ip route", "hub", "", false},
		{"ip netns exec blue ip route", "hub", "blue", false},
		{"ip -n blue route", "hub", "blue", false},
		{"ip vrf exec red ip route", "hub", "", false},
		{"show ip route", "hub", "", false},
		{"run show route", "hub", "", false},
		{"show run | include ip route", "hub", "", false},
		{"show running-config ip route", "hub", "", false},
		{"show run ip route", "hub", "", false},
		{"show exec ip", "hub", "", false},
		{"cli run show route", "hub", "", false},
		{"vtysh -c 'show ip route'", "hub", "", false},
		{"ssh root@mast3 'ip route'", "mast3", "", false},
		{"ssh -q -p 2222 mast3.ropeway ip -6 route | cat", "mast3.ropeway", "", false},
		{"ssh mast3 ip netns exec blue ip route", "mast3", "blue", false},
		{"ssh mast3 show ip route vrf red", "mast3", "", false},
		{"ssh mast3 ifconfig", "mast3", "", false},
		{"ssh mast3", "hub", "", true},
		{"ssh root@mast3 -p 2222", "hub", "", true},
		{"ssh mast3 vrf lifts", "hub", "", true},
		{"ssh mast3 bash", "hub", "", true},
		{"ssh 172.28.61.6 ip route", "hub", "", true},
		{"ssh -J gate mast3 ip route", "mast3", "", false},
		{"box exec till ip route", "hub", "till", false},
		{"box exec -it till ip route", "hub", "till", false},
		{"box container exec till -- /sbin/ip route", "hub", "till", false},
		{"box exec -n shop till-0 -c main -- ip route", "hub", "", true},
		{"box run --rm till ip route", "hub", "", true},
		{"nsenter -t 4711 -n ip route", "hub", "", true},
		{"sshpass -f key ssh mast3 ip route", "mast3", "", false},
		{"box mast3 ip route", "hub", "", true},
		{"box ssh mast3 -c \"ip route\"", "hub", "", true},
		{"box mast3 cmd.run \"ip -6 route\"", "hub", "", true},
		{"cell mast3 netstat -rn", "hub", "", true},
		{"watch -n 1 ip route", "hub", "", false},
		{"for i in 1 2; do ip route; done", "hub", "", false},
		{"echo; ip route", "hub", "", false},
		{"clear; ip route", "hub", "", false},
		{"uname -n; ip route", "hub", "", false},
		{"diag ip route list", "hub", "", false},
		{"admin show ip route", "hub", "", false},
		{"terminal length 0", "hub", "", false},
		{"no vrf lifts ip route 10.61.0.0/24", "hub", "", false},
		{"telnet 172.28.61.6", "hub", "", true},
		{"exit", "hub", "", true},
		{"snmpwalk -v2c -c hall -On mast3 .1.3.6.1.2.1.4.24", "mast3", "", false},
		{"snmpbulkwalk -v 2c -c hall -O n -d udp:mast3:1161 ipCidrRouteTable", "mast3", "", false},
		{"/usr/bin/snmpwalk -v3 -u night -l authPriv -a SHA -A one -x AES -X two 172.28.61.6", "172.28.61.6", "", false},
		{"sudo snmptable -v2c -c hall localhost:1161 ipCidrRouteTable", "hub", "", false},
		{"snmpwalk -v2c -c hall 127.0.0.1", "hub", "", false},
		{"snmpwalk -v2c -c hall udp6:[fd6b::1] .1", "hub", "", true},
		{"snmpwalk -v2c -c", "hub", "", true},
		{"curl -sk -u night:x https://mast3:8443/restconf/data/ietf-routing:routing", "mast3", "", false},
		{"curl -s http://localhost/restconf/data", "hub", "", false},
		{"curl -s http://files/night/mast3.txt", "hub", "", true},
		{"wget -qO- files/night/mast3.txt", "hub", "", true},
		{"gnmi_get -target_addr mast3:9339", "hub", "", true},
		{"snmp-server community hall", "hub", "", false},
	} {
		device, command := onOther(c.command)
		agent, _ := asksAgent(command)
		require.Equal(t, c.device, cmp.Or(device, agent, "hub"), c.command)
		require.Equal(t, c.away, elsewhere(command), c.command)
		require.Equal(t, c.space, commandSpace(command), c.command)
	}
}
