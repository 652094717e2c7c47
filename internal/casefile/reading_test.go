package casefile

import (
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/require"

	"zarvek/internal/cache"
	"zarvek/internal/demo"
)

// keptIn are options with a cache in a folder.
func keptIn(t *testing.T, layouts ...string) Options {
	store := cache.Open(filepath.Join(t.TempDir(), "kept"), cache.Sum{}, cache.DefaultLimit)
	require.NotNil(t, store)
	return Options{Layouts: layouts, Cache: func() *cache.Store { return store }, keepAll: true}
}

// sameCase fails unless two cases say the same of everything.
func sameCase(t *testing.T, want, got *Case, name string) {
	t.Helper()
	require.Equal(t, want.Network, got.Network, name)
	require.Equal(t, summaries(want), summaries(got), name)
	require.Equal(t, want.UnreadInTables(), got.UnreadInTables(), name)
	for _, d := range want.Network.Devices().All() {
		for _, table := range d.Tables().All() {
			for i := range table.Routes().Len() {
				for _, m := range table.Evidence(i) {
					require.Equal(t, want.Position(m), got.Position(m), name)
					require.Equal(t, string(want.Text(m)), string(got.Text(m)), name)
				}
			}
		}
	}
}

// summaries are a case's, with reasons that are texts.
func summaries(c *Case) []Summary {
	out := c.Summaries()
	for i := range out {
		for j, u := range out[i].Unread {
			out[i].Unread[j].Reason = errors.New(u.Reason.Error())
		}
	}
	return out
}

// TestAKeptCaseIsTheCase: every case of the tests is the same read anew, read to be kept, and taken from the cache.
func TestAKeptCaseIsTheCase(t *testing.T) {
	scripts, err := filepath.Glob("../../cmd/zarvek/testdata/script/*.txt")
	require.NoError(t, err)
	cases := map[string]string{"demo": t.TempDir()}
	require.NoError(t, demo.Write(cases["demo"]))
	for _, s := range scripts {
		a, err := txtar.ParseFile(s)
		require.NoError(t, err)
		dir := t.TempDir()
		for _, f := range a.Files {
			file := filepath.Join(dir, filepath.FromSlash(f.Name))
			require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o700))
			require.NoError(t, os.WriteFile(file, f.Data, 0o600))
		}
		tops, err := os.ReadDir(dir)
		require.NoError(t, err)
		for _, top := range tops {
			if top.IsDir() {
				cases[s+"!"+top.Name()] = filepath.Join(dir, top.Name())
			}
		}
	}
	took := 0
	for name, dir := range cases {
		want, err := Load(dir)
		if err != nil {
			continue // cases that are meant to be wrong
		}
		o := keptIn(t)
		for range 2 {
			got, err := LoadWith(dir, o)
			require.NoError(t, err, name)
			sameCase(t, want, got, name)
			for _, f := range got.Files {
				if f.Kept() {
					took++
				}
			}
		}
	}
	require.Greater(t, took, 500)
}

// TestASumWithoutAReading: the sum of a file that has not changed for a while is remembered; where what was read of it is
// gone it is read all the same.
func TestASumWithoutAReading(t *testing.T) {
	dir, kept := t.TempDir(), filepath.Join(t.TempDir(), "kept")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "valley.txt"), []byte("10.61.40.0/24 via 172.28.61.18 dev lift0 \n"), 0o600))
	store := cache.Open(kept, cache.Sum{}, cache.DefaultLimit)
	o := Options{Cache: func() *cache.Store { return store }, keepAll: true}
	time.Sleep(2100 * time.Millisecond) // until its times would tell of a change
	for _, wasKept := range []bool{false, true} {
		c, err := LoadWith(dir, o)
		require.NoError(t, err)
		require.Equal(t, wasKept, c.Files[0].Kept())
	}
	sums, err := filepath.Glob(filepath.Join(kept, "sum-*"))
	require.NoError(t, err)
	require.NotEmpty(t, sums)
	readings, err := filepath.Glob(filepath.Join(kept, "reading-*"))
	require.NoError(t, err)
	require.Len(t, readings, 1)
	require.NoError(t, os.Remove(readings[0]))
	c, err := LoadWith(dir, o)
	require.NoError(t, err)
	require.False(t, c.Files[0].Kept())
	require.Equal(t, 1, c.Network.Devices().At(0).Tables().At(0).Routes().Len())
}

func TestWhatIsReadAnew(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "valley", "routes.txt")
	require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o700))
	write := func(text string) {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		old := time.Now().Add(-time.Hour)
		require.NoError(t, os.Chtimes(file, old, old))
	}
	o := keptIn(t)
	load := func() *File {
		c, err := LoadWith(dir, o)
		require.NoError(t, err)
		return c.Files[len(c.Files)-1]
	}
	const text = "10.61.40.0/24 via 172.28.61.18 dev lift0 \n10.61.44.0/26 dev lift1 scope link \n"
	write(text)
	require.False(t, load().Kept())
	require.True(t, load().Kept())

	write(strings.ReplaceAll(text, "61.18", "61.19"))
	require.False(t, load().Kept(), "other bytes of the same number at the same time")
	write(text)
	require.True(t, load().Kept(), "the bytes of before")

	f := load()
	write(strings.ReplaceAll(text, "61.18", "61.19"))
	require.Contains(t, string(f.Source.Text(f.Parts[0].Where)), "has changed", "between its reading and its evidence")

	write(text)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.txt"), []byte(text), 0o600))
	require.True(t, load().Kept(), "another file came before it")
	require.NoError(t, os.Remove(filepath.Join(dir, "a.txt")))

	var zipped bytes.Buffer
	z := gzip.NewWriter(&zipped)
	_, err := z.Write([]byte(text))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	write(zipped.String())
	require.False(t, load().Kept())
	f = load()
	require.True(t, f.Kept())
	require.Contains(t, string(f.Source.Text(f.Parts[0].Where)), "172.28.61.18", "what was compressed")

	write(text)
	layout := filepath.Join(dir, "own.layout.yaml")
	for _, letter := range []string{"C", "D"} {
		own := "layout: own\nrecognise: '^" + letter + " ROUTES'\nlines:\n  - match: '^(?P<prefix>\\S+) to (?P<gateway>\\S+)$'\n"
		require.NoError(t, os.WriteFile(layout, []byte(own), 0o600))
		require.False(t, load().Kept(), "another layout is known")
		require.True(t, load().Kept())
	}
}

// TestALargeTextDoesNotStay: what was kept of it takes its place at once, and shows the same lines.
func TestALargeTextDoesNotStay(t *testing.T) {
	dir := t.TempDir()
	var text bytes.Buffer
	for i := 0; text.Len() < leastReleased; i++ {
		fmt.Fprintf(&text, "10.%d.%d.0/24 via 172.28.61.18 dev lift0 metric %d \n", i>>8&255, i&255, i)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "valley.txt"), text.Bytes(), 0o600))
	c, err := LoadWith(dir, keptIn(t))
	require.NoError(t, err)
	require.True(t, c.Files[0].Kept())
	plain, err := LoadWith(dir, Options{})
	require.NoError(t, err)
	require.False(t, plain.Files[0].Kept())
	got, want := c.Network.Devices().At(0).Tables().At(0).Routes(), plain.Network.Devices().At(0).Tables().At(0).Routes()
	require.Equal(t, want.Len(), got.Len())
	for _, i := range []int{0, 70, want.Len() - 1} {
		require.Equal(t, want.At(i), got.At(i))
		require.Equal(t, plain.Files[0].Source.Text(want.At(i).Mark), c.Files[0].Source.Text(got.At(i).Mark))
	}
}
