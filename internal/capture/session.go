package capture

import (
	"bytes"
	"cmp"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// A section is the output of one command in a session log, or a whole capture without prompts.
type section struct {
	device  string // from the prompt; "" where there is none
	part    string // of the device, with tables of its own, that the prompt names
	remote  string // the same where the command was given through another device
	command string
	banner  bool // it stands before the first prompt
	front   bool // the same, whether or not the prompt has anything below it
	lo, hi  int  // of the clean text, without the prompt's line
	asked   int  // where the prompt's line begins
	// routes below are not the answer of this device to this command: somebody went to another, or left this one
	away bool
	// the same device's prompt stands below: what it answered has come to its end
	followed bool
}

// prompts are the usual shapes of a prompt with a command behind it. Each has the device's name as its first group
// and the command as its second. What a group "within" holds is a device within the device: it is part of the name. A
// group "part" holds a part with tables of its own.
var prompts = []*lazyregexp.Regexp{
	// name-> command
	lazyregexp.New(`^([A-Za-z]\w*(?:[.-]\w+)*)-> ?([a-z].*)?$`),
	// name:1# command, name:admin# command: the number is that of a part of the box, the word that of who asks
	lazyregexp.New(`^([A-Za-z][\w.-]*\w):(?:\d|admin|user|operator|oper)(?:\([^()]*\))*[#>]\s*([A-Za-z?!].*)?$`),
	// name# command, name(mode)> command, name/context# command
	lazyregexp.New(`^([A-Za-z][\w.-]*[\w-])(?P<within>(?:/[\w.-]+)+)?` +
		`(?:\([^()]*\))*(?:[#>]|%\s)\s*([A-Za-z?!].*)?$`),
	// a name of one letter
	lazyregexp.New(`^([A-Za-z])(?:\([^()]*\))*#\s*([a-z].*)?$`),
	// name$ command
	lazyregexp.New(`^([A-Za-z][\w.-]*[\w-])\$\s+([a-z/].*)$`),
	// slot/part:name# command
	lazyregexp.New(`^(?:[\w-]+/)+[\w-]+:([A-Za-z][\w.-]*)(?:\([^()]*\))*[#>]\s*(\S.*)?$`),
	// A:name# command, *A:user@name>context# command
	lazyregexp.New(`^\*?[A-D]:(?:[\w.-]+@)?([A-Za-z][\w.-]*)(?:>[\w>.-]*)?[#>$]\s*(\S.*)?$`),
	// name # command, name (part) # command: in the latter stands a mode too, in which nobody asks for routes
	lazyregexp.New(`^([A-Za-z][\w.-]+) \((?P<part>[\w.-]+)\) [#$] ?((?:get|diag\w*|exec\w*) .*)$`),
	lazyregexp.New(`^([A-Za-z][\w.-]+) (?:\([^()]*\) )?[#$] ?([a-z?].*)?$`),
	// Slot-1 name.12 # command: the number counts the commands
	lazyregexp.New(`^(?:\* )?(?:Slot-\d+ )?([A-Za-z][\w-]*)\.\d+ [#>]\s*(\S.*)?$`),
	// (name) #command, (name) *[node] #command
	lazyregexp.New(`^\(([A-Za-z][\w.-]+)\) ?(?:[*^]*\[[^\]]*\] ?)?(?:\([^()]*\) ?)?[#>]\s*(\S.*)?$`),
	// user@(name)(state)(partition)# command
	lazyregexp.New(`^[\w.-]+@\(([A-Za-z0-9][\w.-]*)\)(?:\([^()]*\))+[#>]\s*(\S.*)?$`),
	// user@name:part> command
	lazyregexp.New(`^[\w.-]+@([A-Za-z0-9][\w.-]*):(?P<part>[A-Za-z][\w-]*)>\s*(\S.*)?$`),
	// user@name:path# command, user@name> command
	lazyregexp.New(`^[\w.-]+@([A-Za-z0-9][\w.-]*)(?::[^\s#$%>]*)?\s?[#$%>]\s*(\S.*)?$`),
	// name:path$ command
	lazyregexp.New(`^([A-Za-z][\w.-]+):[~/][^\s#$%>]*\s?[#$%]\s*(\S.*)?$`),
	// [user@name:2]# command: the number is that of a device within, that of the device itself is 0
	lazyregexp.New(`^\[[\w.-]+@([A-Za-z0-9][\w.-]*)(?P<within>:\d+)\]\s?[#$%>]\s*(\S.*)?$`),
	// [user@name path]# command, [user@name] /path> command
	lazyregexp.New(`^\[[\w.-]+@([A-Za-z0-9][\w. -]*?)(?:[ :][~/][^\]]*)?\]\s?(?:/[\w/ -]*)?[#$%>]\s*(\S.*)?$`),
	// a prompt that names nothing
	lazyregexp.New(`^()-> ([a-z].*)$`),
	// the prompt of a workstation, which names a folder and no device
	lazyregexp.New(`^(?:PS )?[A-Z]:\\[^<>"|]*()>\s*([A-Za-z].*)?$`),
}

// shells are what a shell calls itself in a prompt that names no device.
var shells = lazyregexp.New(`^(?:ba|k|z|c|da|a)?sh-\d[\d.]*$`)

// angled matches <name>command, and squared the same device in its modes: [name]command, [~name-part]command. Both
// look like other things too (tags, sections), so a squared one counts only where an angled one of that name asks
// something.
var (
	angled  = lazyregexp.New(`^<([A-Za-z][\w.-]*)>\s*([a-z][^<]*)?$`)
	squared = lazyregexp.New(`^\[[~*]?([A-Za-z][^\]\s]*)\]\s*([a-z].*)?$`)
)

// standing is what a pair of devices writes before the name: which of the two asks.
var standing = lazyregexp.New(`^[A-Z]{2,4}_[A-Z]([<\[])`)

// maxPrompt is the longest line that can be a prompt with its command.
const maxPrompt = 400

// A prompter finds prompts in one text.
type prompter struct {
	text     []byte
	others   others   // lines that may be prompts
	names    []string // that angled prompts gave
	last     string   // device of the last prompt
	part     string   // that the last prompt named
	odd      learned
	bare     map[string]string // prompts of known shapes without their commands, and who asks there
	headings []int             // shapes of those that name devices
	titles   map[string]bool   // names that stand above a listing each, in the shape titled; nil for none
	titled   int
	counts   map[string]bool // names behind which prompts count the commands
}

// newPrompter finds prompts in a text, those of unknown shapes too.
func newPrompter(text []byte) prompter {
	p := prompter{text: text, others: otherLines(text)}
	p.learnCounts()
	p.learn()
	p.learnHeadings()
	p.last, p.part = "", "" // names of angled prompts further down count for squared ones too
	return p
}

// prompt reads a line as a prompt, or as a title that names a command: that was given to the device of the prompt
// before.
func (p *prompter) prompt(line []byte) (device, command string, ok bool) {
	if command, ok = title(line); ok {
		return p.last, command, true
	}
	was := p.part
	p.part = ""
	if device, command, ok = p.prompted(line); !ok {
		device, command, ok = p.oddly(line)
	}
	if !ok {
		device, ok = p.alone(line)
	}
	if !ok {
		device, ok = p.headed(line)
	}
	if ok {
		p.last = device
	} else {
		p.part = was
	}
	return device, command, ok
}

// prompted reads a line as a prompt.
func (p *prompter) prompted(line []byte) (device, command string, ok bool) {
	if bytes.IndexByte(line[:min(len(line), 5)], '_') > 0 {
		line = standing.ReplaceAll(line, []byte("$1"))
	}
	if len(line) < 2 || len(line) > maxPrompt || !mayPrompt(line) {
		return "", "", false
	}
	line = bytes.TrimRight(line, "\r")
	switch line[0] {
	case '<':
		m := angled.FindSubmatch(line)
		if m == nil || saysLeftOut(line) || bytes.Contains(p.text, []byte("</"+string(m[1])+">")) {
			return "", "", false
		}
		device = string(m[1])
		if !slices.Contains(p.names, device) {
			p.names = append(p.names, device)
		}
		return device, string(bytes.TrimSpace(m[2])), true
	case '[':
		if m := squared.FindSubmatch(line); m != nil {
			for _, name := range p.names {
				if rest, ok := strings.CutPrefix(string(m[1]), name); ok && (rest == "" || rest[0] == '-') {
					return name, string(bytes.TrimSpace(m[2])), true
				}
			}
		}
	}
	if m := counter.FindSubmatch(line); m != nil && p.counts[string(m[1])] {
		return string(m[1]), string(bytes.TrimSpace(m[3])), true
	}
	for _, re := range prompts {
		m := re.FindSubmatch(line)
		if m == nil {
			continue
		}
		name := string(m[1])
		if shells.MatchString(name) {
			name = ""
		}
		if i := re.SubexpIndex("within"); i > 0 {
			name += within(string(m[i]))
		}
		if i := re.SubexpIndex("part"); i > 0 {
			p.part = string(m[i])
		}
		return name, string(bytes.TrimSpace(m[len(m)-1])), true
	}
	return "", "", false
}

// roles are what a device among several is for the others; they stand in its prompt as a device within it does.
var roles = layout.WordSet("pri sec act stby active standby primary secondary master backup noctx none 0 RP0 RP1")

// within returns what a prompt's words for a device within the device add to its name.
func within(words string) string {
	var b strings.Builder
	for _, w := range strings.FieldsFunc(words, func(c rune) bool { return c == '/' || c == ':' }) {
		if !roles[w] {
			b.WriteString("-" + w)
		}
	}
	return b.String()
}

// mayPrompt is a cheap look before the expressions: a prompt's name has no blanks, but for the few shapes that the
// first character tells, and ends in one of a few characters.
func mayPrompt(line []byte) bool {
	switch line[0] {
	case '[', '<', '(', '-':
		return true
	}
	for i, c := range line {
		switch c {
		case '>':
			return i >= 2 // one letter before it is a row's code
		case '#', '$', '%', '(':
			return i >= 1
		case ' ':
			if i+1 < len(line) && strings.IndexByte("#$>(", line[i+1]) >= 0 {
				return i >= 2
			}
			return bytes.HasPrefix(line, []byte("Slot-")) || bytes.HasPrefix(line, []byte("* ")) ||
				bytes.HasPrefix(line, []byte("PS "))
		case '\t', ',':
			return false
		}
	}
	return false
}

// titled matches a title that names a command, as what collects the answers to many puts one above each:
// ----- show ip route -----, `show ip route`, ## show ip route
var titled = lazyregexp.New("^\\s*(?:[-=*#+~]{2,}\\s*|`)((?:show|display|get|ip|route|netstat|cat|birdc|vtysh|nft" +
	"|iptables|ip6tables|sysctl)\\b[^`]*?)(?:\\s*[-=*#+~]{2,}|`)?\\s*$")

// titleSigns are those of which a title has two or more in front.
var titleSigns = []byte("-=*#+~")

// title reads a line as one.
func title(line []byte) (command string, ok bool) {
	head := bytes.TrimLeft(line, " \t")
	if len(head) < 2 || len(line) > maxPrompt ||
		head[0] != '`' && (bytes.IndexByte(titleSigns, head[0]) < 0 || bytes.IndexByte(titleSigns, head[1]) < 0) {
		return "", false
	}
	m := titled.FindSubmatch(line)
	if m == nil {
		return "", false
	}
	return string(bytes.TrimSpace(m[1])), true
}

// clock is the line with which some devices begin every output.
var clock = lazyregexp.New(
	`^(?:(?:Mon|Tue|Wed|Thu|Fri|Sat` +
		`|Sun) )?[A-Z][a-z]{2} +\d{1,2} \d\d:\d\d:\d\d(?:\.\d+)?(?: [A-Z]{2,5})?(?: \d{4})?\s*$`,
)

// A typed is a command at a prompt.
type typed struct {
	device, command string
	lo, hi          int // the prompt's line, in the clean text
}

// split cuts a clean text at its prompts. Lines is the number of prompt lines, with those that only tell the time.
func split(text []byte) (sections []section, commands []typed, lines int) {
	cur := section{}
	p := newPrompter(text)
	fresh := false // nothing but blank lines came since the prompt
	behind := 0    // the end of the last line looked at
	for lo, hi := range p.others.lines(p.odd != nil || p.titles != nil) {
		fresh = fresh && layout.Blank(text[behind:lo])
		behind = hi
		device, command, ok := p.prompt(text[lo:hi])
		known := ok
		if !ok {
			if command = damagedCommand(text[lo:hi]); command != "" {
				device, ok = p.last, true
			}
		}
		if !ok && lines > 0 && (logsIn.Match(text[lo:hi]) ||
			leaves.Match(text[lo:hi]) && asksOneTable.MatchString(cur.command)) {
			if cur.hi = lo; cur.hi > cur.lo {
				sections = append(sections, cur)
			}
			cur = section{lo: lo, hi: len(text), asked: lo, away: true}
			continue
		}
		if !ok {
			if fresh && hi-lo < 60 && clock.Match(text[lo:hi]) {
				lines++
				cur.lo = hi
			}
			fresh = fresh && layout.Blank(text[lo:hi])
			continue
		}
		remote, command := onOther(command)
		agent, _ := asksAgent(command)
		printed, told := printedFrom(command, device)
		away := !told || elsewhere(command)
		device = cmp.Or(remote, agent, printed, device)
		fresh = true
		lines++
		if command != "" {
			commands = append(commands, typed{device, command, lo, hi})
		}
		cur.hi, cur.followed, cur.front = lo, known && device == cur.device, known && lines == 1
		if cur.hi > cur.lo {
			sections = append(sections, cur)
		}
		next := hi
		for next < len(text) && text[next] == '\r' {
			next++
		}
		if next < len(text) {
			next++
		}
		cur = section{device: device, part: p.part, remote: remote, command: command, lo: next, hi: len(text),
			asked: lo}
		cur.away = away
	}
	cur.hi = len(text)
	if cur.hi > cur.lo {
		sections = append(sections, cur)
	}
	if name := first(sections); name != "" && sections[0].device == "" {
		// what stands before the first prompt is the same device's: its banner
		sections[0].device, sections[0].banner = name, true
	}
	return sections, commands, lines
}

// damagedCommand returns the command of a line that would be a prompt with one, had it not lost a byte or a blank; ""
// for other lines. What it asked nobody knows.
func damagedCommand(line []byte) string {
	lost := bytes.Contains(line, []byte(void))
	if len(line) > maxPrompt || !lost && !bytes.Contains(line, []byte("route")) ||
		len(line) > 0 && line[0] == '<' && bytes.Contains(line, []byte("</")) { // elements of a document
		return ""
	}
	m := signAndWords.FindSubmatch(line)
	switch {
	case m == nil:
		return ""
	case lost:
		return void + string(m[2])
	case gluedCommand.Match(m[2]):
		return string(m[2])
	}
	return ""
}

// signAndWords matches what may be a prompt of any shape, or a title, with a command for routes behind it.
var signAndWords = lazyregexp.New(`^([^\s\d].{0,60}?[$#>%:~]) {0,2}` +
	`((?:[a-z]\S* (?:\S+ )*)?(?:ip|ipv6|show|display|route|showip|showroute|displayip)\b.*)$`)

// first returns the device of the first prompt.
func first(sections []section) string {
	for _, s := range sections {
		if s.device != "" && s.remote == "" {
			return s.device
		}
	}
	return ""
}
