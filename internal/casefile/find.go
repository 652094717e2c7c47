package casefile

import (
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"zarvek/internal/capture"
	"zarvek/internal/core/network"
	"zarvek/internal/source"
)

// A LeftOut is something in the case's folder that is no part of the case, and why. Hidden files are not listed.
type LeftOut struct{ Name, Why string }

// A listing is what lies in a case's folder.
type listing struct {
	dir      string            // links resolved
	captures []string          // names with slashes, in order
	layouts  []string          // the case's descriptions of layouts
	leftOut  []LeftOut         // by name
	pending  map[string]string // names whose files have not reached their places: where they are
	budget   *source.Budget    // for what is compressed
}

// path returns where a file of the case is.
func (l *listing) path(name string) string {
	if at, ok := l.pending[name]; ok {
		return at
	}
	return filepath.Join(l.dir, filepath.FromSlash(name))
}

// find lists every regular file that is not hidden, and what a collection that was cut off has prepared.
func find(dir string) (*listing, error) {
	top, err := filepath.EvalSymlinks(dir)
	if err != nil {
		return nil, errorf("%s: %v", show(dir), source.Cause(err))
	}
	l := &listing{dir: top, pending: Pending(top), budget: source.NewBudget(maxUnpacked)}
	err = filepath.WalkDir(top, func(p string, d fs.DirEntry, err error) error {
		if err != nil {
			return errorf("%s: %v", show(p), source.Cause(err))
		}
		rel, _ := filepath.Rel(top, p)
		name := filepath.ToSlash(rel)
		switch {
		case name != "." && strings.HasPrefix(d.Name(), "."):
			if d.IsDir() {
				return filepath.SkipDir
			}
			return nil
		case d.IsDir():
			return nil
		}
		return l.add(name, p)
	})
	for name, at := range l.pending {
		if err == nil {
			err = l.add(name, at)
		}
	}
	slices.SortFunc(l.captures, network.CompareNames)
	slices.Sort(l.layouts)
	slices.SortFunc(l.leftOut, func(a, b LeftOut) int { return network.CompareNames(a.Name, b.Name) })
	return l, err
}

// add puts a file where it belongs. One that is a link is read where it leads to a file.
func (l *listing) add(name, at string) error {
	info, err := os.Stat(at)
	switch {
	case err != nil:
		l.leftOut = append(l.leftOut, LeftOut{name, "a link that leads nowhere"})
		return nil
	case info.IsDir():
		l.leftOut = append(l.leftOut, LeftOut{name, "a link to a folder, which is not followed; collect that folder"})
		return nil
	case !info.Mode().IsRegular():
		l.leftOut = append(l.leftOut, LeftOut{name, "no plain file"})
		return nil
	}
	switch role(name) {
	case "described layout":
		l.layouts = append(l.layouts, name)
	case "":
		if info.Size() >= maxFile {
			return errorf("%s: %v", show(name), capture.ErrTooLarge)
		}
		l.captures = append(l.captures, name)
	case anotherCases:
		l.leftOut = append(l.leftOut, LeftOut{name, "another case's own file; those count in the case's folder only"})
	}
	return nil
}
