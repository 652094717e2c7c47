package capture

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/require"
)

// samples are the captures of the repository and, where it is there, of the folder beside it.
func samples(t *testing.T) map[string][]byte {
	t.Helper()
	out := map[string][]byte{}
	for _, root := range []string{"../demo/case", "../../lab/testdata", "../../../shared/captures", "../../../shared/mutants"} {
		err := filepath.WalkDir(root, func(p string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || strings.HasSuffix(p, ".md") || strings.HasSuffix(p, ".yaml") ||
				strings.HasSuffix(p, "truth.json") {
				if os.IsNotExist(err) {
					return nil
				}
				return err
			}
			b, err := os.ReadFile(p)
			out[p] = b
			return err
		})
		require.NoError(t, err)
	}
	scripts, err := filepath.Glob("../../cmd/zarvek/testdata/script/*.txt")
	require.NoError(t, err)
	for _, p := range scripts {
		a, err := txtar.ParseFile(p)
		require.NoError(t, err)
		for _, f := range a.Files {
			if !strings.HasSuffix(f.Name, ".yaml") {
				out[p+"!"+f.Name] = f.Data
			}
		}
	}
	for _, r := range readers {
		out["sample of "+r.Name] = []byte(r.Sample)
	}
	require.Greater(t, len(out), 200)
	return out
}

// TestTheLedgerAgreesWithTheReading: a line that anything rests on is never told as saying nothing, a line told as a
// route is one, and what is counted as unread, or as a prompt, is just what is told so.
func TestTheLedgerAgreesWithTheReading(t *testing.T) {
	lines, facts := 0, 0
	for name, raw := range samples(t) {
		c, err := Read(name, raw, 1)
		require.NoError(t, err, name)
		if c.Source.binary {
			continue
		}
		kind := map[int]GlossedLine{}
		unread, prompts := 0, 0
		for _, l := range c.Gloss(nil) {
			kind[l.Number] = l
			lines++
			switch l.Kind {
			case UnreadLine:
				unread++
			case PromptLine:
				prompts++
			case DataLine:
				if l.Command != "" { // what was asked says something of what was not shown
					prompts++
				}
				require.NotEmpty(t, l.Items)
			}
		}
		wantUnread, passed, covered := map[int]bool{}, map[int]bool{}, map[int]bool{}
		for i := range c.Parts {
			p := &c.Parts[i]
			for _, u := range p.Unread {
				wantUnread[c.Source.Line(u.Mark.Off)] = true
			}
			for _, x := range p.Passed {
				n := c.Source.Line(x.Mark.Off)
				require.False(t, passed[n], "%s:%d: passed over twice", name, n)
				passed[n] = true
			}
			used := map[int]bool{}
			for m := range p.FactMarks() {
				if m.Known() {
					used[c.Source.Line(m.Off)] = true
					facts++
					for n := c.Source.Line(m.Off); n <= c.Source.Line(max(m.End, m.Off+1)-1); n++ {
						covered[n] = true
					}
				}
			}
			for n := range used {
				require.Equal(
					t,
					DataLine,
					kind[n].Kind,
					"%s:%d: %q is used, and told as %s",
					name,
					n,
					kind[n].Text,
					kindNames[kind[n].Kind],
				)
			}
			for j := range p.Facts.Tables {
				tab := &p.Facts.Tables[j]
				for k := range tab.Routes.Len() {
					n := c.Source.Line(tab.Routes.At(k).Mark.Off)
					found := false
					for _, it := range kind[n].Items {
						found = found || it.Route != nil && it.Route.Prefix == tab.Routes.At(k).Prefix
					}
					require.True(t, found, "%s:%d: its route %s is not told", name, n, tab.Routes.At(k).Prefix)
				}
			}
		}
		for n, l := range kind {
			if passed[n] {
				require.Contains(
					t,
					[]LineKind{AroundLine, NoiseLine},
					l.Kind,
					"%s:%d: %q is passed over, and told as %s",
					name,
					n,
					l.Text,
					kindNames[l.Kind],
				)
			}
			// A column of a row that an agent printed elsewhere, and the rule that every kernel has, carry no mark.
			if l.Kind == AroundLine && !passed[n] && !covered[n] && l.Layout != "SNMP walk" &&
				!strings.Contains(l.Text, "local") {
				t.Errorf("%s:%d: %q is read, and nothing rests on it", name, n, l.Text)
			}
		}
		require.Equal(t, len(wantUnread), unread, "%s: unread lines", name)
		require.Equal(t, c.Prompts, prompts, "%s: prompts", name)
	}
	t.Logf("%d lines and %d facts compared", lines, facts)
	require.Greater(t, facts, 2000)
}

var kindNames = map[LineKind]string{
	BlankLine:  "blank",
	DataLine:   "data",
	PromptLine: "a prompt",
	NoiseLine:  "noise",
	UnreadLine: "unread",
	AroundLine: "saying nothing",
}
