package capture

import (
	"bytes"
	"cmp"
	"slices"
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
	"zarvek/internal/lazyregexp"
)

// A LineKind says what a captured line is.
type LineKind uint8

const (
	BlankLine  LineKind = iota
	DataLine            // its Items say what it tells
	PromptLine          // a prompt, with the command typed at it
	NoiseLine           // a log message, a pager's prompt, a complaint
	UnreadLine          // Reason says why
	AroundLine          // around a table: As says what
)

// An Item is one thing that a line tells: Route or Fact is set.
type Item struct {
	Route      *route.Route
	Table      *network.TableFacts
	First      int                    // of a route: the line on which it begins
	Hops       []route.NextHop        // of a route: the next hops that stand on this line
	Used       map[route.NextHop]bool // of a route: the next hops that forward
	Fact       *network.Fact          // anything else
	HeardOfAgo string                 // how long ago the line says that the route was learned, in words
}

// A GlossedLine is one line of a capture with what it was taken for.
type GlossedLine struct {
	Number          int
	Text            string // as a terminal would show it
	Kind            LineKind
	As              layout.As
	Items           []Item
	Layout          string // that read it
	Device, Command string // of a prompt
	Tokens          []Token
	Reason          error
}

// Gloss explains the lines of a capture: all of them, or those wanted. Lines are counted from 1.
// A capture that was unpacked has none.
func (c *Capture) Gloss(wanted []int) []GlossedLine {
	g := glosser{
		c:       c,
		items:   map[int][]Item{},
		unread:  map[int]error{},
		passed:  map[int]layout.As{},
		layouts: map[int]string{},
	}
	if len(wanted) > 0 {
		g.want = map[int]bool{}
		for _, n := range wanted {
			g.want[n] = true
		}
	}
	for i := range c.Parts {
		g.part(&c.Parts[i])
	}
	var out []GlossedLine
	p := newPrompter(c.Source.text)
	known := c.names()
	n := 0
	for lo, hi := range layout.Lines(c.Source.raw) {
		n++
		raw := c.Source.raw[lo:hi]
		text := appendClean(nil, raw)
		// also of lines that are not wanted: later ones depend on it
		device, command, prompt := p.prompt(text[c.Source.margin(text):])
		if g.want != nil && !g.want[n] {
			continue
		}
		l := GlossedLine{Number: n, Text: string(text), Layout: g.layouts[n]}
		l.Tokens = known.tokens(l.Text)
		items, reason := g.items[n], g.unread[n]
		switch {
		case layout.Blank(text):
		case len(items) > 0:
			l.Kind, l.Items = DataLine, items
			if prompt {
				l.Device, l.Command = device, command
			}
		case prompt:
			l.Kind, l.Device, l.Command = PromptLine, device, command
		case reason != nil:
			l.Kind, l.Reason = UnreadLine, reason
		case noise(bytes.TrimRight(text, "\r")):
			l.Kind = NoiseLine
		default:
			l.Kind, l.As = AroundLine, g.as(n, text)
		}
		out = append(out, l)
	}
	return out
}

type glosser struct {
	c       *Capture
	want    map[int]bool // nil: every line
	items   map[int][]Item
	unread  map[int]error
	passed  map[int]layout.As
	layouts map[int]string
}

// at adds an item to a line.
func (g *glosser) at(m route.Mark, it Item) {
	if !m.Known() {
		return
	}
	if n := g.c.Source.Line(m.Off); g.want == nil || g.want[n] {
		g.items[n] = append(g.items[n], it)
	}
}

// part gives the lines of one reading what they say; lines that nobody wants are passed over, since a capture may be
// large.
func (g *glosser) part(p *Part) {
	src := g.c.Source
	for n := src.Line(p.Where.Off); n <= src.Line(max(p.Where.End, 1)-1) && p.Layout != ""; n++ {
		if g.want == nil || g.want[n] {
			g.layouts[n] = p.Layout
		}
	}
	for i := range p.Facts.Tables {
		t := &p.Facts.Tables[i]
		for j := range t.Routes.Len() {
			g.route(t, t.Routes.At(j))
		}
	}
	p.Facts.Each(func(x network.Fact) {
		n := src.Line(x.Mark.Off)
		if x.Kind == network.AddressFact &&
			slices.ContainsFunc(g.items[n], func(it Item) bool { return it.Route != nil }) {
			return // the line is the route that shows it
		}
		if x.Kind == network.IndexFact &&
			slices.ContainsFunc(
				g.items[n],
				func(it Item) bool { return it.Fact != nil && it.Fact.Kind == network.InterfaceFact },
			) {
			return // the line is the interface's
		}
		g.at(*x.Mark, Item{Fact: &x})
	})
	for _, u := range p.Unread {
		g.unread[src.Line(u.Mark.Off)] = u.Reason
	}
	for _, x := range p.Passed {
		if n := src.Line(x.Mark.Off); g.want == nil || g.want[n] {
			g.passed[n] = x.As
		}
	}
}

// as says what a line without facts of its own is: as what its reader passed it, or a part of what another line tells.
func (g *glosser) as(n int, text []byte) layout.As {
	as, passed := g.passed[n]
	if !passed && g.layouts[n] != "" {
		return layout.Part
	}
	return cmp.Or(as, around(string(text)))
}

// route adds a route to every line it stands on, each time with the next hops that stand there.
func (g *glosser) route(t *network.TableFacts, r route.Route) {
	src := g.c.Source
	first := src.Line(r.Mark.Off)
	last := src.Line(max(r.Mark.End, r.Mark.Off+1) - 1)
	text := src.Text(r.Mark)
	used := map[route.NextHop]bool{}
	for _, h := range r.Forwarding() {
		used[h] = true
	}
	byAddress := map[string][]route.NextHop{}
	var straight []route.NextHop // those that only an interface tells
	for _, h := range r.NextHops {
		if h.Address.IsValid() {
			byAddress[h.Address.String()] = append(byAddress[h.Address.String()], h)
		} else if h.Interface != "" {
			straight = append(straight, h)
		}
	}
	for n := first; n <= last; n++ {
		line := text
		if i := bytes.IndexByte(text, '\n'); i >= 0 {
			line, text = text[:i], text[i+1:]
		}
		if g.want != nil && !g.want[n] {
			continue
		}
		it := Item{Route: &r, Table: t, First: first, Used: used, HeardOfAgo: age(string(line))}
		for word := range strings.FieldsFuncSeq(strings.ToLower(string(line)),
			func(c rune) bool { return !isAddressByte(c) }) {
			if hops := byAddress[word]; len(hops) > 0 && !slices.Contains(it.Hops, hops[0]) {
				it.Hops = append(it.Hops, hops...)
			}
		}
		for _, h := range straight {
			if strings.Contains(string(line), h.Interface) {
				it.Hops = append(it.Hops, h)
			}
		}
		if n == first || len(it.Hops) > 0 || !layout.Blank(line) {
			g.items[n] = append(g.items[n], it)
		}
	}
}

func isAddressByte(c rune) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'f' || c == '.' || c == ':'
}

var (
	keyLine = lazyregexp.New(
		`(?i)^\s*(?:codes|[a-z ]*flags|legend|origin|status codes|sub-codes)\b[^:]*:|^'?.'? denotes` +
			`|'\[x/y\]' denotes|^\+ = |^\s*(?:\S{1,4}(?: \S{1,3})?) - \w`,
	)
	parentLine = lazyregexp.New(`is (?:variably )?subnetted,`)
	countLine  = lazyregexp.New(
		`(?i)\d+ (?:destinations?|routes?|entries|networks?)\b|(?:destinations|routes|entries)\s*[:=]\s*\d+|^total\b`,
	)
	titleLine = lazyregexp.New(`(?i)\b(?:table|vrf|virtual router|internet6?|routes)\b.*:?\s*$|:\s*$`)
)

// around guesses what a line is that its reader passed over without saying as what.
func around(s string) layout.As {
	t := strings.TrimSpace(s)
	switch {
	case strings.Trim(t, "-=+_| \t#*") == "":
		return layout.Ruler
	case parentLine.MatchString(t):
		return layout.Parent
	case strings.HasPrefix(t, "Gateway of last resort"):
		return layout.LastResort
	case strings.Contains(t, "ubest/mbest:"):
		return layout.PrefixHeading
	case keyLine.MatchString(s):
		return layout.Key
	case countLine.MatchString(t):
		return layout.Count
	case titleLine.MatchString(t):
		return layout.Title
	case t[0] >= 'A' && t[0] <= 'Z' && len(strings.Fields(t)) > 2 && !strings.ContainsAny(t, "0123456789="):
		return layout.Names
	}
	return layout.Other
}
