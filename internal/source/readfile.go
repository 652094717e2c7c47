package source

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"slices"
	"syscall"
)

// MaxRecord is how large a file may be that the program or its user writes beside the captures: notes, plans,
// provenance, lists. In bytes.
const MaxRecord = 256 << 20

// ReadFile reads a plain file of at most limit bytes. A pipe, a device or a folder is refused, not waited for.
func ReadFile(name string, limit int64) ([]byte, error) {
	f, err := Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	var b []byte
	if info, err := f.Stat(); err == nil { // all of it at once, unless it grows
		b = make([]byte, 0, min(info.Size(), limit)+bytes.MinRead)
	}
	for r := io.LimitReader(f, limit+1); ; {
		b = slices.Grow(b, bytes.MinRead)
		n, err := r.Read(b[len(b):cap(b)])
		b = b[:len(b)+n]
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return b, err
		}
	}
	if int64(len(b)) > limit {
		return b, tooLong(limit)
	}
	return b, nil
}

func tooLong(limit int64) error { return fmt.Errorf("more than %d bytes", limit) }

// ReadAll reads what a stream holds, at most limit bytes.
func ReadAll(r io.Reader, limit int64) ([]byte, error) {
	b, err := io.ReadAll(io.LimitReader(r, limit+1))
	if err == nil && int64(len(b)) > limit {
		err = tooLong(limit)
	}
	return b, err
}

// OpenStream opens a file that may also be the end of a pipe that somebody writes into. One that nobody writes into is
// empty, not waited for.
func OpenStream(name string) (*os.File, error) {
	return os.OpenFile(name, os.O_RDONLY|syscall.O_NONBLOCK, 0)
}

// Open opens a plain file: it never waits for the other end of a pipe, and looks at what it has opened.
func Open(name string) (*os.File, error) {
	f, err := OpenStream(name)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err == nil && !info.Mode().IsRegular() {
		err = &os.PathError{Op: "read", Path: name, Err: fmt.Errorf("not a plain file")}
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

// Cause leaves the paths out of an error of package os, for a message that names the place itself.
func Cause(err error) error {
	var p *fs.PathError
	var l *os.LinkError
	switch {
	case errors.As(err, &p):
		return p.Err
	case errors.As(err, &l):
		return l.Err
	}
	return err
}
