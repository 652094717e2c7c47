package statements

import (
	"bytes"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// A configuration may have lost its blanks on the way (a form, a chat, an editor), and some devices never print any:
// blocks then end with a line of their own. Such a text says the same as an indented one.

// flattened follows the blocks of a text in which nothing is indented. The zero flattened is any other text.
type flattened struct {
	on     bool
	within bool // a block is open
	link   bool // it is an interface's
	blanks bool // nothing but blank lines separates the blocks
}

// separators end a block.
var separators = []string{"!", "#", "exit", "quit", "end", "exit-vrf"}

// opensBlock matches a line that begins a block.
var opensBlock = lazyregexp.New(`^(?:interface|router|line|user-interface|vlan|(?:class|policy|route)-map` +
	`|controller|ospfv?3?|isis|bgp|rip|vrf|ip vrf|vrf context|key chain|crypto (?:map|ipsec|isakmp) \S|track|aaa group` +
	`|control-plane|address-family|management|object-group|object|time-range|(?:ip|ipv4|ipv6|mac) access-list|acl)(?: |$)`)

// opensInside matches one that cannot be a line of an interface's block either.
var opensInside = lazyregexp.New(`^(?:interface |router |line (?:con|vty|aux)|(?:class|policy|route)-map ` +
	`|vrf (?:definition|context|instance) |(?:ip|ipv4|ipv6|mac) access-list |acl )`)

// opensInterface matches the heading of an interface's block.
var opensInterface = lazyregexp.New(`^interface \S`)

// standsAlone matches a line that no block of an interface holds.
var standsAlone = lazyregexp.New(`^(?:(?:no )?(?:ip|ipv6) route(?:-static)? |access-list ` +
	`|hostname |sysname |snmp-server )`)

// learn finds out whether a text is flattened: it has blocks of interfaces, and the line below no heading of one is
// indented.
func (f *flattened) learn(text []byte) {
	blocks, separated := 0, 0
	below := false
	for lo, hi := range layout.Lines(text) {
		line := bytes.TrimRight(text[lo:hi], " \t\r\n")
		if len(line) == 0 {
			continue
		}
		if line[0] == ' ' || line[0] == '\t' {
			if below {
				return
			}
			continue
		}
		if slices.Contains(separators, string(line)) {
			separated++
		} else if below && !opensBlock.Match(line) && !standsAlone.Match(line) {
			blocks++
		}
		below = opensInterface.Match(line)
	}
	f.on, f.blanks = blocks > 0, separated == 0
}

// line reports whether a line stands in a block, as if it were indented.
func (f *flattened) line(s string) bool {
	switch {
	case !f.on:
	case slices.Contains(separators, s), standsAlone.MatchString(s):
		f.within = false
	case f.within && f.link && !opensInside.MatchString(s):
	case opensBlock.MatchString(s):
		f.within, f.link = true, opensInterface.MatchString(s)
		return false
	}
	return f.on && f.within
}

// blank notes a line without anything in it.
func (f *flattened) blank() { f.within = f.within && !f.blanks }
