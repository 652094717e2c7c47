package capture

import (
	"bytes"
	"path"
	"slices"
	"strings"
	"unicode"

	"zarvek/internal/capture/layout"
	"zarvek/internal/filename"
	"zarvek/internal/lazyregexp"
)

// What collects answers of many devices into one file writes a heading above each: the name between signs, behind a
// word, as tools that join files do. Where two such headings with different names stand in a text without prompts, each
// names whose the lines below are: nothing of two devices may become one.

// headingForms are their shapes, with the name as the first group.
var headingForms = []*lazyregexp.Regexp{
	// ##### name #####, --- name (10.61.0.1) ---
	lazyregexp.New(`^[#=*~+_-]{2,}\s*([A-Za-z][\w.-]*\w)(?:\s*\([^()]*\))?\s*[#=*~+_-]{2,}$`),
	// ==> folder/name.txt <==
	lazyregexp.New(`^==> (\S+) <==$`),
	// Host: name
	lazyregexp.New(`^(?:Host|Hostname|Device|Router|Switch|Firewall` +
		`|Node)\s*[:=]?\s+([A-Za-z][\w.-]*\w)\s*(?:[,(].*)?$`),
	// Connecting to name...
	lazyregexp.New(`^(?:Connecting to|Connected to|Output (?:of|from)|Results? (?:of` +
		`|from)) ([A-Za-z][\w.-]*?\w)(?:\.{2,}|[.:])?$`),
	// name | CHANGED | rc=0 >>
	lazyregexp.New(`^([A-Za-z][\w.-]*) \| \w+(?: \| rc=\d+)? (?:>>|=>.*)$`),
	// ok: [name] => what was answered
	lazyregexp.New(`^(?:ok|changed|fatal|skipping): \[([A-Za-z][\w.-]*)\](?:: \S+!)?(?: =>.*)?$`),
	// * name ** changed : False ****
	lazyregexp.New(`^\* ([A-Za-z][\w.-]*) \*\* \w+ : \w+ \*+$`),
	// [1] 01:00:01 [SUCCESS] name
	lazyregexp.New(`^\[\d+\] \d\d:\d\d:\d\d \[[A-Z]+\] ([A-Za-z][\w.-]*)$`),
	// hostname name: the begin of a configuration
	lazyregexp.New(`^(?:hostname|sysname) "?([A-Za-z][\w.-]*\w)"?$`),
}

// noDevice are words between signs that name no device.
var noDevice = layout.WordSet(`ipv4 ipv6 ip routing routes route table tables arp interface interfaces
	begin end start stop done
	output config configuration running-config startup-config version neighbors neighbours summary default main local
	more snip cut before after static connected bgp ospf rip isis`)

// portName matches names that interfaces have everywhere.
var portName = lazyregexp.New(`(?i)^(?:eth|en[ospx]|wlan|wl[opx]|lo|br|bond|vlan|vlanif|ge|xe|et|te|gi|fa|po` +
	`|port|port-channel|tun|tap|veth|vmk|vmnic|em|igb|ix|re|vif|vtnet|gigabitethernet|tengigabitethernet|ethernet` +
	`|loopback)[-\d./:]+$`)

// heading reads a line as one, and tells its shape.
func heading(line []byte) (form int, name string, ok bool) {
	line = bytes.TrimRight(line, " \t\r")
	if !mayBeHeading(line) {
		return 0, "", false
	}
	for i, re := range headingForms {
		m := re.FindSubmatch(line)
		if m == nil {
			continue
		}
		name := path.Base(string(m[1]))
		if strings.HasPrefix(string(line), "==>") {
			name, _ = filename.Stem(name)
		}
		if !noDevice[strings.ToLower(name)] && !portName.MatchString(name) {
			return i, name, true
		}
	}
	return 0, "", false
}

// mayBeHeading is a cheap look: most lines of a large text are rows.
func mayBeHeading(line []byte) bool {
	if len(line) < 4 || len(line) > 120 {
		return false
	}
	const signs = "#=*~+_-"
	switch first := line[0]; {
	case first == '*' && line[1] == ' ':
		return bytes.Contains(line, []byte(" ** "))
	case strings.IndexByte(signs, first) >= 0:
		return strings.IndexByte(signs, line[1]) >= 0
	case first == '[':
		return true
	}
	for _, w := range headingWords[line[0]] {
		if bytes.HasPrefix(line, []byte(w)) {
			return true
		}
	}
	return bytes.Contains(line, []byte(" | "))
}

// headingWords are the words that headings begin with, by their first letters.
var headingWords = func() (words [256][]string) {
	for w := range strings.FieldsSeq(`Host Device Router Switch Firewall Node Connect Output Result ok changed fatal
		skipping hostname sysname`) {
		words[w[0]] = append(words[w[0]], w)
	}
	return words
}()

// learnHeadings finds the shapes of headings with two different names at least, however far from each other they stand.
// A text with prompts that name who asks has none.
func (p *prompter) learnHeadings() {
	for lo, hi := range p.others.lines(p.odd != nil) {
		if lo >= learnFrom {
			break
		}
		if line := p.text[lo:hi]; !layout.Blank(line) {
			if device, _, ok := p.prompt(line); ok && device != "" {
				return
			}
		}
	}
	names := make([][]string, len(headingForms))
	for lo, hi := range p.others.lines(false) {
		line := p.text[lo:hi]
		if layout.Blank(line) {
			continue
		}
		if i, name, ok := heading(line); ok && !slices.Contains(names[i], name) && len(names[i]) < 2 {
			names[i] = append(names[i], name)
		}
	}
	for i, found := range names {
		if len(found) > 1 {
			p.headings = append(p.headings, i)
		}
	}
	if len(p.headings) == 0 {
		p.learnTitles()
	}
}

// titleForms are headings that comments, tables and broken lines may look like: they count only right above a listing.
var titleForms = []*lazyregexp.Regexp{
	// == name, ## name, - - name
	lazyregexp.New(`^(?:={2,}|#{2,6}|-{2,}|\*{2,}|>{2,}|~{2,}|[=-]>)\s*([A-Za-z][\w.-]*\w):?$`),
	// name-1:
	lazyregexp.New(`^([A-Za-z][\w.-]*[\d-][\w.-]*):$`),
	// name-1
	lazyregexp.New(`^([A-Za-z][\w.-]*[\d-][\w.-]*)$`),
}

// mayBeTitle reports whether a line may be of these forms: the first begins with a sign, the others have no blank.
func mayBeTitle(line []byte) bool {
	if len(line) < 2 || len(line) > 80 {
		return false
	}
	return strings.IndexByte("=#-*>~", line[0]) >= 0 ||
		unicode.IsLetter(rune(line[0])) && bytes.IndexByte(line, ' ') < 0
}

// listingBegins matches what the first line of a listing of routes, addresses or interfaces begins with.
var listingBegins = lazyregexp.New(`^(?:default\b|\d{1,3}(?:\.\d{1,3}){3}\b|[0-9a-f]*:[0-9a-f:]*/\d|Codes:` +
	`|Kernel IP|Destination\b|Routing |IP Route|blackhole |unreachable |local |broadcast |\d+: \S+: <|inet6?\.0:` +
	`|[A-Z][\w*>+]{0,2} +\d+\.\d+\.)`)

// instanceName matches names that tables have.
var instanceName = lazyregexp.New(`(?i)^(?:(?:\S+\.)?(?:inet6?|mpls|l3vpn|master[46]?)(?:\.\d+)?` +
	`|internet6?|ipv[46]\S*|table-?\d+|vrf\S*)$`)

// learnTitles finds the shape of titles of which two names at least stand right above a listing. Where there is one,
// the names are those of the whole text, however long: nothing of a later device may go to the one before.
func (p *prompter) learnTitles() {
	several := func(names map[string]bool) bool { return len(names) > 1 }
	form := slices.IndexFunc(titlesIn(p.text[:min(len(p.text), learnFrom)]), several)
	if form >= 0 {
		p.titles, p.titled = titlesIn(p.text)[form], form
	}
}

// titlesIn lists the names that stand right above a listing, by the shape of the title; those without signs count
// behind a blank line or at the begin.
func titlesIn(text []byte) []map[string]bool {
	found := make([]map[string]bool, len(titleForms))
	form, name := -1, ""
	blank := true
	for lo, hi := range layout.Lines(text) {
		line := bytes.TrimSpace(text[lo:hi])
		if len(line) == 0 || bytes.HasPrefix(line, []byte("```")) {
			blank = true
			continue
		}
		if form >= 0 && listingBegins.Match(line) {
			if found[form] == nil {
				found[form] = map[string]bool{}
			}
			found[form][name] = true
		}
		if form, name = titleOf(line); form > 0 && !blank {
			form = -1 // a word on a line of its own may be the end of the line above
		}
		blank = false
	}
	return found
}

// occasion are words by which people tell listings of one device apart.
var occasion = layout.WordSet(`change changed change-over test try step part first second third last new old now then today
	yesterday night morning evening day time run capture listing dump cmd command show list all other prod vrf instance
	rib fib kernel state status result v4 v6`)

// saysWhat reports whether all words of a name tell what stands below, or when, so that it names no device.
func saysWhat(name string) bool {
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return !unicode.IsLetter(r) })
	return !slices.ContainsFunc(words, func(w string) bool { return !noDevice[w] && !occasion[w] })
}

// titleOf reads a line as a title: its shape, -1 for none, and the name.
func titleOf(line []byte) (form int, name string) {
	line = bytes.TrimSpace(line)
	if !mayBeTitle(line) {
		return -1, ""
	}
	for i, re := range titleForms {
		m := re.FindSubmatch(line)
		if m == nil {
			continue
		}
		name := string(m[1])
		if !saysWhat(name) && !portName.MatchString(name) && !instanceName.MatchString(name) {
			return i, name
		}
	}
	return -1, ""
}

// headed reads a line as a heading of a shape that was learned.
func (p *prompter) headed(line []byte) (device string, ok bool) {
	if p.titles != nil {
		i, name := titleOf(line)
		return name, i == p.titled && p.titles[name]
	}
	if len(p.headings) == 0 {
		return "", false
	}
	i, name, ok := heading(line)
	return name, ok && slices.Contains(p.headings, i)
}
