package lists

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/lazyregexp"
)

const titledName = "interfaces with titles"

// Titled is the registration of the form with a title for each interface and below it names with values, one a line.
var Titled = layout.Reader{Name: titledName, Recognise: recogniseTitled, Read: ReadTitled,
	About:  "a title in brackets for each interface, below it its settings, one a line",
	Sample: "==[hall0]\n\tip: 10.61.16.1 255.255.255.0\n\tstatus: up\n"}

var (
	// ==[hall0]
	linkTitle = lazyregexp.New(`^\s*== ?\[ ?([^\s\]]+) ?\]\s*$`)
	// status: up; ip: 10.61.16.1 255.255.255.0
	settingLine = lazyregexp.New(`^\s+([a-z][\w-]*):\s*(.*?)\s*$`)
	statusLine  = lazyregexp.New(`^\s+status: (?:up|down)\s*$`)
)

func recogniseTitled(text []byte) int {
	n := 0
	titled := false
	for lo, hi := range layout.Lines(text[:min(len(text), 1<<16)]) {
		line := text[lo:min(hi, lo+300)]
		switch {
		case linkTitle.Match(line):
			titled = true
		case titled && statusLine.Match(line):
			n += 4
		case !settingLine.Match(line):
			titled = false
		}
	}
	return n
}

// ReadTitled reads a text of this form. A setting that comes twice below one title is another interface's, whose title
// is missing.
func ReadTitled(text []byte) layout.Reading {
	var c layout.Collector
	c.Layout = titledName
	name, seen := "", map[string]bool{}
	for lo, hi := range layout.Lines(text) {
		line := string(text[lo:min(hi, lo+300)])
		if strings.TrimSpace(line) == "" {
			continue
		}
		if f := linkTitle.FindStringSubmatch(line); f != nil {
			name = f[1]
			clear(seen)
			c.Pass(lo, hi, layout.Title)
			continue
		}
		f := settingLine.FindStringSubmatch(line)
		if f == nil || name == "" || seen[f[1]] {
			name = ""
			c.LeaveUnread(lo, hi, layout.ErrNoRoute)
			continue
		}
		seen[f[1]] = true
		switch m := layout.Mark(lo, hi); {
		case f[1] == "status" && (f[2] == "up" || f[2] == "down"):
			c.Facts.Interfaces = append(c.Facts.Interfaces,
				network.Interface{Name: name, State: stateOf([]string{f[2]}), Mark: m})
			c.Read++
		case f[1] == "ip" && !strings.HasPrefix(f[2], "0.0.0.0"):
			p, err := layout.Prefix([]byte(strings.Join(strings.Fields(f[2]), "/")), true)
			if err != nil {
				c.LeaveUnread(lo, hi, err)
				continue
			}
			c.Facts.Addresses = append(c.Facts.Addresses, network.Address{Prefix: p, Interface: name, Mark: m})
			c.Read++
		default:
			c.Pass(lo, hi, layout.Other)
		}
	}
	return c.Reading
}
