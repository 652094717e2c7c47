package capture

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestHeadingsOfDevices: what collects the answers of many into one text names each, in all the usual shapes; nothing
// of two becomes one. A heading that comes once, one that names a table, and all where prompts tell who asks, say
// nothing of the kind.
func TestHeadingsOfDevices(t *testing.T) {
	devices := func(text string) (out []string) {
		sections, _, _ := split([]byte(text))
		for _, s := range sections {
			out = append(out, s.device)
		}
		return out
	}
	for _, two := range [][2]string{
		{"##### mast-3 #####", "##### mast-4 #####"}, {"=== mast-3 ===", "=== mast-4 ==="}, {"--- mast-3 (10.96.0.1) ---", "--- mast-4 (10.97.0.1) ---"},
		{"Host: mast-3", "Host: mast-4"}, {"Device mast-3, 2026-11-26", "Device mast-4, 2026-11-26"},
		{"==> night/mast-3.txt <==", "==> night/mast-4.txt <=="}, {"mast-3 | CHANGED | rc=0 >>", "mast-4 | CHANGED | rc=0 >>"},
		{"ok: [mast-3] => {", "ok: [mast-4] => {"}, {"Connecting to mast-3...", "Connecting to mast-4..."},
		{"hostname mast-3", "hostname mast-4"},
	} {
		require.Equal(t, []string{"mast-3", "mast-4"}, devices(two[0]+"\nx\n"+two[1]+"\ny\n"), two[0])
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
		for _, d := range devices(text) {
			require.Empty(t, d, text)
		}
	}
	require.Equal(t, []string{"valley"}, devices("valley# show ip route\n=== mast-3 ===\nx\n=== mast-4 ===\ny\n"))
}
