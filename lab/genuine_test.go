package lab

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// namespace makes a network namespace of the test's own and returns a function that runs a command in it.
func namespace(t *testing.T, name string) func(args ...string) string {
	t.Helper()
	if cannot != "" {
		skipped(t, "%s", cannot)
	}
	for _, tool := range []string{"ip", "route", "netstat", "bird", "birdc"} {
		if _, err := exec.LookPath(tool); err != nil {
			skipped(t, "needs %s (Debian packages iproute2, net-tools, bird2)", tool)
		}
	}
	name = fmt.Sprintf("%s-%d", name, os.Getpid())
	if out, err := exec.Command("ip", "netns", "add", name).CombinedOutput(); err != nil {
		skipped(t, "no network namespaces here: %s", out)
	}
	t.Cleanup(func() { _ = exec.Command("ip", "netns", "del", name).Run() })
	return func(args ...string) string {
		out, err := exec.Command("ip", append([]string{"netns", "exec", name}, args...)...).CombinedOutput()
		require.NoError(t, err, "%v: %s", args, out)
		return string(out)
	}
}

// leads writes, for each prefix that forwards, where it leads: what every form of one table must agree on.
func leads(t *testing.T, d *network.Device, f route.Family) map[string]string {
	t.Helper()
	out := map[string]string{}
	tab := d.Table("default", f)
	require.NotNil(t, tab)
	for i := range tab.Routes().Len() {
		r := tab.Routes().At(i)
		a := r.Prefix.Addr()
		if !r.Is(route.Installed) || a.IsLinkLocalUnicast() || a.IsMulticast() || a.IsLoopback() ||
			r.Special == route.Broadcast ||
			r.Special == route.Receive {
			continue
		}
		var hops []string
		for _, h := range r.Forwarding() {
			hops = append(hops, h.Address.String()+" "+h.Interface)
		}
		slices.Sort(hops)
		dropped := r.Special != route.None
		out[r.Prefix.String()] = fmt.Sprint(dropped, hops)
	}
	return out
}

// TestFormsOfOneKernelTableAgree captures one namespace with every tool there is and compares what was read.
func TestFormsOfOneKernelTableAgree(t *testing.T) {
	ns := namespace(t, "zarvek-forms")
	for _, line := range []string{
		"ip link set lo up", "ip link add v0 type veth peer name v1", "ip addr add 10.61.1.1/24 dev v0", "ip addr add fd6b:1::1/64 dev v0 nodad",
		"ip link set v0 up", "ip link set v1 up", "ip route add default via 10.61.1.254", "ip route add 10.61.9.0/24 via 10.61.1.9 metric 50",
		"ip route add 10.61.9.128/25 via 10.61.1.8", "ip route add blackhole 10.61.40.0/21", "ip route add unreachable 10.61.48.0/21",
		"ip -6 route add default via fd6b:1::9", "ip -6 route add blackhole fd6b:9::/32", "ip -6 route add fd6b:8::/48 via fd6b:1::8",
	} {
		ns(strings.Fields(line)...)
	}
	read := func(text string) *network.Device {
		dir := t.TempDir()
		require.NoError(t, os.MkdirAll(filepath.Join(dir, "box"), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "box", "x"), []byte(text), 0o644))
		c, err := casefile.Load(dir)
		require.NoError(t, err)
		for _, s := range c.Summaries() {
			require.Empty(t, s.Unread, "%s", text)
		}
		return c.Network.Device("box")
	}
	want := read(ns("ip", "-j", "route", "show", "table", "all"))
	for name, text := range map[string]string{
		"iproute text": ns("ip", "route", "show", "table", "all"),
		"two commands": ns("ip", "route") + ns("ip", "-6", "route"),
		"net-tools":    ns("route", "-n") + ns("route", "-6", "-n"),
		"netstat":      ns("netstat", "-rn") + ns("route", "-6", "-n"),
	} {
		got := read(text)
		require.Equal(t, leads(t, want, route.IPv4), leads(t, got, route.IPv4), name)
		require.Equal(t, leads(t, want, route.IPv6), leads(t, got, route.IPv6), name)
	}
}

// TestBIRDsTablesAgree lets the daemon fill the kernel's table and compares what it prints with what the kernel has.
func TestBIRDsTablesAgree(t *testing.T) {
	ns := namespace(t, "zarvek-bird")
	for _, line := range []string{"ip link set lo up", "ip link add v0 type veth peer name v1", "ip addr add 10.61.1.1/24 dev v0", "ip link set v0 up", "ip link set v1 up"} {
		ns(strings.Fields(line)...)
	}
	dir := t.TempDir()
	conf, ctl := filepath.Join(dir, "c"), filepath.Join(dir, "s")
	require.NoError(t, os.WriteFile(conf, []byte(`router id 10.61.254.1;
protocol device {}
protocol direct { ipv4; }
protocol kernel { ipv4 { export all; }; merge paths on; }
protocol static lesser { ipv4 { preference 150; }; route 10.71.0.0/16 via 10.61.1.20; }
protocol static better { ipv4; route 10.71.0.0/16 via 10.61.1.9; route 10.72.0.0/16 blackhole; route 10.74.0.0/16 via 10.61.1.9 via 10.61.1.10; }
`), 0o644))
	ns("bird", "-c", conf, "-s", ctl, "-P", filepath.Join(dir, "pid"))
	t.Cleanup(func() { _ = exec.Command("birdc", "-s", ctl, "down").Run() })
	var kernel string
	for range 50 { // the daemon needs a moment
		if kernel = ns("ip", "-j", "route"); strings.Contains(kernel, "10.74.0.0/16") {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	for _, form := range [][]string{{"show", "route"}, {"show", "route", "all"}} {
		text := ns(append([]string{"birdc", "-s", ctl}, form...)...)
		box := t.TempDir()
		require.NoError(t, os.WriteFile(filepath.Join(box, "box.txt"), []byte(text), 0o644))
		require.NoError(t, os.WriteFile(filepath.Join(box, "kernel.json"), []byte(kernel), 0o644))
		c, err := casefile.Load(box)
		require.NoError(t, err)
		got := leads(t, c.Network.Device("box"), route.IPv4)
		require.Equal(t, leads(t, c.Network.Device("kernel"), route.IPv4), got, "%v", form)
		require.Equal(t, "false [10.61.1.9 v0]", got["10.71.0.0/16"], "the highest preference wins")
	}
}
