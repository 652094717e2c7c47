package lab

import (
	"bytes"
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/agent"
	"golang.org/x/crypto/ssh/knownhosts"

	"zarvek/internal/capture"
	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/gather"
	"zarvek/internal/gather/fetch"
	"zarvek/internal/gather/reach"
	"zarvek/internal/gather/secrets"
	"zarvek/internal/gather/target"
)

// gatherInto gathers from the targets, which must all be captured.
func gatherInto(t *testing.T, dir string, f *fetch.Fetcher, targets []target.Target) []gather.Outcome {
	t.Helper()
	out := gather.Run(t.Context(), targets, gather.Options{Case: dir, AtOnce: 8, Fetch: f.Device, Now: time.Now})
	for _, o := range out {
		require.NoError(t, o.Err, o.Target.Name)
	}
	return out
}

func fetcher(d *reach.Dialer, s *secrets.Store) *fetch.Fetcher {
	return &fetch.Fetcher{Dialer: d, Secrets: s, Moved: capture.Moved}
}

// findings words all that an audit says, without where it stands.
func findings(w *forward.Walker) []string {
	var out []string
	for _, f := range audit.Run(w, audit.Options{}).Findings {
		out = append(out, fmt.Sprintf("%s %v %v %s: %d losses of %v", f.ID, f.Kind, f.Severity, f.Device, f.Pairs, f.Addresses()))
	}
	return out
}

// tableSizes words how many routes each table has.
func tableSizes(w *forward.Walker) (lines []string) {
	for _, d := range w.Topology().Network.Devices().All() {
		for _, x := range d.Tables().All() {
			lines = append(lines, fmt.Sprintf("%s %s %v: %d", d.Name, x.Name, x.Family, x.Routes().Len()))
		}
	}
	return lines
}

// byHand captures a network as a person would, command by command into files.
func byHand(t *testing.T, n *randomNet) string {
	dir := t.TempDir()
	for _, r := range n.routers {
		for i, c := range []string{
			"ip -j route show table all", "ip -j -6 route show table all", "ip -j addr", "ip -j neigh", "ip -j rule", "ip -j -6 rule",
			"sysctl net.ipv4.ip_forward net.ipv6.conf.all.forwarding", "sysctl -a -r ^net.ipv..conf..*.(forwarding|rp_filter)$",
			"nft -j list ruleset",
		} {
			n.capture(dir, r.name, fmt.Sprintf("%d.txt", i), n.run(r.name, c))
		}
	}
	return dir
}

// TestAGatheredCaseSaysWhatOneByHandSays builds networks of kernels and captures each by hand and by gather in the
// namespaces. The kernels are as before: gathering changes nothing.
func TestAGatheredCaseSaysWhatOneByHandSays(t *testing.T) {
	for seed := uint64(201); seed < 205; seed++ {
		t.Run(fmt.Sprintf("seed-%d", seed), func(t *testing.T) { gathersAsByHand(t, seed) })
	}
}

func gathersAsByHand(t *testing.T, seed uint64) {
	n := newRandomNet(newBench(t, "sysctl"), seed)
	var targets []target.Target
	for _, r := range n.routers {
		targets = append(targets, target.Target{Name: r.name, Way: target.Local, Address: n.ns[r.name]})
	}
	var want, got, after []string
	for range 5 { // until nothing moves by itself: new networks take a moment to find their neighbours
		want = findings(load(t, byHand(t, n)))
		gathered := filepath.Join(t.TempDir(), "case")
		gatherInto(t, gathered, fetcher(nil, &secrets.Store{}), targets)
		got, after = findings(load(t, gathered)), findings(load(t, byHand(t, n)))
		if slices.Equal(want, after) {
			break
		}
	}
	require.NotEmpty(t, want)
	require.Equal(t, want, after, "did not come to rest")
	require.Equal(t, want, got)
}

// server starts a program that listens on a port of the loopback address, and waits until it does.
func server(t *testing.T, network string, port int, argv ...string) {
	t.Helper()
	var says bytes.Buffer
	c := exec.Command(argv[0], argv[1:]...)
	c.Stdout, c.Stderr = &says, &says
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Kill(); _ = c.Wait() })
	for range 100 {
		if conn, err := net.Dial(network, fmt.Sprintf("127.0.0.1:%d", port)); err == nil {
			conn.Close()
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Fatalf("%v does not listen: %s", argv, says.String())
}

func freePort(t *testing.T) int {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

// sshServer starts a real server with one user key, and returns its port. Its host key is added to the known ones.
func sshServer(t *testing.T, dir, known, more string) int {
	t.Helper()
	port := freePort(t)
	host := filepath.Join(dir, fmt.Sprintf("host-%d", port))
	kind := "ed25519"
	if strings.Contains(more, "ssh-rsa") {
		kind = "rsa"
	}
	tool(t, "ssh-keygen", "-q", "-t", kind, "-N", "", "-f", host)
	conf := filepath.Join(dir, fmt.Sprintf("sshd-%d.conf", port))
	require.NoError(t, os.WriteFile(conf, []byte(fmt.Sprintf(
		"Port %d\nListenAddress 127.0.0.1\nHostKey %s\nAuthorizedKeysFile %s\nPermitRootLogin yes\nStrictModes no\nUsePAM no\nPidFile none\nPasswordAuthentication no\n%s\n",
		port, host, filepath.Join(dir, "user.pub"), more)), 0o600))
	_ = os.MkdirAll("/run/sshd", 0o755) // where it separates its privileges
	server(t, "tcp", port, "/usr/sbin/sshd", "-D", "-e", "-f", conf)
	text, err := os.ReadFile(host + ".pub")
	require.NoError(t, err)
	key, _, _, _, err := ssh.ParseAuthorizedKey(text)
	require.NoError(t, err)
	f, err := os.OpenFile(known, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	require.NoError(t, err)
	defer f.Close()
	fmt.Fprintln(f, knownhosts.Line([]string{fmt.Sprintf("[127.0.0.1]:%d", port)}, key))
	return port
}

func tool(t *testing.T, argv ...string) string {
	t.Helper()
	out, err := exec.Command(argv[0], argv[1:]...).CombinedOutput()
	require.NoError(t, err, "%v: %s", argv, out)
	return string(out)
}

// sshBench is a dialer with a user's key, for real servers.
func sshBench(t *testing.T) (dir, known string, dial func() *reach.Dialer) {
	newBench(t, "ssh-keygen")
	if _, err := os.Stat("/usr/sbin/sshd"); err != nil {
		skipped(t, "needs sshd (Debian package openssh-server)")
	}
	if os.Getenv(inside) != "" {
		skipped(t, "sshd changes users, which a user namespace made without root does not allow")
	}
	dir = t.TempDir()
	known = filepath.Join(dir, "known_hosts")
	tool(t, "ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", filepath.Join(dir, "user"))
	return dir, known, func() *reach.Dialer {
		hosts, err := reach.OpenHostKeys(nil, known)
		require.NoError(t, err)
		d := &reach.Dialer{
			Hosts: hosts, Secrets: &secrets.Store{}, Keys: []string{filepath.Join(dir, "user")}, Connect: 10 * time.Second, PerJump: 4,
			Old: map[string]bool{},
		}
		t.Cleanup(d.Close)
		return d
	}
}

// TestRealSSHServers gathers this machine by way of real servers, and compares with what it says itself.
func TestRealSSHServers(t *testing.T) {
	dir, known, dial := sshBench(t)
	port := sshServer(t, dir, known, "")
	far := sshServer(t, dir, known, "")
	old := sshServer(t, dir, known, "KexAlgorithms diffie-hellman-group14-sha1\nHostKeyAlgorithms ssh-rsa\nMACs hmac-sha1\nCiphers aes128-cbc")
	at := func(name string, port int) target.Target {
		return target.Target{Name: name, Address: "127.0.0.1", Port: port, Way: target.SSH, User: "root"}
	}
	named, behind := at("named", port), at("behind", far)
	named.Family = "iproute"
	behind.Jump = fmt.Sprintf("root@127.0.0.1:%d", port)
	d := dial()
	d.Old["attic"] = true
	dirs := filepath.Join(t.TempDir(), "case")
	out := gatherInto(t, dirs, fetcher(d, d.Secrets), []target.Target{
		named, at("found", port), behind, at("attic", old), {Name: "itself", Way: target.Local},
	})
	itself, err := os.ReadFile(filepath.Join(dirs, "itself", "session.log"))
	require.NoError(t, err)
	for _, o := range out {
		require.Equal(t, "iproute", o.Family, o.Target.Name)
		b, err := os.ReadFile(filepath.Join(dirs, o.Target.Name, "session.log"))
		require.NoError(t, err)
		gone, come := capture.Moved(itself, b)
		require.Zero(t, gone+come, "%s says other routes than the machine itself", o.Target.Name)
	}

	refused := at("refused", old)
	_, err = fetcher(d, d.Secrets).Device(t.Context(), refused, func(string) {})
	require.ErrorContains(t, err, "-old-algorithms refused")

	t.Run("keys of an agent", func(t *testing.T) {
		sock := filepath.Join(dir, "agent")
		c := exec.Command("ssh-agent", "-D", "-a", sock)
		require.NoError(t, c.Start())
		t.Cleanup(func() { _ = c.Process.Kill(); _ = c.Wait() })
		require.Eventually(t, func() bool { _, err := os.Stat(sock); return err == nil }, 5*time.Second, 20*time.Millisecond)
		t.Setenv("SSH_AUTH_SOCK", sock)
		tool(t, "ssh-add", "-q", filepath.Join(dir, "user"))
		d := dial()
		d.Keys, d.Agent = nil, reach.Agent()
		gatherInto(t, filepath.Join(t.TempDir(), "case"), fetcher(d, d.Secrets), []target.Target{named})
		conn, err := net.Dial("unix", sock)
		require.NoError(t, err)
		defer conn.Close()
		require.NoError(t, agent.NewClient(conn).RemoveAll())
		_, err = fetcher(d, d.Secrets).Device(t.Context(), named, func(string) {})
		require.ErrorContains(t, err, "lets root in neither by key nor by password")
	})
	t.Run("a changed key", func(t *testing.T) {
		text, err := os.ReadFile(known)
		require.NoError(t, err)
		swapped := bytes.ReplaceAll(text, fmt.Appendf(nil, "[127.0.0.1]:%d ", far), []byte("[127.0.0.1]:9 "))
		swapped = bytes.ReplaceAll(swapped, fmt.Appendf(nil, "[127.0.0.1]:%d ", port), fmt.Appendf(nil, "[127.0.0.1]:%d ", far))
		require.NoError(t, os.WriteFile(known, swapped, 0o600))
		d := dial()
		_, err = fetcher(d, d.Secrets).Device(t.Context(), at("far", far), func(string) {})
		require.ErrorContains(t, err, "its host key has changed")
	})
}

// TestRealCommandLine gathers a routing daemon's own command line, which a real server gives as the user's shell, and
// compares with what is read of its answers command by command.
func TestRealCommandLine(t *testing.T) {
	dir, known, dial := sshBench(t)
	b := newBench(t, "vtysh")
	b.box("r0")
	b.run("r0", "ip link add hall0 type veth peer name hall1")
	b.run("r0", "ip link set hall0 up")
	b.run("r0", "ip link set hall1 up")
	config := "hostname summit\ninterface hall0\n ip address 10.61.40.1/24\n ipv6 address fd6b:40::1/64\nexit\n"
	for i := range 300 { // more than a page
		config += fmt.Sprintf("ip route 10.%d.%d.0/24 10.61.40.9\n", 70+i/200, i%200)
	}
	b.daemons("r0", config+"ip route 10.90.0.0/16 blackhole\nipv6 route fd6b:90::/32 fd6b:40::9\n")
	vtysh := "vtysh --vty_socket " + b.sockets("r0")
	b.until("all routes are there", 20*time.Second, func() bool {
		out, err := exec.Command("vtysh", "--vty_socket", b.sockets("r0"), "-c", "show ipv6 route", "-c", "show ip route").Output()
		return err == nil && strings.Contains(string(out), "fd6b:90::/32") && strings.Count(string(out), "fe80::/64") == 2 && strings.Contains(string(out), "10.71.99.0/24")
	})
	hand := t.TempDir()
	commands := []string{"show ip route", "show ip route vrf all", "show ipv6 route", "show running-config", "show interface"}
	for i, c := range commands {
		out, err := exec.Command("vtysh", "--vty_socket", b.sockets("r0"), "-c", c).CombinedOutput()
		require.NoError(t, err, string(out))
		b.capture(hand, "summit", fmt.Sprintf("%d.txt", i), string(out))
	}
	port := sshServer(t, dir, known, "ForceCommand "+vtysh)
	d := dial()
	dirs := filepath.Join(t.TempDir(), "case")
	out := gatherInto(t, dirs, fetcher(d, d.Secrets), []target.Target{{Name: "summit", Address: "127.0.0.1", Port: port, Way: target.SSH, User: "root"}})
	require.Equal(t, "lettered", out[0].Family)
	require.Empty(t, out[0].Moved)
	want, got := load(t, hand), load(t, dirs)
	require.Equal(t, tableSizes(want), tableSizes(got))
	require.Equal(t, findings(want), findings(got))
}

// TestRealSNMP gathers a real agent by both versions, and compares with what the ordinary tool walks.
func TestRealSNMP(t *testing.T) {
	newBench(t, "snmpd", "snmpwalk")
	dir := t.TempDir()
	port := freePort(t)
	conf := filepath.Join(dir, "snmpd.conf")
	require.NoError(t, os.WriteFile(conf, []byte(fmt.Sprintf(
		"agentaddress udp:127.0.0.1:%d\nrocommunity %s\ncreateUser night SHA-256 %q AES %q\nrouser night priv\n"+
			"createUser day MD5 %q DES %q\nrouser day priv\n", port, "ropeway-reads", "snow and rope", "high and dry", "sun and rope", "low and wet!")), 0o600))
	t.Setenv("SNMP_PERSISTENT_DIR", filepath.Join(dir, "kept"))
	server(t, "udp", port, "snmpd", "-f", "-Lo", "-C", "-c", conf, "-p", filepath.Join(dir, "pid"))
	store := &secrets.Store{}
	require.NoError(t, store.Read("secrets", strings.NewReader(
		"all: {auth: snow and rope, privacy: high and dry, community: ropeway-reads}\nolder: {auth: sun and rope, privacy: low and wet!}\n"+
			"wrong-auth: {auth: sun and snow, privacy: high and dry}\n")))
	agentAt := func(name, user string, m target.Manager) target.Target {
		return target.Target{Name: name, Address: "127.0.0.1", Port: port, Way: target.SNMP, User: user, SNMP: m}
	}
	f := fetcher(nil, store)
	require.Eventually(t, func() bool {
		_, err := exec.Command("snmpwalk", "-v2c", "-c", "ropeway-reads", "-On", "-t", "1", "-r", "0", fmt.Sprintf("127.0.0.1:%d", port), ".1.3.6.1.2.1.4.1").Output()
		return err == nil
	}, 20*time.Second, 200*time.Millisecond)
	dirs := filepath.Join(t.TempDir(), "case")
	out := gatherInto(t, dirs, f, []target.Target{
		agentAt("three", "night", target.Manager{}), agentAt("two", "", target.Manager{Version: "2c"}),
		agentAt("older", "day", target.Manager{Auth: "md5", Privacy: "des"}),
	})
	var byHand []byte
	for _, oid := range []string{".1.3.6.1.2.1.4.24.7", ".1.3.6.1.2.1.4.34", ".1.3.6.1.2.1.31.1.1.1.1", ".1.3.6.1.2.1.2.2.1"} {
		byHand = append(byHand, tool(t, "snmpwalk", "-v2c", "-c", "ropeway-reads", "-On", fmt.Sprintf("127.0.0.1:%d", port), oid)...)
	}
	for _, o := range out {
		b, err := os.ReadFile(filepath.Join(dirs, o.Target.Name, "walk.txt"))
		require.NoError(t, err)
		gone, come := capture.Moved(byHand, b)
		require.Zero(t, gone+come, o.Target.Name)
		c, err := capture.Read("walk.txt", b, 1)
		require.NoError(t, err)
		routes, addresses := 0, 0
		for i := range c.Parts {
			routes, addresses = routes+c.Parts[i].Routes(), addresses+len(c.Parts[i].Facts.Addresses)
			require.Empty(t, c.Parts[i].Unread, "lines that our own walk writes are read")
		}
		require.NotZero(t, routes)
		require.NotZero(t, addresses)
		for _, secret := range []string{"snow and rope", "high and dry", "ropeway-reads"} {
			require.NotContains(t, string(b), secret)
		}
	}
	hand, alone := t.TempDir(), filepath.Join(t.TempDir(), "case")
	require.NoError(t, os.MkdirAll(filepath.Join(hand, "three"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(hand, "three", "walk.txt"), byHand, 0o644))
	gatherInto(t, alone, f, []target.Target{agentAt("three", "night", target.Manager{})})
	want, got := load(t, hand), load(t, alone)
	require.NotEmpty(t, tableSizes(want))
	require.Equal(t, tableSizes(want), tableSizes(got))
	require.Equal(t, findings(want), findings(got))
	for name, user := range map[string]string{"wrong-auth": "night", "nobody": "nobody"} {
		_, err := f.Device(t.Context(), agentAt(name, user, target.Manager{}), func(string) {})
		require.ErrorContains(t, err, "does not let this user in")
	}
	ctx, stop := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer stop()
	_, err := f.Device(ctx, target.Target{Name: "nothing", Address: "127.0.0.1", Port: freePort(t), Way: target.SNMP, User: "night"}, func(string) {})
	require.Error(t, err)
}
