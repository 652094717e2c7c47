package casefile_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"zarvek/internal/casefile"
	"zarvek/internal/casefile/masktest"
	"zarvek/internal/demo"
	"zarvek/internal/mask"
)

func TestMaskedDemo(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "night")
	require.NoError(t, demo.Write(dir))
	require.Greater(t, masktest.Laws(t, dir, 8), 5)
	require.Greater(t, masktest.Laws(t, dir+demo.After, 3), 5)
}

// TestMaskedCase holds single lines of a copy against what must not be in it.
func TestMaskedCase(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, filepath.Dir(name)), 0o777))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o666))
	}
	write("ropehouse/configuration.txt", `hostname ropehouse
!
enable secret 5 $1$mERr$hx5rVt7rPNoS4wqbXKX7m0
username nightshift password 7 094F471A1A0A
snmp-server community kjelvenview RO
banner motd ^C
Property of Kjelven. Call Anna 555-0199.
^C
interface e0
 description to the winch of Anna Berg, tel 4471
 ip address 10.61.0.1 255.255.255.0
!
ip route 10.61.44.0 255.255.252.0 10.61.0.9 name towermast
end
`)
	write("ropehouse/table.txt", "Codes: C - connected, S - static\nC    10.61.0.0/24 is directly connected, e0\nS    10.61.44.0/22 [1/0] via 10.61.0.9\nWinch alarm at 12:04 by Anna\nS    10.61.48.0/33 broken line of Anna\n")
	write("notes.yaml", "hosts:\n  annas-desk: 10.61.0.31 # Anna Berg\n")
	c, err := casefile.Load(dir)
	require.NoError(t, err)
	m := mask.New(mask.Key{9}, c.Networks(), nil)
	copied, err := c.Mask(m, false)
	require.NoError(t, err)
	require.Positive(t, copied.Dropped)
	for _, f := range copied.Files {
		for _, secret := range []string{"ropehouse", "mERr", "hx5rVt7rPNoS4wqbXKX7m0", "nightshift", "094F471A1A0A", "kjelvenview", "Anna", "anna", "Berg", "4471", "winch", "Winch", "towermast", "0199", "10.61."} {
			require.NotContains(t, f.Name+"\n"+string(f.Text), secret)
		}
	}
	masktest.Laws(t, dir, 3)
}
