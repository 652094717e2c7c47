package notes_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/notes"
)

const full = `hosts:
  till-2: 10.61.64.12
  camera:
    address: 10.61.44.20
    network: 10.61.44.0/26
    gateway: 10.61.44.1
devices:
  tickets:
    forwarding: {ipv4: on, ipv6: off}
    lookup: classful
    equal-cost: all
    source-check: {outside: strict, all: loose}
    stateful: true
    flows:
      - permit tcp from 10.61.64.0/24 to any port 443 in tills out outside
      - refuse udp to 10.61.40.0/24 port 1-1023
      - deny any
    translate:
      - source from 10.61.64.0/24 out outside becomes interface
      - destination tcp to 172.28.61.18 port 443 becomes 10.61.64.10 port 8443
    tunnels:
      tun0: {local: 172.28.61.18, remote: 172.28.61.14}
    statics:
      - 10.61.72.0/24 via 172.28.61.99 preference 200
`

// inCase is what the captures of a small case name; nothing names an interface of depot.
type inCase struct{}

func (inCase) Names() []string { return []string{"depot", "tickets"} }

func (inCase) Interfaces(device string) []string {
	if device == "tickets" {
		return []string{"outside", "tills", "tun0"}
	}
	return nil
}

// TestOneArea: of which protocols all routers are in one area.
func TestOneArea(t *testing.T) {
	n, err := notes.Parse("notes.yaml", []byte("hosts:\n  a: 10.61.0.1\none-area: [isis, ospf]\n"), 9, inCase{})
	require.NoError(t, err)
	require.Len(t, n.OneArea, 2)
	require.EqualValues(t, 9, n.OneArea[route.OSPF].File)
	for text, want := range map[string]string{
		"one-area: [bgp]\n": `notes.yaml:1:12: "bgp" is no protocol with areas; write ospf or isis`,
		"one-area: ospf\n":  "notes.yaml:1:11:",
	} {
		_, err := notes.Parse("notes.yaml", []byte(text), 9, inCase{})
		require.ErrorContains(t, err, want)
	}
}

func TestParse(t *testing.T) {
	n, err := notes.Parse("notes.yaml", []byte(full), 9, inCase{})
	require.NoError(t, err)
	require.Len(t, n.Hosts, 2)
	require.Equal(t, "till-2 10.61.64.12", n.Hosts[0].Name+" "+n.Hosts[0].Address.String())
	require.Equal(t, "10.61.44.0/26 10.61.44.1", n.Hosts[1].Prefix.String()+" "+n.Hosts[1].Gateway.String())
	f := n.Devices["tickets"]
	require.Equal(t, []bool{true, false}, []bool{f.Forwarding[0].On, f.Forwarding[1].On})
	require.Equal(t, route.IPv6, f.Forwarding[1].Family)
	require.Len(t, f.Classful, 1)
	require.Equal(
		t,
		[]network.CheckMode{network.CheckStrict, network.CheckLoose},
		[]network.CheckMode{f.Checks[0].Mode, f.Checks[1].Mode},
	)
	require.Equal(t, "", f.Checks[1].Interface)
	p := f.Policy
	require.True(t, p.Stateful.Known() && p.AllOfEqual.Known())
	require.Equal(t, network.Ports{Lo: 443, Hi: 443}, p.Flows[0].ToPorts)
	require.Equal(
		t,
		"tcp 10.61.64.0/24 tills outside",
		p.Flows[0].Protocol+" "+p.Flows[0].From.String()+" "+p.Flows[0].In+" "+p.Flows[0].Out,
	)
	require.Equal(t, network.Ports{Lo: 1, Hi: 1023}, p.Flows[1].ToPorts)
	require.True(t, p.Flows[1].Refuse && !p.Flows[2].Permit)
	require.False(t, p.Translations[0].Becomes.IsValid())
	require.Equal(t, "10.61.64.10", p.Translations[1].Becomes.String())
	require.EqualValues(t, 8443, p.Translations[1].BecomesPort)
	require.Equal(t, "172.28.61.14", p.Tunnels[0].Remote.String())
	require.Equal(t, route.N(200), f.Statics[0].Preference)
	m := p.Flows[1].Mark
	require.EqualValues(t, 9, m.File)
	require.Equal(t, "      - refuse udp to 10.61.40.0/24 port 1-1023", full[m.Off:m.End])
}

func TestErrorsNameFileLineAndColumn(t *testing.T) {
	for in, want := range map[string]string{
		"hosts:\n  a: 10.0.0.300\n":                                                            `notes.yaml:2:6: "10.0.0.300" is no address`,
		"host:\n  a: 10.0.0.3\n":                                                               `notes.yaml:1:1: there is no key "host" in notes; it takes hosts, networks, groups, devices, keep`,
		"devices:\n  till:\n    stateful: true\n":                                              `notes.yaml:2:3: no device of this case is called "till"; it has depot, tickets`,
		"devices:\n  depot:\n    statefull: true\n":                                            `notes.yaml:3:5: there is no key "statefull" in a device; it takes forwarding, lookup, equal-cost, source-check, stateful, flows, translate, tunnels, statics`,
		"devices:\n  depot:\n    stateful: perhaps\n":                                          `notes.yaml:3:15: stateful does not take "perhaps"; true or false`,
		"devices:\n  depot:\n    flows:\n      - allow tcp\n":                                  `notes.yaml:4:9: a flow begins with permit, deny or refuse, not ["allow"]`,
		"devices:\n  depot:\n    flows:\n      - permit to x\n":                                `notes.yaml:4:9: "x" behind to is no prefix or address`,
		"devices:\n  depot:\n    flows:\n      - permit to any port 99999\n":                   `notes.yaml:4:9: "99999" is no port or range of ports`,
		"devices:\n  depot:\n    flows: permit\n":                                              `notes.yaml:3:12: a list is wanted here, each element behind a hyphen`,
		"devices:\n  depot:\n    translate:\n      - source out x\n":                           `notes.yaml:4:9: a translation needs becomes ADDRESS`,
		"devices:\n  depot:\n    tunnels: {t0: {local: 10.0.0.1}}\n":                           `notes.yaml:3:15: the tunnel "t0" has no remote address`,
		"devices:\n  depot:\n    source-check: {e0: hard}\n":                                   `notes.yaml:3:24: a source check is off, strict, feasible or loose, not "hard"`,
		"devices:\n  depot:\n    statics:\n      - 10.0.0.0/8\n":                               `notes.yaml:4:9: "10.0.0.0/8" leads nowhere; add via ADDRESS, dev INTERFACE or discard`,
		"hosts:\n  depot: 10.0.0.1\n":                                                          `notes.yaml:2:3: "depot" is a captured device, not a host`,
		"hosts:\n  a: 10.0.0.1\n  a: 10.0.0.2\n":                                               `notes.yaml:3:3: `,
		"devices:\n  tickets:\n    flows:\n      - deny any in tils\n":                         `notes.yaml:4:9: no capture of tickets names an interface "tils"; did you mean tills?`,
		"devices:\n  tickets:\n    flows:\n      - deny any out x\n":                           `notes.yaml:4:9: no capture of tickets names an interface "x"; it has outside, tills, tun0`,
		"devices:\n  tickets:\n    source-check: {Tills: strict}\n":                            `notes.yaml:3:20: no capture of tickets names an interface "Tills"; did you mean tills?`,
		"devices:\n  tickets:\n    tunnels: {tunn0: {remote: 10.0.0.1}}\n":                     `notes.yaml:3:15: no capture of tickets names an interface "tunn0"; did you mean tun0?`,
		"devices:\n  tickets:\n    statics:\n      - 10.0.0.0/8 dev tun\n":                     `notes.yaml:4:9: no capture of tickets names an interface "tun"; did you mean tun0?`,
		"devices:\n  tickets:\n    translate:\n      - source out out becomes interface\n":     `notes.yaml:4:9: no capture of tickets names an interface "out"; it has outside, tills, tun0`,
		"devices:\n  depot:\n    flows:\n      - deny from 10.0.0.0/8 to fd61::/48\n":          `notes.yaml:4:9: 10.0.0.0 and fd61:: are of two families`,
		"devices:\n  depot:\n    translate:\n      - source from 10.0.0.0/8 becomes fd61::1\n": `notes.yaml:4:9: 10.0.0.0 and fd61::1 are of two families`,
		"devices:\n  depot:\n    tunnels: {t0: {local: fd61::1, remote: 10.0.0.1}}\n":          `notes.yaml:3:15: fd61::1 and 10.0.0.1 are of two families`,
		"hosts:\n  a: {address: 10.0.0.1, network: fd61::/64}\n":                               `notes.yaml:2:3: 10.0.0.1 and fd61:: are of two families`,
		"hosts:\n  a: " + strings.Repeat("[", 100) + "\n":                                      `notes.yaml:2: more than 64 brackets in each other`,
		"hosts: [\n": `notes.yaml:2:1: not valid YAML: did not find expected node content`,
	} {
		_, err := notes.Parse("notes.yaml", []byte(in), 1, inCase{})
		require.Error(t, err, in)
		require.Contains(t, err.Error(), want, in)
	}
	_, err := notes.Parse("notes.yaml", nil, 1, inCase{})
	require.NoError(t, err, "an empty file tells nothing")
	n, err := notes.Parse("notes.yaml", []byte("\ufeffhosts:\n  a: 10.0.0.1\n"), 1, inCase{})
	require.NoError(t, err, "a byte-order mark is no mistake")
	require.EqualValues(t, 10, n.Hosts[0].Mark.Off, "and counts in the evidence")
}

func TestParseFlow(t *testing.T) {
	f, err := notes.ParseFlow("tcp:40000:443")
	require.NoError(t, err)
	require.Equal(t, network.Flow{Protocol: "tcp", SourcePort: 40000, DestinationPort: 443}, f)
	f, err = notes.ParseFlow("icmp")
	require.NoError(t, err)
	require.Equal(t, "icmp", f.Protocol)
	for _, bad := range []string{"", "tcpx", "tcp:x:1", "tcp:1:2:3", "tcp:1:70000"} {
		_, err := notes.ParseFlow(bad)
		require.Error(t, err, bad)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(full))
	f.Fuzz(func(t *testing.T, in []byte) {
		n, err := notes.Parse("n", in, 1, inCase{})
		if err == nil {
			for _, h := range n.Hosts {
				require.True(t, h.Address.IsValid())
			}
		}
	})
}
