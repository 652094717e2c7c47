// Package kepttest compares what a program says with what it said when somebody last read it, so that no change of an
// output goes by unseen.
package kepttest

import (
	"flag"
	"os"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var update = flag.Bool("update", false, "write what tests keep anew")

// Update reports whether kept files are to be written anew, which -update asks for.
func Update() bool { return *update }

// Compare fails a test where texts differ from those of the same names in a file; none may be missing there, and none
// too many. With -update it writes the file.
func Compare(t *testing.T, file string, got *txtar.Archive) {
	t.Helper()
	if *update {
		require.NoError(t, os.WriteFile(file, txtar.Format(got), 0o644))
		return
	}
	want, err := txtar.ParseFile(file)
	require.NoError(t, err)
	was := map[string]string{}
	for _, f := range want.Files {
		was[f.Name] = string(f.Data)
	}
	for _, f := range got.Files {
		text, ok := was[f.Name]
		if delete(was, f.Name); !ok {
			assert.Fail(t, "new, and not kept in "+file+": -update", f.Name)
			continue
		}
		assert.Equal(t, text, string(f.Data), f.Name)
	}
	for name := range was {
		assert.Fail(t, "kept in "+file+", and there no more: -update", name)
	}
}
