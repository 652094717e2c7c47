package capture

import (
	"bytes"
	"errors"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// ofRules are the layouts of texts that tell what decides over packets: what follows the end of a cut one may decide
// too.
var ofRules = []string{"statements", "hierarchy", "blocks", "nftables text", "saved rules", "listed chains", "rule set",
	"paths"}

// cutShort keeps that a configuration or a listing of rules stops in the middle of its last line.
func (c *Capture) cutShort() *Capture {
	text := c.Source.text
	raw := text[bytes.LastIndexByte(text, '\n')+1:]
	indented := len(raw) > 0 && layout.Blank(raw) // it stops where a line begins
	if indented {
		text = bytes.TrimRight(text, " \t\r\n")
	}
	if len(c.Parts) == 0 || !indented && !unlikeOthers(text, raw) ||
		slices.Contains([]string{"end", "exit", "quit", "return", "!", "}", "next", "COMMIT", "#"},
			string(lastLine(text))) {
		return c
	}
	lo := len(text) - len(lastLine(text))
	for i := range c.Parts {
		p := &c.Parts[i]
		mark := c.Source.original(route.Mark{File: p.Where.File, Off: uint32(lo), End: uint32(len(text))})
		// a prompt below it is no line of it
		if slices.Contains(ofRules, p.Layout) && p.Where.Off <= mark.Off && mark.Off < p.Where.End {
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
	ended := bytes.IndexByte(c.Source.text[len(text):], '\n') >= 0
	last := bytes.Count(text, []byte{'\n'})
	for i := range c.Parts {
		p := &c.Parts[i]
		if !slices.ContainsFunc(p.Unread, func(u layout.Unread) bool {
			return c.Source.cleanLine(u.Mark.Off) == last &&
				(!ended || errors.Is(u.Reason, layout.ErrCut))
		}) {
			continue
		}
		at, off := -1, uint32(0)
		for k := range p.Facts.Tables {
			l := &p.Facts.Tables[k].Routes
			if n := l.Len(); n > 0 && l.At(n-1).Mark.Off >= off {
				at, off = k, l.At(n-1).Mark.Off
			}
		}
		if at >= 0 {
			p.Facts.Tables[at].Cut = true
		}
	}
	return c
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
	ending := func(line []byte) string {
		w := bytes.Fields(line)
		return string(bytes.Join(w[max(0, len(w)-2):], []byte(" ")))
	}
	for lo, hi := range layout.Lines(text[:len(text)-len(last)]) {
		if ending(text[lo:hi]) == ending(last) {
			return false
		}
	}
	return true
}
