package collect

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
)

const attached = "Codes: C - connected, S - static\n\nC    10.61.16.0/24 is directly connected, hall0\n"

// tree lists a folder's files.
func tree(t *testing.T, dir string) []string {
	t.Helper()
	var out []string
	require.NoError(t, filepath.WalkDir(dir, func(p string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			rel, _ := filepath.Rel(dir, p)
			out = append(out, filepath.ToSlash(rel))
		}
		return err
	}))
	slices.Sort(out)
	return out
}

func write(t *testing.T, dir, name, text string) string {
	t.Helper()
	p := filepath.Join(dir, filepath.FromSlash(name))
	require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
	require.NoError(t, os.WriteFile(p, []byte(text), 0o644))
	return p
}

func run(t *testing.T, dir string, sources ...string) ([]Item, error) {
	t.Helper()
	r, err := Run(
		context.Background(),
		sources,
		Options{Case: dir, Stdin: strings.NewReader("from a pipe\n"), Now: time.Unix(1e9, 0).UTC()},
	)
	return r.Items, err
}

func TestFilesFoldersAndPipes(t *testing.T) {
	src, dir := t.TempDir(), filepath.Join(t.TempDir(), "case")
	one := write(t, src, "night.log", attached)
	write(t, src, "all/captures/valley/a.txt", attached)
	write(t, src, "all/captures/midway/a.txt", attached)
	write(t, src, "all/captures/.git/x", "hidden")
	items, err := run(t, dir, one, filepath.Join(src, "all"), "-", one)
	require.NoError(t, err)
	require.Equal(
		t,
		[]string{"midway/a.txt", "night.log", "provenance.json", "standard-input.txt", "valley/a.txt"},
		tree(t, dir),
	)
	require.Len(t, items, 5)
	require.True(t, items[4].Known, "the same content of the same device is taken once")
	require.False(t, items[2].Known, "that of another device is another capture")

	again, err := run(t, dir, filepath.Join(src, "all"))
	require.NoError(t, err)
	require.True(t, again[0].Known && again[1].Known)
	write(t, src, "more/valley/a.txt", attached+"S    10.9.0.0/16 [1/0] via 10.61.16.9\n")
	write(t, src, "more/x/y.txt", "x")
	_, err = run(t, dir, filepath.Join(src, "more"))
	require.NoError(t, err)
	require.Contains(t, tree(t, dir), "valley/a-2.txt")

	var manifest []Item
	b, err := os.ReadFile(filepath.Join(dir, casefile.ProvenanceFile))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(b, &manifest))
	require.Len(t, manifest, 6)
	require.Equal(t, "night.log", manifest[0].File)
	require.Equal(t, one, manifest[0].Original)
	require.Len(t, manifest[0].SHA256, 64)
	c, err := casefile.Load(dir)
	require.NoError(t, err)
	require.NotNil(t, c.Network.Device("valley"))
	require.Nil(t, c.Network.Device("provenance"))
}

func zipOf(t *testing.T, files map[string]string, mode os.FileMode) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, n := range sortedNames(files) {
		h := &zip.FileHeader{Name: n, Method: zip.Deflate}
		h.SetMode(mode)
		f, err := w.CreateHeader(h)
		require.NoError(t, err)
		_, err = f.Write([]byte(files[n]))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return b.Bytes()
}

func tarOf(t *testing.T, files map[string]string, kind byte) []byte {
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	for _, n := range sortedNames(files) {
		h := &tar.Header{Name: n, Typeflag: kind, Mode: 0o644, Linkname: "/etc/passwd"}
		if kind == tar.TypeReg {
			h.Size, h.Linkname = int64(len(files[n])), ""
		}
		require.NoError(t, w.WriteHeader(h))
		if kind == tar.TypeReg {
			_, err := w.Write([]byte(files[n]))
			require.NoError(t, err)
		}
	}
	require.NoError(t, w.Close())
	return b.Bytes()
}

func TestArchives(t *testing.T) {
	files := map[string]string{
		"captures/valley/a.txt": attached,
		"captures/midway/b.txt": attached + "\n",
		"captures/midway/.x":    "hidden",
	}
	plain := tarOf(t, files, tar.TypeReg)
	var gz bytes.Buffer
	w := gzip.NewWriter(&gz)
	_, err := w.Write(plain)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	z, err := zstd.NewWriter(nil)
	require.NoError(t, err)
	for name, b := range map[string][]byte{"a.zip": zipOf(t, files, 0o644), "a.tar": plain, "a.tar.gz": gz.Bytes(), "a.tar.zst": z.EncodeAll(plain, nil)} {
		dir := filepath.Join(t.TempDir(), "case")
		items, err := run(t, dir, write(t, t.TempDir(), name, string(b)))
		require.NoError(t, err, name)
		require.Equal(t, []string{"midway/b.txt", "provenance.json", "valley/a.txt"}, tree(t, dir), name)
		require.Contains(t, items[0].Original, name+"!captures/midway/b.txt")
	}
}

func TestBadArchivesAreRefusedAndTheCaseStays(t *testing.T) {
	good := map[string]string{"a/x.txt": "x"}
	big := zipOf(t, map[string]string{"a/zeros": strings.Repeat("\x00", 1<<20)}, 0o644)
	for name, tt := range map[string]struct {
		b    []byte
		want string
	}{
		"up.zip":     {zipOf(t, map[string]string{"../../evil.txt": "x"}, 0o644), `the entry "../../evil.txt" points outside of the archive; nothing was collected`},
		"abs.tar":    {tarOf(t, map[string]string{"/etc/evil": "x"}, tar.TypeReg), `the entry "/etc/evil" points outside of the archive`},
		"back.zip":   {zipOf(t, map[string]string{`..\evil.txt`: "x"}, 0o644), `points outside of the archive`},
		"drive.tar":  {tarOf(t, map[string]string{`C:\evil.txt`: "x"}, tar.TypeReg), `points outside of the archive`},
		"link.tar":   {tarOf(t, good, tar.TypeSymlink), `the entry "a/x.txt" is a link or device; nothing was collected`},
		"hard.tar":   {tarOf(t, good, tar.TypeLink), `is a link or device`},
		"device.tar": {tarOf(t, good, tar.TypeBlock), `is a link or device`},
		"link.zip":   {zipOf(t, good, os.ModeSymlink|0o777), `is a link or device`},
		"half.tar":   {tarOf(t, map[string]string{"a/x": strings.Repeat("x", 2000)}, tar.TypeReg)[:1000], `cannot be read: unexpected EOF; nothing was collected`},
		"half.zip":   {big[:len(big)/2], `not a whole zip archive`},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			write(t, dir, "valley/a.txt", attached)
			before := tree(t, dir)
			ok := write(t, t.TempDir(), "fine.txt", "fine")
			_, err := run(t, dir, ok, write(t, t.TempDir(), name, string(tt.b)))
			require.ErrorContains(t, err, tt.want)
			require.IsType(t, &Error{}, err)
			require.Equal(t, before, tree(t, dir), "the case must stay as it was")
			fresh := filepath.Join(t.TempDir(), "new")
			_, err = run(t, fresh, write(t, t.TempDir(), name, string(tt.b)))
			require.Error(t, err)
			require.NoDirExists(t, fresh, "a case that never was must not be left behind")
		})
	}
}

func TestExpansionIsBounded(t *testing.T) {
	files := map[string]string{"a/bomb": strings.Repeat("\x00", 1<<20)}
	for name, b := range map[string][]byte{"bomb.zip": zipOf(t, files, 0o644), "bomb.tar": tarOf(t, files, tar.TypeReg)} {
		dir := t.TempDir()
		_, err := Run(
			context.Background(),
			[]string{write(t, t.TempDir(), name, string(b))},
			Options{Case: dir, Limit: 1 << 19},
		)
		require.ErrorContains(t, err, "more than 524288 bytes")
		require.Empty(t, tree(t, dir))
	}
}

func TestInterruptionLeavesTheCase(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "valley/a.txt", attached)
	before := tree(t, dir)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := Run(ctx, []string{write(t, t.TempDir(), "x.txt", "x")}, Options{Case: dir})
	require.EqualError(t, err, "interrupted; the case is as it was")
	require.Equal(t, before, tree(t, dir))
}

// TestCutOffInTheLastStep stands for a machine that stopped while files were joining the case.
func TestCutOffInTheLastStep(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "valley/a.txt", attached)
	write(t, dir, "midway/half.txt", attached)
	write(t, dir, ".collect-123/plan.json", `["midway/half.txt","midway/other.txt"]`)
	c, err := casefile.Load(dir)
	require.NoError(t, err)
	require.Nil(t, c.Network.Device("midway"), "files of an unfinished collection are no part of the case")
	_, err = run(t, dir, write(t, t.TempDir(), "depot/x.txt", attached))
	require.NoError(t, err)
	require.Equal(
		t,
		[]string{"provenance.json", "valley/a.txt", "x.txt"},
		tree(t, dir),
		"the next collection undoes it",
	)
}

func TestDryRunWritesNothing(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "case")
	looked := 0
	r, err := Run(
		context.Background(),
		[]string{write(t, t.TempDir(), "x.txt", attached)},
		Options{Case: dir, DryRun: true, Device: "depot",
			Look: func(it Item, file string) {
				looked++
				require.Equal(t, "depot/x.txt", it.File)
				require.FileExists(t, file)
			}},
	)
	require.NoError(t, err)
	require.Len(t, r.Items, 1)
	require.Equal(t, 1, looked)
	require.NoDirExists(t, dir)
}

func TestFlatFoldersAreTold(t *testing.T) {
	src := t.TempDir()
	write(t, src, "valley/a.txt", attached)
	write(t, src, "valley/b.txt", attached+"\n")
	r, err := Run(context.Background(), []string{filepath.Join(src, "valley")}, Options{Case: t.TempDir()})
	require.NoError(t, err)
	require.Equal(t, []string{filepath.Join(src, "valley")}, r.Flat)
	r, err = Run(
		context.Background(),
		[]string{filepath.Join(src, "valley")},
		Options{Case: t.TempDir(), Device: "valley"},
	)
	require.NoError(t, err)
	require.Empty(t, r.Flat)
	require.Equal(t, "valley/a.txt", r.Items[0].File)
}

func TestNamesAreMadeSafe(t *testing.T) {
	for in, want := range map[string]string{"a/b.txt": "a/b.txt", "../x": "x", "a/../../x": "x", ".hidden/x": "hidden/x", "a/\x1b[31m=x": "a/_[31m=x", `a\b:c`: "a/b_c", "a/...": "a/_", "": "_"} {
		require.Equal(t, want, clean(in), "%q", in)
	}
}
