package layout

import (
	"slices"
	"strings"

	"zarvek/internal/lazyregexp"
)

var hardware = lazyregexp.New(`(?i)^(?:(?:[0-9a-f]{4}[.-]){2}[0-9a-f]{4}|(?:[0-9a-f]{1,2}[:-]){5}[0-9a-f]{1,2})$`)

// IsHardware reports whether a word is a link-layer address (IEEE 802, EUI-48) in any of the usual forms.
func IsHardware(s string) bool { return hardware.MatchString(s) }

// Mute reports whether the flags of an interface say that it neither asks for the link-layer addresses of others nor
// tells its own, though it leads to several.
func Mute(flags []string) bool {
	return slices.Contains(flags, "NOARP") && slices.Contains(flags, "BROADCAST")
}

// Hardware reads such an address and writes it in lower case with colons; false for "incomplete".
func Hardware(s string) (string, bool) {
	if !IsHardware(s) {
		return "", false
	}
	var parts []string
	for g := range strings.FieldsFuncSeq(strings.ToLower(s),
		func(c rune) bool { return c == ':' || c == '-' || c == '.' }) {
		for len(g) == 1 {
			g = "0" + g
		}
		for ; len(g) > 1; g = g[2:] {
			parts = append(parts, g[:2])
		}
	}
	return strings.Join(parts, ":"), true
}
