package casefile

import (
	"encoding/json"
	"os"
	"path/filepath"
)

// StagingPrefix begins the name of the hidden folder in which collect prepares files before they join the case.
const StagingPrefix = ".collect-"

// PlanFile is where such a folder lists the files that are about to join.
const PlanFile = "plan.json"

// Unfinished returns the files of collections that were cut off while their files joined the case. They are no part of
// it until a collection has finished.
func Unfinished(dir string) []string {
	plans, _ := filepath.Glob(filepath.Join(dir, StagingPrefix+"*", PlanFile))
	var out []string
	for _, p := range plans {
		var files []string
		if b, err := os.ReadFile(p); err == nil && json.Unmarshal(b, &files) == nil {
			out = append(out, files...)
		}
	}
	return out
}
