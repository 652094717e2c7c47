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
	info, err := os.Stat(s)
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
	f, err := os.Open(s)
	if err != nil {
		return refuse("%s: cannot be read: %v", s, err)
	}
	defer f.Close()
	return c.file(c.place(filepath.Base(s)), s, f)
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
	root := casefile.ArchiveRoot(names)
	for i, x := range files {
		if err := c.add(c.place(strings.TrimPrefix(names[i], root)), original+"!"+x.Name, bytes.NewReader(x.Bytes)); err != nil {
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

func (c *collection) folder(dir string) error {
	files := map[string]string{}
	err := filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil {
			return refuse("%s: %v", p, err)
		}
		if p != dir && strings.HasPrefix(d.Name(), ".") {
			if d.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		if d.Type().IsRegular() {
			rel, _ := filepath.Rel(dir, p)
			files[filepath.ToSlash(rel)] = p
		}
		return nil
	})
	if err != nil {
		return err
	}
	names := sortedNames(files)
	if len(names) > 1 && c.opt.Device == "" &&
		!slices.ContainsFunc(names, func(n string) bool { return strings.Contains(n, "/") }) {
		c.flat = append(c.flat, dir)
	}
	root := casefile.CaseRoot(names)
	for _, n := range names {
		if err := c.open(c.place(strings.TrimPrefix(n, root)), files[n]); err != nil {
			return err
		}
	}
	return nil
}

func (c *collection) open(name, file string) error {
	f, err := os.Open(file)
	if err != nil {
		return refuse("%s: cannot be read: %v", file, err)
	}
	defer f.Close()
	return c.file(name, file, f)
}
