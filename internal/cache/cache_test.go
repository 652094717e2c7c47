package cache

import (
	"bytes"
	"os"
	"path/filepath"
	"runtime"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

var key = []byte("mast-3")

// open returns a store in a folder of its own.
func open(t *testing.T) *Store {
	s := Open(filepath.Join(t.TempDir(), "deep", "kept"), Sum{1}, DefaultLimit)
	require.NotNil(t, s)
	return s
}

// entries returns the files of a store.
func entries(t *testing.T, s *Store) []string {
	t.Helper()
	out, err := filepath.Glob(filepath.Join(s.dir, "*"))
	require.NoError(t, err)
	return out
}

func TestWhatIsPutIsThere(t *testing.T) {
	s := open(t)
	large := bytes.Repeat([]byte{7, 9}, 300_000)
	require.Nil(t, s.Get("reading", key))
	require.True(t, s.Put([][]byte{[]byte("one "), nil, []byte("two")}, "reading", key))
	require.True(t, s.Put([][]byte{large}, "reading", key, nil))
	require.Equal(t, "one two", string(s.Get("reading", key)))
	require.Equal(t, large, s.Get("reading", key, nil))
	require.Nil(t, s.Get("sum", key), "another kind")
	require.Nil(t, s.Get("reading", key[:3], key[3:]), "another key of the same bytes")
	require.Nil(t, Open(s.dir, Sum{2}, DefaultLimit).Get("reading", key), "another program")
	info, err := os.Stat(s.dir)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o700), info.Mode().Perm())
	for _, e := range entries(t, s) {
		info, err := os.Stat(e)
		require.NoError(t, err)
		require.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	}
}

// TestWhatWasTakenStays: an entry that somebody holds is not changed by what happens to its file, nor by its own
// changes.
func TestWhatWasTakenStays(t *testing.T) {
	s := open(t)
	was := bytes.Repeat([]byte("a"), smallEntry*3)
	require.True(t, s.Put([][]byte{was}, "reading", key))
	mine := s.Get("reading", key)
	require.True(t, s.Put([][]byte{bytes.Repeat([]byte("b"), smallEntry*3)}, "reading", key))
	mine[5] = 'x'
	require.Equal(t, was[:5], mine[:5])
	require.Equal(t, was[6:], mine[6:])
	require.Equal(t, byte('b'), s.Get("reading", key)[5])
}

func TestAFolderThatIsNotThisUsersAlone(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("no such modes")
	}
	dir := filepath.Join(t.TempDir(), "open")
	require.NoError(t, os.Mkdir(dir, 0o777))
	require.NotNil(t, Open(dir, Sum{}, 10))
	info, err := os.Stat(dir)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o700), info.Mode().Perm(), "it is made so")
	link := filepath.Join(t.TempDir(), "link")
	require.NoError(t, os.Symlink(dir, link))
	require.Nil(t, Open(link, Sum{}, 10), "a link may lead to anybody's")
	file := filepath.Join(dir, "file")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	require.Nil(t, Open(file, Sum{}, 10))
}

func TestTheOldestGoes(t *testing.T) {
	s := open(t)
	s.limit = 1000
	now := time.Now()
	for i := range 5 {
		k := []byte{byte(i)}
		require.True(t, s.Put([][]byte{make([]byte, 300)}, "reading", k))
		require.NoError(t, os.Chtimes(s.name("reading", k), now, now.Add(time.Duration(i-100)*time.Hour)))
	}
	require.NotNil(t, s.Get("reading", []byte{0}), "and is used now")
	left := filepath.Join(s.dir, temporary+"left")
	require.NoError(t, os.WriteFile(left, make([]byte, 900), 0o600))
	s.Trim()
	require.FileExists(t, left, "somebody may be writing it")
	for i, want := range []bool{true, false, false, true, true} {
		require.Equal(t, want, s.Get("reading", []byte{byte(i)}) != nil, i)
	}
	require.NoError(t, os.Chtimes(left, now, now.Add(-2*abandoned)))
	s.Trim()
	require.NoFileExists(t, left)
	require.False(t, s.Put([][]byte{make([]byte, 1001)}, "reading", key), "more than it may hold")
}

func TestTheSumOfAFile(t *testing.T) {
	s := open(t)
	file := filepath.Join(t.TempDir(), "routes.txt")
	reads := 0
	sum := func() Sum {
		got, raw, err := s.SumOf(file, func() ([]byte, error) { reads++; return os.ReadFile(file) })
		require.NoError(t, err)
		if raw != nil {
			want, err := os.ReadFile(file)
			require.NoError(t, err)
			require.Equal(t, want, raw)
		}
		return got
	}
	require.NoError(t, os.WriteFile(file, []byte("one"), 0o600))
	one := sum()
	require.Equal(t, one, sum())
	require.Equal(t, 2, reads, "it was written just now: the next writing may leave no sign")
	s.now = func() time.Time { return time.Now().Add(unsettled + time.Second) }
	require.Equal(t, one, sum())
	require.Equal(t, one, sum())
	if _, known := LooksOf(file); !known {
		return
	}
	require.Equal(t, 3, reads)
	info, err := os.Stat(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, []byte("two"), 0o600))
	require.NoError(t, os.Chtimes(file, time.Time{}, info.ModTime()))
	require.NotEqual(t, one, sum(), "the same length, and its time was put back")
}

func TestWithin(t *testing.T) {
	s := open(t)
	require.True(t, s.Within(s.dir))
	require.True(t, s.Within(filepath.Dir(filepath.Dir(s.dir))))
	require.False(t, s.Within(t.TempDir()))
	beside := s.dir + "-of-others"
	require.NoError(t, os.Mkdir(beside, 0o700))
	require.False(t, s.Within(beside))
}

// TestSeveralAtOnce: programs that write one entry at once leave one whole.
func TestSeveralAtOnce(t *testing.T) {
	s := open(t)
	var all sync.WaitGroup
	for i := range 8 {
		all.Go(func() {
			mine := bytes.Repeat([]byte{byte('a' + i)}, 100_000)
			for range 20 {
				s.Put([][]byte{mine[:50_000], mine[50_000:]}, "reading", key)
				if got := s.Get("reading", key); len(got) != 100_000 || bytes.Count(got, got[:1]) != len(got) {
					t.Error("an entry of two programs")
				}
				s.Trim()
			}
		})
	}
	all.Wait()
	require.Len(t, entries(t, s), 1)
}

// FuzzDamage: an entry that was damaged in any place is not there.
func FuzzDamage(f *testing.F) {
	f.Add([]byte("what was read"), uint(30), byte(1), uint(0))
	f.Add([]byte("what was read"), uint(3), byte(0x80), uint(0))
	f.Add([]byte("what was read"), uint(9), byte(4), uint(0))
	f.Add([]byte("what was read"), uint(0), byte(0), uint(4))
	f.Add([]byte{}, uint(0), byte(0), uint(1))
	s := Open(filepath.Join(f.TempDir(), "kept"), Sum{1}, DefaultLimit)
	f.Fuzz(func(t *testing.T, content []byte, at uint, with byte, cut uint) {
		require.True(t, s.Put([][]byte{content}, "reading", key))
		name := s.name("reading", key)
		whole, err := os.ReadFile(name)
		require.NoError(t, err)
		damaged := bytes.Clone(whole)
		damaged[at%uint(len(damaged))] ^= with
		damaged = damaged[:uint(len(damaged))-cut%uint(len(damaged)+1)]
		require.NoError(t, os.WriteFile(name, damaged, 0o600))
		if got := s.Get("reading", key); bytes.Equal(damaged, whole) {
			require.Equal(t, content, got)
		} else {
			require.Nil(t, got)
		}
	})
}
