//go:build !linux

package collect

func syncTree(dir string) error { return syncEach(dir) }
