package present

import (
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"zarvek/internal/core/audit"
	"zarvek/internal/core/chart"
	"zarvek/internal/core/forward"
	"zarvek/internal/present/picture"
)

// A MapView is a chart with what is to be shown on it.
type MapView struct {
	Chart    *chart.Chart
	Title    string             // of the case
	Trip     *forward.RoundTrip // to be drawn; nil for none
	Findings []audit.Finding    // whose devices are marked
	Compared *CompareView       // with the case before, of which this one is the second; nil for none
}

const (
	maxStubs  = 9 // networks named in one box
	maxFar    = 6 // networks named behind a neighbour
	maxLegend = 12
)

// MapPicture draws the map.
func MapPicture(w io.Writer, m MapView, as string) error { return draw(w, m.picture().Drawing(), as) }

// picture turns a chart into boxes and lines; coordinates are the business of package picture.
func (m MapView) picture() picture.Map {
	p := picture.Map{Title: m.headline()}
	for i, n := range m.Chart.Nodes {
		p.Nodes = append(p.Nodes, m.node(i, n))
	}
	for _, e := range m.Chart.Edges {
		x := mapEdge(e)
		if m.Chart.Nodes[e.B].Kind == chart.Segment {
			x.Middle = nil // the segment's own box has its networks
		}
		p.Edges = append(p.Edges, x)
	}
	if m.Trip != nil {
		m.way(&p, m.Trip.Forward, false)
		if m.Trip.Return != nil {
			m.way(&p, *m.Trip.Return, true)
		}
		p.Notes = append(
			p.Notes,
			picture.MapNote{
				Text: m.Trip.Verdict.String() + ": " + headlineOf(
					*m.Trip,
					endName(m.Trip.Source),
					endName(m.Trip.Destination),
				),
			},
		)
	}
	for i := range m.Findings {
		if i == maxLegend {
			p.Notes = append(
				p.Notes,
				picture.MapNote{Text: fmt.Sprintf("and %d more: zarvek audit lists all", len(m.Findings)-maxLegend)},
			)
			break
		}
		f := &m.Findings[i]
		p.Notes = append(
			p.Notes,
			picture.MapNote{Badge: strconv.Itoa(i + 1), Text: f.Severity.String() + ": " + summary(f)},
		)
		for _, d := range places(f) {
			if k := m.Chart.Find(d); k >= 0 {
				p.Nodes[k].Badges = append(p.Nodes[k].Badges, strconv.Itoa(i+1))
			}
		}
	}
	m.changes(&p)
	return p
}

// places are the devices that a finding is marked at.
func places(f *audit.Finding) []string {
	if len(f.Loop) == 0 {
		return []string{f.Device}
	}
	var out []string
	for _, h := range f.Loop {
		out = append(out, h.Device)
	}
	return out
}

// headline counts what is on the map.
func (m MapView) headline() string {
	n := map[chart.NodeKind]int{}
	for _, x := range m.Chart.Nodes {
		n[x.Kind]++
	}
	s := count(n[chart.Device], "device", "devices")
	if m.Title != "" {
		s = m.Title + ": " + s
	}
	links := 0
	for _, e := range m.Chart.Edges {
		if m.Chart.Nodes[e.B].Kind == chart.Device {
			links++
		}
	}
	s += ", " + count(links, "link", "links")
	if k := n[chart.Segment]; k > 0 {
		s += ", " + count(k, "shared segment", "shared segments")
	}
	if k := n[chart.Neighbour]; k > 0 {
		s += fmt.Sprintf(", %d pointed at and not captured", k)
	}
	return s
}

// node is the box of one place on the map: what it is called and the networks behind it, cut where they are many.
func (m MapView) node(i int, n chart.Node) picture.MapNode {
	var out picture.MapNode
	line := func(e picture.Emphasis, indent bool, format string, args ...any) {
		out.Lines = append(out.Lines, picture.MapLine{Text: fmt.Sprintf(format, args...), Strong: e, Indent: indent})
	}
	switch n.Kind {
	case chart.Device:
		out.Title = short(Clean(n.Device.Name), 40)
		for k, s := range n.Stubs {
			if k == maxStubs && len(n.Stubs) > maxStubs+1 {
				line(picture.Weak, false, "and %d more networks", len(n.Stubs)-maxStubs)
				break
			}
			down := ""
			if s.Down {
				down = ", down"
			}
			line(picture.Plain, false, "%s%s%s", s.Prefix, on(short(s.Interface, 16)), down)
			for _, h := range s.Hosts {
				line(picture.Weak, true, "%s %s", short(Clean(h.Name), 30), h.Address)
			}
		}
		m.ends(n.Device.Name, line)
		if s := m.nodeChange(n); s != "" {
			line(picture.Start, false, "%s", s)
		}
	case chart.Segment:
		out.Style = picture.Bar
		for _, p := range n.Networks {
			line(picture.Plain, false, "%s", p)
		}
		for _, s := range n.Stubs {
			for _, h := range s.Hosts {
				line(picture.Weak, true, "%s %s", short(Clean(h.Name), 30), h.Address)
			}
		}
	case chart.Neighbour:
		out.Style, out.Title = picture.Dashed, "not captured"
		for _, a := range n.Address {
			line(picture.Plain, false, "%s", a)
		}
		if !n.Learned {
			line(picture.Weak, false, "nothing shows that it is there")
		}
	case chart.Beyond:
		out.Style, out.Title = picture.CutEdges, beyondTitle(n)
		for k, p := range n.Networks {
			if k == maxFar && len(n.Networks) > maxFar+1 {
				line(picture.Weak, false, "and %s more networks", grouped(len(n.Networks)-maxFar))
				break
			}
			line(picture.Plain, false, "%s", p)
		}
		if n.Default {
			line(picture.Plain, false, "all else, by the default route")
		}
	}
	return out
}

func beyondTitle(n chart.Node) string {
	if n.Distance == 0 {
		return "beyond"
	}
	return count(n.Distance, "hop", "hops") + " away"
}

// ends marks where the packet starts and where it and its reply end.
func (m MapView) ends(device string, line func(picture.Emphasis, bool, string, ...any)) {
	if m.Trip == nil {
		return
	}
	starts := func(d forward.Direction) bool {
		return slices.ContainsFunc(
			d.Branches,
			func(b forward.Branch) bool { return len(b.Hops) > 0 && b.Hops[0].Device == device },
		)
	}
	if starts(m.Trip.Forward) {
		line(picture.Start, false, "from %s", endName(m.Trip.Source))
	}
	note := func(d forward.Direction, what string, to string) {
		said := map[forward.Verdict]bool{}
		for _, b := range d.Branches {
			if b.Where != device || said[b.Verdict] {
				continue
			}
			said[b.Verdict] = true
			if b.Verdict == forward.Arrives {
				line(picture.Start, false, "%s arrives%s", what, to)
			} else {
				line(picture.Fail, false, "%s ends here: %s", what, b.Verdict)
			}
		}
	}
	note(m.Trip.Forward, "packet", " for "+endName(m.Trip.Destination))
	if m.Trip.Return != nil {
		note(*m.Trip.Return, "reply", "")
	}
}

// short cuts a name that would make a box too wide.
func short(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}

func mapEdge(e chart.Edge) picture.MapEdge {
	out := picture.MapEdge{A: e.A, B: e.B, Dashed: e.Deduced, Down: e.Down}
	var a, b []string
	for _, n := range e.Nets {
		if n.Prefix.IsValid() && !slices.Contains(out.Middle, n.Prefix.String()) && len(out.Middle) < 3 {
			out.Middle = append(out.Middle, n.Prefix.String())
		}
		a, b = endText(a, n.AName, n.A, n.Prefix), endText(b, n.BName, n.B, n.Prefix)
	}
	out.EndA, out.EndB = strings.Join(a, " "), strings.Join(b, " ")
	return out
}

// endText adds an interface and the host part of an address there.
func endText(parts []string, ifname string, a netip.Addr, p netip.Prefix) []string {
	if name := short(Clean(ifname), 14); ifname != "" && !slices.Contains(parts, name) {
		parts = append(parts, name)
	}
	if a.IsValid() && p.IsValid() && ifname != "" && len(parts) < 4 {
		parts = append(parts, hostPart(a, p))
	}
	return parts
}

// hostPart is what of an address its network does not say.
func hostPart(a netip.Addr, p netip.Prefix) string {
	if a.Is4() {
		b := a.As4()
		switch {
		case p.Bits() >= 24:
			return fmt.Sprintf(".%d", b[3])
		case p.Bits() >= 16:
			return fmt.Sprintf(".%d.%d", b[2], b[3])
		}
		return a.String()
	}
	if p.Bits() < 64 {
		return a.String()
	}
	b := a.As16()
	clear(b[:8])
	if s := netip.AddrFrom16(b).String(); b != [16]byte{} {
		return s
	}
	return "::"
}

// way adds the edges that a direction's packets take, each once.
func (m MapView) way(p *picture.Map, d forward.Direction, back bool) {
	way := picture.MapWay{Back: back}
	add := func(edges []int, from int) {
		for _, e := range edges {
			s := picture.MapStep{Edge: e, Reverse: m.Chart.Edges[e].A != from}
			from = m.Chart.Edges[e].A + m.Chart.Edges[e].B - from
			if !slices.Contains(way.Steps, s) {
				way.Steps = append(way.Steps, s)
			}
		}
	}
	for _, b := range d.Branches {
		for i, h := range b.Hops {
			from := m.Chart.Find(h.Device)
			if from < 0 {
				continue
			}
			if i+1 < len(b.Hops) {
				if to := m.Chart.Find(b.Hops[i+1].Device); to >= 0 && to != from {
					add(m.Chart.Between(from, to), from)
				}
				continue
			}
			for k, n := range m.Chart.Nodes {
				if n.Kind == chart.Neighbour && slices.Contains(n.Address, h.NextHop) {
					add(m.Chart.Between(from, k), from)
				}
			}
		}
	}
	p.Ways = append(p.Ways, way)
}

// MapText writes the map as a list: each node with what is on it, then with what it is joined.
func MapText(w io.Writer, m MapView, v View) error {
	m.writeChanges(w, v)
	v.headline(w, true, "%s", m.headline())
	names := make([]string, len(m.Chart.Nodes))
	for i, n := range m.Chart.Nodes {
		names[i] = nodeName(n)
	}
	for i, n := range m.Chart.Nodes {
		if n.Kind == chart.Beyond {
			continue
		}
		fmt.Fprintf(w, "\n%s\n", names[i])
		rows := [][]string{}
		for _, s := range n.Stubs {
			var hosts []string
			for _, h := range s.Hosts {
				hosts = append(hosts, Clean(h.Name)+" "+h.Address.String())
			}
			kind := "network"
			if s.Down {
				kind = "network, down"
			}
			rows = append(
				rows,
				[]string{kind, s.Prefix.String(), Clean(s.Interface), stubAddress(s), strings.Join(hosts, ", ")},
			)
		}
		for _, e := range m.Chart.Edges {
			if e.A != i && e.B != i {
				continue
			}
			far := e.A + e.B - i
			if m.Chart.Nodes[far].Kind == chart.Beyond {
				for _, k := range m.Chart.Behind(far) {
					rows = append(rows, []string{"behind it", beyondWords(m.Chart.Nodes[k])})
				}
				continue
			}
			kind := "link"
			if e.Deduced {
				kind = "link, deduced"
			}
			if e.Down {
				kind = "link, down"
			}
			for _, x := range e.Nets {
				ifname, own := x.AName, x.A
				if e.B == i {
					ifname, own = x.BName, x.B
				}
				rows = append(
					rows,
					[]string{kind, prefixOr(x.Prefix), Clean(ifname), addressOr(own), "to " + names[far]},
				)
			}
			if len(e.Nets) == 0 {
				rows = append(rows, []string{kind, "", "", "", "to " + names[far]})
			}
		}
		columns(w, "  ", rows)
		if s := m.nodeChange(n); s != "" {
			fmt.Fprintf(w, "  %s\n", s)
		}
	}
	for _, j := range m.Chart.Joined() {
		var who []string
		for _, k := range j.Neighbours {
			who = append(who, names[k])
		}
		fmt.Fprintf(w, "\n%s is one hop behind %s: it joins them\n", j.Network, strings.Join(who, " and behind "))
	}
	return nil
}

func stubAddress(s chart.Stub) string { return addressOr(s.Address) }

func addressOr(a netip.Addr) string {
	if !a.IsValid() {
		return ""
	}
	return a.String()
}

func prefixOr(p netip.Prefix) string {
	if !p.IsValid() {
		return ""
	}
	return p.String()
}

// nodeName names a node in a list.
func nodeName(n chart.Node) string {
	switch n.Kind {
	case chart.Device:
		return Clean(n.Device.Name)
	case chart.Segment:
		return "segment " + prefixList(n.Networks, 3)
	case chart.Neighbour:
		var parts []string
		for _, a := range n.Address {
			parts = append(parts, a.String())
		}
		return strings.Join(parts, " and ") + ", not captured"
	}
	return beyondWords(n)
}

// beyondWords names what lies behind the captured devices in one direction.
func beyondWords(n chart.Node) string {
	s := prefixList(n.Networks, 4)
	if n.Default {
		if s != "" {
			s += ", and "
		}
		s += "all else by the default route"
	}
	if n.Distance > 0 {
		s = beyondTitle(n) + ": " + s
	}
	return s
}

// MapDOT writes the map in the DOT language, for programs that lay out graphs.
func MapDOT(w io.Writer, m MapView) error {
	var b strings.Builder
	b.WriteString("graph network {\n  node [shape=box];\n")
	for i, n := range m.picture().Nodes {
		label := []string{}
		if n.Title != "" {
			label = append(label, n.Title)
		}
		for _, l := range n.Lines {
			label = append(label, l.Text)
		}
		style := map[picture.NodeStyle]string{picture.Solid: "solid", picture.Bar: "bold", picture.Dashed: "dashed",
			picture.CutEdges: "dotted"}[n.Style]
		fmt.Fprintf(&b, "  n%d [label=%s, style=%s];\n", i, dotQuote(strings.Join(label, "\n")), style)
	}
	for _, e := range m.Chart.Edges {
		p := mapEdge(e)
		style := "solid"
		if e.Deduced {
			style = "dashed"
		}
		fmt.Fprintf(
			&b,
			"  n%d -- n%d [label=%s, taillabel=%s, headlabel=%s, style=%s];\n",
			e.A,
			e.B,
			dotQuote(strings.Join(p.Middle, "\n")),
			dotQuote(p.EndA),
			dotQuote(p.EndB),
			style,
		)
	}
	b.WriteString("}\n")
	_, err := io.WriteString(w, b.String())
	return err
}

// dotQuote quotes a text for DOT, whose only escapes in a quoted string are \" and, in labels, \n.
func dotQuote(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", `\n`).Replace(s) + `"`
}
