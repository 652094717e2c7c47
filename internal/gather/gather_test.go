package gather_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh/knownhosts"

	"zarvek/internal/capture"
	"zarvek/internal/casefile"
	"zarvek/internal/gather"
	"zarvek/internal/gather/family"
	"zarvek/internal/gather/fetch"
	"zarvek/internal/gather/reach"
	"zarvek/internal/gather/secrets"
	"zarvek/internal/gather/standin"
	"zarvek/internal/gather/target"
	"zarvek/internal/gather/terminal"
)

const password = "snow and rope"

// site is a network of stand-ins, with what is needed to gather from it.
type site struct {
	t       *testing.T
	dir     string
	known   string
	secrets string
	old     map[string]bool
	limits  terminal.Limits
	targets []target.Target
	servers []*standin.Server
}

func newSite(t *testing.T) *site {
	dir := t.TempDir()
	return &site{
		t: t, dir: filepath.Join(dir, "case"), known: filepath.Join(dir, "known_hosts"), old: map[string]bool{},
		secrets: "all: {password: " + password + ", raise: high and dry}",
		limits:  terminal.Limits{First: 2 * time.Second, Silence: 2 * time.Second, Longest: 10 * time.Second, Settle: 40 * time.Millisecond},
	}
}

// device is a well-behaved command line with a table of its own.
func device(name string, n int) *standin.Device {
	return &standin.Device{
		Name: name, Prompt: "%s#", Complaint: "       ^\n% Invalid input detected at '^' marker.", PagesOff: "terminal length 0",
		Answers: map[string]string{
			"show version":            "Ropeway control 7\n",
			"terminal width 511":      "",
			"show ip route":           fmt.Sprintf("O    10.%d.%d.0/24 [110/20] via 172.28.61.6, cable0, 00:12:31\nC    172.28.61.4/30 is directly connected, cable0\n", 61+n/256, n%256),
			"show ip route vrf all":   "",
			"show ipv6 route":         "O   fd61:3::/64 [110/20] via fe80::1, cable0, 00:12:31\n",
			"show running-config":     "hostname " + name + "\n!\ninterface cable0\n ip address 172.28.61.5/30\n!\nend\n",
			"show ip arp":             "Protocol  Address          Age (min)  Hardware Addr   Type   Interface\nInternet  172.28.61.6             3   026b.6a04.0002  ARPA   cable0\n",
			"show ip interface brief": "Interface        IP-Address      OK? Method Status   Protocol\ncable0           172.28.61.5     YES manual up       up\n",
		},
	}
}

// serve starts a server and adds it to the list of devices.
func (s *site) serve(name string, x *standin.Server, edit func(*target.Target)) *standin.Server {
	s.t.Helper()
	x.User, x.Password = "night", orElse(x.Password, password)
	require.NoError(s.t, x.Listen())
	s.t.Cleanup(x.Close)
	s.servers = append(s.servers, x)
	f, err := os.OpenFile(s.known, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	require.NoError(s.t, err)
	defer f.Close()
	_, err = fmt.Fprintln(f, knownhosts.Line([]string{fmt.Sprintf("[127.0.0.1]:%d", x.Port())}, x.HostKey()))
	require.NoError(s.t, err)
	to := target.Target{Name: name, Address: "127.0.0.1", Port: x.Port(), Way: target.SSH, User: "night"}
	if edit != nil {
		edit(&to)
	}
	s.targets = append(s.targets, to)
	return x
}

func orElse(s, other string) string {
	if s == "" {
		return other
	}
	return s
}

func (s *site) options(atOnce int) gather.Options {
	hosts, err := reach.OpenHostKeys(nil, s.known)
	require.NoError(s.t, err)
	store := &secrets.Store{}
	require.NoError(s.t, store.Read("secrets", strings.NewReader(s.secrets)))
	d := &reach.Dialer{Hosts: hosts, Secrets: store, Connect: 2 * time.Second, PerJump: 4, Old: s.old}
	s.t.Cleanup(d.Close)
	f := &fetch.Fetcher{Dialer: d, Secrets: store, Limits: s.limits, Moved: capture.Moved, Routes: capture.CountRoutes}
	return gather.Options{Case: s.dir, AtOnce: atOnce, Pause: 10 * time.Millisecond, Fetch: f.Device, Now: time.Now}
}

func (s *site) gather(ctx context.Context, atOnce int) map[string]gather.Outcome {
	out := map[string]gather.Outcome{}
	for _, o := range gather.Run(ctx, s.targets, s.options(atOnce)) {
		out[o.Target.Name] = o
	}
	s.nothingLeaked()
	s.onlyReading()
	return out
}

// nothingLeaked searches all that was kept for the secrets.
func (s *site) nothingLeaked() {
	s.t.Helper()
	err := filepath.WalkDir(s.dir, func(p string, d os.DirEntry, err error) error {
		if errors.Is(err, os.ErrNotExist) || d != nil && d.IsDir() {
			return nil
		}
		require.NoError(s.t, err)
		b, err := os.ReadFile(p)
		require.NoError(s.t, err)
		for _, secret := range []string{password, "high and dry"} {
			require.NotContains(s.t, string(b), secret, p)
		}
		return nil
	})
	require.NoError(s.t, err)
}

// onlyReading reads the stand-ins' logs: all that came is a command that reads, or one of the session's own.
func (s *site) onlyReading() {
	s.t.Helper()
	for _, x := range s.servers {
		if x.Device == nil {
			continue
		}
	next:
		for _, line := range x.Device.Received() {
			for _, f := range append(family.All(), family.Unknown()) {
				if f.Allow(line) == nil || line == f.Privilege {
					continue next
				}
				for _, alternatives := range f.Session {
					for _, c := range alternatives {
						if line == c {
							continue next
						}
					}
				}
			}
			s.t.Errorf("%s was sent %q", x.Device.Name, line)
		}
	}
}

func (s *site) log(name string) string {
	b, err := os.ReadFile(filepath.Join(s.dir, name, "session.log"))
	require.NoError(s.t, err)
	return string(b)
}

func TestADeviceIsAskedAndJoinsTheCase(t *testing.T) {
	s := newSite(t)
	s.serve("mast-gw", &standin.Server{Device: device("mast-gw", 4)}, nil)
	o := s.gather(t.Context(), 4)["mast-gw"]
	require.NoError(t, o.Err)
	require.Equal(t, gather.Done, o.State)
	require.Equal(t, "lettered", o.Family)
	require.Equal(t, []string{"mast-gw/session.log"}, o.Files)
	log := s.log("mast-gw")
	require.Contains(t, log, "mast-gw#show ip route\r\nO    10.61.4.0/24 [110/20]")
	require.NotContains(t, log[strings.LastIndex(log, "show running-config"):], "show ip route", "the second reading is not kept")
	c, err := capture.Read("session.log", []byte(log), 1)
	require.NoError(t, err)
	routes := 0
	for i := range c.Parts {
		routes += c.Parts[i].Routes()
		require.Equal(t, "mast-gw", c.Parts[i].Device)
		require.Empty(t, c.Parts[i].Unread)
	}
	require.Equal(t, 3, routes)
	record, err := os.ReadFile(filepath.Join(s.dir, "provenance.json"))
	require.NoError(t, err)
	require.Contains(t, string(record), `"command": "show ip route"`)
	require.Contains(t, string(record), fmt.Sprintf(`"from": "ssh://night@127.0.0.1:%d"`, s.servers[0].Port()))
}

func TestFamiliesAreFoundByWhatDevicesAnswer(t *testing.T) {
	s := newSite(t)
	var wants = map[string]string{}
	add := func(want, name, prompt string, answers map[string]string, edit func(*standin.Device)) {
		d := &standin.Device{Name: name, Prompt: prompt, Answers: answers, Complaint: "unknown command."}
		if edit != nil {
			edit(d)
		}
		s.serve(name, &standin.Server{Device: d}, nil)
		wants[name] = want
	}
	add("starred", "valley", "night@%s> ", map[string]string{
		"show version": "Ropeway control 7", "set cli screen-length 0": "Screen length set to 0",
		"show route": "inet.0: 1 destinations, 1 routes (1 active, 0 holddown, 0 hidden)\n10.61.32.0/24      *[OSPF/10] 1d 02:03:04, metric 20\n                    >  to 172.28.61.6 via line1\n",
	}, nil)
	add("lettered", "midway", "night@%s> ", map[string]string{
		"show version": "Ropeway control 7", "terminal length 0": "", "show ip route": "C    172.28.61.4/30 is directly connected, cable0\n",
	}, nil)
	add("angled", "summit", "<%s>", map[string]string{
		"display version": "Ropeway control 7", "screen-length 0 temporary": "",
		"display ip routing-table": "Destination/Mask    Proto   Pre  Cost        NextHop         Interface\n10.61.32.0/24       OSPF    10   20          172.28.61.6     cable0\n",
	}, nil)
	add("blocks", "ticket-fw", "%s # ", map[string]string{
		"get system status": "Version: 7", "get router info routing-table all": "C    172.28.61.4/30 is directly connected, cable0\n",
	}, func(d *standin.Device) {
		d.Lines, d.Pager, d.Complaint = 20, "--More-- ", "command parse error before 'x'\nCommand fail. Return code 1"
	})
	add("columns", "fence", "night@%s(active)> ", map[string]string{
		"show system info": "hostname: fence", "set cli pager off": "",
		"show routing route": "destination      nexthop        metric flags   age   interface\n10.61.32.0/24    172.28.61.6    10     A S           cable0\n",
	}, nil)
	add("iproute", "mast7", "night@%s:~$ ", map[string]string{
		"ip -V": "ip utility, iproute2-6.1.0", "ip -j route show table all": `[{"dst":"10.61.16.0/24","gateway":"172.28.61.13","dev":"radio0","protocol":"static","flags":[]}]`,
	}, func(d *standin.Device) { d.Complaint = "sh: 1: command: not found" })
	add("flagged", "hut", "[night@%s] > ", map[string]string{
		"/system resource print": "version: 7", "/ip route print detail without-paging": "Flags: A - ACTIVE; s - STATIC\n#     DST-ADDRESS       GATEWAY        DISTANCE\n0  As 10.61.32.0/24     172.28.61.6           1\n",
	}, func(d *standin.Device) { d.Complaint = "bad command name x (line 1 column 1)" })
	add("unknown", "relic", "%s? >", map[string]string{"show roads": "10.61.32.0/24 via 172.28.61.6\n"}, nil)
	s.targets[len(s.targets)-1].Ask = []string{"show roads"}
	for name, o := range s.gather(t.Context(), 16) {
		require.NoError(t, o.Err, name)
		require.Equal(t, wants[name], o.Family, name)
	}
}

// TestFaults: every trouble is one line of its device, and the others are captured whole.
func TestFaults(t *testing.T) {
	s := newSite(t)
	faulty := func(f standin.Fault) *standin.Server {
		d := device("x", 1)
		d.Fault = f
		if f == standin.EndlessPages {
			d.Lines, d.PagesOff = 1, ""
		}
		if f == standin.CutOff {
			d.Answers["show ip route"] = strings.Repeat(d.Answers["show ip route"], 9)
		}
		return &standin.Server{Device: d}
	}
	want := map[string]string{}
	add := func(name string, x *standin.Server, says string, edit func(*target.Target)) *standin.Server {
		want[name] = says
		return s.serve(name, x, edit)
	}
	add("good-1", &standin.Server{Device: device("good-1", 1)}, "", nil)
	wrong := add("wrong-password", &standin.Server{Device: device("x", 1), Password: "another"}, "does not take the password of night", nil)
	stranger := add("unknown-key", &standin.Server{Device: device("x", 1)}, "its host key is not known: ssh-ed25519 SHA256:", func(to *target.Target) { to.Address = "localhost" })
	changed := add("changed-key", &standin.Server{Device: device("x", 1)}, "its host key has changed", nil)
	require.NoError(t, changed.NewHostKey())
	add("old-only", &standin.Server{Device: device("x", 1), Old: true}, "-old-algorithms old-only", nil)
	add("slow", faulty(standin.Slow), "", nil)
	add("mute", faulty(standin.Mute), "says nothing more", nil)
	add("silent", faulty(standin.SilentAsked), `says nothing more in the answer to "show no-such-question"`, nil)
	add("cut-off", faulty(standin.CutOff), `the connection ended in the answer to "show ip route"`, nil)
	add("endless-pages", faulty(standin.EndlessPages), "its pages do not end in the answer to", nil)
	add("junk", faulty(standin.Junk), "shows no prompt", nil)
	add("banner-flood", faulty(standin.BannerFlood), "shows no prompt in its first MiB", nil)
	add("deaf", &standin.Server{Deaf: true}, "takes the connection and does not answer in 2s", nil)
	add("privilege-refused", &standin.Server{Device: func() *standin.Device {
		d := device("x", 1)
		d.Level, d.Secret = "enable", "not this one"
		return d
	}()}, "refused the higher level: its secret was not taken", func(to *target.Target) { to.Raise = true })
	add("command-unknown", &standin.Server{Device: device("x", 1)}, `does not take "show rope tension": "the command is not understood"`, func(to *target.Target) { to.Ask = []string{"show rope tension"} })
	add("no-routes", &standin.Server{Device: func() *standin.Device {
		d := device("x", 1)
		delete(d.Answers, "show ip route")
		delete(d.Answers, "show ip route vrf all")
		delete(d.Answers, "show ipv6 route")
		return d
	}()}, "takes no command that shows its routes", nil)
	add("no-family", &standin.Server{Device: func() *standin.Device { d := device("x", 1); d.Answers = nil; return d }()}, "its family of commands is not known", nil)
	add("jump-down", &standin.Server{Device: device("x", 1)}, "the jump host 127.0.0.1: no connection to 127.0.0.1:1: connection refused", func(to *target.Target) { to.Jump = "127.0.0.1:1" })
	add("good-2", &standin.Server{Device: device("good-2", 2)}, "", nil)
	add("higher", &standin.Server{Device: func() *standin.Device {
		d := device("higher", 3)
		d.Level, d.Secret, d.Needs = "enable", "high and dry", map[string]bool{"show running-config": true}
		d.Answers["show running-config"] = "hostname higher\nusername night password " + password + "\n"
		return d
	}()}, "", func(to *target.Target) { to.Raise = true })

	got := s.gather(t.Context(), 16)
	for name, says := range want {
		o := got[name]
		if says == "" {
			require.NoError(t, o.Err, name)
			require.Contains(t, s.log(name), "show running-config")
			continue
		}
		require.Equal(t, gather.Failed, o.State, name)
		require.ErrorContains(t, o.Err, says, name)
		require.NotContains(t, o.Err.Error(), "\n", name)
		for _, secret := range []string{password, "high and dry"} {
			require.NotContains(t, o.Err.Error(), secret, name)
		}
		require.NoDirExists(t, filepath.Join(s.dir, name))
	}
	require.Equal(t, 1, wrong.Tries(), "a wrong password is tried once")
	require.Zero(t, stranger.Tries())
	require.Zero(t, changed.Tries())
	require.Equal(t, 2, got["silent"].Tries)
	require.Equal(t, 1, got["higher"].Scrubbed)
}

// TestWhatWasGatheredIsItsDevices, though its prompt counts the commands and so seems to name several.
func TestWhatWasGatheredIsItsDevices(t *testing.T) {
	s := newSite(t)
	d := device("mast-gw", 4)
	d.Counts = true
	s.serve("mast-gw", &standin.Server{Device: d}, nil)
	require.NoError(t, s.gather(t.Context(), 1)["mast-gw"].Err)
	c, err := casefile.Load(s.dir)
	require.NoError(t, err)
	require.Equal(t, 1, c.Network.Devices().Len())
	require.NotNil(t, c.Network.Device("mast-gw"))
}

// TestADeviceRefusesInItsOwnWords: how it does is learned, so that no refusal is taken for an answer.
func TestADeviceRefusesInItsOwnWords(t *testing.T) {
	s := newSite(t)
	d := device("mast-gw", 4)
	d.Complaint, d.PagesOff, d.Prompt = "Nobody here knows about that.", "none", "%s #"
	s.serve("mast-gw", &standin.Server{Device: d}, nil)
	o := s.gather(t.Context(), 1)["mast-gw"]
	require.NoError(t, o.Err)
	require.Equal(t, "lettered", o.Family, "not the first whose questions it refuses")
	refused := 0
	for _, c := range o.Commands {
		if c.Refused != "" {
			require.Equal(t, "Nobody here knows about that.", c.Refused)
			refused++
		}
	}
	require.Positive(t, refused)

	s = newSite(t)
	d = device("mast-gw", 4)
	d.Answers["show ip route"], d.Answers["show ipv6 route"] = "Ask again tomorrow, please.\n", ""
	s.serve("mast-gw", &standin.Server{Device: d}, nil)
	o = s.gather(t.Context(), 1)["mast-gw"]
	require.NoError(t, o.Err)
	require.True(t, o.NoRoutes)
}

func TestOldAlgorithmsWhereTheyAreNamed(t *testing.T) {
	s := newSite(t)
	s.serve("attic", &standin.Server{Device: device("attic", 1), Old: true}, nil)
	s.old["attic"] = true
	require.NoError(t, s.gather(t.Context(), 1)["attic"].Err)
}

func TestATableThatChangesIsTold(t *testing.T) {
	s := newSite(t)
	d := device("mast-gw", 1)
	d.Changes = map[string]string{"show ip route": "C    172.28.61.4/30 is directly connected, cable0\n"}
	s.serve("mast-gw", &standin.Server{Device: d}, nil)
	o := s.gather(t.Context(), 1)["mast-gw"]
	require.NoError(t, o.Err)
	require.Len(t, o.Moved, 1)
	require.Equal(t, "show ip route", o.Moved[0].Command)
	require.Equal(t, [2]int{1, 0}, [2]int{o.Moved[0].Gone, o.Moved[0].Come})
	require.Contains(t, s.log("mast-gw"), "10.61.1.0/24", "the first answer is what is kept")
}

func TestManyAtOnce(t *testing.T) {
	const many, atOnce = 200, 16
	s := newSite(t)
	hop := &standin.Server{Leads: true}
	s.serve("hop", hop, nil)
	s.targets = nil
	d := make([]*standin.Device, many)
	for i := range many {
		name := fmt.Sprintf("mast-%d", i)
		d[i] = device(name, i)
		s.serve(name, &standin.Server{Device: d[i]}, func(to *target.Target) {
			if i%4 == 0 {
				to.Jump = fmt.Sprintf("127.0.0.1:%d", hop.Port())
			}
		})
	}
	start := time.Now()
	got := s.gather(t.Context(), atOnce)
	t.Logf("%d devices, %d at a time: %v", many, atOnce, time.Since(start).Round(100*time.Millisecond))
	for i := range many {
		name := fmt.Sprintf("mast-%d", i)
		require.NoError(t, got[name].Err, name)
		require.Contains(t, s.log(name), fmt.Sprintf("10.%d.%d.0/24", 61+i/256, i%256))
	}
	require.Equal(t, 1, hop.Tries(), "a jump host is entered once")
	require.LessOrEqual(t, hop.MostLed(), 8, "and not overrun: 4 at once, and those whose end it has not heard of yet")
	require.Positive(t, hop.MostLed())
}

func TestWhoeverStopsKeepsWhatIsDone(t *testing.T) {
	s := newSite(t)
	s.serve("quick", &standin.Server{Device: device("quick", 1)}, nil)
	s.serve("stuck", &standin.Server{Device: func() *standin.Device { d := device("stuck", 2); d.Fault = standin.SilentAsked; return d }()}, nil)
	s.limits.Silence = time.Minute
	ctx, stop := context.WithCancel(t.Context())
	opt := s.options(2)
	opt.Tell = func(n gather.News) {
		if n.State == gather.Done {
			stop()
		}
	}
	out := gather.Run(ctx, s.targets, opt)
	require.Equal(t, gather.Done, out[0].State)
	require.Equal(t, gather.Stopped, out[1].State)
	require.Contains(t, s.log("quick"), "10.61.1.0/24")
	require.NoDirExists(t, filepath.Join(s.dir, "stuck"))
	missing, err := gather.Captured(s.dir, []string{"Quick", "stuck"})
	require.NoError(t, err)
	require.Equal(t, []string{"Quick"}, missing)
}

func TestACaseThatCannotBeWrittenIsTheDevicesTrouble(t *testing.T) {
	s := newSite(t)
	s.serve("mast-gw", &standin.Server{Device: device("mast-gw", 1)}, nil)
	s.serve("summit", &standin.Server{Device: device("summit", 2)}, nil)
	require.NoError(t, os.MkdirAll(s.dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "summit"), []byte("a file in the folder's place\n"), 0o644))
	got := s.gather(t.Context(), 2)
	require.NoError(t, got["mast-gw"].Err)
	require.ErrorContains(t, got["summit"].Err, "was read and cannot be kept")
}
