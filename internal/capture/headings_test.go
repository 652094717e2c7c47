package capture

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// devicesOf are the devices of a text's sections.
func devicesOf(text string) (out []string) {
	sections, _, _ := split([]byte(text))
	for _, s := range sections {
		out = append(out, s.device)
	}
	return out
}

// TestHeadingsOfDevices: what collects the answers of many into one text names each, in all the usual shapes; nothing
// of two becomes one. A heading that comes once, one that names a table, and all where prompts tell who asks, say
// nothing of the kind.
func TestHeadingsOfDevices(t *testing.T) {
	for _, two := range [][2]string{
		{"##### mast-3 #####", "##### mast-4 #####"}, {"=== mast-3 ===", "=== mast-4 ==="}, {"--- mast-3 (10.96.0.1) ---", "--- mast-4 (10.97.0.1) ---"},
		{"Host: mast-3", "Host: mast-4"}, {"Device mast-3, 2026-11-26", "Device mast-4, 2026-11-26"},
		{"==> night/mast-3.txt <==", "==> night/mast-4.txt <=="}, {"mast-3 | CHANGED | rc=0 >>", "mast-4 | CHANGED | rc=0 >>"},
		{"ok: [mast-3] => {", "ok: [mast-4] => {"}, {"Connecting to mast-3...", "Connecting to mast-4..."},
		{"hostname mast-3", "hostname mast-4"}, {"[1] 01:00:01 [SUCCESS] mast-3", "[2] 01:00:02 [SUCCESS] mast-4"},
		{"* mast-3 ** changed : False *******", "* mast-4 ** changed : False *******"},
	} {
		require.Equal(t, []string{"mast-3", "mast-4"}, devicesOf(two[0]+"\nx\n"+two[1]+"\ny\n"), two[0])
	}
	for _, text := range []string{
		"##### mast-3 #####\nx\n##### mast-3 #####\ny\n",
		"=== begin ===\nx\n=== end ===\ny\n",
		"--- ipv4 ---\nx\n--- ipv6 ---\ny\n",
		"[Match]\nx\n[Network]\ny\n",
		"# eth0\nx\n# eth1\ny\n",
		"[bond0]\nx\n[bond1]\ny\n",
		"Device: eth0\nx\nDevice: eth1\ny\n",
		"inet.0:\nx\ninet6.0:\ny\n",
	} {
		for _, d := range devicesOf(text) {
			require.Empty(t, d, text)
		}
	}
	require.Equal(t, []string{"valley"}, devicesOf("valley# show ip route\n=== mast-3 ===\nx\n=== mast-4 ===\ny\n"))
}

// TestTitlesOfDevices: a word alone, or behind signs, names a device where it stands right above a listing, and another
// one does too.
func TestTitlesOfDevices(t *testing.T) {
	const listing = "10.96.0.0/24 dev e0 proto kernel scope link src 10.96.0.1\ndefault via 10.96.0.9 dev e0\n"
	for _, two := range [][2]string{
		{"== valley", "== summit"}, {"## mast-3", "## mast-4"}, {"-- mast-3:", "-- mast-4:"}, {"=> mast-3", "=> mast-4"},
		{"mast-3:", "mast-4:"}, {"mast-3", "mast-4"}, {"## valley\n```", "```\n## summit\n```"},
	} {
		require.Equal(t, []string{strings.Trim(two[0], "=#-> :`\n"), strings.Trim(two[1], "=#-> :`\n")},
			devicesOf(two[0]+"\n"+listing+"\n"+two[1]+"\n"+listing), two[0])
	}
	for _, text := range []string{
		"mast-3:\n" + listing, // one alone
		"mast-3:\nx\n\nmast-4:\ny\n",
		"## inbound\n-A INPUT -j DROP\n## outbound\n-A OUTPUT -j DROP\n",
		"inet.0:\n" + listing + "\ninet6.0:\n" + listing,
		"Internet:\n" + listing + "\nInternet6:\n" + listing,
		"IPv4-table:\n" + listing + "\nIPv6-table:\n" + listing,
		listing + "wan-1\n" + listing + "wan-2\n" + listing, // the ends of broken lines
		"== before-change\n" + listing + "\n== after-change\n" + listing,
		"step-1:\n" + listing + "\nstep-2:\n" + listing,
		"vlan10:\n" + listing + "\nvlan20:\n" + listing,
	} {
		for _, d := range devicesOf(text) {
			require.Empty(t, d, text)
		}
	}
	long := strings.Repeat("10.96.0.0/24 via 10.96.0.9 dev e0\n", learnFrom/30)
	require.Equal(t, []string{"mast-3", "mast-4", "mast-5"},
		devicesOf("== mast-3\n"+listing+"== mast-4\n"+listing+long+"== mast-5\n"+listing), "behind what is learned from")
	for _, form := range []string{"##### %s #####\n", "==> %s <==\n", "%s | CHANGED | rc=0 >>\n", "hostname %s\n"} {
		text := fmt.Sprintf(form, "mast-3") + listing + long + fmt.Sprintf(form, "mast-4") + listing
		require.Equal(t, []string{"mast-3", "mast-4"}, devicesOf(text), form)
	}
}
