package collect

import (
	"io"
	"os"
	"path/filepath"
)

// disk is what a collection does to the file system, so that tests can let each step fail or be the last.
type disk interface {
	MkdirTemp(dir, prefix string) (string, error)
	MkdirAll(dir string) error
	Create(file string) (io.WriteCloser, error)
	Rename(from, to string) error
	Remove(name string) error
	RemoveAll(dir string) error
	// SyncTree brings a folder, with all that is in it, to the disk itself.
	SyncTree(dir string) error
	// SyncFolder brings the names in a folder to the disk itself.
	SyncFolder(dir string) error
}

// realDisk is the file system.
type realDisk struct{}

func (realDisk) MkdirTemp(dir, prefix string) (string, error) { return os.MkdirTemp(dir, prefix) }
func (realDisk) MkdirAll(dir string) error                    { return os.MkdirAll(dir, 0o755) }
func (realDisk) Rename(from, to string) error                 { return os.Rename(from, to) }
func (realDisk) Remove(name string) error                     { return os.Remove(name) }
func (realDisk) RemoveAll(dir string) error                   { return os.RemoveAll(dir) }
func (realDisk) SyncFolder(dir string) error                  { return syncOne(dir) }

func (realDisk) Create(file string) (io.WriteCloser, error) {
	return os.OpenFile(file, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o644)
}

func (realDisk) SyncTree(dir string) error { return syncTree(dir) }

func syncOne(name string) error {
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	return f.Sync()
}

// syncEach brings the files of a folder to the disk one by one.
func syncEach(dir string) error {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return err
	}
	for _, e := range entries {
		if err := syncOne(filepath.Join(dir, e.Name())); err != nil {
			return err
		}
	}
	return syncOne(dir)
}
