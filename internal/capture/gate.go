package capture

import (
	"bytes"
	"errors"
	"fmt"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// Every reader's routes pass one gate before they count. A row that does not pass is unread, with the reason: it is
// made void and the text is read again, so that nothing of it stays with the rows around it.

var (
	errInterface = errors.New("this is no interface's name")
	errLost      = errors.New("a byte of one of its words was lost")
	errHostBits  = errors.New("its prefix says more of the network than its length lets it: a figure was lost")
	errNowhere   = errors.New("it leads nowhere: no next hop, no interface, no discard")
)

// structured are the layouts in which no value can be taken for another.
var structured = func() map[string]bool {
	out := map[string]bool{}
	for _, r := range readers {
		out[r.Name] = r.Structured
	}
	return out
}()

// rounds is how often a text is read again: a row that is gone may leave another one that does not pass.
const rounds = 3

// withinGate reads a capture again without the lines whose routes do not pass.
func (c *Capture) withinGate(read func(*Source) *Capture) *Capture {
	reasons := map[int]error{}
	for range rounds {
		found := c.outside()
		if len(found) == 0 {
			break
		}
		gone := map[int]change{}
		for n, why := range found {
			gone[n], reasons[n] = voidLine, why
		}
		n := 0
		for lo, hi := range layout.Lines(c.Source.text) {
			if gone[n] == voidLine && isRow(c.Source.text[lo:hi], found[n]) {
				gone[n] = voidRow
			}
			n++
		}
		src := c.Source.changed(gone) // lines keep their numbers
		c = read(src)
	}
	if len(reasons) > 0 {
		for i := range c.Parts {
			for j := range c.Parts[i].Unread {
				u := &c.Parts[i].Unread[j]
				if why := reasons[c.Source.cleanLine(u.Mark.Off)]; why != nil {
					u.Reason = why
				}
			}
		}
	}
	return c
}

// rowAlone matches a line that begins with a prefix or an address, signs and numbers before it.
var rowAlone = lazyregexp.New(`^[ *>A-Za-z0-9]{0,12}?\b\d+\.\d+\.\d+\.\d+(?:/\d+)?\s`)

// isRow reports whether a line that did not pass is a row all the same, whole and of the table around it.
func isRow(line []byte, why error) bool {
	return errors.Is(why, errNowhere) && rowAlone.Match(line) && !bytes.Contains(line, []byte(void)) &&
		!bytes.ContainsRune(line, 0)
}

// outside returns the lines, from 0, of routes that do not pass, and why. Attributes are looked at once each, however
// many routes share them.
func (c *Capture) outside() map[int]error {
	out, seen := c.garbled(), map[string]bool{}
	for i := range c.Parts {
		given := structured[c.Parts[i].Layout] // its values need no gate
		if !given {
			for _, m := range c.Parts[i].HostBits {
				out[c.Source.cleanLine(m.Off)] = errHostBits
			}
		}
		own := map[string]bool{} // workstations name an interface by its address
		for _, a := range c.Parts[i].Facts.Addresses {
			own[a.Prefix.Addr().String()] = a.Interface == a.Prefix.Addr().String()
		}
		for j := range c.Parts[i].Facts.Tables {
			t := &c.Parts[i].Facts.Tables[j]
			l := &t.Routes
			bad := map[route.AttrID]error{}
			named := namesLinks(l)
			for id := range l.Shared() {
				var err error
				if !given {
					err = passes(l.Attributes(route.AttrID(id)), own, named, seen)
				}
				if strings.Contains(t.Name, void) { // nobody knows which table's they are
					err = errLost
				}
				if err != nil {
					bad[route.AttrID(id)] = err
				}
			}
			for k := 0; len(bad) > 0 && k < l.Len(); k++ {
				id, state := l.Used(k)
				if err := bad[id]; err != nil && (err != errNowhere || state&route.Unusable == 0) {
					m := l.At(k).Mark
					first, last := c.Source.cleanLine(m.Off), c.Source.cleanLine(max(m.End, m.Off+1)-1)
					for n := first; n <= last; n++ {
						out[n] = err
					}
				}
			}
		}
	}
	return out
}

// garbled returns the lines that something rests on and in which bytes were lost in the middle of a word.
func (c *Capture) garbled() map[int]error {
	out := map[int]error{}
	if !bytes.Contains(c.Source.text, []byte(void)) {
		return out
	}
	lost := map[int]bool{}
	n := 0
	for lo, hi := range layout.Lines(c.Source.text) {
		if line := c.Source.text[lo:hi]; bytes.Contains(line, []byte(void)) && len(bytes.TrimSpace(line)) > len(void) {
			lost[n] = true
		}
		n++
	}
	for i := range c.Parts {
		for m := range c.Parts[i].FactMarks() {
			if !m.Known() || len(lost) == 0 {
				continue
			}
			for n := c.Source.cleanLine(m.Off); n <= c.Source.cleanLine(max(m.End, m.Off+1)-1); n++ {
				if lost[n] {
					out[n] = errLost
				}
			}
		}
	}
	return out
}

// namesLinks reports whether a table calls interfaces by names: a number alone is none of them then, but a piece of
// another line.
func namesLinks(l *route.List) bool {
	for id := range l.Shared() {
		for _, h := range l.Attributes(route.AttrID(id)).NextHops {
			if h.Interface != "" && !isNumber(h.Interface) {
				return true
			}
		}
	}
	return false
}

func isNumber(s string) bool {
	return s != "" && strings.Trim(s, "0123456789") == ""
}

// passes tells whether what a row says can be so.
func passes(a *route.Attributes, own map[string]bool, named bool, seen map[string]bool) error {
	for _, h := range a.NextHops {
		if named && isNumber(h.Interface) && !own[h.Interface] {
			return fmt.Errorf("%w: %q", errInterface, h.Interface)
		}
		if h.Interface != "" && !plausible(h.Interface, seen) && !own[h.Interface] {
			return fmt.Errorf("%w: %q", errInterface, h.Interface)
		}
	}
	if len(a.NextHops) == 0 && a.Special == route.None && a.Protocol != route.Local {
		return errNowhere
	}
	return nil
}

// noNames are words of rows that a reader takes for an interface where a row is not what it seems. Names of protocols
// are none of them: links are called so.
var noNames = map[string]bool{
	"via": true, "dev": true, "is": true, "are": true, "directly": true, "connected": true, "metric": true,
	"proto": true, "scope": true,
	"table": true, "weight": true, "nexthop": true, "and": true, "the": true, "to": true, "from": true,
	"subnetted": true, "age": true,
	"n/a": true, "none": true, "-": true, "--": true, "---": true, "unreachable": true,
}

var (
	hardware      = lazyregexp.New(`^[0-9A-Fa-f]{1,2}(?:[:-][0-9A-Fa-f]{1,2}){5}$`)
	insideAddress = lazyregexp.New(`\d{1,3}\.\d{1,3}\.\d{1,3}\.\d{1,3}`)
	twoWords      = lazyregexp.New(`^[A-Za-z][A-Za-z-]* \d[\w/.:-]*$`)
)

// plausible reports whether a text can be an interface's name: one word, or a kind and a number with a blank between.
// What was judged before is in seen.
func plausible(s string, seen map[string]bool) bool {
	is, ok := seen[s]
	if !ok {
		is = mayBeName(s)
		seen[s] = is
	}
	return is
}

// mayBeName reports whether a text can be an interface's name: what looks like an address, a time, a number or a word
// of tables is none, so that a row whose cells were taken wrongly is left unread.
func mayBeName(s string) bool {
	if strings.HasPrefix(s, "port in ") { // ours, for an interface that no capture names
		return true
	}
	switch {
	case len(s) > 64, noNames[strings.ToLower(s)], strings.ContainsAny(s, ",;\"'|()[]{}<>¤#"), strings.Contains(s,
		"::"), strings.Index(s, "=") > 0, !strings.ContainsFunc(s, isNameLetter):
		return false
	case strings.Contains(s, " "):
		return twoWords.MatchString(s)
	case isAddress(s), isPrefix(s), hardware.MatchString(s), ages.MatchString(s) && strings.ContainsAny(s, ":"):
		return false
	}
	return !insideAddress.MatchString(s) || glued(s)
}

// glued reports whether an address in a name is a part of it, as in "tunnel.10.0.0.1", not a cell that lost its blank.
func glued(s string) bool {
	i := insideAddress.FindStringIndex(s)
	return i[0] > 0 && strings.IndexByte(".-_@", s[i[0]-1]) >= 0 && i[1] == len(s)
}

func isNameLetter(r rune) bool {
	return r >= '0' && r <= '9' || r >= 'A' && r <= 'Z' || r >= 'a' && r <= 'z' || r > 0x7f
}
