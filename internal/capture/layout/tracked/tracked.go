// Package tracked reads what a device says of the objects that it watches, to which configured static routes may be
// tied: in paragraphs about one object each, in rows of a brief list, and in lines about monitors of links.
package tracked

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

const name = "tracked objects"

// Reader is the family's registration.
var Reader = layout.Reader{Name: name, Recognise: recognise, Read: Read,
	About: "objects that a device tracks, and whether they are up",
	Sample: "Track 1\n" +
		"  IP SLA 1 reachability\n" +
		"  Reachability is Down\n"}

var (
	// paragraph begins what is said of one object: "Track 1", "Track ID: 1".
	paragraph = lazyregexp.New(`^Track (?:ID: ?)?([\w.-]+)\s*$`)
	// stateLine tells it: "Line protocol is Up (hw admin-down)", "Boolean AND is Down", "State: Negative (0)".
	stateLine = lazyregexp.New(`^\s+(?:[A-Z][\w -]*? is|State:) (Up|UP|Down|DOWN|Positive|Negative|NotReady)\b`)
	// monitor is "Link Monitor: up1, Status: dead, …".
	monitor = lazyregexp.New(`^Link Monitor: ([\w.-]+), Status: (alive|dead|die)\b`)
	heading = lazyregexp.New(`^Track\s+(?:Type\s+Instance|Object)\s.*\bState\b`)
	row     = lazyregexp.New(`^(\d+)\s+[A-Za-z].*?\s(Up|UP|Down|DOWN)\s+(?:\d\S*|never)\s*$`)
)

func recognise(text []byte) int {
	n := 0
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		line := string(text[lo:min(hi, lo+300)])
		if strings.HasPrefix(line, "Track ") && (paragraph.MatchString(line) || heading.MatchString(line)) ||
			strings.HasPrefix(line, "Link Monitor: ") && monitor.MatchString(line) {
			n += 8
		}
	}
	return n
}

type reader struct {
	layout.Collector
	object string // that is spoken of, until its state is told
	open   bool   // in a paragraph
	rows   bool   // in the brief list
}

// Read reads a text of this family.
func Read(text []byte) layout.Reading {
	var r reader
	r.Layout = name
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:hi])
		switch {
		case strings.TrimSpace(line) == "":
		case r.begins(line):
			as := layout.Title
			if r.rows {
				as = layout.Names
			}
			r.Pass(lo, hi, as)
		case r.tells(line, lo, hi):
			r.Collector.Read++
		case r.open || line[0] == ' ':
			r.Pass(lo, hi, layout.Other)
		default:
			r.LeaveUnread(lo, hi, layout.ErrNotARoute)
		}
	}
	return r.Reading
}

// begins reports whether a line begins what is said of an object, or the brief list.
func (r *reader) begins(line string) bool {
	m := paragraph.FindStringSubmatch(line)
	switch {
	case m != nil:
		r.object, r.open, r.rows = m[1], true, false
	case heading.MatchString(line):
		r.object, r.open, r.rows = "", false, true
	default:
		return false
	}
	return true
}

// tells reads the state of an object from the line that has it.
func (r *reader) tells(line string, lo, hi int) bool {
	object, state := "", ""
	if m := monitor.FindStringSubmatch(line); m != nil {
		object, state = m[1], m[2]
		r.open, r.rows = true, false
	} else if m := row.FindStringSubmatch(line); m != nil && r.rows {
		object, state = m[1], m[2]
	} else if m := stateLine.FindStringSubmatch(line); m != nil && r.object != "" {
		object, state = r.object, m[1]
	}
	if object == "" || state == "NotReady" {
		return false
	}
	r.object = "" // one state each
	up := strings.EqualFold(state, "up") || state == "Positive" || state == "alive"
	r.Facts.Tracked = append(r.Facts.Tracked, network.TrackedObject{Name: object, Up: up, Mark: layout.Mark(lo, hi)})
	return true
}
