package collect

import (
	"os"

	"golang.org/x/sys/unix"
)

// syncTree brings all that was written to the file system to the disk at once: one call, however many files there are.
func syncTree(dir string) error {
	f, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer f.Close()
	if unix.Syncfs(int(f.Fd())) == nil {
		return nil
	}
	return syncEach(dir)
}
