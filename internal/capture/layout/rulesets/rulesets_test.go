package rulesets

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/layouttest"
)

// says writes where packets meet a rule.
func says(r layout.Reading) []string {
	var out []string
	for _, f := range r.Facts.Policy.Flows {
		if !f.Permit {
			out = append(out, fmt.Sprint("hook ", uint8(f.Hook), " in ", f.In, " out ", f.Out))
		}
	}
	return out
}

// TestWhereRulesAreMet by packets on their way, for the device itself and from it, in each shape.
func TestWhereRulesAreMet(t *testing.T) {
	for text, want := range map[string][]string{
		"set skip on lo0\nblock in on up0 all\npass out on hall0 keep state\n": {"hook 1 in up0 out "},
		"@0 block return all\n@1 pass in on up0 all flags S/SA\n":              {"hook 1 in  out ", "hook 4 in  out "},
		"pass in on up0 all\npass out all\n":                                   nil,
		"pass out on up0 from any to any nat-to up0\nanchor \"night/*\" all\n": {"hook 2 in  out up0", "hook 1 in  out ", "hook 4 in  out "},
	} {
		in := []byte(text)
		r := layouttest.Laws(t, Read, in)
		require.Empty(t, layouttest.Unread(in, r), text)
		require.Equal(t, want, says(r), text)
		require.Positive(t, recognise(in), text)
	}
	require.Len(t, layouttest.Laws(t, Read, []byte("what is this\n}\nend\n")).Unread, 3)
	require.Zero(t, recognise([]byte("default via 10.1.1.1 dev up0\nblock of flats\n")))
}

// TestWhatStandsBelowAListingThatWasCut is left to other readers.
func TestWhatStandsBelowAListingThatWasCut(t *testing.T) {
	for _, cut := range []string{} {
		r := layouttest.Laws(t, Read, []byte(cut+"10.61.96.0/20 via 172.28.61.1 dev up0\ndefault via 172.28.61.5 dev up0\n"))
		require.Len(t, r.Unread, 2, cut)
		require.Len(t, says(r), 1, cut)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(Reader.Sample))
	f.Add([]byte("@0 block return all\nChain FORWARD (policy DROP)\n"))
	f.Fuzz(func(t *testing.T, in []byte) { layouttest.Laws(t, Read, in) })
}
