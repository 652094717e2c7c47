package capture

import (
	"bytes"

	"zarvek/internal/lazyregexp"
)

// What a terminal shows between the lines of a table and what belongs to nobody: messages of the system log, a pager's
// prompts, error texts of mistyped commands.
var (
	logMessage = lazyregexp.New(
		`(?:^|[\s:])%[A-Z][A-Z0-9_]*(?:-[A-Z0-9_]+)*-[0-7]-[A-Z0-9_]+: |^<\d{1,3}>(?:1 )?[A-Z0-9]`,
	)
	pager = lazyregexp.New(
		`(?i)^\s*(?:<?-+\s*\(?more\)?(?:\s*\(?\d+%\)?)?\s*-+>?|-- more --[^\[]{0,60}|\(end\))\s*$`,
	)
	pagerFront = lazyregexp.New(`(?i)^\s*<?-{2,3}\s*\(?more\)?(?:\s*\(?\d+%\)?)?\s*-{2,3}>?\s+`)
	mode       = lazyregexp.New(
		`^(?:\{(?:master|backup|primary|secondary|linecard)[\w:.-]*\}(?:\[edit[^\]]*\])?|\[edit(?: [^\]]*)?\]` +
			`|\[/[^\]]*\])\s*$`,
	) // stands above a prompt
	complaint = lazyregexp.New(
		`^%\s*(?:Unknown|Invalid|Incomplete|Ambiguous|Command|Bad|There is no|Type|Network not|Subnet not)` +
			`|^\s*\^\s*$|: command not found$`,
	)
)

// notRunning is the whole answer of a daemons' command line where the daemon that would know is not there.
var notRunning = lazyregexp.New(`^[a-z][a-z0-9]{1,9}d is not running\s*$`)

// firstRun is what management tools print once, when they are first used on a machine.
var firstRun = lazyregexp.New(`^Created directory: /\S+\s*$`)

// fence stands around what was put into a ticket or a note as it was printed.
var fence = lazyregexp.New("^(?:```|~~~)[a-z]*\\s*$")

// maxNoise is the longest line that is looked at.
const maxNoise = 1000

// noise reports whether a line is none of the tables'.
func noise(line []byte) bool {
	if len(line) > maxNoise {
		return false
	}
	switch {
	case bytes.IndexByte(line, '%') >= 0 && (logMessage.Match(line) || complaint.Match(line)):
		return true
	case bytes.IndexByte(line, '^') >= 0 && complaint.Match(line):
		return true
	case len(line) < 120 && (bytes.ContainsAny(line, "Mm(") || len(line) < 3) && pager.Match(line):
		return true
	case len(line) > 2 && line[0] == '<' && '0' <= line[1] && line[1] <= '9' && logMessage.Match(line):
		return true
	case len(line) > 2 && (line[0] == '`' || line[0] == '~') && fence.Match(line):
		return true
	case len(line) > 2 && (line[0] == '{' || line[0] == '[') && mode.Match(line):
		return true
	}
	if bytes.HasPrefix(line, []byte("Created directory: /")) && firstRun.Match(line) {
		return true
	}
	if bytes.HasSuffix(line, []byte(": command not found")) {
		return true
	}
	return bytes.HasSuffix(bytes.TrimRight(line, " \t"), []byte(" not running")) && notRunning.Match(line)
}
