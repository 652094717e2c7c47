package columns

import (
	"bytes"
	"maps"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// key reads a legend: "Flags: X - word, Y - word", "flags: X:word, …", "Origin: (d) Direct, …", and the lines under
// one.
func (r *reader) key(t string) bool {
	if layout.Damaged([]byte(t)) && (r.inKey || damagedKey.MatchString(t) || someCodes.MatchString(t)) {
		r.keyLost = true
		return false
	}
	if !r.inKey && strings.IndexByte(t, ':') < 0 && !strings.Contains(t, " - ") && !signKey.MatchString(t) {
		return false
	}
	if r.colonKey(t) {
		return true
	}
	if m := signKey.FindStringSubmatch(t); m != nil {
		r.legend[m[1]] = strings.ToLower(m[2])
		return true
	}
	if at := codesBehind.FindStringIndex(t); at != nil {
		r.colonEntries(t[at[0]+1:])
		return true
	}
	first, rest, ok := strings.Cut(t, ":")
	f := strings.TrimSpace(strings.ToLower(first))
	if i := strings.Index(t, " - "); i > 0 && strings.HasSuffix(strings.ToLower(t[:i]), "codes") {
		r.inKey = true
		r.colonEntries(t[i+3:])
		return true
	}
	starts := ok &&
		(strings.HasSuffix(f, "flags") || f == "flag" ||
			strings.HasSuffix(f, "codes") || strings.HasPrefix(f, "origin") ||
			strings.HasSuffix(f, "legend") || f == "headers")
	if starts {
		r.inKey, t = true, rest
	} else if !r.inKey {
		return false
	}
	if gluedCodes.MatchString(t) {
		r.colonEntries(t)
		return true
	}
	found := false
	if strings.Contains(t, "(") {
		for _, m := range entry.FindAllStringSubmatch(t, -1) {
			r.legend[m[1]], found = strings.ToLower(strings.TrimSpace(m[2])), true
		}
	}
	if found {
		return true
	}
	for e := range strings.SplitSeq(t, ",") {
		e = strings.TrimSpace(e)
		k, text, ok := strings.Cut(e, " - ")
		for _, sep := range [...]string{":", "="} {
			if !ok {
				k, text, ok = strings.Cut(e, sep)
			}
		}
		k = strings.TrimSpace(k)
		// of longer names no row has letters
		found = found || ok && r.inKey && len(k) <= 10 && !strings.ContainsAny(k, " .")
		if ok && len(k) > 0 && len(k) <= 3 {
			r.legend[k], found = strings.ToLower(strings.TrimSpace(text)), true
		}
	}
	return found || starts
}

// signKey matches the meaning of one sign, "+ = ECMP routes".
var signKey = lazyregexp.New(`^\s*([+#~!@^&])\s+=\s+(\w.*?)\s*$`)

// equalWays matches the meaning of a sign in front of routes that says nothing of whether they are used: several ways,
// the default.
var equalWays = lazyregexp.New(`\b(ecmp|multi-?path|equal|candidate default)`)

// gluedCodes matches "U:Usable   G:Gateway", codes with their meaning glued to them.
var gluedCodes = lazyregexp.New(
	`^\s*(?:[A-Za-z0-9]{1,3}:[A-Za-z][\w-]*(?: [A-Za-z][\w-]*)*(?:\s{2,}|\s*$))+$`)

// codesBehind matches three codes with their meanings that stand behind something else on a line, "B:BGP D:Connected
// R:RIP": the first of them begins behind the blank.
var codesBehind = lazyregexp.New(`\s(?:[A-Za-z*][A-Za-z0-9]?:[A-Z][A-Za-z-]+(?: [a-z]+)*(?:\s+|$)){3,}$`)

// codeWord matches a code of one or two signs that its meaning follows: "O: OSPF", "iB: IBGP".
var codeWord = lazyregexp.New(`^[A-Za-z][A-Za-z0-9]?:$`)

// colonKey reads "H: Host C: Connected E1: OSPF external type 1": nothing but codes, each with its meaning behind it.
func (r *reader) colonKey(t string) bool {
	if i := strings.IndexByte(t, ':'); i < 1 || i > 2 {
		return false
	}
	w := strings.Fields(t)
	if len(w) < 2 || !codeWord.MatchString(w[0]) {
		return false
	}
	entries := map[string]string{}
	last := ""
	for _, x := range w {
		switch {
		case codeWord.MatchString(x):
			if last != "" && entries[last] == "" {
				return false
			}
			last = strings.TrimSuffix(x, ":")
		case strings.Contains(x, ":") || x[0] >= '0' && x[0] <= '9' && strings.Contains(x, "/"):
			return false
		default:
			entries[last] = strings.TrimSpace(entries[last] + " " + strings.ToLower(x))
		}
	}
	if entries[last] == "" {
		return false
	}
	maps.Copy(r.legend, entries)
	return true
}

// learn reads all keys of a text beforehand: some devices print theirs below the rows.
func (r *reader) learn(text []byte) {
	for lo, hi := range layout.Lines(text) {
		if hi-lo > 400 || layout.Blank(text[lo:hi]) {
			r.inKey = false
			continue
		}
		line := bytes.TrimSpace(text[lo:hi])
		if !r.inKey && destinationBegins(line) && !saysMoreThanARow(line) || !r.key(string(line)) {
			r.inKey = false
		}
	}
	r.inKey = false
}

// entry matches one of a key whose letters stand in parentheses.
var entry = lazyregexp.New(`\(([^() ]{1,4})\) *([^(),]+)`)

// colonEntries reads "B:BGP D:Connected 1:External Type 1; …": entries parted by blanks, with words of several.
func (r *reader) colonEntries(t string) {
	last := ""
	for w := range strings.FieldsSeq(strings.ReplaceAll(t, ";", " ;:")) {
		if k, text, ok := strings.Cut(w, ":"); ok && len(k) <= 3 {
			last = k
			r.legend[k] = strings.ToLower(text)
		} else if last != "" {
			r.legend[last] += " " + strings.ToLower(w)
		}
	}
}
