package casefile

import (
	"errors"
	"io"
	"path"
	"strings"

	"zarvek/internal/source"
)

// maxUnpacked is how many bytes all archives and compressed captures of one case may unpack to.
const maxUnpacked = 2 << 30

// unit is one capture to read: a file of the case, or one of an archive in it.
type unit struct {
	name   string // an archive's file stands behind "!"
	device string
	folder bool   // device is that of a folder, which a prompt does not overrule
	path   string // of a file of the case
	bytes  []byte // of an archive's file; nil for a file of the case
}

// read returns the unit's bytes.
func (u *unit) read() ([]byte, error) {
	if u.bytes != nil {
		return u.bytes, nil
	}
	raw, err := source.ReadFile(u.path, maxFile)
	if err != nil {
		return nil, errorf(
			"%s: cannot be read: %v; make it readable or move it out of the case",
			show(u.name),
			source.Cause(err),
		)
	}
	return raw, nil
}

// openAll lists what is to be read of the case's files: each by itself, and in the place of an archive the files in
// it, so that a folder in an archive is a device as one in the case is.
func openAll(l *listing) ([]unit, error) {
	root := CaseRoot(l.captures)
	budget := l.budget
	var out []unit
	for _, name := range l.captures {
		u := unit{name: name, path: l.path(name)}
		u.device, u.folder = deviceOf(name, root)
		maybe, err := mayBeArchive(u.path)
		if err != nil {
			return nil, errorf(
				"%s: cannot be read: %v; make it readable or move it out of the case",
				show(name),
				source.Cause(err),
			)
		}
		if !maybe {
			out = append(out, u)
			continue
		}
		raw, err := u.read()
		if err != nil {
			return nil, err
		}
		files, is, err := source.Archive(raw, budget)
		switch {
		case errors.Is(err, source.ErrBudget):
			return nil, tooLarge(name)
		case err != nil:
			return nil, errorf("%s: %v; copy it again, or move it out of the case", show(name), err)
		case !is:
			out = append(out, u)
			continue
		}
		out = append(out, inArchive(u, files)...)
	}
	return out, nil
}

func tooLarge(name string) error {
	return errorf("%s: unpacks to far more than a capture would, or together with others to more than 2 GiB; "+
		"unpack it yourself if it is meant to", show(name))
}

// inArchive makes units of an archive's files. Where they lie in one folder, or in none, and the archive itself lies
// in a device's folder, they are that device's; else the folder in the archive names the device.
func inArchive(archive unit, files []source.File) []unit {
	names := make([]string, 0, len(files))
	var captures []string // another case's own files say nothing of which folder is a device's
	for _, f := range files {
		n := strings.ReplaceAll(f.Name, "!", "/")
		if names = append(names, n); !Own(path.Base(n)) {
			captures = append(captures, n)
		}
	}
	root := ArchiveRoot(captures)
	folders := map[string]bool{}
	for _, n := range captures {
		first, _, ok := strings.Cut(strings.TrimPrefix(n, root), "/")
		if !ok {
			first = ""
		}
		folders[first] = true
	}
	var out []unit
	for i, f := range files {
		if role(path.Base(names[i])) != "" {
			continue // another case's own files are no captures
		}
		u := unit{name: archive.name + "!" + f.Name, bytes: f.Bytes}
		if u.bytes == nil {
			u.bytes = []byte{}
		}
		u.device, u.folder = deviceOf(names[i], root)
		if archive.folder && len(folders) < 2 {
			u.device, u.folder = archive.device, true
		}
		out = append(out, u)
	}
	return out
}

// mayBeArchive looks at a file's first bytes alone.
func mayBeArchive(file string) (bool, error) {
	f, err := source.Open(file)
	if err != nil {
		return false, err
	}
	defer f.Close()
	head := make([]byte, source.HeadLength)
	n, err := io.ReadFull(f, head)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
		return false, err
	}
	return source.MayBeArchive(head[:n]), nil
}
