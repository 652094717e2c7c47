package capture

import (
	"errors"

	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

// asksWholeList matches a command that asks for all that BGP knows of one family.
var asksWholeList = lazyregexp.New(`(?i)^(?:\S*vtysh\s+-c\s+)?["']?(?:do\s+)?(?:sh|sho|show|dis|disp|display)\s+` +
	`(?:ip\s+)?bgp(?:\s+(?:ipv4|ipv6))?` +
	`(?:\s+unicast)?(?:\s+(?:vrf|view)\s+\S+)?(?:\s+routing-table)?(?:\s+wide)?["']?\s*$`)

// asksOtherPaths matches one that asks for paths that are no candidates of the device: what it tells others, or what it
// has not taken.
var asksOtherPaths = lazyregexp.New(`(?i)\bbgp\b.*\b(?:advertised|received|filtered|dampened|suppressed|flap|injected)`)

var errOtherPaths = errors.New("the command above asks for what is told to others, or was not taken: " +
	"no routes of the device")

// keepWhole notes of BGP's own list whether it is whole: by the command, and where none is shown by what the reader
// found.
func (p *Part) keepWhole(command string) {
	for i := range p.Facts.Tables {
		t := &p.Facts.Tables[i]
		if t.Kind == network.Database && command != "" {
			t.WholeList = asksWholeList.MatchString(command)
		}
	}
}

// notTaken leaves unread the rows of BGP's list that are no candidates.
func notTaken(text []byte, command string, stretches []stretch) []stretch {
	if !asksOtherPaths.MatchString(command) {
		return stretches
	}
	for _, s := range stretches {
		for i := range s.Facts.Tables {
			if s.Facts.Tables[i].Kind == network.Database {
				return nobodys(text, stretches, errOtherPaths)
			}
		}
	}
	return stretches
}
