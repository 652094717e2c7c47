package capture

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestWhateverEndsALine the rows are read.
func TestWhateverEndsALine(t *testing.T) {
	lines := []string{"Codes: C - connected, S - static", ""}
	for i := range 25 {
		lines = append(lines, fmt.Sprintf("S    10.%d.0.0/16 [1/0] via 172.28.61.6, cable1", i))
	}
	for name, end := range map[string]string{"LF": "\n", "CRLF": "\r\n", "CR": "\r", "VT": "\v", "FF": "\f", "NEL": "\u0085", "LS": "\u2028",
		"PS": "\u2029", "CR CR LF": "\r\r\n", "next line": "\x1b[E", "VT LF": "\v\n"} {
		c, err := Read("x", []byte(strings.Join(lines, end)), 1)
		require.NoError(t, err)
		require.Equal(t, 25, c.Parts[0].Routes(), name)
		require.Empty(t, c.Parts[0].Unread, name)
	}
	placed := "\x1b[2J"
	for i, l := range lines {
		placed += fmt.Sprintf(
			"\x1b[%d;1H%s",
			i+1,
			strings.Replace(l, " [1/0]", fmt.Sprintf("\x1b[%d;19H[1/0]", i+1), 1),
		)
	}
	c, err := Read("x", []byte(placed), 1)
	require.NoError(t, err)
	require.Equal(t, 25, c.Parts[0].Routes())
	r := c.Parts[0].Facts.Tables[0].Routes.At(3)
	require.Equal(
		t,
		"S    10.3.0.0/16  [1/0] via 172.28.61.6, cable1",
		strings.TrimSpace(string(c.Source.Text(r.Mark))),
	)
}

// TestWhatIsOverwrittenIsNoLine: a pager's prompt and a progress sign vanish, a row does not.
func TestWhatIsOverwrittenIsNoLine(t *testing.T) {
	for in, want := range map[string]string{
		"--More--\r        \rS 10.1.0.0/16":  "--More--\r        \rS 10.1.0.0/16",
		"Loading 3 of 4\rdone":               "Loading 3 of 4\rdone",
		"S 10.1.0.0/16 via x\rS 10.2.0.0/16": "S 10.1.0.0/16 via x\nS 10.2.0.0/16",
		"a\r\r\nb":                           "a\r\r\nb",
		"\x1b[31mred\x1b[0m":                 "\x1b[31mred\x1b[0m",
		"a\x1b[5Cb\x1b[20Gc":                 "a     b            c",
		"a\v\fb\n\vc":                        "a\nb\nc",
		"\x1b[999999999999CX":                strings.Repeat(" ", maxColumn) + "X",
		"\x1b[":                              "\x1b[",
		"\x1b[4;1Ha\x1b[4;9Hb\x1b[5;1Hc":     "a       b\nc",
	} {
		require.Equal(t, want, string(lineEnds([]byte(in))), "%q", in)
	}
}

// TestBlankLinesBetweenAnyTwo mean nothing: rows of two lines stay rows, and evidence points at the lines of the file.
func TestBlankLinesBetweenAnyTwo(t *testing.T) {
	rows := []string{"Route Table (Router: Base)", "Dest Prefix[Flags]                            Type    Proto     Age        Pref",
		"      Next Hop[Interface Name]                                    Metric"}
	for i := range 5 {
		rows = append(rows, fmt.Sprintf("10.%d.0.0/16                                   Remote  OSPF      00:34:35   10", i+61),
			"       172.28.61.2                                               209")
	}
	for name, end := range map[string]string{"none": "\n", "one": "\n\n", "several": "\n\n \n"} {
		c, err := Read("x", []byte(strings.Join(rows, end)+"\n"), 1)
		require.NoError(t, err)
		require.Equal(t, 5, c.Parts[0].Routes(), name)
		require.Empty(t, c.Parts[0].Unread, name)
		r := c.Parts[0].Facts.Tables[0].Routes.At(4)
		require.Contains(t, string(c.Source.Text(r.Mark)), "10.65.0.0/16", name)
	}
}

// TestSignsAtTheBorderOfABlock are found where one look ends and the next begins.
func TestSignsAtTheBorderOfABlock(t *testing.T) {
	for _, sign := range []string{"\u2028", "\u0085", "--More--", "\n<189>", "\x1b[K", "command not found"} {
		for before := lookBlock - len(sign) - 1; before <= lookBlock+1; before++ {
			b := []byte(strings.Repeat("a", before) + sign + strings.Repeat("a", 40))
			require.NotEqual(t, traits{}, look(b, false), "%q behind %d bytes", sign, before)
		}
	}
	require.Equal(t, traits{}, look([]byte(strings.Repeat("10.61.0.0/16 dev e0\r\n", 4000)), false))
}

// TestALogAmongLinesThatEndOddly is passed over as one among others.
func TestALogAmongLinesThatEndOddly(t *testing.T) {
	lines := []string{"10.1.0.0/16 via 172.28.61.6 dev e0 ", "<189>Nov 30 08:00:00 mast7 link e1 up", "10.2.0.0/16 via 172.28.61.6 dev e0 "}
	for _, end := range []string{"\n", "\u2028", "\u0085"} {
		c, err := Read("x", []byte(strings.Join(lines, end)+end), 1)
		require.NoError(t, err)
		require.Equal(t, 1, c.Source.Noise, "%q", end)
		require.Equal(t, 2, c.Parts[0].Routes(), "%q", end)
	}
}
