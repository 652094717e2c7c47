package source_test

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"errors"
	"os/exec"
	"strings"
	"testing"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/require"

	"zarvek/internal/source"
)

const text = "10.61.0.0/24 dev e0\n"

func tarOf(names ...string) []byte {
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	for _, n := range names {
		_ = w.WriteHeader(&tar.Header{Name: n, Typeflag: tar.TypeReg, Mode: 0o644, Size: int64(len(text))})
		_, _ = w.Write([]byte(text))
	}
	_ = w.Close()
	return b.Bytes()
}

func zipOf(files map[string][]byte) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for n, c := range files {
		f, _ := w.Create(n)
		_, _ = f.Write(c)
	}
	_ = w.Close()
	return b.Bytes()
}

func gz(b []byte) []byte {
	var out bytes.Buffer
	w := gzip.NewWriter(&out)
	_, _ = w.Write(b)
	_ = w.Close()
	return out.Bytes()
}

func zst(b []byte) []byte {
	w, _ := zstd.NewWriter(nil)
	return w.EncodeAll(b, nil)
}

// tool compresses by an ordinary tool; nil where it is not installed.
func tool(t *testing.T, name string, b []byte) []byte {
	t.Helper()
	if _, err := exec.LookPath(name); err != nil {
		t.Logf("%s is not installed: this form is not tried", name)
		return nil
	}
	c := exec.Command(name, "-c")
	c.Stdin = bytes.NewReader(b)
	out, err := c.Output()
	require.NoError(t, err)
	return out
}

func names(t *testing.T, b []byte) (out []string) {
	t.Helper()
	files, is, err := source.Archive(b, source.NewBudget(1<<20))
	require.NoError(t, err)
	require.True(t, is)
	for _, f := range files {
		require.Equal(t, text, string(f.Bytes))
		out = append(out, f.Name)
	}
	return out
}

func TestAnArchiveIsToldByItsBytes(t *testing.T) {
	plain := tarOf("mast2/r.txt", "mast1/r.txt", ".hidden/x", "__MACOSX/y")
	for name, b := range map[string][]byte{
		"tar": plain, "zip": zipOf(map[string][]byte{"mast1/r.txt": []byte(text), "mast2/r.txt": []byte(text)}), "gzip": gz(plain), "zstd": zst(plain),
		"bzip2": tool(t, "bzip2", plain), "xz": tool(t, "xz", plain),
	} {
		if b != nil {
			require.True(t, source.MayBeArchive(b[:min(len(b), source.HeadLength)]), name)
			require.Equal(t, []string{"mast1/r.txt", "mast2/r.txt"}, names(t, b), name)
		}
	}
	require.Equal(
		t,
		[]string{"night.tar!mast1/r.txt", "x.txt"},
		names(t, zipOf(map[string][]byte{"night.tar": tarOf("mast1/r.txt"), "x.txt": []byte(text)})),
		"an archive in an archive",
	)
}

func TestWhatIsNoArchive(t *testing.T) {
	for name, b := range map[string][]byte{"text": []byte(text), "one compressed text": gz([]byte(text)), "nothing": nil, "a word": []byte("BZh9 is a name\n"), "a cut gzip": gz([]byte(text))[:14]} {
		_, is, err := source.Archive(b, source.NewBudget(1<<20))
		require.NoError(t, err, name)
		require.False(t, is, name)
	}
}

func TestUnpack(t *testing.T) {
	for name, b := range map[string][]byte{"plain": []byte(text), "gzip": gz([]byte(text)), "zstd": zst([]byte(text)), "bzip2": tool(t, "bzip2", []byte(text)), "xz": tool(t, "xz", []byte(text))} {
		if b != nil {
			out, err := source.Unpack(b, 1<<20)
			require.NoError(t, err, name)
			require.Equal(t, text, string(out), name)
		}
	}
	_, err := source.Unpack(gz([]byte(text))[:14], 1<<20)
	require.ErrorContains(t, err, "not a whole gzip file")
	_, err = source.Unpack(gz(bytes.Repeat([]byte("x"), 1000)), 999)
	require.ErrorIs(t, err, source.ErrBudget)
	out, err := source.Unpack(gz(bytes.Repeat([]byte("x"), 1000)), 1000)
	require.NoError(t, err)
	require.Len(t, out, 1000)
}

func TestRefused(t *testing.T) {
	for want, b := range map[string][]byte{
		"points outside of the archive": tarOf("../evil"),
		"two entries are called":        tarOf("a/r.txt", "a/r.txt"),
		"not a whole archive":           append(tarOf("a/r.txt")[:1024], []byte(strings.Repeat("x", 700))...),
		"unpacks to more than":          tarOf("a", "b", "c", "d"),
	} {
		_, is, err := source.Archive(b, source.NewBudget(int64(3*len(text))))
		require.True(t, is)
		require.ErrorContains(t, err, want)
	}
	deep := []byte(text)
	for range 9 { // deeper ones stay files
		deep = zipOf(map[string][]byte{"a.zip": deep})
	}
	files, is, err := source.Archive(deep, source.NewBudget(1<<20))
	require.NoError(t, err)
	require.True(t, is)
	require.Len(t, files, 1)
}

func FuzzArchive(f *testing.F) {
	f.Add(tarOf("a/r.txt"))
	f.Add(gz(tarOf("a/r.txt")))
	f.Add(zst(tarOf("a/r.txt")))
	f.Add(zipOf(map[string][]byte{"a/r.txt": []byte(text)}))
	f.Fuzz(func(t *testing.T, in []byte) {
		files, is, err := source.Archive(in, source.NewBudget(1<<16))
		if err != nil || !is {
			require.True(t, len(files) == 0)
			return
		}
		total := 0
		for _, x := range files {
			total += len(x.Bytes)
			require.False(t, strings.HasPrefix(x.Name, "/") || strings.HasPrefix(x.Name, "../"))
		}
		require.False(t, total > 1<<16 || errors.Is(err, source.ErrBudget))
	})
}
