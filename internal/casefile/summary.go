package casefile

import (
	"bytes"
	"cmp"
	"slices"

	"zarvek/internal/capture"
	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A Summary is what was read of one device, or of files that belong to none.
type Summary struct {
	Name     string
	Device   *network.Device // nil where nothing was read
	Captures []CaptureSummary
	Unread   []UnreadLine
	Missing  []Missing
	Untold   []Untold // of either family
	Tables   []TableSummary
}

// A TableSummary counts the routes of one merged table by who they were learned from, the most first.
type TableSummary struct {
	Table  *network.Table
	Counts []ProtocolCount
}

// A ProtocolCount is how many routes of a table one source protocol gave.
type ProtocolCount struct {
	Protocol route.Protocol
	Routes   int
}

// tableSummaries counts the routes of each table by protocol, the most first.
func tableSummaries(d *network.Device) []TableSummary {
	if d == nil {
		return nil
	}
	var out []TableSummary
	for _, t := range d.Tables().All() {
		var n [route.Aggregate + 1]int
		for id, routes := range t.Routes().Census().Routes {
			n[t.Routes().Attributes(route.AttrID(id)).Protocol] += int(routes)
		}
		s := TableSummary{Table: t}
		for p, c := range n {
			if c > 0 {
				s.Counts = append(s.Counts, ProtocolCount{route.Protocol(p), c})
			}
		}
		slices.SortStableFunc(s.Counts, func(a, b ProtocolCount) int { return cmp.Compare(b.Routes, a.Routes) })
		out = append(out, s)
	}
	return out
}

// A CaptureSummary is what was read of one stretch of a file in one layout.
type CaptureSummary struct {
	File    string
	Layout  string // "" where no layout was recognised
	Routes  int
	Read    int // lines
	Ignored int // lines
	Unread  int // lines
}

// An UnreadLine is a line that nothing could be made of.
type UnreadLine struct {
	Mark   route.Mark
	Reason error
}

// Missing is a piece that a walk will miss.
type Missing uint8

const (
	NoTable4 Missing = iota
	NoTable6
	NoAddresses
	NoNeighbours
	TableCut
	TableLacks
	TableFiltered
)

// Summaries returns the devices by name, then the files from which nothing was read.
func (c *Case) Summaries() []Summary {
	byName := map[string]*Summary{}
	var order []*Summary
	get := func(name string) *Summary {
		s := byName[name]
		if s == nil {
			s = &Summary{Name: name, Device: c.Network.Device(name)}
			byName[name] = s
			order = append(order, s)
		}
		return s
	}
	for _, f := range c.Files {
		here := map[string]int{} // layout and device of this file: index into Captures
		for i := range f.Parts {
			p := &f.Parts[i]
			s := get(f.DeviceOf(p))
			k := p.Layout + "\x00" + s.Name
			at, ok := here[k]
			if !ok {
				at = len(s.Captures)
				here[k] = at
				s.Captures = append(s.Captures, CaptureSummary{File: f.Source.Name, Layout: p.Layout})
			}
			n := &s.Captures[at]
			n.Routes += p.Routes()
			n.Read, n.Ignored, n.Unread = n.Read+p.Read, n.Ignored+len(p.Passed), n.Unread+len(p.Unread)
			s.Unread = append(s.Unread, unread(p.Unread)...)
		}
		if len(f.Parts) == 0 {
			s := get(f.Device)
			s.Captures = append(s.Captures, CaptureSummary{File: f.Source.Name})
		}
	}
	slices.SortFunc(order, func(a, b *Summary) int {
		return cmp.Or(cmp.Compare(rank(a), rank(b)), network.CompareNames(a.Name, b.Name))
	})
	out := make([]Summary, 0, len(order))
	for _, s := range order {
		s.Missing = missing(s.Device)
		s.Untold = c.untoldOf(s.Device)
		s.Tables = tableSummaries(s.Device)
		out = append(out, *s)
	}
	return out
}

func rank(s *Summary) int {
	if s.Device == nil {
		return 1
	}
	return 0
}

func unread(in []layout.Unread) []UnreadLine {
	out := make([]UnreadLine, 0, len(in))
	for _, u := range in {
		out = append(out, UnreadLine{u.Mark, u.Reason})
	}
	return out
}

// missing lists what was not captured of a device and would make answers surer.
func missing(d *network.Device) []Missing {
	var out []Missing
	if d == nil {
		return nil
	}
	lacks := func(f route.Family) bool {
		t := d.Table("default", f)
		return t == nil || t.Undecided
	}
	if lacks(route.IPv4) {
		out = append(out, NoTable4)
	}
	if lacks(route.IPv6) {
		out = append(out, NoTable6)
	}
	if d.Addresses().Len() == 0 {
		out = append(out, NoAddresses)
	}
	if d.Neighbours().Len() == 0 {
		out = append(out, NoNeighbours)
	}
	if d.Tables().Any(func(t *network.Table) bool { return t.CutAt.IsValid() }) {
		out = append(out, TableCut)
	}
	if d.Tables().Any(func(t *network.Table) bool { return t.Lacks }) {
		out = append(out, TableLacks)
	}
	if d.Tables().Any(func(t *network.Table) bool { return t.Filtered.Known() && !t.Lacks }) {
		out = append(out, TableFiltered)
	}
	return out
}

// A Stretch is a part of a file as one reader took it.
type Stretch struct {
	Device      string // from the prompt, "" where there is none
	Command     string
	First, Last int // lines
	Layout      string
	Own         bool // a file that belongs to the case and is no capture; Layout says what it is for
	Score       int
	Routes      int
	Read        int
	Ignored     int
	Unread      int
}

// Preview reads one file, apart from others, and tells what each part of it is taken for; in a case it would have
// that name.
func Preview(name string, raw []byte, described []layout.Reader) ([]Stretch, error) {
	if own := role(name); own != "" {
		return []Stretch{
			{
				First:  1,
				Last:   bytes.Count(bytes.TrimSuffix(raw, []byte("\n")), []byte("\n")) + 1,
				Layout: own,
				Own:    true,
			},
		}, nil
	}
	c, err := capture.Read(name, raw, 1, described...)
	if err != nil {
		return nil, errorf("%s: %v", show(name), err)
	}
	var out []Stretch
	for i := range c.Parts {
		p := &c.Parts[i]
		last := p.Where.End
		if last > p.Where.Off {
			last--
		}
		out = append(
			out,
			Stretch{
				Device:  p.Device,
				Command: p.Command,
				First:   c.Source.Line(p.Where.Off),
				Last:    c.Source.Line(last),
				Layout:  p.Layout,
				Score:   p.Score,
				Routes:  p.Routes(),
				Read:    p.Read,
				Ignored: len(p.Passed),
				Unread:  len(p.Unread),
			},
		)
	}
	return out, nil
}

// Gloss explains lines of one file: all, or those wanted.
func Gloss(name string, raw []byte, wanted []int, described []layout.Reader) ([]capture.GlossedLine, error) {
	c, err := capture.Read(name, raw, 1, described...)
	if err != nil {
		return nil, errorf("%s: %v", show(name), err)
	}
	return c.Gloss(wanted), nil
}

// SomeUnread reports whether any of the lines could not be read.
func SomeUnread(lines []capture.GlossedLine) bool {
	return slices.ContainsFunc(lines, func(l capture.GlossedLine) bool { return l.Kind == capture.UnreadLine })
}
