// Package core_test guards the walls of the core: what its rooms may import.
package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// rooms lists, for each room, the rooms of this project that it may know. A room that is not listed may not exist.
var rooms = map[string][]string{
	"route":     {},
	"prefixes":  {},
	"network":   {"route", "prefixes"},
	"selection": {"route", "network"},
	"topology":  {"route", "network", "prefixes"},
	"forward":   {"route", "network", "selection", "topology"},
	"survey":    {"route", "network", "selection", "topology"},
	"audit":     {"route", "network", "selection", "topology", "forward", "survey", "change", "settle"},
	"chart":     {"route", "network", "topology"},
	"change":    {"route", "network", "selection"},
	"compare":   {"route", "network", "forward", "topology", "audit"},
	"settle":    {"route", "network", "selection", "topology"},
	"rehearse":  {"route", "network", "topology", "forward", "change", "settle", "compare"},
	"require":   {"route", "network", "topology", "forward", "audit"},
	"survive":   {"route", "network", "topology", "forward", "change", "settle", "compare"},
	"mend":      {"route", "network", "topology", "forward", "audit", "settle", "compare", "rehearse"},
	"coretest":  {"route", "network"},
}

// outside is what no room of the core may use: it neither reads, prints, asks the time nor takes options.
var outside = []string{"os", "io", "log", "log/slog", "flag", "time", "net", "bufio"}

func TestCoreKnowsNothingOfTheOutside(t *testing.T) {
	seen := 0
	err := filepath.WalkDir(".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(p, ".go") || strings.HasSuffix(p, "_test.go") {
			return err
		}
		room := filepath.Base(filepath.Dir(p))
		allowed, ok := rooms[room]
		require.True(t, ok, "%s: a room that is not on the plan", p)
		f, err := parser.ParseFile(token.NewFileSet(), p, nil, parser.ImportsOnly)
		require.NoError(t, err)
		for _, i := range f.Imports {
			name, err := strconv.Unquote(i.Path.Value)
			require.NoError(t, err)
			if inside, ok := strings.CutPrefix(name, "zarvek/"); ok {
				require.Contains(t, allowed, strings.TrimPrefix(inside, "internal/core/"), "%s imports %s", p, name)
			}
			require.NotContains(t, outside, name, "%s imports %s", p, name)
			seen++
		}
		return nil
	})
	require.NoError(t, err)
	require.Positive(t, seen)
}

// TestReadersKnowNothingOfForwarding guards the readers: text on one side, packets on the other.
func TestReadersKnowNothingOfForwarding(t *testing.T) {
	files, err := filepath.Glob("../capture/layout/*/*.go")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, p := range files {
		f, err := parser.ParseFile(token.NewFileSet(), p, nil, parser.ImportsOnly)
		require.NoError(t, err)
		for _, i := range f.Imports {
			for _, room := range []string{"selection", "topology", "forward", "casefile", "present", "cli"} {
				require.False(t, strings.HasSuffix(i.Path.Value, "/"+room+`"`), "%s imports %s", p, i.Path.Value)
			}
		}
	}
}
