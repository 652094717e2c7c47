package capture

import (
	"bytes"
	"errors"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/route"
)

// Programs, pictures and recorded packets get into a night's folder too. There is nothing to read in them, and their
// lines, of any length and of any bytes, would be looked through for a long time.

var errNoText = errors.New("no text: a program, a picture or the like; it can stay outside of the case")

// Of a file that is no text, more than one in few bytes is a control code that nothing prints, and there are some.
const (
	sampled     = 64 << 10 // bytes looked at, at the begin of a file and in its middle
	fewControls = 32
	oneIn       = 25
)

// noText reports whether a file seems to be no text.
func noText(b []byte) bool {
	controls, others := 0, 0
	for _, part := range [][]byte{b[:min(len(b), sampled)], b[len(b)/2 : min(len(b)/2+sampled, len(b))]} {
		for _, c := range part {
			switch {
			case c == 0: // lost bytes
			case unprinted[c]:
				controls++
			default:
				others++
			}
		}
	}
	return controls > fewControls && controls*oneIn > controls+others
}

// unprinted are the control codes that no device sends to a terminal.
var unprinted = func() (set [256]bool) {
	for c := range byte(' ') {
		set[c] = !bytes.ContainsRune([]byte("\a\b\t\n\v\f\r\x1b\x0e\x0f\x11\x13"), rune(c))
	}
	return set
}()

// noTextPart is all that is said of a file that is no text.
func noTextPart(raw []byte, file uint32) Part {
	const shown = 40
	line := route.Mark{File: file, End: uint32(min(len(raw), shown))}
	if n := bytes.IndexByte(raw, '\n'); n >= 0 {
		line.End = min(line.End, uint32(n))
	}
	return Part{Where: route.Mark{File: file, End: uint32(len(raw))},
		Reading: layout.Reading{Unread: []layout.Unread{{Mark: line, Reason: errNoText}}}}
}
