package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestPromptsOfUnknownShapes: what recurs before commands is a prompt, whoever made it; it names who asks there, or
// nobody.
func TestPromptsOfUnknownShapes(t *testing.T) {
	for prompt, device := range map[string]string{
		"mast 3# ":                     "mast-3",
		"hütte# ":                      "hütte",
		"mast-3 line# ":                "mast-3-line",
		"➜  ~ ":                        "",
		"❯ ":                           "",
		"~ # ":                         "",
		"/ # ":                         "",
		"op@mast-3 ~ % ":               "mast-3",
		"mast-3 ~ # ":                  "mast-3",
		"(venv) op@mast-3:~$ ":         "mast-3",
		"op@mast-3:~/captures (main)$": "mast-3",
		"Command: ":                    "",
		"+ ":                           "",
	} {
		text := prompt + "ip route show table 100\ndefault via 10.96.0.9 dev e0\n" + prompt + "ip route\ndefault via 10.96.0.1 dev e0\n" + prompt + "exit\n"
		sections, commands, _ := split([]byte(text))
		require.Len(t, commands, 3, prompt)
		require.Equal(t, []string{"ip route show table 100", "ip route", "exit"}, []string{commands[0].command, commands[1].command, commands[2].command}, prompt)
		for _, s := range sections {
			require.Equal(t, device, s.device, prompt)
		}
	}
	for text, want := range map[string][]string{
		"[23:14:02] op@mast-3:~$ ip route\nx\n[23:15:10] op@mast-3:~$ show ipv6 route fd6b:12:34::1\nx\n": {"ip route", "show ipv6 route fd6b:12:34::1"},
		"mast 3# ip route show table 100\nx\n":                   {"ip route show table 100"}, // one, behind a sign of shells
		"Command: show ip route vrf tickets\nx\n":                {"show ip route vrf tickets"},
		"# cat /proc/net/route\nx\n# cat /proc/net/arp\nx\n# \n": {"cat /proc/net/route", "cat /proc/net/arp"},
		"/ # arp -n\nx\n": {"arp -n"},
		"x\nCommand: show ip route vrf tickets\nx\n":                       nil, // it may be a sentence
		"# ip route show\nauto eth0\n# the way to the halls\n# and back\n": nil, // remarks
		"#ip route add 10.61.0.0/16 via 10.61.1.1\nx\n":                    nil,
		"the halls use show ip route\nthe masts use show arp\n":            nil, // no sign ends it
		"10.61.16.0/24 > show ip route\n":                                  {"show ip route"},
	} {
		_, commands, _ := split([]byte(text))
		var got []string
		for _, c := range commands {
			got = append(got, c.command)
		}
		require.Equal(t, want, got, text)
	}
}

// TestTwoAtPromptsOfUnknownShapes: the number in a prompt tells devices apart, and a named one never answers for an
// unnamed one.
func TestTwoAtPromptsOfUnknownShapes(t *testing.T) {
	sections, _, _ := split([]byte("mast 3# show ip route\na\nmast 3# ssh 10.96.0.9\nmast 4# show ip route\nb\nmast 4# exit\nmast 3# show arp\nc\n"))
	var devices []string
	for _, s := range sections {
		devices = append(devices, s.device)
	}
	require.Equal(t, []string{"mast-3", "mast-4", "mast-3"}, devices)
}

// TestASquaredPromptFirst counts where an angled one of the same name asks something further down.
func TestASquaredPromptFirst(t *testing.T) {
	c, err := Read("night.log", []byte("<till>display ip routing-table\nx\n[peak]display current-configuration\ny\n"+
		"<peak>display ip routing-table\nz\n"), 1)
	require.NoError(t, err)
	var devices []string
	for _, p := range c.Parts {
		devices = append(devices, p.Device)
	}
	require.Equal(t, []string{"till", "peak", "peak"}, devices)
}

// TestAPromptAlone: a prompt of which no other command is known than one above is no answer to that one.
func TestAPromptAlone(t *testing.T) {
	for text, filters := range map[string]bool{
		"gate$ nft list ruleset\ngate$ \n":          false,
		"gate$ nft list ruleset\ngate$":             false,
		"gate$ nft list ruleset\nmast$ \n":          true,
		"gate$ nft list ruleset\nthe one of till\n": true,
		"gate$ nft list ruleset\ngate$ up 3 days\n": false, // a command
	} {
		c, err := Read("x", []byte(text), 1)
		require.NoError(t, err)
		got := false
		for _, p := range c.Parts {
			got = got || len(p.Facts.Policy.Flows) > 0
		}
		require.Equal(t, filters, got, text)
	}
}
