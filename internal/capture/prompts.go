package capture

import (
	"bytes"
	"strconv"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// Shells, wrappers and devices have prompts in shapes that nobody listed. What recurs at the begin of lines before
// different commands is one; who asks there is told by the words of it.

// learnFrom is how much of a text's begin, and how much of its end, is looked at for such prompts, in bytes.
const (
	learnFrom = 1 << 20
	learnEnd  = 1 << 18
)

// longestOdd is the longest prompt of an unknown shape, in bytes.
const longestOdd = 60

// sureCommand matches a line that holds a command that asks for something, behind a prompt of any shape.
var sureCommand = lazyregexp.New(`^(\S(?:.{0,58}?\S)??[ \t]*)((?:sudo )?(?:(?:/\S*/)?ip(?: -\S+` +
	`| [\w.-]+)*? (?:(?:r|ro|route|routes|ru|rule|a|ad|addr|address|l|li|link|n|ne|neigh|neighbour)(?: *$| *\|` +
	`|(?: (?:s|sh|sho|show|l|li|lis|list|ls|get|table|vrf)\b))|(?:netns|vrf) (?:exec|show))|` +
	`ssh (?:-\S+ )*[\w.@-]+ ["']?(?:ip|show|display|get|netstat|route)\b|(?:show|sh|sho|display|dis|disp) [a-z]` +
	`|get (?:rou|int|arp|sys)|netstat\b|route(?: -| print|$)|birdc?6? show|vtysh -|nft list` +
	`|ip6?tables(?:-save)?(?: -|$)|sysctl |ifconfig\b|arp -[aen]|cat /proc/(?:sys/)?net/` +
	`|/(?:ip|ipv6|interface|routing) ).*)$`)

// mayHold are words without which a line holds no such command.
var mayHold = [][]byte{[]byte("ip "), []byte("show "), []byte("sh "), []byte("sho "), []byte("display "),
	[]byte("dis "), []byte("disp "), []byte("get "),
	[]byte("netstat"), []byte("route"), []byte("bird"), []byte("vtysh"), []byte("nft "), []byte("tables"),
	[]byte("sysctl "), []byte("ifconfig"), []byte("arp -"), []byte("/proc/"),
	[]byte("/ip"), []byte("/interface "), []byte("/routing ")}

// timeOfDay is what changes in a prompt from one command to the next.
var timeOfDay = lazyregexp.New(`\d{1,2}:\d\d(?::\d\d)?(?:\.\d+)?|\d{4}-\d\d-\d\d`)

// learned are prompts of unknown shapes, with times of the day made alike, and who asks there.
type learned map[string]string

// learn finds the prompts of unknown shapes: two different commands at least stand behind the same words, or one behind
// a sign that only shells and devices end with, or in the first line.
func (p *prompter) learn() {
	before, begins := map[string]map[string]bool{}, len(bytes.TrimLeft(p.text, " \t\r\n"))
	look := func(text []byte) {
		for lo, hi := range layout.Lines(text) {
			line := bytes.TrimRight(text[lo:hi], " \t\r")
			if len(line) < 4 || len(line) > maxPrompt || line[0] == ' ' || line[0] == '\t' ||
				isElement(line) || !holdsAny(line, mayHold) {
				continue
			}
			m := sureCommand.FindSubmatch(line)
			if m == nil || !endsPrompt(m[1]) {
				continue
			}
			if device, _, known := p.prompted(line); known {
				if p.bare == nil {
					p.bare = map[string]string{}
				}
				p.bare[string(bytes.TrimSpace(m[1]))] = device
				continue
			}
			key := timeOfDay.ReplaceAllString(strings.TrimRight(string(m[1]), " \t"), "0")
			if before[key] == nil {
				before[key] = map[string]bool{}
			}
			before[key][string(m[2])] = true
			if strings.ContainsAny(key[len(key)-1:], "#$%>") || !isASCII(key) || len(p.text)-lo == begins {
				before[key][""] = true
			}
		}
	}
	if n := len(p.text); n <= learnFrom+learnEnd {
		look(p.text)
	} else {
		look(p.text[:learnFrom])
		look(p.text[n-learnEnd:])
	}
	for key, commands := range before {
		if len(commands) < 2 || asker(key) == "" && p.comments(key) {
			continue
		}
		if p.odd == nil {
			p.odd = learned{}
		}
		p.odd[key] = asker(key)
	}
}

// counter matches a prompt with a number behind the name, which may count the commands: name.12 # command
var counter = lazyregexp.New(`^(?:\* )?(?:Slot-\d+ )?([A-Za-z][\w-]*)\.(\d+) [#>]\s*(\S.*)?$`)

// learnCounts finds the names behind which the number counts commands: it grows from prompt to prompt. Devices that
// differ by it are asked more than once, or in any order.
func (p *prompter) learnCounts() {
	last, counts := map[string]int{}, map[string]bool{}
	for lo, hi := range p.others.lines(false) {
		line := p.text[lo:hi]
		if len(line) == 0 || len(line) > maxPrompt || bytes.IndexByte(line, '.') < 0 || !mayPrompt(line) {
			continue
		}
		m := counter.FindSubmatch(bytes.TrimRight(line, "\r"))
		if m == nil {
			continue
		}
		name := string(m[1])
		n, err := strconv.Atoi(string(m[2]))
		was, seen := last[name]
		counts[name] = err == nil && (!seen || counts[name] && n > was)
		last[name] = n
	}
	p.counts = counts
}

// comments reports whether a sign alone begins remarks: most of what stands behind it asks nothing.
func (p *prompter) comments(sign string) bool {
	asks, others := 0, 0
	for lo, hi := range layout.Lines(p.text[:min(len(p.text), learnFrom)]) {
		line := bytes.TrimRight(p.text[lo:hi], " \t\r")
		if !bytes.HasPrefix(line, []byte(sign)) || len(line) == len(sign) {
			continue
		}
		if m := sureCommand.FindSubmatch(line); m != nil && strings.TrimRight(string(m[1]), " \t") == sign {
			asks++
		} else {
			others++
		}
	}
	return others > asks
}

func isASCII(s string) bool { return strings.IndexFunc(s, func(r rune) bool { return r >= 0x80 }) < 0 }

// mayBeOdd reports whether a line that begins with a character may begin with a prompt of an unknown shape: a time of
// the day begins with a digit.
func (p *prompter) mayBeOdd(first byte) bool {
	for key := range p.odd {
		if key[0] == first || key[0] == '0' && digit(first) {
			return true
		}
	}
	return false
}

// holdsAny reports whether any of some words stands in a line.
func holdsAny(line []byte, words [][]byte) bool {
	for _, w := range words {
		if bytes.Contains(line, w) {
			return true
		}
	}
	return false
}

// endsPrompt reports whether what stands before a command ends as prompts and titles do: in a sign.
func endsPrompt(b []byte) bool {
	s := strings.TrimRight(string(b), " \t")
	if s == "" || len(s) > longestOdd {
		return false
	}
	for _, sign := range []string{"#", "$", ">", "%", "]", ":", "~", "+", "!", "❯", "➜", "»", "λ", "✗", "±", "⟩"} {
		if strings.HasSuffix(s, sign) {
			return true
		}
	}
	return false
}

var (
	atHost      = lazyregexp.New(`[@㉿]([A-Za-z0-9][\w.-]*)`)
	promptWords = lazyregexp.New(`[\pL\pN][\pL\pN_.-]*`)
	besides     = lazyregexp.New(`^\([^()]*\) *|^\[?0\]? *`) // an environment or the time in front
)

// asker is the name of who asks at a prompt, "" where it has none: a title, or signs alone.
func asker(prompt string) string {
	if m := atHost.FindStringSubmatch(prompt); m != nil {
		return m[1]
	}
	if strings.HasSuffix(prompt, ":") {
		return ""
	}
	s := prompt
	for besides.MatchString(s) {
		s = besides.ReplaceAllString(s, "")
	}
	if i := strings.IndexAny(s, "~/("); i >= 0 { // a folder, or a mode
		s = s[:i]
	}
	return strings.Join(promptWords.FindAllString(s, -1), "-")
}

// alone reads a line that is no more than a prompt which stands before a command elsewhere.
func (p *prompter) alone(line []byte) (device string, ok bool) {
	line = bytes.TrimSpace(line)
	if len(p.bare) == 0 || len(line) == 0 || len(line) > longestOdd ||
		bytes.IndexByte([]byte("#$%>"), line[len(line)-1]) < 0 {
		return "", false
	}
	device, ok = p.bare[string(line)]
	return device, ok
}

// oddly reads a line that begins with a prompt of an unknown shape that was learned.
func (p *prompter) oddly(line []byte) (device, command string, ok bool) {
	if len(p.odd) == 0 || len(line) == 0 || len(line) > maxPrompt || bytes.Contains(line, []byte(void)) {
		return "", "", false
	}
	if !p.mayBeOdd(line[0]) {
		return "", "", false
	}
	s := timeOfDay.ReplaceAllString(string(line[:min(len(line), longestOdd+40)]), "0")
	best, end := "", 0
	for key := range p.odd {
		if len(key) <= len(best) || !strings.HasPrefix(s, key) {
			continue
		}
		for n := len(key); n <= min(len(line), longestOdd+40); n++ { // the time is longer than what stands for it
			if timeOfDay.ReplaceAllString(string(line[:n]), "0") == key {
				best, end = key, n
				break
			}
		}
	}
	if best == "" {
		return "", "", false
	}
	rest := strings.TrimSpace(string(line[end:]))
	if rest != "" && (rest[0] < 'a' || rest[0] > 'z') && (rest[0] < 'A' || rest[0] > 'Z') && rest[0] != '/' {
		return "", "", false
	}
	return p.odd[best], rest, true
}
