package casefile

import (
	"encoding/json"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"

	"zarvek/internal/source"
)

// StagingPrefix begins the name of the hidden folder in which collect prepares files before they join the case.
const StagingPrefix = ".collect-"

// PlanFile is where such a folder lists what is about to join: it appears there, whole, once everything is prepared.
const PlanFile = "plan.json"

// A Plan is what a collection puts into the case. From the moment it is written the collection counts, whether or not
// its files have reached their places.
type Plan struct {
	Files []Planned `json:"files"`
}

// Planned is one file of a plan.
type Planned struct {
	Staged string `json:"staged"` // in the staging folder
	File   string `json:"file"`   // in the case, with slashes
}

// StagedName is what a prepared file is called.
var StagedName = regexp.MustCompile(`^[0-9]{6}$`)

// ReadPlan reads the plan of a staging folder; false where it has none. It takes only what collect writes: prepared
// files, and names that stay inside the case.
func ReadPlan(staging string) (Plan, bool) {
	var p Plan
	if info, err := os.Lstat(staging); err != nil || !info.IsDir() {
		return p, false
	}
	b, err := source.ReadFile(filepath.Join(staging, PlanFile), source.MaxRecord)
	if err != nil || json.Unmarshal(b, &p) != nil {
		return Plan{}, false
	}
	for _, f := range p.Files {
		if !(StagedName.MatchString(f.Staged) && PlainName(f.File) || f.Staged == ProvenanceFile &&
			f.File == f.Staged) {
			return Plan{}, false
		}
	}
	return p, true
}

// PlainName reports whether a name with slashes stays inside the case and out of its hidden folders.
func PlainName(name string) bool {
	if !fs.ValidPath(name) || name == "." || name == ProvenanceFile || strings.ContainsRune(name, '\\') {
		return false
	}
	for part := range strings.SplitSeq(name, "/") {
		if strings.HasPrefix(part, ".") {
			return false
		}
	}
	return true
}

// StagingFolders returns the staging folders in a case, those that were left behind included.
func StagingFolders(dir string) []string {
	entries, _ := os.ReadDir(dir)
	var out []string
	for _, e := range entries {
		if e.IsDir() && strings.HasPrefix(e.Name(), StagingPrefix) {
			out = append(out, filepath.Join(dir, e.Name()))
		}
	}
	return out
}

// Pending returns the files of collections that were cut off while their files joined the case: they are part of it,
// and where they lie is the value. A file that has its place taken by another is none.
func Pending(dir string) map[string]string {
	out := map[string]string{}
	for _, s := range StagingFolders(dir) {
		plan, _ := ReadPlan(s)
		for _, f := range plan.Files {
			at := filepath.Join(s, f.Staged)
			if info, err := os.Lstat(at); err != nil || !info.Mode().IsRegular() {
				continue // it is in its place
			}
			_, err := os.Lstat(filepath.Join(dir, filepath.FromSlash(f.File)))
			if f.File == ProvenanceFile || err != nil {
				out[f.File] = at
			}
		}
	}
	return out
}
