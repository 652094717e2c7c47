package main

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/require"

	"zarvek/internal/kepttest"
)

// TestAnswersStay: what the program answers about the example is what it answered when somebody last read it. Read each
// difference before the answers are written anew with -update.
func TestAnswersStay(t *testing.T) {
	const kept = "testdata/answers.txt"
	dir := t.TempDir()
	ask := func(line string) string {
		cmd := exec.Command("zarvek", strings.Fields(line)...)
		cmd.Dir = dir
		out, err := cmd.Output()
		if exit := (*exec.ExitError)(nil); err != nil {
			require.ErrorAs(t, err, &exit, line)
			require.LessOrEqual(t, exit.ExitCode(), 1, "%s: %s", line, exit.Stderr)
		}
		return string(out)
	}
	got := &txtar.Archive{}
	for _, line := range []string{
		"demo -all -to night",
		"audit -severity note -case night -as json",
		"trace desk mast-cam -case night -as json",
		"trace mast-cam desk -case night -as json",
		"trace 10.61.46.9 10.61.0.31 -case night -as json",
		"why control 10.61.16.20 -case night -as json",
		"why summit 10.61.46.9 -case night -as json",
		"table depot -all -case night -as csv",
		"devices -case night -as json",
		"networks -costs -case night -as json",
		"map -as dot -findings -case night",
		"survive -case night -as json",
		"survive -case night-after -pairs",
		"compare night night-after -as json",
		"compare night-after night",
		"rehearse -down midway:line2 -case night",
		"report -as md -before night -case night-after",
	} {
		got.Files = append(got.Files, txtar.File{Name: line, Data: []byte(ask(line))})
	}
	kepttest.Compare(t, kept, got)
}
