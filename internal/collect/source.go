package collect

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"zarvek/internal/casefile"
	"zarvek/internal/source"
)

// source takes in one source: "-", a folder, an archive or a file.
func (c *collection) source(s string) error {
	if s == "-" {
		return c.file(c.place("standard-input.txt"), "standard input", c.opt.Stdin)
	}
	info, err := os.Stat(s) // the source itself may be a link: it was named
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return refuse("%s: there is no such file or folder", s)
	case err != nil:
		return refuse("%s: %v", s, err)
	case info.IsDir():
		return c.folder(s)
	case !info.Mode().IsRegular():
		return refuse("%s: neither a file nor a folder", s)
	}
	return c.open(c.place(filepath.Base(s)), s)
}

// archiveNames end the names of what somebody takes for an archive.
var archiveNames = []string{".zip", ".tar", ".tgz", ".tar.gz", ".tar.bz2", ".tar.xz", ".tar.zst", ".tzst"}

// file takes in one file, or the files of an archive.
func (c *collection) file(name, original string, f io.Reader) error {
	in := bufio.NewReader(f)
	if head, _ := in.Peek(source.HeadLength); !source.MayBeArchive(head) {
		if slices.ContainsFunc(
			archiveNames,
			func(end string) bool { return strings.HasSuffix(strings.ToLower(original), end) },
		) {
			return refuse(
				"%s: no archive, though its name says so; copy it again, or rename it if it is a capture",
				original,
			)
		}
		return c.add(name, original, in)
	}
	raw, err := io.ReadAll(io.LimitReader(in, c.opt.Limit+1))
	if err != nil {
		return refuse("%s: cannot be read: %v", original, err)
	}
	if int64(len(raw)) > c.opt.Limit {
		return refuse("%s: more than %d bytes; nothing was collected", original, c.opt.Limit)
	}
	files, is, err := source.Archive(raw, source.NewBudget(c.opt.Limit-c.bytes))
	switch {
	case errors.Is(err, source.ErrBudget):
		return refuse("%s: unpacks to more than %d bytes; nothing was collected", original, c.opt.Limit)
	case err != nil:
		return refuse("%s: %v; nothing was collected", original, err)
	case !is:
		return c.add(name, original, bytes.NewReader(raw))
	}
	names := make([]string, len(files))
	for i, x := range files {
		names[i] = strings.ReplaceAll(x.Name, "!", "/")
	}
	root := casefile.ArchiveRoot(c.captures(names))
	for i, x := range files {
		if err := c.add(c.place(strings.TrimPrefix(names[i], root)), original+"!"+x.Name,
			bytes.NewReader(x.Bytes)); err != nil {
			return err
		}
	}
	return nil
}

// place puts a name into the device's folder where one was given.
func (c *collection) place(name string) string {
	if c.opt.Device == "" {
		return name
	}
	return c.opt.Device + "/" + path.Base(name)
}

// folder lists the files of a folder under the names that they get in the case.
func (c *collection) folder(dir string) error {
	top, err := filepath.EvalSymlinks(dir)
	if err != nil {
		return refuse("%s: %v", dir, source.Cause(err))
	}
	files := map[string]string{}
	err = filepath.WalkDir(top, func(p string, d fs.DirEntry, err error) error {
		if err != nil {
			return refuse("%s: %v", p, source.Cause(err))
		}
		if p != top && strings.HasPrefix(d.Name(), ".") {
			if d.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		rel, _ := filepath.Rel(top, p)
		switch {
		case d.IsDir():
		case d.Type().IsRegular():
			files[filepath.ToSlash(rel)] = filepath.Join(dir, rel)
		case d.Type()&fs.ModeSymlink != 0:
			c.left = append(c.left,
				casefile.LeftOut{Name: filepath.Join(dir, rel),
					Why: "a link, which is not followed; name what it leads to"})
		default:
			c.left = append(c.left, casefile.LeftOut{Name: filepath.Join(dir, rel), Why: "no plain file"})
		}
		return nil
	})
	if err != nil {
		return err
	}
	names := sortedNames(files)
	captures := c.captures(names)
	if len(captures) > 1 && c.opt.Device == "" &&
		!slices.ContainsFunc(captures, func(n string) bool { return strings.Contains(n, "/") }) {
		c.flat = append(c.flat, dir)
	}
	root := casefile.CaseRoot(captures)
	for _, n := range names {
		if err := c.open(c.place(strings.TrimPrefix(n, root)), files[n]); err != nil {
			return err
		}
	}
	return nil
}

// captures leaves out the files that another case keeps for itself: they say nothing of which folder is a device's.
func (c *collection) captures(names []string) []string {
	return slices.DeleteFunc(slices.Clone(names), func(n string) bool { return casefile.Own(path.Base(n)) })
}

func (c *collection) open(name, file string) error {
	f, err := source.Open(file)
	if err != nil {
		return refuse("%s: cannot be read: %v", file, source.Cause(err))
	}
	defer f.Close()
	return c.file(name, file, f)
}
