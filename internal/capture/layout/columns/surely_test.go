package columns

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestSurely: a line below names of columns is a row at first sight only where it can be nothing else.
func TestSurely(t *testing.T) {
	table := reader{cols: make([]column, 3)}
	for line, want := range map[string]bool{
		"10.61.16.0/24  172.28.61.6  line1":            true,
		"  10.61.16.0   172.28.61.6  255.255.255.0 UG": true,
		"10.61.16.0/24":                           false, // nothing behind it
		"default        172.28.61.6  line1":       false,
		"10.61/16       link#1       U     line1": false,
		"10.61.16.0/24 has 2 routes":              false,
		"10.61.16.0/24 1 out of 2":                false,
		"10.61.16.1 Flags: U - up":                false,
		"10.61.16.0/24  172.28.6\x001.6  line1":   false, // a byte is lost
		"10.61.16.0/24  172.28.61.6  ré":          false,
		"10.61.16.0/24/8  172.28.61.6  line1":     false,
		"10.61.16.0.1  172.28.61.6  line1":        false,
		"10.61.16.0: 172.28.61.6":                 false,
		"":                                        false,
	} {
		require.Equal(t, want, table.surely([]byte(line)), line)
	}
	row := []byte("10.61.16.0/24  172.28.61.6  line1")
	for name, r := range map[string]reader{"no names of columns": {}, "a key goes on": {cols: table.cols, inKey: true},
		"half of a heading": {cols: table.cols, half: table.cols}, "names over two lines": {cols: table.cols, skip: true}} {
		require.False(t, r.surely(row), name)
	}
}
