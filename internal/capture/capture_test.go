package capture

import (
	"bytes"
	"compress/gzip"
	"encoding/binary"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

func TestCleanShowsWhatATerminalWould(t *testing.T) {
	for _, tt := range []struct{ name, in, want string }{
		{"colours", "\x1b[1;32mC\x1b[0m    10.0.0.0/8\n", "C    10.0.0.0/8\n"},
		{"a pager's prompt wiped with backspaces", "--More-- \b\b\b\b\b\b\b\b\b         \b\b\b\b\b\b\b\b\bC    10.0.0.0/8\n", "C    10.0.0.0/8\n"},
		{"a pager's prompt overwritten after a carriage return", " --More--\r         \rC 10.0.0.0/8\r\n", "C 10.0.0.0/8\n"},
		{"erase to the end of the line", "--More--\r\x1b[KC 10.0.0.0/8\n", "C 10.0.0.0/8\n"},
		{"a corrected typing mistake", "show ip rr\boute\n", "show ip route\n"},
		{"NULs and bells", "C\x00 10.0\a.0.0/8\n", "C 10.0.0.0/8\n"},
		{"a byte-order mark", "\ufeffC 10.0.0.0/8\n", "C 10.0.0.0/8\n"},
		{"a window title", "\x1b]0;router\aC 10.0.0.0/8\n", "C 10.0.0.0/8\n"},
		{"half an escape", "C 10.0.0.0/8\x1b", "C 10.0.0.0/8"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			s, err := newSource("x", []byte(tt.in))
			require.NoError(t, err)
			require.Equal(t, tt.want, strings.TrimRight(string(s.text), " ")[:len(tt.want)])
		})
	}
}

func TestPrompts(t *testing.T) {
	for line, want := range map[string][2]string{
		"valley# show ip route":                                {"valley", "show ip route"},
		"valley(config-if)# exit":                              {"valley", "exit"},
		"valley>":                                              {"valley", ""},
		"root@valley:~# ip route":                              {"valley", "ip route"},
		"ops@valley.kjelven> show route":                       {"valley.kjelven", "show route"},
		"[root@valley /etc]# ip -6 route":                      {"valley", "ip -6 route"},
		"ops@valley:/var/log$ cat x":                           {"valley", "cat x"},
		"unit/0/part0:valley#show route":                       {"valley", "show route"},
		"<valley>display ip routing-table":                     {"valley", "display ip routing-table"},
		"[~valley-cable1/0/1]display this":                     {"valley", "display this"},
		"[valley]":                                             {"valley", ""},
		"Slot-1 valley.7 # show iproute":                       {"valley", "show iproute"},
		"* valley.8 # show iproute":                            {"valley", "show iproute"},
		"A:valley# show router":                                {"valley", "show router"},
		"*A:ops@valley>config# info":                           {"valley", "info"},
		"valley (root) # get route":                            {"valley", "get route"},
		"valley # get route":                                   {"valley", "get route"},
		"valley/act(config)# show route":                       {"valley", "show route"},
		"(valley) #show ip route":                              {"valley", "show ip route"},
		"valley% netstat -rn":                                  {"valley", "netstat -rn"},
		"[ops@valley] /ip/route> print":                        {"valley", "print"},
		"[ops@valley] > /ip route print":                       {"valley", "/ip route print"},
		"valley/pri/act# show route":                           {"valley", "show route"},
		"valley/tills# show route":                             {"valley-tills", "show route"},
		"valley/tills/act(config)# exit":                       {"valley-tills", "exit"},
		"[ops@valley:0]# ip route":                             {"valley", "ip route"},
		"[ops@valley:2]# ip route":                             {"valley-2", "ip route"},
		"ops@(valley)(In Sync)(Active)(/x)(x)# show net route": {"valley", "show net route"},
		"(valley) *[node] #show ip route":                      {"valley", "show ip route"},
		"ABC_M<valley>display fib":                             {"valley", "display fib"},
		"ABC_S[valley]display fib":                             {"valley", "display fib"},
		`C:\Users\ops>route print`:                             {"", "route print"},
		"<data>":                                               {},
		"<name>eth0</name>":                                    {},
		"[midway]display this":                                 {},
		"fe80%eth0":                                            {},
		"C>* 10.0.0.0/8 is directly":                           {},
		"S>r 10.0.0.0/8 [1/0] via 1.1.1.1":                     {},
		"O>  10.0.0.0/8 [1/0] via 1.1.1.1":                     {},
		"some text with a # in it":                             {},
		"# comment":                                            {},
		"10.0.0.0/8 > x":                                       {},
	} {
		p := prompter{text: []byte("<data>\n</data>\n"), names: []string{"valley"}}
		device, command, ok := p.prompt([]byte(line))
		require.Equal(t, want != [2]string{}, ok, line)
		require.Equal(t, want, [2]string{device, command}, line)
	}
}

// TestPartsOfADevice: what a prompt or a command calls a part of a device with tables of its own is no table of the
// device.
func TestPartsOfADevice(t *testing.T) {
	for in, want := range map[string]string{
		"valley (tills) # get router info routing-table all":           "tills",
		"valley (root) # get router info routing-table all":            "default",
		"valley (static) # show ip route":                              "default", // a mode
		"valley # sudo tills get router info routing-table all":        "tills",
		"ops@valley:tills> show route":                                 "tills",
		"ops@valley:/home> show route":                                 "default",
		"ops@valley> show route logical-system tills":                  "tills",
		"ops@valley> show route tenant tills":                          "tills",
		"ops@valley> show route logical-system all":                    "default",
		"valley (tills) # get router info routing-table all vrf lifts": "tills/lifts",
	} {
		c, err := Read("x", []byte(in+"\nCodes: C - connected, S - static\n\nS    10.2.0.0/16 [1/0] via 10.1.0.7, e0\n"), 1)
		require.NoError(t, err)
		require.Len(t, c.Parts, 1, in)
		require.Equal(t, "valley", c.Parts[0].Device, in)
		require.Equal(t, want, c.Parts[0].Facts.Tables[0].Name, in)
	}
}

// TestNumbersInPrompts: one that grows with each command counts them; else it is the device's.
func TestNumbersInPrompts(t *testing.T) {
	for in, want := range map[string][]string{
		"mast.3 # show a\nmast.4 # show b\nmast.9 > show c\n": {"mast", "mast", "mast"},
		"mast.3 # show a\nmast.4 # show b\nmast.3 # show c\n": {"mast.3", "mast.4", "mast.3"},
		"mast.3 # show a\nmast.3 # show b\n":                  {"mast.3", "mast.3"},
		"mast.3 # show a\nhut.3 # show b\n":                   {"mast", "hut"},
	} {
		_, commands, _ := split([]byte(in))
		var got []string
		for _, c := range commands {
			got = append(got, c.device)
		}
		require.Equal(t, want, got, in)
	}
}

const log = "Kjelven Ropeways\r\nvalley# show ip route\r\nCodes: C - connected, S - static\r\n\r\nC    10.61.16.0/24 is directly connected, hall0\r\n" +
	"valley# shoe ip\r\n% Unknown command\r\nvalley# exit\r\nroot@midway:~# ip -j route\r\n[{\"dst\":\"10.61.32.0/24\",\"dev\":\"hall0\",\"protocol\":\"kernel\",\"scope\":\"link\",\"flags\":[]}]\r\nroot@midway:~# \r\n"

func TestSessionLogIsCutAtItsPrompts(t *testing.T) {
	c, err := Read("night.log", []byte(log), 3)
	require.NoError(t, err)
	require.Equal(t, 5, c.Prompts)
	type part struct {
		device, command, layout string
		routes, unread          int
	}
	var got []part
	lines := c.Prompts + c.Source.Noise
	for _, p := range c.Parts {
		got = append(got, part{p.Device, p.Command, p.Layout, p.Routes(), len(p.Unread)})
		lines += p.Read + len(p.Passed) + len(p.Unread)
	}
	require.Equal(
		t,
		[]part{
			{"valley", "", "", 0, 0},
			{"valley", "show ip route", "lettered", 1, 0},
			{"midway", "ip -j route", "iproute JSON", 1, 0},
		},
		got,
	)
	require.Equal(t, layout.NonBlank([]byte(log)), lines)
	m := c.Parts[1].Facts.Tables[0].Routes.At(0).Mark
	require.Equal(t, 5, c.Source.Line(m.Off))
	require.Equal(t, uint32(3), m.File)
	require.Equal(t, "C    10.61.16.0/24 is directly connected, hall0", string(c.Source.Text(m)))
}

// TestEvidencePointsIntoTheOriginal holds that cleaning does not move evidence.
func TestEvidencePointsIntoTheOriginal(t *testing.T) {
	dirty := "\ufeff\x1b[2Jvalley# show ip route\r\nCodes: C - connected, S - static\r\n\r\n --More-- \b\b\b\b\b\b\b\b\b\b          \b\b\b\b\b\b\b\b\b\bC    10.61.16.0/24 is directly connected, hall0\r\n" +
		"\x1b[KS    10.61.17.0/24 [1/0] via 10.61.16.9, hall0\r\nvalley# "
	c, err := Read("x", []byte(dirty), 1)
	require.NoError(t, err)
	require.Equal(t, "valley", c.Parts[0].Device)
	l := &c.Parts[0].Facts.Tables[0].Routes
	require.Equal(t, 2, l.Len())
	for i, want := range []int{4, 5} {
		m := l.At(i).Mark
		require.Equal(t, want, c.Source.Line(m.Off))
		require.Contains(t, string(c.Source.Text(m)), l.Prefix(i).String())
		require.NotContains(t, string(c.Source.Text(m)), "\n")
	}
}

// TestSamples holds that what people are shown is what is read, with every reader described once.
func TestSamples(t *testing.T) {
	var names []string
	for i, f := range Families() {
		if f.Name == "MRT table dump" {
			continue
		}
		names = append(names, readers[i].Name)
		require.Equal(t, readers[i].Name, f.Name)
		require.Equal(t, 3, strings.Count(f.Sample, "\n"), f.Name)
		c, err := Read("x", []byte(f.Sample), 1)
		require.NoError(t, err)
		require.Equal(t, f.Name, c.Parts[0].Layout)
		require.Empty(t, c.Parts[0].Unread, f.Name)
	}
	require.Len(t, names, len(readers))
}

func TestCompressedCaptures(t *testing.T) {
	var z bytes.Buffer
	w := gzip.NewWriter(&z)
	_, err := w.Write([]byte(log))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	c, err := Read("x.gz", z.Bytes(), 1)
	require.NoError(t, err)
	require.Len(t, c.Parts, 3)
	_, err = Read("x.gz", z.Bytes()[:z.Len()/2], 1)
	require.ErrorContains(t, err, "not a whole gzip file")
}

func TestNoiseInMidTable(t *testing.T) {
	in := "valley# show ip route\nCodes: C - connected, O - OSPF\n\nO    10.61.32.0/24 [110/20] via 172.28.61.6, 00:01:02, line1\n" +
		"*Nov 25 02:11:09.123: %LINK-3-UPDOWN: Interface line2, changed state to up\n                     [110/20] via 172.28.61.10, 00:01:02, line2\n --More-- \n" +
		"--More--          C    10.61.16.0/24 is directly connected, hall0\nvalley# shw\n              ^\n% Invalid input detected at '^' marker.\n\nvalley# "
	c, err := Read("x", []byte(in), 1)
	require.NoError(t, err)
	require.Len(t, c.Parts, 1)
	require.Empty(t, c.Parts[0].Unread)
	require.Equal(t, 4, c.Source.Noise)
	l := &c.Parts[0].Facts.Tables[0].Routes
	require.Len(t, l.At(0).NextHops, 2, "a log message does not end a route")
	require.Equal(t, 8, c.Source.Line(l.At(1).Mark.Off))
}

func TestUTF16(t *testing.T) {
	for _, order := range []binary.AppendByteOrder{binary.LittleEndian, binary.BigEndian} {
		var b []byte
		for _, u := range append([]uint16{0xfeff}, utf16.Encode([]rune(log))...) {
			b = order.AppendUint16(b, u)
		}
		c, err := Read("x", b, 1)
		require.NoError(t, err)
		require.Len(t, c.Parts, 3)
		require.Equal(t, 5, c.Source.Line(c.Parts[1].Facts.Tables[0].Routes.At(0).Mark.Off))
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(log))
	f.Add(
		[]byte(
			"\ufeff\x1b[2Jvalley# show ip route\r\n --More-- \b\b\bC    10.61.16.0/24 is directly connected, hall0\n",
		),
	)
	f.Fuzz(func(t *testing.T, in []byte) {
		c, err := Read("x", in, 1)
		if err != nil {
			return // half a compressed file
		}
		lines := c.Prompts
		for i := range c.Parts {
			p := &c.Parts[i]
			lines += p.Read + len(p.Passed) + len(p.Unread)
			for m := range p.Marks() {
				require.True(
					t,
					m == route.Mark{File: 1, Off: m.Off, End: m.End} && c.Source.Text(m) != nil,
					"evidence outside the file",
				)
			}
		}
		if c.Source.binary {
			return // its records are counted by its own target
		}
		require.Equal(t, layout.NonBlank(c.Source.text), lines, "a line was lost")
	})
}

// TestEscapesEndWhereTheStandardSays: any of @ to ~ ends a control sequence (ECMA-48 section 5.4).
func TestEscapesEndWhereTheStandardSays(t *testing.T) {
	for _, final := range []byte{'@', 'A', 'm', 'z', '{', '~'} {
		in := []byte("\x1b[3" + string(final) + "C 10.0.0.0/8")
		require.Equal(t, 4, escapeLength(in), "%q", in)
	}
	require.Equal(t, 9, escapeLength([]byte("\x1b]0;title")), "a title that never ends is the rest")
	require.Equal(t, 9, escapeLength([]byte("\x1b]0;tit\x1b\\C")))
	require.Equal(t, 8, escapeLength([]byte("\x1b]0;tit\x07")))
}

func TestWholeDocumentsAreNotTakenForTerminals(t *testing.T) {
	for in, want := range map[string]bool{`[{"a":1}]`: true, `{"a":1}`: true, "[ \n {\"a\":1}]\n": true, "[root@valley /]# ls]": false, `{abc}`: false, `[1]`: false, `["a"]`: false, "[{": false, "": false, "C 10.0.0.0/8": false} {
		require.Equal(t, want, document([]byte(in)), in)
	}
}

func TestEvidenceOfTheLastBytes(t *testing.T) {
	s := &Source{raw: []byte{1, 2, 3, 4}, binary: true}
	require.Equal(t, "03 04", string(s.Text(route.Mark{File: 1, Off: 2, End: 4})))
	require.Nil(t, s.Text(route.Mark{File: 1, Off: 2, End: 5}))
	s = &Source{raw: []byte("abcd")}
	require.Equal(t, "cd", string(s.Text(route.Mark{File: 1, Off: 2, End: 4})))
	require.Nil(t, s.Text(route.Mark{File: 1, Off: 2, End: 5}))
}

// TestLineNumbersAfterManyQuestions are those of the first ones.
func TestLineNumbersAfterManyQuestions(t *testing.T) {
	s, err := newSource("x", []byte("one\ntwo\nthree\n"))
	require.NoError(t, err)
	for range 40 {
		for off, want := range map[uint32]int{0: 1, 2: 1, 4: 2, 8: 3, 13: 3} {
			require.Equal(t, want, s.Line(off), off)
		}
	}
}

// TestEvidenceStaysExact in a log of which another line was cleaned: of a document on one line each route has its own
// bytes.
func TestEvidenceStaysExact(t *testing.T) {
	const route = `{"dst":"10.61.3.0/24","gateway":"172.28.61.6","dev":"cable0","protocol":"static","flags":[]}`
	text := "night@edge:~$ sysctl -a -r '^net'\nnet.ipv4.ip_forward = 1\r\nnight@edge:~$ ip -j route\n[" +
		`{"dst":"10.61.2.0/24","dev":"hall0","protocol":"kernel","scope":"link","flags":[]},` + route + "]\n\x1b[1mnight@edge\x1b[0m:~$ exit\n"
	c, err := Read("x", []byte(text), 1)
	require.NoError(t, err)
	for i := range c.Parts {
		for _, x := range c.Parts[i].Facts.Tables {
			require.Equal(t, route, string(c.Source.Text(x.Routes.At(1).Mark)))
			return
		}
	}
	t.Fatal("no table was read")
}
