package terminal_test

import (
	"context"
	"fmt"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/gather/standin"
	"zarvek/internal/gather/terminal"
)

// limits are short, since the tests' devices are near.
var limits = terminal.Limits{
	First: 3 * time.Second, Silence: 2 * time.Second, Longest: 20 * time.Second, Settle: 40 * time.Millisecond,
}

// table is a table of some length.
func table(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "O    10.%d.%d.0/24 [110/20] via 172.28.61.6, cable%d, 00:12:31\n", 61+i/256, i%256, i%4)
	}
	return b.String()
}

func device(edit func(d *standin.Device)) *standin.Device {
	d := &standin.Device{
		Name: "mast-gw", Prompt: "%s#", Complaint: "       ^\n% Invalid input detected at '^' marker.\n", PagesOff: "terminal length 0",
		Answers: map[string]string{"show ip route": table(300), "show version": "Ropeway control 7", "show nothing": ""},
	}
	if edit != nil {
		edit(d)
	}
	return d
}

func start(t *testing.T, d *standin.Device, l terminal.Limits) *terminal.Session {
	t.Helper()
	near, far := net.Pipe()
	ctx, stop := context.WithCancel(context.Background())
	go func() {
		d.Serve(far)
		far.Close()
	}()
	t.Cleanup(func() { stop(); near.Close(); far.Close() })
	return terminal.Start(ctx, near, l)
}

func TestAnAnswerIsWholeWhateverThePromptAndThePagerAre(t *testing.T) {
	for name, edit := range map[string]func(*standin.Device){
		"plain":                 nil,
		"pages":                 func(d *standin.Device) { d.Lines, d.PagesOff = 24, "" },
		"pages of another kind": func(d *standin.Device) { d.Lines, d.PagesOff, d.Pager = 10, "", "---- More ----" },
		"pages with a share":    func(d *standin.Device) { d.Lines, d.PagesOff, d.Pager = 10, "", "---(more 12%)---" },
		"a pager that explains": func(d *standin.Device) {
			d.Lines, d.PagesOff, d.Pager = 10, "", "-- MORE --, next page: Space, quit: q"
		},
		"numbered lines":          func(d *standin.Device) { d.Lines, d.PagesOff, d.Pager = 10, "", "lines 1-10 " },
		"a banner like a prompt":  func(d *standin.Device) { d.Banner = "Ropeway station>\nno entry #\n" },
		"a long banner":           func(d *standin.Device) { d.Banner = strings.Repeat("Keep off the cables.\n", 500) },
		"an angled prompt":        func(d *standin.Device) { d.Prompt = "<%s>" },
		"a prompt with a user":    func(d *standin.Device) { d.Prompt = "night@%s> " },
		"a prompt in brackets":    func(d *standin.Device) { d.Prompt = "[night@%s] > " },
		"a prompt in colour":      func(d *standin.Device) { d.Prompt = "\x1b[1;32m%s\x1b[0m# " },
		"a prompt over two lines": func(d *standin.Device) { d.Prompt = "\r\n{master:0}\r\nnight@%s> " },
		"slow":                    func(d *standin.Device) { d.Fault, d.Answers["show ip route"] = standin.Slow, table(10) },
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			d := device(edit)
			s := start(t, d, limits)
			require.NoError(t, s.Greet(t.Context()))
			for range 2 {
				a, err := s.Ask(t.Context(), "show ip route")
				require.NoError(t, err)
				require.Empty(t, a.Complaint)
				for want := range strings.SplitSeq(strings.TrimSpace(d.Answers["show ip route"]), "\n") {
					require.Contains(t, a.Text, want)
				}
				require.False(t, a.End.Before(a.Start))
			}
			a, err := s.Ask(t.Context(), "show version")
			require.NoError(t, err)
			first, _, _ := strings.Cut(strings.TrimSpace(a.Text), "\n") // above a prompt there may be a line of its own
			require.Equal(t, "Ropeway control 7", first, "nothing of another answer")
			a, err = s.Ask(t.Context(), "show nothing")
			require.NoError(t, err)
			require.NotContains(t, a.Text, "Ropeway")
			require.Contains(t, string(s.Log()), "show ip route\r\n")
		})
	}
}

func TestAPromptThatCountsIsLearned(t *testing.T) {
	near, far := net.Pipe()
	defer near.Close()
	go func() {
		buf := make([]byte, 100)
		for n := 1; ; n++ {
			fmt.Fprintf(far, "mast-gw.%d # ", n)
			k, err := far.Read(buf)
			if err != nil {
				return
			}
			fmt.Fprintf(far, "%s\r\n", strings.TrimSpace(string(buf[:k])))
			if k > 1 {
				fmt.Fprint(far, "10.61.3.0/24 is there\r\n")
			}
		}
	}()
	s := terminal.Start(t.Context(), near, limits)
	require.NoError(t, s.Greet(t.Context()))
	for range 12 {
		a, err := s.Ask(t.Context(), "show iproute")
		require.NoError(t, err)
		require.Equal(t, "10.61.3.0/24 is there", a.Text)
	}
}

func TestADeviceThatDoesNotTakeACommandSaysSo(t *testing.T) {
	for complaint, want := range map[string]string{
		"       ^\n% Invalid input detected at '^' marker.\n":   "the command is not understood",
		"% Unknown command: show ip route vrf all":              "% Unknown command: show ip route vrf all",
		"                ^\nsyntax error, expecting <command>.": "the command is not understood",
		"Unknown command.":                                         "Unknown command.",
		"bad command name vrf (line 1 column 4)":                   "bad command name vrf (line 1 column 4)",
		"Error: Unrecognized command found at '^' position.":       "Error: Unrecognized command found at '^' position.",
		"command parse error before 'x'\nCommand fail. Return 1":   "Command fail. Return 1",
		"% Authorization failed.":                                  "% Authorization failed.",
		"O    10.61.3.0/24 [110/20] via 172.28.61.6, error0, 1d0h": "",
	} {
		d := device(func(d *standin.Device) { d.Complaint = complaint })
		s := start(t, d, limits)
		require.NoError(t, s.Greet(t.Context()))
		a, err := s.Ask(t.Context(), "show ip route vrf all")
		require.NoError(t, err)
		require.Equal(t, want, a.Complaint, complaint)
	}
}

func TestFaultsEndInTheirErrorAndInTime(t *testing.T) {
	for name, tt := range map[string]struct {
		edit func(*standin.Device)
		want error
	}{
		"mute":         {func(d *standin.Device) { d.Fault = standin.Mute }, terminal.ErrSilent},
		"silent":       {func(d *standin.Device) { d.Fault = standin.SilentAsked }, terminal.ErrSilent},
		"cut off":      {func(d *standin.Device) { d.Fault = standin.CutOff }, terminal.ErrCutOff},
		"endless page": {func(d *standin.Device) { d.Fault, d.Lines, d.PagesOff = standin.EndlessPages, 24, "" }, terminal.ErrPages},
		"junk":         {func(d *standin.Device) { d.Fault = standin.Junk }, terminal.ErrPrompt},
		"banner flood": {func(d *standin.Device) { d.Fault = standin.BannerFlood }, terminal.ErrPrompt},
		"no prompt":    {func(d *standin.Device) { d.Prompt = "%s says nothing of use\r\n" }, terminal.ErrPrompt},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := start(t, device(tt.edit), limits)
			err := s.Greet(t.Context())
			if err == nil {
				_, err = s.Ask(t.Context(), "show ip route")
			}
			require.ErrorIs(t, err, tt.want)
		})
	}
}

func TestTooMuchAndTooLongEnd(t *testing.T) {
	l := limits
	l.Bytes = 5000
	s := start(t, device(nil), l)
	require.NoError(t, s.Greet(t.Context()))
	_, err := s.Ask(t.Context(), "show ip route")
	require.ErrorIs(t, err, terminal.ErrTooMuch)

	l = limits
	l.Longest = 300 * time.Millisecond
	s = start(t, device(func(d *standin.Device) { d.Fault = standin.Slow }), l)
	require.NoError(t, s.Greet(t.Context()))
	_, err = s.Ask(t.Context(), "show ip route")
	require.ErrorIs(t, err, terminal.ErrTooLong)
}

func TestWhoeverStopsIsHeard(t *testing.T) {
	ctx, stop := context.WithCancel(t.Context())
	s := start(t, device(func(d *standin.Device) { d.Fault = standin.SilentAsked }), limits)
	require.NoError(t, s.Greet(ctx))
	time.AfterFunc(50*time.Millisecond, stop)
	_, err := s.Ask(ctx, "show ip route")
	require.ErrorIs(t, err, context.Canceled)
}

func TestTheHigherLevel(t *testing.T) {
	level := func(d *standin.Device) {
		d.Level, d.Secret, d.Needs = "enable", "snow and rope", map[string]bool{"show running-config": true}
		d.Answers["show running-config"] = "hostname mast-gw\n"
	}
	d := device(level)
	s := start(t, d, limits)
	require.NoError(t, s.Greet(t.Context()))
	require.Equal(t, "mast-gw>", s.Prompt())
	a, err := s.Ask(t.Context(), "show running-config")
	require.NoError(t, err)
	require.NotEmpty(t, a.Complaint)
	require.NoError(t, s.Raise(t.Context(), "enable", d.Secret))
	require.Equal(t, "mast-gw#", s.Prompt())
	a, err = s.Ask(t.Context(), "show running-config")
	require.NoError(t, err)
	require.Equal(t, "hostname mast-gw", a.Text)
	require.NotContains(t, string(s.Log()), d.Secret)

	s = start(t, device(level), limits)
	require.NoError(t, s.Greet(t.Context()))
	err = s.Raise(t.Context(), "enable", "wrong")
	require.ErrorIs(t, err, terminal.ErrRefused)
	require.NotContains(t, err.Error(), "wrong")

	s = start(t, device(nil), limits) // knows no levels
	require.NoError(t, s.Greet(t.Context()))
	require.ErrorIs(t, s.Raise(t.Context(), "enable", "x"), terminal.ErrRefused)
}

func TestClean(t *testing.T) {
	for in, want := range map[string]string{
		"a\r\nb\r\n":                     "a\nb\n",
		"\x1b[1;32mmast\x1b[0m# ":        "mast# ",
		" --More-- \r          \r10.61.": "10.61.",
		"--More--\b\b\b\b\b\b\b\b        \b\b\b\b\b\b\b\bO 10.": "O 10.",
		"\x1b]0;title\x07mast$ ":                                "mast$ ",
		"ab\x00\x07c":                                           "abc",
	} {
		require.Equal(t, want, terminal.Clean([]byte(in)), "%q", in)
	}
}

func FuzzClean(f *testing.F) {
	f.Add([]byte("\x1b[1;32mmast\x1b[0m# \r\nx\b\by"))
	f.Fuzz(func(t *testing.T, in []byte) {
		out := terminal.Clean(in)
		require.NotContains(t, out, "\b")
		require.LessOrEqual(t, len(out), 4*len(in)+8)
	})
}
