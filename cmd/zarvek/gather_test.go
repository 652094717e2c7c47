package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
	"unsafe"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh/knownhosts"
	"golang.org/x/sys/unix"

	"zarvek/internal/demo"
	"zarvek/internal/gather/standin"
)

const snow = "snow and rope"

// ropeway is a network of stand-ins and a folder to gather into, driven through the built program.
type ropeway struct {
	t     *testing.T
	dir   string // the case
	known string
	list  string
}

func newRopeway(t *testing.T) *ropeway {
	dir := t.TempDir()
	r := &ropeway{t: t, dir: filepath.Join(dir, "night"), known: filepath.Join(dir, "known_hosts"), list: "all: {user: night}\ndevices:\n"}
	require.NoError(t, os.MkdirAll(r.dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "secrets"), []byte("all: {password: "+snow+", raise: "+snow+"}\n"), 0o600))
	return r
}

// serve puts a device on the network and into devices.yaml; more is what else the list says of it.
func (r *ropeway) serve(d *standin.Device, known bool, more string) *standin.Server {
	r.t.Helper()
	x := &standin.Server{Device: d, User: "night", Password: snow}
	require.NoError(r.t, x.Listen())
	r.t.Cleanup(x.Close)
	r.list += fmt.Sprintf("  %s: {address: 127.0.0.1, port: %d%s}\n", d.Name, x.Port(), more)
	require.NoError(r.t, os.WriteFile(filepath.Join(r.dir, "devices.yaml"), []byte(r.list), 0o644))
	if known {
		f, err := os.OpenFile(r.known, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
		require.NoError(r.t, err)
		defer f.Close()
		fmt.Fprintln(f, knownhosts.Line([]string{fmt.Sprintf("[127.0.0.1]:%d", x.Port())}, x.HostKey()))
	}
	return x
}

func (r *ropeway) command(args ...string) *exec.Cmd {
	return exec.Command("zarvek", append(args, "-case", r.dir)...)
}

// run runs the program, which must end with a code, and returns what it wrote; nothing of that is a secret.
func (r *ropeway) run(code int, args ...string) string {
	r.t.Helper()
	return r.ends(code, r.command(args...))
}

func (r *ropeway) ends(code int, c *exec.Cmd) string {
	r.t.Helper()
	var out bytes.Buffer
	c.Stdout, c.Stderr = &out, &out
	err := c.Run()
	var exit *exec.ExitError
	if code == 0 {
		require.NoError(r.t, err, out.String())
	} else {
		require.ErrorAs(r.t, err, &exit, out.String())
		require.Equal(r.t, code, exit.ExitCode(), out.String())
	}
	require.NotContains(r.t, out.String(), snow)
	return out.String()
}

// gather is the options with which stand-ins are gathered from.
func (r *ropeway) gather(more ...string) []string {
	return append([]string{"gather", "-secrets", filepath.Join(filepath.Dir(r.dir), "secrets"), "-known-hosts", r.known, "-silence", "2s"}, more...)
}

func station(name string, n int) *standin.Device {
	return &standin.Device{
		Name: name, Prompt: "%s#", Complaint: "% Unknown command.", PagesOff: "terminal length 0",
		Answers: map[string]string{
			"show version":  "Ropeway control 7\n",
			"show ip route": fmt.Sprintf("O    10.61.%d.0/24 [110/20] via 172.28.61.6, cable0, 00:12:31\nC    172.28.61.4/30 is directly connected, cable0\n", n),
		},
	}
}

// demoStation plays a device of the demo: its captures are what it answers.
func demoStation(t *testing.T, dir, name string) *standin.Device {
	read := func(file string) string {
		b, err := os.ReadFile(filepath.Join(dir, name, file))
		require.NoError(t, err)
		return string(b)
	}
	if name == "mast7" {
		return &standin.Device{Name: name, Prompt: "night@%s:~$ ", Complaint: "sh: 1: not found", Answers: map[string]string{
			"ip -V": "ip utility", "ip -j route show table all": read("ip-route.json"), "ip -j address show": read("ip-addr.json"),
			"ip -j neigh show": read("ip-neigh.json"), "ip -j rule show": read("ip-rule.json"),
			"sysctl -e net.ipv4.ip_forward net.ipv6.conf.all.forwarding": read("switches.txt"),
		}}
	}
	return &standin.Device{
		Name: name, Prompt: "%s# ", Complaint: "% Unknown command.", PagesOff: "terminal length 0", Answers: map[string]string{
			"show version": "Ropeway control 7\n", "show ip route": read("routes-ipv4.txt"), "show ipv6 route": read("routes-ipv6.txt"),
			"show interfaces": read("addresses.json"), "show ip arp": read("neighbours.json"), "show running-config": read("configuration.txt"),
		},
	}
}

// findingsOf returns an audit without where each thing stands.
func findingsOf(t *testing.T, text string) []string {
	var doc struct {
		Findings []struct {
			ID, Kind, Severity, Device, Summary string
			Affected                            json.RawMessage
		}
	}
	require.NoError(t, json.Unmarshal([]byte(text), &doc))
	var out []string
	for _, f := range doc.Findings {
		if f.Kind != "captures-apart" {
			out = append(out, fmt.Sprint(f.ID, f.Kind, f.Severity, f.Device, f.Summary, string(f.Affected)))
		}
	}
	return out
}

func TestTheDemoGatheredSaysWhatTheDemoSays(t *testing.T) {
	r := newRopeway(t)
	byHand := filepath.Join(t.TempDir(), "kjelven")
	require.NoError(t, demo.Write(byHand))
	for _, name := range []string{"control", "midway", "summit", "valley", "mast7"} {
		r.serve(demoStation(t, byHand, name), true, "")
	}
	out := r.run(0, r.gather()...)
	require.True(t, strings.HasPrefix(out, "5 of 5 devices captured into "), out)
	rest, err := filepath.Glob(filepath.Join(byHand, "*.log"))
	require.NoError(t, err)
	r.run(0, append([]string{"collect"}, rest...)...)
	notes, err := os.ReadFile(filepath.Join(byHand, "notes.yaml"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(r.dir, "notes.yaml"), notes, 0o644))
	want := findingsOf(t, r.ends(1, exec.Command("zarvek", "audit", "-as", "json", "-case", byHand)))
	require.NotEmpty(t, want)
	require.Equal(t, want, findingsOf(t, r.run(1, "audit", "-as", "json")))
	require.Contains(t, r.run(0, "devices"), "5 devices gathered from ")
}

func TestWhatFailedIsGatheredLater(t *testing.T) {
	r := newRopeway(t)
	r.serve(station("summit", 3), true, "")
	late := r.serve(station("mast-gw", 4), true, "")
	late.Password = "not yet"
	plan := r.run(0, "gather", "-dry-run")
	require.Contains(t, plan, "2 devices would be asked")
	require.Contains(t, plan, "show ip route vrf all, else show ip route vrf *")
	out := r.run(1, r.gather()...)
	require.Contains(t, out, "1 of 2 devices captured")
	require.Contains(t, out, "mast-gw  does not take the password of night")
	require.Contains(t, r.run(2, r.gather()...), "the case has captures of summit already")
	late.Password = snow
	require.Contains(t, r.run(0, r.gather("-missing")...), "1 of 1 device captured")
	require.Contains(t, r.run(0, r.gather("-missing")...), "nothing was asked")
	require.Contains(t, r.run(0, "devices"), "2 devices, 4 routes read; 0 lines not read")
	var doc struct {
		Captured int
		Devices  []struct{ State, Error string }
	}
	one := &ropeway{t: t, dir: t.TempDir(), known: r.known}
	require.NoError(t, os.Symlink(filepath.Join(filepath.Dir(r.dir), "secrets"), filepath.Join(filepath.Dir(one.dir), "secrets")))
	text := one.run(0, one.gather("-as", "json", fmt.Sprintf("ssh://night@127.0.0.1:%d", late.Port()))...)
	require.NoError(t, json.Unmarshal([]byte(text), &doc))
	require.Equal(t, 1, doc.Captured)
	require.Equal(t, "captured", doc.Devices[0].State)
}

// TestTheDryRunShowsWhatIsSent, to the letter, of a family that is named and of one that is found.
func TestTheDryRunShowsWhatIsSent(t *testing.T) {
	for _, more := range []string{"", ", family: lettered"} {
		r := newRopeway(t)
		d := station("summit", 3)
		d.Level, d.Secret = "enable", snow
		r.serve(d, true, ", raise: true"+more)
		shown := strings.NewReplacer(", else ", "\n", " (", "\n(").Replace(r.run(0, "gather", "-dry-run"))
		var lines []string
		for line := range strings.Lines(shown) {
			lines = append(lines, strings.TrimSpace(line))
		}
		r.run(0, r.gather()...)
		require.Greater(t, len(d.Received()), 10)
		for _, sent := range d.Received() {
			require.Contains(t, lines, sent)
		}
	}
}

func TestHowGatherIsCalledWrongly(t *testing.T) {
	r := newRopeway(t)
	require.Contains(t, r.run(2, "gather"), "devices.yaml: there is no such file")
	require.Contains(t, r.run(2, "gather", "summit"), `no device is called "summit"`)
	d := station("summit", 3)
	r.serve(d, true, "")
	for want, args := range map[string][]string{
		"did you mean summit?":              {"gather", "sumit"},
		"is no reading command":             {"gather", "-ask", "reload"},
		"characters":                        {"gather", "-ask", "show clock; reload"},
		"holds a password":                  {"gather", "ssh://night:" + "snowy" + "@127.0.0.1"},
		"which is none of the devices":      {"gather", "-old-algorithms", "attic"},
		"summit: the key /nowhere cannot":   {"gather", "-key", "/nowhere"},
		"is named twice":                    {"gather", "summit", "summit"},
		"take a number from 1 on":           {"gather", "-at-once", "0"},
		"-missing has no meaning beside it": {"gather", "-watch", "1m", "-missing"},
		"there is no option -password":      {"gather", "-password", "x"},
	} {
		require.Contains(t, r.run(2, args...), want)
	}
	secrets := filepath.Join(filepath.Dir(r.dir), "secrets")
	require.NoError(t, os.Chmod(secrets, 0o644))
	require.Contains(t, r.run(3, r.gather()...), "chmod 600")
	require.Empty(t, d.Received(), "nothing was sent")
}

func TestSecretsOfADescriptor(t *testing.T) {
	r := newRopeway(t)
	r.serve(station("summit", 3), true, "")
	c := r.command("gather", "-secrets-fd", "3", "-known-hosts", r.known)
	read, write, err := os.Pipe()
	require.NoError(t, err)
	c.ExtraFiles = []*os.File{read}
	fmt.Fprintf(write, "summit: {password: %s}\n", snow)
	write.Close()
	require.Contains(t, r.ends(0, c), "1 of 1 device captured")
}

func TestAFullDiskIsTheDevicesTrouble(t *testing.T) {
	r := newRopeway(t)
	big := station("big", 1)
	big.Answers["show ip route"] = strings.Repeat(big.Answers["show ip route"], 2000)
	r.serve(big, true, "")
	r.serve(station("small", 2), true, "")
	c := exec.Command("sh", append([]string{"-c", `ulimit -f 100; exec zarvek "$@"`, "sh"}, append(r.gather(), "-case", r.dir)...)...)
	out := r.ends(1, c)
	require.Contains(t, out, "big  was read and cannot be kept: ")
	require.Contains(t, out, "1 of 2 devices captured")
	require.NoDirExists(t, filepath.Join(r.dir, "big"))
	require.Contains(t, r.run(0, "devices"), "small")
}

func TestStoppedFromTheKeyboard(t *testing.T) {
	r := newRopeway(t)
	r.serve(station("quick", 1), true, "")
	stuck := station("stuck", 2)
	stuck.Fault = standin.SilentAsked
	r.serve(stuck, true, "")
	c := r.command(r.gather("-silence", "1m")...)
	var out bytes.Buffer
	c.Stdout, c.Stderr = &out, &out
	require.NoError(t, c.Start())
	require.Eventually(t, func() bool { _, err := os.Stat(filepath.Join(r.dir, "quick", "session.log")); return err == nil }, 20*time.Second, 20*time.Millisecond)
	for _, of := range []string{"cmdline", "environ"} {
		b, err := os.ReadFile(fmt.Sprintf("/proc/%d/%s", c.Process.Pid, of))
		require.NoError(t, err)
		require.NotContains(t, string(b), snow)
	}
	require.NoError(t, c.Process.Signal(syscall.SIGINT))
	var exit *exec.ExitError
	require.ErrorAs(t, c.Wait(), &exit)
	require.Equal(t, 1, exit.ExitCode())
	require.Contains(t, out.String(), "1 of 2 devices captured")
	require.Contains(t, out.String(), "stuck  stopped before it was done")
	require.Contains(t, r.run(0, "devices"), "1 device, 2 routes read")
}

func TestATableThatMovesIsToldEverywhere(t *testing.T) {
	r := newRopeway(t)
	d := station("summit", 3)
	d.Changes = map[string]string{"show ip route": "C    172.28.61.4/30 is directly connected, cable0\n"}
	r.serve(d, true, "")
	require.Contains(t, r.run(0, r.gather()...), "The table of summit changed while it was read: between ")
	require.Contains(t, r.run(0, "devices"), "1 route went and 0 routes came (show ip route)")
	require.Contains(t, r.run(1, "audit", "-only", "table-moved", "-severity", "note"), `a second answer to "show ip route" had 1 route less`)
}

func TestWatchMakesCasesThatCompare(t *testing.T) {
	r := newRopeway(t)
	d := station("summit", 3)
	d.Changes = map[string]string{}
	r.serve(d, true, "")
	out := r.run(0, r.gather("-watch", "1100ms", "-rounds", "2")...)
	require.Equal(t, 2, strings.Count(out, "1 of 1 device captured"))
	cases, err := filepath.Glob(filepath.Join(r.dir, "2*Z"))
	require.NoError(t, err)
	require.Len(t, cases, 2)
	r.ends(0, exec.Command("zarvek", "compare", cases[0], cases[1]))
}

// console opens a pseudo-terminal (pts(4)).
func console(t *testing.T) (near, far *os.File) {
	near, err := os.OpenFile("/dev/ptmx", os.O_RDWR|syscall.O_NOCTTY, 0)
	if err != nil {
		t.Skipf("SKIPPED: no pseudo-terminals here: %v", err)
	}
	t.Cleanup(func() { near.Close() })
	var n, unlock int32
	for _, x := range []struct {
		request uintptr
		value   *int32
	}{{unix.TIOCSPTLCK, &unlock}, {unix.TIOCGPTN, &n}} {
		_, _, e := syscall.Syscall(syscall.SYS_IOCTL, near.Fd(), x.request, uintptr(unsafe.Pointer(x.value)))
		require.Zero(t, e)
	}
	far, err = os.OpenFile(fmt.Sprintf("/dev/pts/%d", n), os.O_RDWR|syscall.O_NOCTTY, 0)
	require.NoError(t, err)
	t.Cleanup(func() { far.Close() })
	return near, far
}

// dialogue runs the program on a terminal. Answer waits for a question; end waits for the program and returns all that
// was to be seen.
func dialogue(t *testing.T, c *exec.Cmd) (answer func(question, with string), end func() (string, error)) {
	near, far := console(t)
	c.Stdin, c.Stdout, c.Stderr = far, far, far
	c.SysProcAttr = &syscall.SysProcAttr{Setsid: true, Setctty: true}
	require.NoError(t, c.Start())
	far.Close()
	screen := make(chan string)
	var seen bytes.Buffer
	go func() {
		defer close(screen)
		b := make([]byte, 4096)
		for {
			n, err := near.Read(b)
			if n > 0 {
				screen <- string(b[:n])
			}
			if err != nil {
				return
			}
		}
	}()
	answer = func(question, with string) {
		limit := time.After(20 * time.Second)
		for !strings.Contains(seen.String(), question) {
			select {
			case s, ok := <-screen:
				require.True(t, ok, seen.String())
				seen.WriteString(s)
			case <-limit:
				t.Fatalf("%q was not asked: %s", question, seen.String())
			}
		}
		_, err := near.WriteString(with)
		require.NoError(t, err)
	}
	return answer, func() (string, error) {
		for s := range screen {
			seen.WriteString(s)
		}
		return seen.String(), c.Wait()
	}
}

// TestOnATerminal answers the questions for an unknown host key and for passwords as a person does.
func TestOnATerminal(t *testing.T) {
	r := newRopeway(t)
	d := station("mast-gw", 4)
	d.Level, d.Secret, d.Needs = "enable", "high and dry", map[string]bool{"show running-config": true}
	d.Answers["show running-config"] = "hostname mast-gw\n"
	x := r.serve(d, false, ", raise: true")
	answer, end := dialogue(t, r.command("gather", "-known-hosts", r.known))
	answer("mast-gw (127.0.0.1:", "yes\r")
	answer("Password of night: ", snow+"\r")
	answer("Password of the higher level: ", d.Secret+"\r")
	seen, err := end()
	require.NoError(t, err, seen)
	require.Contains(t, seen, "1 of 1 device captured")
	require.NotContains(t, seen, snow)
	require.NotContains(t, seen, d.Secret)
	known, err := os.ReadFile(r.known)
	require.NoError(t, err)
	require.Contains(t, string(known), fmt.Sprintf("[127.0.0.1]:%d ssh-ed25519 ", x.Port()))
}

func TestStoppedAtAQuestion(t *testing.T) {
	r := newRopeway(t)
	x := r.serve(station("mast-gw", 4), true, "")
	answer, end := dialogue(t, r.command("gather", "-known-hosts", r.known))
	answer("Password of night: ", "\x03")
	seen, err := end()
	var exit *exec.ExitError
	require.ErrorAs(t, err, &exit, seen)
	require.Equal(t, 1, exit.ExitCode())
	require.Contains(t, seen, "0 of 1 device captured")
	require.Zero(t, x.Tries())
}
