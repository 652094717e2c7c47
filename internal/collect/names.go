package collect

import (
	"fmt"
	"path"
	"regexp"
	"strings"
	"unicode"

	"zarvek/internal/filename"
)

// reserved are names that some system keeps for its devices, whatever their ending.
var reserved = regexp.MustCompile(`(?i)^(?:con|prn|aux|nul|com[0-9]|lpt[0-9])(?:\.|$)`)

// clean makes a name that is safe on every system, stays inside, and looks like what it is: no control characters, none
// that are not seen or that turn the direction of writing.
func clean(name string) string {
	parts := strings.Split(path.Clean("/" + strings.ReplaceAll(name, `\`, "/"))[1:], "/")
	for i, p := range parts {
		p = strings.Map(func(r rune) rune {
			if strings.ContainsRune(`<>:"|?*`, r) || r == unicode.ReplacementChar || r != ' ' && !unicode.IsPrint(r) {
				return '_'
			}
			return r
		}, p)
		p = strings.TrimLeft(strings.TrimRight(p, " ."), ".")
		if p == "" || reserved.MatchString(p) {
			p = "_" + p
		}
		parts[i] = p
	}
	return strings.Join(parts, "/")
}

// free returns the name, with a number behind its stem where a file of the case has it already, be it in other letters.
func (c *collection) free(name string) string {
	_, ext := filename.Stem(path.Base(name))
	stem := strings.TrimSuffix(name, ext)
	for low := strings.ToLower(stem); ; {
		c.tries[low+ext]++
		try := name
		if n := c.tries[low+ext]; n > 1 {
			try = fmt.Sprintf("%s-%d%s", stem, n, ext)
		}
		if low := strings.ToLower(try); !c.names[low] {
			c.names[low] = true
			return try
		}
	}
}
