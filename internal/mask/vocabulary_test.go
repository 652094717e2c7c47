package mask

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/kepttest"
)

// sources are the rooms whose text constants are what is looked for in captures and notes.
var sources = []string{"../capture", "../notes", "../filename", "../core/route"}

// TestVocabularyIsWhatReadersLookFor: a reader that learns a word keeps it in masked copies too. Samples of layouts,
// which are made-up captures with names in them, are left out.
func TestVocabularyIsWhatReadersLookFor(t *testing.T) {
	words := map[string]bool{}
	for _, dir := range sources {
		require.NoError(t, filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
			if err == nil && d.IsDir() && d.Name() == "testdata" {
				return fs.SkipDir
			}
			if err == nil && strings.HasSuffix(p, ".txt") { // names that a reader has as data
				b, err := os.ReadFile(p)
				for _, w := range lettersOf(string(b)) {
					if len(w) >= shortest {
						words[strings.ToLower(w)] = true
					}
				}
				return err
			}
			if err != nil || d.IsDir() || !strings.HasSuffix(p, ".go") || strings.HasSuffix(p, "_test.go") {
				return err
			}
			f, err := parser.ParseFile(token.NewFileSet(), p, nil, 0)
			require.NoError(t, err)
			ast.Inspect(f, func(n ast.Node) bool {
				switch x := n.(type) {
				case *ast.KeyValueExpr:
					id, ok := x.Key.(*ast.Ident)
					return !ok || id.Name != "Sample" && id.Name != "About"
				case *ast.StructType: // package encoding/json finds keys by them
					for _, field := range x.Fields.List {
						for _, name := range field.Names {
							if len(name.Name) >= shortest {
								words[strings.ToLower(name.Name)] = true
							}
						}
					}
				case *ast.ImportSpec:
					return false
				case *ast.BasicLit:
					if x.Kind == token.STRING {
						s, err := strconv.Unquote(x.Value)
						require.NoError(t, err)
						for _, w := range lettersOf(s) {
							if len(w) >= shortest {
								words[strings.ToLower(w)] = true
							}
						}
					}
				}
				return true
			})
			return nil
		}))
	}
	var list []string
	for w := range words {
		list = append(list, w)
	}
	slices.Sort(list)
	text := strings.Join(list, "\n") + "\n"
	if kepttest.Update() {
		require.NoError(t, os.WriteFile("vocabulary.txt", []byte(text), 0o666))
	}
	have, err := os.ReadFile("vocabulary.txt")
	require.NoError(t, err)
	kept := strings.Fields(string(have))
	for _, w := range list {
		require.True(t, slices.Contains(kept, w), "%s: go test ./internal/mask -run Vocabulary -update", w)
	}
	require.Equal(t, len(list), len(kept), "a word that no reader looks for any more: go test ./internal/mask -run Vocabulary -update")
}
