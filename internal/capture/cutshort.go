package capture

import (
	"bytes"
	"errors"
	"slices"
	"sync"
	"unicode"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// ofRules are the layouts of texts that tell what decides over packets: what follows the end of a cut one may decide
// too.
var ofRules = []string{"statements", "hierarchy", "blocks", "commands", "nftables text", "saved rules",
	"listed chains", "rule set", "paths"}

// asksConfiguration matches a command that shows a configuration, with the filters in it.
var asksConfiguration = lazyregexp.New(`(?i)^(?:do )?(?:sho?w?|disp?l?a?y?|more|cat|write) ?(?:\S+ )*` +
	`(?:run\w*|start\w*|conf\S*|curr\S*|saved\S*|full-\S*|term\w*)|^/export|^show$`)

// asksWholeConfiguration matches a command that shows a configuration from its begin to its end.
var asksWholeConfiguration = lazyregexp.New(`(?i)^(?:do )?(?:sho?w?|disp?l?a?y?) ` +
	`(?:run\S*|start\S*|conf\S*|curr\S*|saved\S*)(?: all)?(?: ?\| ?no-?more)?$`)

// showsWhole matches a command that shows a whole configuration, as it is or in other words.
var showsWhole = lazyregexp.New(`(?i)^(?:sudo |do |run )?(?:(?:sho?w?|disp?l?a?y?|get|write) ` +
	`(?:run\S*|start\S*|conf\S*|curr\S*|saved\S*|full-conf\S*|term\S*)` +
	`(?: (?:all|commands|sanitized|formal|verbose|expand\S*|merged|linenum))?|/export(?: \S+)*|show|(?:cat|more) \S+)` +
	`(?: ?\| ?(?:display set|no-?more|cat|more))*$`)

// WholeConfiguration reports whether the part is a configuration of which nothing says that it was asked for in part.
func (p *Part) WholeConfiguration() bool {
	switch p.Layout {
	case "statements", "hierarchy", "blocks", "paths":
		return p.AskedWhole()
	}
	return false
}

// AskedWhole reports whether nothing says that the part, a text of a configuration, was asked for in part.
func (p *Part) AskedWhole() bool {
	return !p.abridged && (p.Command == "" || showsWhole.MatchString(p.Command))
}

// ended keeps that a configuration has come to its end: a list of rules that nothing in it applies is not used, and
// does not wait for lines that were not captured.
func (p *Part) ended() {
	p.Facts.Policy.Flows = slices.DeleteFunc(p.Facts.Policy.Flows, func(f network.FlowRule) bool {
		return f.Missing == network.NotApplied
	})
}

// cutShort keeps that a configuration or a listing of rules stops in the middle of its last line.
func (c *Capture) cutShort() *Capture {
	text := c.Source.text
	raw := text[bytes.LastIndexByte(text, '\n')+1:]
	indented := len(raw) > 0 && layout.Blank(raw) // it stops where a line begins
	if indented {
		text = bytes.TrimRight(text, " \t\r\n")
	}
	asked := len(c.Parts) > 0 && len(raw) > 0 && c.Parts[len(c.Parts)-1].Layout == "" &&
		asksConfiguration.MatchString(c.Parts[len(c.Parts)-1].Command)
	if len(c.Parts) == 0 || !indented && !asked && !unlikeOthers(text, raw) ||
		slices.Contains([]string{"end", "exit", "quit", "return", "!", "}", "next", "COMMIT", "#"},
			string(lastLine(text))) {
		return c
	}
	lo := len(text) - len(lastLine(text))
	for i := range c.Parts {
		p := &c.Parts[i]
		mark := c.Source.original(route.Mark{File: p.Where.File, Off: uint32(lo), End: uint32(len(text))})
		// a prompt below it is no line of it
		if p.Where.Off > mark.Off || mark.Off >= p.Where.End {
			continue
		}
		switch {
		case slices.Contains(ofRules, p.Layout):
			p.doubt(mark)
		case asked && p.Layout == "":
			p.Layout, p.Score = FilterNotRead, 1
			p.Unread = slices.DeleteFunc(p.Unread, func(u layout.Unread) bool { return u.Mark.Off >= mark.Off })
			p.doubt(mark)
		}
	}
	return c
}

// cutTables keeps that a table ends in a line that could not be read: it has no end, or is a row without its rest.
func (c *Capture) cutTables() *Capture {
	text := bytes.TrimRight(c.Source.text, " \t\r\n")
	if len(text) == 0 || document(c.Source.text) {
		return c
	}
	rest := c.Source.text[len(text):]
	ended := bytes.IndexByte(rest, '\n') >= 0
	begun := ended && rest[len(rest)-1] == ' ' // it stops where a line begins
	last := sync.OnceValue(func() int { return bytes.Count(text, []byte{'\n'}) })
	for i := range c.Parts {
		p := &c.Parts[i]
		open := begun && c.Source.cleanLine(max(p.Where.End, 1)-1) >= last()
		open = open || slices.ContainsFunc(p.Unread, func(u layout.Unread) bool {
			return c.Source.cleanLine(u.Mark.Off) == last() && (!ended || errors.Is(u.Reason, layout.ErrCut))
		})
		open = open || slices.ContainsFunc(p.Passed, func(x layout.Passed) bool { // rows would stand below it
			return x.As == layout.Parent && c.Source.cleanLine(x.Mark.Off) == last()
		})
		at, off := p.lastTable()
		if at >= 0 && (open || c.breaksOff(p, off)) {
			p.Facts.Tables[at].Cut = true
		}
	}
	return c
}

// lastTable is the table that the last row of the part is in, -1 for none, and where that row is.
func (p *Part) lastTable() (at int, off uint32) {
	at = -1
	for k := range p.Facts.Tables {
		l := &p.Facts.Tables[k].Routes
		if n := l.Len(); n > 0 && l.At(n-1).Mark.Off >= off {
			at, off = k, l.At(n-1).Mark.Off
		}
	}
	return at, off
}

// doubted keeps that a line was taken out of a text of rules, since it was broken or had lost bytes: it may have been a
// rule, or have told what one means.
func (c *Capture) doubted() *Capture {
	for i := range c.Parts {
		p := &c.Parts[i]
		if !slices.Contains(ofRules, p.Layout) {
			continue
		}
		for _, u := range p.Unread {
			if errors.Is(u.Reason, errWrapped) || errors.Is(u.Reason, errLost) {
				p.doubt(u.Mark)
				break
			}
		}
	}
	return c
}

// doubt adds that a filter may be missing, to what decides over all that comes in.
func (p *Part) doubt(mark route.Mark) {
	flows := p.Facts.Policy.Flows
	chain := 1
	if n := len(flows); n > 0 {
		chain = flows[n-1].Chain + 1
	}
	rest := network.FlowRule{Hook: network.ComingIn, Permit: true, NotRead: true, Chain: chain, Mark: mark}
	cut := rest
	cut.Permit, cut.Undecided, cut.Missing = false, true, network.CutOff
	p.Facts.Policy.Flows = append(flows, cut, rest)
}

func lastLine(text []byte) []byte {
	return bytes.TrimSpace(text[bytes.LastIndexByte(text, '\n')+1:])
}

// unlikeOthers reports whether a last line without its end ends in two words that no other line ends in.
func unlikeOthers(text, last []byte) bool {
	if len(last) == 0 {
		return false
	}
	word, before := lastTwoWords(last)
	for lo, hi := range layout.Lines(text[:len(text)-len(last)]) {
		if w, b := lastTwoWords(text[lo:hi]); bytes.Equal(w, word) && bytes.Equal(b, before) {
			return false
		}
	}
	return true
}

// lastTwoWords returns the last word of a line and the one before it. The rest of the line is not looked at.
func lastTwoWords(line []byte) (last, before []byte) {
	cut := func() []byte {
		line = bytes.TrimRightFunc(line, unicode.IsSpace)
		at := bytes.LastIndexFunc(line, unicode.IsSpace) + 1
		word := line[at:]
		line = line[:at]
		return word
	}
	return cut(), cut()
}
