package present

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A TableQuery says which routes of a device are shown.
type TableQuery struct {
	Device *network.Device
	Family route.Family // 0: both
	All    bool         // also what was not chosen
}

func (q TableQuery) shows(r route.Route) bool { return q.All || used(r) }

func used(r route.Route) bool { return r.State&(route.Active|route.Installed) != 0 }

// housekeeping tells the routes that every device keeps for links and itself: they say nothing about where packets go.
func housekeeping(r route.Route) bool {
	a := r.Prefix.Addr()
	return r.Special == route.Broadcast || r.Special == route.Multicast || a.IsLoopback() || a.IsMulticast() || a.IsLinkLocalUnicast()
}

func (q TableQuery) tables() []*network.Table {
	var out []*network.Table
	for _, t := range q.Device.Tables {
		if q.Family == 0 || t.Family == q.Family {
			out = append(out, t)
		}
	}
	return out
}

// TableText writes a device's tables. Rows are written as they come: a table of a million routes needs no more memory
// than itself.
func TableText(out io.Writer, q TableQuery, v View) error {
	w := bufio.NewWriterSize(out, 1<<16)
	tables := q.tables()
	shown, keeping, unused := 0, 0, 0
	for _, t := range tables {
		for i := range t.Routes.Len() {
			switch r := t.Routes.At(i); {
			case !used(r):
				unused++
			case housekeeping(r):
				keeping++
			default:
				shown++
			}
		}
	}
	v.headline(w, shown > 0, "%s uses %s in %s", Clean(q.Device.Name), count(shown, "route", "routes"), count(len(tables), "table", "tables"))
	var hidden []string
	if unused > 0 {
		hidden = append(hidden, count(unused, "candidate that it does not use", "candidates that it does not use"))
	}
	if keeping > 0 {
		hidden = append(hidden, count(keeping, "route", "routes")+" of its own housekeeping (link-local, loopback, broadcast, multicast)")
	}
	if !q.All && len(hidden) > 0 {
		fmt.Fprintf(w, "Only with -all: %s.\n", strings.Join(hidden, "; "))
	}
	for _, t := range tables {
		tableText(w, t, q, v)
	}
	return w.Flush()
}

func tableText(w *bufio.Writer, t *network.Table, q TableQuery, v View) {
	source := "from a routing table"
	switch {
	case t.Weak:
		source = "from a management walk, which may leave routes out"
	case t.Kernel && t.Chosen:
		source = "from a routing table and from what forwards"
	case t.Kernel:
		source = "from what forwards; preferences are not shown there"
	}
	if t.HighestWins {
		source += "; the highest preference wins there"
	}
	fmt.Fprintf(w, "\nTable %s, %s, %s\n", Clean(t.Name), familyName(t.Family), source)
	if t.CutAt.IsValid() {
		fmt.Fprintf(w, "  The capture is cut off after %s: capture this table again.\n", t.CutAt)
	}
	cells := [...]string{"destination", "learned by", "preference", "metric", "next hop", "captured at"}
	widths := [len(cells)]int{}
	for i, c := range cells {
		widths[i] = len(c)
	}
	known := wordings{}
	last := (*route.Attributes)(nil)
	for i := range t.Routes.Len() {
		r := t.Routes.At(i)
		if !q.shows(r) || !q.All && housekeeping(r) {
			continue
		}
		widths[0] = max(widths[0], prefixWidth(r))
		if r.Attributes != last {
			last = r.Attributes
			a := known.of(last)
			widths[1] = max(widths[1], width(a.learned))
			widths[2] = max(widths[2], len(a.preference))
			widths[3] = max(widths[3], len(a.metric))
			for _, s := range a.ways {
				widths[4] = max(widths[4], width(s))
			}
		}
	}
	row := func(c [len(cells)]string, state string) {
		pad(w, "  ", c[0], widths[0])
		pad(w, "  ", c[1], widths[1])
		padLeft(w, "  ", c[2], widths[2])
		padLeft(w, "  ", c[3], widths[3])
		if c[5] == "" && state == "" {
			pad(w, "  ", c[4], 0)
		} else {
			pad(w, "  ", c[4], widths[4])
			pad(w, "  ", c[5], 0)
		}
		if state != "" {
			pad(w, "  ", state, 0)
		}
		w.WriteByte('\n')
	}
	row(cells, "")
	for i := range t.Routes.Len() {
		r := t.Routes.At(i)
		if !q.shows(r) || !q.All && housekeeping(r) {
			continue
		}
		a := known.of(r.Attributes)
		for j, way := range a.ways {
			if j > 0 {
				row([...]string{"", "", "", "", way, ""}, "")
				continue
			}
			row([...]string{r.Prefix.String(), a.learned, a.preference, a.metric, way, v.place(r.Mark)}, stateWord(r))
		}
		v.lines(w, "      ", t.Evidence(i))
	}
	for _, d := range t.Differences {
		fmt.Fprintf(w, "  %s\n", v.difference(d))
	}
}

// wording is the text of attributes that many routes share.
type wording struct {
	learned, preference, metric string
	ways                        []string
}

// wordings keeps each text that was made, as long as there are not too many.
type wordings map[*route.Attributes]wording

func (m wordings) of(a *route.Attributes) wording {
	w, ok := m[a]
	if !ok {
		w = wording{learned(a), number(a.Preference), number(a.Metric), ways(a)}
		if len(m) < 1<<14 {
			m[a] = w
		}
	}
	return w
}

// stateWord words what is unusual about a route's state.
func stateWord(r route.Route) string {
	switch {
	case r.Is(route.Installed):
		return ""
	case r.Is(route.Unusable):
		return "inactive"
	case r.Is(route.Rejected):
		return "chosen, refused by what forwards"
	case r.Is(route.Active):
		return "chosen, does not forward"
	}
	return "not chosen"
}

func (v View) difference(d network.Difference) string {
	switch d.Kind {
	case network.NotInstalled:
		return fmt.Sprintf("Difference at %s: chosen (%s), but what forwards does not have it.", d.Prefix, v.place(d.Chosen))
	case network.NotChosen:
		return fmt.Sprintf("Difference at %s: forwards (%s), but the routing table does not show it as chosen.", d.Prefix, v.place(d.Installed))
	case network.OtherNextHops:
		return fmt.Sprintf("Difference at %s: the routing table (%s) and what forwards (%s) have other next hops; what forwards counts.", d.Prefix, v.place(d.Chosen), v.place(d.Installed))
	}
	return fmt.Sprintf("Difference at %s: two captures disagree on what is chosen (%s, %s).", d.Prefix, v.place(d.Chosen), v.place(d.Installed))
}

func familyName(f route.Family) string {
	if f == route.IPv4 {
		return "IPv4"
	}
	return "IPv6"
}

// prefixWidth is the printed width; computing it by printing would cost more than the rest of a row.
func prefixWidth(r route.Route) int {
	var buf [64]byte
	return len(r.Prefix.AppendTo(buf[:0]))
}

func width(s string) int { return utf8.RuneCountInString(s) }

func pad(w *bufio.Writer, before, s string, n int) {
	w.WriteString(before)
	w.WriteString(s)
	for i := width(s); i < n; i++ {
		w.WriteByte(' ')
	}
}

func padLeft(w *bufio.Writer, before, s string, n int) {
	w.WriteString(before)
	for i := width(s); i < n; i++ {
		w.WriteByte(' ')
	}
	w.WriteString(s)
}

type jsonTable struct {
	Table  string `json:"table"`
	Family string `json:"family"`
	Best   string `json:"best-preference"`
}

// best words which preference wins.
func best(t *network.Table) string {
	if t.HighestWins {
		return "highest"
	}
	return "lowest"
}

// TableJSON writes a device's tables, one route a line, as they come.
func TableJSON(out io.Writer, q TableQuery, v View) error {
	w := bufio.NewWriterSize(out, 1<<16)
	name, err := json.Marshal(q.Device.Name)
	if err != nil {
		return err
	}
	fmt.Fprintf(w, `{"device":%s,"tables":[`, name)
	for i, t := range q.tables() {
		head, err := json.Marshal(jsonTable{t.Name, t.Family.String(), best(t)})
		if err != nil {
			return err
		}
		if i > 0 {
			w.WriteByte(',')
		}
		fmt.Fprintf(w, "\n%s,\"routes\":[", head[:len(head)-1])
		first := true
		for j := range t.Routes.Len() {
			r := t.Routes.At(j)
			if !q.shows(r) {
				continue
			}
			line, err := json.Marshal(v.jsonRoute(r, t.Evidence(j)))
			if err != nil {
				return err
			}
			if !first {
				w.WriteByte(',')
			}
			first = false
			w.WriteByte('\n')
			w.Write(line)
		}
		w.WriteString("]}")
	}
	w.WriteString("]}\n")
	return w.Flush()
}
