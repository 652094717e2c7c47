package devlist

import (
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/gather/target"
)

const someTargets = `all:
  user: night
  tables: [red]
devices:
  control: 10.61.3.1
  summit: ssh://ops@10.61.3.2:2222
  mast-gw: {address: mast-gw.ropeway, jump: control, family: lettered, raise: true, tables: [red, blue], ask: ["show ip route summary"]}
  midway:
    address: fd61:3::4
    way: netconf
    jump: hop@10.61.9.1:2022
  valley: {way: snmp, address: 10.61.3.5, snmp: {version: 3, auth: SHA256, privacy: aes}}
  here: {way: local, tables: []}
`

func TestTargets(t *testing.T) {
	got, err := Parse("devices.yaml", []byte(someTargets))
	require.NoError(t, err)
	red := []string{"red"}
	require.Equal(t, []target.Target{
		{Name: "control", Address: "10.61.3.1", Way: target.SSH, User: "night", Tables: red, Line: 5},
		{Name: "summit", Address: "10.61.3.2", Way: target.SSH, User: "ops", Port: 2222, Tables: red, Line: 6},
		{
			Name: "mast-gw", Address: "mast-gw.ropeway", Way: target.SSH, User: "night", Jump: "control", Family: "lettered",
			Raise: true, Tables: []string{"red", "blue"}, Ask: []string{"show ip route summary"}, Line: 7,
		},
		{Name: "midway", Address: "fd61:3::4", Way: target.Netconf, User: "night", Jump: "hop@10.61.9.1:2022", Tables: red, Line: 8},
		{
			Name: "valley", Address: "10.61.3.5", Way: target.SNMP, User: "night", Tables: red, Line: 12,
			SNMP: target.Manager{Version: "3", Auth: "sha256", Privacy: "aes"},
		},
		{Name: "here", Way: target.Local, User: "night", Line: 13},
	}, got)
}

func TestMistakesInTheListOfDevices(t *testing.T) {
	for in, want := range map[string]string{
		"":                                             "names no device",
		"devices: {}":                                  "names no device",
		"device:\n  a: 1":                              `d:1:1: there is no key "device"`,
		"devices:\n  a: {adress: x}":                   `d:2:7: there is no key "adress" in a`,
		"devices:\n  a: {way: shs, address: x}":        "d:2:12: \"shs\" is no way; it is one of ssh, netconf, restconf, snmp, local; did you mean ssh?",
		"devices:\n  a: {user: x}":                     "d:2:3: a has no address",
		"devices:\n  a/b: 10.61.3.1":                   "cannot be a device's name",
		"devices:\n  ..: 10.61.3.1":                    "cannot be a device's name",
		"devices:\n  a: {address: x, port: 99999}":     "is no port",
		"devices:\n  a: {address: x, raise: maybe}":    "raise is true or false",
		"devices:\n  a: {address: x, family: lettred}": "there is no family",
		"devices:\n  a: {address: x, family: lettered, ask: [reload]}":       "it is no reading command",
		"devices:\n  a: {address: x, family: lettered, tables: ['a b']}":     "is no name of a table",
		"devices:\n  a: {address: x, password: snow}":                        `there is no key "password"`,
		"devices:\n  a: ssh://u:snow@x":                                      "holds a password",
		"devices:\n  a: {address: x, jump: b}\n  b: {address: y, jump: a}":   "lead back to",
		"devices:\n  a: {address: x, jump: b}\n  b: {address: y, way: snmp}": "it must be by ssh",
		"devices:\n  a: {address: x, jump: 'b c'}":                           "the jump host of a",
		"devices:\n  a: x\n  A: y":                                           "stands above",
		"devices:\n  a: x\nall: {user: y}":                                   "must stand above them",
		"devices:\n  a: {address: x, way: snmp, snmp: {version: 1}}":         "is no version",
		"devices:\n  a: {address: x, way: snmp, snmp: {auth: sha265}}":       "did you mean sha256?",
		"devices:\n  a: {address: -oX}":                                      "is no address",
	} {
		_, err := Parse("d", []byte(in))
		require.ErrorContains(t, err, want, in)
		require.NotContains(t, err.Error(), "snow")
	}
}

func FuzzTargets(f *testing.F) {
	f.Add([]byte(someTargets))
	f.Fuzz(func(t *testing.T, in []byte) {
		all, err := Parse("d", in)
		if err != nil {
			return
		}
		for _, x := range all {
			require.NoError(t, x.Check())
		}
	})
}
