package present

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"zarvek/internal/core/network"
	"zarvek/internal/core/route"
)

// A TableQuery says which routes of which device are shown.
type TableQuery struct {
	Device *network.Device
	Filter network.Filter
}

// TableText writes a device's tables. Rows are written as they come: a table of a million routes needs no more memory
// than itself. Some is false where a narrow filter fits none.
func TableText(out io.Writer, q TableQuery, v View) (some bool, err error) {
	w := bufio.NewWriterSize(out, 1<<16)
	tables := q.Filter.Tables(q.Device)
	sums := make([]network.Summary, len(tables))
	total, unused, kept, matched := 0, 0, 0, 0
	for i, t := range tables {
		sums[i] = network.Summarise(t)
		total, unused, kept = total+sums[i].Used(), unused+sums[i].Unused, kept+sums[i].Kept
	}
	name := Clean(q.Device.Name)
	if q.Filter.Narrow() {
		for _, t := range tables {
			for i := range t.Routes().Len() {
				if q.Filter.Shows(t.Routes().At(i)) {
					matched++
				}
			}
		}
		v.headline(
			w,
			matched > 0,
			"%s of %s fit, of %s that it uses",
			count(matched, "route", "routes"),
			name,
			grouped(total),
		)
	} else {
		uses := "uses"
		if slices.ContainsFunc(tables, func(t *network.Table) bool { return t.Filtered.Known() || t.CutAt.IsValid() }) {
			uses = "uses at least"
		}
		v.headline(w, total > 0, "%s %s %s in %s", name, uses, count(total, "route", "routes"),
			count(len(tables), "table", "tables"))
		var hidden []string
		if unused > 0 {
			hidden = append(hidden, count(unused, "candidate that it does not use", "candidates that it does not use"))
		}
		if kept > 0 {
			hidden = append(hidden, count(kept, "route", "routes")+
				" of its own housekeeping (link-local, loopback, broadcast, multicast)")
		}
		if !q.Filter.All && len(hidden) > 0 {
			fmt.Fprintf(w, "Only with -all: %s.\n", strings.Join(hidden, "; "))
		}
	}
	for i, t := range tables {
		if q.Filter.Narrow() && matched == 0 {
			break
		}
		tableText(w, t, sums[i], q, v)
	}
	return !q.Filter.Narrow() || matched > 0, w.Flush()
}

// summaryLines words what a table amounts to.
func summaryLines(s network.Summary) []string {
	var by []string
	n := 0
	for p := range s.Learned {
		if s.Learned[p] > 0 {
			by = append(by, fmt.Sprintf("%s %s", route.Protocol(p), grouped(s.Learned[p])))
			n += s.Learned[p]
		}
	}
	first := count(
		s.Attached,
		"attached network",
		"attached networks",
	) + ", " + count(
		n,
		"other route",
		"other routes",
	) + inParens(
		strings.Join(by, ", "),
	)
	second := "no default route"
	if s.Default.Prefix.IsValid() {
		second = fmt.Sprintf(
			"default route: %s, %s",
			learned(s.Default.Attributes),
			strings.Join(ways(s.Default.Attributes), " and "),
		)
	}
	var more []string
	if s.EqualCost > 0 {
		more = append(more, fmt.Sprintf("%s by several equal ways", grouped(s.EqualCost)))
	}
	if s.Discards > 0 {
		more = append(more, fmt.Sprintf("%s that discard or refuse", grouped(s.Discards)))
	}
	if s.Short >= 0 {
		more = append(more, fmt.Sprintf("prefix lengths %d to %d", s.Short, s.Long))
	}
	return []string{first, strings.Join(append([]string{second}, more...), "; ")}
}

// tableText writes a table as aligned text, with what it is taken from: a routing table (RIB) or what forwards (FIB).
func tableText(w *bufio.Writer, t *network.Table, sum network.Summary, q TableQuery, v View) {
	source := "from a routing table"
	switch {
	case t.Supposed:
		source = "made of its configuration: it was not captured"
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
	if t.Lacks {
		fmt.Fprintf(w, "  It lacks the network of an interface that is up (%s), and maybe more: capture the whole table.\n",
			v.place(t.Filtered))
	} else if t.Filtered.Known() {
		fmt.Fprintf(w, "  What was captured shows a part of it only (%s): capture the whole table.\n", v.place(t.Filtered))
	}
	if !q.Filter.Narrow() {
		for _, line := range summaryLines(sum) {
			fmt.Fprintf(w, "  %s\n", line)
		}
		w.WriteByte('\n')
	}
	cells := [...]string{"destination", "learned by", "preference", "metric", "next hop", "captured at"}
	widths := [len(cells)]int{}
	for i, c := range cells {
		widths[i] = len(c)
	}
	known := wordings{}
	last := (*route.Attributes)(nil)
	for i := range t.Routes().Len() {
		r := t.Routes().At(i)
		if !q.Filter.Shows(r) {
			continue
		}
		widths[0] = max(widths[0], prefixWidth(r))
		widths[3] = max(widths[3], len(number(r.Metric)))
		if r.Attributes != last {
			last = r.Attributes
			a := known.of(last)
			widths[1] = max(widths[1], width(a.learned))
			widths[2] = max(widths[2], len(a.preference))
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
	for i := range t.Routes().Len() {
		r := t.Routes().At(i)
		if !q.Filter.Shows(r) {
			continue
		}
		a := known.of(r.Attributes)
		for j, way := range a.ways {
			if j > 0 {
				row([...]string{"", "", "", "", way, ""}, "")
				continue
			}
			row([...]string{r.Prefix.String(), a.learned, a.preference, number(r.Metric), way, v.place(r.Mark)},
				stateWord(r))
		}
		v.lines(w, "      ", t.Evidence(i))
	}
	for _, d := range t.Differences().All() {
		fmt.Fprintf(w, "  %s\n", v.difference(d))
	}
}

// wording is the text of attributes that many routes share.
type wording struct {
	learned, preference string
	ways                []string
}

// wordings keeps each text that was made, as long as there are not too many.
type wordings map[*route.Attributes]wording

func (m wordings) of(a *route.Attributes) wording {
	w, ok := m[a]
	if !ok {
		w = wording{learned(a), number(a.Preference), ways(a)}
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

// difference words where two captures of one table contradict each other, with both lines.
func (v View) difference(d network.Difference) string {
	switch d.Kind {
	case network.NotInstalled:
		return fmt.Sprintf(
			"Difference at %s: chosen (%s), but what forwards does not have it.",
			d.Prefix,
			v.place(d.Chosen),
		)
	case network.NotChosen:
		return fmt.Sprintf(
			"Difference at %s: forwards (%s), but the routing table does not show it as chosen.",
			d.Prefix,
			v.place(d.Installed),
		)
	case network.OtherMoment:
		return fmt.Sprintf(
			"Difference at %s: two captures (%s, %s) are of different moments and have other next hops; keep the "+
				"newer one.",
			d.Prefix,
			v.place(d.Chosen),
			v.place(d.Installed),
		)
	case network.GoneMoment:
		return fmt.Sprintf(
			"Difference at %s: one capture has it (%s), another one of the same table (from %s on) does not; keep "+
				"the newer one.",
			d.Prefix,
			v.place(d.Chosen),
			v.place(d.Installed),
		)
	case network.OtherNextHops:
		return fmt.Sprintf(
			"Difference at %s: the routing table (%s) and what forwards (%s) have other next hops; what forwards "+
				"counts.",
			d.Prefix,
			v.place(d.Chosen),
			v.place(d.Installed),
		)
	}
	return fmt.Sprintf(
		"Difference at %s: two captures disagree on what is chosen (%s, %s).",
		d.Prefix,
		v.place(d.Chosen),
		v.place(d.Installed),
	)
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
	// Partial: routes may be missing here that the device has, so that nothing may be concluded from what is not there.
	Partial bool `json:"partial,omitempty"`
	Walk    bool `json:"management-walk,omitempty"`
}

// partial reports whether what is written of a table leaves out, or may leave out, something that decides.
func partial(q TableQuery, t *network.Table) bool {
	return q.Filter.Narrow() || t.Undecided || t.Filtered.Known() || t.CutAt.IsValid() || t.Contradictory()
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
	fmt.Fprintf(w, `{"device":%s,"tables":[`, unseen(name))
	for i, t := range q.Filter.Tables(q.Device) {
		raw, err := json.Marshal(jsonTable{t.Name, t.Family.String(), best(t), partial(q, t), t.Weak})
		if err != nil {
			return err
		}
		head := unseen(raw)
		if i > 0 {
			w.WriteByte(',')
		}
		fmt.Fprintf(w, "\n%s,\"routes\":[", head[:len(head)-1])
		first := true
		for j := range t.Routes().Len() {
			r := t.Routes().At(j)
			if !q.Filter.Shows(r) {
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
			w.Write(unseen(line))
		}
		w.WriteString("]}")
	}
	w.WriteString("]}\n")
	return w.Flush()
}
