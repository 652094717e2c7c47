package present

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"zarvek/internal/core/chart"
	"zarvek/internal/core/compare"
	"zarvek/internal/present/picture"
)

// A changeMark is one line of what became otherwise; number is compare's, 0 for a line beside the groups.
type changeMark struct {
	number  int
	text    string
	devices []string // that bear the number
}

// changeMarks lists what became otherwise since the case before.
func (m MapView) changeMarks() []changeMark {
	if m.Compared == nil {
		return nil
	}
	var out []changeMark
	groups := m.Compared.shown()
	for i := range groups {
		g := &groups[i]
		out = append(out, changeMark{i + 1, changeWords(g), partingDevices(g)})
	}
	if n := len(m.Compared.Result.Groups) - len(groups); n > 0 {
		out = append(out, changeMark{text: fmt.Sprintf("and %d more: zarvek compare -all lists all", n)})
	}
	for _, s := range inOneOnly(*m.Compared) {
		out = append(out, changeMark{text: s})
	}
	return out
}

// changes marks the picture with the numbers and lists them below.
func (m MapView) changes(p *picture.Map) {
	if m.Compared == nil {
		return
	}
	p.Notes = append(p.Notes, picture.MapNote{Text: m.comparedHeadline()})
	for _, c := range m.changeMarks() {
		badge := ""
		if c.number > 0 {
			badge = strconv.Itoa(c.number)
		}
		p.Notes = append(p.Notes, picture.MapNote{Badge: badge, Text: c.text})
		for _, d := range c.devices {
			if k := m.Chart.Find(d); k >= 0 {
				p.Nodes[k].Badges = append(p.Nodes[k].Badges, badge)
			}
		}
	}
}

// comparedHeadline is the answer of the comparison, with what it was compared to.
func (m MapView) comparedHeadline() string {
	return "compared with " + Clean(m.Compared.Sides[0].Name) + ": " + compareHeadline(m.Compared.Result)
}

// changeWords says of one group what became of whom, and where.
func changeWords(g *compare.Group) string {
	s := kindWords[g.Kind] + ": " + pairsWords(g.Pairs, 0)
	if at := partingDevices(g); len(at) > 0 {
		names := make([]string, len(at))
		for i, d := range at {
			names[i] = Clean(d)
		}
		s += ", decided at " + strings.Join(names, ", ")
	}
	if e := endingWords(g); e != "" {
		s += "; " + e
	}
	return s
}

// partingDevices are those at which a group is marked: the one that decides otherwise, or those at which packets start
// now, or did.
func partingDevices(g *compare.Group) []string {
	switch {
	case g.Is.Start && len(g.Is.Starts) > 0:
		return g.Is.Starts
	case g.Was.Start:
		return g.Was.Starts
	case g.Is.Device != "":
		return []string{g.Is.Device}
	case g.Was.Device != "":
		return []string{g.Was.Device}
	}
	return nil
}

// changedAt counts what a device's own captures say otherwise than before; "" for nothing.
func (m MapView) changedAt(device string) string {
	if m.Compared == nil {
		return ""
	}
	var parts []string
	note := func(n int, one, several string) {
		if n > 0 {
			parts = append(parts, count(n, one, several))
		}
	}
	routes := 0
	for _, r := range m.Compared.Result.Routes {
		if r.Device == device {
			routes++
		}
	}
	facts := map[compare.FactKind]int{}
	for _, f := range m.Compared.Result.Facts {
		if f.Device == device {
			facts[f.Kind]++
		}
	}
	note(routes, "route", "routes")
	note(facts[compare.OwnAddress], "address", "addresses")
	note(facts[compare.InterfaceState], "interface", "interfaces")
	note(facts[compare.NeighbourEntry], "neighbour", "neighbours")
	note(facts[compare.ForwardingSwitch]+facts[compare.SourceCheck], "switch", "switches")
	if len(parts) == 0 {
		return ""
	}
	return strings.Join(parts, ", ") + " changed"
}

// writeChanges lists in text what the picture marks by numbers.
func (m MapView) writeChanges(w io.Writer, v View) {
	if m.Compared == nil {
		return
	}
	v.headline(w, !m.Compared.Result.Harm(), "%s", m.comparedHeadline())
	for _, c := range m.changeMarks() {
		begin := "  "
		if c.number > 0 {
			begin = fmt.Sprintf("  %d. ", c.number)
		}
		v.hanging(w, begin, c.text)
	}
	fmt.Fprintln(w)
}

// nodeChange is changedAt for a node of whatever kind.
func (m MapView) nodeChange(n chart.Node) string {
	if n.Kind != chart.Device {
		return ""
	}
	return m.changedAt(n.Device.Name)
}
