package terminal

import (
	"strings"

	"zarvek/internal/lazyregexp"
)

// controls are a terminal's escape sequences: they place the cursor or colour what follows.
var controls = lazyregexp.New("\x1b(?:\\[[0-9;?]*[ " +
	"-/]*[@-~]|\\][^\x07\x1b]*(?:\x07|\x1b\\\\)|[()][A-Z0-9]|[=>78DEHMNOZc])")

// Clean returns a text as it stands on the screen: without escape sequences, with backspaces and carriage returns
// carried out. A device's log keeps them; this is only for finding prompts and answers.
func Clean(b []byte) string {
	s := string(b)
	if strings.IndexByte(s, 0x1b) >= 0 {
		s = controls.ReplaceAllString(s, "")
	}
	if !strings.ContainsAny(s, "\r\b\x00\x07") {
		return s
	}
	var out strings.Builder
	for line := range strings.SplitAfterSeq(s, "\n") {
		end := ""
		if strings.HasSuffix(line, "\n") {
			line, end = strings.TrimRight(line, "\r\n"), "\n"
		}
		out.WriteString(screenLine(line))
		out.WriteString(end)
	}
	return out.String()
}

// screenLine carries out what moves within one line.
func screenLine(line string) string {
	if !strings.ContainsAny(line, "\r\b\x00\x07") {
		return line
	}
	var cells []rune
	at := 0
	for _, r := range line {
		switch r {
		case '\r':
			at = 0
		case '\b':
			at = max(at-1, 0)
		case 0, 7:
		default:
			if at < len(cells) {
				cells[at] = r
			} else {
				cells = append(cells, r)
			}
			at++
		}
	}
	// What was written over by blanks and left is not there any more.
	return strings.TrimRight(string(cells[:min(len(cells), max(at, len(strings.TrimRight(string(cells), " "))))]),
		"\x00")
}
