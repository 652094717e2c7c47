package capture

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
)

// accounted returns how many lines of a capture are accounted for.
func accounted(c *Capture) int {
	n := c.Prompts
	for i := range c.Parts {
		n += c.Parts[i].Read + len(c.Parts[i].Passed) + len(c.Parts[i].Unread)
	}
	return n
}

// TestEveryLineOfEveryCaptureIsAccountedFor reads every capture there is: the demo's and the first lab's.
func TestEveryLineOfEveryCaptureIsAccountedFor(t *testing.T) {
	files := 0
	for _, root := range []string{"../demo/case", "../../../shared/captures/first-lab"} {
		err := filepath.WalkDir(root, func(p string, d os.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return nil
			}
			raw, err := os.ReadFile(p)
			require.NoError(t, err)
			c, err := Read(p, raw, 1)
			require.NoError(t, err)
			require.Equal(t, layout.NonBlank(c.Source.text), accounted(c), p)
			files++
			return nil
		})
		require.NoError(t, err)
	}
	require.Greater(t, files, 20)
}

// TestNastyInput gives each bad thing to the whole room and holds what becomes of it.
func TestNastyInput(t *testing.T) {
	const head = "Codes: C - connected, S - static\n\n"
	for _, tt := range []struct {
		name, in string
		routes   int
		unread   []string // the end of each reason
	}{
		{"nothing", "", 0, nil},
		{"blank lines", "\n \n\t\r\n\v\n", 0, nil},
		{"a legend alone", head, 0, nil},
		{"a line of 50000 characters", head + "C    10.1.0.0/16 is directly connected, " + strings.Repeat("x", 50000) + "\nC    10.2.0.0/16 is directly connected, e0\n", 1, []string{"x\""}},
		{"50000 characters of nothing known", strings.Repeat("x", 50000) + "\n", 0, []string{"no layout is known that prints this"}},
		{"NULs within a word", head + "C    10.1.\x00\x000.0/16 is directly connected, e0\n", 0, []string{"not in the form of this layout"}},
		{"NULs between words", head + "C\x00    10.1.0.0/16 \x00\x00is directly connected, e0\r\x00\n", 1, nil},
		{"a /33", head + "C    10.1.0.0/33 is directly connected, e0\n", 0, []string{`prefix length out of range: "10.1.0.0/33"`}},
		{"300.1.1.1", head + "S    300.1.1.1/24 [1/0] via 10.0.0.1\n", 0, []string{`not an address: "300.1.1.1/24"`}},
		{"a mask with a gap", head + "S    10.1.0.0 255.0.255.0 [1/0] via 10.0.0.1\n", 0, []string{"mask is not contiguous: 255.0.255.0"}},
		{"a negative metric", head + "S    10.1.0.0/16 [1/-3] via 10.0.0.1\n", 0, []string{`not a number in range: "[1/-3]"`}},
		{"a metric above 2^32", head + "S    10.1.0.0/16 [1/5000000000] via 10.0.0.1\n", 1, nil},
		{"half a line", head + "S    10.1.0.0/16 [1/0] via 10.0.0.1\nS    10.2.0.0/16 [1/", 1, []string{`the capture ends inside this line: not in the form of this layout: no closing bracket`}},
		{"JSON nested 20000 deep", strings.Repeat("[", 20000) + strings.Repeat("]", 20000), 0, []string{"no layout is known that prints this"}},
		{"JSON nested 20000 deep inside a route", `[{"dst":"10.0.0.0/8","x":` + strings.Repeat("[", 20000) + strings.Repeat("]", 20000) + "}]", 0, []string{"exceeded max depth"}},
		{"an interface that is HTML", head + "C    10.1.0.0/16 is directly connected, <b>e0</b>\n", 0, []string{"this is no interface's name: \"<b>e0</b>\""}},
		{"an interface that is a formula", head + "C    10.1.0.0/16 is directly connected, =1+1\n", 1, nil},
	} {
		t.Run(tt.name, func(t *testing.T) {
			began := time.Now()
			c, err := Read("x", []byte(tt.in), 1)
			require.NoError(t, err)
			require.Less(t, time.Since(began), 5*time.Second, "a hang")
			routes, unread := 0, []string(nil)
			for i := range c.Parts {
				routes += c.Parts[i].Routes()
				for _, u := range c.Parts[i].Unread {
					unread = append(unread, u.Reason.Error())
				}
			}
			require.Equal(t, tt.routes, routes)
			require.Len(t, unread, len(tt.unread), "%v", unread)
			for i, want := range tt.unread {
				require.True(t, strings.HasSuffix(unread[i], want), unread[i])
			}
			require.Equal(t, layout.NonBlank(c.Source.text), accounted(c))
		})
	}
}
