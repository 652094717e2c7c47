package capture

import (
	"regexp"

	"zarvek/internal/capture/layout"
)

var hostname = regexp.MustCompile(`^[ \t]*(?:set system host-name|host-name|hostname` +
	`|sysname)[ \t]+["']?([A-Za-z0-9][\w.-]*)["']?;?[ \t]*$`)

// Hostname returns the name that a configuration in the capture gives its device, "" where there is none or more than
// one. A capture with prompts has none: they tell whose each part is.
func (c *Capture) Hostname() string {
	if c.Prompts > 0 || c.Source.binary {
		return ""
	}
	name := ""
	for lo, hi := range layout.Lines(c.Source.text) {
		m := hostname.FindSubmatch(c.Source.text[lo:min(hi, lo+200)])
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
