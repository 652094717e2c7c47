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
	"syscall"
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
	for in, want := range map[string]string{"a/b.txt": "a/b.txt", "../x": "x", "a/../../x": "x", ".hidden/x": "hidden/x", "a/\x1b[31m=x": "a/_[31m=x", `a\b:c`: "a/b_c", "a/...": "a/_", "": "_",
		"a/\u0085\u202e\u200bx": "a/___x", "con/NUL.txt": "_con/_NUL.txt", "lpt1x/aux": "lpt1x/_aux"} {
		require.Equal(t, want, clean(in), "%q", in)
	}
}

// TestLinks: the case and a source may be links; one inside of the case is never written through, one inside of a
// source is told.
func TestLinks(t *testing.T) {
	top := t.TempDir()
	real := filepath.Join(top, "real")
	write(t, real, "valley/a.txt", attached)
	linked := filepath.Join(top, "linked")
	require.NoError(t, os.Symlink(real, linked))
	write(t, top, "src/midway/a.txt", attached+"\n")
	write(t, top, "elsewhere/b.txt", "not the case's")
	require.NoError(t, os.Symlink(filepath.Join(top, "elsewhere"), filepath.Join(top, "src/depot")))
	source := filepath.Join(top, "source")
	require.NoError(t, os.Symlink(filepath.Join(top, "src"), source))
	_, err := run(t, linked, write(t, top, "new/a.txt", "other"))
	require.NoError(t, err)
	r, err := Run(context.Background(), []string{source}, Options{Case: linked})
	require.NoError(t, err)
	require.Equal(
		t,
		[]casefile.LeftOut{
			{Name: filepath.Join(source, "depot"), Why: "a link, which is not followed; name what it leads to"},
		},
		r.Left,
	)
	require.Equal(t, filepath.Join(source, "midway/a.txt"), r.Items[0].Original, "as it was named")
	require.Equal(t, []string{"a.txt", "midway/a.txt", "provenance.json", "valley/a.txt"}, tree(t, real))
	c, err := casefile.Load(linked)
	require.NoError(t, err)
	require.NotNil(t, c.Network.Device("midway"))

	require.NoError(t, os.Symlink(filepath.Join(top, "elsewhere"), filepath.Join(real, "mast7")))
	write(t, top, "more/mast7/b.txt", attached)
	_, err = run(t, linked, filepath.Join(top, "more"))
	require.ErrorContains(t, err, "mast7 is a link, which is not followed; the case is as it was")
	b, err := os.ReadFile(filepath.Join(top, "elsewhere/b.txt"))
	require.NoError(t, err)
	require.Equal(t, "not the case's", string(b))
	c, err = casefile.Load(linked)
	require.NoError(t, err)
	require.Equal(
		t,
		[]casefile.LeftOut{{Name: "mast7", Why: "a link to a folder, which is not followed; collect that folder"}},
		c.LeftOut,
	)
}

// TestAnotherCase collected as a folder or an archive keeps its devices apart; its own files are no captures.
func TestAnotherCase(t *testing.T) {
	files := map[string]string{
		"night/provenance.json":   "[]",
		"night/notes.yaml":        "",
		"night/valley/a.txt":      attached,
		"night/valley/notes.yaml": "x",
	}
	src := t.TempDir()
	for n, text := range files {
		write(t, src, n, text)
	}
	zipped := write(t, t.TempDir(), "night.zip", string(zipOf(t, files, 0o644)))
	for _, s := range []string{filepath.Join(src, "night"), src, zipped} {
		dir := filepath.Join(t.TempDir(), "case")
		r, err := Run(context.Background(), []string{s}, Options{Case: dir})
		require.NoError(t, err)
		require.Equal(t, []string{"notes.yaml", "provenance.json", "valley/a.txt"}, tree(t, dir), s)
		require.Len(t, r.Left, 2, s)
		more := filepath.Join(t.TempDir(), "more")
		write(t, more, "notes.yaml", "hosts: {}")
		write(t, more, "midway/a.txt", attached)
		r, err = Run(context.Background(), []string{more}, Options{Case: dir})
		require.NoError(t, err)
		require.Contains(t, r.Left[0].Why, "the case has notes of its own")
	}
}

// TestNothingThere is refused, with why, and signs in a path are only characters.
func TestNothingThere(t *testing.T) {
	empty := t.TempDir()
	_, err := run(t, filepath.Join(t.TempDir(), "case"), empty)
	require.ErrorContains(t, err, "nothing to collect there; give files")
	require.NoError(t, os.Symlink("/", filepath.Join(empty, "x")))
	_, err = run(t, filepath.Join(t.TempDir(), "case"), empty)
	require.ErrorContains(t, err, "a link, which is not followed")
	odd := filepath.Join(t.TempDir(), "ca[s]e*?")
	write(t, odd, ".collect-1-x/000000", "left")
	_, err = run(t, odd, write(t, t.TempDir(), "a[1].txt", attached))
	require.NoError(t, err)
	require.Equal(t, []string{"a[1].txt", "provenance.json"}, tree(t, odd))
}

// TestPipesAreNotWaitedFor, wherever one lies.
func TestPipesAreNotWaitedFor(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "valley/a.txt", attached)
	require.NoError(t, syscall.Mkfifo(filepath.Join(dir, "provenance.json"), 0o600))
	_, err := run(t, dir, write(t, t.TempDir(), "a.txt", "x"))
	require.ErrorContains(t, err, "provenance.json: cannot be used: not a plain file")
	src := t.TempDir()
	require.NoError(t, syscall.Mkfifo(filepath.Join(src, "pipe"), 0o600))
	write(t, src, "a.txt", "x")
	r, err := Run(context.Background(), []string{src}, Options{Case: t.TempDir()})
	require.NoError(t, err)
	require.Equal(t, "no plain file", r.Left[0].Why)
}
