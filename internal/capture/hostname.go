package capture

import (
	"bytes"

	"zarvek/internal/lazyregexp"
)

// naming are the words with which a configuration names its device, and the name.
const naming = `(?:set (?:system host-name|deviceconfig system hostname|hostname)|host-name|hostname|sysname` +
	`|switchname)[ \t]+` + givenName

const givenName = `["']?([A-Za-z0-9][\w.-]*)["']?;?[ \t]*\r?$`

var hostname = lazyregexp.New(`^[ \t]*` + naming)

// Hostname returns the name that a configuration in the capture gives its device, "" where there is none or more than
// one. A capture with prompts has none: they tell whose each part is.
func (c *Capture) Hostname() string {
	if c.Kept() {
		return c.hostname
	}
	if c.Prompts > 0 || c.Source.binary {
		return ""
	}
	name := ""
	text := c.Source.text
	names := newFinder(text, "name") // which all of those words end in
	for at := names.next(0); at < len(text); at = names.next(at) {
		lo := bytes.LastIndexByte(text[:at], '\n') + 1
		hi := len(text)
		if n := bytes.IndexByte(text[at:], '\n'); n >= 0 {
			hi = at + n
		}
		at = hi
		m := hostname.FindSubmatch(bytes.TrimSuffix(text[lo:min(hi, lo+200)], []byte{'\r'}))
		if m == nil {
			continue
		}
		if name != "" && name != string(m[1]) {
			return ""
		}
		name = string(m[1])
	}
	return name
}
