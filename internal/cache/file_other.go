//go:build !linux && !darwin && !freebsd

package cache

import (
	"math"
	"os"
)

// owned is not asked here: a user's cache folder is.
func owned(os.FileInfo) bool { return true }

func mapFile(name string) ([]byte, error) { return os.ReadFile(name) }

// free is not told here.
func free(string) uint64 { return math.MaxInt64 }

// LooksOf tells nothing here, since no time tells of every writing: contents are read.
func LooksOf(string) (Looks, bool) { return Looks{}, false }
