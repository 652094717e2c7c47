// Package masktest holds what must be true of every masked copy of a case, for the tests of several rooms: the copy is
// read as the case, an audit of it is the audit of the case under the mapping, and no address, name or word of the case
// is left where it stood.
package masktest

import (
	"fmt"
	"maps"
	"net/netip"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/core/audit"
	"zarvek/internal/core/forward"
	"zarvek/internal/core/topology"
	"zarvek/internal/filename"
	"zarvek/internal/mask"
)

// Laws masks the case in a folder by some keys and holds the copies against it. It returns how many findings were
// compared.
func Laws(t *testing.T, dir string, keys byte) int {
	t.Helper()
	c, err := casefile.Load(dir)
	require.NoError(t, err)
	n := 0
	for key := range keys {
		n = law(t, dir, c, mask.New(mask.Key{1, 2, key}, c.Networks(), nil))
	}
	return n
}

// law masks a case and checks that the copy says the same under the mapping, and none of the words that were hidden. It
// returns how many findings were compared.
func law(t *testing.T, dir string, c *casefile.Case, m *mask.Masker) int {
	t.Helper()
	m.Hide(c.Names())
	copied, err := c.Mask(m, true)
	require.NoError(t, err)
	if len(copied.LeftOut) > 0 {
		t.Logf("%s: left out %v", dir, copied.LeftOut)
	}
	to := filepath.Join(t.TempDir(), "copy")
	var all strings.Builder
	for _, f := range copied.Files {
		at := filepath.Join(to, filepath.FromSlash(f.Name))
		require.NoError(t, os.MkdirAll(filepath.Dir(at), 0o777))
		require.NoError(t, os.WriteFile(at, f.Text, 0o666))
		name, _ := filename.Stem(f.Name) // what it is called to be opened by, as ".txt", is no word of the case
		all.WriteString(name + "\n" + string(f.Text))
	}
	again, err := casefile.Load(to)
	require.NoError(t, err)
	none(t, c, m, all.String())
	if len(copied.LeftOut) > 0 {
		return 0 // what was left out is missing in the copy
	}
	require.Empty(t, casefile.Compare(c, again, m, nil), "%s is read otherwise:\n%s", dir, all.String())
	for _, s := range c.Summaries() {
		if len(s.Unread) > 0 {
			return 0 // what such a line may have told is not known of the copy
		}
	}
	was, is := findings(c, m), findings(again, nil)
	require.Equal(t, was, is, dir)
	return len(was)
}

// findings are what an audit says: what kind of thing at which device loses which pairs. One cause may be told in
// several findings, by which neighbour a route should lead, and which of equal ones is taken first by name; so they are
// put together.
func findings(c *casefile.Case, m *mask.Masker) []string {
	text, prefix := func(s string) string { return s }, func(p netip.Prefix) netip.Prefix { return p }
	if m != nil {
		text, prefix = m.Text, func(p netip.Prefix) netip.Prefix {
			if !p.IsValid() {
				return p
			}
			return m.Prefix(p)
		}
	}
	told := map[string]bool{}
	for _, f := range audit.Run(forward.NewWalker(topology.Build(c.Network)), audit.Options{}).Findings {
		device := text(f.Device)
		if len(f.Loop) > 0 { // told by the first of them by name
			var all []string
			for _, h := range f.Loop {
				all = append(all, text(h.Device))
			}
			slices.Sort(all)
			device = strings.Join(all, " ")
		}
		if f.Kind == audit.MissingData { // of several that are alike the first by name is told
			device = ""
		}
		kind := f.Kind
		if kind == audit.DefaultLoop { // one of the addresses that go round tells whether it is by default routes alone
			kind = audit.Loop
		}
		what := fmt.Sprint(kind, " ", device, " ", text(f.Table))
		told[what] = true
		for _, p := range f.Missing {
			told[what+" about "+prefix(p).String()] = true
		}
		for l := range f.Losses() {
			told[fmt.Sprint(what, " loses ", prefix(l.From), " to ", prefix(l.To), " ", l.Reply)] = true
		}
	}
	return slices.Sorted(maps.Keys(told))
}

// none asks that no name of the case, and no address of it that means anything, stands in the copy: but for addresses
// that another one became.
func none(t *testing.T, c *casefile.Case, m *mask.Masker, text string) {
	t.Helper()
	became := map[string]bool{}
	for _, is := range m.Words() {
		became[is] = true
	}
	words := map[string]bool{}
	for _, w := range regexp.MustCompile(`\pL{3,}`).FindAllString(text, -1) {
		words[strings.ToLower(w)] = true
	}
	for was := range m.Words() {
		require.False(t, words[was] && !became[was], "the word %q is in the copy", was)
	}
	for _, name := range c.Names() {
		for _, w := range regexp.MustCompile(`\pL{3,}`).FindAllString(name, -1) {
			require.False(t, words[strings.ToLower(w)] && !became[strings.ToLower(w)], "the name %q is in the copy", w)
		}
	}
}
