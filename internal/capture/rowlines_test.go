package capture

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/capture/layout"
)

func TestRowBegins(t *testing.T) {
	for line, want := range map[string]bool{
		"10.61.16.0/24 dev hall0":                      true,
		"B>* 10.61.16.0/24 [20/0] via 172.28.61.6":     true,
		"O    10.61.16.0/24 [110/20] via 172.28.61.6":  true,
		"10.61.16.0/24      *[Static/5] 00:10:00":      true,
		"10.61.16.0/24":                                false, // nothing behind it
		"10.61.16.0/24 ":                               false,
		"10.61.16.0/24 # show ip route":                false,
		"10.61.16.0/24 | CHANGED | rc=0 >>":            false,
		"10.61.16.7# show ip route":                    false,
		"10.61.16.7   172.28.61.6  255.255.255.0   UG": true,
		"10.61.16.0/24, epoch 2":                       true,
		"10.61.16.0/2x, epoch 2":                       false,
		"10.61.16.7 # show ip route":                   false,
		"10.61.16.300 172.28.61.6":                     false,
		"ssh 10.61.16.7 admin":                         false,
		"mast7 10.61.16.0/24 up":                       false,
		"S10.61.16.0/24 up":                            false,
		"* mast7 ** changed : False ***":               false,
		"fd61::/64 dev hall0":                          false,
		"":                                             false,
	} {
		require.Equal(t, want, rowBegins([]byte(line)), line)
	}
}

func TestIndented(t *testing.T) {
	for line, want := range map[string]bool{
		`  "10.61.16.0/24": [`:                 true,
		"\t</route>":                           true,
		"                      via 172.28.1.1": true,
		"  == mast7 ==":                        false,
		"  -- show ip route --":                false,
		" `show ip route`":                     false,
		"    ":                                 false, // a blank line
		"  \r":                                 false,
		"mast7# show ip route":                 false,
		"":                                     false,
	} {
		require.Equal(t, want, indented([]byte(line)), line)
	}
}

func TestIsValues(t *testing.T) {
	for line, want := range map[string]bool{
		"default,10.61.16.0/24,ospf,110,20,172.28.61.6,line1":                true,
		"default,10.61.16.0/24,ospf,110,20,172.28.61.6,line1mast7# sh ip ro": false,
		"default,10.61.16.0/24,ospf,110,20,172.28.61.6,line1mast7>":          false,
		"mast7,mast8,mast9":            false,
		"10.61.16.0/24, ospf, 110, 20": false,
		"":                             false,
	} {
		require.Equal(t, want, isValues([]byte(line)), line)
	}
}

func TestIsPair(t *testing.T) {
	for line, want := range map[string]bool{
		"Destination  : 10.61.16.0     PrefixLength : 24": true,
		"Interface    : line1":                            true,
		"Interface    : line1mast7#":                      false,
		"Interface    : line1 | up":                       false,
		"Device : mast7":                                  false, // a heading
		"Interface: line1":                                false,
		"mast7 : show ip route > file":                    false,
		"Interface    :":                                  false,
		"":                                                false,
	} {
		signs := signFinder{text: []byte(line)}
		require.Equal(t, want, isPair(signs.text) && !signs.within(0, len(line)), line)
	}
}

// TestSignsOfLines: what was found of one line is right for those behind it, from whichever the search begins.
func TestSignsOfLines(t *testing.T) {
	text := []byte("a\nb#\n\n#\nc > d\ne\n")
	for from := range len(text) {
		signs := signFinder{text: text}
		for lo, next := from, 0; lo < len(text); lo = next {
			var hi int
			hi, next = layout.LineAt(text, lo)
			require.Equal(t, bytes.ContainsAny(text[lo:hi], promptSigns), signs.within(lo, hi), "%d from %d", lo, from)
		}
	}
}

func TestVariableBegins(t *testing.T) {
	for line, want := range map[string]bool{
		"IP-FORWARD-MIB::inetCidrRouteType.1.4.10.61.16.0.24.2.0.0.1.4.0.0.0.0 = INTEGER: 3": true,
		".1.3.6.1.2.1.4.1.0 = INTEGER: 1":  true,
		"iso.3.6.1.2.1.4.1.0 = INTEGER: 1": true,
		"mast7::status# show":              false,
		"mast7# show ip route":             false,
		"":                                 false,
	} {
		require.Equal(t, want, variableBegins([]byte(line)), line)
	}
}

// TestRowsAreNothingElse: what looks for prompts, titles and headings finds the same whether or not it passes rows by.
func TestRowsAreNothingElse(t *testing.T) {
	for name, raw := range samples(t) {
		s, err := newSource(name, raw)
		require.NoError(t, err)
		p := newPrompter(s.text)
		p.others.every = true
		byItself := slices.Collect(startsOf(p.others.lines(false)))
		p.others = otherLines(s.text)
		kept := slices.Collect(startsOf(p.others.lines(false)))
		for _, lo := range byItself {
			if slices.Contains(kept, lo) {
				continue
			}
			line, _, _ := bytes.Cut(s.text[lo:], []byte{'\n'})
			line = bytes.TrimRight(line, "\r")
			_, _, prompt := p.prompt(line)
			_, _, head := heading(line)
			require.False(t, prompt || head || damagedCommand(line) != "" || counter.Match(line) || logsIn.Match(line) ||
				leaves.Match(line) || clock.Match(line), "%s: %q", name, line)
		}
	}
}

func startsOf(lines func(func(int, int) bool)) func(func(int) bool) {
	return func(yield func(int) bool) {
		lines(func(lo, _ int) bool { return yield(lo) })
	}
}

// TestManyOtherLines are looked at one by one, and the pieces of a large text give the same as the whole.
func TestManyOtherLines(t *testing.T) {
	row := "B>* 10.61.16.0/24 [20/0] via 172.28.61.6, line1, weight 1, 00:10:00\n"
	text := []byte(strings.Repeat(strings.Repeat(row, 50)+"mast7# show ip route\n", 4*largePart/len(row)/50))
	o := otherLines(text)
	require.False(t, o.every)
	require.Equal(t, otherStarts(text, 0), o.starts)
	require.Len(t, o.starts, bytes.Count(text, []byte("mast7# ")))
	require.Equal(t, []int{0}, otherLines([]byte(strings.Repeat("x", 3*largePart))).starts) // one line, without its end
	o = otherLines([]byte(strings.Repeat("x\n", mostOthers)))
	require.True(t, o.every)
	n := 0
	for range o.lines(false) {
		n++
	}
	require.Equal(t, mostOthers, n)
	require.Equal(t, slices.Collect(startsOf(layout.Lines(o.text))), slices.Collect(startsOf(o.lines(true))))
}

// TestElementsAndObjects: an element is one from its start tag to its end tag, an object from brace to brace; what angles
// and braces hold else may be a prompt.
func TestElementsAndObjects(t *testing.T) {
	for line, want := range map[string]bool{
		"<route><active/></route>":                     true,
		`<prefix xmlns="urn:x">10.61.0.0/24</prefix>`:  true,
		"<mast7>display ip routing-table":              false,
		"<mast7>":                                      false,
		"<route><active/></route><mast7>":              false,
		"<route><active/></route><mast7>display clock": false,
		"<mast7>display </other>":                      false,
		"":                                             false,
		"<":                                            false,
		"<>":                                           false,
	} {
		require.Equal(t, want, isElement([]byte(line)), line)
	}
	for line, want := range map[string]bool{
		`{"dst":"10.61.0.0/24","dev":"e0"}`:    true,
		`{"dst":"10.61.0.0/24","dev":"e0"},`:   true,
		`{"dst":"10.61.0.0/24"}mast7# show ip`: false,
		`{"dst":"10.61.0.0/24"} mast7#`:        false,
		`{master:0}`:                           false,
		`{"`:                                   false,
		"":                                     false,
	} {
		require.Equal(t, want, isObject([]byte(line)), line)
	}
	text := strings.Repeat("<mast7>display clock\n<route><active/></route>\n", 3)
	require.Len(t, otherLines([]byte(text)).starts, 3)
}
