package family

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestEveryCommandOfTheListsReads(t *testing.T) {
	for _, f := range All() {
		require.NotEmpty(t, f.About, f.Name)
		require.NoError(t, f.Allow(f.Version), f.Name)
		if f.Nonsense != "" {
			require.NoError(t, f.Allow(f.Nonsense), f.Name)
		}
		steps, err := f.Steps([]string{"cable-red"}, nil)
		require.NoError(t, err, f.Name)
		needed := false
		for _, s := range steps {
			needed = needed || s.Needed
			for _, c := range s.Commands {
				require.NotContains(t, c, "{", f.Name)
			}
		}
		require.True(t, needed, "%s asks for no routes", f.Name)
		for _, alternatives := range f.Session {
			for _, c := range alternatives {
				require.NotRegexp(t, `^conf|^edit|^system-view|commit|write|save`, c, f.Name)
			}
		}
	}
}

// allowTests are commands of users; want is "" where they may be sent, else a part of the refusal.
var allowTests = []struct{ family, command, want string }{
	{"lettered", "show ip route vrf red", ""},
	{"lettered", "show running-config | include ^ip route", ""},
	{"lettered", "show running-config | redirect flash:copy", "no reading command"},
	{"lettered", "show running-config | tee flash:copy", "no reading command"},
	{"lettered", "show ip route\nconfigure terminal", "characters"},
	{"lettered", "show ip route\rreload", "characters"},
	{"lettered", "show ip route ; reload", "characters"},
	{"lettered", "show ?", "characters"},
	{"lettered", "configure terminal", "no reading command"},
	{"lettered", "clear ip route *", "no reading command"},
	{"lettered", " show ip route", "no reading command"},
	{"lettered", "do show ip route", "no reading command"},
	{"lettered", "showdown now", "no reading command"},
	{"lettered", "show ip route > flash:copy", "characters"},
	{"starred", "show route | save copy.txt", "no reading command"},
	{"starred", "show configuration | display set | match static", ""},
	{"starred", "set system host-name x", "no reading command"},
	{"starred", "request system reboot", "no reading command"},
	{"angled", "display ip routing-table vpn-instance red", ""},
	{"angled", "display current-configuration > copy.cfg", "characters"},
	{"angled", "system-view", "no reading command"},
	{"blocks", "get router info routing-table static", ""},
	{"blocks", "show system interface", ""},
	{"blocks", "config system console", "no reading command"},
	{"blocks", "execute reboot", "no reading command"},
	{"flagged", "/ip route print detail where dst-address=10.61.0.0/16", ""},
	{"flagged", "/ip route add dst-address=10.61.0.0/16", "no reading command"},
	{"flagged", "/ip route print file=copy", "no reading command"},
	{"flagged", "/ip route remove [find]", "characters"},
	{"flagged", "/export file=copy", "no reading command"},
	{"flagged", "/system reboot print", ""}, // a path that is only printed
	{"iproute", "ip route show table 50", ""},
	{"iproute", "ip -n cable route show", ""},
	{"iproute", "ip route", ""},
	{"iproute", "ip route get 10.61.3.1", ""},
	{"iproute", "ip route flush cache", "no reading command"},
	{"iproute", "ip route del default", "no reading command"},
	{"iproute", "ip link set up0 down", "no reading command"},
	{"iproute", "ip -b file", "no reading command"},
	{"iproute", "ip netns exec blue reboot", "no reading command"},
	{"iproute", "ip netns del blue", "no reading command"},
	{"iproute", "ip route show $(reboot)", "shell"},
	{"iproute", "ip route show | tee copy", "shell"},
	{"iproute", "ip route show `reboot`", "characters"},
	{"iproute", "ip route show && reboot", "characters"},
	{"iproute", "ip route show > copy", "characters"},
	{"iproute", "sysctl -w net.ipv4.ip_forward=0", "no reading command"},
	{"iproute", "sysctl net.ipv4.ip_forward=0", "no reading command"},
	{"iproute", "sysctl -p", "no reading command"},
	{"iproute", "nft list ruleset", ""},
	{"iproute", "nft -f file", "no reading command"},
	{"iproute", "nft flush ruleset", "no reading command"},
	{"iproute", "nft list ruleset -f file", "no reading command"},
	{"iproute", `vtysh -c "show ip ospf neighbor"`, ""},
	{"iproute", `vtysh -c "configure terminal"`, "no reading command"},
	{"iproute", `vtysh -c "show version" -c "reload"`, "no reading command"},
	{"iproute", "birdc show route all", ""},
	{"iproute", "birdc disable ospf1", "no reading command"},
	{"bsd", "ifconfig em0 down", "no reading command"},
	{"bsd", "netstat -rn -f inet6", ""},
	{"bsd", "sysctl net.inet.ip.forwarding=0", "no reading command"},
	{"bsd", "route delete default", "no reading command"},
}

func TestOnlyReadingCommandsAreAllowed(t *testing.T) {
	for _, tt := range allowTests {
		f, err := ByName(tt.family)
		require.NoError(t, err)
		err = f.Allow(tt.command)
		if tt.want == "" {
			require.NoError(t, err, tt.command)
		} else {
			require.ErrorContains(t, err, tt.want, tt.command)
		}
	}
}

func TestADeviceOfNoKnownFamilyIsAskedByReadingWordsOnly(t *testing.T) {
	steps, err := Unknown().Steps(nil, []string{"show routing all", "display fib"})
	require.NoError(t, err)
	require.Len(t, steps, 2)
	for _, c := range []string{"reload", "show x | save y", "get; reboot", "print", "delete all"} {
		_, err := Unknown().Steps(nil, []string{c})
		require.Error(t, err, c)
	}
}

func TestATableIsOnlyAName(t *testing.T) {
	f, err := ByName("lettered")
	require.NoError(t, err)
	for _, bad := range []string{"", "a b", "a|redirect x", "a;b", "*"} {
		_, err := f.Steps([]string{bad}, nil)
		require.ErrorContains(t, err, "no name of a table", bad)
	}
}

func TestPromptsTellFamiliesApart(t *testing.T) {
	for prompt, want := range map[string]string{
		"mast-gw>":                 "lettered",
		"mast-gw# ":                "lettered",
		"<valley-1>":               "angled",
		"[night@summit] > ":        "flagged",
		"night@valley> ":           "starred",
		"ticket-fw # ":             "blocks",
		"night@station:~$ ":        "iproute",
		"night@fence(active)> ":    "columns",
		"no prompt at all, surely": "",
	} {
		var names []string
		for _, f := range All() {
			if f.Prompts(prompt) {
				names = append(names, f.Name)
			}
		}
		if want == "" {
			require.Empty(t, names, prompt)
			continue
		}
		require.Contains(t, names, want, prompt)
	}
}

func TestDataWithAMistakeIsRefusedByItsLine(t *testing.T) {
	for text, want := range map[string]string{
		"about x":                 "families.txt:1: a family must begin first",
		"family a\ncolour red":    `families.txt:2: there is no key "colour"`,
		"family a\nprompt (":      "families.txt:2: error parsing regexp",
		"family a\nask show this": `lacks a purpose`,
	} {
		_, err := parse(text)
		require.ErrorContains(t, err, want)
	}
}

// FuzzAllow: whatever is allowed has no line end and none of the signs that join commands.
func FuzzAllow(f *testing.F) {
	for _, tt := range allowTests {
		f.Add(tt.command)
	}
	f.Fuzz(func(t *testing.T, command string) {
		for _, fam := range append(All(), Unknown()) {
			if fam.Allow(command) == nil {
				require.False(t, strings.ContainsAny(command, "\r\n\t;&<>`?!\x00"), "%s: %q", fam.Name, command)
			}
		}
	})
}
