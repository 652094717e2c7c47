package capture

import (
	"bytes"
	"regexp"

	"zarvek/internal/capture/layout"
)

// A section is the output of one command in a session log, or a whole capture without prompts.
type section struct {
	device  string // from the prompt; "" where there is none
	command string
	banner  bool // it stands before the first prompt
	lo, hi  int  // of the clean text, without the prompt's line
}

// prompts are the usual shapes of a prompt with a command behind it. Each has the device's name as its first group
// and the command as its second.
var prompts = []*regexp.Regexp{
	// name# command, name(mode)> command
	regexp.MustCompile(`^([A-Za-z][\w.-]+)(?:\([^()]*\))?[#>]\s*([A-Za-z?!].*)?$`),
	// user@name:path# command, user@name> command
	regexp.MustCompile(`^[\w.-]+@([A-Za-z0-9][\w.-]*)(?::[^\s#$%>]*)?\s?[#$%>]\s*(\S.*)?$`),
	// [user@name path]# command, [user@name] > command
	regexp.MustCompile(`^\[[\w.-]+@([A-Za-z0-9][\w.-]*)[^\]]*\]\s?[#$%>]\s*(\S.*)?$`),
}

// maxPrompt is the longest line that can be a prompt with its command.
const maxPrompt = 400

// prompt reads a line as a prompt.
func prompt(line []byte) (device, command string, ok bool) {
	if len(line) < 3 || len(line) > maxPrompt || !mayPrompt(line) {
		return "", "", false
	}
	for _, re := range prompts {
		if m := re.FindSubmatch(line); m != nil {
			return string(m[1]), string(bytes.TrimSpace(m[2])), true
		}
	}
	return "", "", false
}

// mayPrompt is a cheap look before the expressions: a prompt's name has no blanks and ends in one of a few characters.
func mayPrompt(line []byte) bool {
	if line[0] == '[' {
		return true
	}
	for i, c := range line {
		switch c {
		case '#', '>', '$', '%', '(':
			return i >= 2
		case ' ', '\t', ',':
			return false
		}
	}
	return false
}

// split cuts a clean text at its prompts. Lines is the number of prompt lines.
func split(text []byte) (sections []section, lines int) {
	cur := section{}
	for lo, hi := range layout.Lines(text) {
		device, command, ok := prompt(text[lo:hi])
		if !ok {
			continue
		}
		lines++
		cur.hi = lo
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
		cur = section{device: device, command: command, lo: next, hi: len(text)}
	}
	cur.hi = len(text)
	if cur.hi > cur.lo {
		sections = append(sections, cur)
	}
	if name := first(sections); name != "" && sections[0].device == "" {
		sections[0].device, sections[0].banner = name, true // what stands before the first prompt is the same device's: its banner
	}
	return sections, lines
}

// first returns the device of the first prompt.
func first(sections []section) string {
	for _, s := range sections {
		if s.device != "" {
			return s.device
		}
	}
	return ""
}
