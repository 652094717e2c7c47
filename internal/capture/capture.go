// Package capture turns the bytes of one file into readings: it cleans terminal debris, cuts session logs at their
// prompts, recognises by content which layout each part is in, and hands it to that layout's reader.
//
// Every line that is not blank is accounted for. It knows nothing of cases, devices' folders or forwarding.
package capture

import (
	"zarvek/internal/capture/layout"
	"zarvek/internal/capture/layout/iproute"
	"zarvek/internal/capture/layout/lettered"
	"zarvek/internal/core/route"
)

// readers are all layout families. A new one is one more line here.
var readers = []layout.Reader{
	lettered.Reader,
	iproute.Reader,
}

// A Part is one stretch of a capture and what was read in it.
type Part struct {
	Device  string // from the prompt above it; "" where there is none
	Command string // typed at that prompt
	layout.Reading
}

// A Capture is one file with its readings.
type Capture struct {
	Source  *Source
	Parts   []Part
	Prompts int // lines
}

// Read reads one file. File is its number in the case, counted from 1: every mark will carry it.
func Read(name string, raw []byte, file uint32) (*Capture, error) {
	src, err := newSource(name, raw)
	if err != nil {
		return nil, err
	}
	c := &Capture{Source: src}
	sections, lines := split(src.text)
	c.Prompts = lines
	for _, s := range sections {
		text := src.text[s.lo:s.hi]
		if layout.Blank(text) {
			continue
		}
		p := Part{Device: s.device, Command: s.command, Reading: read(text)}
		p.MapMarks(func(m route.Mark) route.Mark {
			m.Off, m.End = m.Off+uint32(s.lo), m.End+uint32(s.lo)
			m = src.original(m)
			m.File = file
			return m
		})
		c.Parts = append(c.Parts, p)
	}
	return c, nil
}

// read gives a text to the reader that recognises most of it.
func read(text []byte) layout.Reading {
	best, most := -1, 0
	for i, r := range readers {
		if n := r.Recognise(text); n > most {
			best, most = i, n
		}
	}
	if best >= 0 {
		return readers[best].Read(text)
	}
	var r layout.Reading
	for lo, hi := range layout.Lines(text) {
		if !layout.Blank(text[lo:hi]) {
			r.Unread = append(r.Unread, layout.Unread{Mark: layout.Mark(lo, hi), Reason: layout.ErrNoLayout})
		}
	}
	return r
}
