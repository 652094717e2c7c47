package filename_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zarvek/internal/filename"
)

func TestStem(t *testing.T) {
	for _, c := range []struct{ name, stem, ending string }{
		{"mast-7.txt", "mast-7", ".txt"},
		{"mast-7", "mast-7", ""},
		{"MAST-7.LOG", "MAST-7", ".LOG"},
		{"mast-7.txt.gz", "mast-7", ".txt.gz"},
		{"mast-7.log.1", "mast-7", ".log.1"},
		{"mast-7.routes.txt", "mast-7", ".routes.txt"},
		{"mast-7.2026-11-27", "mast-7", ".2026-11-27"},
		{"mast-7.20261127-0430.txt", "mast-7", ".20261127-0430.txt"},
		{"mast-7.", "mast-7", "."},
		{"mast-7.txt.", "mast-7", ".txt."},
		// Two devices.
		{"hutte.north", "hutte.north", ""},
		{"hutte.north.txt", "hutte.north", ".txt"},
		{"mast.7", "mast.7", ""},
		{"r1.kjelven.invalid", "r1.kjelven.invalid", ""},
		{"10.61.40.5", "10.61.40.5", ""},
		{"10.61.40.5.txt", "10.61.40.5", ".txt"},
		{"10.61.40.5.1", "10.61.40.5.1", ""},
		// Nothing but an ending.
		{"txt", "txt", ""},
		{".txt", ".txt", ""},
		{"", "", ""},
	} {
		stem, ending := filename.Stem(c.name)
		assert.Equal(t, c.stem, stem, c.name)
		assert.Equal(t, c.ending, ending, c.name)
	}
}
