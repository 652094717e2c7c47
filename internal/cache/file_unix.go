//go:build linux || darwin || freebsd

package cache

import (
	"errors"
	"math"
	"os"
	"path/filepath"
	"syscall"

	"golang.org/x/sys/unix"
)

// owned reports whether a file is this user's.
func owned(info os.FileInfo) bool {
	st, ok := info.Sys().(*syscall.Stat_t)
	return ok && int64(st.Uid) == int64(os.Getuid())
}

// mapFile returns a file's bytes in memory that is this program's own once it is written to. It is never given back.
func mapFile(name string) ([]byte, error) {
	f, err := os.OpenFile(name, os.O_RDONLY|unix.O_NOFOLLOW, 0)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	if n := info.Size(); !info.Mode().IsRegular() || n <= 0 || n > math.MaxInt32*4 {
		return nil, errors.New("no entry")
	}
	return unix.Mmap(int(f.Fd()), 0, int(info.Size()), unix.PROT_READ|unix.PROT_WRITE, unix.MAP_PRIVATE)
}

// free returns how many bytes of the disk below a folder are left.
func free(dir string) uint64 {
	var st unix.Statfs_t
	if unix.Statfs(dir, &st) != nil {
		return 0
	}
	return uint64(max(int64(st.Bavail), 0)) * uint64(max(int64(st.Bsize), 0))
}

// LooksOf returns what a file looks like now; false where that cannot be told.
func LooksOf(name string) (Looks, bool) {
	path, err := filepath.Abs(name)
	var st unix.Stat_t
	if err != nil || unix.Stat(path, &st) != nil {
		return Looks{}, false
	}
	return Looks{path, uint64(st.Dev), uint64(st.Ino), st.Size, st.Mtim.Nano(), st.Ctim.Nano()}, true
}
