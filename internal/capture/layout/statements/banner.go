package statements

import (
	"bytes"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// What a device greets people with stands in its configuration over several lines, and may read like statements: it is
// none of them.

// longestBanner is how many lines are looked at for the end of a greeting. One without its end is taken for statements.
const longestBanner = 400

// greets matches the line that begins one: the sign that ends it stands first in what is left, and is no letter. One
// without a sign ends at EOF.
var greets = lazyregexp.New(`^(?:banner(?: (?:motd|login|exec|incoming|slip-ppp|prompt-timeout|pre-login))?` +
	`|header (?:login|shell|motd|legal|incoming)(?: information)?)(?: +([^\sA-Za-z0-9].*))?$`)

// banner is where the lines of one begin and end: those below the line that begins it, with the one that ends it.
type banner struct{ lo, hi int }

// banners finds them in a text.
func banners(text []byte) (found []banner) {
	if !bytes.Contains(text, []byte("banner")) && !bytes.Contains(text, []byte("header")) {
		return nil
	}
	open, sign, lines := -1, "", 0
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:hi])
		if open >= 0 {
			lines++
			switch again := greets.MatchString(strings.TrimRight(line, " \t")); {
			case sign == "EOF" && strings.TrimSpace(line) == sign, sign != "EOF" && strings.Contains(line, sign):
				found = append(found, banner{open, hi})
				open = -1
				continue
			case again || lines > longestBanner: // it was one line without an end of its own
				open = -1
			default:
				continue
			}
		}
		if m := greets.FindStringSubmatch(strings.TrimRight(line, " \t")); m != nil && len(m[0]) > len("banner") {
			rest := ""
			if sign, rest = signOf(m[1]); !strings.Contains(rest, sign) {
				open, lines = hi, 0
			}
		}
	}
	return found
}

// signOf takes the sign off that ends a greeting: a character, or a control character in two, as it is printed.
func signOf(s string) (sign, rest string) {
	if s == "" {
		return "EOF", ""
	}
	n := 1
	if r := []rune(s); r[0] == '^' && len(s) > 1 && 'A' <= s[1] && s[1] <= '_' {
		n = 2
	} else if r[0] >= 0x80 {
		n = len(string(r[0]))
	}
	return s[:n], s[n:]
}
