package casefile_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
)

const someRoutes = "10.1.0.0/24 dev e0 proto kernel scope link src 10.1.0.1\n"

func write(t *testing.T, dir, name, text string, at time.Time) {
	t.Helper()
	p := filepath.Join(dir, name)
	require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
	require.NoError(t, os.WriteFile(p, []byte(text), 0o644))
	require.NoError(t, os.Chtimes(p, at, at))
}

// TestAges: the newest table of a device counts, and what provenance.json says comes before when a file was written.
func TestAges(t *testing.T) {
	dir := t.TempDir()
	noon := time.Date(2026, 11, 5, 12, 0, 0, 0, time.UTC)
	write(t, dir, "a/old.txt", someRoutes, noon.Add(-5*time.Hour))
	write(t, dir, "a/new.txt", someRoutes, noon)
	write(t, dir, "a/notes-of-mine.txt", "no table at all\n", noon.Add(time.Hour))
	write(t, dir, "b/ip.txt", someRoutes, noon)
	write(t, dir, "provenance.json", `[{"file":"b/ip.txt","collected":"2026-11-05T10:00:00Z"}]`, noon)
	c, err := casefile.Load(dir)
	require.NoError(t, err)
	ages := c.Ages()
	require.Len(t, ages, 2)
	require.Equal(t, "a", ages[0].Device)
	require.EqualValues(t, 120, ages[0].Minutes-ages[1].Minutes)
}

// TestProvenance: a file that is broken costs the times alone.
func TestProvenance(t *testing.T) {
	for _, text := range []string{`[{"file":"b/ip.txt","collected":"2026-11-05T10:00:00Z"}]`, `{"file": 7`, ``} {
		dir := t.TempDir()
		noon := time.Date(2026, 11, 5, 12, 0, 0, 0, time.UTC)
		write(t, dir, "b/ip.txt", someRoutes, noon)
		write(t, dir, "provenance.json", text, noon)
		c, err := casefile.Load(dir)
		require.NoError(t, err)
		want := noon
		if len(text) > 20 {
			want = noon.Add(-2 * time.Hour)
		}
		require.EqualValues(t, want.Unix()/60, c.Ages()[0].Minutes, text)
	}
}

// TestUnreadInTables: a bad line in a table counts, a file that is no capture does not.
func TestUnreadInTables(t *testing.T) {
	dir := t.TempDir()
	write(
		t,
		dir,
		"a/ip.txt",
		someRoutes+"10.2.0.0/33 via 10.1.0.2 dev e0\n10.3.0.0/24 via 10.1.0.2 dev e0\n",
		time.Now(),
	)
	write(t, dir, "a/letter.txt", "dear colleague\n", time.Now())
	c, err := casefile.Load(dir)
	require.NoError(t, err)
	u := c.UnreadInTables()
	require.Len(t, u, 1)
	require.Equal(t, "a", u[0].Device)
	require.Len(t, u[0].Marks, 1)
	require.Equal(t, 2, c.Position(u[0].Marks[0]).Line)
}

// TestLoadTells: every byte is told, the last time all of them.
func TestLoadTells(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "a/ip.txt", someRoutes, time.Now())
	write(t, dir, "b/ip.txt", someRoutes, time.Now())
	most := int64(0)
	done := make(chan [2]int64, 10)
	_, err := casefile.LoadWith(dir, casefile.Options{Tell: func(n, total int64) { done <- [2]int64{n, total} }})
	require.NoError(t, err)
	close(done)
	for d := range done {
		most = max(most, d[0])
		require.EqualValues(t, 2*len(someRoutes), d[1])
	}
	require.EqualValues(t, 2*len(someRoutes), most)
}
