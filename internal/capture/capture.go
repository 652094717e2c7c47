// Package capture turns the bytes of one file into readings: it cleans terminal debris, cuts session logs at their
// prompts, recognises by content which layout each part is in, and hands it to that layout's reader.
//
// Every line that is not blank is accounted for. It knows nothing of cases, devices' folders or forwarding.
package capture

import (
	"bytes"
	"errors"
	"slices"

	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/bfd"
	"zarvek/internal/capture/layout/bird"
	"zarvek/internal/capture/layout/blocks"
	"zarvek/internal/capture/layout/columns"
	"zarvek/internal/capture/layout/commands"
	"zarvek/internal/capture/layout/database"
	"zarvek/internal/capture/layout/flagged"
	"zarvek/internal/capture/layout/frr"
	"zarvek/internal/capture/layout/hierarchy"
	"zarvek/internal/capture/layout/ifconfig"
	"zarvek/internal/capture/layout/iproute"
	"zarvek/internal/capture/layout/keyed"
	"zarvek/internal/capture/layout/lettered"
	"zarvek/internal/capture/layout/lists"
	"zarvek/internal/capture/layout/mrt"
	"zarvek/internal/capture/layout/nftables"
	"zarvek/internal/capture/layout/paragraphs"
	"zarvek/internal/capture/layout/paths"
	"zarvek/internal/capture/layout/peers"
	"zarvek/internal/capture/layout/plain"
	"zarvek/internal/capture/layout/procnet"
	"zarvek/internal/capture/layout/records"
	"zarvek/internal/capture/layout/rtnetlink"
	"zarvek/internal/capture/layout/rulesets"
	"zarvek/internal/capture/layout/snmp"
	"zarvek/internal/capture/layout/speaking"
	"zarvek/internal/capture/layout/starred"
	"zarvek/internal/capture/layout/statements"
	"zarvek/internal/capture/layout/sysctl"
	"zarvek/internal/capture/layout/tracked"
	"zarvek/internal/capture/layout/yang"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// readers are all layout families. A new one is one more line here.
var readers = []layout.Reader{
	lettered.Reader,
	iproute.Reader,
	iproute.TextReader,
	frr.JSON,
	keyed.Reader,
	frr.Text,
	sysctl.Reader,
	rtnetlink.Reader,
	procnet.Reader,
	ifconfig.Reader,
	snmp.Reader,
	starred.Reader,
	columns.Reader,
	bird.Reader,
	flagged.Reader,
	yang.Reader,
	plain.CSV,
	plain.Own,
	statements.Reader,
	commands.Reader,
	bfd.Reader,
	tracked.Reader,
	database.Reader,
	nftables.Reader,
	nftables.Text,
	nftables.Saved,
	nftables.Listed,
	paragraphs.Reader,
	paragraphs.Entries,
	records.Reader,
	hierarchy.Reader,
	rulesets.Reader,
	speaking.Reader,
	peers.Reader,
	blocks.Reader,
	paths.Reader,
	lists.Reader,
	lists.Detail,
	lists.Nested,
	lists.Virtual,
	lists.Pairs,
	lists.Titled, lists.Told,
	lists.Workstation,
	lists.Tunnels,
}

// A Part is one stretch of a capture and what was read in it.
type Part struct {
	Device      string // from the prompt above it; "" where there is none
	Command     string // typed at that prompt
	Remote      string // the same as Device where the command was given through another device
	Space       string // the network namespace that the command asked, "" for the device's own
	Score       int    // how many of its first lines the reader was sure of, and more for an unmistakable heading
	Where       route.Mark
	PartOfRules bool // some of the rules for routing are all that was asked for
	abridged    bool // a line says that others were left out
	layout.Reading
}

// A Capture is one file with its readings.
type Capture struct {
	Source  *Source
	Parts   []Part
	Prompts int // lines

	hostname string // of one whose reading was kept

	factLines map[int]bool // clean lines that something was read from, found when somebody asks
}

// Read reads one file. File is its number in the case, counted from 1: every mark will carry it. Described are readers
// of the user's own layouts, which are asked as well.
func Read(name string, raw []byte, file uint32, described ...layout.Reader) (*Capture, error) {
	src, err := newSource(name, raw)
	if err != nil {
		return nil, err
	}
	c := &Capture{Source: src}
	if src.binary {
		p := Part{Score: 1, Where: route.Mark{File: file, End: uint32(len(src.raw))}, Reading: mrt.Read(src.raw)}
		p.MapMarks(func(m route.Mark) route.Mark {
			m.File = file
			return m
		})
		c.Parts = []Part{p}
		return c, nil
	}
	if src.bytes {
		c.Parts = []Part{noTextPart(src.raw, file)}
		return c, nil
	}
	all := append(described[:len(described):len(described)], readers...)
	read := func(src *Source) *Capture { return readSource(src, file, all) }
	return read(src).atEdges(read).withinGate(read).cutTables().cutShort().doubted(), nil
}

// readSource reads a text with the readers given.
func readSource(src *Source, file uint32, all []layout.Reader) *Capture {
	c := &Capture{Source: src}
	sections, commands, lines := split(src.text)
	c.Prompts = lines
	for _, s := range sections {
		text := src.text[s.lo:s.hi]
		if layout.Blank(text) {
			continue
		}
		stretches := readAll(all, text)
		switch {
		case s.away:
			stretches = nobodys(text, stretches, errAway)
		case gluedCommand.MatchString(s.command):
			stretches = nobodys(text, stretches, errGlued)
		case asksOneTable.MatchString(s.command):
			stretches = oneTable(text, stretches)
		}
		stretches = notTaken(text, s.command, stretches)
		if s.device != "" && !s.away && !s.banner {
			stretches = ofItsOwn(text, s.device, stretches)
		}
		if s.banner && len(stretches) == 1 && stretches[0].Layout == "" {
			stretches[0].passAll()
		}
		first := len(c.Parts)
		for _, st := range stretches {
			p := Part{Device: s.device, Remote: s.remote, Command: s.command, Space: commandSpace(s.command),
				Score: st.score, Reading: st.Reading}
			p.Where = src.original(route.Mark{File: file, Off: uint32(s.lo + st.lo), End: uint32(s.lo + st.hi)})
			p.MapMarks(func(m route.Mark) route.Mark {
				m.Off, m.End = m.Off+uint32(s.lo+st.lo), m.End+uint32(s.lo+st.lo)
				m = src.original(m)
				m.File = file
				return m
			})
			asked := route.Mark{}
			if !s.banner && asksForPart(s.command) {
				asked = src.original(route.Mark{File: file, Off: uint32(s.asked), End: uint32(s.lo)})
				asked.File = file
			} else {
				asked = askedBare(src, p.Unread)
			}
			if m := p.titledBySource(src); m.Known() {
				asked = m
			}
			if m, inPart := p.repeated(src, s); inPart {
				asked = m
			}
			m := p.brokenOff(src, s)
			broken := m.Known()
			if broken {
				asked = m
				asked.File = file
			}
			p.apart()
			p.keepWhole(s.command)
			for i := range p.Facts.Tables {
				t := &p.Facts.Tables[i]
				t.Layout = p.Layout
				if asked.Known() && (t.Kind != network.Database || broken || s.command == "" ||
					asksForPartOfOwn(s.command)) {
					t.Filtered = asked
				}
				if t.Filtered.Known() {
					t.Scopes = commandScopes(s.command)
				}
			}
			if s.followed && !broken && asksWholeConfiguration.MatchString(s.command) {
				p.ended()
			}
			if !s.away && !s.banner {
				p.readValues(src)
				p.keepRules(src, s.command)
			}
			if p.KernelRules() {
				at := src.original(route.Mark{File: file, Off: uint32(s.asked), End: uint32(s.lo)})
				at.File = file
				p.rulesAsked(at)
			}
			if p.PartOfRules = asksForPartOfRules(s.command); p.PartOfRules { // that others are missing is no surprise
				p.Facts.Rules = slices.DeleteFunc(p.Facts.Rules, network.Rule.IsGap)
			}
			p.nameTables(src, s.part)
			p.unreadRows(src)
			p.beheaded(src, s)
			p.withoutMarks()
			c.Parts = append(c.Parts, p)
		}
		if !s.away && !s.banner {
			keepLeftOut(c.Parts[first:], src)
			notedParts(c.Parts[first:], src)
		}
		strayRows(c.Parts[first:], src)
		if t, ok := statedTotal(text); ok {
			m := src.original(route.Mark{File: file, Off: uint32(s.lo + t.lo), End: uint32(s.lo + t.hi)})
			m.File = file
			lacking(c.Parts[first:], t, m)
		}
	}
	c.changedAfterwards(commands, file)
	return c
}

var errAway = errors.New("this is no answer to the command above: another device answers, and no prompt that is " +
	"known tells which")

var errGlued = errors.New("the command above lost a blank or a byte, so that nobody knows which table it asked for")

// gluedCommand matches a command of which a word lost a byte, or the name of a table the blank before it.
var gluedCommand = lazyregexp.New(`(?i)` + void + `|\broute\b.*\s(?:vrf|vpn-instance|routing-instance` +
	`|virtual-router|instance)[A-Za-z0-9]|\broute(?:vrf|vpn-instance|routing-instance|instance)\b` +
	`|^(?:show|display)(?:ip|route)\s` +
	`|^ip\b.*(?:\btable\d|showtable|listtable|lstable|routeshow)|^iproute\s`)

// nobodys leaves unread what came after a command of which nobody knows what or whom it asked, where anything of it was
// read; why tells what is wrong with the command.
func nobodys(text []byte, stretches []stretch, why error) []stretch {
	facts := slices.ContainsFunc(stretches, func(s stretch) bool {
		for range s.FactMarks() {
			return true
		}
		return false
	})
	if !facts {
		return stretches
	}
	s := stretch{lo: 0, hi: len(text)}
	for lo, hi := range layout.Lines(text) {
		if !layout.Blank(text[lo:hi]) {
			s.Unread = append(s.Unread, layout.Unread{Mark: layout.Mark(lo, hi), Reason: why})
		}
	}
	return []stretch{s}
}

// stretch is a reading of a part of a text.
type stretch struct {
	lo, hi, score int
	layout.Reading
}

// maxDepth bounds how often what one reader left is offered to the others.
const maxDepth = 4

// readAll gives a text to the reader that recognises most of it, and each run of lines that this one leaves unread to
// the others: several commands may have printed into one file without a prompt between them.
func readAll(all []layout.Reader, text []byte) []stretch {
	first, score := read(all, text)
	var ends [][]int
	if first.Layout == statements.Reader.Name {
		ends = configurationEnds.FindAllIndex(text, -1)
	}
	if len(ends) > 0 && !layout.Blank(text[ends[len(ends)-1][1]:]) {
		return readApart(all, text, ends)
	}
	return readRuns(all, text, first, score)
}

// configurationEnds matches the line with which some systems end a configuration. What follows is no part of it.
var configurationEnds = lazyregexp.New(`(?m)^end[ \t]*\r?$`)

// readApart reads what stands between the ends of configurations, each for itself.
func readApart(all []layout.Reader, text []byte, ends [][]int) (out []stretch) {
	lo := 0
	for i := 0; i <= len(ends); i++ {
		hi := len(text)
		if i < len(ends) {
			hi = ends[i][1]
		}
		if piece := text[lo:hi]; !layout.Blank(piece) {
			first, score := read(all, piece)
			for _, s := range readRuns(all, piece, first, score) {
				s.lo, s.hi = s.lo+lo, s.hi+lo // marks count from there
				out = append(out, s)
			}
		}
		lo = hi
	}
	return out
}

// readRuns is readAll of a text that was read as a whole.
func readRuns(all []layout.Reader, text []byte, first layout.Reading, score int) []stretch {
	out := []stretch{{0, len(text), score, first}}
	for depth, at := 0, 0; depth < maxDepth && at < len(out); depth++ {
		end := len(out)
		for ; at < end; at++ {
			if out[at].Layout == "" {
				continue
			}
			for _, run := range unreadRuns(text, out[at]) {
				if r, score := read(all, text[run.lo:run.hi]); r.Layout != "" && r.Layout != out[at].Layout &&
					r.Read > 0 {
					out[at].drop(run)
					out = append(out, stretch{run.lo, run.hi, score, r})
				}
			}
		}
	}
	return out
}

// bounds is a part of a text.
type bounds struct{ lo, hi int }

// unreadRuns returns the runs of unread lines with nothing but blank lines between them.
func unreadRuns(text []byte, s stretch) []bounds {
	var runs []bounds
	for _, u := range s.Unread {
		lo, hi := s.lo+int(u.Mark.Off), s.lo+int(u.Mark.End)
		for lo > 0 && text[lo-1] != '\n' {
			lo--
		}
		for hi < len(text) && text[hi] != '\n' {
			hi++
		}
		if n := len(runs); n > 0 && layout.Blank(text[min(runs[n-1].hi, lo):lo]) {
			runs[n-1].hi = max(hi, runs[n-1].hi)
			continue
		}
		runs = append(runs, bounds{lo, hi})
	}
	for i := range runs {
		runs[i].lo = s.withHeading(text, runs[i].lo)
	}
	return runs
}

// maxHeading is how many lines above what a reader could not use are offered with it.
const maxHeading = 4

// withHeading moves the begin of a run up over the lines that the reader passed over as names or titles: they may be
// those of the rows below, which are another layout's.
func (s *stretch) withHeading(text []byte, lo int) int {
	for range maxHeading {
		above := bytes.TrimRight(text[s.lo:lo], "\r\n")
		begin := s.lo + 1 + bytes.LastIndexByte(above, '\n')
		i := slices.IndexFunc(s.Passed, func(p layout.Passed) bool {
			return s.lo+int(p.Mark.Off) == begin &&
				(p.As == layout.Names || p.As == layout.Title || p.As == layout.Ruler || p.As == layout.Other)
		})
		if i < 0 || begin >= lo {
			break
		}
		lo = begin
	}
	return lo
}

// passAll takes every unread line for one that carries nothing.
func (s *stretch) passAll() {
	for _, u := range s.Unread {
		s.Passed = append(s.Passed, layout.Passed{Mark: u.Mark})
	}
	s.Unread = nil
}

// drop takes the lines of a run out of the reading: another reader has them.
func (s *stretch) drop(run bounds) {
	s.Passed = slices.DeleteFunc(s.Passed, func(p layout.Passed) bool {
		at := s.lo + int(p.Mark.Off)
		return at >= run.lo && at < run.hi
	})
	kept := s.Unread[:0]
	for _, u := range s.Unread {
		if at := s.lo + int(u.Mark.Off); at < run.lo || at >= run.hi {
			kept = append(kept, u)
		}
	}
	s.Unread = kept
}

// smallText is how large a text may be, in bytes, that more than one reader tries.
const smallText = 16 << 10

// read gives a text to the reader that recognises most of it; a small one to all that recognise any of it, of which the
// one counts that leaves the least unread.
func read(all []layout.Reader, text []byte) (layout.Reading, int) {
	best, most := -1, 0
	scores := make([]int, len(all))
	for i, r := range all {
		if scores[i] = r.Recognise(text); scores[i] > most {
			best, most = i, scores[i]
		}
	}
	if best >= 0 {
		reading := all[best].Read(text)
		for i := 0; i < len(all) && len(text) <= smallText && len(reading.Unread) > 0; i++ {
			if scores[i] == 0 || i == best {
				continue
			}
			if r := all[i].Read(text); len(r.Unread) < len(reading.Unread) && r.Read >= reading.Read {
				reading, most = r, scores[i]
			}
		}
		return reading, most
	}
	var r layout.Reading
	for lo, hi := range layout.Lines(text) {
		if !layout.Blank(text[lo:hi]) {
			r.Unread = append(r.Unread, layout.Unread{Mark: layout.Mark(lo, hi), Reason: layout.ErrNoLayout})
		}
	}
	return r, 0
}
