package collect

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"

	"zarvek/internal/casefile"
)

// source takes in one source: "-", a folder, an archive or a file.
func (c *collection) source(s string) error {
	if s == "-" {
		return c.add(c.place("standard-input.txt"), "standard input", c.opt.Stdin)
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
	low := strings.ToLower(s)
	switch {
	case strings.HasSuffix(low, ".zip"):
		return c.zip(f, info.Size(), s)
	case strings.HasSuffix(low, ".tar"):
		return c.tar(f, s)
	case strings.HasSuffix(low, ".tar.gz"), strings.HasSuffix(low, ".tgz"):
		z, err := gzip.NewReader(f)
		if err != nil {
			return refuse("%s: not a gzip file: %v", s, err)
		}
		return c.tar(z, s)
	case strings.HasSuffix(low, ".tar.zst"), strings.HasSuffix(low, ".tzst"):
		z, err := zstd.NewReader(f, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(MaxBytes))
		if err != nil {
			return refuse("%s: not a zstd file: %v", s, err)
		}
		defer z.Close()
		return c.tar(z, s)
	}
	return c.add(c.place(filepath.Base(s)), s, f)
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
	if len(names) > 1 && c.opt.Device == "" && !slices.ContainsFunc(names, func(n string) bool { return strings.Contains(n, "/") }) {
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
	return c.add(name, file, f)
}

// entryName checks an archive's entry: it must stay inside and be an ordinary file.
func entryName(archive, name string) (string, error) {
	n := strings.ReplaceAll(name, `\`, "/")
	if n == "" || strings.HasPrefix(n, "/") || len(n) > 1 && n[1] == ':' || n != "." && !filepath.IsLocal(filepath.FromSlash(n)) {
		return "", refuse("%s: the entry %q points outside of the archive; nothing was collected", archive, name)
	}
	return path.Clean(n), nil
}

func hidden(name string) bool {
	for part := range strings.SplitSeq(name, "/") {
		if strings.HasPrefix(part, ".") || part == "__MACOSX" {
			return true
		}
	}
	return false
}

func (c *collection) zip(r io.ReaderAt, size int64, archive string) error {
	z, err := zip.NewReader(r, size)
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return refuse("%s: not a zip archive: %v", archive, err)
	}
	files := map[string]*zip.File{}
	for _, f := range z.File {
		n, err := entryName(archive, f.Name)
		if err != nil {
			return err
		}
		switch mode := f.Mode(); {
		case mode.IsDir():
		case !mode.IsRegular():
			return refuse("%s: the entry %q is a link or device; nothing was collected", archive, f.Name)
		case !hidden(n):
			files[n] = f
		}
		if len(files) > MaxFiles {
			return refuse("%s: more than %d files; nothing was collected", archive, MaxFiles)
		}
	}
	names := sortedNames(files)
	root := casefile.CaseRoot(names)
	for _, n := range names {
		r, err := files[n].Open()
		if err != nil {
			return refuse("%s: the entry %q cannot be read: %v", archive, n, err)
		}
		err = c.add(c.place(strings.TrimPrefix(n, root)), archive+"!"+n, r)
		r.Close()
		if err != nil {
			return err
		}
	}
	return nil
}

// tar reads the whole archive, which is bounded, so that its names are known before the first file is placed.
func (c *collection) tar(r io.Reader, archive string) error {
	t := tar.NewReader(io.LimitReader(r, 2*c.opt.Limit))
	files := map[string][]byte{}
	left := c.opt.Limit - c.bytes
	for {
		h, err := t.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil && !errors.Is(err, tar.ErrInsecurePath) {
			return refuse("%s: not a whole archive: %v; nothing was collected", archive, err)
		}
		n, err := entryName(archive, h.Name)
		if err != nil {
			return err
		}
		switch h.Typeflag {
		case tar.TypeDir, tar.TypeXGlobalHeader:
			continue
		case tar.TypeReg:
		default:
			return refuse("%s: the entry %q is a link or device; nothing was collected", archive, h.Name)
		}
		if hidden(n) {
			continue
		}
		b, err := io.ReadAll(io.LimitReader(t, left+1))
		if err != nil {
			return refuse("%s: the entry %q cannot be read: %v; nothing was collected", archive, h.Name, err)
		}
		if left -= int64(len(b)); left < 0 || len(files) > MaxFiles {
			return refuse("%s: unpacks to more than %d bytes or %d files; nothing was collected", archive, c.opt.Limit, MaxFiles)
		}
		files[n] = b
	}
	names := sortedNames(files)
	root := casefile.CaseRoot(names)
	for _, n := range names {
		if err := c.add(c.place(strings.TrimPrefix(n, root)), fmt.Sprintf("%s!%s", archive, n), bytes.NewReader(files[n])); err != nil {
			return err
		}
	}
	return nil
}
