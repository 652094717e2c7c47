package layout

import (
	"bytes"
	"fmt"

	"zarvek/internal/lazyregexp"
)

// Doubtful reports whether the description of a mark leaves open whether a route that has it forwards, or forwards as
// it says: "not installed in hardware", "failed route", "stale info", "next hop override".
func Doubtful(description string) bool { return doubtful.MatchString(description) }

var doubtful = lazyregexp.New(`(?i)\b(?:not|fail(?:ed|ure|s)?|invalid|unresolved|unreachable|unusable|stale` +
	`|pending|damp(?:ed|ened)|withdrawn|expired|dead|down|overrid(?:e|es|den))\b`)

// InDoubt is the error of a row with such a mark or word.
func InDoubt(mark string) error {
	return fmt.Errorf("%w: whether a route that is called %q is in use is not known", ErrNotARoute, mark)
}

// Damaged reports whether a line lost bytes in the middle of a word: a sign that no device prints stands there.
func Damaged(line []byte) bool { return bytes.Contains(line, []byte("¤")) }
