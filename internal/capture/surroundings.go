package capture

import (
	"bytes"
	"sort"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// Many lines of a configuration that read like rules of a filter choose among routes, or among those who may log in.
// Which it is the blocks tell that a line stands in, by how far each line is set in.
type surroundings struct {
	src   *Source
	in    route.Mark // the lines that are looked at
	known bool       // they were gone through
	lines []uint32   // where each line begins, in the original
	aside []bool     // whether its block, or the line itself, decides over no packet that passes
}

// harmless reports whether a line decides over no packet that passes.
func (s *surroundings) harmless(m route.Mark) bool {
	if !s.known {
		s.look()
		s.known = true
	}
	i := sort.Search(len(s.lines), func(i int) bool { return s.lines[i] > m.Off }) - 1
	return i >= 0 && s.aside[i]
}

// look goes through all lines once. A block is open until a line stands no further in than its heading.
func (s *surroundings) look() {
	type block struct {
		in    int
		aside bool
	}
	var open []block
	text := s.src.raw[min(int(s.in.Off), len(s.src.raw)):min(int(s.in.End), len(s.src.raw))]
	for lo, hi := range layout.Lines(text) {
		line := text[lo:hi]
		bare := bytes.TrimLeft(line, " \t")
		if len(bytes.TrimSpace(bare)) == 0 {
			continue
		}
		in := len(line) - len(bare)
		for len(open) > 0 && open[len(open)-1].in >= in {
			open = open[:len(open)-1]
		}
		aside := len(open) > 0 && open[len(open)-1].aside
		s.lines = append(s.lines, s.in.Off+uint32(lo))
		s.aside = append(s.aside, aside || asideLine.Match(bare))
		open = append(open, block{in, aside || asideBlock.Match(bare)})
	}
}

var (
	// asideBlock begins a block of what chooses among routes, of a routing protocol, or of who may log in.
	asideBlock = lazyregexp.New(`(?i)^(?:line|user-interface|management|vty|console|route-policy|route-map` +
		`|policy-statement|policy-options|prefix-(?:set|list)|as-path|community|snmp\S*|aaa|banner|login` +
		`|login-control|role|privilege|radius\S*|tacacs\S*|ntp|ssh|telnet|router (?:bgp|ospf|rip|isis|eigrp|static)` +
		`|bgp|ospf|isis|rip` +
		`|archive|event|logging|telemetry)\b`)
	// asideLine is a line that tells of such by itself.
	asideLine = lazyregexp.New(`(?i)^set (?:policy-options|policy (?:prefix-list|route-map|access-list6?` +
		`|community-list|as-path-list|extcommunity-list|large-community-list)|protocols|system|snmp|service|login)\b`)
)
