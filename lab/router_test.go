package lab

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// daemons is where Debian's package frr has the routing daemons.
const daemons = "/usr/lib/frr"

// A bench is a set of namespaces of one test, torn down with it.
type bench struct {
	t   *testing.T
	dir string
	ns  map[string]string // box: namespace
}

// newBench skips the test where it cannot run: without root, namespaces or one of the tools.
func newBench(t *testing.T, tools ...string) *bench {
	t.Helper()
	if cannot != "" {
		skipped(t, "%s", cannot)
	}
	for _, tool := range append([]string{"ip"}, tools...) {
		if _, err := exec.LookPath(tool); err != nil {
			skipped(t, "needs %s (Debian packages iproute2, frr, bird2)", tool)
		}
	}
	dir, err := os.MkdirTemp("", "zarvek-lab-") // not the test's own folder, which the daemons' user may not enter
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o777))
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	return &bench{t: t, dir: dir, ns: map[string]string{}}
}

// box makes a namespace.
func (b *bench) box(name string) {
	b.t.Helper()
	ns := fmt.Sprintf("zv-%d-%s", os.Getpid(), name)
	if out, err := exec.Command("ip", "netns", "add", ns).CombinedOutput(); err != nil {
		skipped(b.t, "no network namespaces here: %s", out)
	}
	b.ns[name] = ns
	b.t.Cleanup(func() {
		if out, err := exec.Command("ip", "netns", "pids", ns).Output(); err == nil {
			for pid := range strings.FieldsSeq(string(out)) {
				if n, err := strconv.Atoi(pid); err == nil {
					if p, err := os.FindProcess(n); err == nil {
						_ = p.Kill()
					}
				}
			}
		}
		_ = exec.Command("ip", "netns", "del", ns).Run()
	})
	b.run(name, "ip link set lo up")
}

// try runs a command in a box; words are parted at blanks.
func (b *bench) try(box, command string) (string, error) {
	out, err := exec.Command("ip", append([]string{"netns", "exec", b.ns[box]}, strings.Fields(command)...)...).
		CombinedOutput()
	return string(out), err
}

// shell runs a shell script in a box.
func (b *bench) shell(box, script string) (string, error) {
	c := exec.Command("ip", "netns", "exec", b.ns[box], "sh", "-e")
	c.Stdin = strings.NewReader(script + "\n")
	out, err := c.CombinedOutput()
	return string(out), err
}

// run is try that must not fail.
func (b *bench) run(box, command string) string {
	b.t.Helper()
	out, err := b.try(box, command)
	require.NoError(b.t, err, "%s: %s: %s", box, command, out)
	return out
}

// link joins two boxes; each end has the other's name and the addresses given.
func (b *bench) link(one, oneIf, two, twoIf string, oneAddrs, twoAddrs []string) {
	b.t.Helper()
	b.run(one, fmt.Sprintf("ip link add %s type veth peer name %s netns %s", oneIf, twoIf, b.ns[two]))
	for _, end := range []struct {
		box, ifname string
		addrs       []string
	}{{one, oneIf, oneAddrs}, {two, twoIf, twoAddrs}} {
		for _, a := range end.addrs {
			nodad := ""
			if strings.Contains(a, ":") {
				nodad = " nodad"
			}
			b.run(end.box, "ip addr add "+a+" dev "+end.ifname+nodad)
		}
		b.run(end.box, "ip link set "+end.ifname+" up")
	}
}

// daemons starts routing daemons in a box and gives them a configuration.
func (b *bench) daemons(box, config string, names ...string) {
	b.t.Helper()
	if os.Getenv(inside) != "" {
		skipped(b.t, "the routing daemons of FRR set groups, which a user namespace made without root does not allow")
	}
	if _, err := os.Stat(filepath.Join(daemons, "zebra")); err != nil {
		skipped(b.t, "needs the routing daemons (Debian package frr)")
	}
	dir := b.sockets(box)
	require.NoError(b.t, os.MkdirAll(dir, 0o777))
	require.NoError(b.t, os.Chmod(dir, 0o777))
	for _, d := range append([]string{"zebra", "staticd"}, names...) {
		b.run(
			box,
			fmt.Sprintf(
				"%s/%s -d -i %s/%s.pid --vty_socket %s -z %s/zserv.api -A 127.0.0.1 -P 0 -f /dev/null",
				daemons,
				d,
				dir,
				d,
				dir,
				dir,
			),
		)
	}
	file := filepath.Join(dir, "configuration")
	require.NoError(b.t, os.WriteFile(file, []byte(config), 0o644))
	b.until("the daemons of "+box+" take their configuration", 10*time.Second, func() bool {
		out, err := b.try(box, "vtysh --vty_socket "+dir+" -f "+file)
		if err != nil || strings.Contains(out, "% ") {
			b.t.Log(out)
		}
		return err == nil
	})
}

func (b *bench) sockets(box string) string { return filepath.Join(b.dir, "run-"+box) }

// ask sends commands to the daemons of a box.
func (b *bench) ask(box string, commands ...string) string {
	b.t.Helper()
	args := []string{"netns", "exec", b.ns[box], "vtysh", "--vty_socket", b.sockets(box)}
	for _, c := range commands {
		args = append(args, "-c", c)
	}
	out, err := exec.Command("ip", args...).CombinedOutput()
	require.NoError(b.t, err, "%s: %v: %s", box, commands, out)
	return string(out)
}

// until waits for a condition.
func (b *bench) until(what string, limit time.Duration, done func() bool) {
	b.t.Helper()
	for end := time.Now().Add(limit); ; time.Sleep(200 * time.Millisecond) {
		if done() {
			return
		}
		if time.Now().After(end) {
			b.t.Fatalf("waited %v in vain: %s", limit, what)
		}
	}
}

// rest waits until the tables are complete and have been the same for some time.
func (b *bench) rest(what string, limit, calm time.Duration, ask func() (tables string, complete bool)) {
	b.t.Helper()
	last, since := "", time.Now()
	b.until(what, limit, func() bool {
		now, complete := ask()
		if now != last || !complete {
			last, since = now, time.Now()
		}
		time.Sleep(time.Second) // asking costs more than routing
		return time.Since(since) > calm
	})
}

// capture writes a capture of a box into a case.
func (b *bench) capture(dir, box, file, text string) {
	b.t.Helper()
	require.NoError(b.t, os.MkdirAll(filepath.Join(dir, box), 0o755))
	require.NoError(b.t, os.WriteFile(filepath.Join(dir, box, file), []byte(text), 0o644))
}
