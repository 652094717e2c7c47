package lettered

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// legend is what a capture's own key says of its letters.
type legend struct {
	entries  map[string]string // code as printed: "O", "IA", "i", "*" → its description in lower case
	selects  bool              // it has a mark for the chosen route, so an unmarked one is not chosen
	installs bool              // it has a mark for the forwarding table
	codes    map[string]code   // code columns seen, as printed
}

// code is what one code column says.
type code struct {
	known    bool
	protocol route.Protocol
	subtype  string
	state    route.State
	backup   bool
	doubt    string // a mark that leaves open whether the route is in use
}

func newLegend() *legend { return &legend{entries: map[string]string{}, codes: map[string]code{}} }

// defaultLegend is used where a capture shows none: the letters that most lettered tables share.
func defaultLegend() *legend {
	l := newLegend()
	l.add(
		"K - kernel route, C - connected, L - local, S - static, R - RIP, O - OSPF, i - IS-IS, I - IS-IS, B - BGP, D " +
			"- EIGRP," +
			" E - EIGRP, A - Babel, IA - OSPF inter area, E1 - OSPF external type 1, E2 - OSPF external type 2," +
			" N1 - OSPF NSSA external type 1, N2 - OSPF NSSA external type 2, EX - EIGRP external," +
			" L1 - IS-IS level-1, L2 - IS-IS level-2, ia - IS-IS inter area, * - candidate default",
	)
	return l
}

// looseLegend is the default one for a capture whose rows carry selection marks though the legend is missing.
func looseLegend() *legend {
	l := defaultLegend()
	l.add("> - selected route, * - FIB route, q - queued, r - rejected")
	return l
}

// maxKey is how long a code is at most.
const maxKey = 7

// add reads one line of a legend: CODE - DESCRIPTION, separated by commas. It reports whether any entry was found.
func (l *legend) add(line string) bool {
	found := false
	line = strings.NewReplacer(" (", ",", ")", ",").
		Replace(unwrapMarks(line))
		// "O - OSPF IntraArea (IA - InterArea, …)" has entries within
	for noComma.MatchString(line) {
		line = noComma.ReplaceAllString(line, "$1,$2 - ")
	}
	for entry := range strings.SplitSeq(line, ",") {
		key, text, ok := strings.Cut(entry, " - ")
		if !ok {
			// "t1n: Tier1-NAT, t1l: …"; one alone may be a title
			key, text, ok = strings.Cut(entry, ": ")
			if !ok || !strings.Contains(line, ",") || strings.Contains(strings.TrimSpace(key), " ") {
				continue
			}
		}
		key, text = strings.TrimSpace(key), strings.ToLower(strings.TrimSpace(text))
		// Two entries without a comma between them: "b - backup", then "t - trapped" on the next line.
		if i := strings.Index(text, "  "); i > 0 {
			text = text[:i]
		}
		if key == "" || len(key) > maxKey {
			continue
		}
		if letter, _, two := strings.Cut(key, " "); two && l.entries[letter] == "" {
			l.entries[letter] = text // "O E2" alone still says what O is
		}
		l.entries[key], found = text, true
		if !isLetter(key[0]) { // a mark, not a protocol that happens to be "installed" or "selected" somewhere
			l.selects = l.selects || isSelected(text)
			l.installs = l.installs || isInstalled(text)
		}
	}
	return found
}

// noComma matches what stands before an entry with no comma in front: "C - connected S - static".
var noComma = lazyregexp.New(`( - [^,]*?[^,\s]) +([A-Za-z][A-Za-z0-9]?) - `)

// unwrapMarks takes signs out of the parentheses that some legends put them in, "(!) - kept for fast reroute": rows
// have them as they are.
func unwrapMarks(line string) string {
	return strings.NewReplacer("(!)", "\x01", "(>)", "\x02").Replace(line)
}

// isSelected and isInstalled tell what a mark means from the legend's words for it.
func isSelected(text string) bool {
	return !layout.Doubtful(text) && strings.Contains(text, "selected") || strings.HasPrefix(text, "best") ||
		strings.HasPrefix(text, "active")
}

func isInstalled(text string) bool {
	if layout.Doubtful(text) {
		return false
	}
	return strings.Contains(text, "fib route") || strings.Contains(text, "in fib") ||
		strings.Contains(text, "installed")
}

// mayBeCodes reports whether no word of a column is one that the key does not explain and that is too long for codes
// side by side: the word of a log, such as a level, before what a device printed.
func (l *legend) mayBeCodes(column string) bool {
	if _, ok := l.codes[column]; ok {
		return true
	}
	for w := range strings.FieldsSeq(column) {
		letters, unknown := 0, 0
		for rest := w; rest != ""; {
			text, n := l.longest(rest)
			if isLetter(rest[0]) {
				letters += n
				if text == "" {
					unknown += n
				}
			}
			rest = rest[n:]
		}
		if letters > 2 && unknown > 0 {
			return false
		}
	}
	return true
}

// read interprets a code column such as "O>*", "O IA" or "S*".
func (l *legend) read(column string) code {
	if c, ok := l.codes[column]; ok {
		return c
	}
	c := l.interpret(column)
	l.codes[column] = c
	return c
}

// tellsPaths reports whether the legend has a code of its own for OSPF's paths between areas.
func (l *legend) tellsPaths() bool {
	for _, text := range l.entries {
		if p, sub := protocolOf(text); p != route.ISIS && sub == "inter-area" {
			return true
		}
	}
	return false
}

// marks are the meanings of letters that are no protocol's.
var marks = map[string]bool{
	"inactive":         true,
	"hidden":           true,
	"suppressed":       true,
	"non-active route": true,
	"rejected":         true,
	"queued":           true,
	"trapped":          true,
	"offload failure":  true,
	"backup":           true,
}

// interpret takes the letters and signs in front of a row for what the key above the rows says they mean. The first
// letter is the protocol, others are kinds or marks.
func (l *legend) interpret(column string) code {
	var c code
	selected, fib, refused := false, false, false
	unusable := false
	for rest, first := column, true; rest != ""; {
		if rest[0] == ' ' || rest[0] == '\t' {
			rest = rest[1:]
			continue
		}
		text, n := l.longest(rest)
		letter := isLetter(rest[0])
		mark := !letter || marks[text]
		sign := rest[:n]
		rest = rest[n:]
		switch {
		case first && letter && !marks[text]:
			c.protocol, c.subtype = protocolOf(text)
			c.known, first = text != "", false
		case strings.HasPrefix(text, "inactive"), text == "hidden", text == "suppressed", text == "non-active route":
			unusable = true
		case !marks[text] && layout.Doubtful(text):
			c.doubt = sign
		case !mark:
			if _, sub := protocolOf(text); sub != "" {
				c.subtype = sub
			}
		case isSelected(text):
			selected = true
		case isInstalled(text):
			fib = true
		case strings.Contains(text, "trapped"): // to the processor, which forwards them
			fib = true
		case text == "rejected", text == "queued", strings.Contains(text, "offload failure"):
			refused = true
		case strings.Contains(text, "backup"):
			c.backup = true
		}
	}
	if selected || !l.selects {
		c.state |= route.Active
	}
	if fib || !l.installs && c.state != 0 {
		c.state |= route.Installed
	}
	if refused && !fib {
		c.state |= route.Rejected
	}
	if unusable {
		c.state = route.Unusable
	}
	return c
}

// longest finds the longest legend entry at the start of s; without one it takes a character and no meaning.
func (l *legend) longest(s string) (text string, n int) {
	for n = min(len(s), maxKey); n > 0; n-- {
		if text, ok := l.entries[s[:n]]; ok {
			return text, n
		}
	}
	return "", 1
}

// external matches the ways in which legends write the two types of an external route (RFC 2328 section 2.3).
var external = lazyregexp.New(`(nssa )?ext(?:ernal)?[ -]?(?:type)?[ -]?([12])\b`)

// protocolOf names the protocol that a legend's description means, with the subtype it adds.
func protocolOf(text string) (route.Protocol, string) {
	has := func(words ...string) bool {
		for _, w := range words {
			if strings.Contains(text, w) {
				return true
			}
		}
		return false
	}
	sub := ""
	m := external.FindStringSubmatch(text)
	switch {
	case m != nil && m[1] != "":
		sub = "nssa-external-" + m[2]
	case m != nil:
		sub = "external-" + m[2]
	case has("inter area", "inter-area", "interarea", "ospf inter"):
		sub = "inter-area"
	case has("intra area", "intra-area", "ospf intra"):
		sub = "intra-area"
	case has("external"):
		sub = "external"
	case has("level-1", "level 1"):
		sub = "level-1"
	case has("level-2", "level 2"):
		sub = "level-2"
	case has("summary"):
		sub = "summary"
	}
	switch {
	case has("connected", "attached"):
		return route.Direct, sub
	case has("candidate default"):
		return route.Other, ""
	case has("static"):
		return route.Static, sub
	case has("ripng"):
		return route.RIPng, sub
	case has("rip"):
		return route.RIP, sub
	case has("ospf"):
		return route.OSPF, sub
	case has("is-is", "isis"):
		return route.ISIS, sub
	case has("eigrp"):
		return route.EIGRP, sub
	case has("bgp"):
		return route.BGP, sub
	case has("babel"):
		return route.Babel, sub
	case has("kernel"):
		return route.Kernel, sub
	case has("dhcp"):
		return route.DHCP, sub
	case has("aggregate"):
		return route.Aggregate, sub
	case has("local"):
		return route.Local, sub
	case text == "nat" || has("nat ", "network address translation"):
		return route.NAT, sub
	}
	return route.Other, sub
}
