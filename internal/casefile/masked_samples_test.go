package casefile_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/casefile/masktest"
)

// TestMaskedSamples masks every case that the scripts of the program's tests hold: their captures are of all layouts.
func TestMaskedSamples(t *testing.T) {
	scripts, err := filepath.Glob("../../cmd/zarvek/testdata/script/*.txt")
	require.NoError(t, err)
	require.NotEmpty(t, scripts)
	cases := 0
	for _, s := range scripts {
		a, err := txtar.ParseFile(s)
		require.NoError(t, err)
		root := t.TempDir()
		tops := map[string]bool{}
		for _, f := range a.Files {
			top, _, below := strings.Cut(f.Name, "/")
			if !below || strings.ContainsAny(f.Name, "\x00") {
				continue
			}
			tops[top] = true
			at := filepath.Join(root, filepath.FromSlash(f.Name))
			require.NoError(t, os.MkdirAll(filepath.Dir(at), 0o777))
			require.NoError(t, os.WriteFile(at, f.Data, 0o666))
		}
		for top := range tops {
			dir := filepath.Join(root, top)
			if c, err := casefile.Load(dir); err != nil || c.Network.Devices().Len() == 0 {
				continue
			}
			t.Run(filepath.Base(s)+" "+top, func(t *testing.T) { masktest.Laws(t, dir, 3) })
			cases++
		}
	}
	require.Greater(t, cases, 10)
}

// TestMaskedReaderSamples masks, as a case of one device each, the captures that readers are tested by.
func TestMaskedReaderSamples(t *testing.T) {
	n := 0
	require.NoError(t, filepath.WalkDir("../capture", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.Contains(filepath.ToSlash(p), "/testdata/") || strings.Contains(filepath.ToSlash(p), "/fuzz/") {
			return err
		}
		raw, err := os.ReadFile(p)
		require.NoError(t, err)
		dir := t.TempDir()
		require.NoError(t, os.MkdirAll(filepath.Join(dir, "hutte"), 0o777))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "hutte", filepath.Base(p)), raw, 0o666))
		if c, err := casefile.Load(dir); err != nil || c.Network.Devices().Len() == 0 {
			return nil
		}
		t.Run(p, func(t *testing.T) { masktest.Laws(t, dir, 3) })
		n++
		return nil
	}))
	t.Logf("%d samples", n)
}
