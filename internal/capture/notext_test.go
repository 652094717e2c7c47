package capture

import (
	"bytes"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestNoText: programs and pictures are told from texts, however soiled those are.
func TestNoText(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 9))
	noise := make([]byte, 100_000)
	for i := range noise {
		noise[i] = byte(rnd.Uint32())
	}
	row := []byte("10.61.1.0/24 via 172.28.61.1 dev up0\n")
	program := bytes.Repeat([]byte("\x7fELF\x02\x01\x01\x00\x00\x00\x00name\x00\x14\x05 text\x00\x00"), 400)
	for name, tt := range map[string]struct {
		text []byte
		want bool
	}{
		"a picture":                       {noise, true},
		"a program":                       {program, true},
		"a text, and then something else": {append(bytes.Repeat(row, 2000), noise...), false},
		"nothing":                         {nil, false},
		"a text":                          {row, false},
		"with what a wrong speed made":    {append(noise[:200:200], bytes.Repeat(row, 20)...), false},
		"with lost bytes":                 {append(make([]byte, 5000), bytes.Repeat(row, 2)...), false},
		"with colours":                    {bytes.Repeat([]byte("\x1b[1m\x1b[31mup0\x1b[0m\x07\x0e\x0f\b"), 500), false},
		"of another language":             {[]byte(strings.Repeat("vägen går söderut ⇒ 山\n", 400)), false},
	} {
		require.Equal(t, tt.want, noText(tt.text), name)
	}
}

// TestNoTextIsSaid: nothing is read of such a file, and one line says so.
func TestNoTextIsSaid(t *testing.T) {
	program := append([]byte("\x7fELF\x02\x01\n"), bytes.Repeat([]byte("deny ip any any\n\x01\x02\x03\x04"), 900)...)
	c, err := Read("prog", program, 7)
	require.NoError(t, err)
	require.Len(t, c.Parts, 1)
	require.Empty(t, c.Parts[0].Facts.Policy.Flows)
	require.Len(t, c.Parts[0].Unread, 1)
	u := c.Parts[0].Unread[0]
	require.ErrorIs(t, u.Reason, errNoText)
	require.Equal(t, "\x7fELF\x02\x01", string(c.Source.Text(u.Mark)))
	require.EqualValues(t, 7, u.Mark.File)
}

func TestLastTwoWords(t *testing.T) {
	for line, want := range map[string][2]string{
		"":                 {"", ""},
		"  ":               {"", ""},
		"drop":             {"drop", ""},
		"drop \t":          {"drop", ""},
		"tcp dport 22  ok": {"ok", "22"},
	} {
		last, before := lastTwoWords([]byte(line))
		require.Equal(t, want, [2]string{string(last), string(before)}, line)
	}
}
